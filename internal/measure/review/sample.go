package review

import (
	"math/rand/v2"

	"gonum.org/v1/gonum/stat/distuv"
)

// Sample estimates the accuracy of all values from some that are looked at. Half of
// them are drawn from the riskiest fifth, where most errors are; each part counts by
// its size, so that the estimate is one of all values.
type Sample struct {
	parts [2]part
	n     int
}

// part is a part of all values, of which some are drawn at random.
type part struct {
	from, to    int // of all values, the riskiest first
	take        int
	right, seen int
}

func newSample(all, n int) *Sample {
	n = min(n, all)
	edge := (all + 4) / 5
	first := min((n+1)/2, edge)
	if n-first > all-edge {
		first = n - (all - edge)
	}
	return &Sample{n: n, parts: [2]part{{from: 0, to: edge, take: first}, {from: edge, to: all, take: n - first}}}
}

// pick draws the values, in random order.
func (s *Sample) pick(r *rand.Rand) (picked []int) {
	for _, p := range s.parts {
		for _, i := range r.Perm(p.to - p.from)[:p.take] {
			picked = append(picked, p.from+i)
		}
	}
	r.Shuffle(len(picked), func(i, j int) { picked[i], picked[j] = picked[j], picked[i] })
	return picked
}

// partOf gives the part that a value lies in.
func (s *Sample) partOf(i int) int {
	if i < s.parts[0].to {
		return 0
	}
	return 1
}

// saw counts a verdict. What nobody is sure of, or looked at, says nothing.
func (s *Sample) saw(part int, v Verdict) {
	switch v {
	case Right:
		s.parts[part].right++
		s.parts[part].seen++
	case Changed, Taken:
		s.parts[part].seen++
	}
}

// Estimate is what a sample says so far.
type Estimate struct {
	Seen, Of  int
	Accuracy  float64
	Low, High float64 // an interval that holds the accuracy in at least 95 % of samples
}

// Enough tells whether the accuracy is known to within five points at either side.
func (e Estimate) Enough() bool { return e.Seen > 0 && e.High-e.Low <= 0.10 }

// estimate puts the parts together: the share that is right in each, by its size. The
// interval of each is that of Clopper and Pearson (Biometrika 26, 1934) at 97.5 %, so
// that both hold together in 95 % of samples, however few are wrong.
func (s *Sample) estimate() Estimate {
	e := Estimate{Of: s.n}
	all := s.parts[1].to
	for _, p := range s.parts {
		if p.to == p.from {
			continue
		}
		weight := float64(p.to-p.from) / float64(all)
		e.Seen += p.seen
		low, high := clopperPearson(p.right, p.seen, 0.025)
		e.Low, e.High = e.Low+weight*low, e.High+weight*high
		share := 0.5
		if p.seen > 0 {
			share = float64(p.right) / float64(p.seen)
		}
		e.Accuracy += weight * share
	}
	return e
}

// clopperPearson gives an interval for a share of which right of n were seen, that
// does not hold it with a chance of at most alpha.
func clopperPearson(right, n int, alpha float64) (low, high float64) {
	low, high = 0, 1
	if n == 0 {
		return low, high
	}
	if right > 0 {
		low = distuv.Beta{Alpha: float64(right), Beta: float64(n - right + 1)}.Quantile(alpha / 2)
	}
	if right < n {
		high = distuv.Beta{Alpha: float64(right + 1), Beta: float64(n - right)}.Quantile(1 - alpha/2)
	}
	return low, high
}
