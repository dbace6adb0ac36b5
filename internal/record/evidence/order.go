package evidence

import (
	"filler/internal/schema"
)

// Two values of an item in each other's fields: its row has them the other way round than the rows of all others.

// fewestInOrder is how many other items have two values in one order at least.
const fewestInOrder = 2

// mostInOrder is how many fields of a list are held against each other at most.
const mostInOrder = 24

// outOfOrder takes their places from two values of one kind that stand in an item's line in the other order than
// those of all other items do.
func (w *weigher) outOfOrder(h *homes) {
	if len(h.list) <= fewestInOrder {
		return
	}
	fields, at := w.inOwnLine(h)
	for x, f := range fields {
		for _, g := range fields[x+1:] {
			if f.Kin().Type != g.Kin().Type {
				continue
			}
			before, behind := []int{}, []int{}
			for i := range h.list {
				a, b := at[i][f], at[i][g]
				switch {
				case a == nil || b == nil || a.value == b.value || !w.places[a.path].Found() || !w.places[b.path].Found():
				case w.places[a.path].End <= w.places[b.path].Start:
					before = append(before, i)
				case w.places[b.path].End <= w.places[a.path].Start:
					behind = append(behind, i)
				}
			}
			switch {
			case len(before) >= fewestInOrder && len(behind) == 1:
				w.turnRound(at[behind[0]][f], at[behind[0]][g])
			case len(behind) >= fewestInOrder && len(before) == 1:
				w.turnRound(at[before[0]][f], at[before[0]][g])
			}
		}
	}
}

// inOwnLine gives the fields of a list's items whose values stand in their items' own lines, and those values by
// item; texts only in rows of cells, since sentences have theirs in any order.
func (w *weigher) inOwnLine(h *homes) (fields []*schema.Field, at []map[*schema.Field]*leaf) {
	at = make([]map[*schema.Field]*leaf, len(h.list))
	seen := map[*schema.Field]bool{}
	for i, it := range h.list {
		at[i] = map[*schema.Field]*leaf{}
		if !h.own(i) {
			continue
		}
		row, _, _ := w.ix.rowAt(h.at[i])
		isRow := len(row) <= longestLine && len(cellsIn(row)) >= leastCells
		for _, l := range it.leaves {
			place, t := w.places[l.path], l.f.Kin().Type
			if !place.Found() || place.Basis || place.Line-1 != h.at[i] || t == schema.Boolean || t == schema.Choice || l.f.List != nil || t == schema.Text && !isRow || !w.isOnlyIn(l, h.at[i]) {
				continue
			}
			if at[i][l.f] = l; !seen[l.f] && len(fields) < mostInOrder {
				fields, seen[l.f] = append(fields, l.f), true
			}
		}
	}
	return fields, at
}

// isOnlyIn tells whether a value may stand in one place of a line alone.
func (w *weigher) isOnlyIn(l *leaf, line int) bool {
	n := 0
	for _, c := range l.cands {
		if w.ix.LineOf(c.Start) == line {
			n++
		}
	}
	return n == 1
}

// turnRound tells of two values that each stands in the other's place, unless one of them may stand in its own.
func (w *weigher) turnRound(a, b *leaf) {
	x, y := w.places[a.path], w.places[b.path]
	if a.fixed != nil || b.fixed != nil || candidateAt(a.cands, between(y.Start, y.End)) != nil || candidateAt(b.cands, between(x.Start, x.End)) != nil {
		return
	}
	w.places[a.path] = Place{Kind: a.lacking, Column: x.Line, Says: between(y.Start, y.End)}
	w.places[b.path] = Place{Kind: b.lacking, Column: y.Line, Says: between(x.Start, x.End)}
}
