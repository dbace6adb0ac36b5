package evidence

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Cells of tables with heads, see inCrosstabs, that no value came from.

// crossedIn is a list with the line of its heads.
type crossedIn struct {
	list string
	head int
}

// crossings are such tables that were read: under which heads, and in which rows.
type crossings struct{ heads, rows map[crossedIn]map[int]bool }

// crossings gives them, found once.
func (u *unread) crossings() *crossings {
	if u.crossed != nil {
		return u.crossed
	}
	u.crossed = &crossings{map[crossedIn]map[int]bool{}, map[crossedIn]map[int]bool{}}
	heads, rows := u.crossed.heads, u.crossed.rows
	u.record.Walk(func(p value.Pointer, item *value.Value) bool {
		f := u.s.At(p.Parent())
		if item.Kind != value.Object || p == "" || f == nil || f.Type != schema.List {
			return true
		}
		for _, key := range item.Kids {
			head := u.places[p.Key(key.Name)]
			if !head.Found() {
				continue
			}
			k := slices.IndexFunc(u.cellsOfLine(head.Line-1), func(c span) bool { return c.Start <= head.Start && head.End <= c.End })
			for _, kid := range item.Kids {
				at, of := u.places[p.Key(kid.Name)], u.s.At(p.Key(kid.Name))
				if k < 0 || kid.Name == key.Name || !at.Found() || of == nil || !isCounted(of.Kin()) || at.Line <= head.Line || at.Line > head.Line+mostCells {
					continue
				}
				in := crossedIn{u.called(f), head.Line - 1}
				if heads[in] == nil {
					heads[in], rows[in] = map[int]bool{}, map[int]bool{}
				}
				heads[in][k] = true
				rows[in][at.Line-1] = true
			}
		}
		return true
	})
	for in := range heads {
		if len(heads[in]) < fewestCrossed || len(rows[in]) < fewestCrossed {
			delete(heads, in)
		}
	}
	return u.crossed
}

// isCrossHead tells the line of the heads of such a table.
func (u *unread) isCrossHead(line int) bool {
	for in := range u.crossings().heads {
		if in.head == line {
			return true
		}
	}
	return false
}

// crossedCells gives the cells of such tables that have a figure and that no value came from, in rows and under heads
// of which others did.
func (u *unread) crossedCells(taken map[int]bool) (lines []Line) {
	heads, rows := u.crossings().heads, u.crossings().rows
	for _, in := range slices.SortedFunc(maps.Keys(heads), func(a, b crossedIn) int { return cmp.Or(cmp.Compare(a.list, b.list), a.head-b.head) }) {
		row, _, _ := u.w.ix.rowAt(in.head)
		t := &crosstab{head: in.head, cells: cellsIn(row)}
		first, last := u.headsCrossed(t, heads[in])
		for _, line := range slices.Sorted(maps.Keys(rows[in])) {
			whole, _, _ := u.w.ix.rowAt(line)
			for k := first; k <= last; k++ {
				cell, _ := u.w.underHead(t, line, k)
				said := u.w.ix.Source[cell.Start:cell.End]
				if cell.End == 0 || taken[line] || !hasFigure(said) || saysNone(said) || slices.ContainsFunc(u.claims[line], func(s span) bool { return s.Start < cell.End && cell.Start < s.End }) {
					continue
				}
				lines = append(lines, Line{Start: cell.Start, End: cell.End, Line: line + 1, Field: in.list, Text: said, Row: strings.Join(strings.Fields(whole), " ")})
			}
		}
	}
	return lines
}

// headsCrossed gives the first and the last head of such a table: of those under which values were read, and of those
// beside them that are called like no field and no sum.
func (u *unread) headsCrossed(t *crosstab, read map[int]bool) (first, last int) {
	row, _, _ := u.w.ix.rowAt(t.head)
	may := func(k int) bool {
		if k < 0 || k >= len(t.cells) {
			return false
		}
		said := row[t.cells[k][0]:t.cells[k][1]]
		return !u.isField[folded(said)] && !headsSums(said) && letters(said) > 0
	}
	all := slices.Sorted(maps.Keys(read))
	first, last = all[0], all[len(all)-1]
	for may(first - 1) {
		first--
	}
	for may(last + 1) {
		last++
	}
	return first, last
}

// cellsOfLine gives the cells of a line, by their places in the source.
func (u *unread) cellsOfLine(line int) (all []span) {
	row, start, _ := u.w.ix.rowAt(line)
	if len(row) > longestLine {
		return nil
	}
	for _, c := range cellsIn(row) {
		all = append(all, between(start+c[0], start+c[1]))
	}
	return all
}
