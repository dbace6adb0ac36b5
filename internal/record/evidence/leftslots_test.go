package evidence

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// asked gives what is asked about of a record: the words, by path, or by themselves.
func asked(t *testing.T, s *schema.Schema, rec, doc string) map[string]string {
	v, err := value.Parse(rec)
	require.NoError(t, err)
	ix := NewIndex(doc)
	all := map[string]string{}
	lines, left := Look(s, &v, ix, Of(s, &v, ix))
	for _, l := range append(lines, left...) {
		all[doc[l.Start:l.End]] = string(l.At)
	}
	return all
}

// What an item lacks is asked about where others have theirs between the same words, and so are sentences that speak as
// others do of items.
func TestLeftInSlots(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(visits))
	require.NoError(t, err)
	doc := "We tuned the Kavaro grand (no. 47007), which stood at 440 Hz.\n\nWe tuned the Tschilling grand (no. 55844), which stood at 441.2 Hz.\n\nWe tuned the Brennholt upright (no. 61112), which stood at 437 Hz.\n"
	first := `{"serial":"47007","maker":"Kavaro","pitch":{"amount":440,"unit":"Hz"},"findings":[]}`
	second := `{"serial":"55844","maker":"Tschilling","pitch":{"amount":441.2,"unit":"Hz"},"findings":[]}`
	third := `{"serial":"61112","maker":"Brennholt","pitch":{"amount":437,"unit":"Hz"},"findings":[]}`
	assert.Empty(t, asked(t, s, `{"pianos":[`+first+","+second+","+third+`]}`, doc))
	for rec, want := range map[string]string{
		first + "," + second + `,{"serial":null,"maker":"Brennholt","pitch":{"amount":437,"unit":"Hz"},"findings":[]}`: "61112",
		first + `,{"serial":"55844","maker":null,"pitch":{"amount":441.2,"unit":"Hz"},"findings":[]},` + third:         "Tschilling",
		first + "," + second: "437",
		second + "," + third: "We tuned the Kavaro grand (no. 47007), which stood at 440 Hz.",
	} {
		said := strings.Join(slices.Collect(maps.Keys(asked(t, s, `{"pianos":[`+rec+`]}`, doc))), "|")
		assert.Contains(t, said, want, rec)
	}
}

// What stands behind its label in a heading, in a sentence or before a comma.
func TestLeftBehindLabels(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  order: Number of the order.\n  apiary: Name of the apiary.\n  on: {date: Day.}\n"))
	require.NoError(t, err)
	for doc, want := range map[string]string{
		"WORK ORDER W-2849\nDone on 3 May 2032.":             "W-2849",
		"Your boat (order W-2849) was lifted on 3 May 2032.": "W-2849",
		"In order 2 of them were lifted on 3 May 2032.":      "",
		"Apiary Elder Field, 3 May 2032":                     "Elder Field",
		"Apiary is closed, 3 May 2032":                       "",
	} {
		found := ""
		for words, at := range asked(t, s, `{"order":null,"apiary":null,"on":"2032-05-03"}`, doc) {
			found += words
			assert.NotEmpty(t, at)
		}
		assert.Equal(t, want, found, doc)
	}
}
