package score

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

// Edges are right by both ends and their kind, in any order and spelling; each of gold is
// right or missed, each filled one right or extra.
func TestEdges(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  shares:\n    list: Shares.\n    edge: {from: a, to: b, kind: how}\n    fields: {a: A., b: B., how: {choice: How., of: [owns, leases]}, note: A note.}\n"))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(4, 4))
	names := []string{"Weir Mill", "weir mill", "Dr. Ada Fenn", "Ada Fenn", "Kettle & Co", ""}
	same := map[string]string{"weir mill": "Weir Mill", "Dr. Ada Fenn": "Ada Fenn"}
	one := func(n string) string {
		if same[n] != "" {
			return same[n]
		}
		return n
	}
	for range 200 {
		var sides [2]value.Value
		var sets [2]map[string]int
		for i := range sides {
			list := value.List()
			sets[i] = map[string]int{}
			for range r.IntN(5) {
				a, b, how := names[r.IntN(len(names))], names[r.IntN(len(names))], []string{"owns", "leases"}[r.IntN(2)]
				list.Kids = append(list.Kids, value.Obj(value.Str(a).Named("a"), value.Str(b).Named("b"), value.Str(how).Named("how"), value.Str(fmt.Sprint(r.IntN(9))).Named("note")))
				if a+b != "" {
					sets[i][one(a)+">"+one(b)+">"+how]++
				}
			}
			sides[i] = value.Obj(list.Named("shares"))
		}
		want := Edges{Path: "shares"}
		for k, n := range sets[0] {
			right := min(n, sets[1][k])
			want.Right, want.Missed = want.Right+right, want.Missed+n-right
		}
		for k, n := range sets[1] {
			want.Extra += n - min(n, sets[0][k])
		}
		sc := New(s, gold.Set{"d": {Document: "d", State: gold.Reviewed, Record: sides[0]}}.Shelf())
		require.NoError(t, sc.Add(record.Line{Document: "d", Status: record.Unflagged, Record: sides[1]}))
		report := sc.Report()
		assert.Equal(t, []Edges{want}, report.Edges)
	}
}
