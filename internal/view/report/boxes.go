// Package report draws what is to be looked at.
//
// Rules it keeps:
//
//   - Colour never stands alone: a number or a line says the same.
//   - The same input gives the same picture.
package report

import (
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"math"

	xdraw "golang.org/x/image/draw"

	"filler/internal/demo/paper"
	"filler/internal/source/layout"
)

// widest is how wide a page is drawn at most, in pixels.
const widest = 1400

// tints are the colours of blocks, in turn.
var tints = []color.RGBA{{0, 92, 138, 255}, {166, 60, 6, 255}, {38, 120, 60, 255}, {122, 52, 138, 255}, {128, 96, 0, 255}, {0, 110, 110, 255}}

// Boxes draws a page with what was read of it: a box around every word and a
// line under every line in the colour of its block, the blocks numbered in
// reading order with a path from each to the next, and doubtful words filled.
// picture is the page itself; nil draws the words in its place.
func Boxes(t *layout.Text, page int, picture image.Image) *image.RGBA {
	at := t.Pages[page-1]
	if picture != nil && (at.Width <= 0 || at.Height <= 0) {
		at.Width, at.Height = picture.Bounds().Dx(), picture.Bounds().Dy()
	}
	scale := min(float64(widest)/float64(max(at.Width, 1)), 1)
	d := &pageDrawer{Text: t, page: page, scale: scale}
	d.img = image.NewRGBA(image.Rect(0, 0, max(int(float64(at.Width)*scale), 40), min(max(int(float64(at.Height)*scale), 40), 20000)))
	draw.Draw(d.img, d.img.Bounds(), image.White, image.Point{}, draw.Src)
	if picture != nil {
		xdraw.ApproxBiLinear.Scale(d.img, d.img.Bounds(), picture, picture.Bounds(), draw.Src, nil)
		d.fade()
	}
	d.words(picture == nil)
	d.path()
	return d.img
}

type pageDrawer struct {
	*layout.Text
	page  int
	scale float64
	img   *image.RGBA
	pen   paper.Pen
}

// fade lightens the page, so that what is drawn over it stands out.
func (d *pageDrawer) fade() {
	for i, p := range d.img.Pix {
		if i%4 != 3 {
			d.img.Pix[i] = uint8(255 - (255-int(p))*6/10)
		}
	}
}

func (d *pageDrawer) box(b layout.Box) image.Rectangle {
	f := func(n int) int { return int(math.Round(float64(n) * d.scale)) }
	return image.Rect(f(b[0]), f(b[1]), f(b[2]), f(b[3]))
}

func (d *pageDrawer) words(write bool) {
	for i := range d.Lines {
		l := &d.Lines[i]
		if l.Page != d.page {
			continue
		}
		tint := tints[l.Block%len(tints)]
		last := image.Rectangle{}
		for j := l.First; j < l.First+l.Len; j++ {
			w := &d.Words[j]
			r := d.box(w.Box)
			if write {
				d.text(r.Min.X, r.Max.Y-1, w.Text, float64(r.Dy()), color.RGBA{90, 90, 90, 255})
			}
			if w.Confidence >= 0 && w.Confidence < layout.Doubtful {
				d.fill(r, color.RGBA{255, 190, 60, 110})
			}
			d.frame(r, tint)
			if j > l.First {
				d.stroke(last.Max.X, last.Max.Y+1, r.Min.X, r.Max.Y+1, 2, tint)
			}
			d.stroke(r.Min.X, r.Max.Y+1, r.Max.X, r.Max.Y+1, 2, tint)
			last = r
		}
	}
}

// path numbers the blocks and joins the end of each to the start of the next.
func (d *pageDrawer) path() {
	dark := color.RGBA{200, 20, 60, 255}
	number, block := 0, -1
	var from image.Point
	for i := range d.Lines {
		l := &d.Lines[i]
		if l.Page != d.page || l.Len == 0 {
			continue
		}
		first, last := d.box(d.Words[l.First].Box), d.box(d.Words[l.First+l.Len-1].Box)
		if l.Block != block {
			block = l.Block
			number++
			to := image.Pt(first.Min.X, first.Min.Y)
			if number > 1 {
				d.arrow(from, to.Sub(image.Pt(6, 2)), dark)
			}
			d.badge(to.X-12, (first.Min.Y+first.Max.Y)/2, fmt.Sprint(number), tints[block%len(tints)])
		}
		from = image.Pt(last.Max.X, last.Max.Y+3)
	}
}

func (d *pageDrawer) fill(r image.Rectangle, c color.RGBA) {
	a := float64(c.A) / 255
	pre := color.RGBA{uint8(float64(c.R) * a), uint8(float64(c.G) * a), uint8(float64(c.B) * a), c.A}
	draw.Draw(d.img, r, image.NewUniform(pre), image.Point{}, draw.Over)
}

func (d *pageDrawer) frame(r image.Rectangle, c color.RGBA) {
	c.A = 120
	d.fill(image.Rect(r.Min.X, r.Min.Y, r.Max.X, r.Min.Y+1), c)
	d.fill(image.Rect(r.Min.X, r.Min.Y, r.Min.X+1, r.Max.Y), c)
	d.fill(image.Rect(r.Max.X-1, r.Min.Y, r.Max.X, r.Max.Y), c)
}

// stroke draws a line so many pixels thick.
func (d *pageDrawer) stroke(x0, y0, x1, y1, thick int, c color.RGBA) {
	steps := max(abs(x1-x0), abs(y1-y0), 1)
	for i := range steps + 1 {
		x, y := x0+(x1-x0)*i/steps, y0+(y1-y0)*i/steps
		draw.Draw(d.img, image.Rect(x, y, x+thick, y+thick), image.NewUniform(c), image.Point{}, draw.Src)
	}
}

func abs(n int) int { return max(n, -n) }

func (d *pageDrawer) arrow(from, to image.Point, c color.RGBA) {
	d.stroke(from.X+3, from.Y, to.X-6, to.Y, 2, c)
	angle := math.Atan2(float64(to.Y-from.Y), float64(to.X-6-from.X-3))
	for _, turn := range []float64{2.6, -2.6} {
		d.stroke(to.X-6, to.Y, to.X-6+int(11*math.Cos(angle+turn)), to.Y+int(11*math.Sin(angle+turn)), 2, c)
	}
}

// badge draws a number on a disc.
func (d *pageDrawer) badge(x, y int, text string, c color.RGBA) {
	const radius = 11
	x = max(x, radius)
	for dy := -radius; dy <= radius; dy++ {
		half := int(math.Sqrt(radius*radius - float64(dy*dy)))
		draw.Draw(d.img, image.Rect(x-half, y+dy, x+half+1, y+dy+1), image.NewUniform(c), image.Point{}, draw.Src)
	}
	d.text(x-4*len(text), y+5, text, 11, color.RGBA{255, 255, 255, 255})
}

// text draws letters of about the given height, their base line at y.
func (d *pageDrawer) text(x, y int, s string, height float64, c color.RGBA) {
	d.pen.Write(d.img, x, y, s, min(max(height, 6), 60), c)
}
