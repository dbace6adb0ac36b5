package reading

import (
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"
)

// TestEndsOfSentences compares with the pattern that says what ends a sentence.
func TestEndsOfSentences(t *testing.T) {
	pattern := regexp.MustCompile(`[.!?]["”)]?(?:\s+\p{Lu}|\s*\n\s*[0-9])|\n\s*\n|\n\s*(?:[-*•|]|\d+[.)])\s|\|\s*\n`)
	gap := regexp.MustCompile(`[ \t]{3,}[^\n]*\n`) // of a line that is set in, the blanks alone
	next := func(text string, from int) (first []int) {
		if m := pattern.FindStringIndex(text[from:]); m != nil {
			first = []int{from + m[0], from + m[1]}
		}
		m := gap.FindStringIndex(text[from:])
		if m == nil || first != nil && from+m[0] > first[0] {
			return first
		}
		at, end := from+m[0], from+m[1]
		if at > 0 && text[at-1] == '\n' {
			end = len(text) - len(strings.TrimLeft(text[at:], " \t"))
		}
		return []int{at, end}
	}
	parts := []string{".", "!", "?", "\"", "”", ")", " ", "  ", "   ", "\t", "\n", "\r\n", "|", "-", "*", "•", "1", "23", "A", "Ö", "a", "é", "\xff", "\f"}
	rng := rand.New(rand.NewPCG(7, 7))
	found := 0
	for range 40_000 {
		var b strings.Builder
		for range rng.IntN(14) {
			b.WriteString(parts[rng.IntN(len(parts))])
		}
		text := b.String()
		from := 0
		for m := next(text, 0); m != nil; m = next(text, from) {
			at, end := endOfSentence(text, from)
			if at != m[0] || end != m[1] {
				t.Fatalf("%q from %d: %d to %d, want %d to %d", text, from, at, end, m[0], m[1])
			}
			from, found = end, found+1
		}
		if at, _ := endOfSentence(text, from); at >= 0 {
			t.Fatalf("%q from %d: one more at %d", text, from, at)
		}
	}
	if found < 5_000 {
		t.Fatal("hardly any:", found)
	}
}
