package layout

import (
	"cmp"
	"math"
	"slices"
)

// sheet puts the items of one page in order.
type sheet struct {
	size   float64 // the median height of its words
	em     float64 // the usual size of its letters
	rtl    bool
	blocks []block
}

// linesOf groups words into lines: a word belongs to the line that it overlaps
// by half of the smaller height.
func (s *sheet) linesOf(items []*item) []line {
	sorted := items
	if !slices.IsSortedFunc(items, byMiddle) {
		sorted = slices.Clone(items)
		slices.SortFunc(sorted, byMiddle)
	}
	var found []line
	for _, it := range sorted {
		best, most := -1, 0.0
		for i := len(found) - 1; i >= 0 && i >= len(found)-4; i-- {
			l := &found[i]
			over := min(l.y1, it.y1) - max(l.y0, it.y0)
			share := over / max(min(l.y1-l.y0, it.height()), 1)
			if share > most && share >= 0.5 && math.Abs(l.mid()-it.mid()) < 0.75*max(s.size, min(it.height(), l.y1-l.y0)) {
				best, most = i, share
			}
		}
		if best < 0 {
			found = append(found, line{words: []*item{it}, y0: it.y0, y1: it.y1})
			continue
		}
		l := &found[best]
		n := float64(len(l.words))
		l.words = append(l.words, it)
		// The line's own band is the mean of its words, so that one tall word
		// does not pull the next line in.
		l.y0, l.y1 = (l.y0*n+it.y0)/(n+1), (l.y1*n+it.y1)/(n+1)
	}
	for i := range found {
		found[i].settle(s.rtl)
	}
	slices.SortStableFunc(found, func(a, b line) int { return cmp.Or(cmp.Compare(a.mid(), b.mid()), cmp.Compare(a.x0, b.x0)) })
	return found
}

// settle sorts the words of a line and computes its extent.
func (l *line) settle(rtl bool) {
	slices.SortStableFunc(l.words, func(a, b *item) int {
		if rtl {
			return cmp.Compare(b.x1, a.x1)
		}
		return cmp.Compare(a.x0, b.x0)
	})
	l.x0, l.x1 = math.Inf(1), math.Inf(-1)
	for _, w := range l.words {
		l.x0, l.x1 = min(l.x0, w.x0), max(l.x1, w.x1)
	}
}

// pitch gives the usual distance from line to line.
func (s *sheet) pitch(ls []line) float64 {
	var steps []float64
	for i := 1; i < len(ls); i++ {
		if d := ls[i].mid() - ls[i-1].mid(); d > 0.5*s.size {
			steps = append(steps, d)
		}
	}
	if len(steps) == 0 {
		return 1.6 * s.size
	}
	return max(median(steps), s.size)
}

// extent gives the box of items.
func extent(items []*item) (x0, y0, x1, y1 float64) {
	x0, y0, x1, y1 = math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for _, it := range items {
		x0, y0, x1, y1 = min(x0, it.x0), min(y0, it.y0), max(x1, it.x1), max(y1, it.y1)
	}
	return
}

// pieces joins words that stand so near that no column can part them. They are
// what the search for white looks at: there are few of them.
func (s *sheet) pieces(items []*item) []piece {
	sorted := slices.Clone(items)
	slices.SortFunc(sorted, func(a, b *item) int { return cmp.Or(cmp.Compare(a.x0, b.x0), cmp.Compare(a.y0, b.y0)) })
	near := 0.55 * s.size
	var found []piece
	open := []int{} // pieces that may still grow, by index
	for _, it := range sorted {
		if it.stroke {
			continue
		}
		at := -1
		keep := open[:0]
		for _, i := range open {
			p := &found[i]
			if p.x1 < it.x0-2*s.size {
				continue // too far left for every word to come
			}
			keep = append(keep, i)
			over := min(p.y1, it.y1) - max(p.y0, it.y0)
			if at < 0 && it.x0-p.x1 < near && over >= 0.5*min(p.y1-p.y0, it.height()) && math.Abs((p.y0+p.y1)/2-it.mid()) < 0.6*s.size {
				at = i
			}
		}
		open = keep
		if at < 0 {
			found = append(found, piece{it.x0, it.y0, it.x1, it.y1})
			open = append(open, len(found)-1)
			continue
		}
		p := &found[at]
		p.x1, p.y0, p.y1 = max(p.x1, it.x1), min(p.y0, it.y0), max(p.y1, it.y1)
	}
	slices.SortFunc(found, func(a, b piece) int { return cmp.Or(cmp.Compare(a.y0, b.y0), cmp.Compare(a.x0, b.x0)) })
	return found
}

type piece struct{ x0, y0, x1, y1 float64 }
