package reading

import (
	"regexp"
	"strings"

	"filler/internal/base/lang"
)

// findTakenBack notes what the text takes back: the X of "not X but Y", and the
// same figure elsewhere in its paragraph; what is struck out.
func (tx *Text) findTakenBack() {
	if strings.Contains(tx.Source, "~~") {
		for _, s := range tx.Stretches {
			for _, m := range struck.FindAllStringIndex(tx.Source[s.Start:s.End], mostTakenBack) {
				tx.back = append(tx.back, Span{s.Start + m[0], s.Start + m[1]})
			}
		}
	}
	for _, not := range lang.Not.Words() {
		at := tx.ByWord[not]
		for _, i := range at[:min(len(at), mostTakenBack)] {
			tx.notBut(i)
		}
	}
}

// notBut reads "not X but Y" from its first word on, X a figure or two words of
// which the second is: what is said of X in its paragraph is taken back.
func (tx *Text) notBut(i int) {
	for x := i + 1; x <= i+2 && x < len(tx.Tokens); x++ {
		if !isDigit(tx.Tokens[x].Word[0]) {
			continue
		}
		for y := x + 1; y <= x+5 && y < len(tx.Tokens); y++ {
			if strings.ContainsAny(tx.Source[tx.Tokens[y-1].End:tx.Tokens[y].Start], ".;") {
				return
			}
			if lang.But.Has(tx.Tokens[y].Word) {
				tx.takeBack(tx.Tokens[x])
				return
			}
		}
		return
	}
}

// takeBack marks a word wherever its paragraph has it.
func (tx *Text) takeBack(t Token) {
	from := strings.LastIndex(tx.Source[:t.Start], "\n\n")
	to := strings.Index(tx.Source[t.End:], "\n\n")
	if to < 0 {
		to = len(tx.Source)
	} else {
		to += t.End
	}
	for _, i := range tx.ByWord[t.Word] {
		if o := tx.Tokens[i]; o.Start >= from && o.End <= to {
			tx.back = append(tx.back, o.Span)
		}
	}
}

var struck = regexp.MustCompile(`~~[^~\n]{1,200}~~`)

// mostTakenBack bounds what is looked for in each stretch of a text.
const mostTakenBack = 200

// TakenBack tells whether a place lies in what the text takes back.
func (tx *Text) TakenBack(s Span) bool {
	for _, b := range tx.back {
		if s.Start >= b.Start && s.Start < b.End {
			return true
		}
	}
	return false
}
