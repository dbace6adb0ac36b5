package reading

import (
	"strings"
	"sync"
)

// In tables set by blanks a cell that fills its column has one blank behind it alone, and looks like one with
// the next: Cragside Harriers MSEN. The rows around it tell them apart: what stands between two columns is
// blank in all of them.

// NarrowGap stands for a blank that parts two cells, in Rows.
const NarrowGap = '\v'

// rows is the text with its narrow gaps.
type rows struct {
	once sync.Once
	text string
}

// Bounds of what is looked at as a table.
const (
	widestRow   = 400 // letters
	fewestRows  = 3
	fewestWide  = 2 // rows in which a gap is wide
	longestRows = 2000
)

// Rows gives the source with NarrowGap for each blank that parts two cells of a table: one that is blank in all
// rows of it with several cells, and within a wide gap in most of them. Places are those of the source.
func (tx *Text) Rows() string {
	r := &tx.whole.rows
	r.once.Do(func() {
		r.text = tx.Source
		var gaps []int
		var block []Span
		for start := 0; start <= len(tx.Source); {
			end := len(tx.Source)
			if i := strings.IndexByte(tx.Source[start:], '\n'); i >= 0 {
				end = start + i
			}
			line := tx.Source[start:end]
			if blank := strings.TrimSpace(line) == ""; blank || len(block) >= longestRows {
				gaps, block = append(gaps, tx.narrowGaps(block)...), nil
			}
			if strings.TrimSpace(line) != "" && !strings.ContainsAny(line, "\t|") && len(line) <= widestRow {
				block = append(block, Span{start, end})
			}
			start = end + 1
		}
		if gaps = append(gaps, tx.narrowGaps(block)...); len(gaps) > 0 {
			text := []byte(tx.Source)
			for _, at := range gaps {
				text[at] = NarrowGap
			}
			r.text = string(text)
		}
	})
	return r.text
}

// setRow is a row of a table by columns: how many letters stand in it before each of them.
type setRow struct {
	letters [widestRow + 1]int16
	narrow  [][2]int // the columns of its single blanks, and their places
	wide    []int    // the columns in its wide gaps
	cells   int      // between wide gaps
}

func (tx *Text) setRow(s Span) *setRow {
	r := &setRow{}
	line := strings.TrimRight(tx.Source[s.Start:s.End], " ")
	column, inside := 0, false
	for i, c := range line {
		r.letters[column+1] = r.letters[column]
		switch blank := c == ' '; {
		case !blank:
			r.letters[column+1]++
			inside = true
		case !inside:
		case line[i-1] != ' ' && line[i+1] != ' ':
			r.narrow = append(r.narrow, [2]int{column, s.Start + i})
		default:
			r.wide = append(r.wide, column)
			if line[i-1] != ' ' {
				r.cells++
			}
		}
		column++
	}
	r.cells++
	for column++; column <= widestRow; column++ {
		r.letters[column] = r.letters[column-1]
	}
	return r
}

// has tells whether anything stands in a row from one column to another.
func (r *setRow) has(from, to int) bool {
	return r.letters[min(max(from, to), widestRow)] > r.letters[min(max(from, 0), widestRow)]
}

// cellAround gives where the cell begins and ends that has a column in it: at wide gaps.
func (r *setRow) cellAround(column int) (from, to int) {
	for from = column; from > 0 && (r.has(from-1, from) || from > 1 && r.has(from-2, from-1)); from-- {
	}
	for to = column + 1; to < widestRow && (r.has(to, to+1) || to+1 < widestRow && r.has(to+1, to+2)); to++ {
	}
	return from, to
}

// nearbyRows is how many rows before and behind one are looked at for what parts its cells.
const nearbyRows = 20

// narrowGaps gives the places of the single blanks between cells in the rows of a table: other rows have something
// on both sides, and a wide gap there.
func (tx *Text) narrowGaps(block []Span) (gaps []int) {
	var rows, whole []*setRow // those with wide gaps, and lines without any
	filled, wide, counts := [widestRow]bool{}, [widestRow]int{}, map[int]int{}
	for _, s := range block {
		r := tx.setRow(s)
		if r.cells < 2 {
			whole = append(whole, r)
			continue
		}
		rows = append(rows, r)
		counts[r.cells]++
		for column := range filled {
			filled[column] = filled[column] || r.has(column, column+1)
		}
		for _, column := range r.wide {
			wide[column]++
		}
	}
	if len(rows) < fewestRows {
		return nil
	}
	mayPart := func(column int) bool {
		return !filled[column] && wide[column] >= fewestWide && 2*wide[column] >= len(rows)-1
	}
	usual := 0
	for cells, n := range counts {
		if n > counts[usual] || n == counts[usual] && cells > usual {
			usual = cells
		}
	}
	for n, r := range rows {
		gaps = append(gaps, r.partedBy(rows[max(0, n-nearbyRows):min(len(rows), n+nearbyRows+1)], mayPart)...)
	}
	for _, r := range whole { // a line of words, unless it comes apart as all rows do
		if found := r.partedBy(rows[:min(len(rows), nearbyRows)], mayPart); len(found)+1 == usual {
			gaps = append(gaps, found...)
		}
	}
	return gaps
}

// partedBy gives the places of the single blanks of a row where others nearby have two cells.
func (r *setRow) partedBy(near []*setRow, mayPart func(column int) bool) (gaps []int) {
	last, best := 0, 0 // the column of the last gap, and in how many rows a cell begins or ends there
	for _, gap := range r.narrow {
		column := gap[0]
		if !mayPart(column) || !r.partedIn(near, column) {
			continue
		}
		edges := r.count(near, func(other *setRow) bool { return other.has(column-1, column) || other.has(column+1, column+2) })
		switch between := r.count(near, func(other *setRow) bool { return other.has(last, column) }); {
		case best == 0 || between >= fewestWide:
			gaps = append(gaps, gap[1])
		case edges > best: // of two in one wide gap of the others
			gaps[len(gaps)-1] = gap[1]
		default:
			continue
		}
		last, best = column, max(edges, 1)
	}
	return gaps
}

// partedIn tells whether most of the rows nearby have something on both sides of a column that is in one cell here.
func (r *setRow) partedIn(near []*setRow, column int) bool {
	from, to := r.cellAround(column)
	both := r.count(near, func(other *setRow) bool { return other.has(from, column) && other.has(column, to) })
	return both >= fewestWide && 2*both >= len(near)-1
}

// count counts the other rows of which something is so.
func (r *setRow) count(rows []*setRow, is func(*setRow) bool) (n int) {
	for _, other := range rows {
		if other != r && is(other) {
			n++
		}
	}
	return n
}
