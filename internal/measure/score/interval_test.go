package score

import (
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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

// On simulated documents the intervals cover the truth about as often as they say, with few
// documents and with many, whether errors are independent, clustered, or in a quarter of the
// documents; and they are no wider than they have to be.
func TestIntervalsCover(t *testing.T) {
	kinds := map[string]func(r *rand.Rand, n int) []Tally{
		"clustered": func(r *rand.Rand, n int) []Tally { return clustered(r, n, 0.1) },
		"independent": func(r *rand.Rand, n int) (all []Tally) {
			for range n {
				one := Tally{}
				for range 20 {
					if r.Float64() < 0.1 {
						one.Wrong++
					} else {
						one.Right++
					}
				}
				all = append(all, one)
			}
			return all
		},
		"in a quarter": func(r *rand.Rand, n int) (all []Tally) {
			for range n {
				one, rate := Tally{}, 0.02
				if r.IntN(4) == 0 {
					rate = 0.34
				}
				for range 5 + r.IntN(30) {
					if r.Float64() < rate {
						one.Missed++
					} else {
						one.Right++
					}
				}
				all = append(all, one)
			}
			return all
		},
	}
	for name, draw := range kinds {
		truth := f1(draw(rand.New(rand.NewPCG(1, 1)), 400000))
		for _, n := range []int{10, 30, 100, 1000} {
			r := rand.New(rand.NewPCG(61, uint64(n)))
			trials := 1000
			if n > 100 {
				trials = 400
			}
			covered, width := 0, 0.0
			for range trials {
				i := f1Interval(draw(r, n))
				if i.Low <= truth && truth <= i.High {
					covered++
				}
				width += (i.High - i.Low) / float64(trials)
			}
			share := float64(covered) / float64(trials)
			t.Logf("%s, %d documents: %.3f, %.3f wide", name, n, share, width)
			assert.GreaterOrEqual(t, share, 0.905, "%s, %d", name, n)
			assert.LessOrEqual(t, share, 0.98, "%s, %d", name, n)
			assert.Less(t, width, 0.9/math.Sqrt(float64(n)), "an interval that says everything says nothing")
		}
	}
	many := clustered(rand.New(rand.NewPCG(5, 5)), manyDocs+1000, 0.1)
	one, each := f1Interval(many), Tallies{whole: true}
	for _, m := range many {
		each.Add(m)
	}
	other := each.F1Interval()
	assert.InDelta(t, other.Low, one.Low, 1e-9, "kinds of documents say what each of them says")
	assert.InDelta(t, other.High, one.High, 1e-9)
	assert.False(t, f1Interval(many[:1]).Exists)
	bad := make([]Tally, 40)
	for i := range bad {
		bad[i] = Tally{Right: 20}
	}
	bad[7] = Tally{Wrong: 20}
	var t1 Tallies
	for _, b := range bad {
		t1.Add(b)
	}
	i := t1.F1Interval()
	assert.True(t, t1.IsFew())
	assert.Less(t, i.Low, 0.90, "one catastrophe in forty documents says little of the next forty")
}

// Two equal systems are called different in under 6 % of trials, and their
// difference lies within the interval in 92 to 97 %.
func TestEqualSystemsAreNotCalledDifferent(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of short runs; `make long` runs it")
	}
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

// The exact bound is that of tables: 30 of 30 right is at least 0.9050, and 97 of 100 at
// least 0.9243 (one-sided 95 %).
func TestExactLower(t *testing.T) {
	assert.InDelta(t, math.Pow(0.05, 1.0/30), exactLower(30, 0, 0.05), 1e-9)
	assert.InDelta(t, 0.9243, exactLower(100, 3, 0.05), 0.0001)
	assert.Zero(t, exactLower(0, 0, 0.05))
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
	if testing.Short() {
		t.Skip("left out of short runs; `make long` runs it")
	}
	r := rand.New(rand.NewPCG(67, 68))
	broken, met := 0, 0
	for range 60 {
		sc := &Scorer{}
		for d := range 800 {
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
		assert.Greater(t, got.Pass, 3000)
	}
	t.Logf("met %d, false %d", met, broken)
	assert.Greater(t, met, 15)
	assert.LessOrEqual(t, broken, 3)

	small := &Scorer{}
	for d := range 10 {
		small.straight.leaves = append(small.straight.leaves, unit{0.1, true, d})
		small.straight.docs, small.straight.parts = append(small.straight.docs, string(rune('a'+d))), append(small.straight.parts, "")
	}
	got := small.Straight(0.99).Leaves
	assert.False(t, got.Found)
	assert.InDelta(t, 298, got.NeededDocuments, 4, "n with 0.05 = 0.99^n")
	assert.Equal(t, got.NeededDocuments, got.NeededFrom, "without errors every draw is the same")
}

// kinds of documents in which a share of the values is wrong: how many values each has, and
// how many are wrong.
var errorKinds = map[string]func(r *rand.Rand, share float64) passed{
	"independent": func(r *rand.Rand, share float64) passed {
		p := passed{n: 20}
		for range 20 {
			if r.Float64() < share {
				p.wrong++
			}
		}
		return p
	},
	"clustered": func(r *rand.Rand, share float64) passed { // in a tenth of the documents
		p := passed{n: 20}
		if r.IntN(10) == 0 {
			for range 20 {
				if r.Float64() < 10*share {
					p.wrong++
				}
			}
		}
		return p
	},
	"rare catastrophes": func(r *rand.Rand, share float64) passed {
		if r.Float64() < share {
			return passed{20, 20}
		}
		return passed{n: 20}
	},
	"of many sizes": func(r *rand.Rand, share float64) passed { // the longest are the worst
		p, worse := passed{n: 15}, 0.4
		if r.IntN(3) == 0 {
			p, worse = passed{n: 30}, 1.6
		}
		for range int(p.n) {
			if r.Float64() < share*worse {
				p.wrong++
			}
		}
		return p
	},
	"one value a document": func(r *rand.Rand, share float64) passed {
		if r.Float64() < share {
			return passed{1, 1}
		}
		return passed{n: 1}
	},
}

// A target that is not reached is called met in one of twenty cases at most, whatever
// errors have to do with each other and however few documents there are; one that is well
// reached is mostly shown.
func TestFewFalseClaims(t *testing.T) {
	trials := 600
	for name, draw := range errorKinds {
		for _, documents := range []int{10, 60, 300, 1000} {
			r := rand.New(rand.NewPCG(11, uint64(documents)))
			broken := 0
			for range trials {
				all := make([]passed, documents)
				for i := range all {
					all[i] = draw(r, 0.0101)
				}
				if surely(counted(all), 0.01, doubt) {
					broken++
				}
			}
			assert.LessOrEqual(t, broken, trials/20+12, "%s, %d documents: a false claim in %d of %d", name, documents, broken, trials)
		}
	}
	r := rand.New(rand.NewPCG(12, 1))
	shown := 0
	for range 200 {
		all := make([]passed, 1000)
		for i := range all {
			all[i] = errorKinds["independent"](r, 0.005)
		}
		if surely(counted(all), 0.01, doubt) {
			shown++
		}
	}
	t.Logf("0.995 of 1,000 documents of 20 values is shown to be 0.99 in %d of 200", shown)
	assert.GreaterOrEqual(t, shown, 160)
}

// The bound falls as more is wrong and rises as there is more of it, and what is needed is
// what would show it.
func TestRightAtLeast(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	for range 60 {
		all := make([]passed, 20+r.IntN(200))
		for i := range all {
			all[i] = errorKinds["clustered"](r, 0.02)
		}
		low := rightAtLeast(counted(all))
		n, wrong := 0.0, 0.0
		for _, p := range all {
			n, wrong = n+p.n, wrong+p.wrong
		}
		require.Less(t, low, 1-wrong/n)
		require.True(t, surely(counted(all), 1-low+1e-9, doubt))
		require.False(t, surely(counted(all), 1-low-1e-6, doubt))
		naive := func(q float64) float64 { // each document's bet after the other, as docs/scoring.md has it
			sum := 0.0
			for _, play := range [][2]float64{{0.99, 0.4}, {0.75, 0.15}, {0.5, 0.15}, {0.25, 0.1}, {0.1, 0.1}, {0.03, 0.05}, {0.01, 0.05}} {
				capital := play[1]
				for _, p := range all {
					capital *= 1 - play[0]*(p.wrong-q*p.n)/20
				}
				sum += capital
			}
			return sum
		}
		require.InDelta(t, 20, naive(1-low), 0.01)
		require.GreaterOrEqual(t, rightAtLeast(counted(append(slices.Clone(all), all...))), low)
		worse := slices.Clone(all)
		worse[0] = passed{20, 20}
		if all[0].wrong < 20 {
			require.Less(t, rightAtLeast(counted(worse)), low)
		}
		if k := factor(counted(all), 0.95); k > 0 {
			more := counted(all)
			for i := range more {
				more[i].documents *= k
			}
			require.True(t, surely(more, 0.05, doubt))
			for i := range more {
				more[i].documents *= 0.97
			}
			if k > 1 {
				require.False(t, surely(more, 0.05, doubt))
			}
		}
	}
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
	assert.True(t, half.Low < 0.01 && half.High > 0.99, half)
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
