package score

import (
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
	for i, set := range c.sets {
		one := Against{Comparison: c.pair(c.sets[0], set, in)}
		t := Tallies{}
		for _, id := range c.order {
			if in[id] {
				t.Add(set[id].all)
			}
		}
		one.F1 = t.F1Interval()
		if i > 0 {
			one.Needed = c.neededIn(i, in, len(c.sets)-1, &one.Comparison)
		}
		all = append(all, one)
	}
	holm(all[1:])
	all[0].Holm = 1
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

// holm corrects p values: the smallest by the number of comparisons, the next by one
// less, and so on, none below one before it (Holm 1979).
func holm(all []Against) {
	order := make([]int, len(all))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(a, b int) int {
		switch {
		case all[a].P < all[b].P:
			return -1
		case all[a].P > all[b].P:
			return 1
		}
		return 0
	})
	least := 0.0
	for rank, i := range order {
		least = max(least, min(1, float64(len(all)-rank)*all[i].P))
		all[i].Holm = least
	}
}

// power is how often a difference as large as the one seen is to be shown.
const power = 0.8

// needed gives how many documents would show the difference seen, at 0.05 and four times
// in five: ((z + z') s / d)², with s the standard deviation of a document's part in the
// difference d of the two F1s. 0 where there is no difference, or where it is shown.
func needed(as, bs []Tally, c *Comparison) int { return neededAt(as, bs, c, 0.05, c.P) }

// neededIn is needed where several comparisons are made: each is then to hold at 0.05
// divided by their number.
func (c *Comparer) neededIn(set int, in map[string]bool, comparisons int, x *Comparison) int {
	var as, bs []Tally
	for _, id := range c.order {
		if in[id] {
			as, bs = append(as, c.sets[0][id].all), append(bs, c.sets[set][id].all)
		}
	}
	return neededAt(as, bs, x, 0.05/float64(comparisons), x.P)
}

func neededAt(as, bs []Tally, c *Comparison, level, p float64) int {
	n := float64(len(as))
	a, b := c.A.F1(), c.B.F1()
	if n < 2 || c.By == 0 || !a.Exists || !b.Exists || p < level {
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
