package normalize

import (
	"regexp"
	"strings"
	"sync"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Unknown tells whether a text says that there is no value of a field. A choice
// that is called so is a choice.
func Unknown(f *schema.Field, text string) bool {
	word := strings.ToLower(strings.TrimSpace(text))
	if f.Type == schema.Choice {
		if _, known := Choice(f, text); known {
			return false
		}
	}
	if f.Pattern != nil && f.Pattern.MatchString(text) {
		return false
	}
	trimmed := strings.Trim(word, ".()[]<>\"' ")
	return lang.Unknown.Has(word) || lang.Unknown.Has(trimmed) || f.Type != schema.Text && (lang.Perhaps.Has(word) || lang.Perhaps.Has(trimmed))
}

// lookalikes are letters that OCR engines put for figures, each for one figure
// only.
var lookalikes = map[rune]rune{'O': '0', 'o': '0', 'Q': '0', 'D': '0', 'l': '1', 'I': '1', '|': '1', 'Z': '2', 'z': '2', 'S': '5', 's': '5', 'B': '8'}

// AsFigures gives a text with figures in place of all letters that look like
// them.
func AsFigures(text string) string {
	return strings.Map(func(r rune) rune {
		if to, ok := lookalikes[r]; ok {
			return to
		}
		return r
	}, text)
}

// likeness makes a text of one spelling of all letters and figures that are read
// for each other: oi1ed and oiled are alike.
func likeness(text string) string {
	return strings.Map(func(r rune) rune {
		switch r = unicode.ToLower(r); r {
		case 'i':
			return '1'
		}
		if to, ok := lookalikes[r]; ok {
			return to
		}
		return r
	}, fold(text))
}

// misread gives the one choice, or the one code of the field's pattern, that a
// text is but for letters and figures that look like each other; "" where it is
// legal itself, or may be two.
func misread(f *schema.Field, text string) string {
	switch {
	case f.Type == schema.Choice:
		if _, known := Choice(f, text); known || len(text) < 3 {
			return ""
		}
		if f.List != nil {
			found, _ := only(f.List.Named("likeness", likeness, text))
			return found
		}
		found := ""
		for _, o := range f.Of {
			for _, word := range append([]string{o.Value}, o.Also...) {
				if likeness(word) == likeness(text) {
					if found != "" && found != o.Value {
						return ""
					}
					found = o.Value
				}
			}
		}
		return found
	case f.Type == schema.Text && f.Pattern != nil && len(text) <= 40 && !f.Pattern.MatchString(text):
		return onlyMatch(f.Pattern, text)
	}
	return ""
}

// twins are the signs that look like one.
var twins = map[rune][]rune{'0': {'O'}, 'O': {'0'}, 'o': {'0'}, 'Q': {'0'}, 'D': {'0'}, '1': {'I', 'l'}, 'l': {'1'}, 'I': {'1'}, '|': {'1'}, '2': {'Z'}, 'Z': {'2'}, 'z': {'2'}, '5': {'S'}, 'S': {'5'}, 's': {'5'}, '8': {'B'}, 'B': {'8'}}

// onlyMatch gives the one text that a pattern matches and that is one sign away
// from text, or else two.
func onlyMatch(pattern *regexp.Regexp, text string) string {
	near := variants(text)
	for range 2 {
		found := ""
		for _, v := range near {
			if pattern.MatchString(v) && v != found {
				if found != "" {
					return ""
				}
				found = v
			}
		}
		if found != "" {
			return found
		}
		var further []string
		for _, v := range near {
			further = append(further, variants(v)...)
		}
		near = further
	}
	return ""
}

// variants gives the texts that are one such sign away.
func variants(text string) (all []string) {
	runes := []rune(text)
	for i, r := range runes {
		for _, to := range twins[r] {
			runes[i] = to
			all = append(all, string(runes))
		}
		runes[i] = r
	}
	return all
}

// Figures gives a text with the letters that look like figures as figures; ""
// where there are none, or where no figure stands beside them: a word of
// letters is a word.
func Figures(text string) string {
	figures, changed := 0, 0
	for _, r := range text {
		if unicode.IsDigit(r) {
			figures++
		} else if _, ok := lookalikes[r]; ok {
			changed++
		}
	}
	if changed == 0 || figures < changed {
		return ""
	}
	return AsFigures(text)
}

// converted gives a quantity in the schema's own unit.
func converted(f *schema.Field, v *value.Value) (value.Value, bool) {
	if f.Type != schema.Quantity || f.Unit == "" || v.Kind != value.Object {
		return value.Value{}, false
	}
	amount, unit := v.Get("amount"), v.Get("unit")
	if amount == nil || amount.Kind != value.Number || unit == nil || unit.Kind != value.String || unit.Text == f.Unit {
		return value.Value{}, false
	}
	if reading.UnitOf(unit.Text) == reading.UnitOf(f.Unit) && reading.UnitOf(f.Unit) != "" {
		return pairOf(amount.Text, "unit", f.Unit), true
	}
	if lang.HalfKilo.Has(unit.Text) { // or 453.6 g
		return value.Value{}, false
	}
	if literal := reading.Convert(amount.Text, unit.Text, f.Unit); literal != "" {
		return pairOf(literal, "unit", f.Unit), true
	}
	return value.Value{}, false
}

// sentence is "the NAME [number] [of the …|given] is VALUE.", or "NAME: VALUE".
var sentence = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)^(?:` + lang.Article.Pattern() + ` )?(.{1,60}?)(?: ` + lang.NumberLabel.Pattern() + `\.?)?(?: of the [\pL ]{2,30}?| ` + lang.AsStated.Pattern() + `)?\s*(?: ` + lang.Is.Pattern() + `|:|=)\s+(.+?)\.?$`)
})

// bareOf gives the value out of a sentence that says no more than the field's
// name: "The licence is A4411." gives A4411. What is said of anything else
// stays as it is.
func bareOf(f *schema.Field, text string) string {
	if code := behindLabel(f, text); code != "" {
		return code
	}
	m := sentence().FindStringSubmatch(text)
	if m == nil {
		return ""
	}
	said := PlainName(m[1])
	for _, name := range append([]string{f.Name, schema.Spoken(f.Name)}, f.PrintedAs...) {
		plain := PlainName(name)
		if plain != "" && (said == plain || strings.TrimSuffix(plain, "no") == said || said+"number" == plain) {
			return strings.Trim(m[2], "\"'“”‘’ ")
		}
	}
	return ""
}

// behindLabel gives the code that a text is but for a label that documents print
// before it: Nr. 7, Licence QL-058.
func behindLabel(f *schema.Field, text string) string {
	for _, label := range f.PrintedAs {
		if len(text) <= len(label) || !strings.EqualFold(text[:len(label)], label) || f.Pattern != nil && f.Pattern.MatchString(text) {
			continue
		}
		code, spaced := strings.CutPrefix(text[len(label):], " ")
		if (spaced || strings.HasSuffix(label, ".")) && code != "" && !strings.ContainsAny(code, " \t\n") && strings.ContainsFunc(code, unicode.IsDigit) {
			return code
		}
	}
	return ""
}

// isFigure tells the types whose values are written in figures.
func isFigure(f *schema.Field) bool {
	switch f.Type {
	case schema.Integer, schema.Number, schema.Money, schema.Quantity, schema.Date, schema.Time:
		return true
	}
	return false
}

// Rule is one normalizer, for people.
type Rule struct {
	Name    string
	Of      string // the types that it is for, or who asks for it
	Does    string
	Example string
}

// Rules are all normalizers, in the order in which they are tried.
var Rules = []Rule{
	{RuleKey, "names", "a field name in another case or style", "reportNo → report_no"},
	{RuleListOne, "list", "one item where a list belongs", `"rot" → ["rot"]`},
	{RuleListed, "list", "items of figures, dates or choices in one text", `"1, 2 and 4" → [1, 2, 4]`},
	{RuleTwice, "list with a key", "an item that says nothing beyond one with its key", `[{"no": 7}, {"no": 7}] → [{"no": 7}]`},
	{RuleFigures, "all", "figures of another script", `"٤٫٥٠" → "4.50"`},
	{RuleSpaces, "all", "white space at the ends and in runs", `" Heron  Plank" → "Heron Plank"`},
	{RuleBlank, "all", "an empty text is no value, and no item of a list", `"" → null`},
	{RuleUnknown, "all", "words for no value, such as N/A", `"N/A" → null`},
	{RuleSentence, "all", "a sentence around the value", `"The licence is QL-058." → "QL-058"`},
	{RuleAsText, "text", "a number where a text belongs", `7 → "7"`},
	{RuleDigits, "figures", "a number inside a string", `"12.5" → 12.5`},
	{RuleNumber, "figures", "in declared separators, or with only one reading", `"1.250,00" → 1250.00`},
	{RuleWhole, "integer", "decimals that are all zero", "3.0 → 3"},
	{RuleLookalikes, "figures", "letters that look like digits, among digits", `"1O.5" → 10.5`},
	{RuleMisread, "choice, text with a pattern", "the one legal value that looks the same", `"oi1ed" → "oiled"`},
	{RuleCode, "text with a pattern", "the code of the currency or the country that a text names", `"Germany" → "DE"`},
	{RulePattern, "text with a pattern or a format", "without its blanks and strokes, or the one word, day or length that the pattern takes", `"FR76 3000" → "FR763000"`},
	{RuleYesNo, "boolean", "a word for true or false, the field's own name among them", `"ja" → true`},
	{RuleDate, "date", "in a declared format, or with only one reading", `"3. März 2031" → "2031-03-03"`},
	{RuleTime, "time", "a time of day", `"9.30 h" → "09:30"`},
	{RuleMoment, "datetime", "a date with a time, in the zone that is said beside it or declared", `"3 April 2031, 2 pm CEST" → "2031-04-03T14:00:00+02:00"`},
	{RuleChoice, "choice", "a synonym, case or spacing", `"decayed timber" → "rot"`},
	{RuleAmount, "money, quantity, a group of both", "an amount written as a text", `"12,5 m" → {"amount": 12.5, "unit": "m"}`},
	{RuleMeasure, "money, quantity", "the schema's own, if none is given", `12.5 → {"amount": 12.5, "unit": "m"}`},
	{RuleJSON, "any", "a text that holds JSON", `"{\"a\": 1}" → {"a": 1}`},
	{RulePairs, "any", "names and values in a list, where names are free", `[{"key": "a", "value": 1}] → {"a": 1}`},
	{RuleUnit, "quantity, figures in a unit", "the schema's own unit, or the one that the field's name says, by an exact factor", "980 cm → 9.8 m"},
	{"upper", "normalize: upper", "capitals", `"ql-058" → "QL-058"`},
	{"lower", "normalize: lower", "small letters", `"ROT" → "rot"`},
	{"no-end-stop", "normalize: no-end-stop", "signs at the end", `"Renew the kerb." → "Renew the kerb"`},
	{"digits-only", "normalize: digits-only", "digits only", `"+49 (0)30 12" → "4903012"`},
	{"plain-signs", "normalize: plain-signs", "plain quotes and dashes, Unicode composed", `“a–b” → "a-b"`},
}
