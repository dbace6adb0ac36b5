package reading

import (
	"math/big"
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
)

// What a text says as a whole, with nothing before or behind it.

// isoDuration is a length of time as ISO 8601 writes it, without months and years.
var isoDuration = lazy.New(`^P(?:(\d+)W)?(?:(\d+)D)?(?:T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+(?:\.\d+)?)S)?)?$`)

// InUnit gives, as JSON writes it, how many of a unit a text says by two figures, or as a
// duration of ISO 8601: 1 h 15 min, 1:15 h, 5 ft 4 in, PT1H15M. It is "" where the text says
// anything more or less.
func InUnit(text, unit string) string {
	u, ok := known(UnitOf(unit))
	if !ok || u.offset != "" || len(text) > 40 {
		return ""
	}
	text = strings.TrimSpace(text)
	n := isoSeconds(text)
	if n == nil {
		n = New(text).onlyAmount(u.of)
	} else if u.of != "time" {
		return ""
	}
	if n == nil {
		return ""
	}
	return exactly(new(big.Rat).Quo(n, rational(u.factor)))
}

func isoSeconds(text string) *big.Rat {
	m := isoDuration.FindStringSubmatch(text)
	if m == nil || text == "P" || strings.HasSuffix(text, "T") {
		return nil
	}
	sum := new(big.Rat)
	for i, each := range []int64{604800, 86400, 3600, 60, 1} {
		sum.Add(sum, new(big.Rat).Mul(decimal(m[i+1]), big.NewRat(each, 1)))
	}
	return sum
}

// onlyAmount gives the one amount in two figures that the whole text is, in the base unit of
// what it measures; nil where it is none.
func (tx *Text) onlyAmount(of string) *big.Rat {
	r := tx.derive()
	var all []*big.Rat
	keep := func(e *exacts) {
		for _, n := range e.all {
			whole := slices.ContainsFunc(e.at[n.RatString()], func(s Span) bool {
				return s.Start == 0 && strings.Trim(tx.Source[s.End:], " .") == ""
			})
			if of == "months" && n.Sign() <= 0 { // as these are kept
				n = new(big.Rat).Neg(n)
			} else if of == "months" || n.Sign() < 0 {
				continue
			}
			if whole && !slices.ContainsFunc(all, func(o *big.Rat) bool { return o.Cmp(n) == 0 }) {
				all = append(all, n)
			}
		}
	}
	if of == "time" || of == "months" {
		keep(&r.lasting)
	}
	if e := r.compounds.amounts[of]; e != nil {
		keep(e)
	}
	if len(all) != 1 {
		return nil
	}
	return all[0]
}

// SpokenTime gives the one time of day that a text says in words, which says the half of the
// day: noon, a quarter past eleven at night. "" where it says two, or anything more.
func SpokenTime(text string) string {
	if len(text) > 60 {
		return ""
	}
	tx := New(text)
	tx.SpokenTimes("")
	if len(tx.clocks.at) != 1 {
		return ""
	}
	for at, places := range tx.clocks.at {
		for _, t := range tx.Tokens {
			if (t.Start < places[0].Start || t.End > places[0].End) && !lang.Filler.Has(t.Word) && !lang.AtTime.Has(t.Word) {
				return ""
			}
		}
		return at
	}
	return ""
}

// Hundredth gives a hundredth of a number, as JSON writes it: 92 pence in pounds.
func Hundredth(figure string) string {
	n, ok := new(big.Rat).SetString(figure)
	if !ok {
		return ""
	}
	return exactly(n.Quo(n, big.NewRat(100, 1)))
}

// Hundredfold gives a hundred times a figure, as JSON writes it.
func Hundredfold(figure string) string {
	n, ok := new(big.Rat).SetString(figure)
	if !ok {
		return ""
	}
	return exactly(n.Mul(n, big.NewRat(100, 1)))
}

// mostRoman is how far Roman figures are known: floors, grades and volumes go no further.
const mostRoman = 39

// Roman gives a number as the Romans wrote it; "" for one that is not known.
func Roman(n int) string {
	if n < 1 || n > mostRoman {
		return ""
	}
	return strings.Repeat("X", n/10) + [...]string{"", "I", "II", "III", "IV", "V", "VI", "VII", "VIII", "IX"}[n%10]
}

// FromRoman reads such a number of two figures or more; 0 for none, and for a single letter.
func FromRoman(text string) int {
	for n := 1; len(text) > 1 && n <= mostRoman; n++ {
		if Roman(n) == text {
			return n
		}
	}
	return 0
}
