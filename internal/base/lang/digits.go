package lang

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// separators are what stands between figures in other scripts, with what stands there in ours. The Arabic sign
// for thousands becomes one that is never that of decimals.
var separators = map[rune]string{'٫': ".", '٬': "'", '．': ".", '，': ",", '：': ":", '／': "/", '－': "-"}

// ASCIIDigits gives a text with the figures of all scripts as 0 to 9, with their separators, and how many
// figures it changed: ٤٫٥٠ is 4.50, １４：２５ is 14:25. A text without such is given as it is.
func ASCIIDigits(text string) (string, int) {
	first := strings.IndexFunc(text, isOtherDigit)
	if first < 0 {
		return text, 0
	}
	var b strings.Builder
	b.Grow(len(text))
	b.WriteString(text[:first])
	changed := 0
	for at, r := range text[first:] {
		at += first
		switch sign, is := separators[r]; {
		case r >= utf8.RuneSelf && isOtherDigit(r):
			b.WriteByte('0' + valueOf(r))
			changed++
		case is && isDigitAt(text[:at], utf8.DecodeLastRuneInString) && isDigitAt(text[at+utf8.RuneLen(r):], utf8.DecodeRuneInString):
			b.WriteString(sign)
		case r == '٪':
			b.WriteByte('%')
		default:
			b.WriteString(text[at : at+sizeOf(text[at:])])
		}
	}
	return b.String(), changed
}

// isOtherDigit tells a figure that is none of 0 to 9; the first of them is Arabic.
func isOtherDigit(r rune) bool { return r >= 0x660 && unicode.Is(unicode.Nd, r) }

// valueOf gives what a figure counts: scripts have theirs in order, from nought, in blocks of ten.
func valueOf(r rune) byte {
	for _, in := range unicode.Nd.R16 {
		if r >= rune(in.Lo) && r <= rune(in.Hi) {
			return byte((r - rune(in.Lo)) % 10)
		}
	}
	for _, in := range unicode.Nd.R32 {
		if r >= rune(in.Lo) && r <= rune(in.Hi) {
			return byte((r - rune(in.Lo)) % 10)
		}
	}
	return 0
}

func isDigitAt(text string, decode func(string) (rune, int)) bool {
	r, _ := decode(text)
	return r >= '0' && r <= '9' || isOtherDigit(r)
}

// sizeOf gives the bytes of the first letter, one of what is none.
func sizeOf(text string) int {
	_, size := utf8.DecodeRuneInString(text)
	return size
}
