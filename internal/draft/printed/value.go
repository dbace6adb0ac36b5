package printed

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

var (
	numberText = regexp.MustCompile(`[-+]?\d+(?:[.,]\d+)*`)
	dateText   = regexp.MustCompile(`\d{4}-\d{1,2}-\d{1,2}|\d{1,2}[./-]\s?\d{1,2}[./-]\s?\d{4}|\d{1,2}\.?(?:st|nd|rd|th)? (?:of )?\pL{3,9}\.?,? \d{4}|\pL{3,9} \d{1,2}(?:st|nd|rd|th)?,? \d{4}`)
	clockText  = regexp.MustCompile(`\b\d{1,2}[:.]\d{2}(?:[:.]\d{2})?\b`)
	stampText  = regexp.MustCompile(`\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(?::\d{2})?(?:Z|[+-]\d{2}:\d{2})`)
	amountText = regexp.MustCompile(`(?:\b[A-Z]{3}\s?|€\s?)?\d+(?:[.,]\d+)*(?:\s?(?:€|[A-Z]{3}\b|[a-zµ°%]{1,4}[²³]?(?:/[a-z]{1,3})?))?`)
	ordinal    = regexp.MustCompile(`(\d)(?:st|nd|rd|th)\b( of)?`)
	unknowns   = map[string]bool{"": true, "-": true, "–": true, "—": true, "n/a": true, "none": true, "nil": true, "unknown": true, "not stated": true, "not recorded": true, "?": true, "../..": true}
)

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
	if unknowns[lower(strings.Trim(text, ". "))] {
		return ""
	}
	switch f = f.Kin(); f.Type {
	case schema.Time:
		return clockText.FindString(text)
	case schema.DateTime:
		return stampText.FindString(text)
	case schema.Money, schema.Quantity:
		return amountText.FindString(text)
	case schema.Integer, schema.Number:
		if at := numberAt(text); at != nil {
			return text[at[0]:at[1]]
		}
		return numberWord(text)
	case schema.Date:
		return dateText.FindString(text)
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

var numberWords = []string{"zero", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"}

func numberWord(text string) string {
	first, _, _ := strings.Cut(lower(strings.TrimSpace(text)), " ")
	for _, w := range numberWords {
		if w == first {
			return w
		}
	}
	return ""
}

// optionIn finds the option of a choice whose words stand first in a text; of
// two that start at the same place the longer.
func optionIn(f *schema.Field, text string) (option, word string) {
	low := lower(text)
	at := len(low) + 1
	for _, o := range f.Of {
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
		_, err := time.Parse(time.RFC3339, raw)
		return value.Str(raw), err == nil
	case schema.Integer, schema.Number:
		if f.Numbers.Decimal != "" {
			if literal := normalize.Declared(f, raw); literal != "" && (f.Type == schema.Number || value.IsInteger(literal)) {
				return value.Num(literal), true
			}
		}
		literal := strings.ReplaceAll(raw, ",", ".")
		if i := slices.Index(numberWords, lower(raw)); i >= 0 {
			literal = strconv.Itoa(i)
		}
		v := value.Str(literal)
		if _, to, ok := normalize.ByType(f, &v); ok {
			return to, true
		}
		return v, false
	case schema.Date:
		clean := ordinal.ReplaceAllString(strings.ReplaceAll(raw, ". ", "."), "$1")
		if t, ok := f.ReadDate(clean); ok {
			return value.Str(schema.ISODate(t)), true
		}
		if t, ok := f.ReadDate(ordinal.ReplaceAllString(raw, "$1")); ok {
			return value.Str(schema.ISODate(t)), true
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
