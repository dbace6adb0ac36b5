package layout

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// The renderings of a text for a model.
const (
	Flow  = "flow"  // paragraphs in reading order: the source text itself
	Rows  = "rows"  // visual rows, with gaps kept so that columns line up
	Boxes = "boxes" // each line behind a short id and its place
)

// Renderings are the three, in the order in which help names them.
var Renderings = []string{Flow, Rows, Boxes}

// Span is a stretch of the source text in bytes, half-open.
type Span struct{ Start, End int }

// Holds tells whether an offset lies in the span.
func (s Span) Holds(at int) bool { return at >= s.Start && at < s.End }

// Rendering says how a text is shown.
type Rendering struct {
	How  string                              // Flow, Rows or Boxes
	Page int                                 // this page alone; 0: all
	Span *Span                               // the lines that begin in this stretch alone; nil: all
	Mark func(w *Placed, text string) string // gives a word as it is shown; nil: as it is
	Line func(at int)                        // is told of each line that is shown: where in the text its first word begins, -1 where none does
}

// Render gives the text in one of the renderings.
func (t *Text) Render(how string) string { return t.Show(Rendering{How: how}) }

// Show gives the text as r says.
func (t *Text) Show(r Rendering) string {
	v := &view{t, r}
	switch r.How {
	case Rows:
		return v.rows()
	case Boxes:
		return v.boxes()
	}
	return v.flow()
}

// view is a text being shown.
type view struct {
	*Text
	Rendering
}

// line tells of a line that is shown.
func (t *view) line(at int) {
	if t.Line != nil {
		t.Line(at)
	}
}

func (t *view) hides(l *Line) bool {
	return t.Page != 0 && l.Page != t.Page || t.Span != nil && l.Len > 0 && !t.Span.Holds(t.Words[l.First].Start)
}

// word gives a word as it is shown, with the rest of it that stands on the next
// line.
func (t *view) word(i int) string {
	text := t.Text.Text[t.Words[i].Start:t.Words[i].End]
	for j := i; t.Words[j].Joined && j+1 < len(t.Words); j++ {
		text += t.Text.Text[t.Words[j+1].Start:t.Words[j+1].End]
	}
	if t.Mark != nil {
		text = t.Mark(&t.Words[i], text)
	}
	return text
}

// continues tells the second part of a broken word.
func (t *view) continues(i int) bool { return i > 0 && t.Words[i-1].Joined }

// flow is the source text itself, with its words marked.
func (t *view) flow() string {
	if t.Mark == nil && t.Line == nil && t.Page == 0 {
		if t.Span != nil {
			return t.Text.Text[t.Span.Start:t.Span.End]
		}
		return t.Text.Text
	}
	var b strings.Builder
	last := -1
	for i := range t.Words {
		w := &t.Words[i]
		if t.hides(&t.Lines[w.Line]) || t.continues(i) {
			continue
		}
		if last < 0 {
			t.line(w.Start)
		} else {
			between := t.Text.Text[t.endOf(last):w.Start]
			b.WriteString(between)
			for n := strings.Count(between, "\n"); n > 0; n-- {
				at := -1
				if n == 1 {
					at = w.Start
				}
				t.line(at)
			}
		}
		b.WriteString(t.word(i))
		last = i
	}
	if last < 0 {
		return ""
	}
	return b.String() + "\n"
}

// endOf gives where a word ends, with the parts that it was broken into.
func (t *view) endOf(i int) int {
	for t.Words[i].Joined && i+1 < len(t.Words) {
		i++
	}
	return t.Words[i].End
}

// words gives the words of a line as the text has them: a word that was broken
// stands whole on the line where it began.
func (t *view) words(l *Line) []string {
	var found []string
	for i := l.First; i < l.First+l.Len; i++ {
		if !t.continues(i) {
			found = append(found, t.word(i))
		}
	}
	return found
}

func (t *view) boxes() string {
	var b strings.Builder
	page := 0
	for i := range t.Lines {
		l := &t.Lines[i]
		if t.hides(l) {
			continue
		}
		if l.Page != page {
			page = l.Page
			t.line(-1)
			fmt.Fprintf(&b, "page %d of %d (%d x %d)\n", page, len(t.Pages), t.Pages[page-1].Width, t.Pages[page-1].Height)
		}
		if words := t.words(l); len(words) > 0 {
			place := fmt.Sprintf("[%d,%d,%d,%d] ", l.Box[0], l.Box[1], l.Box[2], l.Box[3])
			text := strings.Join(words, " ")
			WriteLine(&b, i, place, text)
			first := l.First
			for t.continues(first) {
				first++
			}
			t.line(t.Words[first].Start)
			for left := len(strings.Fields(text)); left > longLine; left -= pieceLine {
				t.line(-1)
			}
		}
	}
	return b.String()
}

// A line of more words than longLine is shown in pieces, so that nobody has to
// count further than a few.
const (
	longLine  = 16
	pieceLine = 12
)

// WriteLine writes a line of the text behind its id and its place. A long one goes
// on in lines of their own, each behind the id of its first word: L3.13.
func WriteLine(b *strings.Builder, i int, place, text string) {
	b.WriteString(LineID(i) + " " + place)
	left, word := len(strings.Fields(text)), 1
	for left > longLine {
		at := wordsEnd(text, pieceLine)
		b.WriteString(text[:at] + "\n")
		text = strings.TrimLeftFunc(text[at:], unicode.IsSpace)
		left, word = left-pieceLine, word+pieceLine
		fmt.Fprintf(b, "%s.%d ", LineID(i), word)
	}
	b.WriteString(text + "\n")
}

// wordsEnd gives where the nth word of a text ends.
func wordsEnd(text string, n int) int {
	in := false
	for at, r := range text {
		if space := unicode.IsSpace(r); space == in {
			if in {
				if n--; n == 0 {
					return at
				}
			}
			in = !in
		}
	}
	return len(text)
}

// LineID gives the short id of a line by its index.
func LineID(i int) string { return fmt.Sprintf("L%d", i+1) }

// bit is a stretch of words on a line without a wide gap.
type bit struct {
	line int
	word int     // its first
	x    float64 // where it begins, straight
	y    float64
	text string
	at   int // the column of characters
}

// rows renders block by block in reading order; within a block what stands
// side by side stays side by side.
func (t *view) rows() string {
	var b strings.Builder
	for i := 0; i < len(t.Lines); {
		end := i
		for end < len(t.Lines) && t.Lines[end].Block == t.Lines[i].Block {
			end++
		}
		shown := i
		for shown < end && t.hides(&t.Lines[shown]) {
			shown++
		}
		if shown < end {
			if b.Len() > 0 {
				b.WriteByte('\n')
				t.line(-1)
			}
			t.blockRows(&b, i, end)
		}
		i = end
	}
	return b.String()
}

func (t *view) blockRows(b *strings.Builder, from, to int) {
	blk := &t.blocks[t.Lines[from].Block]
	var bits []bit
	var widths []float64
	for n := from; n < to; n++ {
		if t.hides(&t.Lines[n]) {
			continue
		}
		l := t.Lines[n].line
		bits = append(bits, t.bits(n, blk.size)...)
		widths = append(widths, (l.x1-l.x0)/float64(max(l.letters(), 1)))
	}
	per := max(median(widths), blk.size/3)
	slices.SortStableFunc(bits, func(a, c bit) int { return cmp.Compare(a.y, c.y) })
	var rows [][]*bit
	for i := range bits {
		if k := len(rows) - 1; k >= 0 && math.Abs(rows[k][0].y-bits[i].y) < 0.5*blk.size {
			rows[k] = append(rows[k], &bits[i])
			continue
		}
		rows = append(rows, []*bit{&bits[i]})
	}
	setColumns(bits, rows, blk.x0, per, blk.size)
	last, pitch := 0.0, pitchOf(rows, blk.size)
	for i, r := range rows {
		if i > 0 && r[0].y-last > 1.6*pitch {
			b.WriteByte('\n')
			t.line(-1)
		}
		last = r[0].y
		slices.SortStableFunc(r, func(a, c *bit) int { return cmp.Compare(a.at, c.at) })
		first := len(t.Text.Text)
		for _, p := range r {
			first = min(first, t.Words[p.word].Start)
		}
		t.line(first)
		column := 0
		for j, p := range r {
			pad := p.at - column
			if j > 0 {
				pad = max(pad, 1)
			}
			b.WriteString(strings.Repeat(" ", max(pad, 0)) + p.text)
			column += max(pad, 0) + utf8.RuneCountInString(p.text)
		}
		b.WriteByte('\n')
	}
}

func pitchOf(rows [][]*bit, size float64) float64 {
	var steps []float64
	for i := 1; i < len(rows); i++ {
		steps = append(steps, rows[i][0].y-rows[i-1][0].y)
	}
	if len(steps) == 0 {
		return 2 * size
	}
	return max(median(steps), size)
}

// bits cuts a line at its wide gaps.
func (t *view) bits(n int, size float64) []bit {
	at := &t.Lines[n]
	wide := 1.5
	if t.blocks[at.Block].kind == prose {
		wide = 4 // justified lines have wide gaps that mean nothing
	}
	var found []bit
	for j, w := range at.line.words {
		i := at.First + j
		if t.continues(i) {
			continue
		}
		text := t.word(i)
		if len(found) > 0 && (j == 0 || white(at.line.words[j-1], w) <= wide*size) {
			found[len(found)-1].text += " " + text
			continue
		}
		found = append(found, bit{line: n, word: i, x: w.x0, y: at.line.mid(), text: text})
	}
	return found
}

// setColumns gives every bit its column of characters: those that begin at the
// same place on the page begin in the same column, and no bit runs into the
// next.
func setColumns(bits []bit, rows [][]*bit, x0, per, size float64) {
	order := make([]*bit, len(bits))
	rowOf := map[*bit]int{}
	for i := range bits {
		order[i] = &bits[i]
	}
	for i, r := range rows {
		for _, p := range r {
			rowOf[p] = i
		}
	}
	slices.SortStableFunc(order, func(a, c *bit) int { return cmp.Compare(a.x, c.x) })
	filled := make([]int, len(rows))
	for i := 0; i < len(order); {
		end := i
		for end < len(order) && order[end].x-order[i].x <= 0.7*size {
			end++
		}
		at := max(int(math.Round((order[i].x-x0)/per)), 0)
		for _, p := range order[i:end] {
			if filled[rowOf[p]] > 0 {
				at = max(at, filled[rowOf[p]]+2)
			}
		}
		at = max(at, 0)
		for _, p := range order[i:end] {
			p.at = at
			filled[rowOf[p]] = at + utf8.RuneCountInString(p.text)
		}
		i = end
	}
}
