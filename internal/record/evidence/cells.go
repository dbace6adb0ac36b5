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
	starts := cellStarts(row)
	for k, s := range starts {
		end := len(row)
		if k+1 < len(starts) {
			end = starts[k+1][0]
		}
		all = append(all, [2]int{s[0], s[0] + len(strings.TrimRight(row[s[0]:end], cellGaps+";"))})
	}
	return all
}

// cellGaps are the signs that part cells; a blank by itself does not.
const cellGaps = " \t" + string(reading.NarrowGap) + "|"

// cellStarts gives the first word of each cell of a row.
func cellStarts(row string) (all [][2]int) {
	signs := cellGaps
	if isDelimited(row) {
		signs += ";"
	}
	open := true
	for i := 0; i < len(row) && len(all) < mostCells; {
		gap := len(row[i:]) - len(strings.TrimLeft(row[i:], signs))
		if gap > 1 || strings.ContainsAny(row[i:i+gap], signs[1:]) {
			open = true
		}
		i += gap
		end := i
		for end < len(row) && !strings.ContainsRune(signs, rune(row[end])) {
			end++
		}
		if open && end > i {
			all = append(all, [2]int{i, end})
		}
		open, i = false, end
	}
	return all
}

// isDelimited tells a row whose cells semicolons part, without a blank behind any: X1;30;12;0.
func isDelimited(row string) bool {
	return strings.Count(row, ";") > 1 && !strings.Contains(row, "; ") && !strings.Contains(row, "|")
}
