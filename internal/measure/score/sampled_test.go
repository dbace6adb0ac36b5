package score

import (
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/measure/gold"
	"filler/internal/record"
)

// Documents are drawn by a plan from a pile in which risky ones have more errors, and those
// of one document come together. Weighted, the sample gives the figure of the whole pile;
// unweighted it does not. The interval covers it, and reaches about as far as the plan said.
func TestPlannedSamplesAreUnbiased(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of short runs; `make long` runs it")
	}
	r := rand.New(rand.NewPCG(41, 3))
	var pile []gold.Unreviewed
	outcome := map[string]Tally{}
	right, all := 0.0, 0.0
	for i := range 3000 {
		id, risk, values := fmt.Sprintf("d%05d", i), r.Float64()*r.Float64(), 10+r.IntN(20)
		wrong := 0
		for range values {
			if r.Float64() < 0.25*risk {
				wrong++
			}
		}
		if r.Float64() < 0.02 { // a bad one
			wrong = values / 2
		}
		pile = append(pile, gold.Unreviewed{Document: id, Slice: []string{"a", "b"}[i%2], Values: values, Risk: risk})
		outcome[id] = Tally{Right: int32(values - wrong), Wrong: int32(wrong)}
		right, all = right+float64(values-wrong), all+float64(values)
	}
	truth := right / all
	const trials = 300
	covered, bias, plain, low := 0, 0.0, 0.0, 0.0
	var plan gold.Plan
	for trial := range trials {
		plan = gold.NewPlan(pile, nil, gold.Wanted{Precision: truth, Margin: 0.03, Seed: int64(trial)})
		require.True(t, plan.Enough)
		s, counts := &Sampled{}, Counts{}
		for _, c := range plan.Chosen {
			one := outcome[c.Document].counts()
			s.add(c.Weight, one, nil)
			counts = counts.Plus(one)
		}
		require.InDelta(t, 3000, s.StandFor, 1e-6, "the sample stands for the pile")
		got, i := s.Overall.Precision().Value, s.interval()
		bias, plain, low = bias+got-truth, plain+counts.Precision().Value-truth, low+got-i.Low
		if i.Low <= truth && truth <= i.High {
			covered++
		}
	}
	bias, plain, low = bias/trials, plain/trials, low/trials
	t.Logf("of 3,000 documents %d; truth %.4f, weighted off by %+.4f, unweighted by %+.4f; covered %.3f; reach %.4f, planned %.4f", len(plan.Chosen), truth, bias, plain, float64(covered)/trials, low, plan.Reach)
	assert.Less(t, math.Abs(bias), 0.001)
	assert.Greater(t, math.Abs(plain), 3*math.Abs(bias), "risky documents are drawn more often")
	assert.InDelta(t, 0.95, float64(covered)/trials, 0.035)
	assert.InDelta(t, plan.Reach, low, 0.01)
}

// Weights of one change nothing but the name of the figures, whether lines are added one
// by one or in batches, and where only some have a weight the others count once.
func TestSampledAddsUp(t *testing.T) {
	s, golds, filled := pairsOfRecords(t, 80, 21)
	weighted := setOf(golds)
	for i := range golds {
		if i%4 > 0 {
			weighted[docName(i)].Weight = float64(1 + i%3)
		}
	}
	got := scoredAll(t, New(s, weighted.Shelf()), filled)
	plain := scoredAll(t, New(s, setOf(golds).Shelf()), filled)
	assert.Nil(t, plain.Sampled)
	assert.Equal(t, plain.Overall, got.Overall, "counts stay as they are")
	var byHand Sums
	stand := 0.0
	for i := range golds {
		w := max(1, weighted[docName(i)].Weight)
		one := New(s, setOf(golds).Shelf())
		require.NoError(t, one.Add(record.Line{Document: docName(i), Record: *filled[i]}))
		c := one.Report().Overall
		byHand.Right, byHand.Wrong, byHand.Missed, byHand.Extra = byHand.Right+w*float64(c.Right), byHand.Wrong+w*float64(c.Wrong), byHand.Missed+w*float64(c.Missed), byHand.Extra+w*float64(c.Extra)
		stand += w
	}
	assert.InDeltaSlice(t, []float64{byHand.Right, byHand.Wrong, byHand.Missed, byHand.Extra, stand}, []float64{got.Sampled.Overall.Right, got.Sampled.Overall.Wrong, got.Sampled.Overall.Missed, got.Sampled.Overall.Extra, got.Sampled.StandFor}, 1e-6)
	f1 := 2 * byHand.Right / (2*byHand.Right + 2*byHand.Wrong + byHand.Missed + byHand.Extra)
	assert.InDelta(t, f1, got.RatiosOf("").F1().Value, 1e-12)
	assert.True(t, got.Bounds().Low < f1 && f1 < got.Bounds().High)

	ones := setOf(golds)
	for _, g := range ones {
		g.Weight = 1
	}
	same := scoredAll(t, New(s, ones.Shelf()), filled)
	assert.InDelta(t, plain.F1.Low, same.Sampled.F1.Low, 1e-9)
	assert.InDelta(t, plain.F1.High, same.Sampled.F1.High, 1e-9)
}
