package reading

import (
	"sort"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// Words that a text sets otherwise than a record has them: parted at the end of a line, with
// ligatures, raised figures or full-width letters, with or without a hyphen or a gap between letters.

// even is a text with all of that made alike, made when it is first asked for.
type even struct {
	once sync.Once
	text string
	at   []int32 // where each byte of it comes from
}

// FindOtherwiseSet gives the places of a text that are the same but for how they are set. Figures
// stay parted as they are: 12 34 is not 1 234.
func (tx *Text) FindOtherwiseSet(text string) (found []Span) {
	want, _ := evened(text)
	if utf8.RuneCountInString(want) < 2 {
		return nil
	}
	e := &tx.whole.even
	e.once.Do(func() { e.text, e.at = evened(tx.Source) })
	for _, s := range tx.Stretches {
		from := sort.Search(len(e.at), func(i int) bool { return int(e.at[i]) >= s.Start })
		to := sort.Search(len(e.at), func(i int) bool { return int(e.at[i]) >= s.End })
		for from < to {
			n := strings.Index(e.text[from:to], want)
			if n < 0 {
				break
			}
			if at, ok := tx.wordsAt(e, from+n, from+n+len(want)); ok {
				found = append(found, at)
			}
			from += n + 1
		}
	}
	return found
}

// wordsAt gives the place that bytes of the even text come from; false for a part of a word or of a sign.
func (tx *Text) wordsAt(e *even, first, last int) (Span, bool) {
	if first > 0 && e.at[first-1] == e.at[first] || last < len(e.at) && e.at[last] == e.at[last-1] {
		return Span{}, false
	}
	start := int(e.at[first])
	_, size := utf8.DecodeRuneInString(tx.Source[e.at[last-1]:])
	end := int(e.at[last-1]) + size
	before, _ := utf8.DecodeLastRuneInString(tx.Source[:start])
	behind, _ := utf8.DecodeRuneInString(tx.Source[end:])
	return Span{start, end}, (start == 0 || !IsWordRune(before)) && (end == len(tx.Source) || !IsWordRune(behind))
}

// evened gives a text so made, and where each byte comes from.
func evened(text string) (string, []int32) {
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
