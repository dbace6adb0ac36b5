package evidence

import (
	"slices"
	"sort"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Where a document speaks of what a boolean is called: by its name, or in a sentence that has the
// words of the name in another order and with other endings: rind_washed, "I did not wash the rinds".

// mention is such a place.
type mention struct {
	span
	denial reading.Denial
	loose  bool // the words stand in another order, or with others between
	other  bool // it is another word, that means the name or what denies it
	word   bool // it is a name of one word
}

// mostMentions is how often a document speaks of a boolean at most: of a word that stands more often nothing
// is concluded.
const mostMentions = 2000

// mentions gives the places in a stretch of the document, in its order: those of each of the field's
// labels, and those in sentences beside them.
func (w *weigher) mentions(f *schema.Field, within span) (all []mention) {
	for _, words := range w.labels(f) {
		if utf8.RuneCountInString(strings.Join(words, "")) < shortestName {
			continue
		}
		at := w.ix.wordsIn(words, within)
		if len(words) == 1 {
			for _, form := range inflected(words[0]) {
				at = append(at, w.ix.wordsIn([]string{form}, within)...)
			}
		}
		if len(all)+len(at) > mostMentions {
			return nil
		}
		for _, s := range at {
			all = append(all, mention{span: s, denial: w.denialOf(s, len(words)), word: len(words) == 1})
		}
	}
	for _, m := range w.inSentences(f) {
		if m.Start >= within.Start && m.End <= within.End {
			all = append(all, m)
		}
	}
	sort.SliceStable(all, func(i, j int) bool {
		a, b := all[i], all[j]
		if a.Start == b.Start && a.loose != b.loose { // "bar opens" before bar
			return a.loose == (a.word || b.word)
		}
		return a.Start < b.Start || a.Start == b.Start && a.End > b.End
	})
	end := 0
	return slices.DeleteFunc(all, func(m mention) bool { // a part of another label, or a sentence around one
		part := m.Start < end && (m.loose || m.End <= end)
		end = max(end, m.End)
		return part
	})
}

// inflected gives the forms of a word that says how something is: rendue, of rendu; pagata, of pagato.
func inflected(word string) []string {
	stem, isO := strings.CutSuffix(word, "o")
	switch {
	case utf8.RuneCountInString(word) < 4 || strings.ContainsFunc(word, unicode.IsDigit):
		return nil
	case isO:
		return []string{stem + "a", stem + "i", stem + "e", stem + "os", stem + "as"}
	case strings.HasSuffix(word, "e"):
		return nil
	}
	return []string{word + "e", word + "es"}
}

// denialOf tells whether a name of so many words is denied, also by the word behind it: fog signal off,
// Montage nicht inbegriffen.
func (w *weigher) denialOf(s span, words int) reading.Denial {
	denial := w.ix.Denial(s)
	last := w.ix.TokenAt(s.Start) + words - 1
	switch next := last + 1; {
	case denial == reading.Unsure && (w.isAffirmed(last, true) || w.isMissing(last)):
		return reading.Denied
	case denial == reading.Said && next < len(w.ix.Tokens) && lang.Off.Has(w.ix.Tokens[next].Word) && strings.Trim(w.ix.Source[s.End:w.ix.Tokens[next].Start], " :=") == "":
		return reading.Denied
	}
	return denial
}

// isMissing tells whether the words right behind a name say that it is not there, or must not be: smoking is
// prohibited.
func (w *weigher) isMissing(last int) bool {
	for i := last + 1; i < len(w.ix.Tokens) && i <= last+2; i++ {
		word := w.ix.Tokens[i].Word
		switch {
		case reading.EndsClause(w.ix.Source[w.ix.Tokens[i-1].End:w.ix.Tokens[i].Start]):
			return false
		case lang.Missing.Has(word):
			return true
		case !lang.Is.Has(word):
			return false
		}
	}
	return false
}

// mostInName is how many words of a sentence lie between the first and the last of a name, at most.
const mostInName = 6

// inSentences gives the sentences of the whole document that have the words of a boolean's name, at
// least two.
func (w *weigher) inSentences(f *schema.Field) []mention {
	if found, known := w.sentences[f]; known {
		return found
	}
	var found []mention
	for _, name := range append(w.namesOf(f), saidAbout(f)) {
		words := slices.DeleteFunc(wordsIn(name), lang.Is.Has)
		if slices.Sort(words); len(slices.Compact(words)) < 2 {
			found = append(found, w.otherWords(name)...)
			continue
		}
		last := -1
		for i := range w.ix.Tokens {
			if i <= last || !anyAlike(words, w.ix.Tokens[i].Word, perhaps) {
				continue
			}
			if m, to, ok := w.sentenceFrom(i, words); ok && len(found) < mostMentions {
				found, last = append(found, m), to
			}
		}
	}
	if w.sentences == nil {
		w.sentences = map[*schema.Field][]mention{}
	}
	w.sentences[f] = found
	return found
}

// mostAbout is how many words that mean something the description of a boolean has at most that is looked for.
const mostAbout = 3

// saidAbout gives what the description of a boolean says is so, where it says that in two or three words: first
// performance, of "Whether it is a first performance."; "" for none.
func saidAbout(f *schema.Field) string {
	lead, rest, _ := strings.Cut(f.About, " ")
	rest, more, _ := strings.Cut(rest, ".")
	words := slices.DeleteFunc(wordsIn(rest), func(word string) bool { return lang.Is.Has(word) || lang.NotYet.Has(word) })
	if !lang.Whether.Has(lead) || strings.TrimSpace(more) != "" || len(words) < 2 || len(words) > mostAbout || strings.ContainsAny(rest, ",;(") {
		return ""
	}
	return strings.Join(words, " ")
}

// sentenceFrom gives the words of a name from a token on, which is one of them, and the last token:
// in one clause, which says something and is no label, or with a colon and what it says right behind.
func (w *weigher) sentenceFrom(first int, words []string) (m mention, last int, ok bool) {
	left := slices.Clone(words)
	denied, colon := 0, first+mostInName+1
	for i := first; i < len(w.ix.Tokens) && i <= first+mostInName; i++ {
		t := w.ix.Tokens[i]
		if i > first {
			gap := w.ix.Source[w.ix.Tokens[i-1].End:t.Start]
			isColon := strings.TrimSpace(gap) == ":" || strings.TrimSpace(gap) == "=" // Deposit: not paid
			if isColon {
				colon = i + 1
			}
			if !isColon && reading.EndsClause(gap) || i > colon {
				break
			}
		}
		k := slices.IndexFunc(left, func(word string) bool { return anyAlike([]string{word}, t.Word, perhaps) })
		if lang.Not.Has(t.Word) || lang.Nought.Has(t.Word) || lang.Lacking.Has(t.Word) && k < 0 { // under 12 free is so of under-12s that are free
			denied++
		}
		if k >= 0 {
			left = slices.Delete(left, k, k+1)
		} else if k := slices.IndexFunc(left, func(word string) bool { return w.isOpposite(word, t.Word) }); k >= 0 && i > first { // bar closed
			left = slices.Delete(left, k, k+1)
			denied++
		}
		if len(left) > 0 {
			continue
		}
		m = mention{span: between(w.ix.Tokens[first].Start, t.End), loose: true}
		switch m.denial = w.ix.Denial(m.span); {
		case denied == 1 && m.denial == reading.Said:
			m.denial = reading.Denied
		case denied > 0:
			m.denial = reading.Unsure
		}
		return m, i, w.isStatement(m, first, i)
	}
	return m, first, false
}

// isOpposite tells whether one word denies another: closed, open.
func (w *weigher) isOpposite(word, other string) bool {
	is, asked := w.opposites[[2]string{word, other}]
	if !asked {
		says, known := normalize.Means(word, other)
		if is = known && !says; w.opposites == nil {
			w.opposites = map[[2]string]bool{}
		}
		w.opposites[[2]string{word, other}] = is
	}
	return is
}

// isStatement tells whether words say something, and are no label, head or wish: a stop or more words
// of the same sentence stand behind or before them.
func (w *weigher) isStatement(m mention, first, last int) bool {
	behind := strings.TrimLeft(w.ix.Source[m.End:], " \u00a0")
	if w.isNoted(behind) || w.isAside(m.span) { // SOLD OUT (412 of 412)
		return true
	}
	if behind != "" && strings.ContainsAny(behind[:1], ":?=|\t([☐☑☒") || w.ix.NotYet(m.span) {
		return false
	}
	for i := first; i <= last; i++ {
		if lang.NotYet.Has(w.ix.Tokens[i].Word) {
			return false
		}
	}
	isColon := func(i int) bool {
		return strings.ContainsAny(w.ix.Source[w.ix.Tokens[i].End:w.ix.Tokens[i+1].Start], ":=")
	}
	for i := first; i < last; i++ {
		if isColon(i) { // Deposit: paid
			return true
		}
	}
	if last-first > 1 || behind != "" && strings.ContainsAny(behind[:1], ".!") {
		return true
	}
	before := first > 0 && w.ix.Source[w.ix.Tokens[first-1].End:m.Start] == " "
	next := last+1 < len(w.ix.Tokens) && w.ix.Source[m.End:w.ix.Tokens[last+1].Start] == " "
	return before || next
}

// mostInAside is how many bytes stand behind such words in brackets at most: when, or how many.
const mostInAside = 24

// isAside tells words that stand by themselves in brackets or between commas, or with a figure behind them in brackets:
// (first performance), (returned 4 June).
func (w *weigher) isAside(s span) bool {
	before, _ := utf8.DecodeLastRuneInString(strings.TrimRight(w.ix.Source[:s.Start], " "))
	end := strings.IndexAny(w.ix.Source[s.End:], ")(\n")
	inside := before == '(' && end >= 0 && w.ix.Source[s.End+end] == ')' && (end == 0 || end <= mostInAside && strings.ContainsAny(w.ix.Source[s.End:s.End+end], "0123456789"))
	return inside || before == ',' && w.endsPart(s.End)
}

// isNoted tells a note in brackets that ends its line and is no answer to what stands before it.
func (w *weigher) isNoted(behind string) bool {
	behind, _, _ = strings.Cut(behind, "\n")
	note, rest, ok := strings.Cut(strings.TrimPrefix(behind, "("), ")")
	return ok && strings.HasPrefix(behind, "(") && strings.Trim(rest, " .") == "" && letters(note) > 2 && !slices.ContainsFunc(reading.Tokenize(note), func(t reading.Token) bool { return lang.Yes.Has(t.Word) || lang.No.Has(t.Word) })
}

// saidNames gives the sentences that say that a boolean is so, in a stretch of the document; nothing
// where another one there may say that it is not. A name of one word has to be followed by a word for
// it, as in "fitting is included": it stands in sentences of other things, too.
func (w *weigher) saidNames(f *schema.Field, within span) (found []span) {
	for _, m := range w.mentions(f, within) {
		first := w.ix.TokenAt(m.Start)
		last := first
		for last+1 < len(w.ix.Tokens) && w.ix.Tokens[last+1].Start < m.End {
			last++
		}
		switch {
		case m.denial != reading.Said:
			return nil
		case last == first && !m.other && !w.isAffirmed(last, false) && !w.isPredicate(f, m.span):
		case m.loose || m.other || w.isStatement(m, first, last):
			found = append(found, m.span)
		}
	}
	return found
}

// isPredicate tells whether a sentence ends by saying of what its field's description or its schema speaks of that
// it is so: the meeting was quorate.
func (w *weigher) isPredicate(f *schema.Field, s span) bool {
	i := w.ix.TokenAt(s.Start)
	if i < 2 || !lang.Is.Has(w.ix.Tokens[i-1].Word) || !w.endsPart(s.End) {
		return false
	}
	subject := w.ix.Tokens[i-2]
	about := wordsOf(f.About + " " + w.all.About)
	return w.ix.Source[subject.End:w.ix.Tokens[i-1].Start] == " " && slices.ContainsFunc(about, func(word string) bool { return isFormOf(word, subject.Word) })
}

// isAffirmed tells whether one of the next words of a clause says that what is named is there; or, with a
// word for not right before it, that it is not.
func (w *weigher) isAffirmed(last int, not bool) bool {
	for i := last + 1; i < len(w.ix.Tokens) && i <= last+3; i++ {
		if gap := w.ix.Source[w.ix.Tokens[i-1].End:w.ix.Tokens[i].Start]; reading.EndsClause(gap) || strings.ContainsAny(gap, ",\n") {
			return false
		}
		if lang.Affirmed.Has(w.ix.Tokens[i].Word) {
			return lang.Not.Has(w.ix.Tokens[i-1].Word) == not
		}
	}
	return false
}

// saidInOwnLines notes the booleans of items whose own line says otherwise by their names: false beside (twin),
// true beside "not chipped".
func (w *weigher) saidInOwnLines(h *homes) {
	for i, it := range h.list {
		if !h.own(i) || len(h.list) < 2 || !w.begins(it, h.at[i]) {
			continue // in prose a line speaks of others as well
		}
		var lines []span
		for _, l := range it.leaves {
			if at := w.places[l.path]; l.fixed != nil || l.f.Kin().Type != schema.Boolean || at.Found() || at.Opposed > 0 || l.f.Concludes {
				continue
			}
			if lines == nil {
				lines = w.ownLines(h, i)
			}
			if s := w.saysOppositeIn(l, lines); s.End > 0 {
				w.places[l.path] = Place{Kind: l.lacking, Opposed: w.ix.LineOf(s.Start) + 1, Says: s}
			}
		}
	}
}

// mostOwnLines is how many lines an item has at most, with its first.
const mostOwnLines = 4

// ownLines gives the line of an item, and those right behind it that values of it stand in, and of no other.
func (w *weigher) ownLines(h *homes, i int) []span {
	lines := []span{w.ix.LineSpan(h.at[i])}
	read := map[int]bool{}
	h.list[i].all(1, func(l *leaf, _ float64) {
		if at := w.places[l.path]; at.Found() && len(read) < mostInClause {
			read[at.Line-1] = true
		}
	})
	for at := h.at[i] + 1; at < h.at[i]+mostOwnLines && read[at] && h.in[at] == 0; at++ {
		lines = append(lines, w.ix.LineSpan(at))
	}
	return lines
}

// endsPart tells whether what is said ends at a place: with a clause, a part of a list, a cell or a line.
func (w *weigher) endsPart(at int) bool {
	behind := w.ix.Source[at:min(len(w.ix.Source), at+2)]
	return behind == "" || strings.ContainsAny(behind[:1], ".,;:!)|\t\n") || behind == "  "
}

// saysOpposite gives where a line says the opposite of a boolean by its name, if it says nothing else of it, and
// whether it says anything.
func (w *weigher) saysOpposite(l *leaf, line span) (at span, speaks bool) {
	want := reading.Said
	if l.value == "true" {
		want = reading.Denied
	}
	for _, m := range w.mentions(l.f, line) {
		if word := folded(w.ix.Source[m.Start:m.End]); m.other && !lang.Verdict.Has(word) && normalize.Opposite(word, l.f.SpokenName()) && (!w.endsPart(m.End) || w.isUnderForeign(l.f, m.span)) {
			continue // closed in winter
		}
		behind := strings.TrimLeft(w.ix.Source[m.End:max(m.End, line.End)], " ()[]")
		if m.denial == reading.Unsure && w.isAside(m.span) && len(cellsOf(w.ix.Line(w.ix.LineOf(m.Start)+1))) > 1 { // not passed, blocked
			m.denial = reading.Said
		}
		if m.denial != want || behind != "" && strings.ContainsAny(behind[:1], ":?=") || w.ix.NotYet(m.span) || w.taken[m.span] {
			return span{}, true
		}
		at = m.span
	}
	return at, at.End > 0
}
