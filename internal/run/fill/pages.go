package fill

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"image"
	"image/jpeg"
	"sort"
	"strconv"

	"golang.org/x/image/draw"

	"filler/internal/ask/exchange"
	"filler/internal/ask/prompt"
	"filler/internal/base/tokens"
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/layout"
)

// maxSide is the longest side of a picture that is sent, in pixels, where the model
// says none; atOnce how many go along with one request; and maxPages how many pages of
// one document are drawn.
const (
	maxSide  = 1600
	atOnce   = 20
	maxPages = 400
)

// pages are the pictures of a document's pages as they are sent.
type pages struct {
	images []exchange.Image
	of     []int     // the page of each, from 1
	scale  []float64 // pixels of the page for one of the picture sent
	sizes  []image.Point
}

// pictures draws the pages of a document, where the project wants them sent. A
// document without pages has none.
func (f *Filler) pictures(ctx context.Context, d *document.Document, from document.Source) (pages, error) {
	var out pages
	if f.Settings.Images == "" || from.File == "" {
		return out, nil
	}
	n := 1
	if d.Layout != nil {
		n = len(d.Layout.Pages)
	}
	if n > maxPages {
		return out, &document.Error{File: d.ID, Msg: fmt.Sprintf("%d pages, and at most %d go along as pictures", n, maxPages), Hint: "split it, or leave prompt.images out"}
	}
	for page := 1; page <= n; page += drawnAtOnce {
		all, err := f.Reader.Pictures(ctx, d, document.Source{ID: d.ID, File: from.File, Bytes: from.Bytes}, page, min(n, page+drawnAtOnce-1))
		if err != nil {
			return out, err
		}
		for i, img := range all {
			if img == nil {
				continue
			}
			if err := out.add(d, page+i, img, f.pictureLimit); err != nil {
				return out, err
			}
		}
	}
	return out, nil
}

// drawnAtOnce is how many pages are drawn at a time: each takes some megabytes.
const drawnAtOnce = 12

// add keeps the picture of a page as it is sent.
func (g *pages) add(d *document.Document, page int, img image.Image, limit func() (side, tokens int)) error {
	width := img.Bounds().Dx()
	if d.Layout != nil && d.Layout.Pages[page-1].Width > 0 {
		width = d.Layout.Pages[page-1].Width
	}
	side, most := limit()
	small := inGrey(smaller(img, side))
	var b bytes.Buffer
	if err := jpeg.Encode(&b, small, &jpeg.Options{Quality: 85}); err != nil {
		return err
	}
	size := small.Bounds().Size()
	g.images = append(g.images, exchange.Image{Type: "image/jpeg", Data: b.Bytes(), Tokens: max(most*size.X*size.Y/(side*side), leastPicture)})
	g.of = append(g.of, page)
	g.scale = append(g.scale, float64(width)/float64(size.X))
	g.sizes = append(g.sizes, size)
	return nil
}

// within gives the pictures of some pages, all of them for none.
func (g *pages) within(c *prompt.Chunk) pages {
	if c == nil || c.Pages == [2]int{} {
		return *g
	}
	from := sort.SearchInts(g.of, c.Pages[0])
	to := sort.SearchInts(g.of, c.Pages[1]+1)
	return pages{images: g.images[from:to], of: g.of[from:to], scale: g.scale[from:to], sizes: g.sizes[from:to]}
}

// pageChunks cuts a document into stretches of pages whose pictures go along with
// one request: as many as atOnce, and as fit what the model holds.
func (a *asker) pageChunks(room prompt.Room) []prompt.Chunk {
	all := &a.pages
	starts := pageStarts(a.doc)
	textOf := func(page int) layout.Span { // up to the next page
		if page >= len(starts) {
			return layout.Span{End: len(a.doc.Text)}
		}
		return layout.Span{Start: starts[page-1], End: starts[page]}
	}
	var chunks []prompt.Chunk
	taken := 0
	for i, page := range all.of {
		text := textOf(page)
		cost := all.images[i].Tokens
		if a.Settings.Images != "alone" {
			cost += tokens.EstimateBytes(text.End - text.Start)
		}
		last := len(chunks) - 1
		if last < 0 || i-sort.SearchInts(all.of, chunks[last].Pages[0]) >= atOnce || a.by.Context > 0 && room.Tokens > 0 && taken+cost > room.Tokens {
			chunks, taken = append(chunks, prompt.Chunk{Pages: [2]int{page, page}, Core: text}), 0
			last++
		}
		taken += cost
		chunks[last].Pages[1], chunks[last].Core.End = page, text.End
	}
	if len(chunks) < 2 {
		return []prompt.Chunk{{N: 1, Of: 1}}
	}
	for i := range chunks { // what stands between them belongs to the one before
		c := &chunks[i]
		if c.N, c.Of = i+1, len(chunks); i == 0 {
			c.Core.Start = 0
		}
		if i+1 < len(chunks) {
			c.Core.End = chunks[i+1].Core.Start
		} else {
			c.Core.End = len(a.doc.Text)
		}
		c.Shown = []layout.Span{c.Core}
	}
	return chunks
}

// pageStarts gives where the text of each page begins, and behind them where the
// last ends.
func pageStarts(d *document.Document) []int {
	if d.Layout == nil {
		return []int{0, len(d.Text)}
	}
	starts := make([]int, len(d.Layout.Pages)+1)
	for i := range starts {
		starts[i] = len(d.Text)
	}
	for _, l := range d.Layout.Lines {
		if at := d.Layout.Words[l.First].Start; l.Len > 0 && l.Page >= 1 && l.Page < len(starts) && at < starts[l.Page-1] {
			starts[l.Page-1] = at
		}
	}
	for i := len(starts) - 2; i >= 0; i-- { // a page without words begins where the next does
		starts[i] = min(starts[i], starts[i+1])
	}
	return starts
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
	own := x.w.pages.within(x.chunk)
	eachLeaf(x.schema.Root, "", &x.record, func(_ *schema.Field, p value.Pointer, v *value.Value) {
		if v.Kind != value.Object || v.Get("value") == nil {
			return
		}
		if at, ok := own.place(v.Get("page"), v.Get("box")); ok {
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
	at.Kind, at.Page = evidence.Pictured, g.of[n-1]
	for i := range b {
		at.Box[i] = int(b[i]*g.scale[n-1] + 0.5)
	}
	at.Boxes = [][4]int{at.Box}
	return at, true
}
