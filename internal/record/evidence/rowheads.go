package evidence

import (
	"slices"

	"filler/internal/schema"
)

// What stands at the begin of the rows of tables, see inCrosstabs: the period with its hours, the weight up to which.

// atRowHeads places the values of fields that stand before the cells of their rows, where most do, and takes their
// places from those that stand elsewhere. Rows that no name tells are those of the one cell that has the value.
func (w *weigher) atRowHeads(t *crosstab, f *schema.Field, h *homes, all []crossed) {
	for i, c := range all {
		if c.row < 0 {
			all[i].row = w.rowOfCell(t, f, c.it)
		}
	}
	w.byRowHeads(h, all, map[*schema.Field]bool{f: true, t.key: true}, func(row int, s span) bool { return w.isBeforeCells(t, row, s) })
}

// inSharedRows is atRowHeads for rows with several items side by side, and no heads: Tue 3  am 151/94  pm 142/85.
func (w *weigher) inSharedRows(h *homes) {
	shared := false
	all := make([]crossed, len(h.list))
	for i, it := range h.list {
		all[i] = crossed{it, h.at[i]}
		shared = shared || h.at[i] >= 0 && h.in[h.at[i]] > 1
	}
	if !shared {
		return
	}
	w.byRowHeads(h, all, nil, w.isInFirstCell)
	for _, c := range all {
		if cell := w.cellOfItem(c.it, c.row); cell.End > 0 {
			w.optionsInCell(c.it, cell)
		}
	}
}

// cellOfItem gives the one cell of a row behind the first that has two values of an item at least; an empty one for
// none or several.
func (w *weigher) cellOfItem(it *item, row int) (own span) {
	if row < 0 {
		return span{}
	}
	count := map[span]int{}
	for _, l := range it.leaves {
		at := w.places[l.path]
		if !at.Found() || at.Line-1 != row || w.isInFirstCell(row, between(at.Start, at.End)) {
			continue
		}
		cell := w.cellAround(row, between(at.Start, at.End))
		if count[cell]++; count[cell] == fewestCrossed {
			if own.End > 0 {
				return span{}
			}
			own = cell
		}
	}
	return own
}

// optionsInCell holds the choices of an item against its cell: am 148/92.
func (w *weigher) optionsInCell(it *item, cell span) {
	in := func(s span) bool { return cell.Start <= s.Start && s.End <= cell.End }
	for _, l := range it.leaves {
		if l.f.Kin().Type != schema.Choice || l.f.List != nil || l.fixed != nil || l.f.Concludes {
			continue
		}
		own, others := slices.IndexFunc(w.optionSpans(l, true), in), slices.IndexFunc(w.optionSpans(l, false), in)
		switch {
		case own >= 0 && others < 0:
			w.restate(l, w.optionSpans(l, true)[own])
		case own < 0 && others >= 0:
			w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(cell.Start) + 1, Says: w.optionSpans(l, false)[others]}
		}
	}
}

// byRowHeads places the values that stand at the begin of the rows of their items, in fields of which most do, and takes
// their places from the others of these fields.
func (w *weigher) byRowHeads(h *homes, all []crossed, but map[*schema.Field]bool, begins func(row int, s span) bool) {
	for _, g := range fieldsIn(h, isPlain) {
		if but[g] {
			continue
		}
		var out []crossed
		right, of, least := map[int]bool{}, 0, longestLine
		for _, c := range all {
			l := leafOf(c.it, g)
			if l == nil || c.row < 0 {
				continue
			}
			of++
			if k := slices.IndexFunc(l.cands, func(o candidate) bool { return begins(c.row, o.span) }); k < 0 {
				out = append(out, c)
			} else {
				right[c.row], least = true, min(least, w.firstCell(c.row))
				if at := w.places[l.path]; l.fixed == nil && !at.isContradicted() && !begins(c.row, between(at.Start, at.End)) {
					w.restate(l, l.cands[k].span)
				}
			}
		}
		of -= len(out)
		out = slices.DeleteFunc(out, func(c crossed) bool { return w.firstCell(c.row) > least+mostSetIn }) // it has that of the row above it
		if of += len(out); len(right) < fewestCrossed || 3*len(out) > of {
			continue
		}
		for _, c := range out {
			if l := leafOf(c.it, g); l.fixed == nil && w.places[l.path].Found() {
				w.places[l.path] = Place{Kind: l.lacking, Misplaced: w.places[l.path].Line}
			}
		}
	}
}

// mostSetIn is how far a row that has a head of its own is set in at most, beside others.
const mostSetIn = 2

// firstCell gives where the first cell of a row begins, from its left edge.
func (w *weigher) firstCell(row int) int {
	text, _, _ := w.ix.rowAt(row)
	if cells := cellsIn(text); len(text) <= longestLine && len(cells) > 0 {
		return cells[0][0]
	}
	return 0
}

// rowOfCell gives the one row that has an item's value under its head; -1 for none or several.
func (w *weigher) rowOfCell(t *crosstab, f *schema.Field, it *item) (row int) {
	row = -1
	l, key := leafOf(it, f), leafOf(it, t.key)
	if l == nil || key == nil || len(l.cands) > maxPlaces {
		return row
	}
	k, is := t.of[key.value]
	for _, c := range l.cands {
		n := w.ix.LineOf(c.Start)
		if !is || n <= t.head || n > t.head+mostCells || n == row {
			continue
		}
		if cell, known := w.underHead(t, n, k); !known || c.Start < cell.Start || cell.End < c.End {
			continue
		}
		if row >= 0 {
			return -1
		}
		row = n
	}
	return row
}

// isBeforeCells tells whether a value stands in a row before all of its cells.
func (w *weigher) isBeforeCells(t *crosstab, row int, s span) bool {
	if w.ix.LineOf(s.Start) != row {
		return false
	}
	for _, k := range t.of {
		if cell, known := w.underHead(t, row, k); known && cell.End > 0 && cell.Start < s.End {
			return false
		}
	}
	return true
}
