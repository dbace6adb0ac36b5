package score

import (
	"cmp"
	"math"
	"slices"
	"sort"

	"gonum.org/v1/gonum/stat/distuv"
)

// Against is a set compared with the first of several.
type Against struct {
	Comparison
	F1   Interval
	Holm float64 // p, corrected for as many comparisons as there are
}

// CompareAll compares every set with the first, on the documents that count in all of them.
// The first comes first, compared with itself. P values are corrected by Holm's method
// (1979), so that of all comparisons in which nothing differs one in twenty at most is
// called different.
func (c *Comparer) CompareAll() (all []Against, apart []LeftOut) {
	in := map[string]bool{}
	sort.Strings(c.order)
	for _, id := range c.order {
		if why := c.notInAll(id); why != "" {
			apart = append(apart, LeftOut{id, why})
			continue
		}
		in[id] = true
	}
	var ps []float64
	for _, set := range c.sets {
		one := Against{Comparison: c.pair(c.sets[0], set, in, len(c.sets)-1)}
		t := Tallies{}
		for _, id := range c.order {
			if in[id] {
				t.Add(set[id].all)
			}
		}
		one.F1 = t.F1Interval()
		all, ps = append(all, one), append(ps, one.P)
	}
	all[0].Holm = 1
	for i, p := range Holm(ps[1:]) {
		all[i+1].Holm = p
	}
	return all, apart
}

// notInAll says why a document does not count in all sets, or "".
func (c *Comparer) notInAll(id string) string {
	for i, set := range c.sets {
		name := string(rune('A' + i%26))
		switch s := set[id]; {
		case s == nil:
			return "not in all of them (" + name + " has no record of it)"
		case s.leftOut != "":
			return s.leftOut
		}
	}
	return ""
}

// Holm corrects p values: the smallest by the number of comparisons, the next by one
// less, and so on, none below one before it (Holm 1979).
func Holm(ps []float64) []float64 {
	order := byP(ps)
	out, least := make([]float64, len(ps)), 0.0
	for rank, i := range order {
		least = max(least, min(1, float64(len(ps)-rank)*ps[i]))
		out[i] = least
	}
	return out
}

// byP gives the order of p values, the smallest first.
func byP(ps []float64) []int {
	order := make([]int, len(ps))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(ps[a], ps[b]) })
	return order
}

// power is how often a difference as large as the one seen is to be shown.
const power = 0.8

// needed gives how many documents would show the difference seen at a level, four times in
// five: ((z + z') s / d)², with s the standard deviation of a document's part in the
// difference d of the two F1s. 0 where there is no difference, or where it is shown.
func needed(as, bs []Tally, c *Comparison, level float64) int {
	n := float64(len(as))
	a, b := c.A.F1(), c.B.F1()
	if n < 2 || c.By == 0 || !a.Exists || !b.Exists || c.P < level {
		return 0
	}
	underA, underB := under(c.A)/n, under(c.B)/n
	sum := 0.0
	for i := range as {
		x := as[i].counts()
		y := bs[i].counts()
		part := (2*float64(y.Right)-b.Value*under(y))/underB - (2*float64(x.Right)-a.Value*under(x))/underA
		sum += part * part
	}
	deviation := math.Sqrt(sum / (n - 1))
	z := distuv.UnitNormal.Quantile(1-level/2) + distuv.UnitNormal.Quantile(power)
	want := math.Ceil(math.Pow(z*deviation/c.By, 2))
	if c.Differing > 0 { // with fewer that differ, no test can show anything
		want = max(want, math.Ceil(n*math.Log2(2/level)/float64(c.Differing)))
	}
	return int(min(want, 1e9))
}

// under gives the denominator of F1.
func under(c Counts) float64 { return float64(2*c.Right + 2*c.Wrong + c.Missed + c.Extra) }
