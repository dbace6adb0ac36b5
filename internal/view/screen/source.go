package screen

import (
	"strings"
	"unicode/utf8"

	"github.com/charmbracelet/x/ansi"

	"filler/internal/measure/review"
	"filler/internal/view/signs"
)

// textRow is one row of the source as it is drawn: a part of a line, cut to the width.
type textRow struct {
	start, end int
	line       int // from 1, of the first row of a line; 0 of those that follow
}

// sourceRows cuts the source into rows from a byte at which one begins.
func (m *Model) sourceRows(from, width, height int) (rows []textRow) {
	text, index := m.text(), m.Desk.Sheet().Index
	line := index.LineOf(from)
	for at := from; len(rows) < height && at <= len(text); {
		end := index.LineSpan(line).End
		first := at == index.LineSpan(line).Start
		for {
			cut := cutRow(text[at:end], width)
			r := textRow{start: at, end: at + cut}
			if first {
				r.line = line + 1
			}
			rows = append(rows, r)
			first, at = false, at+cut
			if at >= end || len(rows) >= height {
				break
			}
		}
		if at < end {
			break
		}
		line, at = line+1, end+1
	}
	return rows
}

// cutRow gives how many bytes of a line fit into a width, up to the end of a word where
// there is one.
func cutRow(text string, width int) int {
	used, space := 0, 0
	for i := 0; i < len(text); {
		shown, size := shownRune(text[i:])
		w := ansi.StringWidth(shown)
		if used+w > width && i > 0 {
			if space > i/2 {
				return space
			}
			return i
		}
		used, i = used+w, i+size
		if shown == " " {
			space = i
		}
	}
	return len(text)
}

func shownRune(text string) (string, int) {
	if text[0] == '\t' {
		return "    ", 1
	}
	if text[0] < utf8.RuneSelf && text[0] >= ' ' && text[0] != 0x7f {
		return text[:1], 1
	}
	return signs.Rune(text)
}

// farBack is how much of a long line is cut into rows before the place that is looked
// for.
const farBack = 4000

// topFor gives where the pane begins so that a place stands in its upper third.
func (m *Model) topFor(at, width, height int) int {
	text, index := m.text(), m.Desk.Sheet().Index
	line := index.LineOf(at)
	above := height / 3
	start := index.LineSpan(line).Start
	if at-start > farBack {
		start = at - farBack
		for start < at && !utf8.RuneStart(text[start]) {
			start++
		}
	}
	var starts []int // of the rows up to the place, the last that of the place
	for row := start; ; {
		starts = append(starts, row)
		end := index.LineSpan(line).End
		next := row + cutRow(text[row:end], width)
		if next > at || next >= end || next == row {
			break
		}
		row = next
	}
	for len(starts) <= above && line > 0 {
		line--
		at := index.LineSpan(line)
		if at.End-at.Start > farBack {
			break
		}
		var before []int
		for row := at.Start; ; {
			before = append(before, row)
			next := row + cutRow(text[row:at.End], width)
			if next >= at.End || next == row {
				break
			}
			row = next
		}
		starts = append(before, starts...)
	}
	return starts[max(0, len(starts)-1-above)]
}

// scroll moves the source by so many rows.
func (m *Model) scroll(by int) {
	if m.Desk.Sheet() == nil || m.Desk.Sheet().Source == nil {
		return
	}
	_, width, height := m.panes()
	m.place(width, height)
	if by > 0 {
		rows := m.sourceRows(m.top, width-gutter, by+1)
		m.top = rows[len(rows)-1].start
		return
	}
	m.top = m.topFor(m.top, width-gutter, -3*by)
}

// place finds where the source pane begins.
func (m *Model) place(width, height int) {
	if m.top >= 0 {
		return
	}
	at := 0
	if m.mode == taking || m.mode == placing {
		at = m.mark.start
	} else if spans := m.placesNow(); len(spans) > 0 {
		at = spans[0].start
	} else if p, ok := m.Desk.Point(); ok {
		ix := m.Desk.Sheet().Index
		at = ix.LineSpan(m.Desk.Sheet().HomeOf(p.Path)).Start
	}
	m.top = m.topFor(at, width-gutter, height)
}

// placesNow gives the places of what is at hand.
func (m *Model) placesNow() (all []span) {
	p, ok := m.Desk.Point()
	sh := m.Desk.Sheet()
	if !ok {
		return nil
	}
	if p.Kind == review.OfLine {
		if l, ok := sh.LineAt(p.Line); ok {
			all = append(all, span{l.Start, l.End})
		}
		return all
	}
	for _, place := range sh.PlacesOf(p.Path) {
		all = append(all, span{place.Start, place.End})
	}
	if p.Kind == review.OfItem {
		for _, q := range sh.Points() {
			if q.Kind == review.OfValue && q.Path.Within(p.Path) {
				for _, place := range sh.PlacesOf(q.Path) {
					all = append(all, span{place.Start, place.End})
				}
			}
		}
	}
	return all
}

// gutter is how wide the numbers of lines are, with the sign before them.
const gutter = 8

// sourceLines draws the source.
func (m *Model) sourceLines(width, height int) (lines []string) {
	sh := m.Desk.Sheet()
	if sh.Source == nil {
		m.lines = nil
		for line := range strings.Lines(ansi.Wrap(signs.Visible("the document can't be read: "+strings.TrimPrefix(sh.Unread, sh.Document+": ")), width-2, "")) {
			lines = append(lines, " "+strings.TrimRight(line, "\n"))
		}
		return lines
	}
	m.place(width, height)
	m.lines = m.sourceRows(m.top, width-gutter, height)
	here := m.placesNow()
	if m.mode == taking || m.mode == placing {
		here = []span{m.mark}
	}
	rivals := m.rivals(here)
	for _, r := range m.lines {
		lines = append(lines, m.sourceLine(r, here, rivals))
	}
	return lines
}

// rivals gives the other places on the screen where the same words stand.
func (m *Model) rivals(here []span) (all []span) {
	if len(here) == 0 || len(m.lines) == 0 || here[0].end <= here[0].start {
		return nil
	}
	text := m.text()
	words := text[here[0].start:here[0].end]
	from, to := m.lines[0].start, m.lines[len(m.lines)-1].end
	for at := from; at < to && len(words) > 0; {
		n := strings.Index(text[at:to], words)
		if n < 0 {
			break
		}
		s := span{at + n, at + n + len(words)}
		if !within(here, s.start) && !wordGoesOn(text, s) {
			all = append(all, s)
		}
		at = s.end
	}
	return all
}

// wordGoesOn tells whether letters or figures stand at either end of a stretch.
func wordGoesOn(text string, s span) bool {
	before, _ := utf8.DecodeLastRuneInString(text[:s.start])
	behind, _ := utf8.DecodeRuneInString(text[s.end:])
	return isWord(before) || isWord(behind)
}

func isWord(r rune) bool {
	return r > 127 && r != utf8.RuneError || r >= '0' && r <= '9' || r >= 'A' && r <= 'Z' || r >= 'a' && r <= 'z'
}

func within(all []span, at int) bool {
	for _, s := range all {
		if at >= s.start && at < s.end {
			return true
		}
	}
	return false
}

// sourceLine draws one row: a sign where the value at hand stands, the number of the
// line, the words.
func (m *Model) sourceLine(r textRow, here, rivals []span) string {
	sign, number := " ", "      "
	for _, s := range rivals {
		if s.start < r.end && s.end > r.start {
			sign = "·"
		}
	}
	for _, s := range here {
		if s.start < r.end && s.end > r.start && s.end > s.start {
			sign = "▸"
		}
	}
	if r.line > 0 {
		number = padLeft(r.line, 6)
	}
	var b strings.Builder
	b.WriteString(m.paint(bold, sign))
	b.WriteString(m.paint(faint, number))
	b.WriteString(" ")
	text := m.text()
	var run strings.Builder
	now := plain
	flush := func() {
		b.WriteString(m.paint(now, run.String()))
		run.Reset()
	}
	for i := r.start; i < r.end; {
		shown, size := shownRune(text[i:r.end])
		t := plain
		switch {
		case within(here, i):
			t = marked
		case within(rivals, i):
			t = dim
		}
		if t != now {
			flush()
			now = t
		}
		run.WriteString(shown)
		i += size
	}
	flush()
	return b.String()
}

// offsetAt gives the byte of the source that is drawn at a place of the source pane; -1
// for none.
func (m *Model) offsetAt(x, y int) int {
	if y < 0 || y >= len(m.lines) || x < gutter {
		return -1
	}
	r, used := m.lines[y], gutter
	text := m.text()
	for i := r.start; i < r.end; {
		shown, size := shownRune(text[i:r.end])
		used += ansi.StringWidth(shown)
		if x < used {
			return i
		}
		i += size
	}
	return -1
}
