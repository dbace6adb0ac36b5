package reading

import (
	"sort"
	"strings"
	"sync"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
)

// Box is a box of a form, [x] or ☐, with the words that go with it and those that head its row:
// Payment: [ ] cash [x] card.
type Box struct {
	Span
	Ticked bool
	Label  Span // what it is of
	Group  Span // what it answers; empty where nothing heads it
}

type boxes struct {
	once      sync.Once
	all       []Box
	inColumns map[Span]bool // of lines that may be heads, whether what is below them is set in their columns
}

// marks are boxes, ticked or not, as a pattern.
const marks = `\[[ \x{a0}]{0,3}\]|\[ ?[xX×✓✔✗✘*] ?\]|\([ \x{a0}]{1,3}\)|\( ?[xX×✓✔✗✘] ?\)|[☐☑☒□▢■▣◯○●◉⬜✅🗹]|__*[ _]?[xX✓✔✗][ _]?__*|___*`

var (
	boxMark = lazy.New(marks)
)

// emptyBox tells whether a mark is that of a box that nobody ticked.
func emptyBox(mark string) bool {
	return strings.Trim(mark, "[]() \u00a0_") == "" || strings.ContainsAny(mark, "☐□▢◯○⬜")
}

// aboveBoxes is how long a line is at most that heads the boxes below it.
const aboveBoxes = 80

// Boxes gives the boxes of a form that stand in what is read, in order. Whether they stand before their
// words or behind them is told by their lines: one that ends in a box has them behind.
func (tx *Text) Boxes() (all []Box) {
	of := tx.boxesOfWhole()
	for _, s := range tx.Stretches {
		from := sort.Search(len(of), func(i int) bool { return of[i].Start >= s.Start })
		to := sort.Search(len(of), func(i int) bool { return of[i].Start >= s.End })
		all = append(all, of[from:max(from, to)]...)
	}
	return all
}

// boxesOfWhole finds the boxes of the whole text, once for all of its parts: what heads them may stand
// outside of a part.
func (tx *Text) boxesOfWhole() []Box {
	boxes := &tx.whole.boxes
	boxes.once.Do(func() {
		start, above, head, table := 0, Span{}, Span{}, Span{}
		for _, line := range strings.SplitAfter(tx.Source, "\n") {
			marks := tx.boxMarks(line)
			switch text := strings.TrimSpace(line); {
			case len(marks) > 0:
				r := boxRow{tx: tx, start: start, line: line, group: above, heads: []Span{table, head}}
				boxes.all = append(boxes.all, r.read(marks)...)
			case text == "":
				table = Span{}
			case strings.Trim(text, "|-:+= ") == "":
			case table.End > 0 && boxes.answers(&boxRow{tx: tx, start: start, line: line, heads: []Span{table}}):
			case len(text) <= aboveBoxes:
				above, head = tx.trimmed(Span{start, start + len(line)}), Span{start, start + len(line)}
			default:
				above, head = Span{}, Span{start, start + len(line)}
			}
			if at := (Span{start, start + len(line)}); table.End == 0 && len(marks) == 0 && len(tx.cellsOf(at)) > 1 {
				table = at
			}
			start += len(line)
		}
	})
	return boxes.all
}

// answers adds the cells of a row of a table that are a mark, or a yes or no, under the head of their column,
// and tells whether there are any.
func (b *boxes) answers(r *boxRow) bool {
	var marks []Span
	for i, c := range r.cells() {
		if word := answerIn(r.tx, c); i > 0 && (lang.Yes.Has(word) || lang.No.Has(word)) {
			marks = append(marks, Span{c.Start - r.start, c.End - r.start})
		}
	}
	if len(marks) == 0 || !r.underHeads(marks) {
		return false
	}
	for i := range r.all {
		r.all[i].Ticked = lang.Yes.Has(answerIn(r.tx, r.all[i].Span))
	}
	b.all = append(b.all, r.all...)
	return true
}

// answerIn gives the word of a cell that may be an answer.
func answerIn(tx *Text, cell Span) string {
	return strings.ToLower(strings.TrimRight(tx.Source[cell.Start:cell.End], "."))
}

// boxMarks gives the marks in a line. Blanks to be filled in count where another is crossed, round marks
// where there are several, and full squares where the text has empty ones: they are bullets otherwise.
func (tx *Text) boxMarks(line string) (marks []Span) {
	if !strings.ContainsAny(line, "[(_☐☑☒□▢■▣◯○●◉⬜✅🗹") {
		return nil
	}
	round, crossed := strings.Count(line, "○")+strings.Count(line, "●")+strings.Count(line, "◯")+strings.Count(line, "◉"), false
	for _, m := range boxMark.FindAllStringIndex(line, -1) {
		mark := line[m[0]:m[1]]
		crossed = crossed || mark[0] == '_' && !emptyBox(mark)
	}
	for _, m := range boxMark.FindAllStringIndex(line, -1) {
		mark := line[m[0]:m[1]]
		switch {
		case mark[0] == '_' && !crossed, strings.ContainsAny(mark, "○●◯◉") && round < 2, strings.ContainsAny(mark, "■▣") && !strings.ContainsAny(tx.Source, "□▢☐"):
			continue
		case mark[0] == '(' && m[0] > 0 && IsWordRune(rune(line[m[0]-1])): // f(x)
			continue
		}
		marks = append(marks, Span{m[0], m[1]})
	}
	return marks
}

// boxRow is a line with boxes.
type boxRow struct {
	tx    *Text
	start int // of the line in the source
	line  string
	group Span
	heads []Span // lines above that may head its columns: the first of the table, the last without boxes
	all   []Box
}

func (r *boxRow) cells() []Span { return r.tx.cellsOf(Span{r.start, r.start + len(r.line)}) }

// read gives the boxes of a line; none where one of them has no words, since then it is not told whose the
// others are.
func (r *boxRow) read(marks []Span) []Box {
	if all := r.bySection(marks); all != nil {
		return all
	}
	if all := r.readAll(marks); len(all) == len(marks) {
		return all
	}
	return nil
}

// labelledBox is a label behind a wide gap, with its boxes: Smoker: [ ] yes [x] no   Pets: [ ].
var labelledBox = lazy.New(`(?:   *|\t)\pL[^:\[\](){}☐☑☒□▣■○●|]{0,40}:(?: *|(?: [^\s:\[\](){}☐☑☒□▣■○●|]+){1,4} ?)[\[(☐☑☒□▣■○●]`)

// bySection reads a line of several labels with boxes, each by itself, since some have their words before
// them and some behind them; nil where it is not all of such.
func (r *boxRow) bySection(marks []Span) (all []Box) {
	at := labelledBox.FindAllStringIndex(r.line, -1)
	if len(at) == 0 {
		return nil
	}
	from := 0
	for i := range len(at) + 1 {
		to := len(r.line)
		if i < len(at) {
			to = at[i][0]
		}
		var own []Span
		for len(marks) > 0 && marks[0].End <= to {
			own, marks = append(own, Span{marks[0].Start - from, marks[0].End - from}), marks[1:]
		}
		one := boxRow{tx: r.tx, start: r.start + from, line: r.line[from:to]}
		if len(own) == 0 || own[0].Start < 0 || len(one.readAll(own)) < len(own) {
			return nil
		}
		all, from = append(all, one.all...), to
	}
	return all
}

func (r *boxRow) readAll(marks []Span) []Box {
	last := marks[len(marks)-1]
	if r.underHeads(marks) {
		return r.all
	}
	if hasLetter(r.line[:marks[0].Start]) && !hasLetter(r.line[last.End:]) {
		from := 0
		for _, m := range marks {
			r.behind(Span{from, m.Start}, m)
			from = m.End
		}
		return r.all
	}
	if parts := r.parts(Span{0, marks[0].Start}); len(parts) > 0 {
		r.group = parts[len(parts)-1]
	}
	for i, m := range marks {
		to := len(r.line)
		if i+1 < len(marks) {
			to = marks[i+1].Start
		}
		r.before(m, Span{m.End, to}, i+1 == len(marks))
	}
	return r.all
}

// behind adds a box that stands behind its words: Smoker: yes [ ] no [x].
func (r *boxRow) behind(words, mark Span) {
	parts := r.parts(words)
	if len(parts) == 0 {
		return
	}
	label := parts[len(parts)-1]
	if len(parts) > 1 {
		r.group = parts[len(parts)-2]
	}
	if i := strings.LastIndex(r.tx.Source[label.Start:label.End], ":"); i > 0 {
		r.group = r.tx.trimmed(Span{label.Start, label.Start + i})
		label = r.tx.trimmed(Span{label.Start + i + 1, label.End})
	}
	r.add(mark, label)
}

// before adds a box that stands before its words. What stands apart behind them heads the next boxes.
func (r *boxRow) before(mark, words Span, last bool) {
	parts := r.parts(words)
	if len(parts) == 0 {
		return
	}
	label, next := parts[0], parts[len(parts)-1]
	text := r.tx.Source[label.Start:label.End]
	if i := strings.Index(text, ". "); last && i > 0 {
		label.End = label.Start + i
	}
	word, rest, two := strings.Cut(text, " ")
	low, heads := strings.ToLower(word), strings.HasSuffix(strings.TrimSpace(r.line[words.Start:words.End]), ":")
	if two && (lang.Yes.Has(low) || lang.No.Has(low)) && (len(parts) == 1 && !last && heads || last && r.answered()) {
		next = r.tx.trimmed(Span{label.End - len(rest), label.End}) // no Allergies: [x] yes
		label.End = label.Start + len(word)
	}
	r.add(mark, label)
	if next.Start > label.Start {
		r.group = next
	}
}

// answered tells whether the box before is of a yes or no: what is behind the next one's is of neither.
func (r *boxRow) answered() bool {
	if len(r.all) == 0 {
		return false
	}
	word := answerIn(r.tx, r.all[len(r.all)-1].Label)
	return lang.Yes.Has(word) || lang.No.Has(word)
}

func (r *boxRow) add(mark, label Span) {
	if label.End > label.Start {
		r.all = append(r.all, Box{Span{r.start + mark.Start, r.start + mark.End}, !emptyBox(r.line[mark.Start:mark.End]), label, r.group})
	}
}

// parts gives the cells of a stretch of the line that have letters, by their places in the source.
func (r *boxRow) parts(of Span) (all []Span) {
	from := of.Start
	add := func(to int) {
		if s := r.tx.trimmed(Span{r.start + from, r.start + to}); s.End > s.Start && hasLetter(r.tx.Source[s.Start:s.End]) {
			all = append(all, s)
		}
	}
	for _, m := range cellGaps(r.line[of.Start:of.End]) {
		add(of.Start + m.Start)
		from = of.Start + m.End
	}
	add(of.End)
	return all
}

// trimmed gives a stretch without what leads to it or away from it: blanks, colons, dots, dashes.
func (tx *Text) trimmed(s Span) Span {
	text := tx.Source[s.Start:s.End]
	s.Start += len(text) - len(strings.TrimLeftFunc(text, leads))
	s.End = s.Start + len(strings.TrimRightFunc(tx.Source[s.Start:max(s.Start, s.End)], leads))
	return s
}

func leads(r rune) bool { return unicode.IsSpace(r) || strings.ContainsRune(":.,;-–—_*#…·/", r) }

func hasLetter(s string) bool { return strings.ContainsFunc(s, IsWordRune) }
