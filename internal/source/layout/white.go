package layout

import (
	"cmp"
	"math"
	"slices"
)

// strip is a white rectangle between pieces, as wide and as tall as it can be.
type strip struct{ x0, x1, top, bottom float64 }

// widthFor is how wide white must be to part columns, by how many lines stand
// beside it: gaps between words fall together over two lines, hardly ever over
// six.
func widthFor(lines int, size float64) float64 {
	switch {
	case lines >= 8:
		return 0.75 * size
	case lines >= 6:
		return 0.95 * size
	case lines >= 4:
		return 1.3 * size
	case lines == 3:
		return 1.7 * size
	}
	return 2.4 * size
}

// strips finds all white rectangles that can't be made larger, at least least
// wide, among pieces sorted by their top. The sweep goes down the page: every
// piece ends the rectangles that it stands in, and what is left of them on its
// two sides goes on.
func strips(pieces []piece, least float64) []strip {
	x0, x1 := math.Inf(1), math.Inf(-1)
	bottom := math.Inf(-1)
	for _, p := range pieces {
		x0, x1, bottom = min(x0, p.x0), max(x1, p.x1), max(bottom, p.y1)
	}
	var done, next []strip
	active := []strip{{x0: x0, x1: x1, top: math.Inf(-1)}}
	for i, p := range pieces {
		next = next[:0]
		for _, s := range active {
			if s.x1 <= p.x0 || s.x0 >= p.x1 {
				next = append(next, s)
				continue
			}
			if s.top < p.y0 {
				s.bottom = p.y0
				done = append(done, s)
			}
			if p.x0-s.x0 >= least {
				next = addStrip(next, strip{x0: s.x0, x1: p.x0, top: s.top})
			}
			if s.x1-p.x1 >= least {
				next = addStrip(next, strip{x0: p.x1, x1: s.x1, top: s.top})
			}
		}
		for _, s := range below(pieces[:i], p, x0, x1) {
			if s.x1-s.x0 >= least {
				next = addStrip(next, s)
			}
		}
		active, next = next, active
	}
	for _, s := range active {
		s.bottom = bottom
		done = append(done, s)
	}
	return slices.DeleteFunc(done, func(s strip) bool { return s.x0 <= x0 || s.x1 >= x1 })
}

// addStrip adds a strip that no other holds.
func addStrip(to []strip, s strip) []strip {
	for i := range to {
		if to[i].x0 <= s.x0 && to[i].x1 >= s.x1 && to[i].top <= s.top {
			return to
		}
	}
	return append(to, s)
}

// below gives the white that begins under a piece, less the pieces above it in
// the list that reach further down.
func below(before []piece, p piece, x0, x1 float64) []strip {
	free := []strip{{x0: x0, x1: x1, top: p.y1}}
	for i := len(before) - 1; i >= 0 && i >= len(before)-24; i-- {
		q := before[i]
		if q.y1 <= p.y1 {
			continue
		}
		var rest []strip
		for _, f := range free {
			if q.x1 <= f.x0 || q.x0 >= f.x1 {
				rest = append(rest, f)
				continue
			}
			if q.x0 > f.x0 {
				rest = append(rest, strip{x0: f.x0, x1: q.x0, top: f.top})
			}
			if q.x1 < f.x1 {
				rest = append(rest, strip{x0: q.x1, x1: f.x1, top: f.top})
			}
		}
		free = rest
	}
	return free
}

// gap is white from top to bottom of a region.
type gap struct{ x0, x1 float64 }

// gapsOf gives the white between items that no item reaches into.
func gapsOf(items []*item, least float64) []gap {
	spans := make([]gap, 0, len(items))
	for _, it := range items {
		if !it.stroke {
			spans = append(spans, gap{it.x0, it.x1})
		}
	}
	slices.SortFunc(spans, func(a, b gap) int { return cmp.Compare(a.x0, b.x0) })
	var found []gap
	reach := math.Inf(1)
	for i, s := range spans {
		if i > 0 && s.x0-reach >= least {
			found = append(found, gap{reach, s.x0})
		}
		if i == 0 {
			reach = s.x1
		}
		reach = max(reach, s.x1)
	}
	return found
}
