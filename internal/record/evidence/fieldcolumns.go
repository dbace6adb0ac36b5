package evidence

import (
	"slices"
	"strings"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Values of one field stand in one column of the rows of their items. One that stands outside of its item's row, which
// has something else in that column that nobody took, is not what the row says: pc, where the line says kg.

// fieldColumn is where the cells of a column begin and end: in letters from the start of their line, or where a sign
// parts the cells, by their number.
type fieldColumn struct {
	sign        string
	left, right [2]int // the least and the most
	rows        int
	named       bool // its head is called like the field
}

// inOwnColumns takes their places from such values. Rows of all lists of one kind tell where a column is.
func (w *weigher) inOwnColumns() {
	for _, list := range w.itemsByList() {
		h := w.homesOf(list)
		w.intoOwnCells(h)
		for _, f := range fieldsIn(h, isPlain) {
			if column := w.columnOfField(h, f); column != nil {
				w.leaveOthersRows(h, f, *column)
			}
		}
	}
}

// intoOwnCells moves values that stand elsewhere, as in a legend, to the cell of their item's row that they fill.
func (w *weigher) intoOwnCells(h *homes) {
	for i, it := range h.list {
		if !h.own(i) {
			continue
		}
		for _, l := range it.leaves {
			at := w.places[l.path]
			if l.fixed != nil || !at.Found() || at.Basis || at.Line-1 == h.at[i] || !isPlain(l.f.Kin()) || w.isBelowOwn(h, i, at.Line-1) {
				continue
			}
			cands := l.cands
			if v, err := value.Parse(l.value); err == nil && at.Led { // a label elsewhere leads to other places
				cands = w.candidates(l.f, &v, false)
			}
			k := slices.IndexFunc(cands, func(c candidate) bool {
				return w.ix.LineOf(c.Start) == h.at[i] && w.cellAround(h.at[i], c.span) == c.span && !w.isRead(it, c.span)
			})
			if k >= 0 {
				w.places[l.path] = Place{Kind: cands[k].kind, Start: cands[k].Start, End: cands[k].End, Line: h.at[i] + 1, Rivals: at.Rivals, Tied: true}
			}
		}
	}
}

// isPlain tells a field whose values documents print as they are.
func isPlain(f *schema.Field) bool {
	return f.Type != schema.Boolean && f.Type != schema.Choice && f.Type != schema.Link && f.Type != schema.Any && f.List == nil && !f.Concludes
}

// leastInColumn is how many items have a field's values in one column at least, if its head is not called like it.
const leastInColumn = 2

// columnOfField gives the column in which the values of a field stand in the rows of their items; nil for none.
func (w *weigher) columnOfField(h *homes, f *schema.Field) *fieldColumn {
	var column *fieldColumn
	for i, it := range h.list {
		l := leafOf(it, f)
		if l == nil || !h.own(i) {
			continue
		}
		at := w.places[l.path]
		if !at.Found() || at.Basis || at.Line-1 != h.at[i] {
			continue
		}
		cell := w.cellAround(h.at[i], between(at.Start, at.End))
		if cell.End == 0 {
			return nil
		}
		from, to, sign := w.column(cell)
		if column == nil {
			column = &fieldColumn{sign: sign, left: [2]int{from, from}, right: [2]int{to, to}}
		}
		if column.sign != sign {
			return nil
		}
		column.left = [2]int{min(column.left[0], from), max(column.left[1], from)}
		column.right = [2]int{min(column.right[0], to), max(column.right[1], to)}
		column.rows++
		column.named = column.named || w.isCalled(f, w.topOf(cell))
	}
	if column == nil || column.rows < leastInColumn && !column.named || !column.isStraight() {
		return nil
	}
	return column
}

// isStraight tells whether the cells of a column begin or end one below the other, or at least all share a letter.
func (c *fieldColumn) isStraight() bool {
	if c.sign != "" {
		return c.left[0] == c.left[1]
	}
	return c.left[1]-c.left[0] <= mostAskew || c.right[1]-c.right[0] <= mostAskew || c.left[1] < c.right[0]
}

// has tells whether a cell is of a column.
func (c *fieldColumn) has(from, to int) bool {
	switch {
	case c.sign != "":
		return from == c.left[0]
	case c.left[1]-c.left[0] <= mostAskew:
		return from >= c.left[1]-mostAskew && from <= c.left[0]+mostAskew
	case c.right[1]-c.right[0] <= mostAskew:
		return to >= c.right[1]-mostAskew && to <= c.right[0]+mostAskew
	}
	return from < c.right[0] && to > c.left[1]
}

// leaveOthersRows takes their places from the values of a field that stand outside of their item's row, while that has
// another one in the column.
func (w *weigher) leaveOthersRows(h *homes, f *schema.Field, column fieldColumn) {
	for i, it := range h.list {
		l := leafOf(it, f)
		if l == nil || l.fixed != nil || !h.own(i) {
			continue
		}
		at := w.places[l.path]
		if !at.Found() || at.Basis || at.Led && column.rows <= leastInColumn || at.Line-1 == h.at[i] || w.isBelowOwn(h, i, at.Line-1) || h.in[at.Line-1] == 0 && w.isNamedIn(alone(h, it), l, at.Line-1) {
			continue
		}
		cell := w.cellInColumn(h.at[i], column)
		said := w.ix.Source[cell.Start:cell.End]
		if letters(said) == 0 || blank(strings.ToLower(said)) || saysNone(said) || isFigure(f.Kin()) && !hasFigure(said) || w.isRead(it, cell) || w.explains(at, said) {
			continue
		}
		if c := candidateAt(l.cands, cell); c != nil {
			w.restate(l, c.span)
		} else {
			w.places[l.path] = Place{Kind: l.lacking, Misplaced: at.Line}
		}
	}
}

// alone gives an item with those of its values alone that no other item of the list has; with all of them in a long list.
func alone(h *homes, it *item) *item {
	if len(h.list) > mostItems {
		return it
	}
	own := &item{}
	for _, l := range it.leaves {
		if !slices.ContainsFunc(h.list, func(other *item) bool { o := leafOf(other, l.f); return other != it && o != nil && o.value == l.value }) {
			own.leaves = append(own.leaves, l)
		}
	}
	return own
}

// isBelowOwn tells whether a line goes on with an item's row: it stands below, and no other item's in between.
func (w *weigher) isBelowOwn(h *homes, i, line int) bool {
	return line > h.at[i] && line <= h.at[i]+mostWrapped && !slices.ContainsFunc(h.at, func(other int) bool { return other > h.at[i] && other <= line })
}

// mostWrapped is into how many further lines a row goes on at most.
const mostWrapped = 4

// explains tells whether a value stands right behind the words that a row has in its place, as in a legend: m = married.
func (w *weigher) explains(at Place, said string) bool {
	before := strings.TrimRight(w.ix.Source[w.ix.LineSpan(at.Line-1).Start:at.Start], " =:–-→\t")
	return len(said) < len(before) && strings.EqualFold(before[len(before)-len(said):], said) || strings.EqualFold(before, said)
}

// cellAround gives the cell of a line that a place lies in; an empty one where that is none.
func (w *weigher) cellAround(line int, s span) span {
	row, start, _ := w.ix.rowAt(line)
	if len(row) > longestLine {
		return span{}
	}
	cells := cellsIn(row)
	for _, c := range cells {
		if len(cells) > 1 && start+c[0] <= s.Start && s.End <= start+c[1] {
			return between(start+c[0], start+c[1])
		}
	}
	return span{}
}

// cellInColumn gives the one cell of a line in a column; an empty one for none or several.
func (w *weigher) cellInColumn(line int, column fieldColumn) (found span) {
	row, start, _ := w.ix.rowAt(line)
	if len(row) > longestLine || cellSign(row) != column.sign {
		return span{}
	}
	for _, c := range cellsIn(row) {
		cell := between(start+c[0], start+c[1])
		if from, to, _ := w.column(cell); column.has(from, to) {
			if found.End > 0 {
				return span{}
			}
			found = cell
		}
	}
	return found
}

// column gives where a cell begins and ends, see fieldColumn.
func (w *weigher) column(cell span) (from, to int, sign string) {
	line := w.ix.LineSpan(w.ix.LineOf(cell.Start))
	before := w.ix.Source[line.Start:cell.Start]
	if sign = cellSign(w.ix.Source[line.Start:line.End]); sign != "" {
		n := strings.Count(before, sign)
		return n, n, sign
	}
	from = utf8.RuneCountInString(before)
	return from, from + utf8.RuneCountInString(w.ix.Source[cell.Start:cell.End]), ""
}
