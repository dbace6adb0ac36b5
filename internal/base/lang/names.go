package lang

import (
	"strings"
	"sync"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

// FoldName gives what two spellings of a name have in common: letters and figures in lower
// case, without accents, without titles, words with one blank between.
func FoldName(name string) string {
	words := strings.FieldsFunc(PlainLetters(name), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	first := 0
	for first < len(words)-1 && isTitle(words[first]) {
		first++
	}
	return strings.Join(words[first:], " ")
}

// PlainLetters gives a text in lower case without accents. What joins the letters of a
// word stays out of it: O'Hara and OHara are one.
func PlainLetters(text string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(norm.NFKD.String(text)) {
		switch {
		case unicode.Is(unicode.Mn, r) || r == '\'' || r == '’':
		case r == 'ß':
			b.WriteString("ss")
		case r == 'ø':
			b.WriteByte('o')
		case r == 'ł':
			b.WriteByte('l')
		case r == 'đ' || r == 'ð':
			b.WriteByte('d')
		case r == 'ı':
			b.WriteByte('i')
		case r == 'æ':
			b.WriteString("ae")
		case r == 'œ':
			b.WriteString("oe")
		default:
			b.WriteRune(r)
		}
	}
	return b.String()
}

// titles are the words of lang, as names are folded.
var titles = sync.OnceValue(func() map[string]bool {
	all := map[string]bool{}
	for _, w := range Title.Words() {
		all[PlainLetters(w)] = true
	}
	return all
})

func isTitle(word string) bool { return titles()[word] }
