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
	for _, g := range fieldsIn(h, isPlain) {
		if g == f || g == t.key {
			continue
		}
		var out []crossed
		right, of := map[int]bool{}, 0
		for _, c := range all {
			l := leafOf(c.it, g)
			if l == nil || c.row < 0 {
				continue
			}
			of++
			if k := slices.IndexFunc(l.cands, func(o candidate) bool { return w.isBeforeCells(t, c.row, o.span) }); k < 0 {
				out = append(out, c)
			} else {
				right[c.row] = true
				if at := w.places[l.path]; l.fixed == nil && (at.Line-1 != c.row || !w.isBeforeCells(t, c.row, between(at.Start, at.End))) {
					w.restate(l, l.cands[k].span)
				}
			}
		}
		if len(right) < fewestCrossed || 3*len(out) > of {
			continue
		}
		for _, c := range out {
			if l := leafOf(c.it, g); l.fixed == nil && w.places[l.path].Found() {
				w.places[l.path] = Place{Kind: l.lacking, Misplaced: w.places[l.path].Line}
			}
		}
	}
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
