package plot

import (
	"gonum.org/v1/plot/vg"
	"gonum.org/v1/plot/vg/draw"

	"filler/internal/view/figures"
)

// drawLines draws series along steps: a mark each with its interval, joined where one
// follows the other.
func (p *Picture) drawLines(s *sheet, top, bottom vg.Length) {
	labels := p.labels()
	place := map[string]int{}
	for i, l := range labels {
		place[l] = i
	}
	low, high := p.ends()
	if p.High == 0 && p.Low == 0 {
		low, high = round(low, high)
	}
	bottom -= axisHigh + 10
	left := vg.Length(margin + 44)
	y := scale{low, high, 0, bottom - top - 12}
	up := func(x float64) vg.Length { return bottom - y.at(x) }
	step := (wide - margin - 10 - left) / vg.Length(max(len(labels), 1))
	x := func(i int) vg.Length { return left + step*(vg.Length(i)+0.5) }
	for _, t := range y.ticks() {
		s.line(faint, 0.6, s.at(left, up(t)), s.at(wide-margin, up(t)))
		s.text(softStyle, left-6, up(t)+3, toRight, tickText(t))
	}
	s.line(pale, 0.8, s.at(left, bottom), s.at(wide-margin, bottom))
	every, room := 1, vg.Length(0)
	for _, l := range labels {
		room = max(room, softStyle.Width(l)+8)
	}
	for vg.Length(every)*step < room && every < len(labels) {
		every++
	}
	unknown := map[string]int{}
	for _, m := range p.Marks {
		unknown[m.Label] = max(unknown[m.Label], m.Unknown)
	}
	for i, l := range labels {
		if i%every == 0 {
			s.text(softStyle, x(i), bottom+12, center, cut(softStyle, l, 120))
			if n := unknown[l]; n > 0 {
				s.text(softStyle, x(i), bottom+22, center, cut(softStyle, figures.Thousands(n)+" unknown", step*vg.Length(every)))
			}
		}
	}
	s.text(softStyle, (left+wide-margin)/2, bottom+36, center, cut(softStyle, p.Along, 400))
	s.text(softStyle, margin, top, toLeft, p.Scale)
	for n, name := range p.series() {
		p.drawSeries(s, n, name, func(m Mark) (vg.Length, bool) {
			i := place[m.Label]
			return x(i) + vg.Length(n)*min(3, step/12), m.Label != "(unknown)"
		}, up)
	}
}

// drawSeries draws one series; in says where a mark stands, and whether it is a step like
// the others.
func (p *Picture) drawSeries(s *sheet, n int, name string, in func(Mark) (vg.Length, bool), up func(float64) vg.Length) {
	var before *vg.Point
	of := inks[n%len(inks)]
	for _, m := range p.Marks {
		if m.Series != name {
			continue
		}
		x, isStep := in(m)
		if !m.Has {
			before = nil
			continue
		}
		here := s.at(x, up(m.At))
		if before != nil && isStep {
			s.c.StrokeLines(draw.LineStyle{Color: of, Width: 1.2, Dashes: dashes[n%len(dashes)]}, []vg.Point{*before, here})
		}
		if m.Bounded {
			s.line(of, 0.8, s.at(x, up(m.Low)), s.at(x, up(m.High)))
			s.line(of, 0.8, s.at(x-2.5, up(m.Low)), s.at(x+2.5, up(m.Low)))
			s.line(of, 0.8, s.at(x-2.5, up(m.High)), s.at(x+2.5, up(m.High)))
		}
		s.glyph(n, x, up(m.At))
		before = &here
	}
}

// drawScatter draws marks by two figures, each with its name.
func (p *Picture) drawScatter(s *sheet, top, bottom vg.Length) {
	low, high := p.ends()
	most := 0.0
	for _, m := range p.Marks {
		most = max(most, m.X)
	}
	if most == 0 {
		most = 1
	}
	bottom -= axisHigh
	left := vg.Length(margin + 44)
	y := scale{low, high, 0, bottom - top - 8}
	x := scale{0, most * 1.08, left, wide - margin - 120}
	up := func(f float64) vg.Length { return bottom - y.at(f) }
	for _, t := range y.ticks() {
		s.line(faint, 0.6, s.at(left, up(t)), s.at(wide-margin, up(t)))
		s.text(softStyle, left-6, up(t)+3, toRight, tickText(t))
	}
	for _, t := range x.ticks() {
		s.text(softStyle, x.at(t), bottom+12, center, tickText(t))
	}
	s.line(pale, 0.8, s.at(left, bottom), s.at(wide-margin, bottom))
	s.text(softStyle, (left+wide-margin)/2, bottom+26, center, p.Across)
	s.text(softStyle, margin, top, toLeft, p.Scale)
	taken := []vg.Length{} // heights of names near the right of their marks
	for _, m := range p.Marks {
		if !m.Has {
			continue
		}
		at := x.at(m.X)
		if m.Bounded {
			s.line(pale, 3, s.at(at, up(m.Low)), s.at(at, up(m.High)))
		}
		s.glyph(0, at, up(m.At))
		name := up(m.At) + 3
		for moved := true; moved; {
			moved = false
			for _, t := range taken {
				if name > t-11 && name < t+11 {
					name, moved = t+11, true
				}
			}
		}
		taken = append(taken, name)
		s.text(softStyle, at+7, name, toLeft, cut(softStyle, m.Label+"  "+m.Text, wide-margin-at-7))
	}
}
