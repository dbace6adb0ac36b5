package evidence

import (
	"maps"
	"slices"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// Figures of one field in the rows of a table stand in one column. One that stands in another, while
// the cell of its own row has a figure that nobody took, is likely that one's neighbour: the weight of
// one cheese for that of all.

// leastAlike is how many other items have their figure in one column at least.
const leastAlike = 2

// oddColumns takes the place from a figure that alone stands in another column than those of all other
// items of its list.
func (w *weigher) oddColumns(h *homes) {
	if len(h.list) <= leastAlike {
		return
	}
	columns := map[*schema.Field]map[int][]*leaf{}
	for i, it := range h.list {
		if !h.own(i) {
			continue
		}
		for _, l := range it.leaves {
			at := w.places[l.path]
			if !at.Found() || at.Line-1 != h.at[i] || at.Basis || !isFigure(l.f.Kin()) {
				continue
			}
			if k := w.columnOf(at.Line-1, at.Start); k >= 0 {
				if columns[l.f] == nil {
					columns[l.f] = map[int][]*leaf{}
				}
				columns[l.f][k] = append(columns[l.f][k], l)
			}
		}
	}
	for _, by := range columns {
		if len(by) != 2 {
			continue
		}
		for k, alone := range by {
			for own, others := range by {
				if own != k && len(alone) == 1 && len(others) >= leastAlike {
					w.leaveColumn(alone[0], own)
				}
			}
		}
	}
}

// leaveColumn moves a value to the cell of a column in its row, where that has it as well; else it takes its
// place, if the cell has a figure that no value was read from.
func (w *weigher) leaveColumn(l *leaf, own int) {
	at := w.places[l.path]
	cell := w.cellAt(at.Line-1, own)
	if l.fixed != nil || cell.End == 0 || !hasFigure(w.ix.Source[cell.Start:cell.End]) {
		return
	}
	for s := range w.taken {
		if s.Start < cell.End && cell.Start < s.End {
			return
		}
	}
	if c := candidateAt(l.cands, cell); c != nil {
		at.Start, at.End, at.Kind = c.Start, c.End, c.kind
		w.places[l.path] = at
		return
	}
	w.places[l.path] = Place{Kind: l.lacking, Column: at.Line, Says: cell}
}

// columnOf gives the column, from 0, in which something stands in a row of cells; -1 in a line that is none.
func (w *weigher) columnOf(line, at int) int {
	row, start, _ := w.ix.rowAt(line)
	if sign := cellSign(row); sign != "" {
		return strings.Count(row[:at-start], sign)
	}
	cells := cellsIn(row)
	if len(cells) < leastCells {
		return -1
	}
	for k, c := range cells {
		if start+c[0] <= at && at < start+c[1] {
			return len(cells)*mostCells + k // rows with other numbers of cells have other columns
		}
	}
	return -1
}

// cellAt gives the cell of a row in a column of columnOf.
func (w *weigher) cellAt(line, column int) span {
	row, start, _ := w.ix.rowAt(line)
	if sign := cellSign(row); sign != "" {
		all := strings.Split(row, sign)
		if column >= len(all) {
			return span{}
		}
		from := start + len(strings.Join(all[:column], sign)) + min(column, 1)
		return between(from, from+len(all[column]))
	}
	cells := cellsIn(row)
	if k := column % mostCells; column/mostCells == len(cells) && k < len(cells) {
		return between(start+cells[k][0], start+cells[k][1])
	}
	return span{}
}

// listMark is the number of an entry at the begin of its line: 2) or 2.
var listMark = lazy.New(`^[ \t]*\(?\d{1,3}[.)][ \t]`)

// rowNumber is the number of a row in a cell by itself.
var rowNumber = lazy.New(`^[ \t]*\d{1,3}(?: {2,}|\t+| *\| *)$`)

// onMarks takes their places from the whole numbers that stand as the number of their entry, where those of
// most other items do not, and the line has another figure that nobody took: the 2 of "2) Carlina (7 plants)".
func (w *weigher) onMarks(h *homes) {
	on, off := map[*schema.Field][]*leaf{}, map[*schema.Field]int{}
	alone := map[*schema.Field]*leaf{} // that is not on a mark
	for _, it := range h.list {
		for _, l := range it.leaves {
			at := w.places[l.path]
			if l.f.Kin().Type != schema.Integer || !at.Found() || at.Basis || l.fixed != nil {
				continue
			}
			row, start, _ := w.ix.rowAt(at.Line - 1)
			if mark := listMark.FindStringIndex(row); mark != nil && at.End < start+mark[1] {
				on[l.f] = append(on[l.f], l)
			} else {
				off[l.f]++
				alone[l.f] = l
			}
		}
	}
	for _, f := range slices.SortedFunc(maps.Keys(on), func(a, b *schema.Field) int { return strings.Compare(a.Path, b.Path) }) {
		all := on[f]
		if off[f] == 1 && len(all) >= leastAlike {
			w.toMark(alone[f])
		}
		if off[f] < len(all) {
			continue
		}
		for _, l := range all {
			at := w.places[l.path]
			line := w.ix.LineSpan(at.Line - 1)
			if c := candidateAt(l.cands, between(at.End, line.End)); c != nil { // 1. For 2, against 1
				at.Start, at.End, at.Kind = c.Start, c.End, c.kind
				w.places[l.path] = at
				continue
			}
			_, figures := w.ix.NumbersIn(line)
			for _, s := range figures {
				if s.Start > at.End && !w.taken[s] && strings.Trim(w.ix.Source[s.Start:s.End], "0123456789") == "" {
					w.places[l.path] = Place{Kind: l.lacking}
				}
			}
		}
	}
}

// toMark takes its place from a whole number that alone does not stand as the number of its entry, if that has
// another one that nobody took.
func (w *weigher) toMark(l *leaf) {
	line := w.homeOf(l.item)
	for _, other := range l.item.leaves {
		if at := w.places[other.path]; line < 0 && at.Found() && other.f.Kin().Type == schema.Text {
			line = at.Line - 1
		}
	}
	if line < 0 {
		return
	}
	row, start, _ := w.ix.rowAt(line)
	number := strings.Trim(listMark.FindString(row), " \t().")
	at := start + strings.Index(row, number)
	if own := between(at, at+len(number)); number != "" && number != l.value && !w.taken[own] {
		w.places[l.path] = Place{Kind: l.lacking, Opposed: line + 1, Says: own}
	}
}
