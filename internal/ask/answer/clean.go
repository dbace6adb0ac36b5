package answer

import (
	"encoding/csv"
	"regexp"
	"strconv"
	"strings"

	"filler/internal/base/value"
)

// Dressed is what stands around or before the lines of an answer and is none of it.
const Dressed = "dressed"

var (
	ansiCode   = regexp.MustCompile("\x1b\\[[0-9;]*[A-Za-z]")
	lineNumber = regexp.MustCompile(`^\s*(\d+)\s*(?:[|:.)│]\s?|\s{1,4}|$)`)
)

// undressed takes terminal escape sequences, marks of quoted or added lines, and line
// numbers off a text, where every line has them.
func undressed(text string) (string, []Deviation) {
	var deviations []Deviation
	took := func(what string) { deviations = append(deviations, Deviation{Kind: Dressed, Note: what}) }
	if ansiCode.MatchString(text) {
		text = ansiCode.ReplaceAllString(text, "")
		took("terminal escape sequences")
	}
	if trimmed := strings.TrimSpace(text); strings.HasPrefix(trimmed, `\[`) && strings.HasSuffix(trimmed, `\]`) {
		text = trimmed[2 : len(trimmed)-2]
		took("the marks of a formula")
	}
	for _, sign := range []string{">", "+"} {
		if bare, ok := withoutMark(text, sign); ok {
			text = bare
			took("the sign " + sign + " before each line")
		}
	}
	if bare, ok := withoutNumbers(text); ok {
		text = bare
		took("the numbers of the lines")
	}
	if strings.Contains(text, `"：`) && !strings.Contains(text, `":`) {
		text = strings.NewReplacer(`"：`, `":`, `"，`, `",`, `}，`, `},`, `]，`, `],`, `，"`, `,"`, `， "`, `, "`).Replace(text)
		took("wide colons and commas")
	}
	return text, deviations
}

// fewLines is from how many lines on what all of them begin with is a mark.
const fewLines = 3

func withoutMark(text, sign string) (string, bool) {
	lines := strings.Split(text, "\n")
	n := 0
	for i, line := range lines {
		if strings.TrimSpace(line) == "" {
			continue
		}
		rest, ok := strings.CutPrefix(strings.TrimLeft(line, " \t"), sign)
		if !ok || rest != "" && rest[0] != ' ' && rest[0] != '\t' && rest[0] != '\r' {
			return text, false
		}
		n++
		lines[i] = strings.TrimPrefix(rest, " ")
	}
	return strings.Join(lines, "\n"), n >= fewLines
}

// withoutNumbers takes the numbers off lines that are counted through.
func withoutNumbers(text string) (string, bool) {
	if len(text) > maxOutlineLine*1000 {
		return text, false
	}
	lines := strings.Split(strings.TrimRight(text, "\n"), "\n")
	next := -1
	for i, line := range lines {
		m := lineNumber.FindStringSubmatchIndex(line)
		if m == nil {
			return text, false
		}
		n, err := strconv.Atoi(line[m[2]:m[3]])
		if err != nil || next >= 0 && n != next {
			return text, false
		}
		next = n + 1
		lines[i] = line[m[1]:]
	}
	return strings.Join(lines, "\n"), len(lines) >= fewLines
}

// fromCSV reads lines with commas, semicolons or tabs between the values, below a
// line of names most of which are known.
func fromCSV(text string, known func(string) bool) (value.Value, bool) {
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
			if list := csvRows(strings.Join(lines[i+1:], "\n"), comma, names); len(list.Kids) > 0 {
				return list, true
			}
		}
	}
	return value.Value{}, false
}

func csvRows(text string, comma rune, names []string) value.Value {
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.LazyQuotes, r.FieldsPerRecord, r.TrimLeadingSpace = comma, true, len(names), comma != '\t'
	list := value.List()
	for {
		row, err := r.Read()
		if err != nil { // the end, or a line that is no row
			return list
		}
		one := value.Obj()
		for i, cell := range row {
			one.Kids = append(one.Kids, scalar(cell).Named(names[i]))
		}
		list.Kids = append(list.Kids, one)
	}
}
