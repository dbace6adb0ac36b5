package invent

import (
	"strings"
	"unicode"
)

// Texts are what texts look like, to see how made ones differ from real ones.
type Texts struct {
	Documents, Words, Lines, Columns, Figures int
	distinct                                  map[string]bool
}

// Add adds a text: its words, its lines, those that stand in columns, and words with
// figures.
func (t *Texts) Add(text string) {
	if t.distinct == nil {
		t.distinct = map[string]bool{}
	}
	t.Documents++
	for line := range strings.Lines(text) {
		if strings.TrimSpace(line) == "" {
			continue
		}
		t.Lines++
		if strings.Contains(strings.TrimSpace(line), "   ") || strings.Count(line, "|") > 1 || strings.Contains(line, "\t") {
			t.Columns++
		}
	}
	for _, w := range wordPart.FindAllString(text, -1) {
		t.Words++
		if strings.ContainsFunc(w, unicode.IsDigit) {
			t.Figures++
			continue
		}
		t.distinct[strings.ToLower(w)] = true
	}
}

// Distinct counts the words without figures that differ.
func (t *Texts) Distinct() int { return len(t.distinct) }

// Shared counts those that another set has too.
func (t *Texts) Shared(other *Texts) (n int) {
	for w := range t.distinct {
		if other.distinct[w] {
			n++
		}
	}
	return n
}
