package normalize

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// number gives the JSON literal of a number that can be read in one way only, and
// the rule that read it.
func number(f *schema.Field, text string) (literal, rule string) {
	return oneOf(reading.Whole(text, f.Numbers, f.Type == schema.Integer), f, text)
}

// oneOf gives the one reading of a text; "" where it has two.
func oneOf(readings []string, f *schema.Field, text string) (literal, rule string) {
	if len(readings) != 1 {
		return "", ""
	}
	if f.Numbers.Decimal == "" && jsonNumber(text) == readings[0] {
		return readings[0], RuleDigits
	}
	return readings[0], RuleNumber
}

// amount reads money or a quantity that was written as a text or a bare number,
// or that lacks its measure where the schema knows it.
func amount(f *schema.Field, v *value.Value) (rule string, to value.Value, ok bool) {
	name, own := f.Measure()
	switch v.Kind {
	case value.Number:
		if own != "" {
			return RuleMeasure, pairOf(v.Text, name, own), true
		}
	case value.Object:
		return amountParts(f, v, name, own)
	case value.String:
		figures, before, behind, ok := reading.Amount(v.Text, f.Numbers)
		if reading.UnitOf(own) == "%" && before+behind == "" && isPart(v.Text) {
			return "", to, false
		}
		measure := measureOf(f, before, behind, own)
		if literal, code := hundredths(f, figures, before, behind, own); literal != "" {
			return RuleAmount, pairOf(literal, name, code), true
		}
		if literal := reading.InUnit(v.Text, own); own != "" && literal != "" && f.Type == schema.Quantity {
			return RuleAmount, pairOf(literal, name, own), true
		}
		if !ok || len(figures) != 1 || measure == "" {
			return "", to, false
		}
		return RuleAmount, pairOf(figures[0], name, measure), true
	}
	return "", to, false
}

// isPart tells a part of a whole from a number: half, 3/4. It may be 50 % or half a per cent.
func isPart(text string) bool {
	return strings.ContainsAny(text, "/½¼¾⅓⅔⅛⅜⅝⅞") || !strings.ContainsAny(text, "0123456789")
}

// hundredths reads a sum of pence or cents: 92p.
func hundredths(f *schema.Field, figures []string, before, behind, own string) (literal, code string) {
	behind, _, _ = strings.Cut(behind, "/") // ct/kWh
	code = lang.Minor.Meaning(behind)
	if f.Type != schema.Money || len(figures) != 1 || before != "" || !lang.Minor.Has(behind) || code != "" && own != "" && code != own {
		return "", ""
	}
	if code == "" {
		code = own
	}
	if code == "" {
		return "", ""
	}
	return reading.Hundredth(figures[0]), code
}

func pairOf(literal, name, measure string) value.Value {
	return value.Obj(value.Num(literal).Named("amount"), value.Str(measure).Named(name))
}

// onlyFigure gives the one member besides the measure, if it is a number under
// another name: {"value": 7, "unit": "kg"}; -1 for none.
func onlyFigure(v *value.Value, measure string) int {
	at := -1
	for i := range v.Kids {
		switch kid := &v.Kids[i]; {
		case kid.Name == measure:
		case at >= 0 || kid.Kind != value.Number && (kid.Kind != value.String || !strings.ContainsAny(kid.Text, "0123456789")):
			return -1
		default:
			at = i
		}
	}
	return at
}

// saysNothing tells an amount without any value but a measure.
func saysNothing(v *value.Value, measure string) bool {
	for i := range v.Kids {
		if v.Kids[i].Name != measure && !v.Kids[i].Empty() {
			return false
		}
	}
	return len(v.Kids) > 0
}

// amountParts normalizes an amount that is an object already.
func amountParts(f *schema.Field, v *value.Value, name, own string) (string, value.Value, bool) {
	amount, measure := v.Get("amount"), v.Get(name)
	rule, out := "", v.Clone()
	if amount.Empty() {
		figure := onlyFigure(v, name)
		switch {
		case figure >= 0 && amount == nil:
			rule = RuleAmount
			out.Kids[figure].Name = "amount"
			amount, v = out.Get("amount"), &out
			measure = out.Get(name)
		case saysNothing(v, name):
			return RuleBlank, value.Value{}, true
		default:
			return "", value.Value{}, false
		}
	}
	if amount.Kind == value.String {
		if literal, r := number(f, amount.Text); literal != "" {
			if rule == "" {
				rule = r
			}
			out.Set("amount", value.Num(literal))
		} else if figures, before, behind, ok := reading.Amount(amount.Text, f.Numbers); ok && len(figures) == 1 && before+behind != "" {
			// The measure stands in the figure's text as well, and says the same.
			stated := measureOf(f, before, behind, own)
			if stated != "" && (measure.Empty() || measureOf(f, measure.Text, "", own) == stated) {
				return RuleAmount, pairOf(figures[0], name, stated), true
			}
		}
	}
	if n := out.Get("amount"); measure != nil && measure.Kind == value.String && n != nil && n.Kind == value.Number { // 29.90 ct
		if literal, code := hundredths(f, []string{n.Text}, "", strings.TrimSpace(measure.Text), own); literal != "" {
			return RuleAmount, pairOf(literal, name, code), true
		}
	}
	switch {
	case measure.Empty() && own != "":
		if rule != RuleAmount {
			rule = RuleMeasure
		}
		out.Set(name, value.Str(own))
	case measure != nil && measure.Kind == value.String:
		if m := measureOf(f, measure.Text, "", own); m != "" && m != measure.Text {
			if rule != RuleAmount {
				rule = RuleMeasure
			}
			out.Set(name, value.Str(m))
		}
	}
	return rule, out, rule != ""
}

// measureOf gives the currency or unit that stands before or behind a figure;
// the schema's own where none does. A currency is never turned into another.
func measureOf(f *schema.Field, before, behind, own string) string {
	text := strings.TrimSuffix(strings.TrimSpace(before+behind), ".")
	switch {
	case before != "" && behind != "":
		return ""
	case text == "":
		return own
	case f.Type == schema.Money:
		if code := lang.Sign.Meaning(text); code != "" {
			return code
		}
		// The dollar and the pound are several countries': the schema's, if it is
		// one of them.
		if own != "" && slices.Contains(lang.PerhapsSign.Names(own), text) {
			return own
		}
		if code := lang.Currency.Meaning(text); code != "" {
			return code
		}
		if code := strings.ToUpper(text); lang.Code.Has(code) {
			return code
		}
		return ""
	case own != "" && (strings.EqualFold(text, own) || slices.ContainsFunc(f.UnitAlso, func(also string) bool { return fold(also) == fold(text) })):
		return own
	case (text == "C" || text == "F") && (own == "" || strings.HasPrefix(reading.UnitOf(own), "°")):
		return "°" + text
	case own != "" && reading.UnitOf(text) == "" && len(strings.Fields(text)) > 1:
		return "" // words, and no unit
	}
	return text
}
