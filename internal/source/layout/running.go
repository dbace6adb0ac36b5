package layout

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
)

// leastRunning is on how many pages a head or foot must stand.
const leastRunning = 3

// markRunning marks the lines at the top and the foot of pages that many pages
// share: the same words, but for figures, at the same height.
func (m *maker) markRunning() {
	if len(m.Pages) < leastRunning {
		return
	}
	type found struct {
		page int
		at   float64 // share of the page's height
		line *line
	}
	seen := map[string][]found{}
	edge := map[int][]found{} // page → its outermost lines
	for i := range m.blocks {
		b := &m.blocks[i]
		height := float64(max(m.Pages[b.page-1].Height, 1))
		b.eachLine(func(_, _ int, l *line) {
			if at := l.mid() / height; at < 0.12 || at > 0.88 {
				edge[b.page] = append(edge[b.page], found{b.page, at, l})
			}
		})
	}
	for _, on := range edge {
		for _, f := range on {
			key := shapeOf(f.line)
			seen[key] = append(seen[key], f)
		}
	}
	for _, all := range seen {
		slices.SortFunc(all, func(a, b found) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.page, b.page)) })
		for i := range all {
			pages := map[int]bool{}
			for j := range all {
				if d := all[j].at - all[i].at; d > -0.015 && d < 0.015 {
					pages[all[j].page] = true
				}
			}
			if len(pages) >= leastRunning && len(pages)*5 >= len(m.Pages)*2 {
				all[i].line.running = true
			}
		}
	}
}

// shapeOf gives the words of a line with every figure as #.
func shapeOf(l *line) string {
	var b strings.Builder
	for _, w := range l.words {
		digit := false
		for _, r := range w.word.Text {
			switch {
			case unicode.IsDigit(r):
				if !digit {
					b.WriteByte('#')
				}
				digit = true
			default:
				b.WriteRune(unicode.ToLower(r))
				digit = false
			}
		}
		b.WriteByte(' ')
	}
	return b.String()
}
