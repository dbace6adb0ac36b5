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
// printed, in most of these, one that errs among them, and in no document where another is meant.
const (
	leastTelling = 3
	shortTelling = 4 // letters
)

// tellingWords suggests, for a choice without a label, the word that stands in the documents
// where it is meant and is not printed, and in none where another is meant. One for each choice:
// the one that tells most of them.
func (c *Collector) tellingWords(f *schema.Field) (out []Suggestion) {
	if f.List != nil {
		return nil
	}
	for _, o := range f.Of {
		meant, others := c.meaning(f, o.Value)
		if len(meant) < leastTelling {
			continue
		}
		times, errs := map[string][]Where{}, map[string]bool{}
		for g, wrong := range meant {
			seen := map[string]bool{}
			for n, line := range strings.Split(g.Doc.Text, "\n") {
				for _, word := range wordsOf(line) {
					if !seen[word] && !isOption(f, word) {
						seen[word] = true
						errs[word] = errs[word] || wrong
						times[word] = append(times[word], Where{g.Gold.Document, n + 1, strings.TrimSpace(line)})
					}
				}
			}
		}
		best := ""
		for _, word := range sortedKeys(times) {
			if errs[word] && len(times[word]) >= leastTelling && 2*len(times[word]) > len(meant) && len(times[word]) > len(times[best]) && !slices.ContainsFunc(others, func(g *gathered) bool { return slices.Contains(wordsOf(g.Doc.Text), word) }) {
				best = word
			}
		}
		if best != "" {
			s := write(f, longer(o.Also, phraseOf(times[best], best)), "of", o.Value, "also")
			s.For = times[best]
			order(s.For)
			out = append(out, s)
		}
	}
	return out
}

// longestPhrase is how many words a phrase has at most that stands for a choice.
const longestPhrase = 3

// phraseOf gives the words behind a colon to the end of the line that a word stands among, where
// they are the same on all lines: in Ordnung, for which ordnung alone would also be what is nicht in
// Ordnung. Else the word.
func phraseOf(lines []Where, word string) string {
	phrase := ""
	for _, l := range lines {
		_, behind, found := strings.Cut(l.Text, ":")
		behind = strings.TrimRight(strings.TrimSpace(behind), ".")
		if !found || !slices.Contains(wordsOf(behind), word) || len(strings.Fields(behind)) > longestPhrase || phrase != "" && phrase != behind {
			return word
		}
		phrase = behind
	}
	return phrase
}

// meaning gives the documents in which gold has a choice that is printed nowhere, each with
// whether another was filled there, and those in which gold does not have it.
func (c *Collector) meaning(f *schema.Field, choice string) (unprinted map[*gathered]bool, others []*gathered) {
	unprinted = map[*gathered]bool{}
	for i := range c.cases {
		g := &c.cases[i]
		if g.Doc == nil {
			continue
		}
		meant, printed, wrong := false, true, false
		g.Gold.Record.Walk(func(p value.Pointer, v *value.Value) bool {
			if v.Kind == value.String && v.Text == choice && c.schema.At(p) == f {
				meant, printed = true, printed && g.gold[p].Found()
			}
			return true
		})
		for j := range g.Errors {
			e := &g.Errors[j]
			wrong = wrong || e.Field == f && e.Outcome != score.Extra && e.Gold.Text == choice
		}
		switch {
		case meant && !printed:
			unprinted[g] = wrong
		case !meant && !wrong:
			others = append(others, g)
		}
	}
	return unprinted, others
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
