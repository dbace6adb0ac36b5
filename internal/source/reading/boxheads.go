package reading

import (
	"slices"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lazy"
)

// Boxes in tables have no words of their own, but those of their row and of the head of their column. Which
// head that is, bars tell, or the number of cells where none is empty, or what stands above; the last only
// where all of a table is set so, since the text of a scanned or typeset page is not.

// underHeads reads a row of a table, whose boxes have the heads of their columns and no words of their own.
func (r *boxRow) underHeads(marks []Span) bool {
	return slices.ContainsFunc(r.heads, func(head Span) bool { return r.under(head, marks) })
}

func (r *boxRow) under(line Span, marks []Span) bool {
	heads, cells := r.tx.cellsOf(line), r.cells()
	if len(heads) < 2 || len(cells) < 2 || !hasLetter(r.line[:marks[0].Start]) {
		return false
	}
	row := r.tx.trimmed(cells[0])
	var all []Box
	for _, m := range marks {
		at := Span{r.start + m.Start, r.start + m.End}
		head := r.headOver(at, line, heads, cells)
		if head.End == 0 || !slices.Contains(cells, at) || !hasLetter(r.tx.Source[row.Start:row.End]) { // each is a cell by itself
			return false
		}
		all = append(all, Box{at, !emptyBox(r.line[m.Start:m.End]), head, row})
	}
	r.all = all
	return true
}

// headOver gives the head of the column in which a box stands; none where that is not told.
func (r *boxRow) headOver(mark, line Span, heads, cells []Span) Span {
	above := r.tx.Source[line.Start:line.End]
	if bars := strings.Count(r.line, "|"); bars > 0 {
		if bars != strings.Count(above, "|") {
			return Span{}
		}
		nth, from := strings.Count(r.line[:mark.Start-r.start], "|"), 0
		for range nth {
			from += strings.IndexByte(above[from:], '|') + 1
		}
		to := len(above)
		if i := strings.IndexByte(above[from:], '|'); i >= 0 {
			to = from + i
		}
		return r.tx.trimmed(Span{line.Start + from, line.Start + to})
	}
	if i := slices.Index(cells, mark); i > 0 && len(cells) == len(heads) {
		return r.tx.trimmed(heads[i])
	}
	if !r.tx.isSetInColumns(line) {
		return Span{}
	}
	if i := r.tx.headAbove(mark, heads); i > 0 {
		return r.tx.trimmed(heads[i])
	}
	return Span{}
}

// isSetInColumns tells whether each cell of the rows below a line stands under a head of its own, and
// whether those of each column begin, end or have their middle in one place.
func (tx *Text) isSetInColumns(line Span) bool {
	known := &tx.whole.boxes.inColumns
	if set, ok := (*known)[line]; ok {
		return set
	}
	if *known == nil {
		*known = map[Span]bool{}
	}
	heads := tx.cellsOf(line)
	columns := make([][]Span, len(heads))
	set := true
	for start := line.End; set && start < len(tx.Source); {
		end := len(tx.Source)
		if i := strings.IndexByte(tx.Source[start:], '\n'); i >= 0 {
			end = start + i + 1
		}
		cells, taken := tx.cellsOf(Span{start, end}), map[int]bool{}
		if len(cells) == 0 {
			break
		}
		for _, c := range cells {
			i := tx.headAbove(c, heads)
			if i >= 0 && !taken[i] {
				columns[i], taken[i] = append(columns[i], c), true
			} else if len(cells) > 1 {
				set = false
			}
		}
		start = end
	}
	for i, cells := range columns {
		if len(cells) == 1 { // nothing but the head tells
			cells = append(cells, heads[i])
		}
		set = set && tx.inOnePlace(cells)
	}
	(*known)[line] = set
	return set
}

// inOnePlace tells whether cells begin, end or have their middle in one place.
func (tx *Text) inOnePlace(cells []Span) bool {
	begin, end, middle := true, true, true
	for _, c := range cells {
		from, to := tx.columnsOf(cells[0])
		left, right := tx.columnsOf(c)
		begin, end, middle = begin && from == left, end && to == right, middle && distance(from+to, left+right) <= 1
	}
	return begin || end || middle
}

// offColumn is by how many letters a cell may begin, end or have its middle beside those of its head.
const offColumn = 2

// headAbove gives which of some heads stands above a cell, the nearest one; -1 for none.
func (tx *Text) headAbove(cell Span, heads []Span) int {
	from, to := tx.columnsOf(cell)
	best, found := offColumn+1, -1
	for i, h := range heads {
		left, right := tx.columnsOf(h)
		off := min(distance(from, left), distance(to, right), distance(from+to, left+right)/2)
		if off < best {
			best, found = off, i
		}
	}
	return found
}

func distance(a, b int) int { return max(a-b, b-a) }

// columnsOf gives the columns, in letters, where a stretch of a line begins and ends.
func (tx *Text) columnsOf(s Span) (from, to int) {
	line := strings.LastIndexByte(tx.Source[:s.Start], '\n') + 1
	from = utf8.RuneCountInString(tx.Source[line:s.Start])
	return from, from + utf8.RuneCountInString(tx.Source[s.Start:s.End])
}

// boxesAlone are several boxes with a blank between them: [x] [ ] [ ].
var boxesAlone = lazy.New(`^(?:(?:` + marks + `) )+(?:` + marks + `)$`)

// cellsOf gives the cells of a line, between bars or wide gaps; of boxes alone each is one.
func (tx *Text) cellsOf(line Span) (all []Span) {
	text := tx.Source[line.Start:line.End]
	from := 0
	add := func(to int) {
		cell := text[from:to]
		trimmed := strings.TrimSpace(cell)
		if trimmed == "" {
			return
		}
		start := line.Start + from + strings.Index(cell, trimmed)
		if !boxesAlone.MatchString(trimmed) {
			all = append(all, Span{start, start + len(trimmed)})
			return
		}
		for _, m := range boxMark.FindAllStringIndex(trimmed, -1) {
			all = append(all, Span{start + m[0], start + m[1]})
		}
	}
	for _, m := range cellGaps(text) {
		add(m.Start)
		from = m.End
	}
	add(len(text))
	return all
}

// cellGaps gives what parts the cells of a line: two blanks or more, a tab or a stroke, by where they
// stand in it.
func cellGaps(line string) (all []Span) {
	blank := func(i int) bool { return i < len(line) && strings.IndexByte(" \t\n\f\r", line[i]) >= 0 }
	for i := 0; i < len(line); {
		end := i
		for blank(end) {
			end++
		}
		if end < i+2 {
			end = i
			if line[i] == '\t' || line[i] == '|' {
				end++
			}
		}
		if end > i {
			all = append(all, Span{i, end})
		}
		i = max(end, i+1)
	}
	return all
}
