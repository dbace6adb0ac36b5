// Package pair compares two values and pairs the items of two lists.
//
// Rules it keeps (the definitions are in docs/scoring.md):
//
//   - Texts are compared letter by letter, whatever Unicode form these have; numbers as
//     exact decimals.
//   - null, an empty text and an absent key are the same: no value.
//   - Pairing is optimal, not greedy, and falls the same way whatever order
//     items or keys come in.
package pair

import (
	"slices"
	"sort"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/shopspring/decimal"
	"golang.org/x/text/unicode/norm"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Least is the similarity from which on two items may be a pair.
const Least = 0.3

// Has reports whether v holds a value of field f: a leaf that is not empty.
func Has(v *value.Value) bool { return !v.Empty() }

// Right reports whether two values, neither of them empty, are the same by the
// field's comparison:
//
//	exact          texts letter by letter (in NFC), numbers as exact decimals, also those that a
//	               schema lets come as texts
//	loose          texts but for case, white space and punctuation
//	{within: x}    numbers and amounts that differ by at most x; the measure
//	               beside an amount must be the same
//	{similar: x}   texts whose edit similarity is at least x
//	set            texts whose words are the same, in any order
func Right(f *schema.Field, gold, filled *value.Value) bool {
	gold, filled = f.Figure(gold), f.Figure(filled)
	if value.Equal(gold, filled) {
		return true
	}
	if f.Compare.Kind == "within" {
		return within(f, gold, filled)
	}
	if gold.Kind != value.String || filled.Kind != value.String {
		return false
	}
	if norm.NFC.String(gold.Text) == norm.NFC.String(filled.Text) {
		return true
	}
	switch f.Compare.Kind {
	case "loose":
		return strings.Join(plainWords(gold.Text), " ") == strings.Join(plainWords(filled.Text), " ")
	case "set":
		a, b := plainWords(gold.Text), plainWords(filled.Text)
		sort.Strings(a)
		sort.Strings(b)
		return slices.Equal(slices.Compact(a), slices.Compact(b))
	case "similar":
		bound, err := strconv.ParseFloat(f.Compare.Bound, 64)
		return err == nil && editSimilarity(gold.Text, filled.Text) >= bound
	}
	return false
}

// plainWords gives the words of a text in lower case, without punctuation.
func plainWords(text string) []string {
	return strings.FieldsFunc(strings.ToLower(norm.NFC.String(text)), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r) && !unicode.IsMark(r)
	})
}

func within(f *schema.Field, gold, filled *value.Value) bool {
	if gold.Kind == value.Object && filled.Kind == value.Object {
		name, _ := f.Measure()
		m, n := gold.Get(name), filled.Get(name)
		if (m.Empty() != n.Empty()) || (!m.Empty() && !value.Equal(m, n)) {
			return false
		}
		gold, filled = gold.Get("amount"), filled.Get("amount")
	}
	if gold == nil || filled == nil || gold.Kind != value.Number || filled.Kind != value.Number {
		return false
	}
	a, err1 := decimal.NewFromString(gold.Text)
	b, err2 := decimal.NewFromString(filled.Text)
	bound, err3 := decimal.NewFromString(f.Compare.Bound)
	if err1 != nil || err2 != nil || err3 != nil || a.Exponent() > 400 || b.Exponent() > 400 {
		return false
	}
	return a.Sub(b).Abs().LessThanOrEqual(bound)
}

// editSimilarity is 1 − edits / length of the longer text, in code points.
func editSimilarity(a, b string) float64 {
	longer := max(utf8.RuneCountInString(a), utf8.RuneCountInString(b))
	if longer == 0 {
		return 1
	}
	a, b = apart(a, b)
	return 1 - float64(edits(a, b))/float64(longer)
}

// apart takes off what two texts begin and end with alike: the edits between them
// are the same without.
func apart(a, b string) (string, string) {
	n := 0
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	for n > 0 && (n < len(a) && !utf8.RuneStart(a[n]) || n < len(b) && !utf8.RuneStart(b[n])) {
		n--
	}
	a, b = a[n:], b[n:]
	n = 0
	for n < len(a) && n < len(b) && a[len(a)-1-n] == b[len(b)-1-n] {
		n++
	}
	for n > 0 && !utf8.RuneStart(a[len(a)-n]) {
		n--
	}
	return a[:len(a)-n], b[:len(b)-n]
}

// likeness gives what two leaf values that both stand there add to the
// similarity of their items: 1 if right; for two texts that differ half of
// their edit similarity where that is at least 0.5; else 0.
func likeness(f *schema.Field, gold, filled *value.Value) float64 {
	if Right(f, gold, filled) {
		return 1
	}
	if gold.Kind != value.String || filled.Kind != value.String {
		return 0
	}
	a, b := utf8.RuneCountInString(gold.Text), utf8.RuneCountInString(filled.Text)
	if min(a, b)*2 < max(a, b) {
		return 0 // the difference in length alone takes the similarity below 0.5
	}
	similarity := editSimilarity(gold.Text, filled.Text)
	if similarity < 0.5 {
		return 0
	}
	return similarity / 2
}

// Similarity gives how alike two items of a list are, from 0 to 1: the sum
// over their leaves divided by the number of leaves that either has. Nested
// lists are paired first, by the same rule. Two items without any leaf are
// alike.
func Similarity(f *schema.Field, gold, filled *value.Value) float64 {
	s := borrow()
	defer s.giveBack()
	both := s.take(2)
	s.make(&both[0], f, gold)
	s.make(&both[1], f, filled)
	return s.similarity(&both[0], &both[1])
}

// Items gives the items of a list, or none where there is no list.
func Items(list *value.Value) []value.Value {
	if list == nil || list.Kind != value.Array {
		return nil
	}
	return list.Kids
}
