package layout

import (
	"cmp"
	"math"
	"slices"
)

// maxDepth bounds how often a region is cut, and maxItems how many words are
// looked at for columns: no printed page has more, and the search for white is
// quadratic in the worst case.
const (
	maxDepth = 24
	maxItems = 12_000
)

// order appends the blocks of a region in reading order: what lies above its
// strongest gutter, the columns beside that, and what lies below.
func (s *sheet) order(items []*item, depth int) {
	if len(items) == 0 {
		return
	}
	if depth >= maxDepth || len(items) < 3 || len(items) > maxItems {
		s.plain(items)
		return
	}
	g, ok := s.gutter(items)
	if !ok {
		s.plain(items)
		return
	}
	var above, beside, below []*item
	for _, it := range items {
		switch mid := it.mid(); {
		case mid < g.top:
			above = append(above, it)
		case mid > g.bottom:
			below = append(below, it)
		default:
			beside = append(beside, it)
		}
	}
	groups := s.groups(beside, g)
	if len(groups) == 1 {
		s.order(above, depth+1)
		s.columns(beside, g, depth+1)
		s.order(below, depth+1)
		return
	}
	// White that parts columns can run on into a table by chance. The table's
	// other rows, which the gutter does not reach, stand above or below.
	if first := groups[0]; s.belongs(above, first, groups[1]) {
		groups[0], above = append(above, first...), nil
	}
	if n := len(groups); s.belongs(groups[n-1], below, nil) && white2(groups[n-1], below) < white2(groups[n-2], groups[n-1]) {
		groups[n-1], below = append(slices.Clone(groups[n-1]), below...), nil
	}
	s.order(above, depth+1)
	for _, group := range groups {
		slices.SortFunc(group, byMiddle)
		s.order(group, depth+1)
	}
	s.order(below, depth+1)
}

// belongs tells whether what stands below is near enough to what stands above
// to be one with it, and nearer than what comes after.
func (s *sheet) belongs(above, below, after []*item) bool {
	if len(above) == 0 || len(below) == 0 {
		return false
	}
	gap := white2(above, below)
	return gap < 2*s.size && (after == nil || gap < white2(below, after))
}

// white2 gives the height of the white between two regions.
func white2(above, below []*item) float64 {
	_, _, _, bottom := extent(above)
	_, top, _, _ := extent(below)
	return top - bottom
}

// gutter gives the strongest white strip of a region, cut to the height over
// which something stands on both of its sides.
func (s *sheet) gutter(items []*item) (strip, bool) {
	var best strip
	most := 0.0
	for _, g := range strips(s.pieces(items), 0.75*s.size) {
		if g.bottom-g.top < 1.2*s.size {
			continue
		}
		g, left, right := s.trim(items, g)
		few, many := min(left, right), max(left, right)
		if few == 0 || few+many < 4 && few < 2 || g.x1-g.x0 < widthFor(few, s.size) {
			continue
		}
		score := float64(few)*math.Sqrt(min((g.x1-g.x0)/s.size, 3)) + 0.1*float64(many)
		if score > most {
			best, most = g, score
		}
	}
	return best, most > 0
}

// trim cuts a strip to the lines beside it, and counts them. A line that stands
// on one side alone, well above where the other side begins, belongs to what
// lies above; at the bottom a column may be much the longer one.
func (s *sheet) trim(items []*item, g strip) (strip, int, int) {
	var left, right []float64
	for _, it := range items {
		mid := it.mid()
		switch {
		case mid < g.top || mid > g.bottom:
		case it.stroke:
		case it.x1 <= g.x0+0.01:
			left = append(left, mid)
		case it.x0 >= g.x1-0.01:
			right = append(right, mid)
		}
	}
	slices.Sort(left)
	slices.Sort(right)
	l, r := s.steps(left), s.steps(right)
	if len(l) == 0 || len(r) == 0 {
		return g, 0, 0
	}
	first, last := max(l[0], r[0]), min(l[len(l)-1], r[len(r)-1])
	up, down := 2.0, 3.5
	if s.inStep(l, r, first, last) { // rows of a table end where rows end
		up, down = nextRow, nextRow
	}
	top, bottom := s.reach(l, r, first, -1, up), s.reach(l, r, last, 1, down)
	if first > last { // nothing stands side by side
		return g, 0, 0
	}
	g.top, g.bottom = top-0.3*s.size, bottom+0.3*s.size
	count := func(of []float64) (n int) {
		for _, y := range of {
			if y >= g.top && y <= g.bottom {
				n++
			}
		}
		return
	}
	return g, count(l), count(r)
}

// nextRow is how far, in pitches, the next row of a table is away at most.
const nextRow = 1.35

// inStep tells sides of a gutter whose lines stand beside one another from the first
// to the last, in rows further apart than lines of text.
func (s *sheet) inStep(l, r []float64, first, last float64) bool {
	within := func(of []float64) []float64 {
		return slices.DeleteFunc(slices.Clone(of), func(y float64) bool { return y < first-0.4*s.size || y > last+0.4*s.size })
	}
	l, r = within(l), within(r)
	if min(len(l), len(r)) < 3 || (last-first)/float64(max(len(l), len(r))-1) < rowPitch*s.em {
		return false
	}
	met := 0
	for _, y := range l {
		if slices.ContainsFunc(r, func(z float64) bool { return math.Abs(y-z) <= 0.4*s.size }) {
			met++
		}
	}
	return float64(met) >= 0.85*float64(max(len(l), len(r)))
}

// steps makes lines of sorted middles.
func (s *sheet) steps(mids []float64) []float64 {
	var found []float64
	for _, y := range mids {
		if len(found) == 0 || y-found[len(found)-1] > 0.6*s.size {
			found = append(found, y)
		}
	}
	return found
}

// reach goes from a line up (-1) or down (1) along either side, as long as the
// next line is no more than wide pitches away.
func (s *sheet) reach(l, r []float64, from float64, dir int, wide float64) float64 {
	both := append(slices.Clone(l), r...)
	slices.Sort(both)
	var gaps []float64
	for _, of := range [][]float64{l, r} {
		for i := 1; i < len(of); i++ {
			gaps = append(gaps, of[i]-of[i-1])
		}
	}
	limit := wide * max(min(median(gaps), 3*s.size), 1.4*s.size)
	at := from
	if dir < 0 {
		for i := len(both) - 1; i >= 0; i-- {
			if both[i] < at && at-both[i] <= limit {
				at = both[i]
			}
		}
		return at
	}
	for _, y := range both {
		if y > at && y-at <= limit {
			at = y
		}
	}
	return at
}

// groups cuts what stands on the two sides of a gutter into parts of one kind.
// Parts that are parted by white across the whole region may be of different
// kinds: a table under two columns of prose that happens to share their gutter.
func (s *sheet) groups(items []*item, g strip) [][]*item {
	var groups [][]*item
	kinds := []int{}
	for _, part := range s.sections(items) {
		k := s.sectionKind(part, g)
		if n := len(groups); n > 0 && !s.isHeaded(part) && (k == 0 || kinds[n-1] == 0 || kinds[n-1] == k) {
			groups[n-1] = append(groups[n-1], part...)
			kinds[n-1] = max(kinds[n-1], k)
			continue
		}
		groups, kinds = append(groups, slices.Clone(part)), append(kinds, k)
	}
	return groups
}

// sections cuts a region where white runs across it.
func (s *sheet) sections(items []*item) [][]*item {
	sorted := slices.Clone(items)
	slices.SortFunc(sorted, func(a, b *item) int { return cmp.Or(cmp.Compare(a.y0, b.y0), cmp.Compare(a.x0, b.x0)) })
	wide := 1.5 * s.size
	if p := s.pitch(s.linesOf(items)); p-s.size > 0.8*s.size {
		wide = max(wide, 1.3*(p-s.size)+0.4*s.size)
	}
	var found [][]*item
	reach, from := math.Inf(-1), 0
	for i, it := range sorted {
		if i > 0 && it.y0-reach > wide {
			found = append(found, sorted[from:i])
			from = i
		}
		reach = max(reach, it.y1)
	}
	return append(found, sorted[from:])
}

// isHeaded tells a section that begins with a heading: a line of larger letters
// that has nothing beside it. What stands above such a line is read before it.
func (s *sheet) isHeaded(items []*item) bool {
	ls := s.linesOf(items)
	return emOf(ls[0].words) >= 1.17*s.em && (len(ls) == 1 || ls[1].y0 > ls[0].y1) && len(ls[0].words) < 15
}

// The kinds of a section: not to be told, columns, a table.
const (
	untold = iota
	columnar
	tabular
)

func (s *sheet) sectionKind(items []*item, g strip) int {
	left, right := split(items, g)
	left, right = nearest(left, true), nearest(right, false)
	a, b := s.measure(left), s.measure(right)
	if min(len(a.lines), len(b.lines)) < 3 {
		if s.hasCells(items) {
			return tabular
		}
		return untold
	}
	switch {
	case s.areColumns(a, b):
		return columnar
	case min(s.partners(a.lines, b.lines), s.partners(b.lines, a.lines)) >= 0.6 || s.inRows(a, b):
		return tabular
	}
	return untold
}

// hasCells tells a few rows of three columns and more.
func (s *sheet) hasCells(items []*item) bool {
	gaps := gapsOf(items, 1.3*s.size)
	if len(gaps) < 2 {
		return false
	}
	ls := s.linesOf(items)
	cells := 0
	for i := range ls {
		cells += len(s.cellsOf(ls[i], gaps))
	}
	if len(ls) <= 2 {
		return cells*2 >= len(ls)*5
	}
	return cells >= 2*len(ls)
}

// nearest gives the column of one side that stands next to the gutter.
func nearest(items []*item, last bool) []*item {
	if len(items) == 0 {
		return items
	}
	parts := partsOf(items, gapsOf(items, 1.3*medianOf(items)))
	if last {
		return parts[len(parts)-1]
	}
	return parts[0]
}

func split(items []*item, g strip) (left, right []*item) {
	mid := (g.x0 + g.x1) / 2
	for _, it := range items {
		if (it.x0+it.x1)/2 < mid {
			left = append(left, it)
		} else {
			right = append(right, it)
		}
	}
	return
}

// columns reads the columns of a region one after the other where they are
// columns, and across where they are those of a table.
func (s *sheet) columns(items []*item, g strip, depth int) {
	gaps := s.gaps(items, g)
	parts := partsOf(items, gaps)
	measured := make([]column, len(parts))
	for i := range parts {
		measured[i] = s.measure(parts[i])
	}
	var runs [][]*item
	run := parts[0]
	joined := 1
	tableOnly := true
	for i := 1; i < len(parts); i++ {
		if s.areColumns(measured[i-1], measured[i]) && !s.heldByRows(measured, i) {
			runs, tableOnly = append(runs, run), false
			run, joined = parts[i], 1
			continue
		}
		run = append(slices.Clone(run), parts[i]...)
		joined++
	}
	if tableOnly {
		s.table(items, gaps)
		return
	}
	runs = append(runs, run)
	if s.rtl {
		slices.Reverse(runs)
	}
	for _, r := range runs {
		s.order(r, depth+1)
	}
}

// heldByRows tells cells beside running text that stand in one row with those
// of a third column: a table with one wordy column, whose cells' lines alone
// would pass for prose with notes beside it.
func (s *sheet) heldByRows(all []column, i int) bool {
	for _, short := range []int{i - 1, i} {
		a := &all[short]
		if a.isProse() || len(a.lines) < 2 {
			continue
		}
		for k := range all {
			if k == i-1 || k == i || all[k].isProse() || len(all[k].lines) < 2 {
				continue
			}
			if s.partners(a.lines, all[k].lines) >= 0.8 {
				return true
			}
		}
	}
	return false
}

// gaps gives all white that runs through a region, the gutter g among it.
func (s *sheet) gaps(items []*item, g strip) []gap {
	n := 0
	left, right := split(items, g)
	n = min(len(s.linesOf(left)), len(s.linesOf(right)))
	least := max(min(widthFor(n, s.size), g.x1-g.x0), 0.75*s.size)
	found := gapsOf(items, least)
	// The head of a narrow column is often wider than the column.
	if ls := s.linesOf(items); len(ls) > 3 {
		if more := gapsOf(without(items, ls[0]), max(least, 1.2*s.size)); len(more) > len(found) {
			return more
		}
	}
	return found
}

func without(items []*item, l line) []*item {
	return slices.DeleteFunc(slices.Clone(items), func(it *item) bool { return slices.Contains(l.words, it) })
}

func partsOf(items []*item, gaps []gap) [][]*item {
	parts := make([][]*item, len(gaps)+1)
	for _, it := range items {
		i := columnOf(it, gaps)
		parts[i] = append(parts[i], it)
	}
	return parts
}

func columnOf(it *item, gaps []gap) int {
	mid := (it.x0 + it.x1) / 2
	n, _ := slices.BinarySearchFunc(gaps, mid, func(g gap, x float64) int { return cmp.Compare((g.x0+g.x1)/2, x) })
	return n
}
