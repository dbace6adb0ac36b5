package suggest

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/schema"
)

// Words that tell a choice stand in at least so many documents where it is meant and not
// given, in no document where another is meant, and in most of those that err.
const (
	leastTelling = 3
	shortTelling = 4 // letters
)

// tellingWords suggests, for a choice without a label, the word that stands in the documents
// where it is meant and was not given, and in none where another is meant. One for each choice:
// the one that tells most of them.
func (c *Collector) tellingWords(f *schema.Field) (out []Suggestion) {
	if f.List != nil {
		return nil
	}
	for _, o := range f.Of {
		erring, others := c.meaning(f, o.Value)
		if len(erring) < leastTelling {
			continue
		}
		times := map[string][]Where{}
		for _, g := range erring {
			seen := map[string]bool{}
			for n, line := range strings.Split(g.Doc.Text, "\n") {
				for _, word := range wordsOf(line) {
					if !seen[word] && !isOption(f, word) {
						seen[word] = true
						times[word] = append(times[word], Where{g.Gold.Document, n + 1, strings.TrimSpace(line)})
					}
				}
			}
		}
		best := ""
		for _, word := range sortedKeys(times) {
			if len(times[word]) >= leastTelling && 2*len(times[word]) > len(erring) && len(times[word]) > len(times[best]) && !slices.ContainsFunc(others, func(g *gathered) bool { return slices.Contains(wordsOf(g.Doc.Text), word) }) {
				best = word
			}
		}
		if best != "" {
			s := write(f, longer(o.Also, best), "of", o.Value, "also")
			s.For = times[best]
			out = append(out, s)
		}
	}
	return out
}

// meaning gives the documents in which gold has a choice that was not filled, and those in which
// it has no other place for that choice.
func (c *Collector) meaning(f *schema.Field, choice string) (erring, others []*gathered) {
	for i := range c.cases {
		g := &c.cases[i]
		if g.Doc == nil {
			continue
		}
		meant, wrong := false, false
		eachLeaf(c.schema, &g.Gold.Record, func(at *schema.Field, v *value.Value) {
			meant = meant || at == f && !v.Empty() && v.Kind == value.String && v.Text == choice
		})
		for j := range g.Errors {
			e := &g.Errors[j]
			wrong = wrong || e.Field == f && e.Outcome != score.Extra && e.Gold.Text == choice
		}
		switch {
		case wrong:
			erring = append(erring, g)
		case !meant:
			others = append(others, g)
		}
	}
	return erring, others
}

// wordsOf gives the words of a text in small letters, those of a few letters left out.
func wordsOf(text string) (words []string) {
	for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) }) {
		if utf8.RuneCountInString(w) >= shortTelling {
			words = append(words, w)
		}
	}
	return words
}
