package normalize

import (
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// YesNo reads the words that forms use for true and false.
func YesNo(text string) (b, known bool) {
	if tick := strings.TrimSpace(text); tick == "[ ]" || tick == "[]" { // as forms have it
		return false, true
	}
	word := strings.Trim(text, " .[]")
	b = lang.Yes.Has(word)
	return b, b || lang.No.Has(word)
}

// Opposite reports whether one of two words denies the other.
func Opposite(a, b string) bool {
	if a == "" || b == "" {
		return false
	}
	return slices.ContainsFunc(opposites(), func(pair [2]string) bool {
		return isFormOf(pair[0], a) && isFormOf(pair[1], b) || isFormOf(pair[0], b) && isFormOf(pair[1], a)
	})
}

// opposites are all pairs of words that deny each other.
var opposites = sync.OnceValue(func() (pairs [][2]string) {
	for _, l := range lang.Languages() {
		pairs = append(pairs, l.Meanings(lang.Opposite)...)
	}
	return pairs
})

// Says reads a text for true or false of one field: the words that it declares, those of YesNo, and those
// of Means by the field's own name.
func Says(f *schema.Field, text string) (b, known bool) {
	for i, words := range [][]string{f.Yes, f.No} {
		for _, w := range words {
			if fold(w) == fold(text) {
				return i == 0, true
			}
		}
	}
	if b, known = YesNo(text); known {
		return b, known
	}
	return Means(f.SpokenName(), text)
}

// Means reads words for true or false of what a boolean is called: its name in some form (`closed`, for passed
// `pass`), what denies it (`open`, `not closed`, `unpaid`), and how a test went, where the name says
// that, too (`rejected` for passed).
func Means(name, text string) (b, known bool) {
	name, text = strings.ToLower(name), strings.ToLower(strings.Trim(text, " .[]"))
	if name == "" || text == "" {
		return false, false
	}
	if b, known = means(name, text); known {
		return b, known
	}
	if !isPlain(name) || !isPlain(text) { // inoccupé, for occupe
		if b, known = means(lang.PlainLetters(name), lang.PlainLetters(text)); known {
			return b, known
		}
	}
	if rest := denied(text); rest != "" {
		b, known = means(name, rest)
		return !b, known
	}
	return false, false
}

// isPlain tells a text without letters that have a sign.
func isPlain(text string) bool {
	return !strings.ContainsFunc(text, func(r rune) bool { return r >= utf8.RuneSelf })
}

func means(name, text string) (b, known bool) {
	says := lang.Verdict.Meaning(text)
	switch {
	case isFormOf(name, text):
		return true, true
	case Opposite(text, name), isDenied(name, text), isDenied(text, name):
		return false, true
	case says != "" && lang.Verdict.Meaning(name) != "":
		return says == lang.Verdict.Meaning(name), true
	}
	return false, false
}

// isDenied tells whether a word is another one behind what denies it: unpaid, non-compliant.
func isDenied(word, text string) bool {
	return slices.ContainsFunc(lang.Negative.Words(), func(no string) bool {
		rest, ok := strings.CutPrefix(text, no)
		return ok && utf8.RuneCountInString(rest) >= shortestStem && isFormOf(word, strings.TrimLeft(rest, " -"))
	})
}

// shortestStem is how many letters of a word stay at least before its ending.
const shortestStem = 4

// isFormOf tells whether two words are one but for the ending of a verb or an adjective: passed, passes.
func isFormOf(a, b string) bool {
	n := 0
	for n < min(len(a), len(b)) && a[n] == b[n] {
		n++
	}
	isEnding := func(rest string) bool { return rest == "" || lang.VerbEnding.Has(rest) || lang.Inflection.Has(rest) }
	return a == b || n >= shortestStem && !strings.Contains(a+b, " ") && isEnding(a[n:]) && isEnding(b[n:])
}

// denied gives what a text says is not so: closed, of "not closed"; "" for one
// that denies nothing.
func denied(text string) string {
	first, rest, _ := strings.Cut(text, " ")
	if !lang.Not.Has(first) {
		return ""
	}
	return rest
}

// Choice finds the one option that text means by its value, a synonym, case
// or spacing.
func Choice(f *schema.Field, text string) (string, bool) {
	if f.List != nil && f.List.Has(text) {
		return text, true
	}
	for i := 0; i < len(f.Of) && f.List == nil; i++ {
		if f.Of[i].Value == text {
			return text, true
		}
	}
	if found, ok := option(f, text); ok {
		return found, true
	}
	if found, ok := measureOption(f, text); ok {
		return found, true
	}
	if one, plural := strings.CutSuffix(strings.ToLower(text), "s"); f.List == nil && len(text) > 3 { // PARTS for PART
		if !plural {
			one = text + "s"
		}
		if found, ok := option(f, one); ok {
			return found, true
		}
	}
	// An option with an explanation behind it: rot (decayed timber).
	if at := strings.IndexAny(text, "(:"); at > 0 {
		return option(f, text[:at])
	}
	return "", false
}

// option finds the one option that a text names.
func option(f *schema.Field, text string) (string, bool) {
	if f.List != nil {
		return only(f.List.Meant(text))
	}
	found := ""
	want := fold(text)
	for _, o := range f.Of {
		hit := fold(o.Value) == want
		for _, also := range o.Also {
			hit = hit || fold(also) == want
		}
		if hit && found != "" && found != o.Value {
			return "", false
		}
		if hit {
			found = o.Value
		}
	}
	return found, found != ""
}

// only gives the one option there is.
func only(options []*schema.Option) (string, bool) {
	if len(options) != 1 {
		return "", false
	}
	return options[0].Value, true
}

// fold makes spellings alike that mean one option.
func fold(s string) string { return schema.FoldOption(s) }
