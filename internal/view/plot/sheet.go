package plot

import (
	"fmt"
	"image/color"
	"io"
	"math"
	"strings"
	"sync"

	stdfont "golang.org/x/image/font"
	"gonum.org/v1/plot/font"
	"gonum.org/v1/plot/font/liberation"
	"gonum.org/v1/plot/text"
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
	"gonum.org/v1/plot/vg/vgimg"
	"gonum.org/v1/plot/vg/vgsvg"

	"filler/internal/view/figures"
	"filler/internal/view/signs"
)

// A picture is so many points wide, and as high as its rows ask for. As PNG it has three
// pixels a point: enough for print at that size.
const (
	wide    = 640
	margin  = 18
	highest = 3000
	dpi     = 216
)

var (
	ink   = color.RGBA{0x1c, 0x23, 0x21, 0xff}
	soft  = color.RGBA{0x5d, 0x67, 0x63, 0xff}
	faint = color.RGBA{0xd4, 0xd9, 0xd5, 0xff}
	pale  = color.RGBA{0xa9, 0xb3, 0xae, 0xff}
	white = color.RGBA{0xff, 0xff, 0xff, 0xff}
)

// inks tell series apart, for colour-blind eyes too (Okabe and Ito 2008), and in grey by
// how dark they are; shapes and dashes tell them apart without.
var inks = []color.RGBA{{0x00, 0x5a, 0x8f, 0xff}, {0xe6, 0x9f, 0x00, 0xff}, {0x00, 0x8f, 0x68, 0xff}, {0xb8, 0x40, 0x00, 0xff}, {0x56, 0xb4, 0xe9, 0xff}, {0x8a, 0x3a, 0x6e, 0xff}, {0x33, 0x33, 0x33, 0xff}, {0xcc, 0x79, 0xa7, 0xff}}

var shapes = []draw.GlyphDrawer{draw.CircleGlyph{}, draw.BoxGlyph{}, draw.PyramidGlyph{}, draw.RingGlyph{}, draw.SquareGlyph{}, draw.TriangleGlyph{}, draw.CrossGlyph{}, draw.PlusGlyph{}}

var dashes = [][]vg.Length{nil, {6, 3}, {2, 2}, {8, 3, 2, 3}, {4, 2}, {1, 3}, {10, 4}, {3, 5}}

var fonts = sync.OnceValue(func() text.Plain { return text.Plain{Fonts: font.NewCache(liberation.Collection())} })

// sheet is what is drawn on. Its y goes down from the top.
type sheet struct {
	c    draw.Canvas
	high vg.Length
}

func (s *sheet) at(x, y vg.Length) vg.Point { return vg.Point{X: x, Y: s.high - y} }

// style gives a style of text.
func style(size float64, of color.Color, bold bool) draw.TextStyle {
	f := font.Font{Typeface: "Liberation", Variant: "Sans", Size: vg.Length(size)}
	if bold {
		f.Weight = stdfont.WeightBold
	}
	return draw.TextStyle{Color: of, Font: f, Handler: fonts()}
}

// Alignments of text.
const (
	toLeft  = draw.XLeft
	toRight = draw.XRight
	center  = draw.XCenter
)

// text writes a line of text with its base line at y.
func (s *sheet) text(st draw.TextStyle, x, y vg.Length, align text.XAlignment, words string) {
	st.XAlign, st.YAlign = align, draw.YBottom
	s.c.FillText(st, s.at(x, y), words)
}

func (s *sheet) line(of color.Color, width vg.Length, points ...vg.Point) {
	s.c.StrokeLines(draw.LineStyle{Color: of, Width: width}, points)
}

func (s *sheet) fill(of color.Color, points ...vg.Point) { s.c.FillPolygon(of, points) }

func (s *sheet) box(of color.Color, x0, y0, x1, y1 vg.Length) {
	s.fill(of, s.at(x0, y0), s.at(x1, y0), s.at(x1, y1), s.at(x0, y1))
}

func (s *sheet) glyph(n int, x, y vg.Length) {
	s.c.DrawGlyphNoClip(draw.GlyphStyle{Color: inks[n%len(inks)], Radius: 3.4, Shape: shapes[n%len(shapes)]}, s.at(x, y))
}

// cut shortens a text to a width.
func cut(st draw.TextStyle, words string, width vg.Length) string {
	words = signs.Visible(strings.ReplaceAll(words, "\n", " "))
	if st.Width(words) <= width {
		return words
	}
	runes := []rune(words)
	low, high := 0, len(runes)
	for low < high {
		mid := (low + high + 1) / 2
		if st.Width(string(runes[:mid])+"…") <= width {
			low = mid
		} else {
			high = mid - 1
		}
	}
	return string(runes[:low]) + "…"
}

var (
	titleStyle = style(13, ink, true)
	textStyle  = style(10, ink, false)
	boldStyle  = style(10, ink, true)
	softStyle  = style(9, soft, false)
)

// scale lays figures along a stretch.
type scale struct {
	low, high float64
	from, to  vg.Length
}

func (sc scale) at(x float64) vg.Length {
	return sc.from + (sc.to-sc.from)*vg.Length((x-sc.low)/(sc.high-sc.low))
}

// ticks gives the round figures of a scale: about five.
func (sc scale) ticks() (at []float64) {
	step := roundStep((sc.high - sc.low) / 5)
	for x := math.Ceil(sc.low/step-1e-9) * step; x <= sc.high+step*1e-9; x += step {
		at = append(at, x)
	}
	return at
}

// roundStep gives the step of 1, 2 or 5 by a power of ten that is next to a figure.
func roundStep(x float64) float64 {
	if x <= 0 || math.IsInf(x, 0) || math.IsNaN(x) {
		return 1
	}
	ten := math.Pow(10, math.Floor(math.Log10(x)))
	for _, f := range []float64{1, 2, 5} {
		if f*ten >= x*0.8 {
			return f * ten
		}
	}
	return 10 * ten
}

// round moves the ends of a scale out to round figures.
func round(low, high float64) (float64, float64) {
	step := roundStep((high - low) / 5)
	return math.Floor(low/step+1e-9) * step, math.Ceil(high/step-1e-9) * step
}

// Format is in what a picture is written.
type Format string

// The formats.
const (
	PNG Format = "png"
	SVG Format = "svg"
)

// Write draws a picture into a file of a format.
func (p *Picture) Write(to io.Writer, f Format) error {
	high := vg.Length(min(p.height(), highest))
	if f == SVG {
		c := vgsvg.New(wide, high)
		p.on(&sheet{draw.New(c), high})
		return svgTo(to, c)
	}
	c := vgimg.NewWith(vgimg.UseWH(wide, high), vgimg.UseDPI(dpi))
	p.on(&sheet{draw.New(c), high})
	_, err := vgimg.PngCanvas{Canvas: c}.WriteTo(to)
	return err
}

// svgTo writes an SVG with fonts that every reader has something for.
func svgTo(to io.Writer, c *vgsvg.Canvas) error {
	var b strings.Builder
	if _, err := c.WriteTo(&b); err != nil {
		return err
	}
	_, err := io.WriteString(to, strings.ReplaceAll(b.String(), "font-family:Liberation Sans;", "font-family:'Liberation Sans',Arial,Helvetica,sans-serif;"))
	return err
}

// How high the parts of a picture are, in points.
const (
	headHigh   = 40
	legendHigh = 18
	axisHigh   = 40
	footHigh   = 13
	rowHigh    = 19
)

func (p *Picture) height() float64 {
	high := float64(headHigh + axisHigh + margin + footHigh*len(p.Foot))
	if p.Scale == "" && p.Kind != Lines {
		high -= 12
	}
	if len(p.legend()) > 0 {
		high += legendHigh
	}
	switch p.Kind {
	case Lines:
		return high + 270
	case Scatter:
		return high + 260
	case Shades:
		return high + 40 + 24*float64(len(p.Rows))
	case Bands:
		return high + max(280, 24*float64(max(len(p.Rows), len(p.Columns))))
	case Dots:
		return high + rowHigh*float64(len(p.labels()))
	}
	return high + rowHigh*float64(len(p.Marks))
}

// legend gives the series that need to be told apart by more than their place.
func (p *Picture) legend() []string {
	if all := p.series(); len(all) > 1 && (p.Kind == Dots || p.Kind == Lines) {
		return all
	}
	return nil
}

// on draws a picture.
func (p *Picture) on(s *sheet) {
	s.box(white, 0, 0, wide, s.high)
	s.text(titleStyle, margin, 26, toLeft, cut(titleStyle, p.Title, wide-2*margin))
	top := vg.Length(headHigh)
	if all := p.legend(); len(all) > 0 {
		x := vg.Length(margin)
		for i, name := range all {
			name = cut(softStyle, name, 140)
			s.glyph(i, x+5, top+3)
			s.text(softStyle, x+13, top+6, toLeft, name)
			x += 26 + softStyle.Width(name)
		}
		top += legendHigh
	}
	bottom := s.high - vg.Length(footHigh*len(p.Foot)) - 10
	for i, f := range p.Foot {
		s.text(softStyle, margin, bottom+vg.Length(footHigh*(i+1))-2, toLeft, cut(softStyle, f, wide-2*margin))
	}
	switch p.Kind {
	case Lines:
		p.drawLines(s, top, bottom)
	case Scatter:
		p.drawScatter(s, top, bottom)
	case Shades:
		p.drawShades(s, top)
	case Bands:
		p.drawBands(s, top, bottom)
	default:
		p.drawRows(s, top)
	}
}

func tickText(x float64) string {
	if math.Abs(x) < 1e-12 {
		return "0"
	}
	if math.Abs(x) >= 10000 && x == math.Trunc(x) {
		return figures.Thousands(int64(x))
	}
	return fmt.Sprintf("%.10g", math.Round(x*1e9)/1e9)
}
