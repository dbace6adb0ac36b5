package fill

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"image"
	"image/jpeg"
	"strconv"

	"golang.org/x/image/draw"

	"filler/internal/ask/exchange"
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// maxSide is the longest side of a picture that is sent, in pixels, where the model says
// none, and maxPages
// how many pages of one document are.
const (
	maxSide  = 1600
	maxPages = 20
)

// pages are the pictures of a document's pages as they are sent.
type pages struct {
	images []exchange.Image
	scale  []float64 // pixels of the page for one of the picture sent
	sizes  []image.Point
}

// pictures draws the pages of a document, where the project wants them sent. A
// document without pages has none.
func (f *Filler) pictures(ctx context.Context, d *document.Document, file string) (pages, error) {
	var out pages
	if f.Settings.Images == "" || file == "" {
		return out, nil
	}
	n := 1
	if d.Layout != nil {
		n = len(d.Layout.Pages)
	}
	if n > maxPages {
		return out, &document.Error{File: d.ID, Msg: fmt.Sprintf("%d pages, and at most %d go along as pictures", n, maxPages), Hint: "split it, or leave prompt.images out"}
	}
	for page := 1; page <= n; page++ {
		img, err := f.Reader.Picture(ctx, d, document.Source{ID: d.ID, File: file}, page)
		if err != nil {
			return out, err
		}
		if img == nil {
			continue
		}
		width := img.Bounds().Dx()
		if d.Layout != nil && d.Layout.Pages[page-1].Width > 0 {
			width = d.Layout.Pages[page-1].Width
		}
		side, most := f.pictureLimit()
		small := inGrey(smaller(img, side))
		var b bytes.Buffer
		if err := jpeg.Encode(&b, small, &jpeg.Options{Quality: 85}); err != nil {
			return out, err
		}
		size := small.Bounds().Size()
		out.images = append(out.images, exchange.Image{Type: "image/jpeg", Data: b.Bytes(), Tokens: max(most*size.X*size.Y/(side*side), leastPicture)})
		out.scale = append(out.scale, float64(width)/float64(small.Bounds().Dx()))
		out.sizes = append(out.sizes, small.Bounds().Size())
	}
	return out, nil
}

// leastPicture is what the smallest picture is taken for in tokens.
const leastPicture = 85

// pictureLimit gives the longest side of a picture that all models of the run are shown
// as it is, and for how many tokens a square of it is taken.
func (f *Filler) pictureLimit() (side, tokens int) {
	side, tokens = 0, 0
	for _, m := range f.Models {
		own := cmp.Or(m.PictureSide, maxSide)
		if side == 0 || own < side {
			side = own
		}
		tokens = max(tokens, cmp.Or(m.PictureTokens, exchange.UsualPicture))
	}
	return cmp.Or(side, maxSide), cmp.Or(tokens, exchange.UsualPicture)
}

// inGrey gives a picture without colours as such: it is a third of the bytes.
func inGrey(img image.Image) image.Image {
	if _, is := img.(*image.Gray); is {
		return img
	}
	b := img.Bounds()
	coloured := 0
	for y := b.Min.Y; y < b.Max.Y; y += 2 {
		for x := b.Min.X; x < b.Max.X; x += 2 {
			r, g, bl, _ := img.At(x, y).RGBA()
			if max(r, g, bl)-min(r, g, bl) > 0x1800 {
				coloured++
			}
		}
	}
	if coloured*2000 > b.Dx()*b.Dy()/4 { // more than specks
		return img
	}
	out := image.NewGray(b)
	draw.Draw(out, b, img, b.Min, draw.Src)
	return out
}

// smaller scales a picture down to a side.
func smaller(img image.Image, most int) image.Image {
	size := img.Bounds().Size()
	side := max(size.X, size.Y)
	if side <= most {
		return img
	}
	out := image.NewRGBA(image.Rect(0, 0, max(size.X*most/side, 1), max(size.Y*most/side, 1)))
	draw.ApproxBiLinear.Scale(out, out.Bounds(), img, img.Bounds(), draw.Src, nil)
	return out
}

// see takes the places on the pages out of a reply. A place that is on no page
// is none.
func (x *piece) see() {
	x.seen = evidence.Places{}
	eachLeaf(x.schema.Root, "", &x.record, func(_ *schema.Field, p value.Pointer, v *value.Value) {
		if v.Kind != value.Object || v.Get("value") == nil {
			return
		}
		if at, ok := x.w.pages.place(v.Get("page"), v.Get("box")); ok {
			x.seen[p] = at
		} else if !v.Get("value").Empty() {
			x.trace.add(&trace.PlaceRefused{Path: p, Why: "the place that the model gives is not on any page"})
		}
		*v = v.Get("value").Named(v.Name)
	})
}

// place reads a page and a box, and gives them in pixels of the page.
func (g *pages) place(page, box *value.Value) (evidence.Place, bool) {
	var at evidence.Place
	if page == nil || box == nil || box.Kind != value.Array || len(box.Kids) != 4 {
		return at, false
	}
	n, err := strconv.Atoi(page.Text)
	if err != nil || n < 1 || n > len(g.images) {
		return at, false
	}
	var b [4]float64
	for i := range box.Kids {
		if b[i], err = strconv.ParseFloat(box.Kids[i].Text, 64); err != nil {
			return at, false
		}
	}
	size := g.sizes[n-1]
	if b[0] < 0 || b[1] < 0 || b[2] <= b[0] || b[3] <= b[1] || b[2] > float64(size.X)*1.02 || b[3] > float64(size.Y)*1.02 {
		return at, false
	}
	at.Kind, at.Page = evidence.Pictured, n
	for i := range b {
		at.Box[i] = int(b[i]*g.scale[n-1] + 0.5)
	}
	at.Boxes = [][4]int{at.Box}
	return at, true
}
