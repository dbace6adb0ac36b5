package plot

import (
	"fmt"
	"math"
	"sort"
	"strings"

	"github.com/charmbracelet/x/ansi"

	"filler/internal/view/figures"
	"filler/internal/view/signs"
)

// drawn is what a terminal picture is made of.
type drawn struct {
	dot, span, full, empty string
	parts                  []string // of a bar's last cell, an eighth to seven
	box, middle, line      string
	shades                 []string
	arrow, rule            string
}

var (
	rich  = drawn{"●", "─", "█", "·", []string{"▏", "▎", "▍", "▌", "▋", "▊", "▉"}, "▒", "┃", "─", []string{" ", "░", "▒", "▓", "█"}, " → ", "─"}
	plain = drawn{"o", "-", "#", ".", nil, "=", "|", "-", []string{" ", ".", ":", "+", "#"}, " -> ", "-"}
)

// lettered stands for our own signs where there is nothing but letters.
var lettered = strings.NewReplacer("…", "~", "–", "-", "·", "-")

// leastGraph is how many cells a drawing has at least.
const leastGraph = 12

// Terminal draws a picture as lines of so many cells at most. Without signs beyond ASCII
// it is drawn with letters.
func (p *Picture) Terminal(width int, unicode bool) []string {
	d := &rich
	if !unicode {
		d = &plain
	}
	lines := wrapped(signs.Visible(p.Title), width)
	lines = append(lines, "")
	switch p.Kind {
	case Shades:
		lines = append(lines, p.grid(d, width)...)
	case Bands:
		lines = append(lines, p.pairs(d, width)...)
	default:
		lines = append(lines, p.rows(d, width)...)
	}
	lines = append(lines, "")
	for _, f := range p.Foot {
		lines = append(lines, wrapped(signs.Visible(f), width)...)
	}
	for i, l := range lines {
		if !unicode {
			l = lettered.Replace(l)
		}
		lines[i] = strings.TrimRight(l, " ")
	}
	return lines
}

func wrapped(text string, width int) []string {
	return strings.Split(ansi.Wrap(text, max(width, 20), ""), "\n")
}

func clipped(s string, width int) string {
	if ansi.StringWidth(s) <= width {
		return s
	}
	return ansi.Truncate(s, max(width, 1), "…")
}

func padded(s string, width int, right bool) string {
	s = clipped(s, width)
	pad := strings.Repeat(" ", max(0, width-ansi.StringWidth(s)))
	if right {
		return pad + s
	}
	return s + pad
}

// widest gives how wide texts are, at most as wide as said.
func widest(texts []string, most int) int {
	w := 0
	for _, t := range texts {
		w = max(w, ansi.StringWidth(t))
	}
	return min(w, most)
}

// rows draws a row for each mark.
func (p *Picture) rows(d *drawn, width int) (lines []string) {
	if len(p.Marks) == 0 {
		return []string{"nothing to draw"}
	}
	columns, fill := p.columns()
	left := 0
	widths := make([]int, len(columns))
	for i := range columns {
		most := width / 3
		if i == 0 {
			most = width / 4
		}
		widths[i] = widest(columns[i], max(most, 8))
		if widths[i] > 0 {
			left += widths[i] + 2
		}
	}
	if left > width-leastGraph { // the names give way
		widths[1] = max(widths[1]-(left-width+leastGraph), 6)
		left = 0
		for _, w := range widths {
			if w > 0 {
				left += w + 2
			}
		}
	}
	graph := max(width-left, 4)
	low, high := p.ends()
	at := func(x float64) int {
		return min(max(int(math.Round((x-low)/(high-low)*float64(graph-1))), 0), graph-1)
	}
	for i, m := range p.Marks {
		if i > 1 && i+1 < len(p.Marks) && p.Kind != Dots && p.Marks[i-1].Series != m.Series && p.Marks[i+1].Series == m.Series {
			lines = append(lines, "")
		}
		cells := make([]string, graph)
		for j := range cells {
			cells[j] = " "
		}
		if m.Has {
			p.draw(d, cells, m, at)
		}
		line := ""
		for c := range columns {
			if widths[c] > 0 {
				line += padded(columns[c][i], widths[c], fill[c]) + "  "
			}
		}
		lines = append(lines, line+strings.Join(cells, ""))
	}
	ends := figures.Short(low)
	last := figures.Short(high)
	if p.Scale != "" && len(ends)+len(last)+ansi.StringWidth(p.Scale)+4 <= graph {
		last = p.Scale + "  " + last
	}
	axis := ends + strings.Repeat(" ", max(1, graph-ansi.StringWidth(ends)-ansi.StringWidth(last))) + last
	indent := strings.Repeat(" ", left)
	return append(lines, indent+strings.Repeat(d.rule, graph), indent+axis)
}

// columns gives what stands before the drawing, and which of it is at the right.
func (p *Picture) columns() (columns [][]string, right []bool) {
	series, names, other, texts, unknown := []string{}, []string{}, []string{}, []string{}, []string{}
	several := len(p.series()) > 1
	for _, m := range p.Marks {
		of, x, u := "", "", ""
		if several {
			of = signs.Visible(m.Series)
		}
		if p.Kind == Scatter {
			x = figures.Short(m.X)
		}
		if m.Unknown > 0 {
			u = figures.Thousands(m.Unknown) + " unknown"
		}
		series, names, other, texts, unknown = append(series, of), append(names, signs.Visible(m.Label)), append(other, x), append(texts, m.Text), append(unknown, u)
	}
	return [][]string{series, names, other, texts, unknown}, []bool{false, false, true, true, true}
}

// draw draws one mark into cells.
func (p *Picture) draw(d *drawn, cells []string, m Mark, at func(float64) int) {
	fill := func(from, to int, sign string) {
		for x := max(from, 0); x <= min(to, len(cells)-1); x++ {
			cells[x] = sign
		}
	}
	switch {
	case m.Spread != nil:
		fill(at(m.Spread.Least), at(m.Spread.Most), d.line)
		fill(at(m.Spread.Lower), at(m.Spread.Upper), d.box)
		cells[at(m.Spread.Middle)] = d.middle
	case p.Kind == Bars:
		low, high := p.ends()
		zero, end := at(min(max(0, low), high)), at(m.At)
		if m.At == 0 {
			return
		}
		fill(min(zero, end), max(zero, end), d.full)
		if part := (m.At - low) / (high - low) * float64(len(cells)); m.At > 0 && low == 0 && d.parts != nil {
			whole := int(part)
			fill(0, len(cells)-1, " ")
			fill(0, whole-1, d.full)
			if eighth := int((part - float64(whole)) * 8); whole < len(cells) && eighth > 0 {
				cells[whole] = d.parts[eighth-1]
			} else if whole == 0 {
				cells[0] = d.parts[0]
			}
		}
	default:
		if m.Bounded {
			fill(at(m.Low), at(m.High), d.span)
		}
		cells[at(m.At)] = d.dot
	}
}

// grid draws counts in cells; where they are too wide, as pairs.
func (p *Picture) grid(d *drawn, width int) (lines []string) {
	var rows []string
	for _, r := range p.Rows {
		rows = append(rows, signs.Visible(r))
	}
	left := widest(rows, max(width/3, 8))
	most, each := 1, 4
	for i := range p.Cells {
		for _, n := range p.Cells[i] {
			most = max(most, n)
		}
	}
	each = max(each, len(figures.Thousands(most))+2)
	wide := make([]int, len(p.Columns))
	total := left
	for j, c := range p.Columns {
		wide[j] = max(each, min(ansi.StringWidth(c), 14))
		total += wide[j] + 2
	}
	if total > width {
		return p.pairs(d, width)
	}
	head := padded("", left, false)
	for j, c := range p.Columns {
		head += "  " + padded(signs.Visible(c), wide[j], true)
	}
	lines = append(lines, head, strings.Repeat(d.rule, total))
	for i, r := range rows {
		line := padded(r, left, false)
		for j, n := range p.Cells[i] {
			text := "·"
			if n > 0 {
				text = d.shades[1+min(3, 4*n/(most+1))] + " " + figures.Thousands(n)
			}
			line += "  " + padded(text, wide[j], true)
		}
		lines = append(lines, line)
	}
	return lines
}

// pairs lists which values come together, the most frequent first.
func (p *Picture) pairs(d *drawn, width int) (lines []string) {
	type pair struct {
		name string
		n    int
	}
	var all []pair
	for i, r := range p.Rows {
		for j, c := range p.Columns {
			if n := p.Cells[i][j]; n > 0 {
				all = append(all, pair{signs.Visible(r + d.arrow + c), n})
			}
		}
	}
	if len(all) == 0 {
		return []string{"nothing to draw"}
	}
	sort.SliceStable(all, func(i, j int) bool { return all[i].n > all[j].n })
	var names []string
	for _, x := range all {
		names = append(names, x.name)
	}
	right := len(figures.Thousands(all[0].n))
	left := widest(names, max(width-right-leastGraph-4, 8))
	graph := max(width-left-right-4, 4)
	for _, x := range all {
		bar := max(1, int(math.Round(float64(x.n)/float64(all[0].n)*float64(graph))))
		lines = append(lines, fmt.Sprintf("%s  %s  %s", padded(x.name, left, false), padded(figures.Thousands(x.n), right, true), strings.Repeat(d.full, bar)))
	}
	return lines
}
