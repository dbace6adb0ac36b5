package reading

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// The unit or the currency of a plain number stands in the name of its field, or in what that is
// about: weight_kg, flow_l_per_min, total_eur, price_cents, "Length in cm", "Price (EUR)".

// FieldUnit gives the unit in which a field that is a plain number counts: what it is about says
// that it is in, or else the last words of its name; "" where none is named. A name that ends in
// min may mean minutes, or the least.
func FieldUnit(f *schema.Field) string {
	about := strings.ToLower(f.About) + " "
	if strings.EqualFold(strings.TrimSuffix(f.About, "."), f.SpokenName()) { // made of the name, as imports do
		about = " "
	}
	if first, _, _ := strings.Cut(about, " "); len(first) > 3 && UnitOf(first) != "" { // Percent of the price, Metres that it moved
		return UnitOf(first)
	}
	for _, word := range saidIn(f.About) {
		if unit := unitCalled(word); unit != "" {
			return unit
		}
	}
	words := strings.Fields(f.SpokenName())
	if len(words) == 0 {
		return ""
	}
	for n := min(3, len(words)); n > 1; n-- { // mg_per_l, sq_m
		if of := UnitOf(strings.Join(words[len(words)-n:], " ")); of != "" {
			return of
		}
	}
	last := words[len(words)-1]
	if len(words) > 1 && (lang.Per.Has(words[len(words)-2]) || lang.PerEach.Has(words[len(words)-2])) { // times_a_day
		return ""
	}
	if before := len(words) - 2; before >= 0 && lang.RangeFirst.Has(last) && len(words[before]) > 1 && unitCalled(words[before]) != "" { // weeks_min
		return unitCalled(words[before])
	}
	if lang.RangeFirst.Has(last) && slices.ContainsFunc(strings.Fields(about), func(w string) bool { return lang.RangeFirst.Has(strings.Trim(w, ".,;:()")) }) {
		return ""
	}
	if len(words) > 1 && strings.HasPrefix(words[len(words)-2], "temp") && (last == "c" || last == "f") {
		return "°" + strings.ToUpper(last)
	}
	if len(last) < 3 && len(words) == 1 {
		return ""
	}
	return unitCalled(last)
}

// BareName gives the name of a field of plain numbers without what it says they are in: weight for
// weight_kg; "" where it says nothing of it, or nothing else.
func BareName(f *schema.Field) string {
	words := strings.Fields(f.SpokenName())
	for n := min(3, len(words)-1); n > 0; n-- {
		tail := words[len(words)-n:]
		last := strings.Join(tail, " ")
		if UnitOf(last) != "" || n == 1 && (unitCalled(last) != "" || lang.SmallCode.Has(last) || lang.MinorWord.Has(last) || lang.Minor.Has(last)) {
			return strings.Join(words[:len(words)-n], " ")
		}
	}
	return ""
}

// saidIn gives the words of what a field is about that stand where a unit or a currency does:
// behind "in", and in brackets.
func saidIn(about string) (all []string) {
	words := strings.Fields(about)
	for i, word := range words {
		bare := strings.Trim(word, ".,;:()[]")
		bracketed := strings.HasPrefix(word, "(") || strings.HasPrefix(word, "[")
		last := i+1 == len(words) || bare != strings.TrimLeft(word, "([")
		if bracketed && last || i > 0 && strings.EqualFold(words[i-1], "in") && (len(bare) > 1 || last) {
			all = append(all, bare)
		}
	}
	return all
}

// unitCalled gives the unit that a word of a field's name, which may be in small letters, stands
// for: kwh, mb. A single letter is one where hardly anything else is meant by it.
func unitCalled(word string) string {
	if len(word) == 1 && !strings.Contains("mgtshdlwvW", word) {
		return ""
	}
	if unit := UnitInSmall(strings.ToLower(word)); unit != "" {
		return unit
	}
	return UnitOf(word)
}

// FieldCurrency gives the currency in which a field that is a plain number counts, by its name or
// what it is about; "" where none is named.
func FieldCurrency(f *schema.Field) string {
	for _, word := range saidIn(f.About) {
		if code := CurrencyCode(word); code != "" && UnitOf(word) == "" {
			return code
		}
	}
	words := strings.Fields(f.SpokenName())
	if len(words) == 0 {
		return ""
	}
	last := words[len(words)-1]
	if len(words) > 1 && lang.SmallCode.Has(last) { // others are words: count_all, time_sek
		return strings.ToUpper(last)
	}
	if len(words) > 1 && len(last) > 3 && UnitOf(last) == "" {
		return lang.Currency.Meaning(last)
	}
	return ""
}

// CountsHundredths tells a field that counts in hundredths of a currency: price_cents.
func CountsHundredths(f *schema.Field) bool {
	name := strings.Fields(strings.TrimSuffix(f.SpokenName(), " units"))
	words := append(slices.Clip(name), saidIn(strings.ToLower(f.About))...)
	if len(name) > 1 && lang.MinorWord.Has(name[len(name)-1]) || len(words) > len(name) && lang.MinorWord.Has(words[len(words)-1]) { // amount_minor, "in minor units"
		return true
	}
	for i, word := range words {
		if len(word) > 3 && lang.Minor.Has(word) && (i == 0 || !lang.Per.Has(words[i-1])) { // but per_cent
			return true
		}
	}
	return false
}

// HoldsCountry tells a field for a country, by its name or by what it is about.
func HoldsCountry(f *schema.Field) bool {
	return f.NamedBy(lang.CountryWord) || strings.Contains(strings.ReplaceAll(f.About, "-", " "), "ISO 3166")
}

// HoldsCurrency tells a field for a currency alone, by its name, by what it is about or by its options.
func HoldsCurrency(f *schema.Field) bool {
	return f.NamedBy(lang.CurrencyWord) || strings.Contains(strings.ReplaceAll(f.About, "-", " "), "ISO 4217") || OptionsAre(f, CurrencyCode)
}

// HoldsUnit tells a field for a unit alone, by its name or by its options.
func HoldsUnit(f *schema.Field) bool { return f.NamedBy(lang.UnitWord) || OptionsAre(f, UnitOf) }

// OptionsAre tells a choice of which every option is a currency, or a unit: what gives its name here.
func OptionsAre(f *schema.Field, what func(string) string) bool {
	of := f.Kin().Of
	return len(of) > 1 && !slices.ContainsFunc(of, func(o schema.Option) bool { return what(o.Value) == "" })
}
