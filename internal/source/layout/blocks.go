package layout

import (
	"cmp"
	"math"
	"slices"
	"unicode"
	"unicode/utf8"
)

// plain reads a region without gutters: line by line, cut into blocks by white
// and by the size of the letters.
func (s *sheet) plain(items []*item) {
	ls := s.linesOf(items)
	x0, _, x1, _ := extent(items)
	pitch := s.pitch(ls)
	from := 0
	above := math.Inf(1)
	for i := 1; i <= len(ls); i++ {
		step := 0.0
		if i < len(ls) {
			step = ls[i].mid() - ls[i-1].mid()
			tall, small := emOf(ls[i].words), emOf(ls[i-1].words)
			if tall < small {
				tall, small = small, tall
			}
			if step <= 1.35*pitch && tall < 1.35*small {
				continue
			}
		}
		s.add(ls[from:i], x0, x1, above/pitch)
		from, above = i, step
	}
}

// add appends a block of lines, prose or not.
func (s *sheet) add(ls []line, x0, x1, above float64) {
	b := block{kind: lines, x0: x0, x1: x1, size: s.size, after: above}
	if s.isProse(ls, x0, x1) {
		b.kind = prose
	}
	for _, l := range ls {
		b.rows = append(b.rows, row{cells: []cell{{lines: []line{l}}}})
	}
	s.blocks = append(s.blocks, b)
}

// isProse tells lines that fill their region, so that each goes on in the next.
func (s *sheet) isProse(ls []line, x0, x1 float64) bool {
	if len(ls) < 2 || (x1-x0) < 8*s.size {
		return false
	}
	full, lower, words, cased := 0, 0, 0, false
	for i := 0; i < len(ls)-1; i++ {
		words += len(ls[i].words)
		if s.isFull(ls[i], ls[i+1], x0, x1) {
			full++
		}
		first, _ := utf8.DecodeRuneInString(ls[i+1].words[0].word.Text)
		cased = cased || unicode.IsLower(first) || unicode.IsUpper(first)
		if unicode.IsLower(first) {
			lower++
		}
		if s.hasGap(ls[i]) {
			full--
		}
	}
	n := float64(len(ls) - 1)
	return float64(full) >= 0.6*n && float64(words) >= 4*n && (float64(lower) >= 0.3*n || !cased)
}

// isFull tells a line on which the next one's first word would not have fit.
func (s *sheet) isFull(l, next line, x0, x1 float64) bool {
	first := next.words[0]
	room := x1 - l.x1
	if s.rtl {
		room = l.x0 - x0
	}
	return room < first.x1-first.x0+1.2*s.size
}

// hasGap tells a line with white in it that no sentence has.
func (s *sheet) hasGap(l line) bool {
	for i := 1; i < len(l.words); i++ {
		if white(l.words[i-1], l.words[i]) > 2.2*s.size {
			return true
		}
	}
	return false
}

// white gives the room between two neighbours on a line.
func white(a, b *item) float64 {
	return max(b.x0-a.x1, a.x0-b.x1)
}

// table reads a region across: rows of cells.
func (s *sheet) table(items []*item, gaps []gap) {
	x0, _, x1, _ := extent(items)
	b := block{kind: table, x0: x0, x1: x1, size: s.size, after: 2}
	all := s.linesOf(items)
	tight, pitch := s.tight(all), s.pitch(all)
	for i := range all {
		cells := s.cellsOf(all[i], gaps)
		step := 0.0
		if i > 0 {
			step = all[i].mid() - all[i-1].mid()
		}
		// A cell that stands in the middle of its row is half a line off the
		// lines of a cell beside it.
		offset := i > 0 && step < s.size
		if offset || i > 0 && step <= 1.3*tight && goesOn(&b.rows[len(b.rows)-1], cells) {
			extend(&b.rows[len(b.rows)-1], cells)
			continue
		}
		b.rows = append(b.rows, row{cells: cells, gap: step / pitch})
	}
	s.blocks = append(s.blocks, b)
}

func (s *sheet) cellsOf(l line, gaps []gap) []cell {
	var cells []cell
	for _, w := range l.words {
		c := columnOf(w, gaps)
		i := slices.IndexFunc(cells, func(k cell) bool { return k.column == c })
		if i < 0 {
			cells = append(cells, cell{column: c, lines: []line{{y0: l.y0, y1: l.y1}}})
			i = len(cells) - 1
		}
		cells[i].lines[0].words = append(cells[i].lines[0].words, w)
	}
	for i := range cells {
		cells[i].lines[0].settle(s.rtl)
	}
	return cells
}

// goesOn tells the second line of a row: it has fewer cells than the first,
// nothing in the first column, or a cell that goes on in small letters.
func goesOn(r *row, cells []cell) bool {
	if len(cells) >= len(r.cells) && len(r.cells) > 1 || len(r.cells) == 1 {
		return false
	}
	for _, c := range cells {
		if !slices.ContainsFunc(r.cells, func(k cell) bool { return k.column == c.column }) {
			return false
		}
	}
	if cells[0].column > r.cells[0].column {
		return true
	}
	first, _ := utf8.DecodeRuneInString(cells[0].lines[0].words[0].word.Text)
	return unicode.IsLower(first)
}

func extend(r *row, cells []cell) {
	for _, c := range cells {
		i := slices.IndexFunc(r.cells, func(k cell) bool { return k.column == c.column })
		if i < 0 {
			r.cells = append(r.cells, c)
			continue
		}
		r.cells[i].lines = append(r.cells[i].lines, c.lines...)
	}
	slices.SortStableFunc(r.cells, func(a, b cell) int { return cmp.Compare(a.column, b.column) })
}
