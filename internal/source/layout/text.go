package layout

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// maker writes blocks into a Text.
type maker struct {
	*Text
	blocks    []block
	out       strings.Builder
	pads      map[int]int    // line → the column of characters where it begins, in tables
	droppedAt map[string]int // index into Dropped, by the shape of its line
}

// maxPad bounds the spaces that line the columns of a table up.
const maxPad = 48

// eachLine gives the lines of a block in reading order.
func (b *block) eachLine(f func(r, c int, l *line)) {
	for i := range b.rows {
		for j := range b.rows[i].cells {
			for k := range b.rows[i].cells[j].lines {
				f(i, b.rows[i].cells[j].column, &b.rows[i].cells[j].lines[k])
			}
		}
	}
}

// write makes the text, line by line.
func (m *maker) write(opt Options) {
	for i := range m.blocks {
		b := &m.blocks[i]
		b.eachLine(func(r, c int, l *line) {
			n := Line{Page: b.page, Running: l.running, Block: i, row: r, column: c, line: l}
			if n.Running && opt.DropRunning {
				m.drop(l)
				return
			}
			for _, w := range l.words {
				n.Box = n.Box.Union(w.word.Box)
			}
			m.Lines = append(m.Lines, n)
		})
	}
	known := m.compounds()
	m.fill()
	m.padColumns()
	broken := ""
	column := 0
	for i := range m.Lines {
		if i > 0 && broken == "" {
			before := m.out.Len()
			m.between(i, column)
			if s := m.out.String()[before:]; strings.Contains(s, "\n") {
				column = utf8.RuneCountInString(s[strings.LastIndexByte(s, '\n')+1:])
			} else {
				column += len(s)
			}
		}
		before := m.out.Len()
		broken = m.line(i, broken, known)
		column += utf8.RuneCountInString(m.out.String()[before:])
	}
	if m.out.Len() > 0 {
		m.out.WriteByte('\n')
	}
	m.Text.Text = m.out.String()
	m.Text.blocks = m.blocks
}

// drop leaves a running head or foot out.
func (m *maker) drop(l *line) {
	var words []string
	for _, w := range l.words {
		words = append(words, w.word.Text)
	}
	shape := shapeOf(l)
	if m.droppedAt == nil {
		m.droppedAt = map[string]int{}
	}
	at, known := m.droppedAt[shape]
	if !known {
		at = len(m.Dropped)
		m.droppedAt[shape] = at
		m.Dropped = append(m.Dropped, Dropped{Text: strings.Join(words, " ")})
	}
	m.Dropped[at].Pages++
}

// fill marks the lines that go on in the next.
func (m *maker) fill() {
	s := &sheet{}
	for i := 0; i+1 < len(m.Lines); i++ {
		a, b := &m.Lines[i], &m.Lines[i+1]
		k := &m.blocks[a.Block]
		if a.Block != b.Block || a.Page != b.Page {
			continue
		}
		l, next := m.Lines[i].line, m.Lines[i+1].line
		s.size = k.size
		switch k.kind {
		case prose:
			a.full = s.isFull(*l, *next, k.x0, k.x1) && !isBullet(next.words[0].word.Text) && (next.x0-l.x0 < 0.8*k.size || isBullet(l.words[0].word.Text))
		case table:
			a.full = a.row == b.row && a.column == b.column
		}
	}
}

// padColumns computes where the columns of tables begin in the text.
func (m *maker) padColumns() {
	m.pads = map[int]int{}
	for i := 0; i < len(m.Lines); {
		end := i
		for end < len(m.Lines) && m.Lines[end].Block == m.Lines[i].Block {
			end++
		}
		if m.blocks[m.Lines[i].Block].kind == table {
			m.padTable(i, end)
		}
		i = end
	}
}

func (m *maker) padTable(from, to int) {
	width := map[int]int{} // column → its widest cell
	columns := []int{}
	cell := 0
	for i := from; i < to; i++ {
		cell += m.Lines[i].line.letters() + 1
		if m.Lines[i].full {
			continue
		}
		c := m.Lines[i].column
		if _, known := width[c]; !known {
			columns = append(columns, c)
		}
		if cell <= maxPad {
			width[c] = max(width[c], cell-1)
		} else {
			width[c] = max(width[c], 0)
		}
		cell = 0
	}
	slices.Sort(columns)
	starts, at := map[int]int{}, 0
	for _, c := range columns {
		starts[c] = at
		at += width[c] + 2
	}
	for i := from; i < to; i++ {
		m.pads[i] = starts[m.Lines[i].column]
	}
}

// between writes what parts line i from the one before it.
func (m *maker) between(i, column int) {
	a, b := &m.Lines[i-1], &m.Lines[i]
	switch k := &m.blocks[b.Block]; {
	case a.full:
		m.out.WriteByte(' ')
	case a.Block == b.Block && k.kind == table && a.row == b.row:
		m.spaces(max(m.pads[i]-column, 2))
	case a.Block == b.Block:
		m.out.WriteByte('\n')
		if k.kind == table {
			if k.rows[b.row].gap > 1.6 {
				m.out.WriteByte('\n')
			}
			m.spaces(m.pads[i])
		}
	default:
		m.out.WriteString("\n\n")
		m.spaces(m.pads[i])
	}
}

func (m *maker) spaces(n int) { m.out.WriteString(strings.Repeat(" ", n)) }

// line writes one line. broken is the start of a word that the line before has
// begun; what comes back is the same for the next line.
func (m *maker) line(i int, broken string, known map[string]bool) string {
	at := &m.Lines[i]
	l := at.line
	at.First, at.Len = len(m.Words), len(l.words)
	still := ""
	for j, w := range l.words {
		switch {
		case j == 1 && broken != "" && !m.Lines[i-1].full:
			m.out.WriteByte('\n') // the rest of the line stays a line of its own
		case j > 0:
			m.spaces(m.room(at, l.words[j-1], w))
		}
		text, joined := w.word.Text, false
		if j == len(l.words)-1 && i+1 < len(m.Lines) {
			if start, keep, ok := m.breaks(i, known); ok {
				still, joined = start, true
				if !keep {
					text = start
				}
			}
		}
		start := m.out.Len()
		m.out.WriteString(text)
		m.Words = append(m.Words, Placed{Word: *w.word, Start: start, End: m.out.Len(), Page: at.Page, Line: i, Joined: joined})
	}
	return still
}

// room gives the spaces between two neighbours on a line: white that no
// sentence has stays visible.
func (m *maker) room(at *Line, a, b *item) int {
	k := &m.blocks[at.Block]
	wide := 1.5
	if k.kind == prose {
		wide = 2.2
	}
	if white(a, b) > wide*k.size {
		return 3
	}
	return 1
}

// hyphens are the signs that break a word at a line's end.
const hyphens = "-\u00ad\u2010\u00ac\u2013\u2014"

// breaks tells whether the last word of line i goes on in the next line, gives
// its start, and whether its hyphen belongs to the word.
func (m *maker) breaks(i int, known map[string]bool) (start string, keep, ok bool) {
	a, b := &m.Lines[i], &m.Lines[i+1]
	ka, kb := m.blocks[a.Block].kind, m.blocks[b.Block].kind
	sameCell := a.Block == b.Block && (ka != table || a.row == b.row && a.column == b.column)
	if !sameCell && (ka != prose || kb != prose) {
		return "", false, false
	}
	word, next := m.Lines[i].line.words[len(m.Lines[i].line.words)-1].word.Text, m.Lines[i+1].line.words[0].word.Text
	sign, size := utf8.DecodeLastRuneInString(word)
	if !strings.ContainsRune(hyphens, sign) {
		return "", false, false
	}
	start = word[:len(word)-size]
	before, _ := utf8.DecodeLastRuneInString(start)
	after, _ := utf8.DecodeRuneInString(next)
	if utf8.RuneCountInString(start) < 2 || !unicode.IsLetter(before) || !unicode.IsLower(after) {
		return "", false, false
	}
	if strings.Contains(start, "://") || strings.HasPrefix(start, "www.") {
		return start, true, true // an address goes on, with its hyphen
	}
	if isCode(start) || isCode(next) {
		return "", false, false
	}
	whole := strings.ToLower(bare(start) + "-" + bare(next))
	if (sign == '\u2013' || sign == '\u2014') && known[strings.ToLower(bare(start))] {
		return "", false, false // a dash after a whole word
	}
	return start, sign == '-' && known[whole], true
}

// isCode tells what is no word of a language: an address, a code, a name in capitals.
// Its hyphen may be its own, so that it is left as it stands.
func isCode(s string) bool {
	letters, capitals := 0, 0
	for i, r := range s {
		switch {
		case unicode.IsDigit(r) || strings.ContainsRune("/@_\\#=&", r):
			return true
		case (r == '.' || r == ':') && i+1 < len(s) && i > 0 && !strings.ContainsRune(",;)\"'”", rune(s[i+1])):
			return true // host.example, but not the end of a sentence
		case unicode.IsLetter(r):
			letters++
			if unicode.IsUpper(r) {
				capitals++
			}
		}
	}
	return letters > 1 && capitals == letters
}

func bare(s string) string {
	return strings.TrimFunc(s, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
}

// compounds gives the words of the text, those with a hyphen in them above all:
// one that happens to break there keeps it.
func (m *maker) compounds() map[string]bool {
	found := map[string]bool{}
	for i := range m.Lines {
		for _, w := range m.Lines[i].line.words {
			if sign, _ := utf8.DecodeLastRuneInString(w.word.Text); !strings.ContainsRune(hyphens, sign) {
				found[strings.ToLower(bare(w.word.Text))] = true
			}
		}
	}
	return found
}

// WordAt gives the index of the word that holds offset, or stands nearest
// before it; -1 before the first.
func (t *Text) WordAt(offset int) int {
	n, found := slices.BinarySearchFunc(t.Words, offset, func(w Placed, at int) int { return w.Start - at })
	if found {
		return n
	}
	return n - 1
}

// Within gives the words that a span of the text touches, as a range of
// indices.
func (t *Text) Within(start, end int) (from, to int) {
	from, _ = slices.BinarySearchFunc(t.Words, start, func(w Placed, at int) int {
		if w.End <= at {
			return -1
		}
		return 1
	})
	for to = from; to < len(t.Words) && t.Words[to].Start < end; to++ {
	}
	return from, to
}

// WordsOn and BlocksOn count what stands on a page, from 1.
func (t *Text) WordsOn(page int) (n int) {
	for i := range t.Words {
		if t.Words[i].Page == page {
			n++
		}
	}
	return n
}

// BlocksOn counts the blocks of a page.
func (t *Text) BlocksOn(page int) (n int) {
	last := -1
	for i := range t.Lines {
		if l := &t.Lines[i]; l.Page == page && l.Block != last {
			n, last = n+1, l.Block
		}
	}
	return n
}
