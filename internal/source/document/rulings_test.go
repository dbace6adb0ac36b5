package document

import (
	"math/rand"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/needs"
	"filler/internal/demo/paper"
	"filler/internal/source/layout"
)

// ruled is a sheet with a table of figures in boxes and a line of text below it.
func ruled(r *rand.Rand, dpi int) *paper.Sheet {
	s := paper.New(dpi*15/2, dpi*5, dpi)
	at, st := func(mm float64) float64 { return mm / 25.4 * float64(dpi) }, paper.Style{Size: 11}
	left, top, columns, rows := at(15), at(20), []float64{0, 50, 75, 100, 130, 160}, 8
	for i := range rows + 1 {
		y := top + at(7)*float64(i)
		s.Rule(left, y, left+at(160), y)
		for c := range len(columns) - 1 {
			if i == rows || c > 0 && r.Intn(5) == 0 {
				continue
			}
			text := []string{"12.40", "H", "7 m/s", "1,118", "3.5 - 9.6", "mmol/L"}[r.Intn(6)]
			if c == 0 {
				text = paper.Sentence(r, 2)
			}
			s.Line(left+at(columns[c]+2), y+at(5), text, st)
		}
	}
	for _, x := range columns {
		s.Rule(left+at(x), top, left+at(x), top+at(7)*float64(rows))
	}
	s.Line(left, top+at(7)*float64(rows)+at(12), paper.Sentence(r, 9), st)
	return s
}

// The lines of boxes go, at whatever angle they hang, and letters stay.
func TestRulingsAreTakenOut(t *testing.T) {
	r := rand.New(rand.NewSource(2071))
	for _, degrees := range []float64{0, -1.1, 2} {
		for _, dpi := range []int{100, 200} {
			s := ruled(r, dpi)
			img, words := s.Turned(degrees)
			paper.Speckle(img, r, 60)
			grey, before := inGrey(img)
			left, had := withoutRulings(grey, before, dpi/9)
			require.True(t, had, "%v° at %d dpi", degrees, dpi)
			inWords, kept, drawn, outside := 0, 0, 0, 0
			for y := range left.h {
				for x := range left.w {
					in := false
					for _, w := range words {
						in = in || w.X0 <= float64(x) && float64(x) <= w.X1 && w.Y0 <= float64(y) && float64(y) <= w.Y1
					}
					switch was, is := before.dark[y*left.w+x], left.dark[y*left.w+x]; {
					case in && was:
						inWords++
						if is {
							kept++
						}
					case was:
						drawn++
						if is {
							outside++
						}
					}
				}
			}
			assert.Greater(t, kept*1000, inWords*995, "letters, %v° at %d dpi", degrees, dpi)
			assert.Less(t, outside*100, drawn*8, "rulings, %v° at %d dpi: specks and crumbs are left", degrees, dpi)
		}
	}
}

// A page without boxes is left as it is, lines under headings included.
func TestNoBoxes(t *testing.T) {
	r := rand.New(rand.NewSource(2072))
	for _, kind := range []string{"side notes", "form"} {
		s := paper.Random(kind, r)
		s.Rule(100, 200, 900, 200)
		s.Rule(100, 260, 900, 260)
		img, _ := s.Turned(0.5)
		grey, all := inGrey(img)
		_, had := withoutRulings(grey, all, 20)
		assert.False(t, had, kind)
	}
}

// Of a ruled table, printed and scanned with the faults that scans have, the engine leaves out whole
// columns; without the lines it does not, and the boxes of words are where they stand.
func TestRuledTable(t *testing.T) {
	needs.Program(t, "tesseract")
	picture, err := os.ReadFile("testdata/payslip.png")
	require.NoError(t, err)
	d, err := Parse("payslip.png", picture)
	require.NoError(t, err)
	assert.Contains(t, d.Notes, "the lines of its boxes taken out before OCR")
	at := map[string]layout.Box{}
	for _, w := range d.Words() {
		at[w.Text] = w.Box
	}
	for _, row := range [][]string{{"Salaris", "164,67", "16,84", "2.773,04"}, {"Overuren", "6,50", "21,05", "136,83"}, {"Reiskosten", "420", "0,23", "96,60"}, {"Loonheffing", "418,25"}, {"Totaal", "3.006,47", "550,54"}} {
		for i, w := range row {
			require.Contains(t, at, w)
			if i > 0 {
				assert.Less(t, at[row[i-1]][2], at[w][0], "%s stands right of %s", w, row[i-1])
			}
			assert.InDelta(t, at[row[0]][1], at[w][1], 25, w)
		}
	}
}
