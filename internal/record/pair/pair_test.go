package pair

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// best tries every assignment.
func best(weight [][]float64, row int, taken []bool) float64 {
	if row == len(weight) {
		return 0
	}
	most := best(weight, row+1, taken)
	for j := range taken {
		if !taken[j] {
			taken[j] = true
			most = max(most, weight[row][j]+best(weight, row+1, taken))
			taken[j] = false
		}
	}
	return most
}

func TestAssignIsOptimal(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 3000 {
		rows, columns := 1+r.IntN(6), 1+r.IntN(6)
		weight := make([][]float64, rows)
		for i := range weight {
			weight[i] = make([]float64, columns)
			for j := range weight[i] {
				if r.IntN(3) > 0 {
					weight[i][j] = float64(r.IntN(8)) / 7
				}
			}
		}
		got, taken := 0.0, map[int]bool{}
		for i, j := range Assign(weight) {
			if j >= 0 {
				require.False(t, taken[j])
				taken[j] = true
				got += weight[i][j]
			}
		}
		require.InDelta(t, best(weight, 0, make([]bool, columns)), got, 1e-9)
	}
}

// On large cases the sum is never below what taking the best pair first gives.
func TestAssignBeatsGreedy(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	n := 120
	weight := make([][]float64, n)
	for i := range weight {
		weight[i] = make([]float64, n)
		for j := range weight[i] {
			weight[i][j] = r.Float64()
		}
	}
	optimal, greedy := 0.0, 0.0
	for i, j := range Assign(weight) {
		optimal += weight[i][j]
	}
	rows, columns := make([]bool, n), make([]bool, n)
	for range n {
		bi, bj, most := 0, 0, -math.MaxFloat64
		for i := range n {
			for j := range n {
				if !rows[i] && !columns[j] && weight[i][j] > most {
					bi, bj, most = i, j, weight[i][j]
				}
			}
		}
		rows[bi], columns[bj] = true, true
		greedy += most
	}
	assert.Greater(t, optimal, greedy)
}

func field(t *testing.T, list string) *schema.Field {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  l: {list: L., "+list+"}\n"))
	require.NoError(t, err)
	return s.Root.Fields[0]
}

func items(t *testing.T, text string) []value.Value {
	v, err := value.Parse(text)
	require.NoError(t, err)
	return v.Kids
}

func TestLists(t *testing.T) {
	plain := field(t, "fields: {a: A., b: B., n: {integer: N.}}")
	keyed := field(t, "key: [n], fields: {a: A., b: B., n: {integer: N.}}")
	wide := field(t, "key: [n], fields: {a: A., b: B., c: C., d: D., n: {integer: N.}}")
	ordered := field(t, "ordered: true, items: {text: T.}")
	for _, c := range []struct {
		name         string
		f            *schema.Field
		gold, filled string
		want         []Pair
	}{
		{"swapped", plain, `[{"a":"x","n":1},{"a":"y","n":2}]`, `[{"a":"y","n":2},{"a":"x","n":1}]`, []Pair{{0, 1}, {1, 0}}},
		{"too far apart", plain, `[{"a":"x","b":"p","n":1}]`, `[{"a":"y","b":"q","n":2}]`, []Pair{{0, -1}, {-1, 0}}},
		{"alike in letters", plain, `[{"a":"decayed timber"}]`, `[{"a":"decayed timbre"}]`, []Pair{{0, 0}}},
		{"key before likeness", keyed, `[{"a":"x","n":1},{"a":"y","n":2}]`, `[{"a":"y","n":1},{"a":"x","n":2}]`, []Pair{{0, 0}, {1, 1}}},
		{"equal keys always pair", wide, `[{"a":"x","b":"p","c":"q","d":"r","n":1},{"a":"k","n":2}]`, `[{"a":"k","b":"l","c":"m","d":"o","n":2},{"a":"u","b":"v","c":"w","d":"z","n":1}]`, []Pair{{0, 1}, {1, 0}}},
		{"one key more often", wide, `[{"a":"x","b":"p","c":"q","d":"r","n":1}]`, `[{"a":"k","b":"l","c":"m","d":"o","n":1},{"a":"x","b":"p","c":"q","d":"r","n":1}]`, []Pair{{0, 1}, {-1, 0}}},
		{"a key of one decimal", keyed, `[{"a":"x","n":1.0}]`, `[{"a":"y","n":1}]`, []Pair{{0, 0}}},
		{"a wrong key pairs by likeness", keyed, `[{"a":"x","b":"z","n":1}]`, `[{"a":"x","b":"z","n":7}]`, []Pair{{0, 0}}},
		{"one key twice", keyed, `[{"a":"x","n":1},{"a":"y","n":1}]`, `[{"a":"y","n":1},{"a":"x","n":1}]`, []Pair{{0, 1}, {1, 0}}},
		{"ordered does not cross", ordered, `["a","b","c"]`, `["c","a","b"]`, []Pair{{0, 1}, {1, 2}, {2, -1}, {-1, 0}}},
		{"empty items", plain, `[{},{"a":"x"}]`, `[{"a":"x"},{}]`, []Pair{{0, 1}, {1, 0}}},
	} {
		assert.Equal(t, c.want, Lists(c.f, items(t, c.gold), items(t, c.filled)), c.name)
	}
}

// The pairs are the same items, whatever the order that lists, nested lists
// and members come in.
func TestOrderMakesNoDifference(t *testing.T) {
	f := field(t, "fields: {a: A., n: {integer: N.}, l: {list: K., items: {text: T.}}}")
	r := rand.New(rand.NewPCG(7, 8))
	one := func() value.Value {
		v := value.Obj(value.Str([]string{"oak", "elm", "ash"}[r.IntN(3)]).Named("a"), value.Num(fmt.Sprint(r.IntN(3))).Named("n"))
		l := value.List()
		for range r.IntN(3) {
			l.Kids = append(l.Kids, value.Str([]string{"p", "q"}[r.IntN(2)]))
		}
		v.Kids = append(v.Kids, l.Named("l"))
		return v
	}
	content := func(pairs []Pair, g, d []value.Value) map[string]int {
		m := map[string]int{}
		for _, p := range pairs {
			key := "-"
			if p.Gold >= 0 {
				key = Canonical(f.Item, &g[p.Gold])
			}
			if p.Filled >= 0 {
				key += "|" + Canonical(f.Item, &d[p.Filled])
			}
			m[key]++
		}
		return m
	}
	shuffle := func(list []value.Value) []value.Value {
		out := make([]value.Value, len(list))
		for i, j := range r.Perm(len(list)) {
			out[i] = list[j].Clone()
			r.Shuffle(len(out[i].Kids), func(a, b int) { out[i].Kids[a], out[i].Kids[b] = out[i].Kids[b], out[i].Kids[a] })
			l := out[i].Get("l")
			r.Shuffle(len(l.Kids), func(a, b int) { l.Kids[a], l.Kids[b] = l.Kids[b], l.Kids[a] })
		}
		return out
	}
	for range 500 {
		var g, d []value.Value
		for range r.IntN(6) {
			g = append(g, one())
		}
		for range r.IntN(6) {
			d = append(d, one())
		}
		want := content(Lists(f, g, d), g, d)
		g2, d2 := shuffle(g), shuffle(d)
		require.Equal(t, want, content(Lists(f, g2, d2), g2, d2))
	}
}

func BenchmarkLists(b *testing.B) {
	s, _ := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  l: {list: L., fields: {a: A., n: {integer: N.}}}\n"))
	f := s.Root.Fields[0]
	r := rand.New(rand.NewPCG(9, 9))
	var g, d []value.Value
	for i := range 300 {
		g = append(g, value.Obj(value.Str(fmt.Sprint("timber ", i)).Named("a"), value.Num(fmt.Sprint(r.IntN(30))).Named("n")))
		d = append(d, value.Obj(value.Str(fmt.Sprint("timber ", i)).Named("a"), value.Num(fmt.Sprint(r.IntN(30))).Named("n")))
	}
	for b.Loop() {
		Lists(f, g, d)
	}
}

func TestComparisons(t *testing.T) {
	for _, c := range []struct {
		field, gold, filled string
		right               bool
	}{
		{"text: T.", `"Heron Plank"`, `"heron plank"`, false},
		{"text: T.", `"Caf\u00e9"`, `"Cafe\u0301"`, true},
		{"text: T.", `"Cafe"`, `"Cafe\u0301"`, false},
		{"text: T., compare: loose", `"Heron Plank"`, `"heron  plank."`, true},
		{"text: T., compare: loose", `"Heron Plank"`, `"heron planks"`, false},
		{"text: T., compare: set", `"plank, heron"`, `"Heron Plank"`, true},
		{"text: T., compare: set", `"plank"`, `"Heron Plank"`, false},
		{"text: T., compare: {similar: 0.9}", `"Heron Plank"`, `"Heron Plonk"`, true},
		{"text: T., compare: {similar: 0.95}", `"Heron Plank"`, `"Heron Plonk"`, false},
		{"number: N.", `0.1`, `0.10`, true},
		{"number: N.", `0.1`, `0.1000000000000000055`, false},
		{"number: N., compare: {within: 0.05}", `1.00`, `1.05`, true},
		{"number: N., compare: {within: 0.05}", `1.00`, `1.0500001`, false},
		{"number: N., compare: {within: 0.05}", `1.00`, `"1.00"`, false},
		{"money: M.", `{"amount":5.0,"currency":"EUR"}`, `{"currency":"EUR","amount":5}`, true},
		{"money: M.", `{"amount":5.0,"currency":"EUR"}`, `{"amount":5,"currency":"USD"}`, false},
		{"money: M., compare: {within: 1}", `{"amount":5.0,"currency":"EUR"}`, `{"amount":5.9,"currency":"EUR"}`, true},
		{"money: M., compare: {within: 1}", `{"amount":5.0,"currency":"EUR"}`, `{"amount":5.9,"currency":"USD"}`, false},
	} {
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  a: {"+c.field+"}\n"))
		require.NoError(t, err)
		g, err := value.Parse(c.gold)
		require.NoError(t, err)
		d, err := value.Parse(c.filled)
		require.NoError(t, err)
		assert.Equal(t, c.right, Right(s.Root.Fields[0], &g, &d), c)
		assert.Equal(t, c.right, Right(s.Root.Fields[0], &d, &g), c)
	}
}
