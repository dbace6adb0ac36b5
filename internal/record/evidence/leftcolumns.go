package evidence

import (
	"maps"
	"slices"
	"strings"
	"unicode"

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
