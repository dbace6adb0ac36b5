package schema

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
)

// mostBareWords is how many words a description has at most that is a label by itself.
const mostBareWords = 3

// BareLabel gives the description of a field, if it is no more than what documents print before its values:
// Förfallodatum, for due. "" for one that says more, is the field's name, or holds words that any text has.
func (f *Field) BareLabel() string {
	about := strings.TrimRight(f.About, ". ")
	words := strings.Fields(about)
	if len(words) == 0 || len(words) > mostBareWords || strings.ContainsAny(about, ",;:()?!\"") || f.Kin().Type == Boolean || strings.EqualFold(about, Spoken(f.Name)) {
		return ""
	}
	if slices.ContainsFunc(words, func(word string) bool { return lang.Frequent.Has(strings.ToLower(word)) }) {
		return ""
	}
	return about
}

// Labels gives what documents may print before the values of a field: its name, a description that is no more
// than a label, and what it declares.
func (f *Field) Labels() []string {
	names := []string{Spoken(f.Name)}
	if bare := f.BareLabel(); bare != "" {
		names = append(names, bare)
	}
	return append(names, f.PrintedAs...)
}
