package normalize

import (
	"regexp"
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// number gives the JSON literal of a number in figures, and the rule that read
// it: as JSON would write it, or in the signs that the field declares.
func number(f *schema.Field, text string) (literal, rule string) {
	if f.Numbers.Decimal == "" {
		if literal := jsonNumber(text); literal != "" {
			return literal, RuleDigits
		}
		return OneReading(text), RuleNumber
	}
	if declared := Declared(f, text); declared != "" {
		return declared, RuleNumber
	}
	return "", ""
}

// Declared reads a number in the signs that a field declares: groups, if there
// are any, must have three digits each. "" if it is not written so.
func Declared(f *schema.Field, text string) string {
	body := strings.TrimLeft(text, "+-")
	sign := ""
	if strings.HasPrefix(text, "-") {
		sign = "-"
	}
	if len(text)-len(body) > 1 {
		return ""
	}
	whole, fraction, hasFraction := strings.Cut(body, f.Numbers.Decimal)
	if hasFraction && (fraction == "" || strings.Trim(fraction, "0123456789") != "") {
		return ""
	}
	if g := f.Numbers.Group; g != "" && strings.Contains(whole, g) {
		groups := strings.Split(whole, g)
		if len(groups[0]) == 0 || len(groups[0]) > 3 {
			return ""
		}
		for _, part := range groups[1:] {
			if len(part) != 3 {
				return ""
			}
		}
		whole = strings.Join(groups, "")
	}
	if whole == "" || strings.Trim(whole, "0123456789") != "" {
		return ""
	}
	literal := strings.TrimLeft(whole, "0")
	if literal == "" {
		literal = "0"
	}
	if hasFraction {
		literal += "." + fraction
	}
	return sign + literal
}

var amountText = regexp.MustCompile(`^(\pL{1,12}\.?|[€°%²³/µ\pL]{0,6})?\s*([-+]?[0-9][0-9.,'’ ]*[0-9]|[-+]?[0-9])\s*([\pL€°%/²³µ.]{1,12})?$`)

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
		m := amountText.FindStringSubmatch(v.Text)
		if m == nil {
			return "", to, false
		}
		literal, _ := number(f, strings.TrimSpace(m[2]))
		measure := measureOf(f, m[1], m[3], own)
		if literal == "" || measure == "" {
			return "", to, false
		}
		return RuleAmount, pairOf(literal, name, measure), true
	}
	return "", to, false
}

func pairOf(literal, name, measure string) value.Value {
	return value.Obj(value.Num(literal).Named("amount"), value.Str(measure).Named(name))
}

// amountParts normalizes an amount that is an object already.
func amountParts(f *schema.Field, v *value.Value, name, own string) (string, value.Value, bool) {
	amount, measure := v.Get("amount"), v.Get(name)
	if amount.Empty() {
		if len(v.Kids) > 0 && len(v.Kids) <= 2 {
			return RuleBlank, value.Value{}, true
		}
		return "", value.Value{}, false
	}
	rule, out := "", v.Clone()
	if amount.Kind == value.String {
		if literal, r := number(f, amount.Text); literal != "" {
			rule = r
			out.Set("amount", value.Num(literal))
		} else if m := amountText.FindStringSubmatch(amount.Text); m != nil && m[1]+m[3] != "" {
			// The measure stands in the figure's text as well, and says the same.
			literal, _ := number(f, strings.TrimSpace(m[2]))
			stated := measureOf(f, m[1], m[3], own)
			if literal != "" && stated != "" && (measure.Empty() || measureOf(f, measure.Text, "", own) == stated) {
				return RuleAmount, pairOf(literal, name, stated), true
			}
		}
	}
	switch {
	case measure.Empty() && own != "":
		rule = RuleMeasure
		out.Set(name, value.Str(own))
	case measure != nil && measure.Kind == value.String:
		if m := measureOf(f, measure.Text, "", own); m != "" && m != measure.Text {
			rule = RuleMeasure
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
		// A sign that stands for one currency only: the dollar and the pound are
		// several countries'.
		if code := lang.Sign.Meaning(text); code != "" {
			return code
		}
		if code := lang.Currency.Meaning(text); code != "" {
			return code
		}
		if code := strings.ToUpper(text); len(code) == 3 && strings.Trim(code, "ABCDEFGHIJKLMNOPQRSTUVWXYZ") == "" {
			return code
		}
		return ""
	case own != "" && (strings.EqualFold(text, own) || slices.ContainsFunc(f.UnitAlso, func(also string) bool { return fold(also) == fold(text) })):
		return own
	}
	return text
}

var clock = regexp.MustCompile(`^(\d{1,2})[:.h](\d{2})(?:[:.](\d{2}))?\s*(?:h|hrs?|o'clock)?$`)

// TimeOfDay reads a time on the 24-hour clock.
func TimeOfDay(text string) (string, bool) {
	m := clock.FindStringSubmatch(strings.TrimSpace(text))
	if m == nil {
		return "", false
	}
	at := m[1] + ":" + m[2]
	if len(m[1]) == 1 {
		at = "0" + at
	}
	if m[3] != "" {
		at += ":" + m[3]
	}
	return at, schema.IsTime(at)
}
