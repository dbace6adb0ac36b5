package plot

import (
	"bytes"
	"encoding/csv"
	"encoding/xml"
	"fmt"
	"image/png"
	"io"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/measure/values"
)

func kinds() map[Kind]*Picture {
	rows := []Mark{{Label: "oak", At: 12, Has: true, N: 12, Text: "12"}, {Label: "larch", At: 3, Has: true, N: 3, Text: "3"}, {Label: "(unknown)", At: 6, Has: true, N: 6, Text: "6"}}
	dots := []Mark{{Label: "a", At: 0.25, Has: true, Low: 0.1, High: 0.5, Bounded: true, Text: "0.250"}, {Label: "b", At: 0.75, Has: true, Text: "0.750"}, {Label: "c", Text: "–"}}
	lines := []Mark{{Series: "x", Label: "2031", At: 0.2, Has: true, N: 4}, {Series: "x", Label: "2032", At: 0.6, Has: true, N: 4, Unknown: 2}, {Series: "y", Label: "2031", At: 0.4, Has: true}, {Series: "y", Label: "2032"}}
	boxes := []Mark{{Label: "a", Has: true, At: 5, Spread: &values.Spread{Least: 1, Lower: 3, Middle: 5, Upper: 8, Most: 13}, Text: "5"}}
	cells := [][]int{{4, 0, 1}, {2, 9, 0}}
	scatter := []Mark{{Label: "1", At: 0.9, X: 0.5, Has: true, Text: "0.900"}, {Label: "2", At: 0.8, X: 1, Has: true, Text: "0.800"}}
	return map[Kind]*Picture{
		Bars: {Kind: Bars, Title: "Woods", Marks: rows, Scale: "values"}, Dots: {Kind: Dots, Title: "Shares", Marks: dots, High: 1},
		Lines: {Kind: Lines, Title: "In time", Marks: lines, High: 1, Along: "year"}, Boxes: {Kind: Boxes, Title: "Spread", Marks: boxes},
		Shades:  {Kind: Shades, Title: "Both", Rows: []string{"p", "q"}, Columns: []string{"r", "s", "t"}, Cells: cells},
		Bands:   {Kind: Bands, Title: "Both", Rows: []string{"p", "q"}, Columns: []string{"r", "s", "t"}, Cells: cells},
		Scatter: {Kind: Scatter, Title: "Price", Marks: scatter, High: 1},
	}
}

// shape is a path of an SVG.
type shape struct {
	fill, stroke string
	xs, ys       []float64
}

// parsed reads the shapes and the texts of an SVG.
func parsed(t *testing.T, p *Picture) (shapes []shape, texts []string) {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, p.Write(&b, SVG))
	d := xml.NewDecoder(&b)
	pairs := regexp.MustCompile(`(-?[\d.]+),(-?[\d.]+)`)
	for {
		token, err := d.Token()
		if err == io.EOF {
			return shapes, texts
		}
		require.NoError(t, err)
		switch e := token.(type) {
		case xml.StartElement:
			if e.Name.Local != "path" {
				continue
			}
			s := shape{}
			for _, a := range e.Attr {
				switch a.Name.Local {
				case "d":
					for _, m := range pairs.FindAllStringSubmatch(a.Value, -1) {
						x, _ := strconv.ParseFloat(m[1], 64)
						y, _ := strconv.ParseFloat(m[2], 64)
						s.xs, s.ys = append(s.xs, x), append(s.ys, y)
					}
				case "style":
					s.fill, s.stroke = regexp.MustCompile(`fill:(#\w+)`).FindString(a.Value), regexp.MustCompile(`stroke:(#\w+)`).FindString(a.Value)
				}
			}
			shapes = append(shapes, s)
		case xml.CharData:
			if text := strings.TrimSpace(string(e)); text != "" {
				texts = append(texts, text)
			}
		}
	}
}

func width(s shape) float64 {
	low, high := s.xs[0], s.xs[0]
	for _, x := range s.xs {
		low, high = min(low, x), max(high, x)
	}
	return high - low
}

// What an SVG shows is what the figures say: bars as long as their counts, dots where
// their shares are, cells with their counts.
func TestMarksAreTheFigures(t *testing.T) {
	first := fmt.Sprintf("fill:#%02X%02X%02X", inks[0].R, inks[0].G, inks[0].B)
	shapes, texts := parsed(t, kinds()[Bars])
	var bars []float64
	for _, s := range shapes {
		if s.fill == first {
			bars = append(bars, width(s))
		}
	}
	require.Len(t, bars, 2, "the unknown are an outline")
	assert.InDelta(t, 4, bars[0]/bars[1], 0.01)
	assert.Subset(t, texts, []string{"oak", "larch", "(unknown)", "12", "3", "6", "Woods"})

	shapes, _ = parsed(t, kinds()[Dots])
	var dots []float64
	var span shape
	for _, s := range shapes {
		switch {
		case s.fill == first:
			dots = append(dots, s.xs[0])
		case s.stroke == fmt.Sprintf("stroke:#%02X%02X%02X", pale.R, pale.G, pale.B) && len(s.xs) == 2 && width(s) < 300:
			span = s
		}
	}
	require.Len(t, dots, 2, "where there is no figure there is no dot")
	assert.InDelta(t, (dots[1]-dots[0])*0.4/0.5, width(span), 0.5, "the interval is as wide as 0.1 to 0.5")

	_, texts = parsed(t, kinds()[Shades])
	assert.Subset(t, texts, []string{"p", "q", "r", "s", "t", "4", "1", "2", "9"})
	_, texts = parsed(t, kinds()[Bands])
	assert.Subset(t, texts, []string{"p  5", "q  11", "r  6", "s  9", "t  1"})
	_, texts = parsed(t, kinds()[Lines])
	assert.Subset(t, texts, []string{"x", "y", "2031", "2032", "2 unknown"})
}

// Each kind is drawn alike twice, as PNG, as SVG, as CSV and in terminals of any width,
// in ASCII alone where that is asked for; labels that are marks do nothing.
func TestEveryKindEverywhere(t *testing.T) {
	evil := "</text><script>alert(1)</script>&\x1b[31m\u202e" + strings.Repeat("x", 300)
	for kind, p := range kinds() {
		for _, f := range []Format{PNG, SVG} {
			var a, b bytes.Buffer
			require.NoError(t, p.Write(&a, f))
			require.NoError(t, p.Write(&b, f))
			assert.Equal(t, a.Bytes(), b.Bytes(), "%s as %s", kind, f)
			if f == PNG {
				m, err := png.Decode(&a)
				require.NoError(t, err)
				assert.Equal(t, wide*3, m.Bounds().Dx())
			}
		}
		var b bytes.Buffer
		require.NoError(t, p.CSV(&b))
		rows, err := csv.NewReader(&b).ReadAll()
		require.NoError(t, err)
		assert.Len(t, rows, 1+len(p.Marks)+len(p.Rows)*len(p.Columns))

		p.Title, p.Foot = evil, []string{evil}
		for i := range p.Marks {
			p.Marks[i].Label += evil
		}
		for i := range p.Rows {
			p.Rows[i] += evil
		}
		for n := 30; n < 140; n += 7 {
			for _, unicode := range []bool{true, false} {
				for _, line := range p.Terminal(n, unicode) {
					assert.LessOrEqual(t, ansi.StringWidth(line), max(n, 30), "%s in %d: %q", kind, n, line)
					assert.NotContains(t, line, "\x1b")
				}
			}
		}
		_, texts := parsed(t, p) // it is still XML
		assert.NotEmpty(t, texts)
		(&Picture{Kind: kind}).Terminal(60, true)
		require.NoError(t, (&Picture{Kind: kind}).Write(io.Discard, SVG), "nothing to draw")
	}
	for kind, p := range kinds() {
		p.Title += " · long …"
		for _, line := range p.Terminal(80, false) {
			for _, r := range line {
				assert.Less(t, r, rune(0x80), "%s: %q", kind, line)
			}
		}
	}
}
