package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// Counts that are said as a rank in words: the third floor.

// ranked gives where a number stands as a rank in words before what the field is called: third floor, and the
// third time for times_reported.
func (w *weigher) ranked(f *schema.Field, text string) (found []span) {
	names := wordsIn(strings.Join(w.namesOf(f), " "))
	for _, word := range lang.Day.Names(text) {
		if lang.Day.Meaning(word) != text { // it means others too
			continue
		}
		for _, s := range w.ix.find(word) {
			if next := w.ix.TokenAt(s.End); next < len(w.ix.Tokens) && slices.ContainsFunc(names, func(name string) bool { return sameNoun(name, w.ix.Tokens[next].Word) }) && len(strings.TrimSpace(w.ix.Source[s.End:w.ix.Tokens[next].Start])) == 0 && w.ix.Tokens[next].Start-s.End == 1 {
				found = append(found, s)
			}
		}
	}
	return found
}
