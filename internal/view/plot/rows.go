package plot

import (
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"
)

// drawRows draws dots, bars and boxes: a row each, its name at the left and its figure at
// the right.
func (p *Picture) drawRows(s *sheet, top vg.Length) {
	series := p.series()
	rank := map[string]int{}
	for i, name := range series {
		rank[name] = i
	}
	alone := p.Kind != Dots || len(series) < 2
	var names []string // of rows
	rows := map[string]int{}
	name := func(m Mark) string {
		if p.Kind != Dots && m.Series != "" {
			return m.Series + " · " + m.Label
		}
		return m.Label
	}
	left, right := vg.Length(0), vg.Length(0)
	for _, m := range p.Marks {
		n := name(m)
		if _, known := rows[n]; !known {
			rows[n] = len(names)
			names = append(names, n)
			left = max(left, textStyle.Width(cut(textStyle, n, 230)))
		}
		if alone { // two figures of one row are told by the scale alone
			right = max(right, textStyle.Width(cut(textStyle, m.said(), 150)))
		}
	}
	low, high := p.ends()
	if p.High == 0 && p.Low == 0 {
		low, high = round(low, high)
	}
	sc := scale{low, high, margin + left + 12, wide - margin - right - 14}
	bottom := top + vg.Length(rowHigh*len(names))
	p.axis(s, sc, top, bottom)
	for i, n := range names {
		y := top + vg.Length(rowHigh*i) + rowHigh/2
		st := textStyle
		if n == allValues {
			st = boldStyle
		}
		s.text(st, margin+left, y+3.5, toRight, cut(st, n, 230))
	}
	for _, m := range p.Marks {
		y := top + vg.Length(rowHigh*rows[name(m)]) + rowHigh/2
		if m.Has {
			p.drawMark(s, m, sc, y, rank[m.Series])
		}
		if alone {
			s.text(textStyle, wide-margin, y+3.5, toRight, cut(textStyle, m.said(), 150))
		}
	}
}

// axis draws a scale below rows, with thin lines up to the top.
func (p *Picture) axis(s *sheet, sc scale, top, bottom vg.Length) {
	for _, t := range sc.ticks() {
		x := sc.at(t)
		s.line(faint, 0.6, s.at(x, top), s.at(x, bottom))
		s.text(softStyle, x, bottom+12, center, tickText(t))
	}
	s.line(pale, 0.8, s.at(sc.from, bottom), s.at(sc.to, bottom))
	if p.Scale != "" {
		s.text(softStyle, (sc.from+sc.to)/2, bottom+25, center, p.Scale)
	}
}

func (p *Picture) drawMark(s *sheet, m Mark, sc scale, y vg.Length, rank int) {
	of := inks[rank%len(inks)]
	if p.Kind != Dots {
		of = inks[0]
	}
	unknown := m.Label == "(unknown)" || m.Label == "(none)"
	switch {
	case m.Spread != nil:
		x := func(f float64) vg.Length { return sc.at(f) }
		s.line(of, 1, s.at(x(m.Spread.Least), y), s.at(x(m.Spread.Most), y))
		s.box(white, x(m.Spread.Lower), y-6, x(m.Spread.Upper), y+6)
		tint := of
		tint.R, tint.G, tint.B = blend(of.R), blend(of.G), blend(of.B)
		s.box(tint, x(m.Spread.Lower), y-6, x(m.Spread.Upper), y+6)
		s.line(of, 1, s.at(x(m.Spread.Lower), y-6), s.at(x(m.Spread.Upper), y-6), s.at(x(m.Spread.Upper), y+6), s.at(x(m.Spread.Lower), y+6), s.at(x(m.Spread.Lower), y-6))
		s.line(of, 2.2, s.at(x(m.Spread.Middle), y-6), s.at(x(m.Spread.Middle), y+6))
	case p.Kind == Bars:
		zero := sc.at(min(max(0, sc.low), sc.high))
		if unknown {
			s.c.StrokeLines(draw.LineStyle{Color: of, Width: 1, Dashes: []vg.Length{3, 2}}, []vg.Point{s.at(zero, y-5.5), s.at(sc.at(m.At), y-5.5), s.at(sc.at(m.At), y+5.5), s.at(zero, y+5.5), s.at(zero, y-5.5)})
			return
		}
		s.box(of, zero, y-6, sc.at(m.At), y+6)
	default:
		if m.Bounded {
			s.line(pale, 4, s.at(sc.at(m.Low), y), s.at(sc.at(m.High), y))
		}
		s.glyph(rank, sc.at(m.At), y)
	}
}

// blend lightens a part of a colour.
func blend(c uint8) uint8 { return uint8(255 - (255-int(c))/4) }
