package score

import (
	"math"
	"math/rand/v2"
	"sort"

	"gonum.org/v1/gonum/stat/distuv"
)

// Tally is the outcomes of one document: what intervals and comparisons are
// computed from. Blank leaves take no part.
type Tally struct{ Right, Wrong, Missed, Extra int32 }

func (c Counts) tally() Tally {
	return Tally{int32(c.Right), int32(c.Wrong), int32(c.Missed), int32(c.Extra)}
}

// Interval is a 95 % interval; it does not exist where there is nothing to
// compute it from.
type Interval struct {
	Low, High float64
	Exists    bool
}

// How often documents are drawn, and from how many documents on their
// distinct tallies are weighted in place of drawing each.
const (
	draws    = 2000
	manyDocs = 5000
	bootSeed = 20310313
)

// F1Interval gives the 95 % interval of F1 by documents, since the leaves of one document
// err together: F1 is a ratio of sums over documents, its variance that of a ratio
// (Cochran 1977, 6.4), at least as large as that of independent leaves, and the interval Student's on
// the scale of log odds. Its degrees of freedom are between the number of documents less
// one and how many documents the variance really comes from (the inverse of its
// concentration, geometric mean of the two): where two of thirty have all errors, two
// tell. With one document there is none. Where all values are right, or none is: the
// bound of Clopper and Pearson (1934) for as many documents that have values.
func (t *Tallies) F1Interval() Interval {
	if t.n < 2 {
		return Interval{}
	}
	if i, same := t.unanimous(); same {
		return i
	}
	var sums [4]float64
	t.every(func(one Tally, times float64) { sums = plus(sums, one, times) })
	f := f1Of(sums)
	if math.IsNaN(f) {
		return Interval{}
	}
	if f <= 0 || f >= 1 { // of documents with values none has one right, but for what is in excess
		return Interval{}
	}
	n, under := float64(t.n), 2*sums[0]+2*sums[1]+sums[2]+sums[3]
	two, four := 0.0, 0.0
	t.every(func(one Tally, times float64) {
		right := 2 * float64(one.Right)
		d := right - f*(right+2*float64(one.Wrong)+float64(one.Missed)+float64(one.Extra))
		two, four = two+times*d*d, four+times*d*d*d*d
	})
	leaves := sums[0] + sums[1] + sums[2] + sums[3]
	return ofRatio(f, n, leaves, two/(under*under), four/(under*under*under*under))
}

// ofRatio gives the interval of a ratio of sums over n documents, from the sums of the second
// and fourth powers of each document's part in it.
func ofRatio(f, n, leaves, two, four float64) Interval {
	variance, from := f*(1-f)/leaves, leaves-1
	if own := n / (n - 1) * two; own > variance {
		variance, from = own, max(min(n-1, math.Sqrt((n-1)*two*two/four)), 1)
	}
	reach := studentQuantile(from) * math.Sqrt(variance) / (f * (1 - f))
	at := math.Log(f / (1 - f))
	return Interval{1 / (1 + math.Exp(reach-at)), 1 / (1 + math.Exp(-reach-at)), true}
}

// few is from how many documents a variance has to come, for its interval to be relied on.
const few = 5

// IsFew tells whether so few documents hold the errors that an interval may be too narrow.
func (t *Tallies) IsFew() bool {
	erring := 0.0
	t.every(func(one Tally, times float64) {
		if one.Wrong+one.Missed+one.Extra > 0 {
			erring += times
		}
	})
	return t.n >= 2 && erring > 0 && erring < few
}

// every goes through the documents, or through their kinds with how often each comes, in
// an order that is always the same.
func (t *Tallies) every(do func(one Tally, times float64)) {
	if t.kinds == nil {
		for _, one := range t.each {
			do(one, 1)
		}
		return
	}
	kinds, times := inOrder(t.kinds)
	for i, one := range kinds {
		do(one, times[i])
	}
}

// studentQuantile gives the 97.5th percentile of Student's distribution.
func studentQuantile(freedom float64) float64 {
	return distuv.StudentsT{Sigma: 1, Nu: freedom}.Quantile(0.975)
}

// unanimous gives the interval where all documents with values have them all right, or
// all in error; false where neither is so.
func (t *Tallies) unanimous() (Interval, bool) {
	right, errors, documents := false, false, 0
	see := func(one Tally, times int) {
		any := one.Right > 0 || one.Wrong+one.Missed+one.Extra > 0
		right, errors = right || one.Right > 0, errors || one.Wrong+one.Missed+one.Extra > 0
		if any {
			documents += times
		}
	}
	for _, one := range t.each {
		see(one, 1)
	}
	for one, times := range t.kinds {
		see(one, times)
	}
	bound := 1 - math.Pow(0.025, 1/float64(max(documents, 1)))
	switch {
	case documents < 2: // one document tells nothing of others
		return Interval{}, true
	case right && !errors:
		return Interval{1 - bound, 1, true}, true
	case errors && !right:
		return Interval{0, bound, true}, true
	}
	return Interval{}, false
}

// f1Of gives F1 of summed tallies, not a number where there is none.
func f1Of(s [4]float64) float64 {
	under := 2*s[0] + 2*s[1] + s[2] + s[3]
	if under == 0 {
		return math.NaN()
	}
	return 2 * s[0] / under
}

func plus(s [4]float64, t Tally, times float64) [4]float64 {
	return [4]float64{s[0] + times*float64(t.Right), s[1] + times*float64(t.Wrong), s[2] + times*float64(t.Missed), s[3] + times*float64(t.Extra)}
}

// percentiles gives the 2.5th and the 97.5th percentile.
func percentiles(got []float64) Interval {
	if len(got) == 0 {
		return Interval{}
	}
	sort.Float64s(got)
	return Interval{Quantile(got, 0.025), Quantile(got, 0.975), true}
}

// Quantile gives what a share p of sorted figures lies below; between two neighbours
// where it falls there.
func Quantile(sorted []float64, p float64) float64 {
	x := p * float64(len(sorted)-1)
	i := int(x)
	if i+1 >= len(sorted) {
		return sorted[len(sorted)-1]
	}
	return sorted[i] + (x-float64(i))*(sorted[i+1]-sorted[i])
}

// poisson draws from the Poisson distribution: by Knuth's product of uniforms
// for small means, else by its normal limit.
func poisson(rng *rand.Rand, mean float64) float64 {
	if mean > 30 {
		return max(0, math.Round(mean+math.Sqrt(mean)*rng.NormFloat64()))
	}
	limit, product := math.Exp(-mean), 1.0
	for n := 0.0; ; n++ {
		if product *= rng.Float64(); product <= limit {
			return n
		}
	}
}
