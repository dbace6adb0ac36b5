// Package layout puts the words of a page into the order in which a person
// reads them, and makes one text of them.
//
// Rules it keeps:
//
//   - Only the boxes count. The order in which an engine lists its words, and
//     the lines and blocks it makes of them, are not trusted.
//   - Lines are words that overlap in height; columns are told by the white
//     between them; where the pieces on both sides of the white stand row by
//     row, it is a table and is read across.
//   - A page may be turned by a few degrees. Boxes stay as the engine gave
//     them; only the computation turns them straight.
//   - No word is lost, and every word has its offsets: the text at them is the
//     word. A word that was broken at a line's end is two words that touch, the
//     first without its hyphen.
//
// A box is [x0, y0, x1, y1] in page pixels, origin top left.
package layout

import (
	"cmp"
	"math"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"unicode"
	"unicode/utf8"
)

// Doubtful is the confidence below which a word is marked where it is shown.
const Doubtful = 60

// NoConfidence is the confidence of a word whose engine gives none.
const NoConfidence = -1

// Box is a place on a page: x0, y0, x1, y1 in pixels.
type Box [4]int

// Union gives the smallest box that holds both.
func (b Box) Union(o Box) Box {
	if b == (Box{}) {
		return o
	}
	return Box{min(b[0], o[0]), min(b[1], o[1]), max(b[2], o[2]), max(b[3], o[3])}
}

// Word is one word as its engine saw it.
type Word struct {
	Text       string
	Box        Box
	Confidence int // 0 to 100, or NoConfidence
}

// Page is one page of words, in whatever order.
type Page struct {
	Width, Height int
	DPI           int // pixels an inch; 0 where not known
	Turned        int // by how many quarters, clockwise, its picture was turned before it was read
	Words         []Word
	Text          string // what is on the page, where nobody knows the places; then there are no Words
}

// Placed is a word in the text.
type Placed struct {
	Word
	Start, End int // bytes of the text; Text[Start:End] is what stands there
	Page       int // from 1
	Line       int // index into Lines
	Joined     bool
	// Joined: the word was broken at the line's end and goes on in the next
	// word. Word.Text has the hyphen, the text has not.
}

// Line is a visual line, or the part of one that lies in one column.
type Line struct {
	Page       int
	Box        Box
	First, Len int  // of Words
	Running    bool // a head or foot that many pages have
	Block      int  // lines of one block belong together: a paragraph, a table
	row        int  // lines of one block and row stand side by side
	column     int  // of a table
	full       bool // the line goes on in the next one
	line       *line
}

// Text is what pages say, with a map from every offset to its word.
type Text struct {
	Text    string
	Words   []Placed // in the order of the text
	Lines   []Line   // in reading order
	Pages   []Page   // without their words
	Skew    []float64
	Dropped []Dropped // running heads and feet that were left out, in order
	Down    int       // pages whose lines run from top to bottom

	blocks []block
}

// Dropped is a running head or foot that was left out: how it first stands, and on how
// many pages.
type Dropped struct {
	Text  string
	Pages int
}

// Options say how a text is made.
type Options struct {
	DropRunning bool // leave running heads and foots out
}

// Make reads pages into one text. Words that hold nothing are left out.
func Make(pages []Page, opt Options) *Text {
	t := &Text{}
	m := &maker{Text: t}
	for i, one := range ordered(pages) {
		m.blocks = append(m.blocks, one.blocks...)
		t.Skew = append(t.Skew, one.skew)
		if one.down {
			t.Down++
		}
		t.Pages = append(t.Pages, Page{Width: pages[i].Width, Height: pages[i].Height, DPI: pages[i].DPI, Turned: pages[i].Turned})
	}
	m.markRunning()
	m.write(opt)
	return t
}

// page is one page, put in order.
type page struct {
	blocks []block
	skew   float64 // degrees
	down   bool    // its lines run from top to bottom
}

// ordered puts each page in order, several at a time: they know nothing of each
// other.
func ordered(pages []Page) []page {
	done := make([]page, len(pages))
	var next atomic.Int64
	var wait sync.WaitGroup
	for range min(runtime.GOMAXPROCS(0), len(pages)) {
		wait.Go(func() {
			for i := next.Add(1) - 1; i < int64(len(pages)); i = next.Add(1) - 1 {
				done[i] = orderPage(int(i)+1, &pages[i])
			}
		})
	}
	wait.Wait()
	return done
}

// item is a word while its page is put in order; its box is turned straight.
type item struct {
	word           *Word
	x0, y0, x1, y1 float64
	size           float64 // em, once it is known
	stroke         bool    // a ruled line that the engine took for a letter
}

func (it *item) mid() float64    { return (it.y0 + it.y1) / 2 }
func (it *item) height() float64 { return it.y1 - it.y0 }

// kind says how a block is read.
type kind int

const (
	lines kind = iota // one line after the other
	prose             // lines that go on in the next
	table             // rows of cells
)

// block is lines that belong together.
type block struct {
	kind  kind
	page  int
	x0    float64 // of the region it stands in
	x1    float64
	rows  []row
	size  float64 // the height of its words
	after float64 // white above it, in heights
}

// row is what stands side by side; cells hold the lines of each column.
type row struct {
	cells []cell
	gap   float64 // white above the row, in pitches of the block
}

type cell struct {
	column int
	lines  []line
}

// line is words from left to right.
type line struct {
	words []*item
	x0    float64
	y0    float64
	x1    float64
	y1    float64

	running bool
}

func (l *line) mid() float64 { return (l.y0 + l.y1) / 2 }

// letters counts the characters of a line, a space for each gap.
func (l *line) letters() int {
	n := len(l.words) - 1
	for _, w := range l.words {
		n += utf8.RuneCountInString(w.word.Text)
	}
	return n
}

// orderPage puts one page in order.
func orderPage(number int, p *Page) page {
	if len(p.Words) == 0 && p.Text != "" {
		return verbatim(number, p.Text)
	}
	words := p.Words
	down := fallen(words)
	if down != nil {
		words = down
	}
	items := make([]item, 0, len(words))
	for i := range words {
		w := &words[i]
		if isBlank(w.Text) {
			continue
		}
		items = append(items, item{word: w, x0: float64(w.Box[0]), y0: float64(w.Box[1]), x1: float64(max(w.Box[2], w.Box[0]+1)), y1: float64(max(w.Box[3], w.Box[1]+1)), stroke: isStroke(w.Text)})
	}
	if down != nil {
		lay(items, p.Width)
	}
	angle := skewOf(items)
	if angle != 0 && down == nil {
		straighten(items, angle, float64(p.Width), float64(p.Height))
	}
	s := &sheet{size: medianHeight(items), rtl: rightToLeft(items)}
	refs := make([]*item, len(items))
	setSizes(items)
	for i := range items {
		refs[i] = &items[i]
	}
	slices.SortFunc(refs, byMiddle)
	s.em = emOf(refs)
	s.order(refs, 0)
	for i := range s.blocks {
		s.blocks[i].page = number
	}
	return page{s.blocks, angle * 180 / math.Pi, down != nil}
}

// byMiddle is the order in which items are kept, so that it need not be made
// again for every region.
func byMiddle(a, b *item) int {
	return cmp.Or(cmp.Compare(a.mid(), b.mid()), cmp.Compare(a.x0, b.x0), cmp.Compare(a.word.Text, b.word.Text))
}

// verbatim takes a page as its text stands. The words' places are made up for
// the computation alone; their boxes are empty.
func verbatim(number int, text string) page {
	const wide, high, step = 6, 10, 20
	var out page
	fresh := true
	for n, l := range strings.Split(text, "\n") {
		var ln line
		column := 0
		for _, part := range strings.SplitAfter(l, " ") {
			if w := strings.TrimSpace(part); w != "" {
				ln.words = append(ln.words, &item{word: &Word{Text: w, Confidence: NoConfidence}, x0: float64(column * wide), x1: float64((column + utf8.RuneCountInString(w)) * wide), y0: float64(n * step), y1: float64(n*step + high)})
			}
			column += utf8.RuneCountInString(part)
		}
		if len(ln.words) == 0 {
			fresh = true
			continue
		}
		if fresh {
			out.blocks = append(out.blocks, block{kind: lines, page: number, size: high, x1: 1 << 20})
			fresh = false
		}
		ln.y0, ln.y1 = float64(n*step), float64(n*step+high)
		ln.settle(false)
		b := &out.blocks[len(out.blocks)-1]
		b.rows = append(b.rows, row{cells: []cell{{lines: []line{ln}}}})
	}
	return out
}

func isBlank(s string) bool {
	for _, r := range s {
		if !unicode.IsSpace(r) {
			return false
		}
	}
	return true
}

// reach tells what the letters of a word reach to, as the share of its em that
// its box is high: above, below, both or neither.
func reach(word string) float64 {
	above, below := false, false
	for _, r := range word {
		switch {
		case strings.ContainsRune("gpqyj,;()[]{}|/§", r):
			below = true
			above = above || strings.ContainsRune("()[]{}|/§", r)
		case r == 'Q':
			above, below = true, true
		case unicode.IsUpper(r) || unicode.IsDigit(r) || strings.ContainsRune("bdfhkltiß", r) || r > 0x2ff:
			above = true
		}
	}
	switch {
	case above && below:
		return 0.94
	case above || below:
		return 0.73
	}
	return 0.52
}

// setSizes computes the size of every item's letters. Where boxes are as high as
// their line whatever stands in them, the height is the size.
func setSizes(items []item) {
	var low, tall []float64
	for i := range items {
		switch of := reach(items[i].word.Text); {
		case utf8.RuneCountInString(items[i].word.Text) < 2:
		case of < 0.6:
			low = append(low, items[i].height())
		default:
			tall = append(tall, items[i].height())
		}
	}
	fitted := len(low) == 0 || len(tall) == 0 || median(low) < 0.85*median(tall)
	for i := range items {
		items[i].size = items[i].height() / 0.73
		if fitted {
			items[i].size = items[i].height() / reach(items[i].word.Text)
		}
	}
}

// isStroke tells what engines make of the rules of a table.
func isStroke(s string) bool { return strings.Trim(s, "|¦_—│┃") == "" }

// medianHeight is the size by which all white is measured.
func medianHeight(items []item) float64 {
	heights := make([]float64, 0, len(items))
	for i := range items {
		if utf8.RuneCountInString(items[i].word.Text) > 1 {
			heights = append(heights, items[i].height())
		}
	}
	if len(heights) == 0 {
		for i := range items {
			heights = append(heights, items[i].height())
		}
	}
	return max(median(heights), 1)
}

// emOf gives the usual size of letters.
func emOf(items []*item) float64 {
	var ems []float64
	for _, it := range items {
		if utf8.RuneCountInString(it.word.Text) > 1 || len(items) == 1 {
			ems = append(ems, it.size)
		}
	}
	return max(median(ems), 1)
}

func medianOf(items []*item) float64 {
	heights := make([]float64, len(items))
	for i, it := range items {
		heights[i] = it.height()
	}
	return median(heights)
}

func median(of []float64) float64 {
	if len(of) == 0 {
		return 0
	}
	slices.Sort(of)
	return of[len(of)/2]
}

// rightToLeft tells a page in a script that runs to the left.
func rightToLeft(items []item) bool {
	left, right := 0, 0
	for i := range items {
		for _, r := range items[i].word.Text {
			switch {
			case unicode.In(r, unicode.Hebrew, unicode.Arabic, unicode.Syriac, unicode.Thaana):
				right++
			case unicode.IsLetter(r):
				left++
			}
		}
	}
	return right > left
}
