package evidence

import (
	"maps"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Several lists of one table: limits and results of the same rows. A row that one of them read is
// none that the other did.

// columns gives the rows of which other lists have an item and one has none, while its items
// come from the rows beside it, and what stands in their column no value came from.
func (u *unread) columns(taken map[int]bool) (lines []Line) {
	by := map[value.Pointer]map[int]value.Pointer{} // the items of each list, by their lines
	for _, item := range slices.Sorted(maps.Keys(u.homes)) {
		list := item.Parent()
		if f := u.s.At(list); f == nil || f.Type != schema.List {
			continue
		}
		if by[list] == nil {
			by[list] = map[int]value.Pointer{}
		}
		by[list][u.homes[item]] = item
	}
	if len(by) < 2 {
		return nil
	}
	for _, list := range slices.Sorted(maps.Keys(by)) {
		if len(by[list]) < 2 {
			continue
		}
		for _, n := range slices.Sorted(maps.Keys(by[list])) {
			for _, step := range []int{-1, 1} {
				for at := n + step; at >= 0 && at <= len(u.w.ix.Breaks) && !taken[at]; at += step {
					if !u.passedOver(by, list, n, at) {
						break
					}
					row, start, end := u.w.ix.rowAt(at)
					taken[at] = true
					lines = append(lines, Line{Start: start, End: end, Line: at + 1, Field: u.called(u.s.At(list)), Text: strings.Join(strings.Fields(row), " ")})
				}
			}
		}
	}
	return lines
}

// passedOver tells whether a row that another list read has something in the cell in which a
// list has a value of its own in line n, and no value came from it.
func (u *unread) passedOver(by map[value.Pointer]map[int]value.Pointer, list value.Pointer, n, at int) bool {
	if _, read := by[list][at]; read || u.isCrossHead(at) {
		return false
	}
	others := false
	for other, items := range by {
		_, reads := items[at]
		_, beside := items[n]
		others = others || other != list && reads && beside
	}
	here, hereStart, _ := u.w.ix.rowAt(at)
	there, thereStart, _ := u.w.ix.rowAt(n)
	own, theirs := cellsIn(here), cellsIn(there)
	if !others || len(own) != len(theirs) || len(own) < leastCells {
		return false
	}
	for i, p := range u.leaves[n] {
		if u.itemOf(p) != by[list][n] {
			continue
		}
		claimed := u.claims[n][i]
		k := slices.IndexFunc(theirs, func(c [2]int) bool { return thereStart+c[0] <= claimed.Start && claimed.End <= thereStart+c[1] })
		if k < 1 {
			continue
		}
		cell := between(hereStart+own[k][0], hereStart+own[k][1])
		said := u.w.ix.Source[cell.Start:cell.End]
		read := slices.ContainsFunc(u.claims[at], func(s span) bool { return s.Start < cell.End && cell.Start < s.End })
		if !read && letters(said) > 0 && !blank(strings.ToLower(said)) && !saysNone(said) && hasFigure(said) == hasFigure(u.w.ix.Source[claimed.Start:claimed.End]) {
			return true
		}
	}
	return false
}
