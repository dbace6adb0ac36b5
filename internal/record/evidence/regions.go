package evidence

import (
	"slices"
	"sort"
	"strings"
)

// The items of a list mostly stand one after the other, each with its values
// together. Where a value stands in several places, the region of its item
// tells which one is meant: that is why the regions are found first, for all
// items of a list at once.

// Bounds of the search: how many places of one value, and how many starts of
// one item are looked at.
const (
	maxPlaces = 40
	maxStarts = 48
)

// region is a stretch of the source text, in bytes, half-open, and what of later sections
// is of the same item.
type region struct {
	Start, End int
	later      []region
}

func (r region) holds(s span) bool {
	return s.Start >= r.Start && s.Start < r.End || slices.ContainsFunc(r.later, func(more region) bool { return more.holds(s) })
}

// of gives those of some candidates, sorted by where they start, that begin in
// the region.
func (r region) of(cands []candidate) []candidate {
	from := sort.Search(len(cands), func(i int) bool { return cands[i].Start >= r.Start })
	to := sort.Search(len(cands), func(i int) bool { return cands[i].Start >= r.End })
	inside := cands[from:to:to]
	for _, more := range r.later {
		inside = append(inside, more.of(cands)...)
	}
	return inside
}

// all calls do for the leaves of an item, with the weight of each: those of
// lists in it count half.
func (it *item) all(weight float64, do func(l *leaf, weight float64)) {
	for _, l := range it.leaves {
		do(l, weight)
	}
	for _, list := range it.lists {
		for _, kid := range list {
			kid.all(weight/2, do)
		}
	}
}

// place is a leaf of an item as the search for regions sees it.
type place struct {
	at     []int // where it may stand, sorted
	weight float64
}

// findRegions finds the regions of the items of a list within that of what the
// list stands in, and of the lists in them.
func (w *weigher) findRegions(items []*item, within region) {
	if len(items) == 0 {
		return
	}
	if (len(items) > 1 || items[0].parent != nil) && !w.inSections(items, within) {
		w.divide(items, within)
	}
	for _, it := range items {
		inner := within
		if it.region != nil {
			inner = *it.region
		}
		for _, list := range it.lists {
			w.findRegions(list, inner)
		}
	}
}

// divide gives the items regions that follow each other, so that as many values
// as can be stand in the region of their item. Where that leaves too many
// outside, the items do not stand in their order, and none has a region.
func (w *weigher) divide(items []*item, within region) {
	if within.later != nil { // each may stand in any section
		return
	}
	d := &division{w: w, within: within}
	var kept []*item
	for _, it := range items {
		if places, starts := d.placesOf(it); len(starts) > 0 {
			kept = append(kept, it)
			ends := make([]int, len(starts))
			for i, s := range starts {
				ends[i] = w.ix.LineSpan(w.ix.LineOf(s)).End
			}
			d.places, d.starts, d.ends = append(d.places, places), append(d.starts, starts), append(d.ends, ends)
		}
	}
	if len(kept) < 2 {
		return
	}
	chosen, share := d.best()
	if share < 0.7 {
		return
	}
	for i, it := range kept {
		r := region{Start: chosen[i], End: within.End}
		if i+1 < len(kept) {
			r.End = chosen[i+1]
		}
		it.region = &r
	}
	w.endLast(kept)
	for _, it := range kept {
		it.row = kept
	}
}

// sure tells whether two values of an item at least may stand in its region.
func (it *item) sure() bool {
	n := 0
	for _, l := range it.leaves {
		if len(it.region.of(l.cands)) > 0 {
			n++
		}
	}
	return n > 1
}

// endLast ends the region of the last item at an empty line, if no other item has
// one within, and behind its line where each of the others has one.
func (w *weigher) endLast(items []*item) {
	lines := true
	for _, it := range items[:len(items)-1] {
		text := w.ix.Source[it.region.Start:it.region.End]
		if strings.Contains(strings.TrimRight(text, " \n"), "\n\n") {
			return
		}
		lines = lines && strings.Count(text, "\n") == 1
	}
	end := "\n\n"
	if lines && len(items) > 2 {
		end = "\n"
	}
	last := items[len(items)-1].region
	if at := strings.Index(w.ix.Source[last.Start:last.End], end); at >= 0 {
		last.End = last.Start + at
	}
}

// nearTie is by how much a later start of the last item must be better: what stands close together elsewhere
// is no row of its own.
const nearTie = 0.01

type division struct {
	w      *weigher
	within region
	places [][]place // of each item
	starts [][]int
	ends   [][]int // of the lines of the starts
}

// placesOf gives where the values of an item may stand within the region, and
// where the item may begin.
func (d *division) placesOf(it *item) (places []place, starts []int) {
	seen := map[int]bool{}
	it.all(1, func(l *leaf, weight float64) {
		inside := d.within.of(l.cands)
		if len(inside) == 0 || len(inside) > maxPlaces {
			return
		}
		at := make([]int, len(inside))
		for i, c := range inside {
			at[i] = c.Start
		}
		places = append(places, place{at, weight})
		if weight < 1 {
			return
		}
		for _, s := range at {
			if !seen[s] && len(starts) < maxStarts {
				seen[s] = true
				starts = append(starts, s)
			}
		}
	})
	sort.Ints(starts)
	return places, starts
}

// inFirstLine is by how much more a value counts that stands in the line with which its region begins.
const inFirstLine = 0.03

// score says how well an item fits a region that begins with its start k: the weights of its values that may
// stand there, less for what stands far from its beginning, and a little more for what stands in the same line.
func (d *division) score(i, k, end int) float64 {
	r, line := region{Start: d.starts[i][k], End: end}, d.ends[i][k]
	sum := 0.0
	for _, p := range d.places[i] {
		n := sort.SearchInts(p.at, r.Start)
		if n < len(p.at) && p.at[n] < r.End {
			far := min(float64(p.at[n]-r.Start)/20000, 0.2)
			sum += p.weight * (1 - far)
			if p.at[n] < line {
				sum += p.weight * inFirstLine
			}
		}
	}
	return sum
}

// best finds the starts with the highest sum of scores, each behind the one
// before, and the share of the weights that stand in their regions.
func (d *division) best() (chosen []int, share float64) {
	n := len(d.starts)
	sums := make([][]float64, n) // the best sum of the items before, if item i begins at start k
	from := make([][]int, n)
	for i := range d.starts {
		sums[i], from[i] = make([]float64, len(d.starts[i])), make([]int, len(d.starts[i]))
		for k, start := range d.starts[i] {
			from[i][k] = -1
			if i == 0 {
				continue
			}
			best := -1.0
			for j, before := range d.starts[i-1] {
				if before >= start || sums[i-1][j] < 0 {
					continue
				}
				if s := sums[i-1][j] + d.score(i-1, j, start); s > best+1e-9 {
					best, from[i][k] = s, j
				}
			}
			sums[i][k] = best
		}
	}
	end, best := -1, -1.0
	for k := range d.starts[n-1] {
		if sums[n-1][k] < 0 {
			continue
		}
		if s := sums[n-1][k] + d.score(n-1, k, d.within.End); s > best+nearTie {
			best, end = s, k
		}
	}
	if end < 0 {
		return nil, 0
	}
	chosen = make([]int, n)
	for i := n - 1; i >= 0; i-- {
		chosen[i] = d.starts[i][end]
		end = from[i][end]
	}
	whole := 0.0
	for _, places := range d.places {
		for _, p := range places {
			whole += p.weight
		}
	}
	return chosen, best / whole
}
