package reading

import (
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
