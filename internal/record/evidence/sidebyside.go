package evidence

import (
	"slices"
	"sort"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Tables set side by side: each line has the rows of several items, below heads that come again.
//
//	Fach       Std.  Note     |  Fach     Std.  Note
//	Deutsch    4     gut      |  Physik   2     ausreichend

// fewestOfEach is how many columns each of such tables has at least.
const fewestOfEach = 2

// sideBySide tells by numbers the row of one of several tables side by side that a place is in; nil where the heads
// above a list's items do not come again.
func (w *weigher) sideBySide(h *homes) units {
	first, last := len(w.ix.Breaks)+1, -1
	for _, it := range h.list {
		for _, l := range it.leaves {
			if at := w.places[l.path]; at.Found() && !at.Basis && l.f.Kin().Type == schema.Text {
				first, last = min(first, at.Line-1), max(last, at.Line-1)
			}
		}
	}
	if last < 0 || 2*(last-first) >= len(h.list) { // no two items in a line
		return nil
	}
	for line := first - 1; line >= max(0, first-mostHeadLines); line-- {
		head, _, _ := w.ix.rowAt(line)
		if len(head) > longestLine || isRule(head) {
			continue
		}
		cells := cellsIn(head)
		k := periodOf(head, cells)
		if k < fewestOfEach {
			continue
		}
		var begins []int
		for i := 0; i < len(cells); i += k {
			begins = append(begins, utf8.RuneCountInString(head[:cells[i][0]]))
		}
		return func(at int) int {
			n := w.ix.LineOf(at)
			row, start, _ := w.ix.rowAt(n)
			if n < first || n > last || len(row) > longestLine {
				return -1
			}
			part := sort.SearchInts(begins, utf8.RuneCountInString(row[:min(len(row), at-start)])+2) - 1
			if own := cellsIn(row); len(own) == len(cells) {
				part = sort.Search(len(own), func(i int) bool { return start+own[i][1] > at }) / k
			}
			return n*mostCells + max(0, part)
		}
	}
	return nil
}

// periodOf gives after how many cells the texts of a row come again to its end; 0 where they don't.
func periodOf(row string, cells [][2]int) int {
	texts := make([]string, len(cells))
	for i, c := range cells {
		texts[i] = folded(row[c[0]:c[1]])
	}
	for k := 1; 2*k <= len(texts); k++ {
		if len(texts)%k == 0 && slices.Equal(texts[k:], texts[:len(texts)-k]) {
			return k
		}
	}
	return 0
}

// besideOwnUnits takes their places from choices and figures of items that stand in no unit of their item's, while that
// has another option, or in its place of the row another figure that nobody took.
func (w *weigher) besideOwnUnits(h *homes) {
	in := sectionsOf(h)
	side := in == nil
	if side {
		if in = w.sideBySide(h); in == nil {
			return
		}
	}
	for _, it := range h.list {
		home, _ := w.homeBeside(it, nil, in)
		for _, l := range it.leaves {
			at := w.places[l.path]
			if home < 0 || l.fixed != nil || l.f.Concludes || l.f.List != nil || at.Found() && in(w.startOf(at)) == home && !w.isInOption(l, at) {
				continue
			}
			if k := slices.IndexFunc(l.cands, func(c candidate) bool {
				return in(c.Start) == home && !w.isRead(it, c.span) && !w.isInOption(l, Place{Start: c.Start, End: c.End})
			}); k >= 0 {
				w.restate(l, l.cands[k].span)
				continue
			}
			switch t := l.f.Kin().Type; {
			case t == schema.Choice:
				if s := w.optionIn(it, l, home, in); s.End > 0 {
					w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(s.Start) + 1}
				}
			case side && at.Found() && isFigure(l.f.Kin()):
				if s := w.figureIn(it, l, home, in); s.End > 0 {
					w.places[l.path] = Place{Kind: l.lacking, Misplaced: at.Line}
				}
			}
		}
	}
}

// isInOption tells whether the words of a choice are a part of those of another option: gut, in sehr gut.
func (w *weigher) isInOption(l *leaf, at Place) bool {
	if l.f.Kin().Type != schema.Choice {
		return false
	}
	return slices.ContainsFunc(l.f.Kin().Of, func(o schema.Option) bool {
		return value.Str(o.Value).String() != l.value && slices.ContainsFunc(w.ix.find(o.Value), func(s span) bool {
			return s.Start <= at.Start && at.End <= s.End && s.End-s.Start > at.End-at.Start
		})
	})
}

// optionIn gives where the words for another option of a choice stand in a unit, if those of one alone do.
func (w *weigher) optionIn(it *item, l *leaf, home int, in units) (found span) {
	other := ""
	for _, o := range l.f.Kin().Of {
		if value.Str(o.Value).String() == l.value {
			continue
		}
		w.synonyms(l.f.Kin(), o.Value, func(spans []span, _ Kind, _ string) {
			for _, s := range append(spans, w.ix.find(o.Value)...) {
				if in(s.Start) != home || w.ix.Denial(s) != reading.Said || w.isRead(it, s) {
					continue
				}
				if other != "" && other != o.Value && !(found.Start <= s.Start && s.End <= found.End) {
					other = "several"
				}
				if other == "" || s.Start <= found.Start && found.End <= s.End {
					other, found = o.Value, s
				}
			}
		})
	}
	if other == "several" {
		return span{}
	}
	return found
}

// figureIn gives the one figure of a unit that no value of the item was read from.
func (w *weigher) figureIn(it *item, l *leaf, home int, in units) (found span) {
	line := home / mostCells
	if line > len(w.ix.Breaks) {
		return span{}
	}
	_, figures := w.ix.NumbersIn(w.ix.LineSpan(line))
	for _, s := range figures {
		switch {
		case in(s.Start) != home || w.isRead(it, s):
		case found.End > 0 && found != s:
			return span{}
		default:
			found = s
		}
	}
	return found
}
