package document

import (
	"image"
	"image/color"
	"math"
	"slices"

	xdraw "golang.org/x/image/draw"

	"filler/internal/source/layout"
)

// Engines take the boxes of a ruled table or form for pictures, and leave out the words of
// whole columns. So the rulings are looked for and taken out before a second reading. A ruling
// is told from letters by its length against theirs, its thickness and its straightness; a page
// may hang askew, and lines may be crossed by letters, which stay whole.

// leastRulings is how many of each direction make boxes.
const leastRulings = 2

// letterHeight gives the median height of the words that an engine is sure of, in pixels; where
// there are too few, what type is on a page of usual size.
func letterHeight(p layout.Page, width int) int {
	var heights []int
	for _, w := range p.Words {
		if w.Confidence >= 60 {
			heights = append(heights, w.Box[3]-w.Box[1])
		}
	}
	if len(heights) < 3 {
		return max(width/100, 8)
	}
	slices.Sort(heights)
	return max(heights[len(heights)/2], 8)
}

// inGrey gives a picture in grey, and its ink.
func inGrey(img image.Image) (*image.Gray, ink) {
	b := img.Bounds()
	grey := image.NewGray(image.Rect(0, 0, b.Dx(), b.Dy()))
	xdraw.Draw(grey, grey.Bounds(), img, b.Min, xdraw.Src)
	return grey, inkOf(grey)
}

// withoutRulings takes the boxes of tables and forms out of a grey picture, and gives the ink that is left;
// false if it has none.
func withoutRulings(grey *image.Gray, all ink, letter int) (left ink, had bool) {
	across := all.rulings(letter)
	down := all.turned().rulings(letter)
	if len(across) < leastRulings || len(down) < leastRulings {
		return all, false
	}
	thick := thickness(letter)
	left = ink{all.w, all.h, slices.Clone(all.dark)}
	for _, s := range slices.Concat(across...) {
		for x := s.from; x < s.to; x++ {
			all.erase(grey, image.Pt(x, s.at), image.Pt(0, thick))
			left.dark[s.at*left.w+x] = false
		}
	}
	for _, s := range slices.Concat(down...) {
		for y := s.from; y < s.to; y++ {
			all.erase(grey, image.Pt(s.at, y), image.Pt(thick, 0))
			left.dark[y*left.w+s.at] = false
		}
	}
	return left, true
}

// blank tells whether less than a twentieth of a box is ink.
func (in ink) blank(b layout.Box) bool {
	n := 0
	for y := max(b[1], 0); y < min(b[3], in.h); y++ {
		for x := max(b[0], 0); x < min(b[2], in.w); x++ {
			if in.dark[y*in.w+x] {
				n++
			}
		}
	}
	return 20*n < (b[2]-b[0])*(b[3]-b[1])
}

// thickness is the most that a ruling is thick, beside letters of a height.
func thickness(letter int) int { return max(letter*2/5, 3) }

// ink is what is dark in a picture, row by row.
type ink struct {
	w, h int
	dark []bool
}

// inkOf tells ink from paper by what is around each pixel, so that shadows are none: darker by
// an eighth than the mean of a square of a sixteenth of the width.
func inkOf(g *image.Gray) ink {
	w, h := g.Rect.Dx(), g.Rect.Dy()
	in := ink{w, h, make([]bool, w*h)}
	sums := make([]uint32, (w+1)*(h+1)) // modulo 2^32, which those of a square stay below
	for y := range h {
		row := uint32(0)
		for x := range w {
			row += uint32(g.Pix[y*g.Stride+x])
			sums[(y+1)*(w+1)+x+1] = sums[y*(w+1)+x+1] + row
		}
	}
	half := max(w/32, 8)
	for y := range h {
		top, bottom := max(y-half, 0), min(y+half, h)
		for x := range w {
			left, right := max(x-half, 0), min(x+half, w)
			n := uint64((bottom - top) * (right - left))
			sum := sums[bottom*(w+1)+right] - sums[top*(w+1)+right] - sums[bottom*(w+1)+left] + sums[top*(w+1)+left]
			in.dark[y*w+x] = uint64(g.Pix[y*g.Stride+x])*n*8 < uint64(sum)*7
		}
	}
	return in
}

// turned gives rows as columns.
func (in ink) turned() ink {
	out := ink{in.h, in.w, make([]bool, len(in.dark))}
	for y := range in.h {
		for x := range in.w {
			out.dark[x*in.h+y] = in.dark[y*in.w+x]
		}
	}
	return out
}

// erase puts paper where a pixel of a ruling is, and where its edge fades: what is one thickness
// to either side of it, if that is paper.
func (in ink) erase(g *image.Gray, p, aside image.Point) {
	sum, n := 0, 0
	for _, q := range []image.Point{p.Sub(aside), p.Add(aside)} {
		if q.In(g.Rect) && !in.dark[q.Y*in.w+q.X] {
			sum, n = sum+int(g.GrayAt(q.X, q.Y).Y), n+1
		}
	}
	paper := color.Gray{255}
	if n > 0 {
		paper.Y = uint8(sum / n)
	}
	step := image.Pt(min(aside.X, 1), min(aside.Y, 1))
	g.SetGray(p.X, p.Y, paper)
	for _, q := range []image.Point{p.Sub(step), p.Add(step)} {
		if q.In(g.Rect) && !in.dark[q.Y*in.w+q.X] {
			g.SetGray(q.X, q.Y, paper)
		}
	}
}

// stretch is dark pixels of one row.
type stretch struct{ at, from, to int }

// rulings gives the straight thin lines across that are longer than words' letters are, each as its
// stretches.
func (in ink) rulings(letter int) [][]stretch {
	all, into := in.linked(thickness(letter))
	lines := map[int][]stretch{}
	for i, s := range all {
		root := into.root(i)
		lines[root] = append(lines[root], s)
	}
	var found [][]stretch
	for i := range all { // in the order of the page
		if line := straight(lines[i], 4*letter, thickness(letter)); line != nil {
			found = append(found, line)
		}
	}
	return found
}

// linked gives the stretches of what is thin from top to bottom, and which belong together. One goes
// on where something thick crosses it, a ruling or the stem of a letter.
func (in ink) linked(thick int) (all []stretch, into forest) {
	thin := in.thin(thick)
	var above []int
	for y := range in.h {
		var here []int
		for x := 0; x < in.w; {
			if !thin[y*in.w+x] {
				x++
				continue
			}
			s := stretch{y, x, x + 1}
			for end := x + 1; end < in.w && in.dark[y*in.w+end] && end-s.to <= 2*thick; end++ {
				if thin[y*in.w+end] {
					s.to = end + 1
				}
			}
			here = append(here, len(all))
			all, into = append(all, s), append(into, len(all))
			x = s.to
		}
		for i, j := 0, 0; i < len(here) && j < len(above); {
			a, b := all[here[i]], all[above[j]]
			if a.from <= b.to && b.from <= a.to {
				into.join(here[i], above[j])
			}
			if a.to < b.to {
				i++
			} else {
				j++
			}
		}
		above = here
	}
	return all, into
}

// thin tells which dark pixels have no more than so many above and below them.
func (in ink) thin(most int) []bool {
	out := make([]bool, len(in.dark))
	for x := range in.w {
		for y := 0; y < in.h; y++ {
			from := y
			for y < in.h && in.dark[y*in.w+x] {
				y++
			}
			for ; y-from <= most && from < y; from++ {
				out[from*in.w+x] = true
			}
		}
	}
	return out
}

// straight gives the stretches that make a line of some length, or none: all but a tenth, what hangs on
// at corners, is no further from the line that fits them than they are thick, which letters in a row are.
func straight(line []stretch, length, thick int) []stretch {
	from, to := math.MaxInt, 0
	var n, sx, sy, sxx, sxy float64
	for _, s := range line {
		from, to = min(from, s.from), max(to, s.to)
		m, x := float64(s.to-s.from), float64(s.from+s.to-1)/2
		n, sx, sy = n+m, sx+m*x, sy+m*float64(s.at)
		sxx, sxy = sxx+m*(x*x+(m*m-1)/12), sxy+m*x*float64(s.at)
	}
	if to-from < length {
		return nil
	}
	slope := (n*sxy - sx*sy) / (n*sxx - sx*sx)
	if math.Abs(slope) > 0.1 {
		return nil
	}
	start, on, half := (sy-slope*sx)/n, 0, n/float64(to-from)/2+1.5
	if half > float64(thick)/2+1.5 {
		return nil
	}
	var kept []stretch
	for _, s := range line {
		if math.Abs(float64(s.at)-start-slope*float64(s.from+s.to-1)/2) <= half {
			kept, on = append(kept, s), on+s.to-s.from
		}
	}
	if float64(on) < 0.9*n {
		return nil
	}
	return kept
}

// forest says which belong together: each points to one of its own, the first of them to itself.
type forest []int

func (f forest) root(i int) int {
	for f[i] != i {
		f[i] = f[f[i]]
		i = f[i]
	}
	return i
}

func (f forest) join(i, j int) {
	a, b := f.root(i), f.root(j)
	f[max(a, b)] = min(a, b)
}
