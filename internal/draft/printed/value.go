package printed

import (
	"regexp"
	"strings"
	"sync"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

var (
	numberText = lazy.New(`[-+]?\d+(?:[.,]\d+)*`)
	clockText  = lazy.New(`\b\d{1,2}[:.]\d{2}(?:[:.]\d{2})?\b`)
)

// dateText is a date as documents print it, with the endings of days and the
// words before months of all languages.
var dateText = sync.OnceValue(func() *regexp.Regexp {
	th, of := lang.Ordinal.Pattern(), lang.OrdinalOf.Pattern()
	return regexp.MustCompile(`\d{4}-\d{1,2}-\d{1,2}|\d{1,2}[./-]\s?\d{1,2}[./-]\s?\d{4}|\d{1,2}\.?` + th + `? (?:` + of + ` )?\pL{3,12}\.?,? (?:` + of + ` )?\d{4}|\pL{3,9} \d{1,2}` + th + `?,? \d{4}`)
})

// amountText is a figure with the currency or the unit beside it, in the words
// and signs of all languages, or a short one that is not known.
var amountText = sync.OnceValue(func() *regexp.Regexp {
	sign, words := lang.Sign.Pattern()+`|[$£¥]`, lang.Unit.Pattern()+`|`+lang.Currency.Pattern()+`|`+lang.PerhapsSign.Pattern()
	return regexp.MustCompile(`(?:\b[A-Z]{3}\s?|(?:` + sign + `)\s?)?(?:\d{1,3}(?: \d{3})+\b|\d+)(?:[.,]\d+)*(?:\s?(?:` + sign + `|(?i:` + words + `)\b|[A-Z]{3}\b|[a-zµ°%]{1,4}[²³]?(?:/[a-z]{1,3})?))?`)
})

// plainDate gives a date without the ending of its day and the words before its month
// and year: 3 April 2031, of the 3rd of April 2031 and of 3 de abril de 2031.
func plainDate(date string) string {
	return bareDate().ReplaceAllString(date, "$1$2")
}

var bareDate = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?i)(\d)` + lang.Ordinal.Pattern() + `([ ,.]|$)(?:` + lang.OrdinalOf.Pattern() + ` )?|\b` + lang.OrdinalOf.Pattern() + ` `)
})

// isBlank tells what forms have where there is no value: words for it, or
// nothing but points and strokes.
func isBlank(text string) bool {
	text = strings.Trim(text, ". ")
	return strings.Trim(text, "-–—_./?…") == "" || lang.Unknown.Has(text) || lang.Perhaps.Has(text)
}

// numberAt finds the first number that is no part of another word: not the 114
// of QL-114.
func numberAt(text string) []int {
	for from := 0; ; {
		at := numberText.FindStringIndex(text[from:])
		if at == nil {
			return nil
		}
		at[0], at[1] = at[0]+from, at[1]+from
		if at[0] == 0 || !letter(text[at[0]-1]) && (at[0] < 2 || text[at[0]-1] != '-' || !letter(text[at[0]-2])) {
			return at
		}
		from = at[1]
	}
}

// printed cuts from a text the part that a field's type can use, as it is
// printed; "" where there is none.
func printed(f *schema.Field, text string) string {
	text = strings.TrimSpace(text)
	if isBlank(text) {
		return ""
	}
	switch f = f.Kin(); f.Type {
	case schema.Time:
		return clockText.FindString(text)
	case schema.DateTime:
		return reading.MomentIn(text)
	case schema.Money, schema.Quantity:
		return amountText().FindString(text)
	case schema.Integer, schema.Number:
		if amount := measured(f, text); amount != "" {
			return amount
		}
		if at := numberAt(text); at != nil {
			return text[at[0]:at[1]]
		}
		return numberWord(text)
	case schema.Date:
		return dateText().FindString(text)
	case schema.Boolean:
		for _, w := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(" ,;.()", r) }) {
			if _, known := yesNo(f, w); known {
				return w
			}
		}
		return ""
	case schema.Choice:
		_, word := optionIn(f, text)
		return word
	}
	text = strings.TrimLeft(text, " -–—_=:")
	if strings.Count(text, ")") > strings.Count(text, "(") {
		text = strings.TrimSuffix(text, ")")
	}
	return strings.TrimRight(text, " ,;")
}

// measured gives the amount with its measure that a text begins with, where a plain number can be read from
// it: £41.00, and 400 g where the field's name says in which unit it counts.
func measured(f *schema.Field, text string) string {
	amount := strings.TrimSpace(amountText().FindString(text))
	if !strings.ContainsFunc(amount, func(r rune) bool { return unicode.IsLetter(r) || unicode.Is(unicode.Sc, r) || r == '%' }) {
		return ""
	}
	said := value.Str(amount)
	if _, _, ok := normalize.ByType(f, &said); !ok {
		return ""
	}
	return amount
}

// yesNo reads a word for true or false; also a word of the field's own name
// (`closed`), and its opposite.
func yesNo(f *schema.Field, word string) (b, known bool) {
	if b, known = normalize.Says(f, word); known {
		return b, known
	}
	word = lower(word)
	for _, w := range words(schema.Spoken(f.Name)) {
		if word == w || normalize.Opposite(word, w) {
			return word == w, true
		}
	}
	return false, false
}

func numberWord(text string) string {
	first, _, _ := strings.Cut(lower(strings.TrimSpace(text)), " ")
	if lang.Number.Meaning(first) == "" {
		return ""
	}
	return first
}

// optionIn finds the option of a choice whose words stand first in a text; of
// two that start at the same place the longer.
func optionIn(f *schema.Field, text string) (option, word string) {
	low := lower(text)
	at := len(low) + 1
	of := f.Of
	if f.List != nil {
		of = nil
		found, _ := f.List.Candidates(text)
		for _, o := range found {
			of = append(of, *o)
		}
	}
	for _, o := range of {
		for _, w := range append([]string{o.Value, schema.Spoken(o.Value)}, o.Also...) {
			i := wordIndex(low, lower(w))
			if i >= 0 && (i < at || i == at && len(w) > len(word)) {
				at, option, word = i, o.Value, text[i:i+len(w)]
			}
		}
	}
	return option, word
}

// wordIndex finds whole words.
func wordIndex(text, word string) int {
	for from := 0; word != "" && from <= len(text)-len(word); {
		i := strings.Index(text[from:], word)
		if i < 0 {
			return -1
		}
		i += from
		end := i + len(word)
		if (i == 0 || !letter(text[i-1])) && (end == len(text) || !letter(text[end])) {
			return i
		}
		from = i + 1
	}
	return -1
}

func letter(c byte) bool {
	return c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z' || c >= 0x80
}

// Value gives the value that a printed text stands for under a field's type;
// false where it can't be read as one.
func Value(f *schema.Field, raw string) (value.Value, bool) {
	switch f = f.Kin(); f.Type {
	case schema.Time, schema.Money, schema.Quantity:
		v := value.Str(raw)
		if _, to, ok := normalize.ByType(f, &v); ok {
			return to, true
		}
		if f.Type != schema.Time && f.Numbers.Decimal == "" {
			loose := *f // a figure with a comma, read as one reads it
			loose.Numbers = schema.NumberFormat{Decimal: ",", Group: "."}
			if _, to, ok := normalize.ByType(&loose, &v); ok {
				return to, true
			}
		}
		return v, f.Type == schema.Time && schema.IsTime(raw)
	case schema.DateTime:
		v := value.Str(raw)
		if _, to, ok := normalize.ByType(f, &v); ok {
			v = to
		}
		return v, f.IsDateTime(v.Text)
	case schema.Integer, schema.Number:
		if amount := measured(f, raw); amount != "" {
			v := value.Str(amount)
			_, to, ok := normalize.ByType(f, &v)
			return to, ok
		}
		if f.Numbers.Decimal != "" {
			if literal := reading.Declared(f.Numbers, raw); literal != "" && (f.Type == schema.Number || value.IsInteger(literal)) {
				return value.Num(literal), true
			}
		}
		literal := strings.ReplaceAll(raw, ",", ".")
		if figures := lang.Number.Meaning(raw); figures != "" {
			literal = figures
		}
		v := value.Str(literal)
		if _, to, ok := normalize.ByType(f, &v); ok {
			return to, true
		}
		return v, false
	case schema.Date:
		clean := plainDate(strings.ReplaceAll(raw, ". ", "."))
		if t, ok := f.ReadDate(clean); ok {
			return value.Str(t), true
		}
		if t, ok := f.ReadDate(plainDate(raw)); ok {
			return value.Str(t), true
		}
		return value.Str(raw), false
	case schema.Boolean:
		b, ok := yesNo(f, raw)
		return value.Boolean(b), ok
	case schema.Choice:
		option, _ := optionIn(f, raw)
		return value.Str(option), option != ""
	}
	return value.Str(raw), true
}
