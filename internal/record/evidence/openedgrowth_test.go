package evidence

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// A table takes no longer for each of its rows where it has many.
func BenchmarkTable(b *testing.B) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  rows: {list: Rows., fields: {name: Name., low: {number: Low.}, high: {number: High.}, count: {integer: Count.}, tags: {list: Tags., items: {text: Tag.}}}}\n"))
	require.NoError(b, err)
	for _, n := range []int{1000, 2000, 4000} {
		var doc strings.Builder
		doc.WriteString("| Name | Low | High | Count | Tags |\n|---|---|---|---|---|\n")
		rows := value.List()
		for i := range n {
			fmt.Fprintf(&doc, "| Sample %d | %d.5 | %d.7 | %d | red, t%d |\n", i, i, i+3, 2*i, i)
			rows.Kids = append(rows.Kids, value.Obj(value.Str(fmt.Sprintf("Sample %d", i)).Named("name"), value.Num(fmt.Sprintf("%d.5", i)).Named("low"), value.Num(fmt.Sprintf("%d.7", i+3)).Named("high"), value.Num(fmt.Sprint(2*i)).Named("count"),
				value.List(value.Str("red"), value.Str(fmt.Sprintf("t%d", i))).Named("tags")))
		}
		rec := value.Obj(rows.Named("rows"))
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				require.Len(b, Of(s, &rec, NewIndex(doc.String())), 6*n)
			}
		})
	}
}

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
