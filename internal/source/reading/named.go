package reading

import (
	"slices"
	"sort"
	"strings"
	"sync"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// named is what a text names beside its figures, made when it is first asked for.
type named struct {
	once       sync.Once
	figures    []keyed           // in order
	priced     map[string][]Span // those with a currency beside them, by its code
	explicit   map[string]bool   // the currencies of figures that no sign of several stands for
	currencies map[string]bool   // of figures

	mu    sync.Mutex
	units map[string][]inUnit // the figures that have a unit, by the unit, once asked for
	other map[string]bool     // the currencies that were asked for, whether the text is of others
}

// prepareNamed gathers the figures once.
func (tx *Text) prepareNamed() {
	tx.named.once.Do(func() {
		tx.named.figures, tx.named.currencies, tx.named.other = tx.figuresInOrder(), map[string]bool{}, map[string]bool{}
		tx.named.priced, tx.named.explicit = map[string][]Span{}, map[string]bool{}
		for _, a := range tx.named.figures {
			m := tx.MeasureOf(a.Span)
			if m.Code != "" && !m.Perhaps {
				tx.named.explicit[m.Code] = true
			}
			if m.Code != "" && m.Where != a.Span {
				for _, code := range append([]string{m.Code}, lang.AlsoOf.Names(m.Code)...) {
					if code == m.Code || m.Perhaps {
						tx.named.priced[code] = append(tx.named.priced[code], a.Span)
					}
				}
			}
			switch {
			case m.Code != "":
				tx.named.currencies[m.Code] = true
			case m.Minor:
				of, _, _ := strings.Cut(m.Word, "/")
				if code := lang.Minor.Meaning(of); code != "" {
					tx.named.currencies[code] = true
				}
			}
		}
		if len(tx.named.currencies) == 0 {
			tx.namedApart()
		}
	})
}

// shortestCurrency is how many letters the name of a currency has at least that stands for it apart from sums.
const shortestCurrency = 4

// namedApart keeps the currencies that the text names, where none stands beside a figure:
// Amounts in CHF.
func (tx *Text) namedApart() {
	for word, at := range tx.ByWord {
		if t := tx.Tokens[at[0]]; len(word) == 3 && lang.Code.Has(word) && tx.Source[t.Start:t.End] == strings.ToUpper(word) {
			tx.named.currencies[strings.ToUpper(word)] = true
		}
	}
	for _, name := range lang.Currency.Words() { // pounds sterling
		if len(tx.placesOf(name)) > 0 && utf8.RuneCountInString(name) >= shortestCurrency {
			tx.named.currencies[lang.Currency.Meaning(name)] = true
		}
	}
	for _, sign := range []string{"€", "£", "$", "¥"} {
		if code, _ := currencyOf(sign, false); code != "" && strings.Contains(tx.Source, sign) {
			tx.named.currencies[code] = true
		}
	}
}

// OtherMeasure tells whether a figure with no measure beside it can't have the one that a
// value says: the text names other currencies beside its figures, and never this one; or
// the figure's line has units of the same kind, and not this one. A measure that the field
// declares is not asked for.
func (tx *Text) OtherMeasure(f *schema.Field, s Span, measure string) bool {
	if own := f.Currency + f.Unit; measure == "" || own != "" {
		return false
	}
	if f.Type == schema.Money {
		return tx.otherCurrency(strings.ToUpper(measure))
	}
	of, ok := known(UnitOf(measure))
	if !ok {
		return false
	}
	tx.prepareNamed()
	other := false
	line := tx.LineSpan(tx.LineOf(s.Start))
	first := sort.Search(len(tx.named.figures), func(i int) bool { return tx.named.figures[i].Start >= line.Start })
	for _, a := range tx.named.figures[first:] {
		if a.Start >= line.End {
			break
		}
		unit := tx.MeasureOf(a.Span).Unit
		if unit == UnitOf(measure) {
			return false
		}
		is, ok := known(unit)
		other = other || ok && is.of == of.of
	}
	return other
}

// mostPriced is how many sums have their currency beside them where a text can be said to
// print it.
const mostPriced = 2

// Unpriced tells whether a whole number in no table and behind no label has no measure, and
// its line no sum, in a text that prints the currency beside others: the 3 of 3 coils is no
// sum where $184.00 and $6.25 are.
func (tx *Text) Unpriced(s Span, code string) bool {
	if strings.Trim(tx.Source[s.Start:s.End], "0123456789") != "" || !tx.MeasureOf(s).none() || tx.head(s) != "" || tx.IsCell(s) {
		return false
	}
	if strings.HasSuffix(strings.TrimRight(tx.lineUpTo(s.Start), " \u00a0"), ":") {
		return false
	}
	for _, none := range noHundredths { // 835,--
		if strings.HasPrefix(tx.Source[s.End:], none) {
			return false
		}
	}
	if i := tx.TokenAt(s.Start); i > 0 && lang.PriceLead.Has(tx.Tokens[i-1].Word) && (tx.word(i, i+1) == "" || strings.Contains(tx.Source[s.End:tx.Tokens[i+1].Start], "\n")) { // für 120
		return false
	}
	if i := tx.TokenAt(s.Start); i > 0 && lang.Deduction.Has(tx.Tokens[i-1].Word) && tx.near(i-1, i) { // paid 200
		return false
	}
	tx.prepareNamed()
	n := 0
	for _, at := range tx.named.priced[strings.ToUpper(code)] {
		if n++; tx.LineOf(at.Start) == tx.LineOf(s.Start) { // £1,200 and 450 a month
			return false
		}
	}
	return n >= mostPriced
}

// siblingSaid tells whether a sign of several currencies stands for another one than a value
// says: the text names that one beside a figure, and never this one. kr is no Swedish crown
// where NOK stands.
func (tx *Text) siblingSaid(code string) bool {
	tx.prepareNamed()
	if tx.named.explicit[code] || len(tx.ByWord[strings.ToLower(code)]) > 0 {
		return false
	}
	for other := range tx.named.explicit {
		if other != code && familyOf(other) == familyOf(code) {
			return true
		}
	}
	return false
}

// otherCurrency tells whether the figures of a text are of other currencies than one, and
// the text does not name it anywhere.
func (tx *Text) otherCurrency(code string) bool {
	tx.prepareNamed()
	if len(tx.named.currencies) == 0 || tx.named.currencies[code] || tx.named.currencies[familyOf(code)] {
		return false
	}
	tx.named.mu.Lock()
	defer tx.named.mu.Unlock()
	other, asked := tx.named.other[code]
	if !asked {
		other = !tx.namesCurrency(code)
		tx.named.other[code] = other
	}
	return other
}

// namesCurrency tells whether a currency is named anywhere: All amounts in EUR.
func (tx *Text) namesCurrency(code string) bool {
	for word := range tx.ByWord {
		if strings.EqualFold(word, code) || lang.Currency.Meaning(word) == code || lang.PerhapsSign.Meaning(word) == familyOf(code) {
			return true
		}
	}
	if slices.ContainsFunc(lang.Currency.Names(code), func(name string) bool { return len(tx.placesOf(name)) > 0 }) {
		return true
	}
	return slices.ContainsFunc(lang.Sign.Names(code), func(sign string) bool { return strings.Contains(tx.Source, sign) })
}

// IsIn tells whether a text has sums in a currency, and whether it is in others instead: neither
// where it names none.
func (tx *Text) IsIn(code string) (is, others bool) {
	tx.prepareNamed()
	if tx.otherCurrency(code) || tx.siblingSaid(code) {
		return false, true
	}
	return tx.named.currencies[code] || tx.named.currencies[familyOf(code)] || tx.namesCurrency(code), false
}

// Priced gives the sums of a text that have a currency beside them.
func (tx *Text) Priced(code string) []Span {
	tx.prepareNamed()
	return tx.named.priced[code]
}

// CurrencyCode gives the code of the currency that a text is the code, the sign or a name of; ""
// for any other.
func CurrencyCode(text string) string {
	if code, _ := currencyOf(strings.TrimSpace(text), true); code != "" {
		return code
	}
	return lang.Currency.Meaning(strings.ToLower(strings.TrimSpace(text)))
}

// SureCurrency is CurrencyCode but for signs of several currencies: $.
func SureCurrency(text string) string {
	if lang.PerhapsSign.Has(strings.TrimSpace(text)) {
		return ""
	}
	return CurrencyCode(text)
}

// CurrencyOf gives the currency that a measure says in this text. A sign of several stands for
// the one of them that the text names; where it names none, the pound's for sterling, and the
// others for none.
func (tx *Text) CurrencyOf(m Measure) string {
	if m.Code == "" || !m.Perhaps {
		return m.Code
	}
	tx.prepareNamed()
	found := ""
	for _, code := range append([]string{m.Code}, lang.AlsoOf.Names(m.Code)...) {
		if tx.named.explicit[code] || tx.says(code) {
			if found != "" {
				return ""
			}
			found = code
		}
	}
	if found == "" && m.Code == sterling {
		return sterling
	}
	return found
}

const sterling = "GBP"

// says tells whether a text has the code of a currency, in capitals.
func (tx *Text) says(code string) bool {
	return slices.ContainsFunc(tx.ByWord[strings.ToLower(code)], func(i int) bool {
		return tx.Source[tx.Tokens[i].Start:tx.Tokens[i].End] == code
	})
}

// OnlyCurrency gives the one currency of all sums of a text; "" where there are several, or
// none is named.
func (tx *Text) OnlyCurrency() string {
	tx.prepareNamed()
	if len(tx.named.currencies) != 1 {
		return ""
	}
	for code := range tx.named.currencies {
		if tx.named.explicit[code] || tx.says(code) {
			return code
		}
		return tx.CurrencyOf(Measure{Code: code, Perhaps: true})
	}
	return ""
}
