package evidence

import (
	"slices"
	"sort"
	"strings"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// measuredAt is where the figure of a sum or a quantity stands with its measure.
type measuredAt struct {
	span
	unit string // of a quantity; "" for a sum
}

// countsOfSums takes their places from whole numbers that no label leads, and that stand
// nowhere but in what another value of the record was read from together with its currency or
// its unit: the 8 of a sum of 8 euros is no number of nights. A field that names the unit, or
// a currency, counts in it.
func (w *weigher) countsOfSums() {
	all := w.measured()
	if len(all) == 0 {
		return
	}
	for _, l := range w.leaves {
		at := w.places[l.path]
		if l.fixed != nil || len(l.cands) == 0 || l.f.Kin().Type != schema.Integer || !at.Found() || at.Led || len(l.value) > 4 {
			continue
		}
		words := strings.FieldsFunc(schema.Spoken(l.f.Name)+" "+l.f.About, func(r rune) bool { return !unicode.IsLetter(r) && r != '%' })
		if !slices.ContainsFunc(l.cands, func(c candidate) bool { return !within(all, c.span, words) }) {
			if said := w.ix.InWords(value.CanonicalNumber(l.value)); len(said) > 0 { // nine of the adults, beside £9
				w.places[l.path] = Place{Kind: Restated, Start: said[0].Start, End: said[0].End, Line: w.ix.LineOf(said[0].Start) + 1, Rivals: len(said) - 1}
				continue
			}
			w.places[l.path] = Place{Kind: l.lacking, Against: at.Line}
		}
	}
}

// measured gives the places of sums and quantities that hold their measure, in order.
func (w *weigher) measured() (all []measuredAt) {
	for _, l := range w.leaves {
		at, f := w.places[l.path], l.f.Kin()
		if f.Type != schema.Money && f.Type != schema.Quantity || !at.Found() {
			continue
		}
		said := strings.TrimRight(w.ix.Source[at.Start:at.End], " ")
		last := said[len(said)-1]
		if first := said[0]; first >= '0' && first <= '9' && last >= '0' && last <= '9' {
			continue // the figure alone
		}
		unit := ""
		if f.Type == schema.Quantity {
			v, err := value.Parse(l.value)
			if err != nil || v.Get("unit") == nil {
				continue
			}
			unit = v.Get("unit").Text
		}
		all = append(all, measuredAt{between(at.Start, at.End), unit})
	}
	sort.Slice(all, func(i, j int) bool { return all[i].Start < all[j].Start })
	return all
}

// within tells whether a place lies in one of those that a field with such words in its name
// and its description does not count in.
func within(all []measuredAt, s span, words []string) bool {
	for i := sort.Search(len(all), func(i int) bool { return all[i].Start > s.Start }) - 1; i >= 0 && all[i].End > s.Start; i-- {
		m := all[i]
		if s.End > m.End || s == m.span {
			continue
		}
		return !slices.ContainsFunc(words, func(word string) bool {
			if m.unit == "" {
				return lang.Currency.Has(word) || lang.Code.Has(strings.ToUpper(word)) || lang.Minor.Has(word)
			}
			return word == m.unit || slices.Contains(append(reading.Kindred(m.unit), reading.UnitOf(m.unit)), reading.UnitOf(word)) && reading.UnitOf(word) != ""
		})
	}
	return false
}
