package evidence

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// A map takes no longer for each of its entries where it has many.
func BenchmarkMap(b *testing.B) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  results: {map: Results., values: {number: One.}}\n"))
	require.NoError(b, err)
	for _, n := range []int{1000, 2000, 4000} {
		var doc strings.Builder
		of := value.Obj()
		for i := range n {
			fmt.Fprintf(&doc, "Sample %d%c   %d.%d\n", i, 'a'+i%7, i*3, i%10)
			of.Kids = append(of.Kids, value.Num(fmt.Sprintf("%d.%d", i*3, i%10)).Named(fmt.Sprintf("Sample %d%c", i, 'a'+i%7)))
		}
		rec := value.Obj(of.Named("results"))
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				ix := NewIndex(doc.String())
				places := Of(s, &rec, ix)
				require.Len(b, places, n)
				lines, _ := Look(s, &rec, ix, places)
				require.Empty(b, lines)
			}
		})
	}
}
