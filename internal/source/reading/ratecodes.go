package reading

import (
	"sync"

	"filler/internal/base/lazy"
)

// rateCodes tells whether a text has letters behind its sums that say at which rate each is taxed, as receipts
// do: RYE LOAF 3.20 A.
type rateCodes struct {
	once sync.Once
	has  bool
}

// rateCode is a sum with a letter that ends its line or cell.
var rateCode = lazy.New(`\d[.,]\d\d[ \x{a0}]{1,3}([A-Z])[ \x{a0}]*(?:\||\t|  |\r?\n|$)`)

// isRateCode tells a letter behind a sum that stands for a rate and for no unit. Only where another sum has
// another letter is it told from francs or tonnes.
func (tx *Text) isRateCode(s Span, word string) bool {
	if len(word) != 1 || word[0] < 'A' || word[0] > 'Z' || s.End-s.Start < len("0.00") {
		return false
	}
	codes := &tx.whole.rates
	codes.once.Do(func() {
		first := ""
		for _, m := range rateCode.FindAllStringSubmatch(tx.Source, -1) {
			if first == "" {
				first = m[1]
			}
			if codes.has = codes.has || m[1] != first; codes.has {
				return
			}
		}
	})
	return codes.has && rateCode.MatchString(tx.Source[s.End-len("0.00"):min(len(tx.Source), s.End+6)])
}
