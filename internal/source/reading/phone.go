package reading

import (
	"sort"
	"strings"

	"filler/internal/base/lazy"
)

// telephone is a number that begins with 0 or + and goes on in groups, or one with the code of its area in
// brackets, as in the Americas: (555) 010-4477.
var telephone = lazy.New(`^(?:\+\d|0\d|\(0\d)[\d ()/.-]{6,34}\d|^\([1-9]\d{1,3}\) ?\d{3,5}[-. ]\d{3,4}\b`)

// phones gives the telephone numbers, in order.
func (tx *Text) phones() (all []Span) {
	for _, s := range tx.Stretches {
		text := tx.Source[s.Start:s.End]
		for i := 0; i+8 < len(text); i++ {
			if c := text[i]; c != '+' && c != '0' && c != '(' || i > 0 && c == '0' && (isWordByte(text[i-1]) || strings.IndexByte(".,'/-", text[i-1]) >= 0) {
				continue
			}
			if i > 1 && text[i] == '0' && text[i-1] == ':' && isDigit(text[i-2]) {
				continue // 19:05 139/88
			}
			n := len(telephone.FindString(text[i:min(len(text), i+40)]))
			if apart := countBehind.FindStringIndex(text[i : i+n]); apart != nil && i+n+1 < len(text) && text[i+n] == ' ' && isLetter(text[i+n+1:]) {
				n = apart[0] // 06 00 00 12 34 - 8 ans
			}
			said := text[i : i+n]
			if n > 0 && strings.ContainsAny(said, " /-(") && !dateLike.MatchString(said) && !strings.Contains(said, "  ") {
				all = append(all, Span{s.Start + i, s.Start + i + n})
			}
			i += max(0, n-1)
		}
	}
	return all
}

// Phones gives the places of a telephone number in the form of E.164: with the code of its country
// or, with a 0 in its place, without.
func (tx *Text) Phones(e164 string) (found []Span) {
	full := strings.TrimPrefix(e164, "+")
	for _, s := range tx.phones() {
		said := strings.ReplaceAll(tx.Source[s.Start:s.End], "(0)", "")
		digits := strings.Map(func(r rune) rune {
			if r >= '0' && r <= '9' {
				return r
			}
			return -1
		}, said)
		abroad := strings.HasPrefix(said, "+") || strings.HasPrefix(digits, "00")
		national := strings.TrimPrefix(digits, "0")
		switch {
		case !abroad && strings.HasPrefix(said, "(") && national == digits && len(digits) >= leastNational+2 && strings.HasSuffix(full, digits) && len(full)-len(digits) <= 3 && len(full) > len(digits) && (!northAmerican.MatchString(said) || full == "1"+digits):
		case abroad && strings.TrimPrefix(digits, "00") == full:
		case !abroad && national != digits && len(national) >= leastNational && strings.HasSuffix(full, national) && len(full)-len(national) <= 3 && len(full) > len(national):
		default:
			continue
		}
		found = append(found, s)
	}
	return found
}

// northAmerican is a number as North America writes them: its country has the code 1.
var northAmerican = lazy.New(`^\([2-9]\d{2}\) ?\d{3}-\d{4}$`)

// leastNational is how many figures a number has at least, without the code of its country.
const leastNational = 6

// countBehind is a count apart at the end of what looks like a telephone number.
var countBehind = lazy.New(` [-–/] \d{1,2}$`)

// dateLike tells a day, or a time, from a telephone number.
var dateLike = lazy.New(`^0?\d{1,2}[./-]\d{1,2}[./-]\d{2,4}`)

// within tells whether a place lies in one of several, which are in order.
func within(all []Span, s Span) bool {
	i := sort.Search(len(all), func(i int) bool { return all[i].End >= s.End })
	return i < len(all) && all[i].Start <= s.Start
}
