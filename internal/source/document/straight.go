package document

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"

	xdraw "golang.org/x/image/draw"
	"golang.org/x/image/math/f64"

	"filler/internal/source/layout"
	"filler/internal/source/ocr"
)

// leastTurn is from how many degrees on a picture is turned straight and read
// again: engines begin to lose whole columns of pages that hang askew.
const leastTurn = 0.8

// straightened has the engine read a picture that hangs askew once more, turned
// straight, and gives the better of the two readings. The boxes are those of
// the picture as it was.
func (r *Reader) straightened(ctx context.Context, d *Document, picture []byte, pages []layout.Page) []layout.Page {
	if _, ours := r.engine().Engine.(ocr.Tesseract); !ours || len(pages) != 1 {
		return pages
	}
	degrees := layout.Make(pages, layout.Options{}).Skew[0]
	if math.Abs(degrees) < leastTurn {
		return pages
	}
	img, _, err := image.Decode(bytes.NewReader(picture))
	if err != nil {
		return pages
	}
	turned, back := turn(img, -degrees)
	var out bytes.Buffer
	enc := png.Encoder{CompressionLevel: png.BestSpeed}
	if enc.Encode(&out, turned) != nil {
		return pages
	}
	var again []layout.Page
	err = r.engine().Read(ctx, out.Bytes(), func(data []byte) (err error) {
		again, err = parseScan(d.ID, ocr.TSV, data)
		return err
	})
	if err != nil || len(again) != 1 || certainty(again[0]) <= certainty(pages[0]) {
		return pages
	}
	for i := range again[0].Words {
		again[0].Words[i].Box = back(again[0].Words[i].Box)
	}
	again[0].Width, again[0].Height = pages[0].Width, pages[0].Height
	d.Notes = append(d.Notes, "deskewed before OCR")
	return again
}

// certainty sums up what an engine is sure of: letters by confidence.
func certainty(p layout.Page) float64 {
	sum := 0.0
	for _, w := range p.Words {
		sum += float64(len(w.Text)) * float64(max(w.Confidence, 0))
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
