package printed

import (
	"slices"
	"strings"

	"filler/internal/schema"
)

// nested cuts lines into items where each stands below, or behind, its own name
// and a colon, as in what is written out by programs:
//
//	bay:
//	  number: 1
//	  defect: rust, grade 2
func nested(f *schema.Field, _ []*slot, lines []*line, _ []*slot) (regions [][]*line, used []*line) {
	names := itemNames(f)
	for i := 0; i < len(lines); i++ {
		l := lines[i]
		if len(l.pairs) != 1 || !slices.Contains(names, strings.Join(l.pairs[0].label, " ")) {
			continue
		}
		v := l.pairs[0].value
		if len(strings.Fields(v)) > 1 && strings.HasSuffix(l.body, v) && l.indent > 0 {
			regions, used = append(regions, []*line{readLine(v)}), append(used, l)
			continue
		}
		end := i + 1
		for end < len(lines) && lines[end].indent > l.indent && !lines[end].blank() {
			end++
		}
		if v != "" || end == i+1 || allBullets(lines[i+1:end]) && named(f, l) {
			continue // below the name of the list itself each bullet is an item
		}
		regions, used = append(regions, lines[i+1:end]), append(used, lines[i:end]...)
		i = end - 1
	}
	return regions, used
}

func allBullets(lines []*line) bool {
	return !slices.ContainsFunc(lines, func(l *line) bool { return !l.bullet })
}
