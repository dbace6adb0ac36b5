package evidence

import (
	"maps"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// Tables whose columns are the items of a list, and whose rows are their fields:
//
//	              A     B     C
//	Seeds         25    25    25
//	Germinated    21    19    23
//
// A figure that stands in the row of its field, but not in the column of its item, is another item's.

// fewestColumns is how many items such a table has at least.
const fewestColumns = 3

// farthestRow is how many lines two rows of one table are apart at most.
const farthestRow = 24

// rowOfField is the row that has the values of a field, one of each item, in their order.
type rowOfField struct {
	line  int
	cells []span // of each item
	right int    // of how many the value stands in its cell
}

// inColumns gives the figures of such a table the places in their columns, and takes it from one that
// stands in another than those of all other items.
func (w *weigher) inColumns(h *homes) {
	if len(h.list) < fewestColumns || len(h.list) >= mostCells {
		return
	}
	lines := w.linesOf(h.list)
	rows := map[*schema.Field]rowOfField{}
	whole := map[*schema.Field]int{} // the lines of those of which all are right
	for _, f := range w.fieldsOf(h.list) {
		if row, ok := w.rowOfField(h.list, f, lines); ok {
			if rows[f] = row; row.right == len(h.list) {
				whole[f] = row.line
			}
		}
	}
	for f, row := range rows {
		for other, line := range whole {
			if other != f && max(line-row.line, row.line-line) <= farthestRow {
				w.intoColumns(h.list, f, row)
				break
			}
		}
	}
	if len(whole) > 1 {
		w.acrossColumns(h.list, lines, rows, whole)
	}
}

// acrossColumns takes their places from values of a field that all stand in one row of such a table, two of them in
// each other's columns.
func (w *weigher) acrossColumns(list []*item, lines []int, rows map[*schema.Field]rowOfField, whole map[*schema.Field]int) {
	near := func(n int) bool {
		for _, line := range whole {
			if line == n && !w.hasPairs(n, len(list)) {
				return false
			}
		}
		for _, line := range whole {
			if max(line-n, n-line) <= farthestRow {
				return true
			}
		}
		return false
	}
	for _, f := range w.fieldsOf(list) {
		if _, known := rows[f]; known {
			continue
		}
		for _, n := range lines {
			cells := w.columnsAt(n, len(list))
			if cells == nil || !near(n) || !w.mayBeOf(f, n) {
				continue
			}
			if out := w.outOfColumns(list, f, cells); len(out) == 2 {
				for _, i := range out {
					if l := leafOf(list[i], f); l.fixed == nil {
						w.places[l.path] = Place{Kind: l.lacking, Column: n + 1, Says: cells[i]}
					}
				}
				break
			}
		}
	}
}

// hasPairs tells whether all cells of a row have several figures: 8 / 3, of a highest and a lowest.
func (w *weigher) hasPairs(n, items int) bool {
	return !slices.ContainsFunc(w.columnsAt(n, items), func(c span) bool { return len(figuresOf(w.ix.Source[c.Start:c.End])) < 2 })
}

// outOfColumns gives the items whose values stand in another's cell of a row, if all others have theirs in their own.
func (w *weigher) outOfColumns(list []*item, f *schema.Field, cells []span) (out []int) {
	for i, it := range list {
		l := leafOf(it, f)
		if w.isIn(l, cells[i]) {
			continue
		}
		if !slices.ContainsFunc(cells, func(c span) bool { return w.isIn(l, c) }) {
			return nil
		}
		out = append(out, i)
	}
	return out
}

// fieldsOf gives the fields of which each item has a value.
func (w *weigher) fieldsOf(list []*item) (all []*schema.Field) {
	count := map[*schema.Field]int{}
	for _, it := range list {
		for _, l := range it.leaves {
			if count[l.f]++; count[l.f] == len(list) {
				all = append(all, l.f)
			}
		}
	}
	return all
}

func leafOf(it *item, f *schema.Field) *leaf {
	for _, l := range it.leaves {
		if l.f == f {
			return l
		}
	}
	return nil
}

// linesOf gives the lines, from 0 and in order, in which values of some items stand: a row of another list
// is none of theirs.
func (w *weigher) linesOf(list []*item) []int {
	lines := map[int]bool{}
	for _, it := range list {
		for _, l := range it.leaves {
			if at := w.places[l.path]; at.Found() {
				lines[at.Line-1] = true
			}
		}
	}
	return slices.Sorted(maps.Keys(lines))
}

// rowOfField gives the row in which the values of a field stand, but for one at most.
func (w *weigher) rowOfField(list []*item, f *schema.Field, lines []int) (best rowOfField, found bool) {
	for _, n := range lines {
		cells := w.columnsAt(n, len(list))
		if cells == nil || !w.mayBeOf(f, n) {
			continue
		}
		row := rowOfField{n, cells, 0}
		for i, it := range list {
			if w.isIn(leafOf(it, f), cells[i]) {
				row.right++
			}
		}
		if row.right >= len(list)-1 && row.right > best.right {
			best, found = row, true
		}
	}
	return best, found
}

// mayBeOf tells whether a row may have the values of a field: those of a boolean, which others are like, behind its own
// label alone.
func (w *weigher) mayBeOf(f *schema.Field, line int) bool {
	row, _, _ := w.ix.rowAt(line)
	cells := cellsOf(row)
	return f.Kin().Type != schema.Boolean || len(cells) > 0 && (w.isCalled(f, strings.TrimRight(cells[0], ": ")) || w.isNamedInAbout(f, wordsOf(cells[0])))
}

// isNamedInAbout tells whether some words have a field's name and all stand in its description: Bid bond, for bond.
func (w *weigher) isNamedInAbout(f *schema.Field, words []string) bool {
	return len(words) > 1 && len(words) <= mostAbout && placeOf(words, wordsOf(f.About), sameNoun) >= 0 && slices.ContainsFunc(w.labels(f), func(name []string) bool { return placeOf(name, words, sameNoun) >= 0 })
}

// columnsAt gives the cells of a row that has as many as a list has items, and perhaps a label before them.
func (w *weigher) columnsAt(n, items int) (at []span) {
	text, start, _ := w.ix.rowAt(n)
	if len(text) > longestLine {
		return nil
	}
	cells := cellsIn(text)
	if len(cells) == items+1 {
		cells = cells[1:]
	}
	if len(cells) != items {
		return nil
	}
	for _, c := range cells {
		at = append(at, between(start+c[0], start+c[1]))
	}
	return at
}

// isIn tells whether a cell has a value: its figure, or nothing but its words.
func (w *weigher) isIn(l *leaf, cell span) bool {
	if t := l.f.Kin().Type; t == schema.Boolean {
		yes, known := normalize.YesNo(strings.TrimSpace(w.ix.Source[cell.Start:cell.End]))
		return known && yes == (l.value == "true")
	} else if t != schema.Integer && t != schema.Number && t != schema.Money && t != schema.Quantity {
		said := w.ix.Source[cell.Start:cell.End]
		if folded(said) == folded(strings.Trim(l.value, `"`)) {
			return true
		}
		c := candidateAt(l.cands, cell) // 03/2028
		return c != nil && t != schema.Text && cell.Start <= c.Start && c.End <= cell.End && letters(said) == letters(w.ix.Source[c.Start:c.End])
	}
	v, err := value.Parse(l.value)
	if err != nil {
		return false
	}
	number := v.Text
	if amount := v.Get("amount"); amount != nil {
		number = amount.Text
	}
	keys, _ := w.ix.NumbersIn(cell)
	for _, key := range keys {
		if value.EqualNumbers(key, number) {
			return true
		}
	}
	return false
}

// intoColumns gives the values of a field the places in their columns.
func (w *weigher) intoColumns(list []*item, f *schema.Field, row rowOfField) {
	for i, it := range list {
		l, cell := leafOf(it, f), row.cells[i]
		if l.fixed != nil {
			continue
		}
		if c := candidateAt(l.cands, cell); c != nil {
			at := w.places[l.path]
			at.Start, at.End, at.Kind, at.Line = c.Start, c.End, c.kind, row.line+1
			w.places[l.path] = at
		} else if !w.isIn(l, cell) && (hasFigure(w.ix.Source[cell.Start:cell.End]) || l.f.Kin().Type == schema.Boolean) {
			w.places[l.path] = Place{Kind: l.lacking, Column: row.line + 1, Says: cell}
		}
	}
}
