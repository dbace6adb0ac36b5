package score

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/schema"
)

// The examples of docs/scoring.md beyond the first are what is computed here, each
// from the figures that stand in its sentence.
func TestFurtherExamples(t *testing.T) {
	data, err := os.ReadFile("../../../docs/scoring.md")
	require.NoError(t, err)
	page := strings.Join(strings.Fields(string(data)), " ")
	says := func(format string, args ...any) {
		t.Helper()
		assert.Contains(t, page, fmt.Sprintf(format, args...))
	}
	a := []Tally{{9, 1, 0, 0}, {10, 0, 0, 0}, {6, 2, 2, 0}, {8, 0, 1, 1}, {7, 2, 1, 0}}
	b := []Tally{{10, 0, 0, 0}, {10, 0, 0, 0}, {8, 1, 1, 0}, {9, 0, 1, 0}, {9, 1, 0, 0}}
	i := f1Interval(a)
	says("(9, 1, 0, 0), (10, 0, 0, 0), (6, 2, 2, 0), (8, 0, 1, 1) and (7, 2, 1, 0)")
	says("F1 is %.3f, and its interval goes from %.3f to %.3f", f1(a), i.Low, i.High)
	says("(10, 0, 0, 0), (10, 0, 0, 0), (8, 1, 1, 0), (9, 0, 1, 0) and (9, 1, 0, 0)")
	rights := func(n int) (all []Tally) {
		for range n {
			all = append(all, Tally{Right: 9})
		}
		return all
	}
	says("with ten of them %.3f, with a hundred %.3f", f1Interval(rights(10)).Low, f1Interval(rights(100)).Low)
	d := differenceInterval(a, b)
	says("%+.1f points, 95 %% between %+.1f and %+.1f; p = %.3f", 100*(f1(b)-f1(a)), 100*d.Low, 100*d.High, flipped(a, b))
	same, better := []Tally{}, []Tally{}
	for range 6 {
		same, better = append(same, Tally{8, 2, 0, 0}), append(better, Tally{9, 1, 0, 0})
	}
	d = differenceInterval(same, better)
	says("six documents that all gain 10 points: between %+.1f and %+.1f", 100*d.Low, 100*d.High)
	says("With 1 fully correct record lost and 7 gained, McNemar p = %.3f", mcNemar(1, 7))
	k, _ := Kappa([][]int{{88, 14, 18}, {10, 40, 10}, {2, 6, 12}})
	says("kappa is %.3f", k)
	says("of 30 records all right, at least %.3f are right; of 30 documents of 20 values all right, at least %.3f of the values", rightAtLeast([]passes{{passed{n: 1}, 30}}), rightAtLeast([]passes{{passed{n: 20}, 30}}))

	// Weighted F1, and evidence beside accuracy.
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  a: {text: A., weight: 3}\n  b: B.\n"))
	require.NoError(t, err)
	parse := func(text string) value.Value {
		v, err := value.Parse(text)
		require.NoError(t, err)
		return v
	}
	sc := New(s, gold.Set{"d": {Document: "d", State: gold.Reviewed, Record: parse(`{"a":"x","b":"y"}`)}}.Shelf())
	require.NoError(t, sc.Add(lineOf("d", parse(`{"a":"x","b":"z"}`), parse(`{"/a":{"kind":"quoted","start":0,"end":1},"/b":{"kind":"none"}}`))))
	r := sc.Report()
	w, _ := r.Weighted()
	says("a right leaf of weight 3 and a wrong one of weight 1 give a weighted F1 of %.3f", w.Value)
	assert.Equal(t, Evident{Known: true, RightWith: 1, WrongWithout: 1}, r.Evident)
	r.Spent = &Spending{CostNano: 30_000_000}
	nano, _ := r.PerRight()
	says("a run that cost 0.03 and has one value right pays %.2f for it", nano/1e9)
	for _, c := range ErrorTypes() {
		says("| `%s` | %s |", c[0], c[1])
	}
}
