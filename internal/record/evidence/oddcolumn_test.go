package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// A figure that alone stands in another column than those of the other items is told with what stands in
// theirs; one that its own column has as well is found there, and without several others nothing is told.
func TestOddColumns(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  cheeses: {list: Cheeses., fields: {name: {text: Name.}, pieces: {integer: Pieces.}, mass: {quantity: Mass of all., unit: kg}}}
`))
	require.NoError(t, err)
	bars := "| Cheese | Pcs | Each (kg) | Weight (kg) |\n|--|--|--|--|\n| White | 28 | 2.1 | 58.8 |\n| Blue | 6 | 3.4 | 20.4 |\n| Butter | 14 | 0.25 | 3.5 |\n"
	gaps := "Cheese      Pcs    Each    Weight\nWhite        28     2.1      58.8\nBlue          6     3.4      20.4\nButter       14    0.25       3.5\n"
	same := "| Cheese | Pcs | Each (kg) | Weight (kg) |\n|--|--|--|--|\n| White | 28 | 2.1 | 58.8 |\n| Blue | 1 | 3.4 | 3.4 |\n| Butter | 14 | 0.25 | 3.5 |\n"
	empty := "| Cheese | Pcs | Each (kg) | Weight (kg) |\n|--|--|--|--|\n| White | 28 | 2.1 | 58.8 |\n| Blue | 1 | 3.4 |  |\n| Butter | 14 | 0.25 | 3.5 |\n"
	cheese := func(name, pieces, mass string) string {
		return `{"name":"` + name + `","pieces":` + pieces + `,"mass":{"amount":` + mass + `,"unit":"kg"}}`
	}
	for _, c := range []struct {
		text, white, blue, butter, at string
		said                          string
	}{
		{bars, "58.8", "3.4", "3.5", "/cheeses/1/mass", "20.4"},
		{gaps, "58.8", "3.4", "3.5", "/cheeses/1/mass", "20.4"},
		{bars, "58.8", "20.4", "0.25", "/cheeses/2/mass", "3.5"},
		{bars, "58.8", "20.4", "3.5", "", ""},
		{bars, "2.1", "3.4", "0.25", "", ""}, // all in one column: it may be meant
		{bars, "2.1", "3.4", "3.5", "/cheeses/2/mass", "0.25"},
		{same, "58.8", "3.4", "3.5", "", ""},
		{empty, "58.8", "3.4", "3.5", "", ""},
	} {
		pieces := "6"
		if c.text == same || c.text == empty {
			pieces = "1"
		}
		rec, err := value.Parse(`{"cheeses":[` + cheese("White", "28", c.white) + `,` + cheese("Blue", pieces, c.blue) + `,` + cheese("Butter", "14", c.butter) + `]}`)
		require.NoError(t, err)
		ix := NewIndex(c.text)
		told := map[value.Pointer]record.What{}
		for p, at := range Of(s, &rec, ix) {
			if what := ix.Doubt(s.At(p), rec.At(p), at, false); what != nil {
				told[p] = what
			}
		}
		if c.at == "" {
			assert.Empty(t, told, "%s %s %s in %s", c.white, c.blue, c.butter, c.text)
			continue
		}
		line := 4
		if c.at == "/cheeses/2/mass" {
			line = 5
		}
		if c.text == gaps {
			line--
		}
		assert.Equal(t, map[value.Pointer]record.What{value.Pointer(c.at): record.OtherColumn{Line: line, Said: c.said}}, told, "%s %s %s in %s", c.white, c.blue, c.butter, c.text)
	}
}
