package score

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/agext/levenshtein"
	"golang.org/x/text/unicode/norm"

	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// ErrorType says how a leaf went wrong.
type ErrorType string

// The causes, in the order in which they are looked for.
const (
	Spacing     ErrorType = "spacing"
	Case        ErrorType = "case"
	Punctuation ErrorType = "punctuation"
	Accents     ErrorType = "accents"
	NumberStyle ErrorType = "number-style"
	DateStyle   ErrorType = "date-style"
	Unit        ErrorType = "unit"
	Lookalike   ErrorType = "lookalike"
	Synonym     ErrorType = "synonym"
	Suspect     ErrorType = "gold-suspect"
	Swapped     ErrorType = "swapped"
	PartOf      ErrorType = "part-of"
	MoreThan    ErrorType = "more-than"
	Spelling    ErrorType = "spelling"
	Unsupported ErrorType = "unsupported"
	Another     ErrorType = "another-value"
	NotFound    ErrorType = "not-found"
	Unstated    ErrorType = "unstated"
	NotInferred ErrorType = "not-inferred"
	NotInGold   ErrorType = "not-in-gold"
	ItemMissed  ErrorType = "item-missed"
	ItemExtra   ErrorType = "item-extra"
)

// ErrorTypes gives all causes with what they mean.
func ErrorTypes() [][2]string {
	return [][2]string{
		{string(Spacing), "equal except for white space"}, {string(Case), "equal except for upper and lower case"},
		{string(Punctuation), "equal except for punctuation"}, {string(Accents), "equal except for accents"},
		{string(NumberStyle), "the same number in another style"}, {string(DateStyle), "the same date in another style, or with day and month swapped"},
		{string(Unit), "the same amount in another unit or currency"}, {string(Lookalike), "equal except for letters and digits that look alike"},
		{string(Synonym), "another word for the choice"}, {string(Suspect), "in the source, while gold's value is not"},
		{string(Swapped), "the value of another field or item"}, {string(PartOf), "a part of gold's value"}, {string(MoreThan), "more than gold's value"},
		{string(Spelling), "equal except for a few characters"}, {string(Unsupported), "filled, but nowhere in the source"}, {string(Another), "another value of the source"},
		{string(NotFound), "not filled, though gold's value is in the source"}, {string(Unstated), "not filled, and gold's value is not in the source"},
		{string(NotInferred), "not filled, and gold's value has to be inferred from other words"}, {string(NotInGold), "filled from the source; gold has no value"}, {string(ItemMissed), "in an item that the record does not have"}, {string(ItemExtra), "in an item that gold does not have"},
	}
}

// textOf gives a leaf's value as one text.
func textOf(v *value.Value) string {
	if amount := v.Get("amount"); amount != nil {
		text := amount.Text
		for _, name := range []string{"currency", "unit"} {
			if m := v.Get(name); !m.Empty() {
				text += " " + m.Text
			}
		}
		return text
	}
	if v.Kind == value.Object || v.Kind == value.Array {
		return v.Named("").String()
	}
	return v.Text
}

// alikeBut finds the one respect in which two values differ, or "".
func alikeBut(f *schema.Field, gold, filled *value.Value) ErrorType {
	g, d := textOf(gold), textOf(filled)
	switch {
	case g == d && gold.Kind != filled.Kind:
		return NumberStyle
	case filled.Kind == value.String && gold.Kind != value.String && readAs(f, filled, gold):
		return NumberStyle
	case strip(g, unicode.IsSpace) == strip(d, unicode.IsSpace):
		return Spacing
	case strings.EqualFold(g, d):
		return Case
	case bare(g) == bare(d) && bare(g) != "" && !numeric(gold):
		return Punctuation
	case unaccented(g) == unaccented(d):
		return Accents
	case otherDate(f, g, d):
		return DateStyle
	case f.Type == schema.Quantity || f.Type == schema.Money:
		if c := otherAmount(f, gold, filled); c != "" {
			return c
		}
	}
	switch {
	case numeric(gold) && digits(g) != "" && digits(g) == digits(d) && len(digits(d)) == len(strip(d, func(r rune) bool { return !unicode.IsDigit(r) })) && !numeric(filled):
		return NumberStyle
	case normalize.AsFigures(g) == normalize.AsFigures(d) && strings.ContainsFunc(g, unicode.IsDigit):
		return Lookalike
	case gold.Kind == value.String && lookalike.Replace(g) == lookalike.Replace(d):
		return Lookalike
	case f.Type == schema.Choice:
		if option, ok := normalize.Choice(f, d); ok && option == g {
			return Synonym
		}
	}
	return ""
}

func strip(s string, drop func(rune) bool) string {
	return strings.Map(func(r rune) rune {
		if drop(r) {
			return -1
		}
		return r
	}, s)
}

// bare gives the letters and figures of a text in small letters.
func bare(s string) string {
	return strings.ToLower(strip(s, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }))
}

func unaccented(s string) string {
	return strings.ToLower(strip(norm.NFD.String(s), unicode.IsMark))
}

func numeric(v *value.Value) bool { return v.Kind == value.Number || v.Get("amount") != nil }

func digits(s string) string { return strip(s, func(r rune) bool { return !unicode.IsDigit(r) }) }

// otherDate tells whether two texts are one date in two styles, or one with day
// and month changed.
func otherDate(f *schema.Field, g, d string) bool {
	if f.Type != schema.Date || len(g) != 10 {
		return false
	}
	if t, ok := f.ReadDate(d); ok && t == g {
		return true
	}
	for _, text := range []string{"D.M.YYYY", "D/M/YYYY", "M/D/YYYY", "M.D.YYYY", "D-M-YYYY", "YYYY/M/D", "YYYY.M.D", "D. M. YYYY"} {
		format, err := schema.ParseDateFormat(text)
		if t, ok := format.Read(d); err == nil && ok && t == g {
			return true
		}
	}
	return len(d) == 10 && g[:4] == d[:4] && g[5:7] == d[8:] && g[8:] == d[5:7]
}

// otherAmount tells whether two amounts are one in two units, or differ in their
// unit or currency alone.
func otherAmount(f *schema.Field, gold, filled *value.Value) ErrorType {
	a, b := gold.Get("amount"), filled.Get("amount")
	if a == nil || b == nil || a.Kind != value.Number || b.Kind != value.Number {
		return ""
	}
	name, _ := f.Measure()
	m, n := gold.Get(name), filled.Get(name)
	if value.Equal(a, b) {
		return Unit
	}
	if f.Type == schema.Quantity && !m.Empty() && !n.Empty() {
		if to := reading.Convert(b.Text, n.Text, m.Text); to != "" && value.EqualNumbers(to, a.Text) {
			return Unit
		}
	}
	return ""
}

// readAs tells whether a text means a number or an amount, as the field reads it.
func readAs(f *schema.Field, text, v *value.Value) bool {
	own := value.Str(text.Text)
	_, to, ok := normalize.ByType(f, &own)
	if !ok || to.Kind != v.Kind {
		return false
	}
	name, _ := f.Measure()
	if a, b := to.Get("amount"), v.Get("amount"); a != nil && b != nil {
		m, n := to.Get(name), v.Get(name)
		return value.Equal(a, b) && (m.Empty() || n.Empty() || value.Equal(m, n))
	}
	return value.Equal(&to, v)
}

// lookalike makes signs one that look alike in print, and pairs that look like one letter.
var lookalike = strings.NewReplacer("rn", "m", "vv", "w", "cl", "d", "I", "l", "1", "l", "|", "l", "!", "l", "i", "l", "0", "O", "o", "O", "5", "S", "s", "S", "8", "B", "2", "Z", "z", "Z", "6", "G", "9", "g")

// withinText tells whether the words of one text are a stretch of those of another;
// punctuation beside them is none of them.
func withinText(part, whole string) bool {
	words := func(text string) (all []string) {
		for _, w := range strings.Fields(strings.ToLower(text)) {
			if w = strings.TrimFunc(w, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }); w != "" {
				all = append(all, w)
			}
		}
		return all
	}
	p, w := words(part), words(whole)
	if len(p) == 0 || len(p) >= len(w) {
		return false
	}
	return strings.Contains(" "+strings.Join(w, " ")+" ", " "+strings.Join(p, " ")+" ")
}

// misspelled tells whether few edits lie between two texts.
func misspelled(g, d string) bool {
	longer := max(utf8.RuneCountInString(g), utf8.RuneCountInString(d))
	return longer >= 4 && levenshtein.Distance(g, d, nil) <= max(1, longer/5)
}
