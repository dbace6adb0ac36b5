package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// What an OCR engine misread is near; another figure is another value. Other
// units and months in other languages restate.
func TestNear(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  no: Number.\n  name: Name.\n  visited: {date: Day., written: [D.M.YYYY]}\n  length: {quantity: Length., unit: m}\n  grade: {number: Grade.}\n"))
	require.NoError(t, err)
	text := "Repart FB-2O31-07 of Widcw Ashby's Crossing\nBesucht: 3. März 2031, Länge 980 cm, grade 1O.5\nVisited 12.4.2O31\nChecked by Tam Brill, lic. QL-2\n"
	for record, want := range map[string]string{
		`{"name":"Widow Ashby's Crossing"}`:    "lookalike Widcw Ashby's Crossing",
		`{"no":"FB-2031-07"}`:                  "lookalike FB-2O31-07",
		`{"no":"FB-2031-08"}`:                  "none ",
		`{"visited":"2031-03-03"}`:             "restated 3. März 2031",
		`{"visited":"2031-03-04"}`:             "none ",
		`{"visited":"2031-04-12"}`:             "lookalike 12.4.2O31",
		`{"visited":"2031-04-13"}`:             "none ",
		`{"length":{"amount":9.8,"unit":"m"}}`: "restated 980 cm",
		`{"length":{"amount":9.7,"unit":"m"}}`: "none ",
		`{"grade":10.5}`:                       "lookalike 1O.5",
		`{"name":"Heron"}`:                     "none ",
		`{"name":"Brill, lic. QL-2"}`:          "quoted Brill, lic. QL-2", // no end of a sentence
		`{"name":"Brill lic QL-2"}`:            "none ",
	} {
		v, err := value.Parse(record)
		require.NoError(t, err)
		for _, place := range Of(s, &v, NewIndex(text)) {
			assert.Equal(t, want, string(place.Kind)+" "+text[place.Start:place.End], record)
		}
	}
}

// Where the OCR engine was in doubt a value may be further off, and nowhere else.
func TestNearWhereUnsure(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  name: Name.\n"))
	require.NoError(t, err)
	text := "Hexon Flanh\nGanlry Woad\n"
	for record, want := range map[string]Kind{`{"name":"Heron Plank"}`: None, `{"name":"Gantry Wood"}`: Lookalike, `{"name":"Gentle Road"}`: None} {
		v, err := value.Parse(record)
		require.NoError(t, err)
		ix := NewIndex(text)
		assert.Equal(t, None, Of(s, &v, ix)["/name"].Kind, "%s, where it was sure", record)
		ix.Unsure = func(start, _ int) bool { return start >= 12 }
		assert.Equal(t, want, Of(s, &v, ix)["/name"].Kind, record)
	}
}

// Words of a picture whose accents an engine lost are those that are meant; in a text they
// are others, and so is anything with another letter.
func TestAccentsLost(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  what: What it is.\n"))
	require.NoError(t, err)
	for rec, lost := range map[string]bool{`{"what":"Anhänger"}`: true, `{"what":"Anhängel"}`: false} {
		v, err := value.Parse(rec)
		require.NoError(t, err)
		ix := NewIndex("2 Anhanger 412,50")
		at := Of(s, &v, ix)["/what"]
		assert.NotNil(t, ix.Doubt(s.At("/what"), v.At("/what"), at, false), rec)
		ix.Unsure = func(int, int) bool { return false }
		assert.Equal(t, lost, ix.Doubt(s.At("/what"), v.At("/what"), at, false) == nil, rec)
	}
}
