package evidence

import (
	"maps"
	"slices"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Cells that were passed over: the row of an item has something where the rows of the others
// have the value of a field that the item has not, or under a head that is called like the field.

// leastCells is how many cells a row has at least that is read column by column.
const leastCells = 3

// rowItem is an item with a row of a table to itself.
type rowItem struct {
	at    value.Pointer
	line  int
	cells [][2]int // in the source
	head  []string // what stands over its cells, by cell; nil where nothing does
	in    []int    // the columns of its cells, see columnsIn
}

// rowItems gives the items of lists that have a row to themselves, by list and in the order of their
// lines.
func (u *unread) rowItems() map[value.Pointer][]rowItem {
	if u.rowsBy != nil {
		return u.rowsBy
	}
	u.rowsBy = map[value.Pointer][]rowItem{}
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
		if items[line] > 1 || len(cells) < 2 {
			continue
		}
		for k := range cells {
			cells[k][0], cells[k][1] = cells[k][0]+start, cells[k][1]+start
		}
		u.rowsBy[item.Parent()] = append(u.rowsBy[item.Parent()], rowItem{at: item, line: line, cells: cells})
	}
	for _, rows := range u.rowsBy {
		u.findHeads(rows)
	}
	return u.rowsBy
}

// gaps gives such cells.
func (u *unread) gaps(taken map[int]bool) (lines []Line) {
	for _, list := range slices.Sorted(maps.Keys(u.rowItems())) {
		f := u.s.At(list)
		if f == nil || f.Type != schema.List || f.Item == nil {
			continue
		}
		free := slices.DeleteFunc(slices.Clone(u.rowsBy[list]), func(row rowItem) bool { return taken[row.line] })
		lines = append(lines, u.gapsIn(f.Item, "", free)...)
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
	column := map[int]int{}   // how many items have it in which cell of a row of so many
	figures := map[int]bool{} // how many figures such cells have
	var without []rowItem
	with, most := 0, 0
	for _, row := range rows {
		p := row.at + below
		place := u.places[p]
		most = max(most, len(row.cells))
		if v := u.record.At(p); v == nil || v.Kind == value.Null {
			without = append(without, row)
			continue
		}
		if k := cellOf(row.cells, place); place.Found() && k >= 0 {
			said := u.w.ix.Source[row.cells[k][0]:row.cells[k][1]]
			if 2*letters(u.w.ix.Source[place.Start:place.End]) < letters(said) { // the cell holds more
				continue
			}
			column[row.in[k]]++
			figures[len(figuresOf(said))] = true
			with++
		}
	}
	if with == 0 || with < leastAlike && (len(without) > with || most < leastCells) || len(rows) < 2 {
		return u.underHead(f, below, without)
	}
	for _, row := range without {
		for k, cell := range row.cells {
			said := u.w.ix.Source[cell[0]:cell[1]]
			if column[row.in[k]]*2 > with && figures[len(figuresOf(said))] && u.passed(f, row, cell) {
				lines = append(lines, u.gapLine(f, row, cell, below))
			}
		}
	}
	return lines
}

// underHead gives the cells of rows without a field that stand under a head which is called like
// it: a column that was left out as a whole.
func (u *unread) underHead(f *schema.Field, below value.Pointer, without []rowItem) (lines []Line) {
	for _, row := range without {
		for k, cell := range row.cells {
			if row.head != nil && u.w.isCalled(f, row.head[k]) && u.passed(f, row, cell) {
				lines = append(lines, u.gapLine(f, row, cell, below))
				break
			}
		}
	}
	return lines
}

// mostAbove is how many lines above a row its head is looked for, and above the row before it no more.
const mostAbove = 80

// findHeads sorts the rows of a list by their lines, and notes what stands over the cells of each:
// the cells of the last line above that has no figure and that nothing was read from.
func (u *unread) findHeads(rows []rowItem) {
	slices.SortFunc(rows, func(a, b rowItem) int { return a.line - b.line })
	head, above := "", -1
	for i, row := range rows {
		for at := row.line - 1; at > above && at >= row.line-mostAbove; at-- {
			line := u.wholeLine(at)
			if len(line) > longestLine || strings.TrimSpace(line) == "" && at < row.line-1 {
				break
			}
			if cells := cellsIn(line); len(cells) > 1 && letters(line) > 0 && len(u.claims[at]) == 0 && !hasFigure(line) {
				head = line
				break
			}
		}
		above = row.line
		rows[i].head = u.overCells(head, row)
		rows[i].in = u.columnsIn(head, row)
	}
}

// columnsIn gives each cell of a row the number of its column: by what parts them, so that an empty one counts, by
// what they stand under in a head, or by their place among as many.
func (u *unread) columnsIn(head string, row rowItem) (in []int) {
	line, start, _ := u.w.ix.rowAt(row.line)
	sign := cellSign(line)
	over := headCells(line, head, row.cells, start)
	for k, cell := range row.cells {
		switch {
		case sign != "":
			in = append(in, strings.Count(line, sign)*mostCells+strings.Count(line[:cell[0]-start], sign))
		case over != nil:
			in = append(in, -1-over[k])
		default:
			in = append(in, len(row.cells)*mostCells+k)
		}
	}
	return in
}

// cellSign gives the sign that parts the cells of a row, a bar, a tab or a semicolon; "" where blanks do.
func cellSign(line string) string {
	switch {
	case strings.Contains(line, "|"):
		return "|"
	case strings.Contains(line, "\t"):
		return "\t"
	case isDelimited(line):
		return ";"
	}
	return ""
}

// headCells gives for each cell of a row set by blanks which cell of a head it stands under; nil where one stands
// under none or several, or two under the same.
func headCells(line, head string, cells [][2]int, start int) (under []int) {
	if head == "" {
		return nil
	}
	heads := cellsIn(head)
	column := func(text string, at int) int { return utf8.RuneCountInString(text[:at]) }
	for _, cell := range cells {
		from, to, found := column(line, cell[0]-start), column(line, cell[1]-start), -1
		for k, h := range heads {
			if column(head, h[0]) < to && column(head, h[1]) > from {
				if found >= 0 {
					return nil
				}
				found = k
			}
		}
		if found < 0 || slices.Contains(under, found) {
			return nil
		}
		under = append(under, found)
	}
	return under
}

// overCells gives what a head has over each cell of a row: of the same number where bars, tabs or semicolons
// part them, what they stand under, or of the same place where both have as many.
func (u *unread) overCells(head string, row rowItem) []string {
	if head == "" {
		return nil
	}
	line, start, _ := u.w.ix.rowAt(row.line)
	own := make([]string, len(row.cells))
	if sign := cellSign(line); sign != "" {
		for k, all := 0, strings.Split(head, sign); k < len(own); k++ {
			if nth := strings.Count(line[:row.cells[k][0]-start], sign); nth < len(all) {
				own[k] = strings.TrimSpace(all[nth])
			}
		}
		return own
	}
	if under := headCells(line, head, row.cells, start); under != nil {
		for k, cells := 0, cellsOf(head); k < len(own); k++ {
			own[k] = cells[under[k]]
		}
		return own
	}
	if cells := cellsOf(head); len(cells) == len(row.cells) {
		return cells
	}
	return nil
}

// passed tells whether a cell says something that may be of a field, and no value came from it.
func (u *unread) passed(f *schema.Field, row rowItem, cell [2]int) bool {
	said := u.w.ix.Source[cell[0]:cell[1]]
	read := slices.ContainsFunc(u.claims[row.line], func(s span) bool { return s.Start < cell[1] && cell[0] < s.End })
	if f.Kin().Type == schema.Text && lang.Vacant.Has(strings.TrimSpace(said)) {
		return false
	}
	return !read && !blank(strings.ToLower(strings.Trim(said, ".()[] "))) && letters(said) > 0 && (!saysNone(said) || f.Kin().Type == schema.Boolean) && couldSay(f, said)
}

func (u *unread) gapLine(f *schema.Field, row rowItem, cell [2]int, below value.Pointer) Line {
	words := func(said string) string { return strings.Join(strings.Fields(said), " ") }
	whole, _, _ := u.w.ix.rowAt(row.line)
	return Line{Start: cell[0], End: cell[1], Line: row.line + 1, Field: f.Path, Text: words(u.w.ix.Source[cell[0]:cell[1]]), Row: words(whole), At: row.at + below}
}

// cellOf gives the cell that a place stands in; -1 for none.
func cellOf(cells [][2]int, at Place) int {
	return slices.IndexFunc(cells, func(c [2]int) bool { return c[0] <= at.Start && at.End <= c[1] })
}
