package lang

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// plainLetters are letters that have no plain one below their marks, and those that German and
// the languages of the north write with two.
var (
	plainLetters = strings.NewReplacer("ß", "ss", "ø", "o", "ł", "l", "đ", "d", "æ", "ae", "œ", "oe", "þ", "th", "ð", "d", "ı", "i")
	twoLetters   = strings.NewReplacer("ä", "ae", "ö", "oe", "ü", "ue", "å", "aa", "ø", "oe", "ß", "ss", "æ", "ae", "œ", "oe")
)

// Plain gives the ways in which a word is written with the letters a to z: flache and flaeche for
// Fläche; nil for one that has no other letters.
func Plain(word string) (ways []string) {
	if IsASCII(word) {
		return nil
	}
	word = strings.ToLower(norm.NFC.String(word))
	for _, way := range []string{withoutMarks(word), withoutMarks(twoLetters.Replace(word))} {
		if IsASCII(way) && !slices.Contains(ways, way) {
			ways = append(ways, way)
		}
	}
	return ways
}

func withoutMarks(word string) string {
	return strings.Map(func(r rune) rune {
		if unicode.Is(unicode.Mn, r) {
			return -1
		}
		return r
	}, norm.NFD.String(plainLetters.Replace(word)))
}

// IsASCII tells whether a text has no other signs than those of ASCII.
func IsASCII(s string) bool {
	return !strings.ContainsFunc(s, func(r rune) bool { return r >= utf8.RuneSelf })
}
