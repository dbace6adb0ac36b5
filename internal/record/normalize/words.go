package normalize

import (
	"strings"

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
	denies, denied := lang.Opposite.Meaning(a), lang.Opposite.Meaning(b)
	return denies != "" && denies == b || denied != "" && denied == a
}

// Says reads a text for true or false of one field: the words that it declares,
// those of YesNo, the field's own name (`closed`), and what denies it (`open`, `not closed`).
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
	text, name := strings.ToLower(strings.Trim(text, " .[]")), strings.ToLower(f.SpokenName())
	switch {
	case text == "" || name == "":
		return false, false
	case text == name:
		return true, true
	case Opposite(text, name), denied(text) == name:
		return false, true
	}
	return false, false
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
