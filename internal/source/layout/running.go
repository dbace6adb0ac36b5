package layout

import (
	"cmp"
	"slices"
	"strings"
	"unicode"
)

// leastRunning is on how many pages a head or foot must stand.
const leastRunning = 3

// edgeOf is how much of a page's height heads and feet may take, at each end.
const edgeOf = 0.12

// placedLine is a line on its page.
type placedLine struct {
	page  int
	at    float64 // share of the page's height
	table bool    // it is a row of a table
	line  *line
}

// markRunning marks the lines at the top and the foot of pages that many pages
// share: the same words, but for figures, at the same height, with white between them
// and the page's body. A row of a table is never one.
func (m *maker) markRunning() {
	if len(m.Pages) < leastRunning {
		return
	}
	pages := map[int][]placedLine{}
	for i := range m.blocks {
		b := &m.blocks[i]
		height := float64(max(m.Pages[b.page-1].Height, 1))
		b.eachLine(func(_, _ int, l *line) {
			pages[b.page] = append(pages[b.page], placedLine{b.page, l.mid() / height, b.kind == table && len(b.rows) > 2, l})
		})
	}
	seen := map[string][]placedLine{}
	for _, on := range pages {
		slices.SortFunc(on, func(a, b placedLine) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.line.x0, b.line.x0)) })
		for _, f := range append(m.edge(on, 1), m.edge(on, -1)...) {
			key := shapeOf(f.line)
			seen[key] = append(seen[key], f)
		}
	}
	for _, all := range seen {
		slices.SortFunc(all, func(a, b placedLine) int { return cmp.Or(cmp.Compare(a.at, b.at), cmp.Compare(a.page, b.page)) })
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

// edge gives the lines at one end of a page, from the top (1) or the foot (-1), that
// white parts from the rest: none where a table reaches into them.
func (m *maker) edge(on []placedLine, from int) []placedLine {
	lines := slices.Clone(on)
	if from < 0 {
		slices.Reverse(lines)
	}
	parted := 0 // how many of them are parted
	for i := 0; i < len(lines); {
		end, table := i, false
		y0, y1 := lines[i].line.y0, lines[i].line.y1
		for ; end < len(lines) && min(y1, lines[end].line.y1)-max(y0, lines[end].line.y0) > 0.4*(y1-y0); end++ { // side by side
			table = table || lines[end].table
		}
		share := lines[i].at
		if from < 0 {
			share = 1 - share
		}
		if share > edgeOf || end == len(lines) { // or there is nothing else on the page
			break
		}
		white := lines[end].line.y0 - y1
		if from < 0 {
			white = y0 - lines[end].line.y1
		}
		switch high := y1 - y0; {
		case table && white < partedRow*high:
			return lines[:parted]
		case white > partedBy*high:
			parted = end
		}
		i = end
	}
	return lines[:parted]
}

// partedBy is how much white stands between a head or foot and the body, in heights of
// its line; partedRow the same where it passes for a row of a table.
const (
	partedBy  = 1.0
	partedRow = 3.0
)

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
