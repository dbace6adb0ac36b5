package layout

import (
	"cmp"
	"math"
	"slices"
)

// maxSkew is the largest turn that is looked for, in radians.
const maxSkew = 6 * math.Pi / 180

// skewOf gives the angle by which the lines of a page fall to the right: the
// one at which words fall into the fewest, sharpest rows. It is 0 where the
// page is straight or has too few words to tell.
//
// Each word is a short stroke through its middle. For an angle, all strokes are
// thrown onto the vertical axis; the sum of the squares of the histogram is
// largest where lines fall together (a projection profile). The middle of a
// word moves with its ascenders, so the best angle is refined by the slopes
// between neighbours on one line, whose errors cancel in their median.
func skewOf(items []item) float64 {
	if len(items) < 12 {
		return 0
	}
	size := medianHeight(items)
	flat := sharpness(items, 0, size)
	best, at := flat, 0.0
	step := 0.5 * math.Pi / 180
	for a := -maxSkew; a <= maxSkew+1e-9; a += step {
		if s := sharpness(items, a, size); s > best {
			best, at = s, a
		}
	}
	for range 3 {
		step /= 2.5
		center := at
		for _, a := range []float64{center - 2*step, center - step, center + step, center + 2*step} {
			if s := sharpness(items, a, size); s > best {
				best, at = s, a
			}
		}
	}
	if math.Abs(at) < 0.1*math.Pi/180 || best < flat*1.08 {
		return 0
	}
	// A page of few lines can be sharper at a wrong angle by chance. The
	// slopes between neighbours must bear it out.
	if slope := math.Atan(neighbourSlope(items, size)); slope*at <= 0 || math.Abs(slope) < 0.4*math.Abs(at) {
		return 0
	}
	return at
}

// neighbourSlope gives the median slope from the middle of a word to that of its
// right neighbour. What letters reach above and below cancels out.
func neighbourSlope(items []item, size float64) float64 {
	order := make([]*item, len(items))
	for i := range items {
		order[i] = &items[i]
	}
	slices.SortFunc(order, func(a, b *item) int { return cmp.Compare(a.x0, b.x0) })
	var slopes []float64
	for i, a := range order {
		for _, b := range order[i+1:] {
			if b.x0 > a.x1+2*size {
				break
			}
			over := min(a.y1, b.y1) - max(a.y0, b.y0)
			if b.x0 >= a.x1-0.2*size && over >= 0.5*min(a.height(), b.height()) {
				slopes = append(slopes, (b.mid()-a.mid())/((b.x0+b.x1-a.x0-a.x1)/2))
				break
			}
		}
	}
	return median(slopes)
}

// sharpness is the sum of squares of the profile at an angle, each word with
// the weight of its width.
func sharpness(items []item, angle, size float64) float64 {
	bin := size / 4
	tan := math.Tan(angle)
	low, high := math.Inf(1), math.Inf(-1)
	ys := make([]float64, len(items))
	for i := range items {
		it := &items[i]
		ys[i] = (it.mid() - (it.x0+it.x1)/2*tan) / bin
		low, high = min(low, ys[i]), max(high, ys[i])
	}
	profile := make([]float64, int(high-low)+4)
	for i := range items {
		at := ys[i] - low + 1
		n := int(at)
		part := at - float64(n)
		w := items[i].x1 - items[i].x0
		profile[n] += w * (1 - part)
		profile[n+1] += w * part
	}
	sum := 0.0
	for i := range profile {
		sum += profile[i] * profile[i]
	}
	return sum
}

// straighten turns the boxes back by angle about the page's middle. A box of a
// turned word is taller than the word by its width times the slope.
func straighten(items []item, angle, width, height float64) {
	sin, cos := math.Sincos(-angle)
	for i := range items {
		it := &items[i]
		w, h := it.x1-it.x0, it.y1-it.y0
		h = max(h-w*math.Abs(math.Tan(angle)), h/3)
		cx, cy := (it.x0+it.x1)/2-width/2, (it.y0+it.y1)/2-height/2
		x, y := cx*cos-cy*sin+width/2, cx*sin+cy*cos+height/2
		it.x0, it.x1, it.y0, it.y1 = x-w/2, x+w/2, y-h/2, y+h/2
	}
}
