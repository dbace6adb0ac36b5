package score

import "sort"

// Tallies are the outcomes of many documents, each by itself. Of more than 5,000
// only the different ones are kept, with how often each comes.
type Tallies struct {
	n     int
	each  []Tally // in their order; nil where only kinds are kept
	kinds map[Tally]int
	last  Tally
	whole bool // each is kept however many come
}

// Add adds a document.
func (t *Tallies) Add(one Tally) {
	t.n++
	t.last = one
	if t.kinds != nil {
		t.kinds[one]++
		return
	}
	t.each = append(t.each, one)
	if t.n > manyDocs && !t.whole {
		t.kinds = kindsOf(t.each)
		t.each = nil
	}
}

// plus adds those of a batch, which are never so many that only kinds are kept.
func (t *Tallies) plus(o *Tallies) {
	for _, one := range o.each {
		t.Add(one)
	}
}

func kindsOf(tallies []Tally) map[Tally]int {
	kinds := map[Tally]int{}
	for _, t := range tallies {
		kinds[t]++
	}
	return kinds
}

// inOrder gives the different tallies, in order, and how often each comes.
func inOrder(count map[Tally]int) (kinds []Tally, times []float64) {
	for t := range count {
		kinds = append(kinds, t)
	}
	sort.Slice(kinds, func(i, j int) bool {
		a, b := kinds[i], kinds[j]
		switch {
		case a.Right != b.Right:
			return a.Right < b.Right
		case a.Wrong != b.Wrong:
			return a.Wrong < b.Wrong
		case a.Missed != b.Missed:
			return a.Missed < b.Missed
		}
		return a.Extra < b.Extra
	})
	times = make([]float64, len(kinds))
	for i, t := range kinds {
		times[i] = float64(count[t])
	}
	return kinds, times
}

// seen is which documents came in: by their number in the gold, others by name.
type seen struct {
	bits   []uint64
	others map[string]bool
}

// add notes a document; false where it was there already.
func (s *seen) add(n int, id string) bool {
	if n < 0 {
		if s.others[id] {
			return false
		}
		if s.others == nil {
			s.others = map[string]bool{}
		}
		s.others[id] = true
		return true
	}
	if s.has(n) {
		return false
	}
	for n/64 >= len(s.bits) {
		s.bits = append(s.bits, 0)
	}
	s.bits[n/64] |= 1 << (n % 64)
	return true
}

func (s *seen) has(n int) bool { return n/64 < len(s.bits) && s.bits[n/64]>>(n%64)&1 == 1 }
