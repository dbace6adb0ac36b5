package document

import (
	"slices"
	"strings"
	"unicode/utf8"

	"filler/internal/source/layout"
)

// Engines read the boxes of forms as brackets and letters, or not at all, and whether one is ticked is
// lost. So squares of about the height of letters are looked for, and stand in the text as [x] and [ ]
// in place of what was read there. Rows of boxes for one letter each share their sides, and are none.

// square is a box of a form.
type square struct {
	box    layout.Box
	filled float64 // which share of what is within its sides is ink
}

// Which share of a box is ink that is ticked, that may be, and that is a block: a letter in bold, or a
// bullet, where there are no other boxes of its size.
const (
	tickedFrom = 0.06
	doubtfulTo = 0.10
	blockFrom  = 0.65
)

// mostSquares is how many boxes a page of a form has at most.
const mostSquares = 400

// squares gives the boxes among letters of a height, from the top.
func (in ink) squares(letter int) (all []square) {
	least, most := max(letter*17/20, 12), letter*22/10
	for y := 2; y+least < in.h; y++ {
		for x := 2; x < in.w-2; {
			if !in.dark[y*in.w+x] || in.dark[(y-1)*in.w+x] {
				x++
				continue
			}
			end := x
			for end < in.w-2 && in.near(end, y) {
				end++
			}
			if w := end - x; w >= least && w <= most {
				if s, ok := in.squareUnder(x, y, end); ok && !slices.ContainsFunc(all, func(o square) bool { return overlap(o.box, s.box) }) {
					if all = append(all, s); len(all) > mostSquares {
						return nil // squared paper, a pattern
					}
				}
			}
			x = end
		}
	}
	return all
}

// near tells whether a pixel is dark, or the one above or below, as those of a side are that hangs askew.
func (in ink) near(x, y int) bool {
	return in.dark[y*in.w+x] || in.dark[(y-1)*in.w+x] || in.dark[(y+1)*in.w+x]
}

// squareUnder gives the box with a top side from x to end that is the most like a square.
func (in ink) squareUnder(x, y, end int) (square, bool) {
	w := end - x
	for i := range w/2 + 1 {
		h := w + (i+1)/2*(1-i%2*2) // w, w-1, w+1, w-2 …
		if y+h+2 >= in.h {
			continue
		}
		bottom := y + h - 1
		if in.share(x, bottom-2, w, 1, 0, 2) < 0.9 || in.share(x, y, 1, h, 2, 0) < 0.9 || in.share(end-3, y, 1, h, 2, 0) < 0.9 {
			continue
		}
		beside := 0
		for _, dark := range []float64{in.share(x, y-2, w, 1, 0, 0), in.share(x, bottom+2, w, 1, 0, 0), in.share(x-2, y, 1, h, 0, 0), in.share(end+1, y, 1, h, 0, 0)} {
			if dark > 0.5 {
				beside++
			}
		}
		if beside > 1 || !in.corners(x, y, end, bottom) || !in.thinSides(x, y, w, h) { // a part of something larger, or a letter
			return square{}, false
		}
		side := max(w/5, 3)
		return square{layout.Box{x, y, end, bottom + 1}, in.inside(x+side, y+side, w-2*side, h-2*side)}, true
	}
	return square{}, false
}

// corners tells whether ink meets in all four corners.
func (in ink) corners(x, y, end, bottom int) bool {
	for _, c := range [][2]int{{x - 1, y - 1}, {end - 3, y - 1}, {x - 1, bottom - 2}, {end - 3, bottom - 2}} {
		if in.inside(c[0], c[1], 4, 4) < 0.2 {
			return false
		}
	}
	return true
}

// thinSides tells whether the sides are lines, no more than a sixth thick, where no tick crosses them: at five of
// eight places.
func (in ink) thinSides(x, y, w, h int) bool {
	most, n := max(w/6, 2)+1, 0 // as they hang askew
	for _, at := range []int{3, 6} {
		for _, d := range [][4]int{{x + w*at/9, y - 1, 0, 1}, {x + w*at/9, y + h, 0, -1}, {x - 1, y + h*at/9, 1, 0}, {x + w, y + h*at/9, -1, 0}} {
			dark := 0
			for i := range most + 2 {
				if in.dark[(d[1]+i*d[3])*in.w+d[0]+i*d[2]] {
					dark++
				}
			}
			if dark < most {
				n++
			}
		}
	}
	return n >= 5
}

// share gives which share of a row or a column of pixels is dark, or has dark ones as far aside.
func (in ink) share(x, y, w, h, dx, dy int) float64 {
	n := 0
	for i := range max(w, h) {
		px, py := x+min(i, w-1), y+min(i, h-1)
		for k := range max(dx, dy) + 1 {
			if qx, qy := px+min(k, dx), py+min(k, dy); qx >= 0 && qx < in.w && qy >= 0 && qy < in.h && in.dark[qy*in.w+qx] {
				n++
				break
			}
		}
	}
	return float64(n) / float64(max(w, h))
}

// inside gives which share of a rectangle is dark.
func (in ink) inside(x, y, w, h int) float64 {
	n := 0
	for r := range h {
		for c := range w {
			if in.dark[(y+r)*in.w+x+c] {
				n++
			}
		}
	}
	return float64(n) / float64(max(w*h, 1))
}

// addBoxes puts boxes in the place of what was read there, and tells whether there are any. A letter or
// figure that the engine is sure of is what stands in a box that is not empty, unless it is an x.
func addBoxes(p *layout.Page, squares []square) bool {
	added := false
	for _, s := range squares {
		if s.filled > blockFrom && !slices.ContainsFunc(squares, func(o square) bool { return o.filled <= blockFrom && o.isLike(s) }) {
			continue
		}
		if s.filled >= tickedFrom && slices.ContainsFunc(p.Words, s.holds) {
			continue
		}
		word := layout.Word{Text: "[ ]", Box: s.box, Confidence: 90}
		if s.filled >= tickedFrom {
			word.Text = "[x]"
		}
		if s.filled >= tickedFrom/2 && s.filled < doubtfulTo {
			word.Confidence = 50
		}
		p.Words = append(slices.DeleteFunc(p.Words, s.isReadAs), word)
		added = true
	}
	return added
}

// holds tells whether a word is what somebody wrote into a box.
func (s square) holds(w layout.Word) bool {
	return mostlyIn(w.Box, s.box) && w.Confidence >= 80 && lettersOf(w.Text) == utf8.RuneCountInString(w.Text) && !strings.ContainsAny(w.Text, "xXvV")
}

// isReadAs tells whether a word is what the engine made of a box: it lies in it, or is short and has it within.
func (s square) isReadAs(w layout.Word) bool {
	return mostlyIn(w.Box, s.box) || mostlyIn(s.box, w.Box) && utf8.RuneCountInString(w.Text) <= 3
}

// isLike tells whether two boxes are of one size, within an eighth.
func (s square) isLike(o square) bool {
	a, b := s.box[2]-s.box[0], o.box[2]-o.box[0]
	return 8*max(a-b, b-a) <= max(a, b)
}

// mostlyIn tells whether half of one box at least is in another.
func mostlyIn(a, b layout.Box) bool { return shared(a, b) > 0 && 2*shared(a, b) >= shared(a, a) }
