package evidence

import (
	"slices"
	"strings"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Booleans that documents say by another word than their name: Pass or Fail under Result for passed,
// unpaid for paid, a mark behind an item.

// otherWords gives where words stand that mean what a boolean of one word is called, or deny it: failed, unpaid.
func (w *weigher) otherWords(name string) (found []mention) {
	name = strings.ToLower(name)
	if name == "" || strings.Contains(name, " ") {
		return nil
	}
	means := map[string]int{} // by the word: 1 what the name says, -1 the opposite, 0 only what is denied, 2 nothing
	for i, t := range w.ix.Tokens {
		says, known := means[t.Word]
		if !known {
			says = 2
			if b, is := normalize.Means(name, t.Word); is && b && lang.Verdict.Has(t.Word) && t.Word != name {
				says = 1
			} else if is && !b {
				says = -1
			} else if isKin(name, t.Word) {
				says = 0
			}
			means[t.Word] = says
		}
		if says == 2 || len(found) >= mostMentions || says > 0 && i > 0 && len(w.ix.Tokens[i-1].Word) < 4 && strings.Trim(w.ix.Tokens[i-1].Word, "0123456789") == "" { // 3 passes
			continue
		}
		if says == 0 && !w.isNone(i) {
			continue
		}
		m := mention{span: t.Span, denial: w.denialOf(t.Span, 1), other: true}
		if m.denial != reading.Said && w.startsOver(i) {
			m.denial = reading.Said
		}
		switch {
		case says == 0:
			m.denial = reading.Denied
		case says > 0 || m.denial == reading.Unsure:
		case m.denial == reading.Said:
			m.denial = reading.Denied
		default:
			m.denial = reading.Said
		}
		found = append(found, m)
	}
	return found
}

// isNone tells a word right behind one that says that there is none of it: no sedation, for sedated.
func (w *weigher) isNone(i int) bool {
	if i == 0 || w.ix.Source[w.ix.Tokens[i-1].End:w.ix.Tokens[i].Start] != " " {
		return false
	}
	before := w.ix.Tokens[i-1].Word
	return lang.Nought.Has(before) || lang.Lacking.Has(before)
}

// mostBefore is how many words before another one may deny it.
const mostBefore = 5

// startsOver tells whether a comma or an "and" parts a word from what denies something before it: it held without
// creep, and passes.
func (w *weigher) startsOver(i int) bool {
	parted := false
	for k := i - 1; k >= 0 && k >= i-mostBefore; k-- {
		gap := w.ix.Source[w.ix.Tokens[k].End:w.ix.Tokens[k+1].Start]
		word := w.ix.Tokens[k].Word
		parted = parted || strings.Contains(gap, ",") || lang.ListAnd.Has(word)
		if lang.Not.Has(word) || lang.Nought.Has(word) || lang.Lacking.Has(word) {
			return parted
		}
	}
	return false
}

// verdictsInRows looks in their own lines for the cells that say what booleans of items are by another word
// than yes and no: those that say what the record does are their places, others speak against it.
func (w *weigher) verdictsInRows(h *homes) {
	for i, it := range h.list {
		if !h.own(i) {
			continue
		}
		for _, l := range it.leaves {
			at := w.places[l.path]
			if l.fixed != nil || l.f.Kin().Type != schema.Boolean || at.Found() || at.Opposed > 0 {
				continue
			}
			switch says, s := w.verdictIn(it, l.f, h.at[i]); {
			case s.End == 0:
			case says == (l.value == "true"):
				w.restate(l, s)
			case !l.f.Concludes:
				w.places[l.path] = Place{Kind: l.lacking, Opposed: h.at[i] + 1, Says: s}
			}
		}
	}
}

// verdictIn gives the cells of an item's line that say what a boolean is, if all of them say the same, and the
// first of them.
func (w *weigher) verdictIn(it *item, f *schema.Field, line int) (says bool, at span) {
	row, start, _ := w.ix.rowAt(line)
	if len(row) > longestLine {
		return false, span{}
	}
	cells := cellsIn(row)
	if len(cells) < 2 {
		return w.markIn(it, row, start)
	}
	for _, c := range cells {
		s := between(start+c[0], start+c[1])
		b, known := w.meansIn(it, f, s)
		switch {
		case !known || w.isRead(it, s):
		case at.End > 0 && b != says:
			return false, span{}
		case at.End == 0:
			says, at = b, s
		}
	}
	return says, at
}

// meansIn reads a cell of an item's row for a boolean: by the boolean's own words, unless another field heads
// the column; by words of how a test went where such a word heads it, and no other boolean could be meant.
func (w *weigher) meansIn(it *item, f *schema.Field, cell span) (b, known bool) {
	said := w.ix.Source[cell.Start:cell.End]
	head := w.topOf(cell)
	if head != "" && !w.isCalled(f, head) && w.isSibling(f, head) {
		return false, false
	}
	own, verdict := w.headsBoolean(f, head), lang.Verdict.Meaning(f.SpokenName())
	if b, known = w.goesOn(f, head, said); known {
		return b, true
	}
	if b, known = meansFor(f, said); known {
		isForeign := !own && head != "" && !lang.Outcome.Has(head)
		switch {
		case normalize.Opposite(folded(said), f.SpokenName()) && w.isUnderForeign(f, cell), isForeign && isVerdict(said) && w.booleansOf(it) > 1:
			return false, false
		}
		return b, true
	}
	if !own && (w.booleansOf(it) > 1 || letters(said) == 1 || head != "" && (!lang.Outcome.Has(head) || verdict == "")) {
		return false, false
	}
	if b, known = w.ticks(said); !known {
		b, known = normalize.YesNo(strings.ToLower(said))
	}
	if own && strings.Trim(said, "-–— ") == "" {
		return false, true
	}
	if own && !known && verdict == "" {
		return isInOrder(said)
	}
	return b == (own || head == "" || verdict == "good"), known
}

// headsBoolean tells whether a head is that of a boolean: its label, the beginning of its name, or kin to that, and
// not called like another field.
func (w *weigher) headsBoolean(f *schema.Field, head string) bool {
	word, name := folded(head), folded(f.SpokenName())
	switch {
	case w.isCalled(f, head):
		return true
	case w.isSibling(f, head) || utf8.RuneCountInString(word) < shortestRoot-1 || strings.Contains(word+name, " "):
		return false
	}
	return strings.HasPrefix(name, word) || isKin(name, word)
}

// goesOn reads a cell that goes on with the name of a boolean which its head begins: non vue under Reine, for
// reine_vue.
func (w *weigher) goesOn(f *schema.Field, head, said string) (b, known bool) {
	rest, ok := strings.CutPrefix(folded(f.SpokenName()), folded(head)+" ")
	if head == "" || !ok {
		return false, false
	}
	if b, known = normalize.Means(rest, said); !known && folded(said) == rest {
		return true, true
	}
	return b, known
}

// meansFor reads a cell for a boolean by its own words, or what stands before a comma in it: not passed, blocked.
func meansFor(f *schema.Field, said string) (b, known bool) {
	if b, known = normalize.Means(f.SpokenName(), said); known {
		return b, known
	}
	first, _, ok := strings.Cut(said, ",")
	if !ok {
		return false, false
	}
	return normalize.Means(f.SpokenName(), first)
}

// isVerdict tells words that say how a test went, of whatever: i.O., not OK.
func isVerdict(said string) bool {
	word := strings.ToLower(strings.Trim(said, " .[]"))
	if first, rest, ok := strings.Cut(word, " "); ok && lang.Not.Has(first) {
		word = rest
	}
	return lang.Verdict.Has(word)
}

// isInOrder reads words under a boolean's own head that say that something is as it should be, or is not: i.O.,
// seal: broken.
func isInOrder(said string) (b, known bool) {
	word := folded(said)
	if lang.Affirmed.Has(word) || lang.Missing.Has(word) {
		return lang.Affirmed.Has(word), true
	}
	if b, known = normalize.Means("ok", said); known {
		return b, known
	}
	return normalize.Means("intact", said)
}

// isUnderForeign tells whether something else heads the column of a cell than a boolean, or how things are: wet
// under Weather, for dry.
func (w *weigher) isUnderForeign(f *schema.Field, cell span) bool {
	head := w.topOf(cell)
	return head != "" && !w.isCalled(f, head) && !lang.Outcome.Has(head) && lang.Verdict.Meaning(f.SpokenName()) == ""
}

// Marks that say yes and no, where both are used.
const (
	tickMarks  = "✓✔✅☑"
	crossMarks = "✗✘❌☒"
)

// ticks reads a mark for yes or no; a cross, which may be a tick as well, where the document has ticks, too.
func (w *weigher) ticks(said string) (yes, known bool) {
	mark := strings.Trim(said, " ()[]")
	if _, size := utf8.DecodeRuneInString(mark); mark == "" || size < len(mark) || size < 3 {
		return false, false
	}
	if w.crossed == nil {
		both := strings.ContainsAny(w.ix.Source, tickMarks) && strings.ContainsAny(w.ix.Source, crossMarks)
		w.crossed = &both
	}
	yes = strings.Contains(tickMarks, mark)
	return yes, yes || *w.crossed && strings.Contains(crossMarks, mark)
}

// markIn reads the one mark in an item's line for the only boolean that its items have.
func (w *weigher) markIn(it *item, row string, start int) (says bool, at span) {
	if w.booleansOf(it) > 1 || !strings.ContainsAny(row, tickMarks+crossMarks) {
		return false, span{}
	}
	for _, word := range strings.Fields(row) {
		yes, known := w.ticks(word)
		switch {
		case !known:
		case at.End > 0:
			return false, span{}
		default:
			s := start + strings.Index(row, word)
			says, at = yes, between(s, s+len(word))
		}
	}
	return says, at
}

// topOf gives the head of the column that a cell of words stands in: what stands over it in the first row of its
// table, where that has no figures.
func (w *weigher) topOf(cell span) string {
	line := w.ix.LineOf(cell.Start)
	top := w.topRow(line)
	if top < 0 {
		return ""
	}
	row, start, _ := w.ix.rowAt(line)
	head, _, _ := w.ix.rowAt(top)
	if len(head) > longestLine {
		return ""
	}
	if sign := cellSign(head); sign != "" {
		if nth, all := strings.Count(row[:cell.Start-start], sign), strings.Split(head, sign); nth < len(all) {
			return strings.TrimSpace(all[nth])
		}
		return ""
	}
	if under := headCells(row, head, [][2]int{{cell.Start, cell.End}}, start); under != nil {
		return cellsOf(head)[under[0]]
	}
	return ""
}

// topRow gives the first row of the table that a line is of, unless it has figures; -1 for none.
func (w *weigher) topRow(line int) int {
	var below []int
	top := -1
	for at := line; at >= 0; at-- {
		if known, is := w.tops[at]; is {
			top = known
			break
		}
		row, _, _ := w.ix.rowAt(at)
		below = append(below, at)
		if len(row) > longestLine || len(cellsIn(row)) < 2 && !isRule(row) && (strings.TrimLeft(row, " ") == row || blank(row)) {
			break // what is set in goes on with the row above it
		}
		if len(cellsIn(row)) < 2 {
			continue
		}
		if top = -1; at < line && !isRule(row) && (!hasFigure(row) || w.isOverRule(at)) {
			top = at
			if w.namesFields(row) {
				break
			}
		}
	}
	if w.tops == nil {
		w.tops = map[int]int{}
	}
	for _, at := range below {
		w.tops[at] = top
	}
	return top
}

// isOverRule tells a row that a rule parts from those below it, below a line that is no row.
func (w *weigher) isOverRule(at int) bool {
	if below, _, _ := w.ix.rowAt(min(at+1, len(w.ix.Breaks))); !isRule(below) {
		return false
	}
	if at == 0 {
		return true
	}
	above, _, _ := w.ix.rowAt(at - 1)
	return len(cellsIn(above)) < 2 || isRule(above)
}

// namesFields tells a row of which two cells or more are called like fields: the head of a table.
func (w *weigher) namesFields(row string) bool {
	n := 0
	for _, cell := range cellsOf(row) {
		if w.all != nil && (w.labelled(cell) != nil || w.isName[folded(cell)]) {
			n++
		}
	}
	return n > 1
}

// booleansOf counts the booleans of an item.
func (w *weigher) booleansOf(it *item) (n int) {
	for _, l := range it.leaves {
		if l.f.Kin().Type == schema.Boolean {
			n++
		}
	}
	return n
}

// isByTheWay tells whether what a document says of a boolean stands in another word that is no answer: the gate
// is closed on Sundays. It may be said of something else, but for its own word with what denies it: unfurnished.
func (w *weigher) isByTheWay(f *schema.Field, s span) bool {
	if word := folded(w.ix.Source[s.Start:s.End]); strings.HasSuffix(word, folded(f.SpokenName())) {
		return false
	}
	return !w.ix.EndsLabelled(s) && slices.ContainsFunc(w.inSentences(f), func(m mention) bool { return m.other && m.span == s })
}

// shortestRoot is how many letters two words begin with alike at least that are kin.
const shortestRoot = 4

// twoForOne takes the letters back that stand for one with two dots: gekuehlt.
var twoForOne = strings.NewReplacer("ae", "a", "oe", "o", "ue", "u")

// behindKin tells whether an answer stands right behind a label of one word that is kin to a boolean's name, and
// no field's: Kühlung: nein, for gekuehlt; Insurance: no, for insured.
func (w *weigher) behindKin(f *schema.Field, s span) bool {
	name := f.SpokenName()
	line := w.ix.LineSpan(w.ix.LineOf(s.Start))
	label, ok := strings.CutSuffix(strings.TrimRight(w.ix.Source[min(line.Start, s.Start):s.Start], " \t"), ":")
	if p, is := w.pairOf(s); is && !ok {
		label, ok = w.ix.Source[p.label.Start:p.label.End], s.Start == p.said.Start
	}
	label = label[strings.LastIndexAny(label, "\t|.;,")+1:]
	label = folded(label[strings.LastIndex(label, "  ")+1:])
	if !ok || w.all == nil || w.labelled(label) != nil || w.isName[label] {
		return false
	}
	return slices.EqualFunc(strings.Fields(folded(name)), strings.Fields(label), func(a, b string) bool { return a == b || isKin(a, b) })
}

// isKin tells whether two words have one root: Kühlung, gekuehlt.
func isKin(one, other string) bool {
	if mayDiffer := strings.HasPrefix(one, "ge") || strings.HasPrefix(other, "ge"); min(len(one), len(other)) < shortestRoot || !mayDiffer && one[0] != other[0] && max(one[0], other[0]) < utf8.RuneSelf {
		return false
	}
	root := func(word string) string {
		word = twoForOne.Replace(lang.PlainLetters(word))
		if rest, is := strings.CutPrefix(word, "ge"); is && len(rest) > shortestRoot {
			return rest
		}
		return word
	}
	a, b, n := root(one), root(other), 0
	for n < min(len(a), len(b)) && a[n] == b[n] {
		n++
	}
	return n >= shortestRoot && 3*n >= 2*min(len(a), len(b))
}
