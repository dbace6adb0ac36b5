package reading

import (
	"regexp"
	"slices"
	"strings"
	"sync"

	"filler/internal/base/lang"
)

// findTakenBack notes what the text takes back: what is struck out; the X of "not X
// but Y", and the same figure elsewhere in its paragraph; the X of "X, that was
// wrong, it is Y", of "Y instead of X" and of "Y (was X)".
func (tx *Text) findTakenBack() {
	if tx.mayStrike() {
		for _, s := range tx.Stretches {
			for _, m := range struck().FindAllStringIndex(tx.Source[s.Start:s.End], mostTakenBack) {
				tx.back = append(tx.back, Span{s.Start + m[0], s.Start + m[1]})
			}
		}
	}
	for _, not := range lang.Not.Words() {
		tx.each(not, tx.notBut)
	}
	for _, instead := range lang.Instead.Words() {
		tx.each(instead, tx.insteadOf)
	}
	for _, was := range lang.Was.Words() {
		tx.each(was, tx.wasInBrackets)
	}
	for _, wrong := range lang.Wrong.Words() {
		tx.each(wrong, tx.wrongIs)
	}
}

// mayStrike tells whether the text has a mark or a word by which it strikes
// anything out: few have.
func (tx *Text) mayStrike() bool {
	for _, mark := range []string{"~~", "<d", "<D", "<s", "<S"} {
		if strings.Contains(tx.Source, mark) {
			return true
		}
	}
	for _, words := range lang.Crossed.Words() {
		first, _, _ := strings.Cut(words, " ")
		if len(tx.ByWord[first]) > 0 {
			return true
		}
	}
	return false
}

// each calls do for the places of some words, so many at most: with the first
// token and the one behind the last.
func (tx *Text) each(words string, do func(from, to int)) {
	want := strings.Fields(words)
	at := tx.ByWord[want[0]]
	for _, i := range at[:min(len(at), mostTakenBack)] {
		if tx.Reads(i, want) {
			do(i, i+len(want))
		}
	}
}

// notBut reads "not X but Y" behind its first word, X a figure or two words of
// which the second is: X is taken back wherever its paragraph has it. In "Y, not X" it
// is taken back where it stands.
func (tx *Text) notBut(at, from int) {
	if strings.HasPrefix(tx.Source[tx.Tokens[from-1].End:], ".") { // no. 14
		return
	}
	for x := from; x <= from+1 && x < len(tx.Tokens); x++ {
		if strings.ContainsAny(tx.Source[tx.Tokens[x-1].End:tx.Tokens[x].Start], "\n;:*|") { // no nuts, and the next item
			return
		}
		if !isDigit(tx.Tokens[x].Word[0]) {
			continue
		}
		figure := tx.figureAt(tx.Tokens[x])
		for y := tx.TokenAt(figure.End); y <= x+6 && y < len(tx.Tokens); y++ {
			if gap := tx.Source[tx.Tokens[y-1].End:tx.Tokens[y].Start]; strings.ContainsRune(gap, ';') || strings.Contains(gap, ". ") {
				return
			}
			if lang.But.Has(tx.Tokens[y].Word) {
				tx.takeBack(figure)
				return
			}
		}
		if tx.contrasts(at) {
			tx.back = append(tx.back, figure)
		}
		return
	}
}

// beforeNot is within how many words before "not" the figure stands that is so.
const beforeNot = 7

// contrasts tells "Y, not X" and "Y and not X" before its word for not: a figure stands
// before it in the same sentence, with a comma or a word for "and" between.
func (tx *Text) contrasts(not int) bool {
	if not == 0 {
		return false
	}
	gap := tx.Source[tx.Tokens[not-1].End:tx.Tokens[not].Start]
	if !strings.HasPrefix(gap, ",") && !lang.NumberAnd.Has(tx.Tokens[not-1].Word) {
		return false
	}
	for i := not - 1; i >= 0 && i >= not-beforeNot; i-- {
		if isDigit(tx.Tokens[i].Word[0]) {
			return true
		}
		if i > 0 {
			if between := tx.Source[tx.Tokens[i-1].End:tx.Tokens[i].Start]; strings.Contains(between, ". ") || strings.ContainsAny(between, ";\n:") && !strings.Contains(between, " ") {
				return false
			}
		}
	}
	return false
}

// insteadOf reads "instead of X", X a figure within three words, which is taken back where it stands.
func (tx *Text) insteadOf(_, from int) { tx.replaceFigure(from, 3, "\n.;:,|(") }

// wasInBrackets reads "(was X)", X a figure within two words, which is taken back where it stands.
func (tx *Text) wasInBrackets(at, from int) {
	if before := tx.Source[:tx.Tokens[at].Start]; strings.HasSuffix(before, "(") || strings.HasSuffix(before, "[") {
		tx.replaceFigure(from, 2, "\n,;()[]")
	}
}

// replaceFigure takes back the first figure within so many words from a token on, where it stands, if none of some signs
// stands before it.
func (tx *Text) replaceFigure(from, words int, stops string) {
	for x := from; x < from+words && x < len(tx.Tokens); x++ {
		if strings.ContainsAny(tx.Source[tx.Tokens[x-1].End:tx.Tokens[x].Start], stops) {
			return
		}
		if isDigit(tx.Tokens[x].Word[0]) {
			s := tx.figureAt(tx.Tokens[x])
			tx.back, tx.replaced = append(tx.back, s), append(tx.replaced, s)
			return
		}
	}
}

// Replaced tells whether a place is of what was so before a change that the text tells.
func (tx *Text) Replaced(s Span) bool {
	return slices.ContainsFunc(tx.replaced, func(r Span) bool { return s.Start < r.End && r.Start < s.End })
}

// wrongIs reads "X, that was wrong, it is Y" around its middle words.
func (tx *Text) wrongIs(from, to int) {
	wrong, right := -1, -1
	for i := from - 1; i >= 0 && i >= from-4 && wrong < 0; i-- {
		if strings.Contains(tx.Source[tx.Tokens[i].End:tx.Tokens[i+1].Start], "\n\n") {
			return
		}
		if isDigit(tx.Tokens[i].Word[0]) {
			wrong = i
		}
	}
	for i := to; i < len(tx.Tokens) && i < to+5 && right < 0; i++ {
		if gap := tx.Source[tx.Tokens[i-1].End:tx.Tokens[i].Start]; strings.Contains(gap, ". ") || strings.Contains(gap, "\n\n") {
			return
		}
		if isDigit(tx.Tokens[i].Word[0]) {
			right = i
		}
	}
	if wrong >= 0 && right >= 0 {
		tx.back = append(tx.back, tx.figureAt(tx.Tokens[wrong]))
	}
}

// figureAt gives the number that a token is a part of: 11,8 of its 8.
func (tx *Text) figureAt(t Token) Span {
	start := t.Start
	for start > 1 && (isDigit(tx.Source[start-1]) || strings.IndexByte(".,'", tx.Source[start-1]) >= 0 && isDigit(tx.Source[start-2])) {
		start--
	}
	return Span{start, numberEnd(tx.Source, start)}
}

// takeBack marks a figure wherever its paragraph has it.
func (tx *Text) takeBack(s Span) {
	from := strings.LastIndex(tx.Source[:s.Start], "\n\n") + 1
	to := strings.Index(tx.Source[s.End:], "\n\n")
	if to < 0 {
		to = len(tx.Source)
	} else {
		to += s.End
	}
	figure := tx.Source[s.Start:s.End]
	for at := from; at < to; {
		i := strings.Index(tx.Source[at:to], figure)
		if i < 0 {
			return
		}
		here := Span{at + i, at + i + len(figure)}
		if whole := tx.figureAt(Token{Span: here}); whole == here {
			tx.back = append(tx.back, here)
		}
		at = here.End
	}
}

// struck is what is struck out: by marks, or by a remark that says so.
var struck = sync.OnceValue(func() *regexp.Regexp {
	crossed := lang.Crossed.Pattern()
	return regexp.MustCompile(`~~[^~\n]{1,200}~~|(?is)<(?:del|s|strike)>.{1,200}?</(?:del|s|strike)>|(?i)[\[(]` + crossed + `:? [^\])\n]{1,80}[\])]|(?i)[^\s\[(]{1,30}(?: [\pL€$£%°]{1,12})? [\[(]` + crossed + `[\])]`)
})

// mostTakenBack bounds what is looked for in each stretch of a text.
const mostTakenBack = 200

// TakenBack tells whether a place lies in what the text takes back.
func (tx *Text) TakenBack(s Span) bool {
	for _, b := range tx.back {
		if s.Start < b.End && b.Start < s.End {
			return true
		}
	}
	return false
}
