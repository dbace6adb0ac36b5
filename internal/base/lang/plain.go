package lang

import (
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// twoLetters are letters that German and the languages of the north write with two.
var twoLetters = strings.NewReplacer("ä", "ae", "ö", "oe", "ü", "ue", "å", "aa", "ø", "oe", "ß", "ss", "æ", "ae", "œ", "oe")

// Plain gives the ways in which a word is written with the letters a to z: flache and flaeche for
// Fläche; nil for one that has no other letters.
func Plain(word string) (ways []string) {
	if IsASCII(word) {
		return nil
	}
	word = strings.ToLower(norm.NFC.String(word))
	for _, way := range []string{PlainLetters(word), PlainLetters(twoLetters.Replace(word))} {
		if IsASCII(way) && !slices.Contains(ways, way) {
			ways = append(ways, way)
		}
	}
	return ways
}

// IsASCII tells whether a text has no other signs than those of ASCII.
func IsASCII(s string) bool {
	return !strings.ContainsFunc(s, func(r rune) bool { return r >= utf8.RuneSelf })
}
