package review

import (
	"slices"
	"sort"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
)

// Doubtful goes to the open decision of the document at hand that is likeliest to be
// wrong: what something speaks against, then the riskiest. With again it goes on from
// the one at hand to the next less doubtful. False where there is none.
func (d *Desk) Doubtful(again bool) bool {
	order := d.ByDoubt()
	at := 0
	if now, ok := d.Point(); ok && again {
		at = slices.Index(order, now) + 1
	}
	return at < len(order) && d.Select(order[at])
}

// ByDoubt gives the open decisions of the document at hand, the most doubtful first.
func (d *Desk) ByDoubt() (open []Point) {
	if d.sheet == nil {
		return nil
	}
	doubt := map[Point]float64{}
	for _, p := range d.sheet.points {
		if d.sheet.Waits(p) {
			open = append(open, p)
			doubt[p] = d.sheet.doubt(p)
		}
	}
	sort.SliceStable(open, func(i, j int) bool { return doubt[open[i]] > doubt[open[j]] })
	return open
}

// Find gives the decisions of the document at hand whose field, or value, begins with
// some letters: open ones first, those behind the one at hand before those above it.
func (d *Desk) Find(typed string) (found []Point) {
	if d.sheet == nil || typed == "" {
		return nil
	}
	typed = strings.ToLower(typed)
	begins := func(p Point) bool {
		name := p.Path.Last()
		if _, isIndex := value.ArrayIndex(name); isIndex {
			name = p.Path.Parent().Last()
		}
		return p.Kind != OfLine && (strings.HasPrefix(strings.ToLower(name), typed) || strings.HasPrefix(strings.ToLower(Shown(d.sheet.Record.At(p.Path))), typed))
	}
	n := len(d.sheet.points)
	for _, open := range []bool{true, false} {
		for i := range n {
			if p := d.sheet.points[(d.point+1+i)%n]; begins(p) && (d.sheet.Verdict(p) == "") == open {
				found = append(found, p)
			}
		}
	}
	return found
}

// doubt gives how likely something is to be wrong: its risk, and one more where
// something speaks against it.
func (sh *Sheet) doubt(p Point) float64 {
	doubt := unknownRisk
	if r, known := sh.RiskOf(p.Path); known {
		doubt = r
	}
	against := len(sh.Said(p)) > 0
	for _, at := range sh.leavesAt(p.Path) { // known from the draft, where the document was not read yet
		against = against || sh.Places[at].Kind == evidence.None
	}
	if against {
		doubt++
	}
	return doubt
}

// LacksWords tells whether words of the source may be a better value than what is there:
// nothing is, or something speaks against it, and nobody has decided.
func (sh *Sheet) LacksWords(p Point) bool {
	return p.Kind == OfValue && sh.Verdict(p) == "" && (sh.Record.At(p.Path).Empty() || len(sh.Said(p)) > 0)
}
