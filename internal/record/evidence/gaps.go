package evidence

import (
	"maps"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Cells that were passed over: the row of an item has something where the rows of the others
// have the value of a field that the item has not.

// leastCells is how many cells a row has at least that is read column by column.
const leastCells = 3

// rowItem is an item with a row of a table to itself.
type rowItem struct {
	at    value.Pointer
	line  int
	cells [][2]int // in the source
}

// gaps gives such cells.
func (u *unread) gaps(taken map[int]bool) (lines []Line) {
	by := map[value.Pointer][]rowItem{}
	items := map[int]int{}
	for _, line := range u.homes {
		items[line]++
	}
	for _, item := range slices.Sorted(maps.Keys(u.homes)) {
		line := u.homes[item]
		row, start, _ := u.w.ix.rowAt(line)
		if len(row) > longestLine {
			continue
		}
		cells := cellsIn(row)
		if items[line] > 1 || len(cells) < leastCells || taken[line] {
			continue
		}
		for k := range cells {
			cells[k][0], cells[k][1] = cells[k][0]+start, cells[k][1]+start
		}
		by[item.Parent()] = append(by[item.Parent()], rowItem{item, line, cells})
	}
	for _, list := range slices.Sorted(maps.Keys(by)) {
		f := u.s.At(list)
		if f == nil || f.Type != schema.List || f.Item == nil || len(by[list]) < 2 {
			continue
		}
		lines = append(lines, u.gapsIn(f.Item, "", by[list])...)
	}
	return lines
}

// gapsIn gives those of the fields of an item, or of a group in it.
func (u *unread) gapsIn(group *schema.Field, below value.Pointer, rows []rowItem) (lines []Line) {
	for _, kid := range group.Fields {
		switch at := below.Key(kid.Name); {
		case kid.IsLeaf():
			lines = append(lines, u.gapsOf(kid, at, rows)...)
		case kid.Type == schema.Group:
			lines = append(lines, u.gapsIn(kid, at, rows)...)
		}
	}
	return lines
}

// gapsOf gives the cells of one field that were passed over.
func (u *unread) gapsOf(f *schema.Field, below value.Pointer, rows []rowItem) (lines []Line) {
	column := map[int]int{} // how many items have it in which cell of a row of so many
	key := func(cells, k int) int { return cells*mostCells + k }
	figures := map[int]bool{} // how many figures such cells have
	var without []rowItem
	with := 0
	for _, row := range rows {
		p := row.at + below
		place := u.places[p]
		if v := u.record.At(p); v == nil || v.Kind == value.Null {
			without = append(without, row)
			continue
		}
		if k := cellOf(row.cells, place); place.Found() && k >= 0 {
			said := u.w.ix.Source[row.cells[k][0]:row.cells[k][1]]
			if 2*letters(u.w.ix.Source[place.Start:place.End]) < letters(said) { // the cell holds more
				continue
			}
			column[key(len(row.cells), k)]++
			figures[len(figuresOf(said))] = true
			with++
		}
	}
	if with == 0 || len(without) > with {
		return nil
	}
	for _, row := range without {
		for k, cell := range row.cells {
			if column[key(len(row.cells), k)]*2 <= with {
				continue
			}
			said := u.w.ix.Source[cell[0]:cell[1]]
			read := slices.ContainsFunc(u.claims[row.line], func(s span) bool { return s.Start < cell[1] && cell[0] < s.End })
			if read || blank(strings.ToLower(strings.Trim(said, ".()[] "))) || letters(said) == 0 || saysNone(said) || !couldSay(f, said) || !figures[len(figuresOf(said))] {
				continue
			}
			lines = append(lines, Line{Start: cell[0], End: cell[1], Line: row.line + 1, Field: f.Path, Text: strings.Join(strings.Fields(said), " "), At: row.at + below})
		}
	}
	return lines
}

// cellOf gives the cell that a place stands in; -1 for none.
func cellOf(cells [][2]int, at Place) int {
	return slices.IndexFunc(cells, func(c [2]int) bool { return c[0] <= at.Start && at.End <= c[1] })
}
