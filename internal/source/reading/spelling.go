package reading

import (
	"slices"
	"strings"
	"sync"

	"filler/internal/base/lang"
)

// Names of fields have the letters a to z alone, and documents print Désignation, Fläche and Größe:
// which words of a text a name means.

// Spelling holds the words of a text that have other letters than a to z, by their plain ways.
type Spelling map[string][]string

// spelling is that of a text, made when it is first asked for.
type spelling struct {
	once sync.Once
	ways Spelling
}

// SpellingOf gives the spelling of words.
func SpellingOf(words []string) Spelling {
	s := Spelling{}
	for _, word := range words {
		for _, way := range lang.Plain(word) {
			s[way] = append(s[way], strings.ToLower(word))
		}
	}
	for _, all := range s {
		slices.Sort(all) // the same for each order of the words
	}
	return s
}

// mostSpelled is in how many ways a name may be spelled.
const mostSpelled = 4

// Names gives the ways in which the text spells a name that has the letters a to z alone.
func (s Spelling) Names(name string) (all []string) {
	words := strings.Fields(strings.ToLower(name))
	if len(s) == 0 || !slices.ContainsFunc(words, func(word string) bool { return len(s[word]) > 0 }) {
		return nil
	}
	all = []string{""}
	for _, word := range words {
		var longer []string
		for _, way := range append(slices.Clone(s[word]), word) {
			for _, before := range all {
				longer = append(longer, strings.TrimSpace(before+" "+way))
			}
		}
		all = longer[:min(len(longer), 2*mostSpelled)]
	}
	all = slices.DeleteFunc(all, lang.IsASCII)
	return all[:min(len(all), mostSpelled)]
}

// Spelled gives the ways in which the text spells a name.
func (tx *Text) Spelled(name string) []string {
	tx.spelling.once.Do(func() {
		var words []string
		for word := range tx.ByWord {
			words = append(words, word)
		}
		tx.spelling.ways = SpellingOf(words)
	})
	return tx.spelling.ways.Names(name)
}
