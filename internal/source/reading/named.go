package reading

import (
	"strings"
	"sync"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// named is what a text names beside its figures, made when it is first asked for.
type named struct {
	once       sync.Once
	currencies map[string]bool // of figures
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
	other := false
	for _, a := range tx.figuresInOrder() {
		if tx.LineOf(a.Start) != tx.LineOf(s.Start) {
			continue
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

// otherCurrency tells whether the figures of a text are of other currencies than one, and
// the text does not name it anywhere.
func (tx *Text) otherCurrency(code string) bool {
	tx.named.once.Do(func() {
		tx.named.currencies = map[string]bool{}
		for _, a := range tx.figuresInOrder() {
			if m := tx.MeasureOf(a.Span); m.Code != "" {
				tx.named.currencies[m.Code] = true
			}
		}
	})
	if len(tx.named.currencies) == 0 || tx.named.currencies[code] || tx.named.currencies[familyOf(code)] {
		return false
	}
	for _, t := range tx.Tokens { // All amounts in EUR.
		if word := tx.Source[t.Start:t.End]; word == code || lang.Currency.Meaning(t.Word) == code || lang.PerhapsSign.Meaning(t.Word) == familyOf(code) {
			return false
		}
	}
	for _, sign := range lang.Sign.Names(code) {
		if strings.Contains(tx.Source, sign) {
			return false
		}
	}
	return true
}
