package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/source/reading"
)

// Labels that are cut short: "Summa exkl. moms" for summa exklusive moms, "Arr." for arrival, "Fakturanr" for
// fakturanummer.

// shortestCut is how many letters are left of a word at least that a stop cuts off.
const shortestCut = 3

// mostWordsCut is how many words a label has at most that is looked for in short.
const mostWordsCut = 5

// cutShort gives the forms in which a document has the words of a label in short.
func (w *weigher) cutShort(words []string) (forms [][]string) {
	if len(words) == 0 || len(words) > mostWordsCut {
		return nil
	}
	if last := words[len(words)-1]; len(last) > shortestCut {
		for _, ending := range lang.NumberLabel.Words() {
			stem, is := strings.CutSuffix(last, ending)
			if !is || len(stem) < shortestCut {
				continue
			}
			for _, other := range lang.NumberLabel.Words() {
				if form := append(slices.Clone(words[:len(words)-1]), stem+other); other != ending && len(w.ix.ByWord[stem+other]) > 0 {
					forms = append(forms, form)
				}
			}
		}
	}
	for _, at := range w.cutOff() {
		cut := w.ix.Tokens[at].Word
		for k, word := range words {
			if len(word) <= len(cut) || !strings.HasPrefix(word, cut) || at < k || at-k+len(words) > len(w.ix.Tokens) {
				continue
			}
			window := w.ix.Tokens[at-k : at-k+len(words)]
			if form := w.ix.shortened(words, window); form != nil && !slices.ContainsFunc(forms, func(o []string) bool { return slices.Equal(o, form) }) {
				if forms = append(forms, form); len(forms) == mostForms {
					return forms
				}
			}
		}
	}
	return forms
}

// shortened gives the words of a stretch, if each is a word of a label, or what is left of it before a stop; of one
// word by itself only where it begins its line or cell.
func (ix *Index) shortened(words []string, window []reading.Token) (form []string) {
	for i, t := range window {
		isCut := len(t.Word) >= shortestCut && strings.HasPrefix(words[i], t.Word) && strings.HasPrefix(ix.Source[t.End:], ".")
		if t.Word != words[i] && !isCut {
			return nil
		}
		form = append(form, t.Word)
	}
	if len(words) == 1 && !ix.beginsCell(window[0].Start) {
		return nil
	}
	return form
}

// beginsCell tells whether a place is the first of its line or behind a wide gap or a bar.
func (ix *Index) beginsCell(at int) bool {
	begin := ix.LineSpan(ix.LineOf(at)).Start
	before := ix.Source[begin:at]
	return strings.TrimLeft(before, " \t*•·–-|>") == "" || strings.HasSuffix(before, "  ") || strings.HasSuffix(strings.TrimRight(before, " "), "|") || strings.HasSuffix(before, "\t")
}

// mostCutOff is how many words before a stop a document has at most that labels are held against.
const mostCutOff = 400

// cutOff gives the tokens that a stop ends within a line, and that may be what is left of a longer word.
func (w *weigher) cutOff() []int {
	if w.cuts == nil {
		w.cuts = []int{}
		for i, t := range w.ix.Tokens {
			rest := w.ix.Source[t.End:]
			if len(t.Word) < shortestCut || !strings.HasPrefix(rest, ".") || strings.ContainsAny(t.Word, "0123456789") || len(rest) < 3 || rest[1] == '\n' {
				continue
			}
			if w.cuts = append(w.cuts, i); len(w.cuts) > mostCutOff {
				w.cuts = []int{}
				break
			}
		}
	}
	return w.cuts
}
