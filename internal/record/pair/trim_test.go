package pair

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Pairing the items that are the same first comes to the same summed similarity as the
// assignment over all, whatever the items are: few values, texts that are nearly the same,
// values left out, lists within, with keys and without.
func TestSameFirstIsTheBest(t *testing.T) {
	for _, key := range []string{"", "key: [n], ", "key: [k, n], "} {
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  l: {list: L., "+key+"fields: {k: K., n: {integer: N.}, t: T., m: {list: M., fields: {x: X., y: {integer: Y.}}}, p: {list: P., items: {integer: P.}}}}\n"))
		require.NoError(t, err)
		f := s.Root.Fields[0]
		r := rand.New(rand.NewPCG(17, uint64(len(key))))
		words := []string{"rot", "rut", "rust", "rusty", "trust", "scour", "scours", "of the deck", "of the decks", "on the deck"}
		maybe := func(v value.Value, name string) value.Value {
			if r.IntN(4) == 0 {
				return value.Value{Name: name}
			}
			return v.Named(name)
		}
		word := func() value.Value { return value.Str(words[r.IntN(len(words))]) }
		figure := func(n int) value.Value { return value.Num(fmt.Sprint(r.IntN(n))) }
		item := func() value.Value {
			inner, plain := value.List(), value.List()
			for range r.IntN(3) {
				inner.Kids = append(inner.Kids, value.Obj(maybe(word(), "x"), maybe(figure(3), "y")))
			}
			for range r.IntN(3) {
				plain.Kids = append(plain.Kids, figure(4))
			}
			return value.Obj(maybe(word(), "k"), maybe(figure(3), "n"), maybe(word(), "t"), maybe(inner, "m"), maybe(plain, "p"))
		}
		trimmed := 0
		for round := range 12000 {
			var gold, filled []value.Value
			for range 1 + r.IntN(5) {
				gold = append(gold, item())
			}
			for range 1 + r.IntN(5) {
				if r.IntN(2) == 0 {
					filled = append(filled, gold[r.IntN(len(gold))])
				} else {
					filled = append(filled, item())
				}
			}
			sc := borrow()
			g, d := sc.items(f, gold), sc.items(f, filled)
			sum := func(partner []int) (sum float64) {
				for i, j := range partner {
					if j >= 0 {
						sum += sc.similarity(&g[i], &d[j])
					}
				}
				return sum
			}
			whole, _, _ := sc.matched(f, g, d, false)
			part, some, low := sc.matched(f, g, d, true)
			if some && !low {
				trimmed++
				require.InDelta(t, sum(whole), sum(part), 1e-6, "round %d: %v and %v", round, gold, filled)
			}
			sc.giveBack()
		}
		require.Greater(t, trimmed, 2000)
	}
}
