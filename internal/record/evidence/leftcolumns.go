package evidence

import (
	"maps"
	"slices"
	"strings"
	"unicode"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// Columns of a table that no value came from, and fields that no item has: where one such column
// has the form of one such field, and no other does either way, its first cells are asked about. It
// may be a column that nobody asked for, so no more than that is told of it.

// column is one that nothing was read from.
type column struct {
	head  string
	rows  []rowItem
	cells [][2]int
}

// columnsLeft gives the first cells of such columns, but for fields that are asked about already.
func (l *leaving) columnsLeft(asked []Line) (lines []Line) {
	of := map[*schema.Field]int{} // of all lists of one field the first cells alone
	for _, list := range slices.Sorted(maps.Keys(l.rowItems())) {
		f := l.s.At(list)
		if f == nil || f.Type != schema.List || f.Item == nil || f.Item.Type != schema.Group {
			continue
		}
		rows := slices.DeleteFunc(slices.Clone(l.rowsBy[list]), func(row rowItem) bool { return l.asked[row.line] })
		fields, columns := l.lacking(f.Item, "", rows), l.columnsOf(rows)
		if len(fields) == 0 || len(columns) == 0 {
			continue
		}
		matched := l.matched(fields, columns)
		for _, f := range fields {
			c := matched[f]
			for i, cell := range c.cells {
				if of[f.field] < mostLeft && !slices.ContainsFunc(asked, func(a Line) bool { return a.Field == f.field.Path }) && l.passed(f.field, c.rows[i], cell) {
					line := l.gapLine(f.field, c.rows[i], cell, f.below)
					line.Left = true
					lines = append(lines, line)
					of[f.field]++
				}
			}
		}
	}
	return lines
}

// columnsOf gives the columns that most rows have and that nothing was read from.
func (u *unread) columnsOf(rows []rowItem) (all []column) {
	by, read := map[int]*column{}, map[int]bool{}
	widest := 0
	for _, row := range rows {
		widest = max(widest, len(row.cells))
		for k, cell := range row.cells {
			if slices.ContainsFunc(u.claims[row.line], func(s span) bool { return s.Start < cell[1] && cell[0] < s.End }) {
				read[row.in[k]] = true
				continue
			}
			c := by[row.in[k]]
			if c == nil {
				c = &column{}
				by[row.in[k]] = c
			}
			if row.head != nil && c.head == "" {
				c.head = row.head[k]
			}
			c.rows, c.cells = append(c.rows, row), append(c.cells, cell)
		}
	}
	if widest < leastCells {
		return nil
	}
	for _, in := range slices.Sorted(maps.Keys(by)) {
		if c := by[in]; !read[in] && len(c.cells) > 1 && 2*len(c.cells) >= len(rows) {
			all = append(all, *c)
		}
	}
	return all
}

// lacked is a field that no item of a list has a value of.
type lacked struct {
	field *schema.Field
	below value.Pointer // within an item
}

func (u *unread) lacking(group *schema.Field, below value.Pointer, rows []rowItem) (all []lacked) {
	for _, kid := range group.Fields {
		switch at := below.Key(kid.Name); {
		case kid.Type == schema.Group:
			all = append(all, u.lacking(kid, at, rows)...)
		case kid.IsLeaf():
			if !slices.ContainsFunc(rows, func(row rowItem) bool { return !u.record.At(row.at + at).Empty() }) {
				all = append(all, lacked{kid, at})
			}
		}
	}
	return all
}

// matched pairs fields and columns, each of which has no other; those that are paired leave the rest.
func (u *unread) matched(fields []lacked, columns []column) map[lacked]column {
	out := map[lacked]column{}
	for again := true; again; {
		again = false
		for i, f := range fields {
			fits := func(c column) bool { return u.holds(f.field, c) }
			k := slices.IndexFunc(columns, fits)
			if k < 0 || slices.ContainsFunc(columns[k+1:], fits) {
				continue
			}
			others := slices.Concat(fields[:i], fields[i+1:])
			if slices.ContainsFunc(others, func(o lacked) bool { return u.holds(o.field, columns[k]) && closer(o.field, f.field) }) {
				continue
			}
			out[f] = columns[k]
			fields, columns, again = others, slices.Concat(columns[:k], columns[k+1:]), true
			break
		}
	}
	return out
}

// closer tells whether one field has as good a claim to what fits two as the other: a text takes
// anything, and so gives way.
func closer(o, f *schema.Field) bool {
	return f.Kin().Type == schema.Text || o.Kin().Type != schema.Text
}

// holds tells whether all that a column says has the form of a field, and its head is not called like
// another one.
func (u *unread) holds(f *schema.Field, c column) bool {
	if u.isField[folded(c.head)] && !u.w.isCalled(f, c.head) {
		return false
	}
	some := 0
	for _, cell := range c.cells {
		said := u.w.ix.Source[cell[0]:cell[1]]
		if blank(strings.ToLower(strings.Trim(said, ".()[] "))) || letters(said) == 0 {
			continue
		}
		if !hasForm(f, said) {
			return false
		}
		some++
	}
	return some > 1 && 2*some >= len(c.cells)
}

// hasForm tells whether the words of a cell are a value of a field by their form.
func hasForm(f *schema.Field, said string) bool {
	v := value.Str(strings.TrimSpace(said))
	normalize.Field(f, "", &v)
	switch f.Kin().Type {
	case schema.Text:
		return len(strings.Fields(said)) > 0 && (strings.ContainsFunc(said, unicode.IsLetter) || len(said) > 3)
	case schema.Integer, schema.Number:
		return v.Kind == value.Number
	case schema.Boolean:
		return v.Kind == value.Bool
	case schema.Choice:
		return slices.ContainsFunc(f.Kin().Of, func(o schema.Option) bool { return o.Value == v.Text })
	case schema.Money, schema.Quantity:
		return v.Kind == value.Object
	}
	return v.Kind == value.String && v.Text != strings.TrimSpace(said) && couldSay(f, said)
}

// inOtherColumn tells whether a cell of an item's row stands in another column than those of all other items in which
// a field's values stand: the balance behind a payment is no charge.
func (l *leaving) inOtherColumn(f *schema.Field, item, p value.Pointer, left leftover) bool {
	if item == "" {
		return false
	}
	if l.rowOf == nil {
		l.rowOf, l.columns = map[value.Pointer]rowItem{}, map[listField]map[int]int{}
		for _, rows := range l.rowItems() {
			for _, row := range rows {
				l.rowOf[row.at] = row
			}
		}
	}
	own := l.rowOf[item].columnAt(left.span)
	columns, known := l.columns[listField{f, item.Parent()}]
	if !known {
		columns = map[int]int{}
		for _, row := range l.rowItems()[item.Parent()] {
			if at := l.places[row.at+p[len(item):]]; at.Found() {
				columns[row.columnAt(between(at.Start, at.End))]++
			}
		}
		delete(columns, 0)
		l.columns[listField{f, item.Parent()}] = columns
	}
	all := 0
	for _, n := range columns {
		all += n
	}
	return own != 0 && len(columns) == 1 && columns[own] == 0 && all >= fewestInColumn // debits and credits stand in two
}

// fewestInColumn is how many values of other items tell the column of a field.
const fewestInColumn = 3

// columnAt gives the column, not 0, of the cell with a place under a head; 0 for none.
func (row rowItem) columnAt(s span) int {
	k := slices.IndexFunc(row.cells, func(c [2]int) bool { return c[0] <= s.Start && s.End <= c[1] })
	if k < 0 || row.head == nil {
		return 0
	}
	if row.in[k] == len(row.cells)*mostCells+k { // by its place among as many as the head has
		return -1 - k
	}
	return row.in[k]
}

// isSide tells whether a figure is one side of something of which another was read, for a field that has none in other
// items: of 6 x 4 x 2 mm the 4 is no margin.
func (l *leaving) isSide(item, p value.Pointer, left leftover) bool {
	items := l.record.At(item.Parent())
	if item == "" || items == nil || items.Kind != value.Array || !l.isInCross(left.span) {
		return false
	}
	apart := false
	for i := range min(len(items.Kids), mostCells) {
		if at := l.places[item.Parent().Index(i)+p[len(item):]]; at.Found() {
			if apart = true; l.isInCross(between(at.Start, at.End)) {
				return false
			}
		}
	}
	return apart
}

// isInCross tells whether a figure is one of several that the sign of times joins, of which one was read.
func (l *leaving) isInCross(left span) bool {
	line := l.w.ix.LineSpan(l.w.ix.LineOf(left.Start))
	source := l.w.ix.Source
	from, to := left.Start, left.End
	if to > line.End {
		return false
	}
	for m := sideBefore.FindStringIndex(source[line.Start:from]); m != nil; m = sideBefore.FindStringIndex(source[line.Start:from]) {
		from = line.Start + m[0]
	}
	for m := sideBehind.FindStringIndex(source[to:line.End]); m != nil; m = sideBehind.FindStringIndex(source[to:line.End]) {
		to += m[1]
	}
	return (from < left.Start || to > left.End) && l.isClaimed(between(from, to))
}

var (
	sideBefore = lazy.New(`\d+(?:[.,]\d+)?\s?(?:mm|cm|m)?\s?[x×]\s?$`)
	sideBehind = lazy.New(`^\s?(?:mm|cm|m)?\s?[x×]\s?\d+(?:[.,]\d+)?`)
)
