package evidence

import (
	"strconv"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// Numbers that a document gives by the first and the last of a run: shelves 4-6, bays 3 to 7. The two
// ends stand there; what lies between them is said by the run, where a list has both ends as well.

// Bounds of a run.
const (
	mostRun  = 200  // numbers in one
	mostRuns = 5000 // that are looked for
)

// run is such a place, with its ends.
type run struct {
	span
	first, last int
}

// inRuns places the whole numbers of a list that stand nowhere, and lie in a run whose ends the list has.
func (w *weigher) inRuns() {
	lists := map[string]map[int]bool{} // of a list's field: the numbers
	var lost []*leaf
	listOf := func(l *leaf) string {
		if strings.HasSuffix(l.f.Path, "[]") {
			return string(l.path.Parent())
		}
		return string(l.path.Parent().Parent()) + " " + l.f.Name
	}
	for _, l := range w.leaves {
		n, err := strconv.Atoi(l.value)
		if l.f.Type != schema.Integer || !strings.Contains(l.f.Path, "[]") || err != nil {
			continue
		}
		if lists[listOf(l)] == nil {
			lists[listOf(l)] = map[int]bool{}
		}
		lists[listOf(l)][n] = true
		if l.fixed == nil && !w.places[l.path].Found() {
			lost = append(lost, l)
		}
	}
	if len(lost) == 0 {
		return
	}
	runs := w.runs()
	for _, l := range lost {
		n, _ := strconv.Atoi(l.value)
		var within []run
		for _, r := range runs {
			if r.first < n && n < r.last && lists[listOf(l)][r.first] && lists[listOf(l)][r.last] {
				within = append(within, r)
			}
		}
		if len(within) == 0 {
			continue
		}
		best := within[0]
		for _, r := range within[1:] { // the one of its field, or of its item
			if w.led(l.f, r.span) && !w.led(l.f, best.span) {
				best = r
			}
		}
		w.places[l.path] = Place{Kind: Restated, Start: best.Start, End: best.End, Line: w.ix.LineOf(best.Start) + 1, Rivals: len(within) - 1, Led: w.led(l.f, best.span), Tied: true}
	}
}

// ends are two whole numbers with what may make them the ends of a run between.
var ends = lazy.New(`(?:^|[^\d.,:/\pL-])(\d{1,6})( ?[-–—…] ?| \pL{1,5} )(\d{1,6})(?:[^\d\pL:/-]|:(?:\D|$)|$)`)

// runs gives the places where two whole numbers are the ends of a run.
func (w *weigher) runs() (found []run) {
	for _, m := range ends.FindAllStringSubmatchIndex(w.ix.Source, mostRuns) {
		first, _ := strconv.Atoi(w.ix.Source[m[2]:m[3]])
		last, _ := strconv.Atoi(w.ix.Source[m[6]:m[7]])
		if first < last && last-first <= mostRun && joinsEnds(w.ix.Source[m[4]:m[5]]) {
			found = append(found, run{between(m[2], m[7]), first, last})
		}
	}
	return found
}
