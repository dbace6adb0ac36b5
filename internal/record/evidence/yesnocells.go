package evidence

import (
	"strings"

	"filler/internal/record/normalize"
	"filler/internal/source/reading"
)

// yesNoCells holds booleans against the cells under their own heads that begin with a yes or a no: "no, left in porch".
func (w *weigher) yesNoCells(h *homes) {
	for _, f := range fieldsIn(h, isBoolean) {
		first := -1
		for i := range h.list {
			if h.own(i) && (first < 0 || h.at[i] < first) {
				first = h.at[i]
			}
		}
		if first < 1 {
			continue
		}
		column, sign := w.ownColumn(f, first)
		if column == nil {
			continue
		}
		for i, it := range h.list {
			l := leafOf(it, f)
			if l == nil || l.fixed != nil || !h.own(i) || w.places[l.path].Found() || w.places[l.path].isContradicted() {
				continue
			}
			cell, is := w.wordsUnder(h.at[i], *column, sign)
			words := reading.Tokenize(w.ix.Source[cell.Start:cell.End])
			if !is || len(words) == 0 || !strings.ContainsAny(w.ix.Source[cell.Start:cell.End], ",;.(") && len(words) > 1 {
				continue
			}
			switch yes, known := normalize.YesNo(words[0].Word); {
			case !known:
			case yes == (l.value == "true"):
				w.restate(l, cell)
			default:
				w.places[l.path] = Place{Kind: l.lacking, Opposed: h.at[i] + 1, Says: cell}
			}
		}
	}
}
