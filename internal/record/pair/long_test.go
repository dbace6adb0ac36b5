package pair

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// kindsOfLists are long lists as they come: how an item looks, and what goes wrong in one.
var kindsOfLists = map[string]struct {
	schema string
	item   func(r *rand.Rand, i int) []string // its values, as JSON by field
	spoil  func(r *rand.Rand, field int, text string) string
}{
	"numbered": {"no: N., what: W., n: {integer: N.}, by: {date: B.}", func(r *rand.Rand, i int) []string {
		return []string{fmt.Sprintf("%q", fmt.Sprintf("R-%06d", i)), fmt.Sprintf("%q", phrase(r, 4)), fmt.Sprint(r.IntN(50)), day(r)}
	}, spoilt},
	"few values each": {"kind: K., deck: D., grade: {integer: G.}, by: {date: B.}, crew: C., weather: W.", func(r *rand.Rand, _ int) []string {
		return []string{word(r, 8), word(r, 12), fmt.Sprint(r.IntN(4)), day(r), word(r, 30), word(r, 5)}
	}, spoilt},
	"one short text": {"name: N.", func(r *rand.Rand, _ int) []string { return []string{fmt.Sprintf("%q", phrase(r, 2))} }, spoilt},
	"one long text":  {"what: W.", func(r *rand.Rand, _ int) []string { return []string{fmt.Sprintf("%q", phrase(r, 12))} }, spoilt},
	"nested": {"name: N., photos: {list: P., items: {integer: P.}}, finds: {list: F., fields: {kind: K., grade: {integer: G.}}}", func(r *rand.Rand, _ int) []string {
		return []string{fmt.Sprintf("%q", phrase(r, 2)), fmt.Sprintf("[%d,%d]", r.IntN(500), r.IntN(500)), fmt.Sprintf(`[{"kind":%s,"grade":%d},{"kind":%s,"grade":1}]`, word(r, 9), r.IntN(4), word(r, 9))}
	}, spoilt},
}

func phrase(r *rand.Rand, words int) string {
	text := ""
	for k := range words {
		if k > 0 {
			text += " "
		}
		for range 3 + r.IntN(6) {
			text += string(rune('a' + r.IntN(26)))
		}
	}
	return text
}

func word(r *rand.Rand, of int) string {
	return fmt.Sprintf("%q", []string{"rot", "rust", "scour", "moss", "crack", "split"}[r.IntN(6)]+fmt.Sprint(r.IntN(of)))
}

func day(r *rand.Rand) string {
	return fmt.Sprintf("%q", fmt.Sprintf("2031-%02d-%02d", 1+r.IntN(12), 1+r.IntN(28)))
}

// spoilt changes a letter of a text, a figure, or leaves it out.
func spoilt(r *rand.Rand, _ int, text string) string {
	switch k := r.IntN(3); {
	case k == 0 || len(text) < 5:
		return "null"
	case text[0] == '"':
		at := 1 + r.IntN(len(text)-2)
		return text[:at] + string(rune('a'+r.IntN(26))) + text[at+1:]
	case text[0] == '[':
		return "[]"
	}
	return "9" + text
}

// spoiltLists makes two lists of n items, of which the second has every value spoilt with a
// chance of 15 %, a tenth of the items missed and a tenth made up, in another order unless
// ordered. planted gives for each gold item where it went, or -1.
func spoiltLists(t testing.TB, kind string, n int, ordered bool) (f *schema.Field, gold, filled []value.Value, planted []int) {
	k := kindsOfLists[kind]
	s, err := schema.Parse("s.yaml", fmt.Appendf(nil, "schema: s\nfields:\n  l: {list: L., ordered: %v, fields: {%s}}\n", ordered, k.schema))
	require.NoError(t, err)
	f = s.Root.Fields[0]
	r := rand.New(rand.NewPCG(uint64(n), 11))
	item := func(texts []string) value.Value {
		out := "{"
		for i, text := range texts {
			if i > 0 {
				out += ","
			}
			out += fmt.Sprintf("%q:%s", f.Item.Fields[i].Name, text)
		}
		v, err := value.Parse(out + "}")
		require.NoError(t, err, out)
		return v
	}
	var of []int
	for i := range n {
		texts := k.item(r, i)
		gold = append(gold, item(texts))
		if r.IntN(10) == 0 {
			continue
		}
		for j := range texts {
			if r.IntN(100) < 15 {
				texts[j] = k.spoil(r, j, texts[j])
			}
		}
		filled, of = append(filled, item(texts)), append(of, i)
		if r.IntN(10) == 0 {
			filled, of = append(filled, item(k.item(r, n+i))), append(of, -1)
		}
	}
	if !ordered {
		r.Shuffle(len(filled), func(i, j int) { filled[i], filled[j], of[i], of[j] = filled[j], filled[i], of[j], of[i] })
	}
	planted = none(n)
	for j, i := range of {
		if i >= 0 {
			planted[i] = j
		}
	}
	return f, gold, filled, planted
}

func none(n int) (out []int) {
	for range n {
		out = append(out, -1)
	}
	return out
}

// f1By gives F1 over the leaves for a pairing, and the summed similarity.
func f1By(f *schema.Field, gold, filled []value.Value, partner []int) (f1, sum float64) {
	right, under := 0.0, 0.0
	taken := make([]bool, len(filled))
	s := borrow()
	defer s.giveBack()
	nodes := func(v *value.Value) *node {
		n := s.take(1)
		s.make(&n[0], f.Item, v)
		return &n[0]
	}
	for i, j := range partner {
		g := nodes(&gold[i])
		under += float64(g.leaves)
		if j < 0 {
			continue
		}
		taken[j] = true
		d := nodes(&filled[j])
		w := s.similarity(g, d)
		sum += w
		right += rightIn(g, d)
	}
	for j := range filled {
		under += float64(nodes(&filled[j]).leaves)
	}
	return 2 * right / under, sum
}

// rightIn counts the leaves of two items that are the same, lists by their common items.
func rightIn(g, d *node) (n float64) {
	if len(g.text) == 0 || len(d.text) == 0 {
		return 0
	}
	if g.f.IsLeaf() {
		if string(g.text) == string(d.text) {
			return 1
		}
		return 0
	}
	if g.f.Type == schema.Group {
		for i := range g.kids {
			n += rightIn(&g.kids[i], &d.kids[i])
		}
		return n
	}
	left := map[string]int{}
	for i := range d.kids {
		left[string(d.kids[i].text)]++
	}
	for i := range g.kids {
		if left[string(g.kids[i].text)] > 0 {
			left[string(g.kids[i].text)]--
			n += float64(g.kids[i].leaves)
		}
	}
	return n
}

func partnersOf(t testing.TB, n, m int, pairs []Pair) []int {
	partner, seen := none(n), map[int]bool{}
	for _, p := range pairs {
		if p.Gold >= 0 {
			require.Equal(t, -1, partner[p.Gold])
			partner[p.Gold] = p.Filled
		}
		if p.Filled >= 0 {
			require.False(t, seen[p.Filled], "an item has one partner")
			seen[p.Filled] = true
		}
	}
	require.Len(t, seen, m)
	return partner
}

// Long lists, whatever is in them, come out on candidates as by the best assignment of
// all similarities: summed similarity and F1 are within half a point.
func TestLongListsAsTheBest(t *testing.T) {
	for kind := range kindsOfLists {
		for _, ordered := range []bool{false, true} {
			t.Run(fmt.Sprint(kind, " ", ordered), func(t *testing.T) {
				t.Parallel()
				f, gold, filled, planted := spoiltLists(t, kind, 700, ordered)
				best := partnersOf(t, len(gold), len(filled), Lists(f, gold, filled))
				s := borrow()
				defer s.giveBack()
				g, d := s.items(f, gold), s.items(f, filled)
				partner := none(len(g))
				if ordered {
					s.alignLong(g, d, partner)
				} else {
					s.onCandidates(g, d, s.free(partner, -1), s.free(s.ints(len(d), 0), 0), partner, s.ints(len(d), 0), 0)
				}
				mine := none(len(gold))
				for i, j := range partner {
					if j >= 0 {
						mine[g[i].at] = int(d[j].at)
					}
				}
				wantF1, wantSum := f1By(f, gold, filled, best)
				gotF1, gotSum := f1By(f, gold, filled, mine)
				plantedF1, _ := f1By(f, gold, filled, planted)
				t.Logf("F1 best %.4f, on candidates %.4f, planted %.4f; similarity %.1f and %.1f", wantF1, gotF1, plantedF1, wantSum, gotSum)
				assert.InDelta(t, wantF1, gotF1, 0.005)
				assert.InDelta(t, wantSum, gotSum, 0.005*wantSum)
			})
		}
	}
}

// Lists in which all items are alike, or fall into few kinds, are paired to the end too, in
// time that grows with their length.
func TestLongListsOfFewKinds(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  l: {list: L., fields: {a: A., b: B., c: {integer: C.}}}\n"))
	require.NoError(t, err)
	item := func(a, b, c int) value.Value {
		return value.Obj(value.Str(fmt.Sprint("kind ", a)).Named("a"), value.Str(fmt.Sprint("of ", b)).Named("b"), value.Num(fmt.Sprint(c)).Named("c"))
	}
	for _, kinds := range []int{1, 7, 300} {
		var gold, filled []value.Value
		for i := range 12000 {
			gold = append(gold, item(i%kinds, 1, i%kinds))
			if i%5 > 0 {
				filled = append(filled, item(i%kinds, 2, i%kinds))
			}
		}
		paired, same := 0, 0
		for i, j := range partnersOf(t, len(gold), len(filled), Lists(s.Root.Fields[0], gold, filled)) {
			if j >= 0 {
				paired++
				if value.Equal(gold[i].Get("a"), filled[j].Get("a")) {
					same++
				}
			}
		}
		assert.Equal(t, len(filled), paired, "%d kinds", kinds)
		assert.Equal(t, len(filled), same, "%d kinds", kinds)
	}
}

// The assignment on edges weighs what the one on a whole table does, and the chain what
// the best alignment does, whatever the edges are.
func TestSparseIsAssign(t *testing.T) {
	r := rand.New(rand.NewPCG(2, 9))
	for range 3000 {
		rows, columns := 1+r.IntN(12), 1+r.IntN(12)
		table, edges := make([][]float64, rows), make([][]edge, rows)
		for i := range table {
			table[i] = make([]float64, columns)
			for j := range columns {
				if r.IntN(3) == 0 {
					table[i][j] = float64(1+r.IntN(8)) / 8 // so that many are equally good
					edges[i] = append(edges[i], edge{int32(j), table[i][j]})
				}
			}
		}
		weigh := func(partner []int) (sum float64) {
			seen := map[int]bool{}
			for i, j := range partner {
				if j >= 0 {
					require.False(t, seen[j])
					seen[j] = true
					sum += table[i][j]
				}
			}
			return sum
		}
		require.InDelta(t, weigh(Assign(table)), weigh(assignSparse(edges, columns)), 1e-9)

		best := make([][]float64, rows+1)
		best[rows] = make([]float64, columns+1)
		for i := rows - 1; i >= 0; i-- {
			best[i] = make([]float64, columns+1)
			for j := columns - 1; j >= 0; j-- {
				best[i][j] = max(best[i+1][j], best[i][j+1], table[i][j]+best[i+1][j+1])
			}
		}
		partner := none(rows)
		chain(edges, columns, partner)
		require.InDelta(t, best[0][0], weigh(partner), 1e-9)
		last := -1
		for _, j := range partner {
			if j >= 0 {
				require.Greater(t, j, last, "none crosses")
				last = j
			}
		}
	}
}

// BenchmarkLongListsAgainstTheBest gives F1 of 6,000 items on candidates and by a table of
// all similarities.
func BenchmarkLongListsAgainstTheBest(b *testing.B) {
	for _, kind := range []string{"numbered", "few values each", "nested"} {
		f, gold, filled, _ := spoiltLists(b, kind, 6000, false)
		b.Run(kind, func(b *testing.B) {
			for b.Loop() {
				got, _ := f1By(f, gold, filled, partnersOf(b, len(gold), len(filled), Lists(f, gold, filled)))
				s := borrow()
				g, d := s.items(f, gold), s.items(f, filled)
				weight := s.table(len(g), len(d))
				all := func(n int) (out []int) {
					for i := range n {
						out = append(out, i)
					}
					return out
				}
				s.weigh(g, d, all(len(g)), all(len(d)), weight, Least)
				partner := none(len(gold))
				for i, j := range Assign(weight) {
					if j >= 0 && weight[i][j] >= Least {
						partner[g[i].at] = int(d[j].at)
					}
				}
				best, _ := f1By(f, gold, filled, partner)
				b.ReportMetric(got, "F1")
				b.ReportMetric(best, "F1best")
			}
		})
	}
}

func BenchmarkLongListsOfKinds(b *testing.B) {
	for kind := range kindsOfLists {
		for _, n := range []int{6000, 100000} {
			f, gold, filled, planted := spoiltLists(b, kind, n, false)
			b.Run(fmt.Sprint(kind, " ", n), func(b *testing.B) {
				for b.Loop() {
					began := time.Now()
					pairs := Lists(f, gold, filled)
					b.ReportMetric(time.Since(began).Seconds(), "s")
					got, _ := f1By(f, gold, filled, partnersOf(b, len(gold), len(filled), pairs))
					want, _ := f1By(f, gold, filled, planted)
					b.ReportMetric(got, "F1")
					b.ReportMetric(want, "F1planted")
				}
			})
		}
	}
}
