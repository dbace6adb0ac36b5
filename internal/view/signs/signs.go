// Package signs shows what steers a terminal, or is not seen, in place of sending it:
// text of documents, models and servers must not move a cursor or hide a word.
package signs

import (
	"fmt"
	"strings"
	"unicode/utf8"
)

// Visible gives a text with a picture of each sign that steers a terminal, or that
// nobody sees: controls but for line ends and tabs, signs that turn the direction
// of writing, and those without width.
func Visible(text string) string {
	if !strings.ContainsFunc(text, Unseen) && utf8.ValidString(text) {
		return text
	}
	var b strings.Builder
	for i := 0; i < len(text); {
		shown, size := Rune(text[i:])
		b.WriteString(shown)
		i += size
	}
	return b.String()
}

// Rune gives how the first sign of a text is shown, and how many bytes it has.
func Rune(text string) (shown string, size int) {
	r, size := utf8.DecodeRuneInString(text)
	switch {
	case r == utf8.RuneError && size == 1:
		return fmt.Sprintf("⟨%02X⟩", text[0]), 1
	case !Unseen(r):
		return text[:size], size
	case r < ' ':
		return string('\u2400' + r), size
	case r == '\x7f':
		return "\u2421", size
	}
	return fmt.Sprintf("⟨U+%04X⟩", r), size
}

// Unseen tells the signs that are shown as pictures.
func Unseen(r rune) bool {
	switch {
	case r < ' ':
		return r != '\n' && r != '\t'
	case r < '\u00ad':
		return r >= '\x7f' && r <= '\u009f'
	case r == '\u00ad', r == '\u034f', r == '\u061c', r == '\u180e', r == '\u3164', r == '\ufeff', r == '\uffa0':
		return true
	case r >= '\u115f' && r <= '\u1160', r >= '\u17b4' && r <= '\u17b5', r >= '\u200b' && r <= '\u200f', r >= '\u2028' && r <= '\u202e', r >= '\u2060' && r <= '\u206f', r >= '\ufff0' && r <= '\ufffb':
		return true
	}
	return r >= 0xe0000 && r <= 0xe0fff
}
