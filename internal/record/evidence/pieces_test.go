package evidence

import (
	"math/rand"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/schema"
)

var someWords = strings.Fields("osier alder willow sluice meadow ferry chapel orchard lantern harbour cooper tanner mallard quarry thatch bramble heron pewter saddle walnut copper timber barrow candle")

// wrapped breaks words into lines of at most so many characters, now and then within a
// word.
func wrapped(r *rand.Rand, words []string, width int) (lines []string) {
	line := ""
	for _, w := range words {
		switch {
		case line == "":
			line = w
		case len(line)+1+len(w) <= width:
			line += " " + w
		case len(w) > 5 && len(line)+5 <= width && r.Intn(2) == 0:
			lines, line = append(lines, line+" "+w[:3]+"-"), w[3:]
		default:
			lines, line = append(lines, line), w
		}
	}
	return append(lines, line)
}

// A text that is wrapped in a column is found beside other columns; one of the words of
// two columns, as they follow each other in the lines, is not, nor one with a wrong word.
func TestWrappedColumns(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  at: {text: Where it is.}\n"))
	require.NoError(t, err)
	f := s.Root.Child("at")
	r := rand.New(rand.NewSource(7))
	for range 300 {
		columns := 2 + r.Intn(2)
		var cells [][]string
		var texts []string
		high := 0
		for range columns {
			var words []string
			for range 4 + r.Intn(9) {
				words = append(words, someWords[r.Intn(len(someWords))])
			}
			texts = append(texts, strings.Join(words, " "))
			cells = append(cells, wrapped(r, words, 22))
			high = max(high, len(cells[len(cells)-1]))
		}
		var doc strings.Builder
		doc.WriteString("Sheet of the valley office\n\n")
		for y := range high {
			line := ""
			for x, cell := range cells {
				if y < len(cell) {
					line += strings.Repeat(" ", 30*x-len(line)) + cell[y]
				}
			}
			doc.WriteString(line + "\n")
		}
		doc.WriteString("\nsigned, the warden\n")
		for x, text := range texts {
			at := of(f, text, doc.String())
			if assert.True(t, at.Found(), "%q in\n%s", text, doc.String()) {
				assert.Equal(t, 3, at.Line)
			}
			words := strings.Fields(text)
			k := r.Intn(len(words))
			words[k] = "granite"
			assert.False(t, of(f, strings.Join(words, " "), doc.String()).Found(), "%q in\n%s", words, doc.String())
			if other := x + 1; other < columns && len(cells[x]) > 1 && len(cells[other]) > 1 {
				mixed := cells[x][0] + " " + cells[other][1]
				if !strings.Contains(mixed, "-") && !strings.Contains(text, mixed) && !strings.Contains(strings.Join(strings.Fields(doc.String()), " "), mixed) {
					assert.NotEqual(t, Restated, of(f, mixed, doc.String()).Kind, "%q in\n%s", mixed, doc.String())
				}
			}
		}
	}
}

func TestOtherGroups(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  at: {text: A text.}\n"))
	require.NoError(t, err)
	const doc = "Joseph (\"Joe\") Penhallow. Present: Gwen & Rob Tolliver, Ann and Bo Reedham, salt & pepper pots.\nIBAN GB00 TARN 0000 0012 34, Fon +49 (0)3999 / 88 21 4, fax 0049 3999 88215. Reg. PM31TRN\n" +
		"Seen by Jansdochter, Eefje M. and by Ola Marsh; paid 1,140 and 55.\nMeter 17  204  99"
	for text, found := range map[string]bool{
		"GB00TARN0000001234": true, "gb00-tarn-0000-0012-34": true, "GB00TARN000000123": false, "GB00TARN0000001235": false,
		"+49 3999 88214": true, "+49399988214": true, "+49 3999 88215": true, "03999 88214": true, "+49 3999 88216": false, "PM 31 TRN": true, "PM 31 TRM": false,
		"Eefje M. Jansdochter": true, "Jansdochter Eefje": true, "Marsh, Ola": true, "Marsh Ola": false, "Eefje Marsh": false, "Ola Jansdochter": false,
		"Joseph Penhallow": true, "Joseph Joe Penhallow": true, "Joseph Marsh": false, "Gwen Tolliver": true, "Rob Tolliver": true, "Ann Reedham": true, "Gwen Reedham": false, "salt pots": false,
		"17204": false, "1720499": false, "114055": false,
	} {
		assert.Equal(t, found, of(s.Root.Child("at"), text, doc).Found(), text)
	}
}
