package reading

import (
	"sort"
	"strings"

	"filler/internal/base/lazy"
)

// telephone is a number that begins with 0 or + and goes on in groups.
var telephone = lazy.New(`^(?:\+\d|0\d|\(0\d)[\d ()/.-]{6,34}\d`)

// phones gives the telephone numbers, in order.
func (tx *Text) phones() (all []Span) {
	for _, s := range tx.Stretches {
		text := tx.Source[s.Start:s.End]
		for i := 0; i+8 < len(text); i++ {
			if c := text[i]; c != '+' && c != '0' && c != '(' || i > 0 && c == '0' && (isWordByte(text[i-1]) || strings.IndexByte(".,'/-", text[i-1]) >= 0) {
				continue
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

// countBehind is a count apart at the end of what looks like a telephone number.
var countBehind = lazy.New(` [-–/] \d{1,2}$`)

// dateLike tells a day, or a time, from a telephone number.
var dateLike = lazy.New(`^0?\d{1,2}[./-]\d{1,2}[./-]\d{2,4}`)

// within tells whether a place lies in one of several, which are in order.
func within(all []Span, s Span) bool {
	i := sort.Search(len(all), func(i int) bool { return all[i].End >= s.End })
	return i < len(all) && all[i].Start <= s.Start
}
