package merge

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/layout"
)

// longRegister gives the parts of a register of n entries, each part with the last entry of
// the one before it once more; every seventh entry has a value that stands nowhere.
func longRegister(tb testing.TB, n int) (*schema.Schema, []Part, []int) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\neach: entry\nfields:\n  no: {text: Number.}\n  bridge: {text: Name.}\n  grade: {integer: Grade.}\n"))
	require.NoError(tb, err)
	const each, wide = 25, 60
	var parts []Part
	var starts []int
	for i := range n {
		starts = append(starts, i*wide)
	}
	for from := 0; from < n; from += each {
		p := Part{Record: value.List(), Places: evidence.Places{}}
		for i := max(from-1, 0); i < min(from+each, n); i++ {
			at := value.Pointer("").Index(len(p.Record.Kids))
			p.Record.Kids = append(p.Record.Kids, value.Obj(value.Str(fmt.Sprintf("R%d", i)).Named("no"), value.Str("Heron Plank").Named("bridge"), value.Num(fmt.Sprint(i%4)).Named("grade")))
			put := func(name string, offset, length, rivals int) {
				if i%7 == 3 && name == "grade" {
					return
				}
				p.Places[at.Key(name)] = evidence.Place{Kind: evidence.Quoted, Start: i*wide + offset, End: i*wide + offset + length, Line: 2*i + offset/30 + 1, Rivals: rivals}
			}
			put("no", 0, 6, 0)
			put("bridge", 10, 11, n-1)
			put("grade", 35, 1, n/4)
		}
		parts = append(parts, p)
	}
	return s, parts, starts
}

// A register of any length merges to its entries, in order.
func TestLongRegister(t *testing.T) {
	for _, n := range []int{1, 24, 25, 26, 1000} {
		s, parts, starts := longRegister(t, n)
		got := Parts(s, parts, starts)
		require.Len(t, got.Record.Kids, n)
		for i := range n {
			require.Equal(t, fmt.Sprintf("R%d", i), got.Record.Kids[i].Get("no").Text)
		}
		require.Equal(t, got, Parts(s, parts, starts))
		require.Equal(t, layout.Span{Start: 60*(n-1) + 0, End: 60*(n-1) + 6}, layout.Span{Start: got.Places[value.Pointer("").Index(n-1).Key("no")].Start, End: got.Places[value.Pointer("").Index(n-1).Key("no")].End})
	}
}

func BenchmarkRegister(b *testing.B) {
	for _, n := range []int{10_000, 20_000, 40_000} {
		s, parts, starts := longRegister(b, n)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				Parts(s, parts, starts)
			}
		})
	}
}
