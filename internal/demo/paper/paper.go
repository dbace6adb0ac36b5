// Package paper draws pages whose words, boxes and reading order are known:
// scans for the demo, and pages on which reading is measured.
//
// Rules it keeps:
//
//   - Words are kept in the order in which a person reads them.
//   - The same calls give the same picture, byte for byte. Chance comes from
//     the caller's source alone.
package paper

import (
	"image"
	"image/color"
	"image/draw"
	"math"
	"math/rand"
	"strings"
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/gomono"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
)

// Word is a word as it was drawn: its box in pixels of the straight page.
type Word struct {
	Text           string
	X0, Y0, X1, Y1 float64
	Group          int // words of one group are read without others between
}

// Sheet is a page being drawn.
type Sheet struct {
	Image *image.Gray
	Words []Word
	DPI   int
	faces map[faceKey]font.Face
}

type faceKey struct {
	style string
	size  float64
}

// fonts are read when the first page is drawn.
var fonts = sync.OnceValue(func() map[string]*opentype.Font {
	all := map[string]*opentype.Font{}
	for name, data := range map[string][]byte{"": goregular.TTF, "bold": gobold.TTF, "mono": gomono.TTF} {
		f, err := opentype.Parse(data)
		if err != nil {
			panic(err) // the fonts are part of the program
		}
		all[name] = f
	}
	return all
})

// New gives a white page of so many pixels.
func New(width, height, dpi int) *Sheet {
	s := &Sheet{Image: image.NewGray(image.Rect(0, 0, width, height)), DPI: dpi, faces: map[faceKey]font.Face{}}
	draw.Draw(s.Image, s.Image.Bounds(), image.White, image.Point{}, draw.Src)
	return s
}

// Style is how text is drawn: the font ("", bold, mono) and its size in points.
type Style struct {
	Font string
	Size float64
}

func (s *Sheet) face(st Style) font.Face {
	key := faceKey{st.Font, st.Size}
	if f := s.faces[key]; f != nil {
		return f
	}
	f, err := opentype.NewFace(fonts()[st.Font], &opentype.FaceOptions{Size: st.Size, DPI: float64(s.DPI), Hinting: font.HintingNone})
	if err != nil {
		panic(err) // only a size that is no number fails
	}
	s.faces[key] = f
	return f
}

// Width gives how wide a text is drawn, in pixels.
func (s *Sheet) Width(text string, st Style) float64 {
	return float64(font.MeasureString(s.face(st), text)) / 64
}

// Pitch gives the usual distance from line to line.
func (s *Sheet) Pitch(st Style) float64 { return st.Size * float64(s.DPI) / 72 * 1.25 }

// Line draws one line of words, y being its base line, and gives where it ends.
func (s *Sheet) Line(x, y float64, text string, st Style) float64 {
	face := s.face(st)
	space := s.Width(" ", st)
	for i, w := range strings.Split(text, " ") {
		if i > 0 {
			x += space
		}
		if w == "" {
			continue
		}
		x = s.word(x, y, w, face)
	}
	return x
}

func (s *Sheet) word(x, y float64, w string, face font.Face) float64 {
	d := font.Drawer{Dst: s.Image, Src: image.Black, Face: face, Dot: fixed.Point26_6{X: fixed.Int26_6(x * 64), Y: fixed.Int26_6(y * 64)}}
	ink, _ := d.BoundString(w)
	d.DrawString(w)
	s.Words = append(s.Words, Word{Text: w, X0: float64(ink.Min.X) / 64, Y0: float64(ink.Min.Y) / 64, X1: float64(ink.Max.X) / 64, Y1: float64(ink.Max.Y) / 64})
	return float64(d.Dot.X) / 64
}

// Paragraph draws text within a width and gives the base line of the line
// after it. With justify every line but the last fills the width. A word that
// does not fit is broken with a hyphen where hyphenate says so.
func (s *Sheet) Paragraph(x, y, width float64, text string, st Style, justify bool, hyphenate func(word string) int) float64 {
	space := s.Width(" ", st)
	words := strings.Fields(text)
	for len(words) > 0 {
		n, used := 0, 0.0
		for n < len(words) {
			w := s.Width(words[n], st)
			if n > 0 && used+space+w > width {
				break
			}
			if n > 0 {
				used += space
			}
			used += w
			n++
		}
		line := append([]string{}, words[:n]...)
		words = words[n:]
		if hyphenate != nil && len(words) > 0 {
			if at := hyphenate(words[0]); at > 0 && used+space+s.Width(words[0][:at]+"-", st) <= width {
				line = append(line, words[0][:at]+"-")
				words[0] = words[0][at:]
				used += space + s.Width(line[len(line)-1], st)
			}
		}
		gap := space
		if justify && len(words) > 0 && len(line) > 1 {
			gap += (width - used) / float64(len(line)-1)
		}
		at := x
		for _, w := range line {
			at = s.word(at, y, w, s.face(st)) + gap
		}
		y += s.Pitch(st)
	}
	return y
}

// Rule draws a thin line from one point to another, straight down or across.
func (s *Sheet) Rule(x0, y0, x1, y1 float64) {
	r := image.Rect(int(x0), int(y0), max(int(x1), int(x0)+2), max(int(y1), int(y0)+2))
	draw.Draw(s.Image, r, image.NewUniform(color.Gray{60}), image.Point{}, draw.Src)
}

// Turned gives the picture turned by degrees (lines fall to the right), and
// where every word's middle has gone.
func (s *Sheet) Turned(degrees float64) (*image.Gray, []Word) {
	b := s.Image.Bounds()
	sin, cos := math.Sincos(degrees * math.Pi / 180)
	cx, cy := float64(b.Dx())/2, float64(b.Dy())/2
	out := image.NewGray(b)
	for y := range b.Dy() {
		for x := range b.Dx() {
			dx, dy := float64(x)-cx, float64(y)-cy
			out.SetGray(x, y, color.Gray{s.sample(dx*cos+dy*sin+cx, -dx*sin+dy*cos+cy)})
		}
	}
	words := make([]Word, len(s.Words))
	for i, w := range s.Words {
		dx, dy := (w.X0+w.X1)/2-cx, (w.Y0+w.Y1)/2-cy
		x, y := dx*cos-dy*sin+cx, dx*sin+dy*cos+cy
		hw, hh := (w.X1-w.X0)/2, (w.Y1-w.Y0)/2
		w.X0, w.X1, w.Y0, w.Y1 = x-hw, x+hw, y-hh, y+hh
		words[i] = w
	}
	return out, words
}

// sample gives the grey at a point between pixels.
func (s *Sheet) sample(x, y float64) uint8 {
	x0, y0 := int(math.Floor(x)), int(math.Floor(y))
	at := func(x, y int) float64 {
		if !(image.Point{X: x, Y: y}).In(s.Image.Rect) {
			return 255
		}
		return float64(s.Image.Pix[y*s.Image.Stride+x])
	}
	fx, fy := x-float64(x0), y-float64(y0)
	top := at(x0, y0)*(1-fx) + at(x0+1, y0)*fx
	low := at(x0, y0+1)*(1-fx) + at(x0+1, y0+1)*fx
	return uint8(top*(1-fy) + low*fy + 0.5)
}

// Speckle darkens the paper and adds specks, as a scanner does.
func Speckle(img *image.Gray, r *rand.Rand, specks int) {
	for i, p := range img.Pix {
		grey := float64(p)*0.92 + r.NormFloat64()*6
		img.Pix[i] = uint8(min(max(grey, 0), 255))
	}
	b := img.Bounds()
	for range specks {
		x, y := r.Intn(b.Dx()-2), r.Intn(b.Dy()-2)
		img.SetGray(x, y, color.Gray{40})
		img.SetGray(x+1, y, color.Gray{70})
	}
}

// Pen writes into any picture. It is for one goroutine.
type Pen struct{ faces map[float64]font.Face }

// Write writes a text about so many pixels high, with its base line at y.
func (p *Pen) Write(img draw.Image, x, y int, text string, height float64, c color.Color) {
	size := math.Round(height)
	f, ok := p.faces[size]
	if !ok {
		var err error
		if f, err = opentype.NewFace(fonts()[""], &opentype.FaceOptions{Size: size, DPI: 72 * 1.2}); err != nil {
			return
		}
		if p.faces == nil {
			p.faces = map[float64]font.Face{}
		}
		p.faces[size] = f
	}
	d := font.Drawer{Dst: img, Src: image.NewUniform(c), Face: f, Dot: fixed.P(x, y)}
	d.DrawString(text)
}
