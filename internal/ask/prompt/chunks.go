package prompt

import (
	"slices"
	"sort"
	"strings"
	"sync"
	"unicode"

	"filler/internal/ask/outline"
	"filler/internal/base/tokens"
	"filler/internal/source/document"
	"filler/internal/source/layout"
)

// Chunk is the part of a document that one request carries. It begins and ends
// at a line.
type Chunk struct {
	N, Of int // its place in the plan, from 1
	// Core is what the chunk is for; all cores together are the document, and
	// no two of them share a byte.
	Core layout.Span
	// Shown are the lines that are sent, in order: the opening of the document
	// and of the entry that the core begins in, some lines before it, the core.
	Shown []layout.Span
	// Pages are the first and the last whose pictures go along; none: those of all.
	Pages [2]int
	// Inside says that the core begins within an entry.
	Inside bool
	// Only says that lines were left out by earlier replies: those of Missing,
	// asked for once more for the Time-th time, from 1.
	Only    bool
	Missing []outline.Missed
	Time    int
}

// Room is what a chunk may take.
type Room struct {
	Tokens  int // of what is shown; 0: without limit
	Overlap int // lines before the core that are shown again, where it begins within an entry
}

// DefaultOverlap is the overlap where filler.yaml says none.
const DefaultOverlap = 4

// lead bounds what is repeated before a chunk: lines, and the part of its room.
const (
	leadLines = 12
	leadShare = 5 // a fifth
)

// Plan cuts a document into chunks that fit. Cuts fall where an entry begins,
// else at a page, a heading, an empty line, a row, and never inside a line. A
// document that fits, and one that can't be cut, is one chunk.
func (p *Planner) Plan(room Room) []Chunk {
	d := p.doc
	whole := Chunk{N: 1, Of: 1, Core: layout.Span{End: len(d.Text)}}
	whole.Shown = []layout.Span{whole.Core}
	if room.Tokens <= 0 || tokens.Estimate(d.Text) <= room.Tokens {
		return []Chunk{whole}
	}
	p.read()
	return p.cut(whole.Core, room)
}

// Split cuts a chunk in two or more, or gives nil where that can't be.
func (p *Planner) Split(c Chunk, room Room) []Chunk {
	p.read()
	half := tokens.EstimateBytes(c.Core.End-c.Core.Start)*6/10 + 1
	parts := p.cut(c.Core, Room{Tokens: half + p.leadTokens(c.Core.Start, Room{Tokens: half, Overlap: room.Overlap}), Overlap: room.Overlap})
	if len(parts) < 2 {
		return nil
	}
	for i := range parts {
		parts[i].Only = c.Only
	}
	return parts
}

// Entries gives where the entries of a document begin, as far as its lines
// tell: nil where no kind of line keeps coming again at the head of the same
// others.
func (p *Planner) Entries() []int {
	p.read()
	var at []int
	for _, i := range p.starts {
		at = append(at, p.lines[i].start)
	}
	return at
}

// textLine is one line of the source text.
type textLine struct {
	start, end int    // with its line feed
	kind       string // what it has in common with lines like it; "" for prose
	cost       int    // tokens, as estimated
	place      cutting
	row        bool // of a table
}

// cutting is how good a place to cut is before a line: the higher the better.
type cutting int

const (
	anywhere cutting = iota
	afterEmpty
	atHeading
	atPage
	atEntry
)

// Planner cuts one document. It reads its lines once, when they are first asked
// for; its methods may be called by many goroutines.
type Planner struct {
	doc    *document.Document
	once   sync.Once
	lines  []textLine
	starts []int // lines at which entries begin
}

// NewPlanner gives the planner of a document.
func NewPlanner(d *document.Document) *Planner { return &Planner{doc: d} }

func (p *Planner) read() { p.once.Do(p.readLines) }

func (p *Planner) readLines() {
	d := p.doc
	for at := 0; at < len(d.Text); {
		end := strings.IndexByte(d.Text[at:], '\n') + at + 1
		if end == at {
			end = len(d.Text)
		}
		text := d.Text[at:end]
		p.lines = append(p.lines, textLine{start: at, end: end, kind: kindOf(text), cost: tokens.Estimate(text), row: document.IsRow(text)})
		at = end
	}
	p.starts = p.entries()
	p.judge(d)
}

// judge says how good a place to cut is before each line.
func (p *Planner) judge(d *document.Document) {
	for i := 1; i < len(p.lines); i++ {
		l, before := &p.lines[i], d.Text[p.lines[i-1].start:p.lines[i-1].end]
		text := strings.TrimSpace(d.Text[l.start:l.end])
		switch {
		case text == "":
		case strings.TrimSpace(before) == "" && isHeading(text):
			l.place = atHeading
		case strings.TrimSpace(before) == "":
			l.place = afterEmpty
		}
	}
	if d.Layout != nil {
		page := 0
		for i := range d.Layout.Words {
			if w := &d.Layout.Words[i]; w.Page != page {
				page = w.Page
				if n := p.lineAt(w.Start); n > 0 && p.lines[n].start == w.Start {
					p.lines[n].place = atPage
				}
			}
		}
	}
	for n, i := range p.starts {
		if n > 0 { // before the first stands the opening at most, which is no chunk of its own
			p.lines[i].place = atEntry
		}
	}
}

func (p *Planner) lineAt(offset int) int {
	return sort.Search(len(p.lines), func(i int) bool { return p.lines[i].end > offset })
}

// isHeading tells a short line that no sentence ends.
func isHeading(text string) bool {
	return len(text) <= 60 && !strings.ContainsAny(text[len(text)-1:], ".,;") && !strings.Contains(text, "  ") && !strings.Contains(text, ": ")
}

// kindOf gives what a line has in common with lines like it: its label, or the
// whole of a short line, with figures made equal; the sign of a rule.
func kindOf(line string) string {
	text := strings.TrimSpace(line)
	if text == "" {
		return ""
	}
	if !strings.ContainsFunc(text, func(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }) {
		return "rule " + text[:1]
	}
	label, _, labelled := strings.Cut(text, ":")
	if !labelled && document.IsRow(text) {
		return "" // rows are alike by their values
	}
	if !labelled || len(label) > 30 {
		if len(text) > 40 {
			return ""
		}
		label = text
	}
	var b strings.Builder
	figure := false
	for _, r := range strings.ToLower(label) {
		if unicode.IsDigit(r) {
			if !figure {
				b.WriteByte('9')
			}
			figure = true
			continue
		}
		figure = false
		b.WriteRune(r)
	}
	if labelled {
		b.WriteByte(':')
	}
	return b.String()
}

// leastEntries is how often a kind of line must come for it to head entries,
// and leastCompany how many other kinds must come once with each.
const (
	leastEntries = 3
	leastCompany = 2
)

// entries finds the lines that begin entries: the first of the kinds that come
// again and again, each with the same company of other kinds between one and
// the next.
func (p *Planner) entries() []int {
	at := map[string][]int{}
	var order []string
	for i, l := range p.lines {
		if l.kind != "" {
			if at[l.kind] == nil {
				order = append(order, l.kind)
			}
			at[l.kind] = append(at[l.kind], i)
		}
	}
	order = slices.DeleteFunc(order, func(k string) bool { return len(at[k]) < leastEntries })
	if len(order) > 80 {
		sort.SliceStable(order, func(i, j int) bool { return len(at[order[i]]) > len(at[order[j]]) })
		order = order[:80]
	}
	best, most := "", leastCompany-1
	for _, k := range order {
		company := 0
		for _, other := range order {
			if other != k && accompanies(at[k], at[other]) {
				company++
			}
		}
		// Of kinds with about the same company, the one that comes first.
		if company > most+1 || company > most && best == "" || company >= most-1 && best != "" && company >= leastCompany && at[k][0] < at[best][0] {
			best, most = k, max(company, most)
		}
	}
	if best == "" {
		return nil
	}
	return at[best]
}

// accompanies tells whether lines of another kind come once between each two
// heads, nearly always.
func accompanies(heads, others []int) bool {
	once := 0
	for i, h := range heads {
		end := int(^uint(0) >> 1)
		if i+1 < len(heads) {
			end = heads[i+1]
		}
		first := sort.SearchInts(others, h+1)
		after := sort.SearchInts(others, end)
		if after-first == 1 {
			once++
		}
	}
	return once*5 >= len(heads)*4
}

// cut cuts a stretch into chunks.
func (p *Planner) cut(core layout.Span, room Room) []Chunk {
	from, to := p.lineAt(core.Start), p.lineAt(core.End-1)+1
	var chunks []Chunk
	for from < to {
		left := room.Tokens - p.leadTokens(p.lines[from].start, room)
		end := p.reach(from, to, max(left, 1))
		chunks = append(chunks, p.chunk(from, end, room))
		from = end
	}
	for i := range chunks {
		chunks[i].N, chunks[i].Of = i+1, len(chunks)
	}
	return chunks
}

// reach gives the line before which a chunk that begins at from should end: of
// all that fit the last place where an entry begins, else the best place in the
// second half.
func (p *Planner) reach(from, to, most int) int {
	sum, best := 0, from
	for i := from; i < to; i++ {
		if sum += p.lines[i].cost; sum > most {
			return max(best, from+1)
		}
		next := i + 1
		if next == to {
			return to
		}
		late := sum*2 >= most || p.lines[next].place == atEntry
		if late && (best == from || p.lines[next].place >= p.lines[best].place) {
			best = next
		}
	}
	return to
}

// chunk makes the chunk of some lines, with what is shown before it.
func (p *Planner) chunk(from, to int, room Room) Chunk {
	c := Chunk{Core: layout.Span{Start: p.lines[from].start, End: p.lines[to-1].end}}
	c.Inside = from > 0 && p.lines[from].place != atEntry
	for _, s := range p.lead(from, room) {
		c.Shown = append(c.Shown, layout.Span{Start: p.lines[s[0]].start, End: p.lines[s[1]-1].end})
	}
	c.Shown = join(append(c.Shown, c.Core))
	return c
}

// join puts spans that touch together.
func join(spans []layout.Span) []layout.Span {
	out := spans[:1]
	for _, s := range spans[1:] {
		if last := &out[len(out)-1]; s.Start <= last.End {
			last.End = max(last.End, s.End)
			continue
		}
		out = append(out, s)
	}
	return out
}

// lead gives the lines that are shown before line from, as ranges in order:
// the opening of the document, that of the entry, and the overlap.
func (p *Planner) lead(from int, room Room) [][2]int {
	if from == 0 {
		return nil
	}
	left := room.Tokens / leadShare
	if room.Tokens <= 0 {
		left = 1 << 20
	}
	var ranges [][2]int
	take := func(first, most, stop int) {
		end := first
		for end < stop && end-first < most && p.lines[end].cost <= left {
			left -= p.lines[end].cost
			end++
		}
		if end > first {
			ranges = append(ranges, [2]int{first, end})
		}
	}
	first := len(p.lines)
	if len(p.starts) > 0 {
		first = p.starts[0]
	}
	inside := p.lines[from].place != atEntry
	if entry := sort.SearchInts(p.starts, from+1) - 1; inside && entry >= 0 {
		take(p.starts[entry], leadLines, from)
	}
	if head, end := p.tableHead(from); end > head {
		take(head, end-head, from)
	}
	if inside && room.Overlap > 0 {
		begin := max(from-room.Overlap, 0)
		if n := sort.SearchInts(p.starts, from+1) - 1; n >= 0 {
			begin = max(begin, p.starts[n])
		}
		take(begin, room.Overlap, from)
	}
	take(0, min(p.opening(), leadLines), min(first, from))
	sort.Slice(ranges, func(i, j int) bool { return ranges[i][0] < ranges[j][0] })
	return ranges
}

// tableHead gives the lines that head the table which a row stands in: the first
// of the rows above it, with the rule below that; nothing for a line that is no
// row, or the first.
func (p *Planner) tableHead(row int) (from, to int) {
	if !p.lines[row].row {
		return 0, 0
	}
	first := row
	for first > 0 && p.lines[first-1].row {
		first--
	}
	if row-first < 2 {
		return 0, 0
	}
	to = first + 1
	if strings.HasPrefix(p.lines[to].kind, "rule") {
		to++
	}
	return first, to
}

// opening gives how many lines open the document: its first two paragraphs.
func (p *Planner) opening() int {
	breaks := 0
	for i := 1; i < len(p.lines); i++ {
		if p.lines[i].kind == "" && p.lines[i].end-p.lines[i].start <= 1 {
			if breaks++; breaks == 2 {
				return i
			}
		}
	}
	return len(p.lines)
}

func (p *Planner) leadTokens(at int, room Room) int {
	n := 0
	for _, r := range p.lead(p.lineAt(at), room) {
		for i := r[0]; i < r[1]; i++ {
			n += p.lines[i].cost
		}
	}
	return n
}

// headed gives the heading that lines stand under, where it is near: what they
// belong to. Without one it gives the line itself.
func (p *Planner) headed(line int) int {
	for i := line; i >= 0 && line-i <= 3*leadLines; i-- {
		switch p.lines[i].place {
		case atHeading:
			return i
		case atEntry, atPage:
			return line
		}
	}
	return line
}

// Around gives a chunk for lines that no value speaks for: each with its
// paragraph, and the opening of the entry that it stands in.
func (p *Planner) Around(lines []layout.Span) Chunk {
	p.read()
	var ranges [][2]int
	for _, s := range lines {
		from, to := p.lineAt(s.Start), p.lineAt(s.End-1)+1
		begin, end := from, to
		for begin > 0 && from-begin < leadLines && p.lines[begin-1].end-p.lines[begin-1].start > 1 {
			begin--
		}
		for end < len(p.lines) && end-to < leadLines && p.lines[end].end-p.lines[end].start > 1 {
			end++
		}
		if n := sort.SearchInts(p.starts, begin+1) - 1; n >= 0 && p.starts[n] < begin {
			ranges = append(ranges, [2]int{p.starts[n], min(p.starts[n]+leadLines, begin)})
		}
		if head, below := p.tableHead(begin); below > head {
			ranges = append(ranges, [2]int{head, below})
		}
		if head := p.headed(begin); head < begin {
			end := head + 1
			for end < begin && end-head < leadLines && !p.lines[end].row {
				end++
			}
			ranges = append(ranges, [2]int{head, end})
		}
		ranges = append(ranges, [2]int{begin, end})
	}
	sort.Slice(ranges, func(i, j int) bool { return ranges[i][0] < ranges[j][0] })
	c := Chunk{N: 1, Of: 1, Only: true, Inside: true}
	for _, r := range ranges {
		c.Shown = append(c.Shown, layout.Span{Start: p.lines[r[0]].start, End: p.lines[r[1]-1].end})
	}
	c.Shown = join(c.Shown)
	c.Core = layout.Span{Start: c.Shown[0].Start, End: c.Shown[len(c.Shown)-1].End}
	return c
}
