package normalize

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Schemas that programs write have no money and no quantities: an amount is a plain number whose
// field names the unit or the currency, or that stands beside a field for it.

// inOwn gives the number of an amount that was written with its measure, in the unit or the currency
// that a field of plain numbers names: 0.4 for "400 g" in weight_kg, 350 for "£3.50" in price_pence;
// "" where the field names none, or the amount is of another kind.
func inOwn(f *schema.Field, v *value.Value) string {
	as := *f
	as.Type = schema.Money
	if reading.CountsHundredths(f) {
		return inHundredths(f, v)
	}
	if f.Max == "1" && v.Kind == value.String { // a share: 20 %
		if figures, before, behind, ok := reading.Amount(v.Text, f.Numbers); ok && len(figures) == 1 && before == "" && reading.UnitOf(behind) == "%" {
			return reading.Hundredth(figures[0])
		}
	}
	if as.Currency = reading.FieldCurrency(f); as.Currency != "" {
		if _, to, ok := amount(&as, v); ok && textOf(to.Get("currency")) == as.Currency {
			return textOf(to.Get("amount"))
		}
	}
	if as.Unit = reading.FieldUnit(f); as.Unit != "" {
		as.Type, as.Currency = schema.Quantity, ""
		_, to, ok := amount(&as, v)
		if !ok && v.Kind != value.Object {
			return ""
		} else if !ok {
			to = v.Clone()
		}
		if own, changed := converted(&as, &to); changed {
			to = own
		}
		if textOf(to.Get("unit")) == as.Unit {
			return textOf(to.Get("amount"))
		}
	}
	return ""
}

// inHundredths gives the pence or cents of a sum, which may be written in full.
func inHundredths(f *schema.Field, v *value.Value) string {
	text := v.Text
	if v.Kind == value.Object {
		text = strings.TrimSpace(textOf(v.Get("amount")) + textOf(v.Get("value")) + " " + textOf(v.Get("currency")))
	}
	figures, before, behind, ok := reading.Amount(text, f.Numbers)
	behind, _, _ = strings.Cut(behind, "/")   // $95.00/hr
	of := strings.Trim(before+behind, " -–—") // 480.--
	if !ok || len(figures) != 1 || before != "" && behind != "" {
		return ""
	}
	if lang.Minor.Has(of) {
		return figures[0]
	}
	if reading.CurrencyCode(of) == "" && !(of == "" && reading.IsSum(text)) {
		return ""
	}
	return reading.Hundredfold(figures[0])
}

// fromFull gives the cents of a sum in full where they belong: 2495 for 24.95, which is no whole number.
func fromFull(f *schema.Field, literal string) string {
	if !strings.Contains(literal, ".") || !reading.CountsHundredths(f) {
		return ""
	}
	whole, _ := wholeNumber(reading.Hundredfold(literal))
	return whole
}

// textOf gives the text or the figures of a value; "" for none.
func textOf(v *value.Value) string {
	if v == nil || v.Kind != value.String && v.Kind != value.Number {
		return ""
	}
	return v.Text
}

// measureOption finds the one option that has the currency or the unit that a text names, in a
// choice of nothing else: EUR for "€", kg for "kilograms".
func measureOption(f *schema.Field, text string) (string, bool) {
	for _, is := range []func(string) string{reading.CurrencyCode, reading.UnitOf} {
		said, found := is(text), ""
		if said == "" || !reading.OptionsAre(f, is) {
			continue
		}
		for _, o := range f.Of {
			if is(o.Value) != said && !(lang.PerhapsSign.Has(text) && slices.Contains(lang.AlsoOf.Names(said), o.Value)) { // the dollar is several countries'
				continue
			}
			if found != "" {
				return "", false
			}
			found = o.Value
		}
		return found, found != ""
	}
	return "", false
}

// AmountGroup gives the fields of a group that has one number and one field for what that is in, and the
// field of sums or quantities that both are together; nil for any other.
func AmountGroup(f *schema.Field) (n, in, both *schema.Field) {
	money := false
	for _, kid := range f.Fields {
		switch kid.Type {
		case schema.Number, schema.Integer:
			if n != nil {
				return nil, nil, nil
			}
			n = kid
		case schema.Choice, schema.Text:
			currency := reading.HoldsCurrency(kid)
			if !currency && !reading.HoldsUnit(kid) {
				continue
			}
			if in != nil {
				return nil, nil, nil
			}
			in, money = kid, currency
		}
	}
	if n == nil || in == nil {
		return nil, nil, nil
	}
	as := *n
	if as.Type = schema.Quantity; money {
		as.Type = schema.Money
	}
	return n, in, &as
}

// Grouped gives the group that an amount is.
func Grouped(n, in, both *schema.Field, pair *value.Value) (to value.Value, ok bool) {
	measure, _ := both.Measure()
	figure, word := textOf(pair.Get("amount")), textOf(pair.Get(measure))
	if figure == "" || word == "" {
		return to, false
	}
	return value.Obj(value.Num(figure).Named(n.Name), value.Str(word).Named(in.Name)), true
}

// grouped gives the group that an amount written as a text is, where the group has one number and one
// field for what that is in: "48.50 EUR".
func grouped(f *schema.Field, text string) (to value.Value, ok bool) {
	n, in, both := AmountGroup(f)
	if n == nil {
		return to, false
	}
	said := value.Str(text)
	if _, pair, read := amount(both, &said); read {
		return Grouped(n, in, both, &pair)
	}
	return to, false
}

// coded gives the code that a text names, where a pattern takes the code and not the text: EUR for
// "€", DE for "Germany".
func coded(f *schema.Field, text string) string {
	if f.Pattern == nil || f.Pattern.MatchString(text) {
		return ""
	}
	var codes []string
	if reading.HoldsCurrency(f) {
		codes = append(codes, reading.SureCurrency(text))
	}
	if reading.HoldsCountry(f) {
		code := lang.CountryCode(text)
		codes = append(codes, code, lang.CountryCode3(code))
	}
	for _, code := range codes {
		if code != "" && f.Pattern.MatchString(code) {
			return code
		}
	}
	return ""
}

// fitted gives what a pattern takes of a text that it does not match: the text without its blanks and
// strokes, FR76 3000 as FR763000, or the one word of it, LSI of "Sumburgh (LSI)"; "" where that may be
// two, or another number.
func fitted(f *schema.Field, text string) string {
	if f.Type != schema.Text || f.Pattern == nil || len(text) > 60 || f.Pattern.MatchString(text) {
		return ""
	}
	for _, way := range closedUp(text, strings.Contains(f.Pattern.String(), "{")) {
		if way != text && f.Pattern.MatchString(way) {
			return way
		}
	}
	found := ""
	for _, word := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" \u00a0()[],;:", r) }) {
		if !f.Pattern.MatchString(word) || word == found {
			continue
		}
		if found != "" {
			return ""
		}
		found = word
	}
	return found
}

// closedUp gives a text without its blanks, and without strokes and points too, each in capitals as well.
// Of figures alone, which may be two numbers, only where it is known how many there must be, and points
// only where several set off groups.
func closedUp(text string, bounded bool) (ways []string) {
	figures := strings.Trim(text, "0123456789 .-/") == ""
	if strings.Contains(text, ",") || figures && !bounded {
		return nil
	}
	blanks := strings.NewReplacer(" ", "", "\u00a0", "").Replace(text)
	ways = []string{blanks, strings.ToUpper(blanks)}
	strokes := strings.NewReplacer(".", "", "-", "", "/", "").Replace(blanks)
	if !figures || len(blanks)-len(strokes) > 1 {
		ways = append(ways, strokes, strings.ToUpper(strokes))
	}
	return ways
}

// ofCurrency gives the figure of a sum where a plain number belongs that names no currency: another
// field says that.
func ofCurrency(f *schema.Field, text string) string {
	figures, before, behind, ok := reading.Amount(text, f.Numbers)
	if !ok || len(figures) != 1 || before != "" && behind != "" || reading.FieldCurrency(f)+reading.FieldUnit(f) != "" || reading.CountsHundredths(f) {
		return ""
	}
	if of := strings.TrimSpace(before + behind); reading.CurrencyCode(of) == "" || reading.UnitOf(of) != "" {
		return ""
	}
	return figures[0]
}
