package document

import (
	"context"
	"image"
	"image/color"

	"filler/internal/source/layout"
	"filler/internal/source/ocr"
)

// Pages lie on their side, or stand on their head, as phones and scanners leave them. Engines read the
// one in a wrong order and the other as nonsense.

// poorFrom is below which mean confidence a page is tried the other way up.
const poorFrom = 60

// Where a page lies on its side most words of some letters are higher than wide.
const (
	longWord    = 4
	leastTaller = 5
)

// lies tells whether most long words of a page are higher than wide.
func lies(p layout.Page) bool {
	taller, wider := 0, 0
	for _, w := range p.Words {
		if lettersOf(w.Text) < longWord {
			continue
		}
		if w.Box[3]-w.Box[1] > w.Box[2]-w.Box[0] {
			taller++
		} else {
			wider++
		}
	}
	return taller >= leastTaller && taller > 2*wider
}

// poor tells whether an engine is unsure of most of a page.
func poor(p layout.Page) bool {
	n := 0
	for _, w := range p.Words {
		n += lettersOf(w.Text)
	}
	return n > 0 && certainty(p) < float64(poorFrom*n)
}

// upright has the engine read a page that lies on its side or stands on its head the other ways, and gives
// the best reading, and the picture as it was read, turned by so many quarters clockwise.
func (r *Reader) upright(ctx context.Context, d *Document, img image.Image, first layout.Page) (layout.Page, image.Image, int) {
	engine, ours := r.engine().Engine.(ocr.Tesseract)
	ways, least := []int{2, 1, 3}, 1.5*certainty(first)
	switch {
	case !ours:
		return first, img, 0
	case lies(first):
		ways, least = []int{1, 3}, certainty(first)/2 // it may have read its words letter by letter
	case !poor(first):
		return first, img, 0
	}
	best, turned, by := first, img, 0
	for _, quarters := range ways {
		way := quartered(img, quarters)
		for _, page := range r.readBy(ctx, d, way, []ocr.Tesseract{engine}) {
			if sure := certainty(page); sure > least && !lies(page) {
				best, turned, by, least = page, way, quarters, sure
				best.Width, best.Height = way.Bounds().Dx(), way.Bounds().Dy()
			}
		}
	}
	return best, turned, by
}

// quartered turns a picture by quarters, clockwise.
func quartered(img image.Image, quarters int) image.Image {
	b := img.Bounds()
	w, h := b.Dx(), b.Dy()
	size := image.Rect(0, 0, w, h)
	if quarters%2 == 1 {
		size = image.Rect(0, 0, h, w)
	}
	out := image.NewRGBA(size)
	for y := range h {
		for x := range w {
			at := image.Pt(x, y)
			switch quarters {
			case 1:
				at = image.Pt(h-1-y, x)
			case 2:
				at = image.Pt(w-1-x, h-1-y)
			case 3:
				at = image.Pt(y, w-1-x)
			}
			out.Set(at.X, at.Y, img.At(b.Min.X+x, b.Min.Y+y))
		}
	}
	return out
}

// How bright paper is where it is darkest, against where it is lightest, from which on a picture has a shadow;
// and in how many parts of its width it is looked at.
const (
	shadowFrom = 0.8
	parts      = 32
)

// evened gives a picture without the shadow that lies on it: each part as bright as its paper says, which is
// its lightest tenth. False if there is no shadow.
func evened(g *image.Gray) (*image.Gray, bool) {
	w, h := g.Rect.Dx(), g.Rect.Dy()
	step := max(w/parts, 8)
	cols, rows := (w+step-1)/step, (h+step-1)/step
	paper := make([]float64, cols*rows)
	least, most := 255.0, 0.0
	for r := range rows {
		for c := range cols {
			level := lightest(g, image.Rect(c*step, r*step, min((c+1)*step, w), min((r+1)*step, h)))
			paper[r*cols+c] = level
			if r > 0 && c > 0 && r < rows-1 && c < cols-1 {
				least, most = min(least, level), max(most, level)
			}
		}
	}
	if most == 0 || least/most > shadowFrom || least < most/5 { // or it is a picture, and no paper
		return nil, false
	}
	out := image.NewGray(image.Rect(0, 0, w, h))
	at := func(x, y int) float64 { // between the middles of parts
		fx, fy := float64(x)/float64(step)-0.5, float64(y)/float64(step)-0.5
		c, r := min(max(int(fx), 0), cols-1), min(max(int(fy), 0), rows-1)
		c2, r2 := min(c+1, cols-1), min(r+1, rows-1)
		dx, dy := min(max(fx-float64(c), 0), 1), min(max(fy-float64(r), 0), 1)
		top := paper[r*cols+c]*(1-dx) + paper[r*cols+c2]*dx
		bottom := paper[r2*cols+c]*(1-dx) + paper[r2*cols+c2]*dx
		return max(top*(1-dy)+bottom*dy, 1)
	}
	for y := range h {
		for x := range w {
			out.SetGray(x, y, color.Gray{uint8(min(float64(g.Pix[y*g.Stride+x])*250/at(x, y), 255))})
		}
	}
	return out, true
}

// lightest gives how bright the lightest tenth of a part is at least.
func lightest(g *image.Gray, part image.Rectangle) float64 {
	var count [256]int
	for y := part.Min.Y; y < part.Max.Y; y++ {
		for x := part.Min.X; x < part.Max.X; x++ {
			count[g.Pix[y*g.Stride+x]]++
		}
	}
	left := part.Dx() * part.Dy() / 10
	for level := 255; level > 0; level-- {
		if left -= count[level]; left < 0 {
			return float64(level)
		}
	}
	return 0
}
