package layout

import (
	"math"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// column is what can be said of one side of a gutter.
type column struct {
	lines  []line
	width  float64
	x1     float64
	full   float64 // share of lines that fill the column
	words  float64 // words a line
	lower  float64 // share of lines, but the first, that begin with a small letter
	cased  bool    // the script has small letters
	pitch  float64
	starts []float64 // where groups of lines begin: after white, or at the top
}

func (s *sheet) measure(items []*item) column {
	c := column{lines: s.linesOf(items)}
	if len(c.lines) == 0 {
		return c
	}
	x0, _, x1, _ := extent(items)
	c.width, c.x1, c.pitch = x1-x0, x1, s.pitch(c.lines)
	full, lower, words := 0, 0, 0
	for i, l := range c.lines {
		words += len(l.words)
		if l.x1-l.x0 >= 0.8*c.width {
			full++
		}
		first, _ := utf8.DecodeRuneInString(l.words[0].word.Text)
		c.cased = c.cased || unicode.IsLower(first) || unicode.IsUpper(first)
		if i > 0 && unicode.IsLower(first) {
			lower++
		}
		if i == 0 || l.mid()-c.lines[i-1].mid() > 1.3*s.tight(c.lines) {
			c.starts = append(c.starts, l.mid())
		}
	}
	n := float64(len(c.lines))
	c.full, c.words = float64(full)/n, float64(words)/n
	if len(c.lines) > 1 {
		c.lower = float64(lower) / (n - 1)
	}
	return c
}

// tight gives the pitch of lines that belong together: the lower quarter.
func (s *sheet) tight(ls []line) float64 {
	var steps []float64
	for i := 1; i < len(ls); i++ {
		if d := ls[i].mid() - ls[i-1].mid(); d > 0.5*s.size {
			steps = append(steps, d)
		}
	}
	if len(steps) == 0 {
		return 1.6 * s.size
	}
	slices.Sort(steps)
	return steps[len(steps)/4]
}

// isProse tells lines of running text: they fill their column, and go on in
// the next line in the middle of a sentence.
func (c *column) isProse() bool {
	return len(c.lines) >= 3 && c.words >= 3.5 && (c.full >= 0.5 && (c.lower >= 0.25 || !c.cased) || c.full >= 0.3 && c.lower >= 0.5)
}

// isNarrow tells running text in a column of two or three words.
func (c *column) isNarrow() bool {
	return len(c.lines) >= 2 && c.words >= 1.4 && c.full >= 0.3 && (c.lower >= 0.4 || len(c.lines) >= 3 && c.lower >= 0.3)
}

// partners gives the share of a's lines that have a line of b beside them.
func (s *sheet) partners(a, b []line) float64 {
	n, j := 0, 0
	for i := range a {
		for j < len(b) && b[j].mid() < a[i].mid()-0.4*s.size {
			j++
		}
		if j < len(b) && math.Abs(b[j].mid()-a[i].mid()) <= 0.4*s.size {
			n++
		}
	}
	return float64(n) / float64(max(len(a), 1))
}

// areColumns tells two columns of text, to be read one after the other, from
// two columns of a table, which are read across.
func (s *sheet) areColumns(a, b column) bool {
	if len(a.lines) == 0 || len(b.lines) == 0 {
		return false
	}
	few, many := &a, &b
	if len(b.lines) < len(a.lines) {
		few, many = &b, &a
	}
	if isIndex(a.lines, b.lines) {
		return true
	}
	if s.inRows(a, b) || s.areRows(a, b) {
		return false
	}
	aligned := s.partners(few.lines, many.lines)
	if len(few.lines) >= 2 && aligned < 0.5 {
		return true
	}
	proseA, proseB := a.isProse(), b.isProse()
	narrowA, narrowB := proseA || a.isNarrow(), proseB || b.isNarrow()
	switch {
	case proseA && proseB:
		return true
	case proseA || proseB:
		// Text with something short beside each of its lines, and no more
		// than that, is a column of wordy cells.
		return narrowA && narrowB || min(s.partners(a.lines, b.lines), s.partners(b.lines, a.lines)) < 0.85
	case narrowA && narrowB:
		return true
	case narrowA || narrowB:
		return aligned < 0.75
	}
	return false
}

// leastIndex is how many lines each side of an index has at least.
const leastIndex = 4

// isIndex tells an index in two columns: on both sides entries with the numbers of
// their pages behind them, and all of them, the right side's behind the left's, in the
// order of the alphabet.
func isIndex(a, b []line) bool {
	if len(a) < leastIndex || len(b) < leastIndex {
		return false
	}
	last, entries, all := "", 0, 0
	for _, side := range [][]line{a, b} {
		for _, l := range side {
			all++
			first := l.words[0].word.Text
			numbers := strings.TrimRight(l.words[len(l.words)-1].word.Text, ",;.")
			if len(l.words) < 2 || strings.Trim(numbers, "0123456789–-f") != "" || !strings.ContainsFunc(first, unicode.IsLetter) {
				continue // goes on from the line before, or stands below an entry
			}
			entries++
			word := strings.ToLower(first)
			if word < last {
				return false
			}
			last = word
		}
	}
	return entries*5 >= all*4
}

// areRows tells rows of single lines that stand side by side, further apart than lines
// of running text are set.
func (s *sheet) areRows(a, b column) bool {
	if min(len(a.lines), len(b.lines)) < 3 || min(s.partners(a.lines, b.lines), s.partners(b.lines, a.lines)) < 0.85 {
		return false
	}
	return min(s.tight(a.lines), s.tight(b.lines)) >= rowPitch*s.em
}

// rowPitch is from which pitch on, in letters' sizes, lines are rows: text is set at
// 1.1 to 1.5, typewritten at up to 2.
const rowPitch = 1.75

// inRows tells rows whose cells run over several lines: the groups of lines on
// both sides begin side by side.
func (s *sheet) inRows(a, b column) bool {
	few, many := a.starts, b.starts
	if len(many) < len(few) {
		few, many = many, few
	}
	met := 0
	for _, y := range few {
		for _, z := range many {
			if math.Abs(y-z) <= 0.5*s.size {
				met++
				break
			}
		}
	}
	if len(few) >= 3 && float64(met) >= 0.8*float64(len(few)) && len(few)*5 >= len(many)*3 {
		return true
	}
	// Marks in the margin: each line on the left names what begins beside it.
	return len(a.lines) >= 2 && len(b.starts) >= 2 && isMarks(a.lines) && s.startsBeside(a.lines, b.starts)
}

func (s *sheet) startsBeside(marks []line, starts []float64) bool {
	for i := range marks {
		if !slices.ContainsFunc(starts, func(y float64) bool { return math.Abs(y-marks[i].mid()) <= 0.5*s.size }) {
			return false
		}
	}
	return true
}

// isMarks tells numbers of clauses, bullets and short labels.
func isMarks(ls []line) bool {
	for i := range ls {
		if len(ls[i].words) > 3 || ls[i].letters() > 24 {
			return false
		}
	}
	return true
}

// isBullet tells the mark of an item at the start of a line.
func isBullet(s string) bool {
	if strings.Trim(s, "-–—•*·▪○●■□☐☑>") == "" {
		return true
	}
	body := strings.TrimRight(strings.TrimLeft(s, "("), ".)")
	return len(body) < len(s) && len(body) <= 3 && strings.Trim(body, "0123456789") == ""
}
