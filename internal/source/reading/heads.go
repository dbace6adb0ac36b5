package reading

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Bounds of the search for the head of a column.
const (
	headReach  = 80   // lines above a figure
	cellGap    = 2    // blanks between the cells of a row
	longestRow = 2000 // bytes
)

// head gives the head of the column that a figure stands in: the first cell
// without a figure above it, where all between are cells too.
func (tx *Text) head(s Span) string {
	line := tx.LineOf(s.Start)
	from := tx.LineSpan(line).Start
	row := tx.lineAt(line)
	if len(row) > longestRow {
		return ""
	}
	barred := strings.ContainsAny(row, "|\t")
	if !barred && !strings.Contains(row, "  ") {
		return ""
	}
	nth, column := strings.Count(row[:s.Start-from], "|")+strings.Count(row[:s.Start-from], "\t"), utf8.RuneCountInString(row[:s.Start-from])
	width := utf8.RuneCountInString(tx.Source[s.Start:s.End])
	for up := line - 1; up >= 0 && up >= line-headReach; up-- {
		above := tx.lineAt(up)
		if len(above) > longestRow || strings.TrimSpace(above) == "" {
			return ""
		}
		if bars := strings.Count(above, "|"); bars > 0 && bars != strings.Count(row, "|") && barred { // boxes of a form
			return ""
		}
		cell := ""
		if barred {
			cell = nthCell(above, nth)
		} else {
			cell = cellAt(above, column, width)
		}
		if cell = strings.TrimSpace(cell); !strings.ContainsFunc(cell, unicode.IsDigit) && (strings.ContainsFunc(cell, unicode.IsLetter) || len(cell) > 0 && len(cell) < 4 && strings.ContainsAny(cell, "%€$£¥")) {
			return cell
		}
	}
	return ""
}

// HeadOf gives the head of the column that a figure stands in; "" where none is told.
func (tx *Text) HeadOf(s Span) string { return tx.head(s) }

func nthCell(line string, nth int) string {
	for ; nth > 0; nth-- {
		at := strings.IndexAny(line, "|\t")
		if at < 0 {
			return ""
		}
		line = line[at+1:]
	}
	if at := strings.IndexAny(line, "|\t"); at >= 0 {
		line = line[:at]
	}
	return line
}

// cellAt gives the cell of a line that stands over some columns, in letters.
func cellAt(line string, column, width int) string {
	runes := []rune(line)
	if column >= len(runes)+cellGap {
		return ""
	}
	blank := func(i int) bool {
		return i < 0 || i >= len(runes) || runes[i] == ' ' && (i+1 >= len(runes) || runes[i+1] == ' ' || i > 0 && runes[i-1] == ' ')
	}
	at := column
	for at < column+width && blank(at) {
		at++
	}
	if blank(at) {
		return ""
	}
	start, end := at, at
	for !blank(start - 1) {
		start--
	}
	for !blank(end) {
		end++
	}
	return string(runes[start:end])
}
