package evidence

import (
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Signs in the rows of a list that a legend below it explains: 1,204 E with "E = elected", Rust* with
// "* treated". A row without the sign is not so.

var (
	legendEquals = lazy.New(`(?m)(?:^|[\s(;,·|])([^\s\d(;,·|=]{1,3}) ?= ?([^,;.()|\n]{2,60})`)
	legendNext   = lazy.New(`\s[^\s\d(;,·|=]{1,3} ?=`)
	legendNote   = lazy.New(`(?m)(?:^[ \t]*|[ \t]{2,})\(?([*†‡§#°+]{1,3}|\(\*\)) ?(\pL[^\n.;)]{1,60})`)
)

// mostLegend bounds how many explanations of a document are looked at.
const mostLegend = 100

// byLegend places the booleans of items by the signs in their rows, and tells which they contradict.
func (w *weigher) byLegend(h *homes) {
	if len(h.list) < 2 {
		return
	}
	var owns [][]int
	for _, f := range fieldsIn(h, isBoolean) {
		l := w.legendOf(f)
		if l.sign == "" {
			continue
		}
		if owns == nil {
			owns = w.linesOfItems(h)
		}
		marks, lines := map[int]span{}, make([]int, len(h.list))
		for i, own := range owns {
			if lines[i] = -1; len(own) > 0 {
				lines[i] = own[0]
			}
			if h.own(i) {
				lines[i] = h.at[i]
			}
			for _, line := range own {
				if s := w.signIn(w.ix.LineSpan(line), l.sign); s.End > 0 && line != w.ix.LineOf(l.at.Start) {
					marks[i] = s
				}
			}
			if len(own) > 0 {
				continue
			}
			if cell := w.cellOfName(h.list[i]); cell.End > 0 { // several in a row
				lines[i] = w.ix.LineOf(cell.Start)
				if s := w.signIn(cell, l.sign); s.End > 0 {
					marks[i] = s
				}
			}
		}
		if len(marks) > 0 {
			w.byMarks(h, f, marks, lines, l)
		}
	}
}

// fieldsIn gives the fields of a list's items that are as asked for, and not concluded.
func fieldsIn(h *homes, is func(*schema.Field) bool) (all []*schema.Field) {
	for _, it := range h.list {
		for _, l := range it.leaves {
			if is(l.f.Kin()) && !l.f.Concludes && !slices.Contains(all, l.f) {
				all = append(all, l.f)
			}
		}
	}
	return all
}

func isBoolean(f *schema.Field) bool { return f.Type == schema.Boolean }

// legendsOf gives the legends of a text, in either form, found once.
func (w *weigher) legendsOf() [][][]int {
	if w.legends == nil {
		w.legends = append(w.legends, w.legendsEqual(), legendNote.FindAllStringSubmatchIndex(w.ix.Source, mostLegend), w.legendLines())
	}
	return w.legends
}

// legendsEqual gives the places of legendEquals, one behind the other also where nothing parts them: N=new G=good.
func (w *weigher) legendsEqual() (all [][]int) {
	for from := 0; len(all) < mostLegend; {
		m := legendEquals.FindStringSubmatchIndex(w.ix.Source[from:])
		if m == nil {
			return all
		}
		for i := range m {
			m[i] += from
		}
		if next := legendNext.FindStringIndex(w.ix.Source[m[4]:m[5]]); next != nil {
			m[1], m[5] = m[4]+next[0], m[4]+next[0]
		}
		all = append(all, m)
		from = m[5]
	}
	return all
}

// mostOfItem is how many lines an item has at most that its sign is looked for in.
const mostOfItem = 8

// linesOfItems gives of each item the lines from its first to its last value, where none of another stands among them;
// else its own line, if it has one to itself.
func (w *weigher) linesOfItems(h *homes) [][]int {
	whose, ends := map[int]int{}, make([][2]int, len(h.list)) // the item of a line, -1 for several
	for i, it := range h.list {
		ends[i] = [2]int{-1, -1}
		for _, l := range it.leaves {
			at := w.places[l.path]
			if !at.Found() || at.Basis || !at.Tied && at.Rivals > 0 {
				continue
			}
			line := at.Line - 1
			if other, known := whose[line]; known && other != i {
				whose[line] = -1
			} else {
				whose[line] = i
			}
			if ends[i][0] < 0 || line < ends[i][0] {
				ends[i][0] = line
			}
			ends[i][1] = max(ends[i][1], line)
		}
	}
	all := make([][]int, len(h.list))
	for i, end := range ends {
		alone := end[0] >= 0 && end[1]-end[0] < mostOfItem && (!h.own(i) || end[0] <= h.at[i] && h.at[i] <= end[1])
		for line := end[0]; alone && line <= end[1]; line++ {
			of, known := whose[line]
			alone = !known || of == i
			all[i] = append(all[i], line)
		}
		if !alone {
			all[i] = nil
			if h.own(i) {
				all[i] = []int{h.at[i]}
			}
		}
	}
	return all
}

// legend is what a document says of the one sign that it explains by the name of a field: that it is so, or not; and
// whether it says nothing more: what has no sign with "* paid in cash" may be paid as well.
type legend struct {
	sign          string
	at            span
	whole, denies bool
}

// legendOf gives that for a field; an empty one where it explains none, or two.
func (w *weigher) legendOf(f *schema.Field) (found legend) {
	for _, legends := range w.legendsOf() {
		for _, m := range legends {
			said, _, _ := strings.Cut(w.ix.Source[m[4]:m[5]], ",") // sold out, returns only
			words := wordsOf(said)
			inAbout := len(words) > 1 && placeOf(words, wordsOf(f.About), sameNoun) >= 0      // contains nuts, of "Whether it contains nuts."
			denies := len(words) > 1 && (lang.Not.Has(words[0]) || lang.Nought.Has(words[0])) // * No reserve
			if denies {
				words = words[1:]
			}
			if slices.ContainsFunc(words, lang.Not.Has) || !slices.ContainsFunc(w.labels(f), func(name []string) bool {
				at := placeOf(name, words, sameStem)
				return at == 0 || at > 0 && inAbout
			}) {
				continue
			}
			if found.sign != "" && found.sign != w.ix.Source[m[2]:m[3]] {
				return legend{}
			}
			whole := inAbout || slices.ContainsFunc(w.labels(f), func(name []string) bool { return len(name) == len(words) })
			found = legend{w.ix.Source[m[2]:m[3]], between(m[2], m[5]), whole, denies}
		}
		if found.sign != "" {
			return found
		}
	}
	return legend{}
}

// stemLetters is how many letters the shorter one of two forms of a word has at least.
const stemLetters = 4

// sameStem tells whether two words are one in another form: full, of fully booked.
func sameStem(a, b string) bool {
	return sameNoun(a, b) || min(len(a), len(b)) >= stemLetters && max(len(a), len(b))-min(len(a), len(b)) <= 2 && (strings.HasPrefix(a, b) || strings.HasPrefix(b, a))
}

// cellOfName gives the cell that the name of an item stands in; an empty one where that is none or the name stands
// elsewhere, too.
func (w *weigher) cellOfName(it *item) span {
	l := w.nameOf(it)
	if l == nil {
		return span{}
	}
	at := w.places[l.path]
	if !at.Found() || at.Rivals > 0 {
		return span{}
	}
	return w.cellAround(at.Line-1, between(at.Start, at.End))
}

// signIn gives where a row or a cell has a sign: letters by themselves, others also right behind a word.
func (w *weigher) signIn(within span, sign string) span {
	row, start := w.ix.Source[within.Start:within.End], within.Start
	if len(row) > longestLine {
		return span{}
	}
	for from := 0; ; {
		i := strings.Index(row[from:], sign)
		if i < 0 {
			return span{}
		}
		i += from
		before, _ := utf8.DecodeLastRuneInString(row[:i])
		behind, _ := utf8.DecodeRuneInString(row[i+len(sign):])
		first, _ := utf8.DecodeRuneInString(sign)
		isWord := func(r rune) bool { return r != utf8.RuneError && (unicode.IsLetter(r) || unicode.IsDigit(r)) }
		isInitial := behind == '.' && unicode.IsLetter(first)
		if !isWord(behind) && !isInitial && (!isWord(before) || !unicode.IsLetter(first)) && (i > 0 || !unicode.IsLetter(first)) {
			return between(start+i, start+i+len(sign))
		}
		from = i + len(sign)
	}
}

// mostOfLegend is how many letters a sign has at most that a legend explains: ++, fair.
const mostOfLegend = 3

// inLegend gives the option that a document explains a sign by: ++ strongly agree, + = agree.
func (w *weigher) inLegend(f *schema.Field, sign string) string {
	source := w.ix.Source
	for at, tries := 0, 0; tries < mostCells; tries++ {
		i := strings.Index(source[at:], sign)
		if i < 0 {
			return ""
		}
		start, end := at+i, at+i+len(sign)
		at = end
		before := strings.TrimRight(source[max(0, start-2):start], " ")
		isOneOfSeveral := strings.HasPrefix(source[end:], "=") && start > 0 && source[start-1] == ' ' // N=new G=good
		if before != "" && !strings.ContainsAny(before[len(before)-1:], "(,;:\n") && !isOneOfSeveral {
			continue
		}
		rest := strings.TrimLeft(source[end:min(len(source), end+labelReach)], " \u00a0")
		if len(rest) == len(source[end:min(len(source), end+labelReach)]) && !strings.HasPrefix(rest, "=") && !strings.HasPrefix(rest, ":") {
			continue
		}
		rest = strings.TrimLeft(rest, "=:–- ")
		if stop := strings.IndexAny(rest, ",;).\n"); stop >= 0 {
			rest = rest[:stop]
		}
		if next := legendNext.FindStringIndex(rest); next != nil {
			rest = rest[:next[0]]
		}
		if option := optionNamed(f, strings.TrimSpace(rest)); option != "" {
			return option
		}
	}
	return ""
}

// leastExplained is how many different values of a field a legend behind its label has at least.
const leastExplained = 3

// explainsValues tells whether what stands behind the label of a field of a list's items is a legend of its values,
// each before what it means: Grades: A 4.0, A- 3.7, B+ 3.3.
func (u *unread) explainsValues(f *schema.Field, text string) bool {
	if !strings.Contains(f.Path, "[].") {
		return false
	}
	words := map[string]bool{}
	for _, part := range strings.FieldsFunc(text, func(r rune) bool { return strings.ContainsRune(",;.", r) }) {
		if word, means, _ := strings.Cut(strings.TrimSpace(part), " "); means != "" {
			words[strings.TrimRight(word, "=:")] = true
		}
	}
	if len(words) < leastExplained {
		return false
	}
	explained := map[string]bool{}
	u.record.Walk(func(p value.Pointer, v *value.Value) bool {
		if u.s.At(p) == f && words[v.Text] {
			explained[v.Text] = true
		}
		return true
	})
	return len(explained) >= leastExplained
}
