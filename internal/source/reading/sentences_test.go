package reading

import (
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"
)

// TestEndsOfSentences compares with the pattern that says what ends a sentence.
func TestEndsOfSentences(t *testing.T) {
	pattern := regexp.MustCompile(`[.!?]["”)]?(?:\s+\p{Lu}|\s*\n\s*[0-9])|\n\s*\n|\n\s*(?:[-*•|]|\d+[.)])\s|[ \t]{3,}[^\n]*\n|\|\s*\n`)
	parts := []string{".", "!", "?", "\"", "”", ")", " ", "  ", "   ", "\t", "\n", "\r\n", "|", "-", "*", "•", "1", "23", "A", "Ö", "a", "é", "\xff", "\f"}
	rng := rand.New(rand.NewPCG(7, 7))
	found := 0
	for range 40_000 {
		var b strings.Builder
		for range rng.IntN(14) {
			b.WriteString(parts[rng.IntN(len(parts))])
		}
		text := b.String()
		want := pattern.FindAllStringIndex(text, -1)
		from := 0
		for _, m := range want {
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
