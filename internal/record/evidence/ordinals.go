package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// Counts that are said as a rank in words: the third floor.

// ranked gives where a number stands as a rank in words before what the field is called: third floor.
func (w *weigher) ranked(f *schema.Field, text string) (found []span) {
	names := wordsIn(strings.Join(w.namesOf(f), " "))
	for _, word := range lang.Day.Words() {
		if lang.Day.Meaning(word) != text {
			continue
		}
		for _, s := range w.ix.find(word) {
			if next := w.ix.TokenAt(s.End); next < len(w.ix.Tokens) && slices.Contains(names, w.ix.Tokens[next].Word) && w.ix.Source[s.End:w.ix.Tokens[next].Start] == " " {
				found = append(found, s)
			}
		}
	}
	return found
}
