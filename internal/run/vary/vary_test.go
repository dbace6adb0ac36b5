package vary

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

const visit = `
schema: visit
fields:
  report_no: {text: Number., printed_as: [Report no., Our ref.], pattern: '^FB-\d+$'}
  bridge: Name.
  visited: {date: Day., written: [D.M.YYYY, D MMMM YYYY]}
  bays:
    list: Bays.
    key: [number]
    fields: {number: {integer: Number.}, length: {quantity: Length., unit: m}, deck: {choice: Deck., of: {timber: {also: [planks]}, steel: {}}}}
`

const letter = "OFFICE OF PATHS\n\nReport no.: FB-7\nBridge: Heron Plank\nVisited: 3.4.2031\n\nBay 1\n  Length: 9.8 m\n  Deck: planks\n\nBay 2\n  Length: 7.25 m\n  Deck: steel\n\nRemarks\n  The banks were wet and the handrail was loose in several places.\n"

const rec = `{"report_no":"FB-7","bridge":"Heron Plank","visited":"2031-04-03","bays":[{"number":1,"length":{"amount":9.8,"unit":"m"},"deck":"timber"},{"number":2,"length":{"amount":7.25,"unit":"m"},"deck":"steel"}]}`

// Whatever a change does to the text, the record that goes with it still stands
// in it: every value at its place, in one spelling or another.
func TestGoldStaysTrue(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(visit))
	require.NoError(t, err)
	gold, err := value.Parse(rec)
	require.NoError(t, err)
	pool := Pool{}
	other, err := value.Parse(`{"bridge":"Rushy Ford","visited":"2032-01-09"}`)
	require.NoError(t, err)
	pool.Add(s, &other)
	pool.Add(s, &gold)
	for _, c := range Changes() {
		changed := 0
		for seed := range int64(20) {
			v, ok := c.Apply(s, Document{"d", letter, &gold}, pool, seed)
			if !ok {
				continue
			}
			changed++
			again, _ := c.Apply(s, Document{"d", letter, &gold}, pool, seed)
			require.Equal(t, v, again, "the same seed, the same change")
			assert.Equal(t, rec, gold.String(), "the gold it began with stays")
			for p, place := range evidence.Of(s, &v.Gold, evidence.NewIndex(v.Text)) {
				assert.True(t, place.Found() && place.Kind != evidence.Lookalike, "%s: %s (%s) in\n%s", c.Name, p, v.Gold.At(p), v.Text)
			}
			if c.Name != "substitute" && c.Name != "case" {
				assert.Equal(t, rec, v.Gold.String(), c.Name)
			}
		}
		assert.Positive(t, changed, c.Name)
	}
}

func TestChanges(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(visit))
	require.NoError(t, err)
	gold, err := value.Parse(rec)
	require.NoError(t, err)
	other, err := value.Parse(`{"bridge":"Rushy Ford"}`)
	require.NoError(t, err)
	pool := Pool{}
	pool.Add(s, &other)
	texts := map[string]Varied{}
	for _, c := range Changes() {
		for seed := int64(0); texts[c.Name].Text == "" && seed < 50; seed++ {
			texts[c.Name], _ = c.Apply(s, Document{"d", letter, &gold}, pool, seed)
		}
	}
	assert.Contains(t, texts["dates"].Text, "Visited: 3 April 2031\n")
	assert.Regexp(t, `Length: 9\d*(\.\d+)? (mm|cm|dm|km|ft|in|yd)\b|Length: \d+ (cm|mm|dm)`, texts["units"].Text)
	assert.NotContains(t, texts["units"].Text, "9.8 m\n")
	assert.Contains(t, texts["labels"].Text, "Our ref.: FB-7")
	assert.Contains(t, texts["case"].Text, "BRIDGE: HERON PLANK")
	assert.Equal(t, "HERON PLANK", bridge(texts["case"]))
	assert.Equal(t, len(letter), len(texts["shuffle"].Text))
	assert.True(t, strings.HasPrefix(texts["shuffle"].Text, "OFFICE OF PATHS\n\n"))
	assert.NotEqual(t, letter, texts["noise"].Text)
	assert.Contains(t, texts["substitute"].Text, "Bridge: Rushy Ford\n")
	assert.Equal(t, "Rushy Ford", bridge(texts["substitute"]))
}

func bridge(v Varied) string { return v.Gold.Get("bridge").Text }
