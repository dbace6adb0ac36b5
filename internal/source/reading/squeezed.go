package reading

import (
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// Words that a text sets otherwise than a record has them: parted at the end of a line, with
// ligatures, raised figures or full-width letters, with or without a hyphen or a gap between letters.

// squeezed is a text with all of that made alike, made when it is first asked for.
type squeezed struct {
	once sync.Once
	text string
	at   []int32 // where each byte of it comes from
}

// FindSqueezed gives the places of a text that are the same but for how they are set. Figures
// stay parted as they are: 12 34 is not 1 234.
func (tx *Text) FindSqueezed(text string) (found []Span) {
	want, _ := squeeze(text)
	if utf8.RuneCountInString(want) < 2 {
		return nil
	}
	sq := tx.squeezed
	if sq == nil {
		return nil
	}
	sq.once.Do(func() { sq.text, sq.at = squeeze(tx.Source) })
	for from := 0; ; {
		n := strings.Index(sq.text[from:], want)
		if n < 0 {
			return found
		}
		first := from + n
		last := first + len(want)
		from = first + 1
		if first > 0 && sq.at[first-1] == sq.at[first] || last < len(sq.at) && sq.at[last] == sq.at[last-1] { // within one sign
			continue
		}
		start := int(sq.at[first])
		_, size := utf8.DecodeRuneInString(tx.Source[sq.at[last-1]:])
		end := int(sq.at[last-1]) + size
		before, _ := utf8.DecodeLastRuneInString(tx.Source[:start])
		behind, _ := utf8.DecodeRuneInString(tx.Source[end:])
		if start > 0 && IsWordRune(before) || end < len(tx.Source) && IsWordRune(behind) || end <= start {
			continue
		}
		if slices.ContainsFunc(tx.Stretches, func(s Span) bool { return s.Start <= start && end <= s.End }) {
			found = append(found, Span{start, end})
		}
	}
}

// squeeze gives a text so made, and where each byte comes from.
func squeeze(text string) (string, []int32) {
	var b strings.Builder
	b.Grow(len(text))
	at := make([]int32, 0, len(text))
	put := func(s string, from int) {
		b.WriteString(s)
		for range len(s) {
			at = append(at, int32(from))
		}
	}
	last := rune(0) // that was kept
	for i := 0; i < len(text); {
		r, size := utf8.DecodeRuneInString(text[i:])
		switch {
		case r == '\u00ad' || r >= '\u200b' && r <= '\u200d' || r == '\ufeff':
		case unicode.IsSpace(r) || isHyphen(r):
			next, broken := behindGap(text[i:min(len(text), i+widestGap)])
			if broken {
				i += len(text[i:]) - len(strings.TrimLeftFunc(text[i:], func(r rune) bool { return isHyphen(r) || unicode.IsSpace(r) }))
				continue
			}
			if unicode.IsDigit(last) && unicode.IsDigit(next) {
				put(map[bool]string{true: "-", false: " "}[isHyphen(r)], i)
				last = ' '
			}
		case r < utf8.RuneSelf:
			last = unicode.ToLower(r)
			put(string(last), i)
		default:
			put(setPlainly(r), i)
			last = r
		}
		i += size
	}
	return b.String(), at
}

// widestGap is how far a word goes on behind its hyphen, in bytes.
const widestGap = 80

// behindGap gives what stands behind a gap, and whether a line ends in it behind a hyphen.
func behindGap(text string) (next rune, broken bool) {
	hyphen := false
	for _, r := range text {
		switch {
		case isHyphen(r):
			hyphen = true
		case r == '\n':
			broken = broken || hyphen
		case !unicode.IsSpace(r):
			return r, broken
		}
	}
	return 0, broken
}

func isHyphen(r rune) bool {
	return r == '-' || r == '‐' || r == '‑' || r == '–' || r == '\u00ac'
}

// setPlainly writes one sign as it is set in plain text: ligatures in letters, raised figures in
// figures, full-width letters in those of ASCII (Unicode's compatibility forms).
func setPlainly(r rune) string {
	switch r {
	case '’', '‘', '`', '´', '′':
		return "'"
	case '“', '”', '„', '«', '»', '″':
		return `"`
	case '×':
		return "x"
	case 'ß', 'ẞ':
		return "ss"
	}
	return strings.ToLower(norm.NFKD.String(string(r)))
}
