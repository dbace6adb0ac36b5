package evidence

import (
	"strings"

	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Mail quotes older mail, line by line behind a >, and what an older mail says may
// be said otherwise by now.

// older takes the place away of amounts, quantities and days that stand in a mail
// quoted more deeply than most of the record, where a newer part has another of
// the kind that no value comes from.
func (w *weigher) older() {
	if !strings.Contains(w.ix.Source, "\n>") && !strings.HasPrefix(w.ix.Source, ">") && w.history() > len(w.ix.Breaks) {
		return
	}
	at := make([]int, 0, 4) // how many values stand at each depth
	for _, l := range w.chosen {
		d := w.depth(w.places[l.path].Start)
		for len(at) <= d {
			at = append(at, 0)
		}
		at[d]++
	}
	newest, most := 0, 0
	for d, n := range at {
		if n > most {
			newest, most = d, n
		}
	}
	for _, l := range w.chosen {
		place := w.places[l.path]
		if w.depth(place.Start) > newest && w.hasNewer(l, place, newest) {
			w.places[l.path] = Place{Kind: l.lacking, Against: place.Line}
		}
	}
}

// depth counts the marks of quoting before a line; what a mail quotes without marks has one.
func (w *weigher) depth(offset int) (n int) {
	at := w.ix.LineOf(offset)
	for _, r := range w.ix.Line(at + 1) {
		if r == '>' {
			n++
		} else if r != ' ' {
			break
		}
	}
	if n == 0 && at >= w.history() {
		return 1
	}
	return n
}

// history gives the line with which earlier messages begin; of a document of many entries each
// message is as good as the next.
func (w *weigher) history() int {
	if w.all != nil && w.all.EachEntry() {
		return len(w.ix.Breaks) + 1
	}
	return w.ix.History()
}

// hasNewer tells whether a part that is quoted less deeply has a value of the kind
// that no value of the record comes from.
func (w *weigher) hasNewer(l *leaf, place Place, newest int) bool {
	free := func(s reading.Span) bool {
		for _, other := range w.chosen {
			if p := w.places[other.path]; p.Start < s.End && s.Start < p.End {
				return false
			}
		}
		return w.depth(s.Start) <= newest
	}
	switch l.f.Kin().Type {
	case schema.Date:
		for _, s := range w.ix.AllDays() {
			if free(s) {
				return true
			}
		}
	case schema.Money, schema.Quantity:
		own := w.ix.MeasureOf(between(place.Start, place.End))
		if figure, ok := w.ix.FigureIn(between(place.Start, place.End)); ok {
			own = w.ix.MeasureOf(figure)
		}
		for _, s := range w.ix.AllNumbers() {
			if m := w.ix.MeasureOf(s); m.Unit == own.Unit && m.Code == own.Code && free(m.Where) && !w.ix.InDate(s) {
				return true
			}
		}
	}
	return false
}
