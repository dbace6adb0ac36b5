package pair

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/agext/levenshtein"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// manyItems makes two lists of n items: the same but for some words and figures,
// in another order.
func manyItems(n int) (*schema.Field, []value.Value, []value.Value) {
	s, _ := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  l: {list: L., fields: {what: What., n: {integer: N.}, by: {date: By.}}}\n"))
	r := rand.New(rand.NewPCG(3, 4))
	words := []string{"renew", "tighten", "paint", "clear", "rail", "bolts", "pier", "deck", "bearing", "branches"}
	var g, d []value.Value
	for i := range n {
		text := fmt.Sprintf("%s the %s of span %d", words[r.IntN(10)], words[r.IntN(10)], i)
		day := fmt.Sprintf("2031-%02d-%02d", 1+r.IntN(12), 1+r.IntN(28))
		one := func(text string, n int) value.Value {
			return value.Obj(value.Str(text).Named("what"), value.Num(fmt.Sprint(n)).Named("n"), value.Str(day).Named("by"))
		}
		k := r.IntN(50)
		g = append(g, one(text, k))
		if r.IntN(10) == 0 {
			text, k = text+" soon", k+1
		}
		d = append(d, one(text, k))
	}
	r.Shuffle(len(d), func(i, j int) { d[i], d[j] = d[j], d[i] })
	return s.Root.Fields[0], g, d
}

// A list too long for the best pairing is paired all the same, each item once,
// and the items that are the same with one another.
func TestTooMany(t *testing.T) {
	f, g, d := manyItems(6000)
	require.True(t, IsTooMany(len(g), len(d)))
	pairs := Lists(f, g, d)
	seenG, seenD, same := map[int]bool{}, map[int]bool{}, 0
	for _, p := range pairs {
		if p.Gold >= 0 {
			require.False(t, seenG[p.Gold])
			seenG[p.Gold] = true
		}
		if p.Filled >= 0 {
			require.False(t, seenD[p.Filled])
			seenD[p.Filled] = true
		}
		if p.Gold >= 0 && p.Filled >= 0 && value.Equal(&g[p.Gold], &d[p.Filled]) {
			same++
		}
	}
	assert.Len(t, seenG, len(g))
	assert.Len(t, seenD, len(d))
	assert.Greater(t, same, 5300, "nine of ten items are the same")
}

// The quick count of edits is the library's.
func TestEdits(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	letters := []rune("abcdé ")
	text := func(n int) string {
		out := make([]rune, r.IntN(n))
		for i := range out {
			out[i] = letters[r.IntN(len(letters)-r.IntN(2))]
		}
		return string(out)
	}
	for range 20000 {
		a, b := text(80), text(80)
		if r.IntN(4) == 0 {
			a, b = text(700), text(700)
		}
		want := levenshtein.Distance(a, b, nil)
		require.Equal(t, want, edits(a, b), "%q %q", a, b)
		x, y := apart(a, b)
		require.Equal(t, want, edits(x, y), "%q %q", a, b)
	}
}

func BenchmarkLongLists(b *testing.B) {
	for _, n := range []int{2000, 100000} {
		f, g, d := manyItems(n)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				began := time.Now()
				Lists(f, g, d)
				b.ReportMetric(time.Since(began).Seconds(), "s")
			}
		})
	}
}
