package evidence

import "strings"

// Ranges of options, as the months in which seeds are sown: Apr-Jul. A first month that stands last in its range is the
// other field's, where those of the other items stand first.

// optionsAtEnds is inOwnEnds for choices.
func (w *weigher) optionsAtEnds(h *homes) {
	for _, f := range fieldsIn(h, isOneChoice) {
		at, count := map[*leaf]int{}, map[int]int{}
		for _, it := range h.list {
			if l := leafOf(it, f); l != nil && w.places[l.path].Found() {
				if end := w.endBeside(w.places[l.path]); end != noEnd {
					at[l] = end
					count[end]++
				}
			}
		}
		for l, end := range at {
			if most := count[firstEnd+lastEnd-end]; l.fixed == nil && most >= fewestInOrder && 2*count[end] <= most {
				place := w.places[l.path]
				w.places[l.path] = Place{Kind: l.lacking, Range: w.rangeAround(place)}
			}
		}
	}
}

// endBeside tells which end of a range of two words a place is, by the sign right beside it.
func (w *weigher) endBeside(at Place) int {
	before, behind := w.ix.Source[:at.Start], w.ix.Source[at.End:]
	first, last := false, false
	for _, sign := range []string{"-", "–", "—"} {
		rest, is := strings.CutPrefix(behind, sign)
		first = first || is && rest != "" && !strings.ContainsAny(rest[:1], " \n")
		lead, is := strings.CutSuffix(before, sign)
		last = last || is && lead != "" && !strings.ContainsAny(lead[len(lead)-1:], " \n")
	}
	switch {
	case first && !last:
		return firstEnd
	case last && !first:
		return lastEnd
	}
	return noEnd
}

// rangeAround gives the words around a place up to the next blanks.
func (w *weigher) rangeAround(at Place) string {
	from := strings.LastIndexAny(w.ix.Source[:at.Start], " \t\n") + 1
	rest := w.ix.Source[at.End:]
	if end := strings.IndexAny(rest, " \t\n"); end >= 0 {
		rest = rest[:end]
	}
	return w.ix.Source[from:at.End] + rest
}
