package answer

import (
	"slices"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/place"
	"filler/internal/base/value"
)

// Replies that are no JSON at all, and yet say what was asked: YAML, a Markdown
// table, elements in angle brackets, lines of name and value. They are read only
// where most of their names are known ones: prose with a colon in it is no record.

// readPlain reads such a reply.
func readPlain(text string, known func(name string) bool) (Result, bool) {
	var before []Deviation
	if valid := strings.ToValidUTF8(text, "\ufffd"); valid != text {
		text = valid
		before = append(before, Deviation{Kind: Encoding, Note: "bytes that are not UTF-8 became U+FFFD"})
	}
	start := skipThinking(text)
	text, dress := undressed(text)
	if before = append(before, dress...); len(dress) > 0 {
		start = skipThinking(text)
	}
	body, fenced := unfenced(text[start:])
	at := start + max(strings.Index(text[start:], body), 0)
	cut := false
	var unused []Unused
	csv := func(text string, known func(string) bool) (v value.Value, ok bool) {
		v, unused, ok = fromCSV(text, known)
		return v, ok
	}
	var all []value.Value
	outline := func(text string, known func(string) bool) (v value.Value, ok bool) {
		v, all, ok = fromOutline(text, known)
		return v, ok
	}
	tags := func(text string, known func(string) bool) (v value.Value, ok bool) {
		v, cut, ok = fromTags(text, known)
		return v, ok
	}
	type form struct {
		what string
		read func(string, func(string) bool) (value.Value, bool)
	}
	angled := form{"elements in angle brackets", tags}
	forms := []form{{"a Markdown table", fromTable}, {"YAML", fromYAML}, {"lines with signs between the values", csv}, {"lines of name and value", outline}, angled}
	if strings.HasPrefix(strings.TrimSpace(body), "<") { // else a value may just hold some
		forms = slices.Insert(forms[:4], 0, angled)
	}
	for _, form := range forms {
		v, ok := form.read(body, known)
		if !ok || !mostlyKnown(&v, known) {
			cut, unused, all = false, nil, nil
			continue
		}
		deviations := before
		if fenced {
			deviations = append(deviations, Deviation{Fence, start, "a code fence around the answer"})
		}
		r := Result{Value: v, Deviations: append(deviations, Deviation{Plain, at, form.what + " in place of JSON"}), All: all, Cut: cut}
		r.reading = reading{text: text, plain: true, start: start, end: len(text), unused: unused}
		r.repeats()
		return r, true
	}
	return Result{}, false
}

// unfenced gives what stands in the last code fence of a text, or all of it.
func unfenced(text string) (string, bool) {
	from := strings.LastIndex(text, "```")
	if from < 0 {
		return text, false
	}
	open := strings.LastIndex(text[:from], "```")
	if open < 0 { // the fence was not closed
		open, from = from, len(text)
	}
	inner := text[open+3 : from]
	if i := strings.IndexByte(inner, '\n'); i >= 0 && !strings.Contains(inner[:i], ":") {
		inner = inner[i+1:]
	}
	return inner, true
}

// mostlyKnown tells whether at least half of the names of a record, or of its
// first item, are known.
func mostlyKnown(v *value.Value, known func(string) bool) bool {
	if v.Kind == value.Array {
		return len(v.Kids) > 0 && mostlyKnown(&v.Kids[0], known)
	}
	n := fieldNames(v, known)
	if len(v.Kids) == 1 && n == 0 && (v.Kids[0].Kind == value.Object || v.Kids[0].Kind == value.Array) {
		return mostlyKnown(&v.Kids[0], known) // a wrapper around all
	}
	return v.Kind == value.Object && n > 0 && n*2 >= len(v.Kids)
}

// fromYAML reads a mapping, or a list of them.
func fromYAML(text string, _ func(string) bool) (value.Value, bool) {
	if len(text) > place.MaxBytes {
		return value.Value{}, false
	}
	f, root := place.Load("reply", []byte(strings.TrimSpace(text)+"\n"))
	if root == nil || len(f.Faults) > 0 {
		return value.Value{}, false
	}
	v := root.Value()
	return v, v.Kind == value.Object || v.Kind == value.Array
}

var tableRule = lazy.New(`^\|?\s*:?-{2,}:?\s*(\|\s*:?-{2,}:?\s*)*\|?$`)

// fromTable reads a Markdown table: one of two columns whose first holds names
// is a record, any other a list of records. Further tables with the same head go
// on with the list.
func fromTable(text string, known func(string) bool) (value.Value, bool) {
	lines := strings.Split(text, "\n")
	var head []string
	list := value.List()
	for i := 1; i < len(lines); i++ {
		if !tableRule.MatchString(strings.TrimSpace(lines[i])) || !strings.Contains(lines[i-1], "|") {
			continue
		}
		names := tableCells(lines[i-1])
		var rows [][]string
		for i+1 < len(lines) && strings.Contains(lines[i+1], "|") {
			i++
			rows = append(rows, tableCells(lines[i]))
		}
		switch {
		case head == nil && len(names) == 2 && len(rows) > 0 && !known(names[0]):
			v := namesAndValues(rows)
			return v, len(v.Kids) > 0
		case head == nil:
			head = names
		case !slices.Equal(head, names):
			continue
		}
		list.Kids = append(list.Kids, tableItems(head, rows)...)
	}
	if len(list.Kids) == 1 {
		return list.Kids[0], true
	}
	return list, len(list.Kids) > 0
}

func namesAndValues(rows [][]string) value.Value {
	v := value.Obj()
	for _, r := range rows {
		if len(r) == 2 {
			v.Kids = append(v.Kids, scalar(r[1]).Named(plainKey(r[0])))
		}
	}
	return v
}

func tableItems(head []string, rows [][]string) (items []value.Value) {
	for _, r := range rows {
		item := value.Obj()
		for c, name := range head {
			if c < len(r) {
				item.Kids = append(item.Kids, scalar(r[c]).Named(plainKey(name)))
			}
		}
		items = append(items, item)
	}
	return items
}

func tableCells(line string) []string {
	line = strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(line), "|"), "|")
	cells := strings.Split(line, "|")
	for i := range cells {
		cells[i] = strings.TrimSpace(cells[i])
	}
	return cells
}

var nameAndValue = lazy.New(`^\s*(?:[-*•]\s+|\d+[.)]\s+)?[*_` + "`" + `"]*([\pL_][\pL\pN_ .\[\]-]{0,50}?)[*_` + "`" + `"]*\s*[:=]\s*[*_]*\s*(.*)$`)

func plainKey(name string) string { return strings.Trim(strings.TrimSpace(name), "*_`\" ") }

// scalar gives a cell as a value: JSON where it is, else text; a dash is none.
func scalar(text string) value.Value {
	text = strings.TrimSpace(strings.Trim(text, "`"))
	if bold := strings.Trim(text, "*"); bold != "" {
		text = bold
	}
	switch text {
	case "", "-", "–", "—":
		return value.Value{}
	}
	if v, err := value.Parse(text); err == nil {
		return v
	}
	return value.Str(text)
}
