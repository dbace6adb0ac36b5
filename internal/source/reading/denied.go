package reading

import (
	"slices"
	"strings"
	"sync"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
)

// Denial is what the words around a place say of what stands there.
type Denial int

// Denials.
const (
	Said   Denial = iota
	Denied        // no lift, ohne Aufzug, pas d'ascenseur, does not have a lift
	Unsure        // a word for "not" stands near, and may be said of something else
)

// Bounds of the search for a word that denies, in words.
const (
	deniesBefore = 5
	deniesBehind = 4
	mostBetween  = 1 // words that are no articles, between it and what it surely denies
)

// Denial tells whether the clause around a place denies what stands there.
func (tx *Text) Denial(s Span) Denial {
	if before := strings.TrimRight(tx.Source[max(0, s.Start-6):s.Start], " \u00a0"); strings.HasSuffix(before, "[ ]") || strings.HasSuffix(before, "[]") || strings.HasSuffix(before, "☐") {
		return Denied // a box that is not ticked
	}
	first := tx.TokenAt(s.Start)
	said := tx.deniedBefore(first)
	if said == Denied && tx.isAsked(s.End) {
		return Unsure
	}
	if said != Said {
		return said
	}
	last := first
	for last+1 < len(tx.Tokens) && tx.Tokens[last+1].Start < s.End {
		last++
	}
	return tx.deniedBehind(last)
}

// denies are the frequent words of the language that a text is written in, none of which is its word for "not".
type denies struct {
	once    sync.Once
	foreign map[string]bool
}

// isNot tells a word for "not", unless the text is in a language in which it is none: pas is a card in Dutch.
func (tx *Text) isNot(word string) bool {
	if !lang.Not.Has(word) {
		return false
	}
	d := &tx.whole.denies
	d.once.Do(func() {
		d.foreign = map[string]bool{}
		code := lang.Guess(tx.Source).Code
		for _, l := range lang.Languages() {
			if l.Code != code {
				continue
			}
			for _, common := range l.Words(lang.Frequent) {
				d.foreign[common] = !slices.Contains(l.Words(lang.Not), common)
			}
		}
	})
	return !d.foreign[word]
}

// farthestMark is how many bytes behind a place the end of its sentence is looked for.
const farthestMark = 80

// isAsked tells whether a sentence ends with a question mark: not chipped?
func (tx *Text) isAsked(from int) bool {
	rest := tx.Source[from:min(len(tx.Source), from+farthestMark)]
	i := strings.IndexAny(rest, ".!?\n")
	return i >= 0 && rest[i] == '?'
}

// NotYet tells whether a word near a place, in its clause, says that what stands there is wished, due
// or asked: to be paid, wird bezahlt, if paid.
func (tx *Text) NotYet(s Span) bool {
	first := tx.TokenAt(s.Start)
	for i := first - 1; i >= 0 && i >= first-deniesBefore; i-- {
		if !tx.near(i, i+1) || EndsClause(tx.Source[tx.Tokens[i].End:tx.Tokens[i+1].Start]) {
			break
		}
		if lang.NotYet.Has(tx.Tokens[i].Word) && !tx.isMonthOfDay(i) {
			return true
		}
	}
	for i := first + 1; i < len(tx.Tokens) && i <= first+deniesBehind; i++ {
		if !tx.near(i-1, i) || EndsClause(tx.Source[tx.Tokens[i-1].End:tx.Tokens[i].Start]) {
			break
		}
		if lang.NotYet.Has(tx.Tokens[i].Word) && !tx.isMonthOfDay(i) {
			return true
		}
	}
	return false
}

// isMonthOfDay tells a month beside a figure from a word that is written like it: paid 3 May.
func (tx *Text) isMonthOfDay(i int) bool {
	isFigure := func(k int) bool {
		return k >= 0 && k < len(tx.Tokens) && strings.Trim(tx.Tokens[k].Word, "0123456789") == "" && (k > i || tx.near(k, i))
	}
	return lang.Month.Has(tx.Tokens[i].Word) && (isFigure(i-1) || isFigure(i+1))
}

// deniedBefore looks for what denies before a token.
func (tx *Text) deniedBefore(first int) Denial {
	between, comma := 0, false
	for i := first - 1; i >= 0 && i >= first-deniesBefore; i-- {
		if !tx.near(i, i+1) {
			return Said
		}
		gap := tx.Source[tx.Tokens[i].End:tx.Tokens[i+1].Start]
		if EndsClause(gap) || strings.Contains(gap, "\n") && (tx.isAnswer(i) || tx.opensLabelled(i+1)) {
			return Said
		}
		comma = comma || strings.Contains(gap, ",")
		switch word := tx.Tokens[i].Word; {
		case tx.isNot(word) && lang.Only.Has(tx.Tokens[i+1].Word): // not only
			return Said
		case tx.isNot(word) || lang.Nought.Has(word) || lang.Lacking.Has(word):
			if comma || between > mostBetween || i > 0 && tx.near(i-1, i) && tx.isNot(tx.Tokens[i-1].Word) { // not without
				return Unsure
			}
			return Denied
		case lang.But.Has(word):
			return Said
		case utf8.RuneCountInString(word) > 2 && !lang.Article.Has(word) && !lang.Filler.Has(word) && !lang.LeadIn.Has(word):
			between++
		}
	}
	return Said
}

// isAnswer tells whether a token stands alone behind a label or in a cell: the no of "Drone    no" denies
// nothing of the line below.
func (tx *Text) isAnswer(i int) bool {
	before := tx.lineUpTo(tx.Tokens[i].Start)
	said := strings.TrimRight(before, " \t|")
	gap := before[len(said):]
	return strings.HasSuffix(said, ":") || (strings.Contains(gap, "  ") || strings.ContainsAny(gap, "\t|")) && said != "" && strings.IndexByte(".!?", said[len(said)-1]) < 0 // two blanks may part sentences
}

// labelBegins is a label with something behind it, at the beginning of a line.
var labelBegins = lazy.New(`^[ \t]*\pL[\pL .\-/']{0,30}:[ \t]+\S`)

// opensLabelled tells whether a token begins a line that is a label with its answer, as the line above it is: the none of "Allergies: none
// known" denies nothing of the line below.
func (tx *Text) opensLabelled(i int) bool {
	n := tx.LineOf(tx.Tokens[i].Start)
	return n > 0 && tx.TokenAt(tx.LineSpan(n).Start) == i && labelBegins.MatchString(tx.lineAt(n)) && labelBegins.MatchString(tx.lineAt(n-1))
}

// deniedBehind looks for what denies behind a token.
func (tx *Text) deniedBehind(last int) Denial {
	for i := last + 1; i < len(tx.Tokens) && i <= last+deniesBehind; i++ {
		gap := tx.Source[tx.Tokens[i-1].End:tx.Tokens[i].Start]
		if !tx.near(i-1, i) || EndsClause(gap) || strings.Contains(gap, ",") {
			return Said
		}
		word := tx.Tokens[i].Word
		if lang.But.Has(word) || lang.ListAnd.Has(word) {
			return Said
		}
		if i == last+1 && lang.No.Has(word) && utf8.RuneCountInString(word) > 1 && strings.TrimSpace(gap) == "" && tx.endsAnswer(i) { // Emballage cadeau non.
			return Denied
		}
		if tx.isNot(word) || lang.Missing.Has(word) {
			return Unsure
		}
	}
	return Said
}

// endsAnswer tells whether nothing more is said behind a token.
func (tx *Text) endsAnswer(i int) bool {
	if i+1 == len(tx.Tokens) {
		return true
	}
	gap := tx.Source[tx.Tokens[i].End:tx.Tokens[i+1].Start]
	return EndsClause(gap) || strings.ContainsAny(gap, ",\n")
}

// EndsClause tells whether what stands between two words parts what they are said of.
func EndsClause(gap string) bool {
	return strings.ContainsAny(gap, ".;:!?|()[]\t") || strings.Contains(gap, "  ") || strings.Contains(gap, "\n\n") || strings.Contains(gap, " - ") || strings.Contains(gap, " – ")
}
