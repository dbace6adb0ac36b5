package document

import (
	"hash/fnv"
	"slices"
	"strings"
	"unicode"
)

// Shingles are the runs of five words of a text, by their hashes: what tells how
// alike two texts are.
type Shingles map[uint64]bool

// shingleWords is the length of a run.
const shingleWords = 5

// NewShingles gives the shingles of a text. Case and signs do not count.
func NewShingles(text string) Shingles {
	words := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	s := Shingles{}
	for i := range words {
		h := fnv.New64a()
		for _, w := range words[i:min(i+shingleWords, len(words))] {
			h.Write([]byte(w))
			h.Write([]byte{0})
		}
		if s[h.Sum64()] = true; i+shingleWords >= len(words) {
			break
		}
	}
	return s
}

// Likeness is the Jaccard index of two texts: the shingles in both divided by
// those in either, from 0 to 1. Two texts without words are alike.
func (s Shingles) Likeness(o Shingles) float64 {
	if len(s) > len(o) {
		s, o = o, s
	}
	both := 0
	for h := range s {
		if o[h] {
			both++
		}
	}
	either := len(s) + len(o) - both
	if either == 0 {
		return 1
	}
	return float64(both) / float64(either)
}

// NearDuplicate is the likeness from which two documents count as one: a form
// filled in again for another visit stays below it, a copy with another date or
// other slips of OCR does not.
const NearDuplicate = 0.7

// Others are texts that another may be nearly the same as.
type Others []Shingles

// NewOthers gives them of some texts.
func NewOthers(texts []string) (all Others) {
	for _, text := range texts {
		all = append(all, NewShingles(text))
	}
	return all
}

// HasNear tells whether a text is one of them, or nearly.
func (o Others) HasNear(text string) bool {
	if len(o) == 0 {
		return false
	}
	own := NewShingles(text)
	return slices.ContainsFunc(o, func(s Shingles) bool { return own.Likeness(s) >= NearDuplicate })
}
