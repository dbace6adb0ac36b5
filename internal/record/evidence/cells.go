package evidence

import (
	"strings"

	"filler/internal/source/reading"
)

// Rows and their cells: what wide gaps, tabs or bars part, and single blanks where the rows around part there.

// rowAt gives a line, from 0, with a sign for each blank that parts two cells, and where it stands.
func (ix *Index) rowAt(n int) (text string, start, end int) {
	s := ix.LineSpan(n)
	return ix.Rows()[s.Start:s.End], s.Start, s.End
}

// cellsOf gives the cells of a row: what wide gaps, tabs or bars part.
func cellsOf(line string) []string {
	var cells []string
	for _, c := range cellsIn(line) {
		cells = append(cells, line[c[0]:c[1]])
	}
	return cells
}

// cellsIn gives where the cells of a row stand.
func cellsIn(row string) (all [][2]int) {
	all = cellStarts(row)
	for k, s := range all {
		end := len(row)
		if k+1 < len(all) {
			end = all[k+1][0]
		}
		for end > s[0] && (isCellGap(row[end-1]) || row[end-1] == ';') {
			end--
		}
		all[k][1] = end
	}
	return all
}

// usualCells is how many cells few rows have more of.
const usualCells = 8

// cellStarts gives the first word of each cell of a row.
func cellStarts(row string) (all [][2]int) {
	semicolons := isDelimited(row)
	parts := func(i int) bool { return isCellGap(row[i]) || semicolons && row[i] == ';' }
	all = make([][2]int, 0, usualCells)
	open := true
	for i := 0; i < len(row) && len(all) < mostCells; {
		gap := i
		for i < len(row) && parts(i) {
			open = open || row[i] != ' '
			i++
		}
		open = open || i-gap > 1
		end := i
		for end < len(row) && !parts(end) {
			end++
		}
		if open && end > i {
			all = append(all, [2]int{i, end})
		}
		open, i = false, end
	}
	return all
}

// isCellGap tells a sign that parts cells; a blank by itself does not.
func isCellGap(c byte) bool { return c == ' ' || c == '\t' || c == '|' || c == reading.NarrowGap }

// isDelimited tells a row whose cells semicolons part, without a blank behind any: X1;30;12;0.
func isDelimited(row string) bool {
	return strings.Count(row, ";") > 1 && !strings.Contains(row, "; ") && !strings.Contains(row, "|")
}
