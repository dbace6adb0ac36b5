package plot

import (
	"fmt"
	"image/color"
	"math"

	"gonum.org/v1/plot/text"
	"gonum.org/v1/plot/vg"
)

// drawShades draws counts in cells, the more the darker, with the count in each.
func (p *Picture) drawShades(s *sheet, top vg.Length) {
	most, left := 1, vg.Length(0)
	for i, r := range p.Rows {
		left = max(left, textStyle.Width(cut(textStyle, r, 180)))
		for _, n := range p.Cells[i] {
			most = max(most, n)
		}
	}
	from := margin + left + 10
	width := min(86, (wide-margin-from)/vg.Length(max(len(p.Columns), 1)))
	const high, heads = 24, 34
	slanted := false
	for _, c := range p.Columns {
		slanted = slanted || softStyle.Width(c) > width-4
	}
	for j, c := range p.Columns {
		x := from + width*(vg.Length(j)+0.5)
		if !slanted {
			s.text(softStyle, x, top+heads-6, center, c)
			continue
		}
		st := softStyle
		st.Rotation = math.Pi / 6
		s.text(st, x-4, top+heads-5, toLeft, cut(softStyle, c, 58))
	}
	for i, r := range p.Rows {
		y := top + heads + vg.Length(high*i)
		s.text(textStyle, margin+left, y+high/2+3.5, toRight, cut(textStyle, r, 180))
		for j, n := range p.Cells[i] {
			x := from + width*vg.Length(j)
			share := math.Sqrt(float64(n) / float64(most))
			s.box(shade(share), x+0.5, y+0.5, x+width-0.5, y+high-0.5)
			st := style(10, ink, false)
			if share > 0.6 {
				st.Color = white
			}
			label := fmt.Sprint(n)
			if n == 0 {
				label, st = "·", softStyle
			}
			s.text(st, x+width/2, y+high/2+3.5, center, label)
		}
	}
	end := top + heads + vg.Length(high*len(p.Rows))
	s.text(softStyle, margin, end+16, toLeft, cut(softStyle, "rows: "+p.Along+" · columns: "+p.Apart, wide-2*margin))
}

// shade gives a blue from white (0) to dark (1).
func shade(share float64) color.RGBA {
	mix := func(a, b uint8) uint8 { return uint8(float64(a) + (float64(b)-float64(a))*share) }
	return color.RGBA{mix(0xf4, inks[0].R), mix(0xf6, inks[0].G), mix(0xf4, inks[0].B), 0xff}
}

// drawBands draws counts as bands from the rows, at the left, to the columns.
func (p *Picture) drawBands(s *sheet, top, bottom vg.Length) {
	rows, columns, all := make([]int, len(p.Rows)), make([]int, len(p.Columns)), 0
	for i := range p.Cells {
		for j, n := range p.Cells[i] {
			rows[i], columns[j], all = rows[i]+n, columns[j]+n, all+n
		}
	}
	if all == 0 {
		s.text(textStyle, margin, top+20, toLeft, "nothing to draw")
		return
	}
	bottom -= 26
	const gap, bar, side = 8, 12, 150
	each := func(n int) vg.Length { // points for one value
		return max((bottom-top-vg.Length(gap*(n-1)))/vg.Length(all), 0.01)
	}
	unit := min(each(len(rows)), each(len(columns)))
	left, right := vg.Length(margin+side), vg.Length(wide-margin-side)
	stack := func(sums []int, names []string, x0, x1, at vg.Length, align text.XAlignment) (starts []vg.Length) {
		y := top
		for i, n := range sums {
			starts = append(starts, y)
			if n > 0 {
				s.box(inks[0], x0, y, x1, y+max(unit*vg.Length(n), 0.5))
				s.text(textStyle, at, y+unit*vg.Length(n)/2+3.5, align, cut(textStyle, fmt.Sprintf("%s  %d", names[i], n), side-10))
			}
			y += unit*vg.Length(n) + gap
		}
		return starts
	}
	ls := stack(rows, p.Rows, left, left+bar, left-6, toRight)
	rs := stack(columns, p.Columns, right-bar, right, right+6, toLeft)
	for i := range p.Cells {
		for j, n := range p.Cells[i] {
			if n == 0 {
				continue
			}
			h := unit * vg.Length(n)
			of := inks[i%len(inks)]
			of = color.RGBA{uint8(int(of.R) * 115 / 255), uint8(int(of.G) * 115 / 255), uint8(int(of.B) * 115 / 255), 115} // see through where bands cross
			s.fill(of, s.ribbon(left+bar, ls[i], right-bar, rs[j], h)...)
			ls[i], rs[j] = ls[i]+h, rs[j]+h
		}
	}
	s.text(softStyle, left, bottom+18, toLeft, cut(softStyle, p.Along, 220))
	s.text(softStyle, right, bottom+18, toRight, cut(softStyle, p.Apart, 220))
}

// ribbon gives the outline of a band of one width between two places.
func (s *sheet) ribbon(x0, y0, x1, y1, high vg.Length) (points []vg.Point) {
	const steps = 32
	ease := func(t float64) float64 { return t * t * (3 - 2*t) }
	side := func(down vg.Length, back bool) {
		for k := 0; k <= steps; k++ {
			t := float64(k) / steps
			if back {
				t = 1 - t
			}
			points = append(points, s.at(x0+(x1-x0)*vg.Length(t), y0+(y1-y0)*vg.Length(ease(t))+down))
		}
	}
	side(0, false)
	side(high, true)
	return points
}
