package score

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

// pairsOfRecords gives random records, each with one that differs in some leaves.
func pairsOfRecords(t *testing.T, n int, seed uint64) (s *schema.Schema, golds, filled []*value.Value) {
	t.Helper()
	s, err := schema.Parse("s.yaml", fmt.Appendf(nil, nested, "document", ""))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(seed, 1))
	for len(golds) < n {
		g, ok := random(r, shape).(obj)
		if !ok {
			continue
		}
		d, ok := change(r, shape, g).(obj)
		if !ok {
			continue
		}
		golds, filled = append(golds, parse(t, g)), append(filled, parse(t, d))
	}
	return s, golds, filled
}

func docName(i int) string { return fmt.Sprintf("d%04d", i) }

// setOf makes reviewed gold of records; every third is in the part to test.
func setOf(records []*value.Value) gold.Set {
	set := gold.Set{}
	for i, v := range records {
		part := gold.Tune
		if i%3 == 0 {
			part = gold.Test
		}
		set[docName(i)] = &gold.Record{Document: docName(i), State: gold.Reviewed, Split: part, Record: *v}
	}
	return set
}

func scoredAll(t *testing.T, sc *Scorer, records []*value.Value) Report {
	t.Helper()
	for i, v := range records {
		require.NoError(t, sc.Add(record.Line{Document: docName(i), Record: *v}))
	}
	return sc.Report()
}

// leavesIn counts the values of a record.
func leavesIn(v *value.Value) (n int) {
	v.Scan(func(v *value.Value) bool {
		if v.Kind != value.Object && v.Kind != value.Array && !v.Empty() {
			n++
		}
		return true
	})
	return n
}

// However items are paired, every value of gold is right, wrong or missed, and
// every filled one right, wrong or extra. Gold and record changed places: what was
// missed is extra, precision is recall, also where several pairings are equally good.
func TestChangedPlaces(t *testing.T) {
	s, golds, filled := pairsOfRecords(t, 1500, 31)
	for i, g := range golds {
		d := filled[i]
		a := scored(t, s, g.String(), d.String()).Overall
		require.Equal(t, leavesIn(g), a.Right+a.Wrong+a.Missed, "%s and %s", g, d)
		require.Equal(t, leavesIn(d), a.Right+a.Wrong+a.Extra, "%s and %s", g, d)
		x, y := scored(t, s, g.String(), d.String()).Overall, scored(t, s, d.String(), g.String()).Overall
		require.Equal(t, Counts{y.Right, y.Wrong, y.Extra, y.Missed, y.Blank}, x, "%s and %s", g, d)
		require.Equal(t, x.Precision(), y.Recall())
		require.Equal(t, x.F1(), y.F1())
	}
}

// The score of many documents is the sum of theirs, that of slices and parts
// likewise, and a confusion table counts each choice once.
func TestSumsAddUp(t *testing.T) {
	s, golds, filled := pairsOfRecords(t, 400, 33)
	set := setOf(golds)
	slice := func(l record.Line) string { return l.Document[len(l.Document)-1:] }
	all := scoredAll(t, NewWith(s, set.Shelf(), Options{Slice: slice}), filled)
	var sum Counts
	exact := 0
	for i := range golds {
		one := scored(t, s, golds[i].String(), filled[i].String())
		sum = sum.Plus(one.Overall)
		exact += one.RecordsRight
	}
	assert.Equal(t, sum, all.Overall)
	assert.Equal(t, exact, all.RecordsRight)
	var fields, slices, parts Counts
	for _, f := range all.Fields {
		fields = fields.Plus(f.Counts)
	}
	documents := 0
	for _, x := range all.Slices {
		slices, documents = slices.Plus(x.Counts), documents+x.Documents
	}
	for _, part := range []string{gold.Tune, gold.Test} {
		r := scoredAll(t, NewWith(s, set.Shelf(), Options{Split: part}), filled)
		parts = parts.Plus(r.Overall)
		assert.Len(t, r.LeftOut, len(golds)-r.Documents, "who does not count is named")
	}
	assert.Equal(t, []Counts{sum, sum, sum}, []Counts{fields, slices, parts})
	assert.Equal(t, all.Documents, documents)
	assert.True(t, all.F1.Low <= all.Overall.F1().Value && all.Overall.F1().Value <= all.F1.High)
}

// What two records agree in is what one scores against the other; settled as the
// second has it, the first is the second.
func TestSettledIsTheOther(t *testing.T) {
	s, golds, filled := pairsOfRecords(t, 1500, 35)
	settled := 0
	for i := range golds {
		g, d := golds[i], filled[i]
		got := Agree(s, Records{"d": g}, Records{"d": d})
		c := scored(t, s, g.String(), d.String()).Overall
		require.Equal(t, []int{c.Right, c.Wrong + c.Missed + c.Extra}, []int{got.Same, got.Differ + got.Lone})
		require.Len(t, got.Leaves, got.Differ+got.Lone, "each leaf that differs is named")
		var choices []gold.Choice
		for _, l := range got.Leaves {
			choices = append(choices, gold.Choice{Document: "d", Path: l.Path, Value: l.B})
		}
		v := gold.Adjudicate(s, g.Clone(), choices)
		after := scored(t, s, v.String(), d.String())
		require.Zero(t, after.Overall.Wrong+after.Overall.Missed+after.Overall.Extra, "%s\nsettled as %s\ncame to %s", g, d, v)
		settled += len(choices)
	}
	assert.Greater(t, settled, 1000)
}

// Fixed and broken leaves are those of gold whose outcome changes, computed once
// more path by path; the other way round the two change places.
func TestFixedAndBroken(t *testing.T) {
	s, golds, first := pairsOfRecords(t, 300, 37)
	r := rand.New(rand.NewPCG(38, 1))
	set := setOf(golds)
	ab, ba := NewComparer(s, set.Shelf(), "", 2), NewComparer(s, set.Shelf(), "", 2)
	fixed, broken := 0, 0
	for i := range golds {
		second := first[i]
		if r.IntN(3) > 0 {
			second = golds[i]
		}
		right := func(v *value.Value) map[value.Pointer]bool {
			out := map[value.Pointer]bool{}
			Walk(s, golds[i], v, Visitor{Paths: true, Leaf: func(l Leaf) {
				if !l.Gold.Empty() {
					out[l.GoldPath] = l.Outcome == Right
				}
			}})
			return out
		}
		x, y := right(first[i]), right(second)
		require.Len(t, y, len(x), "both tell the same leaves of gold")
		for p := range x {
			switch {
			case y[p] && !x[p]:
				fixed++
			case x[p] && !y[p]:
				broken++
			}
		}
		a, b := record.Line{Document: docName(i), Record: *first[i]}, record.Line{Document: docName(i), Record: *second}
		require.NoError(t, ab.To(0)(a))
		require.NoError(t, ab.To(1)(b))
		require.NoError(t, ba.To(0)(b))
		require.NoError(t, ba.To(1)(a))
	}
	c, d := ab.Compare(), ba.Compare()
	assert.Equal(t, []int{fixed, broken}, []int{c.Fixed, c.Broken})
	assert.Greater(t, fixed, 50)
	assert.Len(t, c.Leaves, fixed+broken)
	assert.Equal(t, c.B.Right-c.A.Right, c.Fixed-c.Broken)
	assert.Equal(t, []int{c.Fixed, c.Broken, c.BothRight, c.BothWrong}, []int{d.Broken, d.Fixed, d.BothRight, d.BothWrong})
	assert.InDelta(t, c.By, -d.By, 1e-12)
	assert.Equal(t, c.P, d.P)
	assert.InDelta(t, c.Difference.Low, -d.Difference.High, 1e-9)
}

// Every leaf in error has an error type that is listed, and none
// other is; groups count each once.
func TestEveryMissHasACause(t *testing.T) {
	s, golds, filled := pairsOfRecords(t, 300, 39)
	known := map[string]bool{}
	for _, c := range ErrorTypes() {
		require.NotEmpty(t, c[1])
		known[c[0]] = true
	}
	finder := &Finder{Schema: s, Gold: setOf(golds).Shelf()}
	var all []LeafError
	for i, v := range filled {
		found, err := finder.Add(record.Line{Document: docName(i), Record: *v})
		require.NoError(t, err)
		one := scored(t, s, golds[i].String(), v.String()).Overall
		require.Len(t, found.Errors, one.Wrong+one.Missed+one.Extra)
		all = append(all, found.Errors...)
	}
	for i := range all {
		m := &all[i]
		require.True(t, known[string(m.Type)], "%q is not listed", m.Type)
		require.NotEmpty(t, m.Path())
		require.Equal(t, m.Outcome == Extra, m.Gold.Empty())
		require.Equal(t, m.Outcome == Missed, m.Filled.Empty())
		v := m.JSON()
		require.Equal(t, string(m.Type), v.Word("type"))
	}
	groups, times := Group(all), 0
	for i, g := range groups {
		times += g.Times
		require.True(t, i == 0 || groups[i-1].Times >= g.Times)
	}
	assert.Equal(t, len(all), times)
	r := finder.Report()
	assert.Equal(t, len(all), r.Overall.Wrong+r.Overall.Missed+r.Overall.Extra)
}

// How much the riskiest fifth holds is, with ties, what it holds on average over
// all orders of those of one risk.
func TestRiskiestFifthByHand(t *testing.T) {
	r := rand.New(rand.NewPCG(41, 1))
	for range 60 {
		leaves := make([]risky, 1+r.IntN(30))
		not := 0
		for i := range leaves {
			leaves[i] = risky{float64(r.IntN(4)) / 4, r.IntN(3) == 0}
			if leaves[i].err {
				not++
			}
		}
		got := review(leaves)
		require.Equal(t, []int{len(leaves), not}, []int{got.Leaves, got.Errors})
		const orders = 3000
		sum := 0
		for range orders {
			own := slices.Clone(leaves)
			r.Shuffle(len(own), func(i, j int) { own[i], own[j] = own[j], own[i] })
			slices.SortStableFunc(own, func(a, b risky) int {
				switch {
				case a.risk > b.risk:
					return -1
				case a.risk < b.risk:
					return 1
				}
				return 0
			})
			for _, l := range own[:got.Top] {
				if l.err {
					sum++
				}
			}
		}
		require.InDelta(t, float64(sum)/orders, got.TopErrors, 0.12)
	}
}

// A table of choices counts every leaf once, and its diagonal is what is right.
func TestConfusionCounts(t *testing.T) {
	s := manyFields(t)
	g, d := many(t, t.TempDir(), 300)
	set, err := gold.Load(g, s)
	require.NoError(t, err)
	sc := NewWith(s, set.Shelf(), Options{Confusion: []string{"bays[].deck", "bays[].defects[].kind"}})
	require.NoError(t, sc.AddFile(d))
	r := sc.Report()
	require.Len(t, r.Confusions, 2)
	for _, c := range r.Confusions {
		f := r.Field(c.Field)
		right, all, missed, extra := 0, 0, 0, 0
		none := slices.Index(c.Options, None)
		for i := range c.Table {
			for j, n := range c.Table[i] {
				all += n
				switch {
				case i == j:
					right += n
				case j == none:
					missed += n
				case i == none:
					extra += n
				}
			}
		}
		assert.Equal(t, []int{f.Right, f.Missed, f.Extra, f.Right + f.Wrong + f.Missed + f.Extra}, []int{right, missed, extra, all}, c.Field)
	}
	assert.Nil(t, r.Field("nothing of the kind"))
}
