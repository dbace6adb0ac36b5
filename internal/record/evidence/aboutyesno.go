package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// Booleans that documents call otherwise than the schema's keys do, in the words of their descriptions: "Si l'œuvre
// est encadrée.", beside "huile sur bois, non encadrée"; "Whether smoking is allowed.", beside "Smoking: no".

// mostPredicate is how many words a description says of a thing at most.
const mostPredicate = 2

// mostBehindSubject is how many words of a description stand behind what it speaks of at most.
const mostBehindSubject = 3

// longestArticle is how many letters an article has at most.
const longestArticle = 3

// askedOf gives the words of a description behind its whether, but for an article; nil where it asks nothing.
func askedOf(f *schema.Field) []string {
	lead, rest, _ := strings.Cut(f.About, " ")
	if f.Kin().Type != schema.Boolean || !lang.Whether.Has(strings.ToLower(lead)) || strings.ContainsAny(strings.TrimRight(rest, ". "), ",;(.") {
		return nil
	}
	words := wordsOf(rest)
	for len(words) > 1 && (lang.Article.Has(words[0]) || lang.Frequent.Has(words[0]) && len(words[0]) <= longestArticle || len(words[0]) == 1) && !lang.Is.Has(words[1]) {
		words = words[1:]
	}
	return words
}

// predicateOf gives what a description says of the item or the document itself: encadrée; "" where it speaks of
// something else, or says more than two words.
func (w *weigher) predicateOf(f *schema.Field) string {
	words := askedOf(f)
	if w.all == nil || len(words) < 3 || len(words) > 2+mostPredicate || !lang.Is.Has(words[1]) {
		return ""
	}
	above := w.all.Name + " " + w.all.About
	if i := strings.LastIndex(f.Path, "[]."); i >= 0 {
		if list := w.all.Find(f.Path[:i]); list != nil {
			above = list.Name + " " + list.About
		}
	}
	if !lang.Frequent.Has(words[0]) && !slices.ContainsFunc(wordsIn(schema.Spoken(above)), func(word string) bool { return isFormOf(word, words[0]) || isFormOf(words[0], word) }) {
		return ""
	}
	predicate := words[2:]
	if slices.ContainsFunc(predicate, func(word string) bool { return lang.Frequent.Has(word) || lang.Not.Has(word) }) {
		return ""
	}
	return strings.Join(predicate, " ")
}

// answeredByAbout places the booleans of the record itself that a label in the words of their description answers, and
// tells which it contradicts.
func (w *weigher) answeredByAbout() {
	for _, l := range w.leaves {
		at := w.places[l.path]
		if l.fixed != nil || l.f.Kin().Type != schema.Boolean || l.f.Concludes || strings.Contains(l.f.Path, "[]") || at.Led || at.Opposed > 0 {
			continue
		}
		yes, s := w.answerBehindSubject(l.f)
		switch {
		case s.End == 0:
		case yes == (l.value == "true"):
			w.restate(l, s)
		default:
			w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(s.Start) + 1, Says: s}
		}
	}
}

// answerBehindSubject gives what stands behind the one label that begins a description's words, if that is an answer.
func (w *weigher) answerBehindSubject(f *schema.Field) (yes bool, at span) {
	words := askedOf(f)
	for n := len(words) - 1; n > 0 && len(words)-n <= mostBehindSubject; n-- {
		if w.fieldsByLabel()[strings.Join(words[:n], " ")] != nil {
			return false, span{}
		}
		for _, s := range w.ix.wordsIn(words[:n], between(0, len(w.ix.Source))) {
			_, _, end := w.ix.rowAt(w.ix.LineOf(s.Start))
			behind := strings.TrimLeft(w.ix.Source[s.End:max(s.End, end)], " \u00a0")
			if !strings.HasPrefix(behind, ":") || !w.ix.beginsCell(s.Start) && !w.opensNumbered(s) {
				continue
			}
			answer := strings.TrimSpace(behind[1:])
			if i := strings.IndexAny(answer, ",;.|("); i >= 0 {
				answer = answer[:i]
			}
			b, known := w.saidOfSubject(words[n:], strings.TrimSpace(answer))
			if !known {
				continue
			}
			if at.End > 0 && b != yes {
				return false, span{}
			}
			yes, at = b, s
		}
		if at.End > 0 {
			return yes, at
		}
	}
	return false, span{}
}

// opensNumbered tells whether only the number of its entry stands before a place in its line.
func (w *weigher) opensNumbered(s span) bool {
	begin := w.ix.LineSpan(w.ix.LineOf(s.Start)).Start
	return strings.TrimSpace(listMark.ReplaceAllString(w.ix.Source[begin:s.Start]+" ", "")) == ""
}

// saidOfSubject reads an answer to whether what the last words of a description say is so.
func (w *weigher) saidOfSubject(predicate []string, answer string) (yes, known bool) {
	if yes, known = normalize.YesNo(answer); known {
		return yes, true
	}
	switch first, _, _ := strings.Cut(strings.ToLower(answer), " "); {
	case lang.Missing.Has(first):
		return false, true
	case lang.Affirmed.Has(first):
		return true, true
	}
	return normalize.Means(predicate[len(predicate)-1], answer)
}
