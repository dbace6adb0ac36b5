package reading

import (
	"math/big"
	"slices"
	"strings"
)

// inUnit is a figure of a text that has a unit.
type inUnit struct {
	key string
	n   *big.Rat
	Measure
}

// RoundedTo gives the numbers in another unit, in canonical form, that the text has and that
// come to an amount in a unit of its own, rounded to its decimals: 92 lb are 41.73 kg. There
// is none where the amount has fewer than three figures to tell by.
func (tx *Text) RoundedTo(amount, own, other string) (keys []string) {
	a, okA := known(UnitOf(own))
	b, okB := known(UnitOf(other))
	n, okN := new(big.Rat).SetString(amount)
	if !okA || !okB || !okN || a.of != b.of || len(amount) > 30 || strings.ContainsAny(amount, "eE") || len(strings.TrimLeft(strings.ReplaceAll(amount, ".", ""), "-0")) < 3 {
		return nil
	}
	_, decimals, _ := strings.Cut(amount, ".")
	want := n.FloatString(len(decimals))
	for _, in := range tx.inUnit(UnitOf(other)) {
		x := new(big.Rat).Add(in.n, rational(b.offset))
		x.Mul(x, rational(b.factor))
		x.Quo(x, rational(a.factor))
		if x.Sub(x, rational(a.offset)).FloatString(len(decimals)) == want && !slices.Contains(keys, in.key) {
			keys = append(keys, in.key)
		}
	}
	return keys
}

// inUnit gives the figures that may be in a unit, with all that each may mean.
func (tx *Text) inUnit(unit string) (all []inUnit) {
	tx.prepareNamed()
	m := &tx.named
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.units == nil {
		m.units = map[string][]inUnit{}
		for _, a := range m.figures {
			said := tx.MeasureOf(a.Span)
			if n, ok := new(big.Rat).SetString(a.key); ok && said.Unit != "" && len(a.key) < 30 {
				m.units[said.Unit] = append(m.units[said.Unit], inUnit{a.key, n, said})
			}
		}
	}
	all = slices.Clip(m.units[unit])
	for _, of := range []string{"o'clock", "lb", "Pfund"} { // words that may stand for it too
		for _, in := range m.units[of] {
			if of != unit && in.Has(unit) {
				all = append(all, in)
			}
		}
	}
	return all
}
