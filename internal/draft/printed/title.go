package printed

import (
	"slices"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// markAtEnd is words with a figure or a code behind them: DELIVERY NOTE DN-401, Invoice no. 2031/7.
var markAtEnd = lazy.New(`^[#*=_\s]*((?:\pL[\pL.'’-]+ ){1,4}?)(?:(?:[Nn]o|[Nn]r|[Nn]um|NO|NR)\.?:? *|[Nn]umber:? |[#№:] *)?([A-Z]{0,5}[-/. ]?\d[\dA-Z/.-]{0,14})[*=_\s]*$`)

// Title reads the line that a document begins with: what the document is, in small letters, and the
// mark that it bears; "" for one that says neither. A letterhead may stand before them.
func Title(first string) (what, mark string) {
	cells := readLine(first).cells
	if len(cells) == 0 {
		return "", ""
	}
	m := markAtEnd.FindStringSubmatch(cells[len(cells)-1].text)
	if m == nil {
		return "", ""
	}
	return strings.ToLower(strings.TrimSpace(m[1])), strings.TrimSpace(m[2])
}

// titled fills what the line says that a document begins with: a label of the record's own and
// its mark, DELIVERY NOTE DN-401.
func titled(out *value.Value, own []*slot, taken map[*slot]float64, lines []*line) {
	first := slices.IndexFunc(lines, func(l *line) bool { return !l.blank() })
	if first < 0 {
		return
	}
	what, mark := Title(lines[first].text)
	if what == "" {
		return
	}
	label := strings.Join(words(what), " ")
	for _, s := range own {
		if taken[s] == 0 && (s.f.Type == schema.Text || s.f.Type == schema.Integer) && slices.ContainsFunc(s.names, func(name []string) bool { return strings.Join(name, " ") == label }) && assign(out, s, mark) {
			taken[s] = 1
		}
	}
}
