package evidence

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Rows with several items side by side, each in a cell of its own: Tue 3  am 151/94 p 73  pm 142/85 p 70. A cell that
// no value came from is asked about, where others of its form in its place were items.

// formAt is the form of a cell with its number in its row, and the list that its items are of.
type formAt struct {
	list string
	k    int
	form string
}

// rowsAside is how many rows before the first and behind the last that was read are looked at.
const rowsAside = 3

// likeCells gives such cells.
func (u *unread) likeCells(taken map[int]bool) (lines []Line) {
	read := map[formAt]map[int]bool{}
	for line := range u.claims {
		cells := u.cellsOfLine(line)
		for k, list := range u.itemsInCells(line, cells) {
			at := formAt{list, k, u.formOf(cells[k])}
			if read[at] == nil {
				read[at] = map[int]bool{}
			}
			read[at][line] = true
		}
	}
	order := func(a, b formAt) int {
		return cmp.Or(cmp.Compare(a.list, b.list), a.k-b.k, cmp.Compare(a.form, b.form))
	}
	for _, at := range slices.SortedFunc(maps.Keys(read), order) {
		in := slices.Sorted(maps.Keys(read[at]))
		for line := max(0, in[0]-rowsAside); len(in) >= fewestCrossed && line <= min(in[len(in)-1]+rowsAside, len(u.w.ix.Breaks)); line++ {
			cells := u.cellsOfLine(line)
			if taken[line] || len(cells) <= at.k || len(cells) < leastCells || u.isClaimed(line, cells[at.k]) || u.formOf(cells[at.k]) != at.form {
				continue
			}
			cell := cells[at.k]
			row, _, _ := u.w.ix.rowAt(line)
			lines = append(lines, Line{Start: cell.Start, End: cell.End, Line: line + 1, Field: at.list, Text: u.w.ix.Source[cell.Start:cell.End], Row: strings.Join(strings.Fields(row), " ")})
		}
	}
	return lines
}

// itemsInCells gives the cells of a line, but the first, that have two values of one item at least and none of another
// of its list, with the list.
func (u *unread) itemsInCells(line int, cells []span) map[int]string {
	type one struct {
		item string
		n    int
	}
	of := map[int]one{}
	for _, p := range u.leaves[line] {
		at := u.places[p]
		k := slices.IndexFunc(cells, func(c span) bool { return c.Start <= at.Start && at.End <= c.End })
		if k < 1 || !at.Found() {
			continue
		}
		switch it := of[k]; {
		case it.n == 0, it.item == string(p.Parent()):
			of[k] = one{string(p.Parent()), it.n + 1}
		default:
			of[k] = one{it.item, -len(u.leaves[line])}
		}
	}
	lists := map[int]string{}
	for k, it := range of {
		if f := u.s.At(value.Pointer(it.item).Parent()); it.n > 1 && f != nil && f.Type == schema.List {
			lists[k] = u.called(f)
		}
	}
	return lists
}

// formOf gives the words of a cell with 0 for each of its figures.
func (u *unread) formOf(cell span) string {
	var b strings.Builder
	for _, r := range asForm(u.w.ix.Source[cell.Start:cell.End]) {
		if r != '0' || !strings.HasSuffix(b.String(), "0") {
			b.WriteRune(r)
		}
	}
	return b.String()
}
