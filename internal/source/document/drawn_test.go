package document

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/go-pdf/fpdf"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/source/layout"
)

// drawnTable is a table that is drawn into a PDF.
type drawnTable struct {
	what  string
	cells [][]string // the first row is the head; "" stays empty
	right []bool     // columns that are set flush right
	rules string     // none, grid, lines
	order string     // row, column, any
	turn  float64    // degrees
	wide  float64    // mm a column
	high  float64    // mm a row
	apart float64    // mm between the head and the first row, beyond that
}

// drawnAtRandom makes up a table of a kind.
func drawnAtRandom(r *rand.Rand, kind int) drawnTable {
	d := drawnTable{rules: []string{"none", "grid", "lines"}[kind%3], order: []string{"row", "column", "any"}[kind/3%3], high: 7 + 3*r.Float64()}
	rows, columns := 4+r.IntN(9), 3+r.IntN(3)
	style := []string{"letters", "figures", "words", "wordy", "gaps"}[kind%5]
	if kind%4 == 2 {
		d.apart = []float64{5, 9}[r.IntN(2)]
	}
	if kind%8 == 7 {
		d.turn = []float64{-1.5, 1.2, 2}[r.IntN(3)]
	}
	if style == "wordy" {
		columns = min(columns, 4) // cells that touch can't be told apart
	}
	if style == "letters" {
		rows = 24 / columns
	}
	d.wide = 170 / float64(columns)
	d.what = fmt.Sprintf("%s, rules %s, by %s, turned %.1f, head apart %.0f", style, d.rules, d.order, d.turn, d.apart)
	n := 0
	for i := range rows + 1 {
		var row []string
		for c := range columns {
			text := ""
			n++
			switch {
			case i == 0:
				text = []string{"Item", "Day", "Week", "Deposit", "Note"}[c]
			case style == "letters":
				text = string(rune('a' + (i-1)*columns + c))
			case style == "figures" || c > 0 && style == "words":
				text = fmt.Sprintf("%d.%02d", 10+n*7%900, n%100)
			case style == "wordy":
				text = fmt.Sprintf("w%d of the %s", n, []string{"bay", "upper bay", "gate"}[r.IntN(3)])
			case style == "gaps" && c > 0 && r.IntN(3) == 0:
			default:
				text = fmt.Sprintf("v%d", n)
			}
			row = append(row, text)
		}
		d.cells = append(d.cells, row)
	}
	for c := range columns {
		d.right = append(d.right, c > 0 && style == "figures" && r.IntN(2) == 0)
	}
	return d
}

// draw sets the table into a page with a line of text above and below.
func (d drawnTable) draw(t *testing.T) []byte {
	p := fpdf.New("P", "mm", "A4", "")
	p.AddPage()
	p.SetFont("Helvetica", "", 10)
	p.TransformBegin()
	if d.turn != 0 {
		p.TransformRotate(d.turn, 105, 100)
	}
	p.Text(20, 20, "What the yard asks for its tools, from the first of May on, by day and by week.")
	top := func(row int) float64 {
		y := 30 + float64(row)*d.high
		if row > 0 {
			y += d.apart
		}
		return y
	}
	type at struct{ row, column int }
	var all []at
	for i, row := range d.cells {
		for c := range row {
			all = append(all, at{i, c})
		}
		if d.rules == "grid" || d.rules == "lines" {
			y := top(i)
			p.Line(20, y, 20+d.wide*float64(len(row)), y)
			for c := 0; d.rules == "grid" && c <= len(row); c++ {
				p.Line(20+d.wide*float64(c), y, 20+d.wide*float64(c), y+d.high)
			}
		}
	}
	switch d.order {
	case "column":
		for i := range all {
			all[i] = at{i % len(d.cells), i / len(d.cells)}
		}
	case "any":
		rand.New(rand.NewPCG(1, 2)).Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	}
	for _, a := range all {
		text := d.cells[a.row][a.column]
		x := 22 + d.wide*float64(a.column)
		if d.right[a.column] {
			x = 18 + d.wide*float64(a.column+1) - p.GetStringWidth(text)
		}
		p.Text(x, top(a.row)+d.high*0.7, text)
	}
	p.Text(20, top(len(d.cells))+12, "All prices are in crowns and hold until the end of the year.")
	p.TransformEnd()
	var out bytes.Buffer
	require.NoError(t, p.Output(&out))
	return out.Bytes()
}

// inPlace counts the cells that stand in their row and in their column in a rendering.
func (d drawnTable) inPlace(text string) (right, all int) {
	lines := strings.Split(text, "\n")
	type span struct{ from, to int }
	columns := make([]span, len(d.cells[0]))
	for c := range columns {
		columns[c] = span{1 << 20, 0}
	}
	where := func(l, cell string, from int) (span, bool) {
		at := strings.Index(l[from:], cell)
		if at < 0 {
			return span{}, false
		}
		return span{from + at, from + at + len(cell)}, true
	}
	rowOf := make([]string, len(d.cells))
	for i, row := range d.cells {
		best := 0
		for _, l := range lines {
			fields := strings.FieldsFunc(strings.ReplaceAll(l, "  ", "\x00"), func(r rune) bool { return r == 0 })
			hits := 0
			for _, f := range fields {
				for _, cell := range row {
					if cell != "" && strings.TrimSpace(f) == cell {
						hits++
					}
				}
			}
			if hits > best {
				best, rowOf[i] = hits, l
			}
		}
	}
	spans := make([][]span, len(d.cells))
	for i, row := range d.cells {
		spans[i] = make([]span, len(row))
		from := 0
		for c, cell := range row {
			if cell == "" {
				continue
			}
			s, ok := where(rowOf[i], cell, from)
			if !ok {
				spans[i][c] = span{-1, -1}
				continue
			}
			spans[i][c], from = s, s.to
			if full := !strings.Contains(strings.Join(row, "|")+"|", "||"); full {
				columns[c] = span{min(columns[c].from, s.from), max(columns[c].to, s.to)}
			}
		}
	}
	for i, row := range d.cells {
		for c, cell := range row {
			if cell == "" {
				continue
			}
			all++
			s := spans[i][c]
			if s.from < 0 {
				continue
			}
			overlap := func(o span) int { return min(s.to, o.to) - max(s.from, o.from) }
			mine := overlap(columns[c])
			ok := mine > 0
			for other := range columns {
				ok = ok && (other == c || overlap(columns[other]) < mine)
			}
			if ok {
				right++
			}
		}
	}
	return right, all
}

// Tables are drawn in every way that writers of PDFs have: with rules and without, row
// by row, column by column and in any order, one letter a cell and whole phrases,
// cells left empty, askew. In `rows` their cells stand in their row and column.
func TestDrawnTables(t *testing.T) {
	r := rand.New(rand.NewPCG(41, 42))
	right, all := 0, 0
	for kind := range 45 {
		d := drawnAtRandom(r, kind)
		doc, err := Parse("t.pdf", d.draw(t))
		require.NoError(t, err)
		shown := doc.Render(layout.Rows)
		ok, of := d.inPlace(shown)
		right, all = right+ok, all+of
		if ok < of {
			t.Logf("%s: %d of %d\n%s", d.what, ok, of, shown)
		}
	}
	t.Logf("%d of %d cells in their row and column", right, all)
	assert.GreaterOrEqual(t, float64(right), 0.99*float64(all))
}
