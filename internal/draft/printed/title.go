package printed

import (
	"slices"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// markAtEnd is a figure or a code that a line ends with.
var markAtEnd = lazy.New(`^(.*\pL[.:]?) +(?:(?:[Nn]o|[Nn]r|NO|NR)\.?:? *|[#№] *)?([A-Z]{0,5}[-/.]?\d[\dA-Z/.-]{0,14})$`)

// titled fills what the line says that a document begins with: a label of the record's own and
// its mark, DELIVERY NOTE DN-401.
func titled(out *value.Value, own []*slot, taken map[*slot]float64, lines []*line) {
	first := slices.IndexFunc(lines, func(l *line) bool { return !l.blank() })
	if first < 0 || len(lines[first].cells) == 0 || strings.Contains(lines[first].body, ":") {
		return
	}
	cells := lines[first].cells
	m := markAtEnd.FindStringSubmatch(strings.TrimSpace(cells[len(cells)-1].text))
	if m == nil {
		return
	}
	label := strings.Join(words(m[1]), " ")
	for _, s := range own {
		if taken[s] == 0 && (s.f.Type == schema.Text || s.f.Type == schema.Integer) && slices.ContainsFunc(s.names, func(name []string) bool { return strings.Join(name, " ") == label }) && assign(out, s, m[2]) {
			taken[s] = 1
		}
	}
}
