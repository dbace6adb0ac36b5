// Package plot draws figures: in a terminal, as PNG or as SVG, and as the figures
// themselves in CSV.
//
// Rules it keeps:
//
//   - What is drawn and what the CSV says are the same marks.
//   - Colour never stands alone: series differ in shape and dashes too, and numbers stand
//     beside what is drawn.
//   - What is unknown has a mark of its own.
//   - The same figures give the same bytes.
package plot

import (
	"encoding/csv"
	"io"
	"math"
	"strconv"

	"filler/internal/measure/values"
	"filler/internal/view/figures"
)

// Kind is how something is drawn.
type Kind string

// The kinds.
const (
	Dots    Kind = "dots"    // a row a mark, with its interval
	Bars    Kind = "bars"    // a row a mark, from nothing
	Lines   Kind = "lines"   // series along steps
	Boxes   Kind = "boxes"   // a row a spread
	Shades  Kind = "shades"  // counts in cells
	Bands   Kind = "bands"   // counts as bands from one side to the other
	Scatter Kind = "scatter" // marks by two figures
)

// Picture is what is drawn.
type Picture struct {
	Kind    Kind
	Title   string
	Scale   string // what the figures are
	Across  string // of a scatter plot: what the other figures are
	Along   string // what the rows or steps are
	Apart   string // what series, or columns, are
	Low     float64
	High    float64 // the ends of the scale; both 0: as the marks ask for
	Marks   []Mark
	Rows    []string // of cells
	Columns []string
	Cells   [][]int
	Foot    []string
}

// Mark is one figure.
type Mark struct {
	Series    string
	Label     string
	At        float64
	Has       bool // there is a figure
	Low, High float64
	Bounded   bool // there is an interval
	Spread    *values.Spread
	N         int
	Unknown   int
	Text      string  // the figure as people read it
	X         float64 // of a scatter plot
}

// said gives the figure of a mark with what is unknown beside it.
func (m *Mark) said() string {
	if m.Unknown == 0 {
		return m.Text
	}
	return m.Text + ", " + figures.Thousands(m.Unknown) + " unknown"
}

// ends gives the ends of the scale.
func (p *Picture) ends() (low, high float64) {
	if p.Low != 0 || p.High != 0 {
		return p.Low, p.High
	}
	low, high = math.Inf(1), math.Inf(-1)
	see := func(x float64) { low, high = min(low, x), max(high, x) }
	for _, m := range p.Marks {
		if !m.Has {
			continue
		}
		see(m.At)
		if m.Bounded {
			see(m.Low)
			see(m.High)
		}
		if m.Spread != nil {
			see(m.Spread.Least)
			see(m.Spread.Most)
		}
	}
	if p.Kind == Bars || p.Kind == Lines {
		see(0)
	}
	switch {
	case low > high:
		return 0, 1
	case low == high:
		return low - 0.5, high + 0.5
	}
	return low, high
}

// series gives the series in their order.
func (p *Picture) series() (all []string) {
	seen := map[string]bool{}
	for _, m := range p.Marks {
		if !seen[m.Series] {
			seen[m.Series] = true
			all = append(all, m.Series)
		}
	}
	return all
}

// labels gives the rows or steps in their order.
func (p *Picture) labels() (all []string) {
	seen := map[string]bool{}
	for _, m := range p.Marks {
		if !seen[m.Label] {
			seen[m.Label] = true
			all = append(all, m.Label)
		}
	}
	return all
}

// CSV writes the figures that are drawn.
func (p *Picture) CSV(to io.Writer) error {
	w := csv.NewWriter(to)
	if p.Kind == Shades || p.Kind == Bands {
		w.Write([]string{"row", "column", "count"})
		for i, row := range p.Rows {
			for j, column := range p.Columns {
				w.Write([]string{row, column, strconv.Itoa(p.Cells[i][j])})
			}
		}
		w.Flush()
		return w.Error()
	}
	w.Write([]string{"series", "label", "x", "value", "low", "high", "least", "lower_quartile", "upper_quartile", "most", "known", "unknown"})
	for _, m := range p.Marks {
		row := []string{m.Series, m.Label, "", "", "", "", "", "", "", "", strconv.Itoa(m.N), strconv.Itoa(m.Unknown)}
		if p.Kind == Scatter {
			row[2] = number(m.X)
		}
		if m.Has {
			row[3] = number(m.At)
		}
		if m.Bounded {
			row[4], row[5] = number(m.Low), number(m.High)
		}
		if s := m.Spread; s != nil {
			row[6], row[7], row[8], row[9] = number(s.Least), number(s.Lower), number(s.Upper), number(s.Most)
		}
		w.Write(row)
	}
	w.Flush()
	return w.Error()
}

func number(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }
