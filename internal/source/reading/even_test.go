package reading

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Words that are set otherwise are found, with the place that they take in the text as it is; other
// figures, and parts of words, are not.
func TestOtherwiseSet(t *testing.T) {
	for _, c := range []struct{ text, want, at string }{
		{"an old foot-\n  bridge here", "footbridge", "foot-\n  bridge"},
		{"the oﬃce,", "office", "oﬃce"},
		{"sub\u00adlimate!", "sublimate", "sub\u00adlimate"},
		{"STRASSE 4", "Straße 4", "STRASSE 4"},
		{"ＡＢ-1２", "AB-12", "ＡＢ-1２"},
		{"of CO₂ and", "CO2", "CO₂"},
		{"J.P. Smith", "J. P. Smith", "J.P. Smith"},
		{"(good-bye)", "goodbye", "good-bye"},
		{"5 × 5", "5x5", "5 × 5"},
		{"code 12 34", "1 234", ""},
		{"code 12-34", "1234", ""},
		{"code 12-\n34", "1234", "12-\n34"},
		{"mistrust", "trust", ""},
		{"trusty", "trust", ""},
		{"Maß", "mas", ""},
		{"", "ab", ""},
	} {
		found := New(c.text).FindOtherwiseSet(c.want)
		if c.at == "" {
			assert.Empty(t, found, c.text)
		} else if assert.Len(t, found, 1, c.text) {
			assert.Equal(t, c.at, c.text[found[0].Start:found[0].End])
		}
	}
	tx := New("the oﬃce and the oﬃce")
	assert.Len(t, tx.FindOtherwiseSet("office"), 2)
	part := tx.Within([][2]int{{0, 12}})
	assert.Len(t, part.FindOtherwiseSet("office"), 1, "only within the stretch")
	assert.Same(t, tx.whole, part.whole, "what is known of a text is found out once for all entries of it")
	rated := New("Bed 4/5\nFood 2/5").Within([][2]int{{0, 7}})
	assert.Len(t, rated.OnScale(canonical("4")), 1)
	assert.Empty(t, rated.OnScale(canonical("2")))
}

func FuzzOtherwiseSet(f *testing.F) {
	f.Add("foot-\nbridge ﬁ 12 34", "footbridge")
	f.Fuzz(func(t *testing.T, text, want string) {
		for _, s := range New(text).FindOtherwiseSet(want) {
			got, _ := evened(text[s.Start:s.End])
			of, _ := evened(want)
			assert.Equal(t, of, got)
		}
	})
}
