package fill

import (
	"cmp"
	"hash/fnv"
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// Pseudonyms replace what is sensitive in documents by others of the same form, the
// same by the same: values as a whole, and the words of names wherever else they stand,
// also in documents whose record has them not.
type Pseudonyms struct {
	schema *schema.Schema
	swap   map[string]string // by what it is for, in lower case
	find   *regexp.Regexp    // any of them; nil: there are none
}

// mostWords is how many words a value may have for its words to be looked for by
// themselves: a name has few, and the words of a sentence stand everywhere.
const mostWords = 4

// NewPseudonyms gives those of the sensitive texts of records.
func NewPseudonyms(s *schema.Schema, records []*value.Value) *Pseudonyms {
	p := &Pseudonyms{schema: s, swap: map[string]string{}}
	for _, rec := range records {
		p.sensitive(rec, func(_ value.Pointer, f *schema.Field, v *value.Value) {
			if f.Kin().Type != schema.Text || v.Kind != value.String {
				return
			}
			p.add(v.Text)
			words := strings.FieldsFunc(v.Text, func(r rune) bool { return !isPart(r) })
			if len(words) > mostWords {
				return
			}
			for _, w := range words {
				if utf8.RuneCountInString(w) > 2 && strings.ContainsFunc(w, unicode.IsLetter) {
					p.add(w)
				}
			}
		})
	}
	var all []string
	for text := range p.swap {
		all = append(all, text)
	}
	slices.SortFunc(all, func(a, b string) int { // the longest first
		return cmp.Or(len(b)-len(a), strings.Compare(a, b))
	})
	for i := range all {
		all[i] = regexp.QuoteMeta(all[i])
	}
	if len(all) > 0 {
		p.find = regexp.MustCompile(`(?i)` + strings.Join(all, "|"))
	}
	return p
}

// sensitive calls do for the sensitive values of a record.
func (p *Pseudonyms) sensitive(rec *value.Value, do func(at value.Pointer, f *schema.Field, v *value.Value)) {
	rec.Walk(func(at value.Pointer, v *value.Value) bool {
		f := p.schema.At(at)
		if f == nil || !f.IsLeaf() || v.Empty() {
			return true
		}
		if f.Sensitive {
			do(at, f, v)
		}
		return false
	})
}

// cover tells whether every sensitive value of a record stands in its text as the
// record has it, so that replacing does not miss it.
func (p *Pseudonyms) cover(rec *value.Value, text string) bool {
	places := evidence.Of(p.schema, rec, evidence.NewIndex(text))
	ok := true
	p.sensitive(rec, func(at value.Pointer, f *schema.Field, v *value.Value) {
		place := places[at]
		ok = ok && f.Kin().Type == schema.Text && v.Kind == value.String && place.Found() && text[place.Start:place.End] == v.Text
	})
	return ok
}

// add adds a text with its pseudonym.
func (p *Pseudonyms) add(text string) { p.swap[strings.ToLower(text)] = byWord(text) }

func isPart(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }

// byWord gives the pseudonym of a text word by word, so that a name has the same one
// wherever it stands.
func byWord(text string) string {
	var b strings.Builder
	for len(text) > 0 {
		n := strings.IndexFunc(text, func(r rune) bool { return !isPart(r) })
		switch n {
		case -1:
			n = len(text)
		case 0:
			_, n = utf8.DecodeRuneInString(text)
			b.WriteString(text[:n])
			text = text[n:]
			continue
		}
		b.WriteString(pseudonym(text[:n]))
		text = text[n:]
	}
	return b.String()
}

// in replaces what is sensitive in a text.
func (p *Pseudonyms) in(text string) string {
	if p == nil || p.find == nil {
		return text
	}
	var b strings.Builder
	last := 0
	for _, at := range p.find.FindAllStringIndex(text, -1) {
		if isWithin(text, at[0], at[1]) {
			continue
		}
		b.WriteString(text[last:at[0]])
		was := text[at[0]:at[1]]
		b.WriteString(inCaseOf(was, cmp.Or(p.swap[strings.ToLower(was)], byWord(was))))
		last = at[1]
	}
	b.WriteString(text[last:])
	return b.String()
}

// isWithin tells whether a place is part of a longer word.
func isWithin(text string, from, to int) bool {
	first, _ := utf8.DecodeRuneInString(text[from:])
	before, _ := utf8.DecodeLastRuneInString(text[:from])
	end, _ := utf8.DecodeLastRuneInString(text[:to])
	after, _ := utf8.DecodeRuneInString(text[to:])
	joined := func(a, b rune) bool { return isPart(a) && isPart(b) && !isSpaceless(a) && !isSpaceless(b) }
	return joined(before, first) || joined(end, after)
}

// isSpaceless tells whether a letter is of a script that has no spaces between words.
func isSpaceless(r rune) bool {
	return unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai, unicode.Lao, unicode.Khmer, unicode.Myanmar)
}

// inCaseOf writes a pseudonym in capitals or small where the text is so.
func inCaseOf(text, pseudonym string) string {
	switch {
	case text == strings.ToUpper(text):
		return strings.ToUpper(pseudonym)
	case text == strings.ToLower(text):
		return strings.ToLower(pseudonym)
	}
	return pseudonym
}

// inAnswer replaces it in the texts of an answer: values of text fields, and the words
// that values rest on.
func (p *Pseudonyms) inAnswer(f *schema.Field, v *value.Value) {
	if p == nil || p.find == nil || v == nil {
		return
	}
	switch {
	case f.Type == schema.Group:
		for _, kid := range f.Fields {
			p.inAnswer(kid, v.Get(kid.Name))
		}
	case f.Type == schema.List:
		for i := range v.Kids {
			p.inAnswer(f.Item, &v.Kids[i])
		}
	case f.Basis && v.Kind == value.Object:
		if own := v.Get("value"); own != nil && own.Kind == value.String && f.Kin().Type == schema.Text {
			own.Text = p.in(own.Text)
		}
		if basis := v.Get("basis"); basis != nil && basis.Kind == value.String {
			basis.Text = p.in(basis.Text)
		}
	case f.Kin().Type == schema.Text && v.Kind == value.String:
		v.Text = p.in(v.Text)
	}
}

// pseudonym gives a word of the same form: letters by letters, digits by digits, the
// same by the same in whatever case.
func pseudonym(word string) string {
	h := fnv.New64a()
	h.Write([]byte(strings.ToLower(word)))
	state := h.Sum64()
	next := func(n int) int {
		state = state*6364136223846793005 + 1442695040888963407
		return int((state >> 33) % uint64(n))
	}
	return strings.Map(func(r rune) rune {
		switch {
		case unicode.IsDigit(r):
			return rune('0' + next(10))
		case unicode.IsUpper(r):
			return rune('A' + next(26))
		}
		return rune('a' + next(26))
	}, word)
}
