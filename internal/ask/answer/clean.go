package answer

import (
	"encoding/csv"
	"strings"

	"filler/internal/base/value"
)

// Dressed is what stands around or before the lines of an answer and is none of it.
const Dressed = "dressed"

// undressed puts ordinary colons and commas where a reply has wide ones, and takes
// the marks of a formula off it.
func undressed(text string) (string, []Deviation) {
	var deviations []Deviation
	took := func(what string) { deviations = append(deviations, Deviation{Kind: Dressed, Note: what}) }
	if trimmed := strings.TrimSpace(text); strings.HasPrefix(trimmed, `\[`) && strings.HasSuffix(trimmed, `\]`) {
		text = trimmed[2 : len(trimmed)-2]
		took("the marks of a formula")
	}
	if strings.Contains(text, `"：`) && !strings.Contains(text, `":`) {
		text = strings.NewReplacer(`"：`, `":`, `"，`, `",`, `}，`, `},`, `]，`, `],`, `，"`, `,"`, `， "`, `, "`).Replace(text)
		took("wide colons and commas")
	}
	return text, deviations
}

// fromCSV reads lines with commas, semicolons or tabs between the values, below a
// line of names most of which are known.
// A row with more or fewer cells is unused.
func fromCSV(text string, known func(string) bool) (value.Value, []Unused, bool) {
	lines := strings.Split(text, "\n")
	for i, line := range lines {
		for _, comma := range "\t;," {
			names, n := strings.Split(strings.TrimSpace(line), string(comma)), 0
			for j := range names {
				names[j] = plainKey(names[j])
				if known(names[j]) {
					n++
				}
			}
			if n < 2 || 2*n < len(names) || len(names) > 500 {
				continue
			}
			if list, unused := csvRows(lines[i+1:], i+2, comma, names); len(list.Kids) > 0 {
				return list, unused, true
			}
		}
	}
	return value.Value{}, nil, false
}

// csvRows reads rows up to an empty line or the end of a fence. A text in quotes
// may run over several lines.
func csvRows(lines []string, first int, comma rune, names []string) (value.Value, []Unused) {
	list := value.List()
	var unused []Unused
	for i := 0; i < len(lines); {
		line := strings.TrimSpace(lines[i])
		if line == "" && len(list.Kids) > 0 || strings.HasPrefix(line, "```") {
			break
		}
		row, used := csvRow(lines[i:], comma, len(names))
		switch {
		case line == "":
		case row == nil && !strings.ContainsRune(line, comma) && len(strings.Fields(line)) > fewWords && !goesOn(lines[i+1:], comma, len(names)):
			return list, unused // words behind the rows
		case row == nil:
			unused = append(unused, Unused{Line: first + i, Text: line, Reason: ReasonRow})
		default:
			one := value.Obj()
			for j, cell := range row {
				one.Kids = append(one.Kids, scalar(cell).Named(names[j]))
			}
			list.Kids = append(list.Kids, one)
		}
		i += used
	}
	return list, unused
}

// fewWords is how many words may be a row that has lost its sign; more are a
// sentence.
const fewWords = 3

// goesOn tells whether the next line is a row again.
func goesOn(lines []string, comma rune, n int) bool {
	if len(lines) == 0 || strings.TrimSpace(lines[0]) == "" {
		return false
	}
	row, _ := csvRow(lines, comma, n)
	return row != nil
}

// maxRowLines is over how many lines a row may run.
const maxRowLines = 50

// csvRow reads the row at the start of some lines, and tells how many lines it
// takes; nil where it has other cells than n.
func csvRow(lines []string, comma rune, n int) ([]string, int) {
	read := func(used int) []string {
		r := csv.NewReader(strings.NewReader(strings.Join(lines[:used], "\n")))
		r.Comma, r.LazyQuotes, r.FieldsPerRecord, r.TrimLeadingSpace = comma, true, -1, comma != '\t'
		if row, err := r.Read(); err == nil && len(row) == n {
			return row
		}
		return nil
	}
	// A text in quotes that is still open goes on below, if it is shut there.
	odd := strings.Count(lines[0], `"`)%2 != 0
	for used := 2; odd && used <= min(len(lines), maxRowLines); used++ {
		if strings.Count(lines[used-1], `"`)%2 != 0 {
			if row := read(used); row != nil {
				return row, used
			}
			break
		}
	}
	return read(1), 1
}
