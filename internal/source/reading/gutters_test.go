package reading

import (
	"math/rand/v2"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A blank parts two cells where the rows around it have both of them, and nowhere else.
func TestNarrowGaps(t *testing.T) {
	for text, want := range map[string]string{
		"No  Name          Club\n1   Ida Fenwick   Cragside\n2   Bartholomew X Tarn\n3   Noor Haddad   Tarn\n":                           "2   Bartholomew X|Tarn",
		"No  Name          Club\n1   Ida Fenwick   Cragside\n\n2   Bartholomew X Tarn\n3   Noor Haddad   Tarn\n":                         "", // another table
		"Probe  Tiefe  P (mg/100 g)  Klasse\nA1     30             2.1  B\nA2     60            11.4  C\nA3     90             0.9  C\n": "", // one head
		"We went   to the sea in the morning\nand came   back when it was dark\nand slept   until the next day had come\n":               "",
		"| No | Name          | Club |\n| 2 | Bartholomew X Tarn |\n":                                                                    "",
		"Größe  Übergang   Maß\nA      Brückenweg 12\nB      Fähre      7\nC      Tür        30\n":                                       "A      Brückenweg|12",
		"Name        Qty Price\nNails        10  4.00\nScrews      120 19.00\nBolts         5  0.70\nWashers       8  1.10\n":            "Screws      120|19.00",
	} {
		rows := New(text).Rows()
		assert.Equal(t, len(text), len(rows), text)
		assert.Equal(t, text, strings.ReplaceAll(rows, string(NarrowGap), " "), text)
		if want == "" {
			assert.NotContains(t, rows, string(NarrowGap), text)
		} else {
			assert.Contains(t, strings.ReplaceAll(rows, string(NarrowGap), "|"), want, text)
		}
	}
}

// A table set by blanks comes apart into the cells that it was made of, whatever their lengths, where a cell that
// fills its column is one of a few.
func TestNarrowGapsOfMadeTables(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 31))
	word := func(n int) string {
		return strings.Repeat(string(rune('a'+r.IntN(26))), n-1) + string(rune('0'+r.IntN(10)))
	}
	full := 0
	for range 300 {
		widths := make([]int, 3+r.IntN(5))
		for k := range widths {
			widths[k] = 4 + r.IntN(12)
		}
		rows := make([][]string, 5+r.IntN(20))
		var text strings.Builder
		for i := range rows {
			for k, width := range widths {
				n := 1 + r.IntN(width-3)
				if r.IntN(12) == 0 && k+1 < len(widths) { // one blank is left behind it
					n = width
					full++
				}
				cell := word(max(2, n))
				rows[i] = append(rows[i], cell)
				text.WriteString(cell + strings.Repeat(" ", width+1-len(cell)))
			}
			text.WriteString("\n")
		}
		for i, line := range strings.Split(strings.TrimSuffix(New(text.String()).Rows(), "\n"), "\n") {
			var cells []string
			for _, part := range strings.FieldsFunc(strings.ReplaceAll(line, "  ", string(NarrowGap)), func(c rune) bool { return c == NarrowGap }) {
				if part = strings.TrimSpace(part); part != "" {
					cells = append(cells, part)
				}
			}
			if !assert.Equal(t, rows[i], cells, text.String()) {
				return
			}
		}
	}
	assert.Greater(t, full, 500)
}

// What a table costs grows with its rows.
func BenchmarkNarrowGaps(b *testing.B) {
	for _, rows := range []int{500, 1000, 2000} {
		text := strings.Repeat("aaa bbb ccc ddd eee  fff ggg hhh iii jjj  kkk lll mmm\na   b   c   d   e    f   g   h   i   j    k   l   m\n", rows/2)
		b.Run(strconv.Itoa(rows), func(b *testing.B) {
			for b.Loop() {
				New(text).Rows()
			}
		})
	}
}
