package score

import (
	"math"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

// clustered draws the tallies of n documents whose leaves err together: each
// document has its own rate, of a mean that is the same for all.
func clustered(r *rand.Rand, n int, mean float64) []Tally {
	var all []Tally
	for range n {
		rate := mean * r.ExpFloat64() // from next to none to several times the mean
		var t Tally
		for range 12 + r.IntN(30) {
			switch x := r.Float64(); {
			case x > min(rate, 0.95):
				t.Right++
			case r.IntN(3) == 0:
				t.Missed++
			case r.IntN(2) == 0:
				t.Extra++
			default:
				t.Wrong++
			}
		}
		all = append(all, t)
	}
	return all
}

func f1(all []Tally) float64 {
	var s [4]float64
	for _, t := range all {
		s = plus(s, t, 1)
	}
	return f1Of(s)
}

// On simulated documents with clustered errors the intervals cover the truth in
// 92 to 97 % of trials: those by drawing documents, and those by weighting tallies.
func TestIntervalsCover(t *testing.T) {
	truth := f1(clustered(rand.New(rand.NewPCG(1, 1)), 400000, 0.1))
	r := rand.New(rand.NewPCG(61, 62))
	const trials = 400
	covered, width := 0, 0.0
	for range trials {
		i := f1Interval(clustered(r, 80, 0.1))
		if i.Low <= truth && truth <= i.High {
			covered++
		}
		width += (i.High - i.Low) / trials
	}
	assert.InDelta(t, 0.945, float64(covered)/trials, 0.025, "coverage")
	assert.Less(t, width, 0.08, "an interval that says everything says nothing")

	many := clustered(r, manyDocs+1000, 0.1)
	weighted := f1Interval(many)
	var spread []float64
	for range 300 {
		spread = append(spread, f1(clustered(r, len(many), 0.1)))
	}
	direct := percentiles(spread)
	assert.InDelta(t, direct.High-direct.Low, weighted.High-weighted.Low, 0.15*(direct.High-direct.Low), "as wide as the spread of fresh samples")
	assert.False(t, f1Interval(many[:1]).Exists)
}

// Two equal systems are called different in under 6 % of trials, and their
// difference lies within the interval in 92 to 97 %.
func TestEqualSystemsAreNotCalledDifferent(t *testing.T) {
	r := rand.New(rand.NewPCG(63, 64))
	const trials = 300
	called, covered := 0, 0
	for range trials {
		a, b := clustered(r, 40, 0.1), clustered(r, 40, 0.1)
		if flipped(a, b) < 0.05 {
			called++
		}
		if i := differenceInterval(a, b); i.Low <= 0 && 0 <= i.High {
			covered++
		}
	}
	assert.Less(t, float64(called)/trials, 0.06+0.0001)
	assert.InDelta(t, 0.945, float64(covered)/trials, 0.03)
}

// A real difference is found, and few documents prove nothing.
func TestDifferencesAreFound(t *testing.T) {
	r := rand.New(rand.NewPCG(65, 66))
	assert.Less(t, flipped(clustered(r, 80, 0.2), clustered(r, 80, 0.08)), 0.01)
	assert.Equal(t, 1.0, flipped([]Tally{{5, 0, 0, 0}}, []Tally{{5, 0, 0, 0}}))
	// All ways by hand: one document differs, and both signs show as much.
	assert.Equal(t, 1.0, flipped([]Tally{{5, 0, 0, 0}, {3, 2, 0, 0}}, []Tally{{5, 0, 0, 0}, {5, 0, 0, 0}}))
	// Five documents all better in one: 2 of 32 ways.
	worse, better := []Tally{}, []Tally{}
	for range 5 {
		worse, better = append(worse, Tally{3, 2, 0, 0}), append(better, Tally{5, 0, 0, 0})
	}
	assert.InDelta(t, 2.0/32, flipped(worse, better), 1e-12)
}

// McNemar's exact test by hand: 1 against 7 of 8 is 2·(1+8)/256.
func TestMcNemar(t *testing.T) {
	assert.InDelta(t, 2*9.0/256, mcNemar(1, 7), 1e-12)
	assert.Equal(t, 1.0, mcNemar(4, 4))
	assert.Equal(t, 1.0, mcNemar(0, 0))
}

// The lower bound is that of tables: 30 of 30 right is at least 0.8843, and 97 of
// 100 at least 0.9148 (two-sided 95 %). A design effect of 2 halves what is known.
func TestLower(t *testing.T) {
	assert.InDelta(t, 0.8843, lower(30, 0, 1), 0.0001)
	assert.InDelta(t, 0.9148, lower(100, 3, 1), 0.0001)
	assert.InDelta(t, lower(50, 1.5, 1), lower(100, 3, 2), 1e-12)
	assert.Zero(t, lower(0, 0, 1))
}

// Errors that all stand in one document tell less than errors spread evenly.
func TestDesignEffect(t *testing.T) {
	var heaped, spread []unit
	for d := range 20 {
		for i := range 10 {
			heaped = append(heaped, unit{doc: d, ok: d != 0})
			spread = append(spread, unit{doc: d, ok: i != 0 || d%2 == 1})
		}
	}
	assert.InDelta(t, 10, designEffect(heaped), 0.6, "ten leaves say as much as one")
	assert.Equal(t, 1.0, designEffect(spread))
}

// What may skip review is right as often as was promised, on documents that the
// threshold was not chosen on; and where gold is too small that is said.
func TestStraightThroughKeepsItsWord(t *testing.T) {
	r := rand.New(rand.NewPCG(67, 68))
	broken, met := 0, 0
	for range 60 {
		sc := &Scorer{}
		for d := range 150 {
			for range 20 {
				risk := math.Round(r.Float64()*20) / 20
				sc.straight.leaves = append(sc.straight.leaves, unit{risk, r.Float64() > risk*risk*0.5, d})
			}
			sc.straight.docs, sc.straight.parts = append(sc.straight.docs, string(rune(0x4e00+d))), append(sc.straight.parts, "")
		}
		got := sc.Straight(0.95).Leaves
		if !got.Found {
			continue
		}
		// The truth of those that pass: the mean of risk²/2 up to the threshold.
		sum, n := 0.0, 0.0
		for x := 0.0; x <= got.Threshold+1e-9; x += 0.05 {
			sum, n = sum+x*x*0.5, n+1
		}
		if got.Met {
			met++
			if 1-sum/n < 0.95 {
				broken++
			}
		}
		assert.Greater(t, got.Pass, 800)
	}
	assert.Greater(t, met, 30)
	assert.LessOrEqual(t, broken, 2)

	small := &Scorer{}
	for d := range 10 {
		small.straight.leaves = append(small.straight.leaves, unit{0.1, true, d})
		small.straight.docs, small.straight.parts = append(small.straight.docs, string(rune('a'+d))), append(small.straight.parts, "")
	}
	got := small.Straight(0.99).Leaves
	assert.False(t, got.Found)
	assert.InDelta(t, 367, got.Needed, 20, "n with 0.025 = 0.99^n")
	assert.Equal(t, got.Needed, got.NeededDocuments)
}

func f1Interval(tallies []Tally) Interval {
	var t Tallies
	for _, one := range tallies {
		t.Add(one)
	}
	return t.F1Interval()
}

// Where nothing is in error drawing documents shows nothing else, and still twenty right
// ones do not prove that all are: of trials in which nothing was in error, the interval
// holds the truth as often as it says.
func TestNoErrorsProveLittle(t *testing.T) {
	assert.Equal(t, Interval{}, f1Interval([]Tally{{Right: 9}, {}}), "one document with values tells nothing of others")
	none, half := f1Interval([]Tally{{Wrong: 3}, {Missed: 1}}), f1Interval([]Tally{{Right: 3}, {Missed: 1}})
	assert.True(t, none.Low == 0 && none.High < 1 && none.High > 0.5, none)
	assert.True(t, half.Low == 0 && half.High == 1, half)
	r := rand.New(rand.NewPCG(7, 8))
	covered, clean := 0, 0
	for range 4000 {
		truth := 0.7 + 0.3*r.Float64() // each document's one value is right so often
		all, ok := make([]Tally, 20), true
		for i := range all {
			if all[i].Right = 1; r.Float64() > truth {
				all[i], ok = Tally{Wrong: 1}, false
			}
		}
		if !ok {
			continue
		}
		clean++
		if i := f1Interval(all); i.Low <= truth && i.High == 1 {
			covered++
		}
	}
	assert.Greater(t, clean, 200)
	assert.Greater(t, float64(covered)/float64(clean), 0.95)
}
