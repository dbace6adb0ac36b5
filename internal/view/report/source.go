package report

import (
	"bytes"
	"encoding/base64"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"slices"
	"sort"
	"strconv"
	"strings"
	"unicode"

	xdraw "golang.org/x/image/draw"

	"filler/internal/record/evidence"
	"filler/internal/source/document"
	"filler/internal/source/layout"
	"filler/internal/view/signs"
)

// Line is a line of a text, in pieces.
type Line struct {
	Pieces []Piece
	Field  string // that it speaks of, where no value comes from it
}

// Piece is a piece of a line; Values are the numbers of the values that stand on it.
type Piece struct{ Text, Values string }

// Page is a page, drawn in its own pixels.
type Page struct {
	Number, Width, Height int
	Picture               string // a data address; "" where there is none
	Words                 []Word // to be read, where there is no picture
	Marks                 []Mark
}

// Word is a word of a page.
type Word struct {
	X, Y, Width, Height int // Y is the base line
	Text                string
}

// Mark is a box around words that a value stands on; on Field, one that no value does.
type Mark struct {
	X, Y, Width, Height int
	Values, Field       string
}

// mostText is how much of one document's text is shown, in bytes.
const mostText = 4 << 20

// source shows the document with the marks of its values.
func (b *builder) source(d *document.Document) {
	s := b.sheet
	text := d.Text
	if len(text) > mostText {
		end := mostText
		for text[end]&0xC0 == 0x80 { // within a character
			end--
		}
		s.Cut = len(text) - end
		text = text[:end]
	}
	for _, v := range s.Values {
		v.spans = slices.DeleteFunc(v.spans, func(at [2]int) bool { return at[0] < 0 || at[1] > len(d.Text) || at[0] >= at[1] })
		v.Placed = len(v.spans) > 0
		if v.Placed {
			v.order = v.spans[0][0]
			v.Placed = v.order < len(text)
		}
	}
	unread := evidence.Unread(b.Schema, &b.given.Line.Record, b.index, b.places)
	s.Uncovered = len(unread)
	if b.Cover != nil {
		text = b.blocked(text)
	}
	if d.Layout != nil {
		s.Text = b.shown(text)
		b.pages(d, unread, text)
		return
	}
	b.lines(text, unread)
}

// Margin gives the values that stand in the source, in the order in which they do.
func (s *Sheet) Margin() (placed []*Value) {
	for _, v := range s.Values {
		if v.Placed {
			placed = append(placed, v)
		}
	}
	sort.SliceStable(placed, func(i, j int) bool { return placed[i].order < placed[j].order })
	return placed
}

// edge is where a value begins or ends.
type edge struct {
	at, n int
	opens bool
}

// lines cuts a text into lines, and these where values begin and end.
func (b *builder) lines(text string, unread []evidence.Line) {
	var edges []edge
	for _, v := range b.sheet.Values {
		for _, at := range v.spans {
			edges = append(edges, edge{at[0], v.N, true}, edge{at[1], v.N, false})
		}
	}
	sort.SliceStable(edges, func(i, j int) bool { return edges[i].at < edges[j].at })
	speaks := map[int]string{}
	for _, l := range unread {
		speaks[l.Line] = l.Field
	}
	open := map[int]bool{}
	start, number := 0, 0
	for start < len(text) || number == 0 {
		number++
		end := len(text)
		if i := strings.IndexByte(text[start:], '\n'); i >= 0 {
			end = start + i
		}
		line := Line{Field: speaks[number]}
		at := start
		piece := func(to int) {
			if to > at {
				line.Pieces = append(line.Pieces, Piece{b.shown(text[at:to]), numbers(open)})
				at = to
			}
		}
		for len(edges) > 0 && edges[0].at <= end {
			piece(min(edges[0].at, end))
			if edges[0].opens {
				open[edges[0].n] = true
			} else {
				delete(open, edges[0].n)
			}
			edges = edges[1:]
		}
		piece(end)
		b.sheet.Lines = append(b.sheet.Lines, line)
		start = end + 1
	}
}

// numbers lists values, with blanks between them.
func numbers(of map[int]bool) string {
	if len(of) == 0 {
		return ""
	}
	var all []int
	for n := range of {
		all = append(all, n)
	}
	sort.Ints(all)
	var out []string
	for _, n := range all {
		out = append(out, strconv.Itoa(n))
	}
	return strings.Join(out, " ")
}

// blocked gives a text in which only the words of values that are not sensitive can be
// read: nobody knows what of the rest is. Its bytes stand where they stood.
func (b *builder) blocked(text string) string {
	out := []byte(text)
	shown := make([]bool, len(text))
	mark := func(spans [][2]int, as bool) {
		for _, at := range spans {
			for i := max(at[0], 0); i < min(at[1], len(shown)); i++ {
				shown[i] = as
			}
		}
	}
	mark(b.open, true)
	mark(b.shut, false)
	for i, r := range text {
		if !shown[i] && !unicode.IsSpace(r) {
			for j := i; j < len(text) && (j == i || text[j]&0xC0 == 0x80); j++ {
				out[j] = block
			}
		}
	}
	return string(out)
}

// block stands for a byte that is not shown, until its text is written.
const block = '\x01'

// shown gives words of the source as they are written.
func (b *builder) shown(text string) string {
	if b.Cover != nil {
		text = strings.ReplaceAll(text, string(block), "▒")
	}
	return signs.Visible(text)
}

// pages draws the pages with the marks of values. unread are lines of no value.
func (b *builder) pages(d *document.Document, unread []evidence.Line, text string) {
	t := d.Layout
	s := b.sheet
	for i := range t.Pages {
		s.Pages = append(s.Pages, Page{Number: i + 1, Width: max(t.Pages[i].Width, 1), Height: max(t.Pages[i].Height, 1)})
	}
	words := wordsAt{t.Words}
	for _, v := range s.Values {
		for _, at := range v.spans {
			words.mark(s.Pages, at, Mark{Values: strconv.Itoa(v.N)})
		}
	}
	for _, l := range unread {
		words.mark(s.Pages, [2]int{l.Start, l.End}, Mark{Field: l.Field})
	}
	for i := range s.Pages {
		if i%atOnce == 0 && b.given.Pictures != nil {
			b.draw(t, s.Pages[i:min(i+atOnce, len(s.Pages))])
		}
		if s.Pages[i].Picture == "" {
			b.write(&s.Pages[i], t, text)
		}
	}
}

// atOnce is how many pages are drawn together.
const atOnce = 12

// draw draws pages. What can't be drawn stays without a picture.
func (b *builder) draw(t *layout.Text, pages []Page) {
	drawn, err := b.given.Pictures(pages[0].Number, pages[len(pages)-1].Number)
	if err != nil {
		return
	}
	for i, picture := range drawn {
		if picture == nil || i >= len(pages) {
			continue
		}
		if b.Cover != nil {
			picture = b.blotted(picture, t, &pages[i])
		}
		pages[i].Picture = address(picture)
	}
}

// wordsAt finds the words of a stretch of the source text.
type wordsAt struct{ words []layout.Placed }

func (w wordsAt) of(span [2]int) []layout.Placed {
	first := sort.Search(len(w.words), func(i int) bool { return w.words[i].End > span[0] })
	last := first
	for last < len(w.words) && w.words[last].Start < span[1] {
		last++
	}
	return w.words[first:last]
}

// mark draws boxes around the words of a stretch: one a line.
func (w wordsAt) mark(pages []Page, span [2]int, m Mark) {
	var box layout.Box
	page := 0
	put := func() {
		if page > 0 && page <= len(pages) {
			m.X, m.Y, m.Width, m.Height = box[0], box[1], max(box[2]-box[0], 1), max(box[3]-box[1], 1)
			pages[page-1].Marks = append(pages[page-1].Marks, m)
		}
	}
	for _, word := range w.of(span) {
		if page == word.Page && overlap(box, word.Box) {
			box[0], box[1], box[2], box[3] = min(box[0], word.Box[0]), min(box[1], word.Box[1]), max(box[2], word.Box[2]), max(box[3], word.Box[3])
			continue
		}
		put()
		box, page = word.Box, word.Page
	}
	put()
}

// overlap tells whether two boxes stand in one line, near each other.
func overlap(a, b layout.Box) bool {
	high := min(a[3]-a[1], b[3]-b[1])
	return min(a[3], b[3])-max(a[1], b[1]) > high/2 && b[0]-a[2] < 3*max(high, 1)
}

// write puts the words of a page where a picture of it would be.
func (b *builder) write(p *Page, t *layout.Text, text string) {
	for i := range t.Words {
		if w := &t.Words[i]; w.Page == p.Number && w.End <= len(text) {
			p.Words = append(p.Words, Word{w.Box[0], w.Box[3] - (w.Box[3]-w.Box[1])/5, max(w.Box[2]-w.Box[0], 1), max(w.Box[3]-w.Box[1], 1), b.shown(text[w.Start:w.End])})
		}
	}
}

// blotted gives a picture on which only the words of values that are not sensitive can
// be seen.
func (b *builder) blotted(picture image.Image, t *layout.Text, p *Page) image.Image {
	out := image.NewRGBA(picture.Bounds())
	draw.Draw(out, out.Bounds(), image.NewUniform(color.Gray{0xDD}), image.Point{}, draw.Src)
	at := picture.Bounds()
	fit := func(n, of, to int) int { return n * to / max(of, 1) }
	words := wordsAt{t.Words}
	each := func(spans [][2]int, do func(r image.Rectangle)) {
		for _, span := range spans {
			for _, w := range words.of(span) {
				if w.Page == p.Number {
					do(image.Rect(fit(w.Box[0], p.Width, at.Dx()), fit(w.Box[1], p.Height, at.Dy()), fit(w.Box[2], p.Width, at.Dx()), fit(w.Box[3], p.Height, at.Dy())).Add(at.Min))
				}
			}
		}
	}
	each(b.open, func(r image.Rectangle) { draw.Draw(out, r, picture, r.Min, draw.Src) })
	each(b.shut, func(r image.Rectangle) {
		draw.Draw(out, r, image.NewUniform(color.Gray{0x66}), image.Point{}, draw.Src)
	})
	return out
}

// A page is shown so wide at most, in pixels: its small print can be read, and a report
// of many can be mailed.
const widestPage = 1000

// Pixels is how many a page need have to be shown so wide.
const Pixels = 1_600_000

// address gives a picture as a data address: grey where it has no colour, in whichever
// format is smaller.
func address(picture image.Image) string {
	at := picture.Bounds()
	width, height := at.Dx(), at.Dy()
	if width > widestPage {
		width, height = widestPage, max(height*widestPage/width, 1)
	}
	small := image.NewRGBA(image.Rect(0, 0, width, height))
	picture = halved(picture, width)
	xdraw.CatmullRom.Scale(small, small.Bounds(), picture, picture.Bounds(), draw.Src, nil)
	var photo, drawing bytes.Buffer
	var plain image.Image = small
	if grey, ok := shades(small); ok {
		plain = grey
	}
	if jpeg.Encode(&photo, plain, &jpeg.Options{Quality: 60}) != nil {
		return ""
	}
	if grey, ok := plain.(*image.Paletted); ok {
		e := png.Encoder{CompressionLevel: png.DefaultCompression}
		if e.Encode(&drawing, grey) == nil && drawing.Len() < photo.Len() {
			return "data:image/png;base64," + base64.StdEncoding.EncodeToString(drawing.Bytes())
		}
	}
	return "data:image/jpeg;base64," + base64.StdEncoding.EncodeToString(photo.Bytes())
}

// halved makes a picture smaller by a whole number, as long as it stays as wide as asked:
// a mean of few pixels takes a tenth of the time of a smooth scaling.
func halved(picture image.Image, width int) image.Image {
	at := picture.Bounds()
	by := at.Dx() / max(width, 1)
	if by < 2 || at.Dy() < by {
		return picture
	}
	whole, is := picture.(*image.RGBA)
	if !is {
		whole = image.NewRGBA(image.Rect(0, 0, at.Dx(), at.Dy()))
		draw.Draw(whole, whole.Bounds(), picture, at.Min, draw.Src)
	}
	out := image.NewRGBA(image.Rect(0, 0, at.Dx()/by, at.Dy()/by))
	for y := range out.Rect.Dy() {
		for x := range out.Rect.Dx() {
			var sum [4]int
			for dy := range by {
				row := whole.Pix[(y*by+dy)*whole.Stride+x*by*4:]
				for i := range 4 * by {
					sum[i%4] += int(row[i])
				}
			}
			for c := range sum {
				out.Pix[y*out.Stride+4*x+c] = uint8(sum[c] / (by * by))
			}
		}
	}
	return out
}

// shades gives a picture in 16 shades of grey; false where it has colours.
func shades(m *image.RGBA) (*image.Paletted, bool) {
	palette := make(color.Palette, 16)
	for i := range palette {
		palette[i] = color.Gray{uint8(i * 17)}
	}
	out := image.NewPaletted(m.Bounds(), palette)
	coloured := 0
	for i := 0; i < len(m.Pix); i += 4 {
		r, g, b := int(m.Pix[i]), int(m.Pix[i+1]), int(m.Pix[i+2])
		if max(r, g, b)-min(r, g, b) > 40 {
			coloured++
		}
		out.Pix[i/4] = uint8(((299*r+587*g+114*b)/1000 + 8) / 17)
	}
	return out, coloured*500 < len(out.Pix)
}
