package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Programs want the code of a country, DE or DEU, where documents have its name, in any language, or
// that of its people: "German flag".

// country finds the country that a value names by its code or in another language.
func (w *weigher) country(f *schema.Field, text string, add func([]span, Kind, string)) {
	if !reading.HoldsCountry(f) {
		return
	}
	code := lang.CountryCode(text)
	if code == "" {
		return
	}
	for _, name := range append(slices.Clone(lang.CountryNames(code)), code, lang.CountryCode3(code)) {
		spans := w.ix.find(name)
		if len(name) <= 3 {
			spans = slices.DeleteFunc(slices.Clone(spans), func(s span) bool { return w.ix.Source[s.Start:s.End] != name })
		}
		add(spans, Restated, "")
	}
}

// inCapitals drops the places of the code of a country or a currency that are the same letters in small
// ones: it, at and all are words.
func (w *weigher) inCapitals(f *schema.Field, v *value.Value, cands []candidate) []candidate {
	if v.Kind != value.String || len(v.Text) > 3 || v.Text != strings.ToUpper(v.Text) || !reading.HoldsCountry(f) && !reading.HoldsCurrency(f) {
		return cands
	}
	return slices.DeleteFunc(cands, func(c candidate) bool {
		said := w.ix.Source[c.Start:c.End]
		return said != v.Text && strings.EqualFold(said, v.Text)
	})
}
