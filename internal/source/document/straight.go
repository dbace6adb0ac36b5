package document

import (
	"bytes"
	"context"
	"encoding/json"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"
	"os"
	"slices"
	"unicode"

	xdraw "golang.org/x/image/draw"
	"golang.org/x/image/math/f64"

	"filler/internal/source/layout"
	"filler/internal/source/ocr"
)

// From how many degrees on a picture is turned straight and read again: engines begin to lose whole
// columns of pages that hang askew. One that is read again anyway is turned from less on.
const (
	leastTurn  = 0.8
	littleTurn = 0.2
)

// readAgain has the engine read a picture once more that lies on its side, hangs askew or has a shadow, put
// right, or that has the boxes of tables and forms in it, without them, and gives the best of the readings
// with what others have besides. What is drawn as a box to be ticked is read as one. The boxes of words are
// those of the picture as it was, but for quarter turns, which the page tells.
func (r *Reader) readAgain(ctx context.Context, d *Document, picture []byte, pages []layout.Page) []layout.Page {
	kept := r.engine()
	engine, ours := kept.Engine.(ocr.Tesseract)
	if !ours || len(pages) != 1 {
		return pages
	}
	var known readPage
	file := kept.File(picture, wayOfReading)
	if data, err := os.ReadFile(file); file != "" && err == nil && json.Unmarshal(data, &known) == nil {
		d.Notes = append(d.Notes, known.Notes...)
		return []layout.Page{known.Page}
	}
	if size, _, err := image.DecodeConfig(bytes.NewReader(picture)); err != nil || size.Width*size.Height > mostPutRight {
		return pages
	}
	img, _, err := image.Decode(bytes.NewReader(picture))
	if err != nil {
		return pages
	}
	whole := false
	known.Page, known.Notes, whole = r.putRight(ctx, d, engine, img, pages[0])
	if data, err := json.Marshal(known); err == nil && whole {
		ocr.Keep(file, data)
	}
	d.Notes = append(d.Notes, known.Notes...)
	return []layout.Page{known.Page}
}

// Of how many pixels a picture is at most that is put right, which takes a dozen bytes for each, and one that
// is enlarged: more than a page of the largest paper has in small letters.
const (
	mostPutRight = 40_000_000
	mostEnlarged = 10_000_000
)

// readPage is what came of a picture in the end, as it is kept.
type readPage struct {
	Page  layout.Page
	Notes []string
}

// wayOfReading ends the names of files with such pages; another way has another one.
const wayOfReading = "read1.json"

// putRight gives the best reading of a picture that was read once, what was done for it, and whether the engine
// gave all that it was asked for.
func (r *Reader) putRight(ctx context.Context, d *Document, engine ocr.Tesseract, img image.Image, page layout.Page) (best layout.Page, done []string, whole bool) {
	if page, img, page.Turned = r.upright(ctx, d, img, page); page.Turned > 0 {
		done = append(done, [...]string{1: "turned a quarter to the right before OCR", 2: "turned upside down before OCR", 3: "turned a quarter to the left before OCR"}[page.Turned])
	}
	p := prepare(img, &page)
	engines := []ocr.Tesseract{engine}
	if p.unruled {
		engine.Scattered = true // what was in boxes is no text in columns now
		engines = append(engines, engine)
	}
	if p.notes == nil {
		engines = nil
	}
	best = page
	first := true // whether the first reading is the best
	var others []layout.Page
	for _, again := range r.readBy(ctx, d, p.img, engines) {
		for i := range again.Words {
			again.Words[i].Box = p.back(again.Words[i].Box)
		}
		again.Width, again.Height, again.Turned = page.Width, page.Height, page.Turned
		if certainty(again) > certainty(best) {
			best, again, first = again, best, false
		}
		others = append(others, again)
	}
	if !first {
		done = append(done, p.notes...)
	}
	joined := false
	for _, other := range others {
		joined = addMissing(&best, other) || joined
	}
	if joined {
		done = append(done, "words that one reading left out taken from another")
	}
	if addBoxes(&best, p.squares) {
		done = append(done, "boxes of the form read as [x] and [ ]")
	}
	return best, done, len(others) == len(engines)
}

// prepared is a picture put right, what was done to it, and what was found in it.
type prepared struct {
	img     image.Image
	notes   []string
	unruled bool                        // the lines of boxes were taken out
	squares []square                    // in the picture as it was
	back    func(layout.Box) layout.Box // to the picture as it was
}

// prepare puts a picture right that was read as a page, and takes words out of that which are but lines.
func prepare(img image.Image, page *layout.Page) (p prepared) {
	least, times, letter := leastTurn, 1, letterHeight(*page, img.Bounds().Dx())
	if b := img.Bounds(); letter < smallLetter && b.Dx()*b.Dy() <= mostEnlarged {
		times, letter = 2, 2*letter
		img = enlarged(img, times)
		p.notes = append(p.notes, "enlarged before OCR")
	}
	plain, all := inGrey(img)
	if p.squares = all.squares(letter); times > 1 {
		for i := range p.squares {
			p.squares[i].box = scaled(p.squares[i].box, 1, times)
		}
	}
	if even, had := evened(plain); had {
		img, plain, least = even, even, littleTurn
		p.notes = append(p.notes, "its shadow taken out before OCR")
	}
	if left, had := withoutRulings(plain, all, letter); had {
		page.Words = slices.DeleteFunc(page.Words, func(w layout.Word) bool { return lettersOf(w.Text) == 0 && left.blank(scaled(w.Box, times, 1)) })
		img, least, p.unruled = plain, littleTurn, true
		p.notes = append(p.notes, "the lines of its boxes taken out before OCR")
	}
	p.img, p.back = img, func(b layout.Box) layout.Box { return scaled(b, 1, times) }
	if degrees := layout.Make([]layout.Page{*page}, layout.Options{}).Skew[0]; math.Abs(degrees) >= least {
		turned, straight := turn(img, -degrees)
		p.img, p.back = turned, func(b layout.Box) layout.Box { return scaled(straight(b), 1, times) }
		p.notes = append(p.notes, "deskewed before OCR")
	}
	return p
}

// smallLetter is from which height on, in pixels, engines read words well.
const smallLetter = 12

// enlarged gives a picture so many times as large.
func enlarged(img image.Image, times int) image.Image {
	b := img.Bounds()
	out := image.NewGray(image.Rect(0, 0, b.Dx()*times, b.Dy()*times))
	xdraw.CatmullRom.Scale(out, out.Bounds(), img, b, xdraw.Src, nil)
	return out
}

// scaled gives a box in a picture that is larger or smaller.
func scaled(b layout.Box, times, by int) layout.Box {
	for i := range b {
		b[i] = b[i] * times / by
	}
	return b
}

// readBy gives the readings of one picture by several engines, as far as there are any.
func (r *Reader) readBy(ctx context.Context, d *Document, img image.Image, engines []ocr.Tesseract) (all []layout.Page) {
	if len(engines) == 0 {
		return nil
	}
	var out bytes.Buffer
	enc := png.Encoder{CompressionLevel: png.BestSpeed}
	if enc.Encode(&out, img) != nil {
		return nil
	}
	kept := r.engine()
	for _, e := range engines {
		var pages []layout.Page
		kept.Engine = e
		err := kept.Read(ctx, out.Bytes(), func(data []byte) (err error) {
			pages, err = parseScan(d.ID, ocr.TSV, data)
			return err
		})
		if err == nil && len(pages) == 1 {
			all = append(all, pages[0])
		}
	}
	return all
}

// sureWord is from which confidence on a word counts that one reading has and the other has not.
const sureWord = 60

// addMissing adds the words that another reading of the same page is sure of where this one has
// none, and tells whether there are any.
func addMissing(to *layout.Page, other layout.Page) bool {
	had := to.Words
	for _, w := range other.Words {
		if w.Confidence < sureWord || lettersOf(w.Text) == 0 || slices.ContainsFunc(had, func(h layout.Word) bool { return overlap(h.Box, w.Box) }) {
			continue
		}
		to.Words = append(to.Words, w)
	}
	return len(to.Words) > len(had)
}

// overlap tells whether two boxes share a fifth of the smaller one.
func overlap(a, b layout.Box) bool {
	n := shared(a, b)
	return n > 0 && 5*n >= min(shared(a, a), shared(b, b))
}

// shared gives how many pixels two boxes have in common.
func shared(a, b layout.Box) int {
	return max(min(a[2], b[2])-max(a[0], b[0]), 0) * max(min(a[3], b[3])-max(a[1], b[1]), 0)
}

func lettersOf(s string) (n int) {
	for _, r := range s {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			n++
		}
	}
	return n
}

// certainty sums up what an engine is sure of: letters and figures by confidence. What rulings are
// taken for, bars and brackets, counts for nothing.
func certainty(p layout.Page) float64 {
	sum := 0.0
	for _, w := range p.Words {
		sum += float64(lettersOf(w.Text) * max(w.Confidence, 0))
	}
	return sum
}

// turn turns a picture about its middle, and gives what brings a box back.
func turn(img image.Image, degrees float64) (image.Image, func(layout.Box) layout.Box) {
	b := img.Bounds()
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	cx, cy := float64(b.Dx())/2, float64(b.Dy())/2
	out := image.NewGray(image.Rect(0, 0, b.Dx(), b.Dy()))
	draw.Draw(out, out.Bounds(), image.NewUniform(color.White), image.Point{}, draw.Src)
	m := f64.Aff3{cos, -sin, cx - cos*cx + sin*cy, sin, cos, cy - sin*cx - cos*cy}
	xdraw.BiLinear.Transform(out, m, img, b, xdraw.Over, nil)
	return out, func(box layout.Box) layout.Box {
		w, h := float64(box[2]-box[0]), float64(box[3]-box[1])
		dx, dy := float64(box[0])+w/2-cx, float64(box[1])+h/2-cy
		x, y := dx*cos+dy*sin+cx, -dx*sin+dy*cos+cy
		// The box that holds the word's own, turned.
		hw, hh := (w*math.Abs(cos)+h*math.Abs(sin))/2, (w*math.Abs(sin)+h*math.Abs(cos))/2
		return layout.Box{int(x - hw), int(y - hh), int(x + hw + 0.5), int(y + hh + 0.5)}
	}
}
