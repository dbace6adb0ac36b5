package evidence

import (
	"strconv"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Cells of tables with an item in each column that no value came from.

// aroundColumns is how many lines above and below the values of an item the rows of its table are looked for.
const aroundColumns = 6

// columnLeft gives the cell in an item's column for a field without a value: in the row where the others have
// theirs, or in that which is called like the field.
func (l *leaving) columnLeft(f *schema.Field, item, p value.Pointer) (found []leftover) {
	list := item.Parent()
	items := l.record.At(list)
	own, err := strconv.Atoi(item.Last())
	if item == "" || err != nil || items == nil || items.Kind != value.Array || len(items.Kids) < 2 || len(items.Kids) >= mostCells {
		return nil
	}
	n := len(items.Kids)
	for line := range l.rowsAround(item) {
		cells := l.w.columnsAt(line, n)
		if cells == nil {
			continue
		}
		in, called := 0, false
		row, _, _ := l.w.ix.rowAt(line)
		if all := cellsOf(row); len(all) == n+1 {
			called = l.w.isLabel(f, strings.TrimRight(all[0], ": "))
		}
		for i := range n {
			at := l.places[list.Index(i)+p[len(item):]]
			switch {
			case i == own || !at.Found() || at.Line-1 != line:
			case cells[i].Start <= at.Start && at.End <= cells[i].End:
				in++
			default:
				in = -n
			}
		}
		if said := l.w.ix.Source[cells[own].Start:cells[own].End]; (in > 1 || in >= 0 && called) && l.isFree(cells[own]) && !blank(strings.ToLower(said)) && couldSay(f, said) {
			found = append(found, leftover{span: cells[own]})
		}
	}
	if len(found) > 1 {
		return nil
	}
	return found
}

// rowsAround gives the lines in which and around which values of an item stand, if those are several.
func (l *leaving) rowsAround(item value.Pointer) map[int]bool {
	around := map[int]bool{}
	if of := l.lines[item]; len(of) < 2 || len(of) > mostCells {
		return nil
	}
	for _, n := range l.lines[item] {
		for line := max(0, n-aroundColumns); line <= min(len(l.w.ix.Breaks), n+aroundColumns); line++ {
			around[line] = true
		}
	}
	return around
}
