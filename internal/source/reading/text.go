// Package reading says what the words of a text can mean: its numbers, amounts,
// days and months, each with its place, and what the text takes back. Nothing
// else reads numbers out of a text.
//
// Rules it keeps:
//
//   - A reading begins and ends at a token boundary: the 3 of bay 3 is never a
//     part of 13, of 3.5, of a code, a telephone number or a date.
//   - What can be read in two ways has both readings: 1.250 is 1.25 and 1250. The
//     format that a field declares decides; where there is none, how the text
//     writes its other numbers; where those tell nothing, it is of two readings
//     and evidence for neither.
//   - Readings are made in one pass, in time linear in the text.
package reading

import (
	"sort"
	"strings"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// Span is a place in a text, half-open, in bytes.
type Span struct{ Start, End int }

// Token is a run of letters and digits.
type Token struct {
	Span
	Word string // in small letters
}

// Text is a source text, read. It is made once a document and may then be used by
// many goroutines.
type Text struct {
	Source      string
	Tokens      []Token
	ByWord      map[string][]int // word in small letters → its tokens
	Breaks      []int            // where lines end
	Stretches   []Span           // what is read; the rest of the source is not looked at
	figureLines map[Span][]Span  // by stretch: its lines with figures, counted from where it begins
	numbers     map[string][]figure
	days        days
	months      months
	spelling    spelling
	whole       *whole // what is known of the whole text, shared by its parts
	clocks      clocks
	derived     derived
	back        []Span    // what the text takes back
	replaced    []Span    // those of them that were so before a change
	measured    *measured // of the whole source, also where some stretches are read
	figured     figured
	named       named
	orders      orders
	relative    relativeDays
	later       later
	standing    standing
	fours       fours
}

// whole is what is found out once for a text and all of its parts.
type whole struct {
	even    even
	history history
	twelve  twelve
	boxes   boxes
	denies  denies
	rates   rateCodes
	rows    rows
}

// New reads a text.
func New(text string) *Text {
	return read(text, lineBreaks(text), []Span{{0, len(text)}}, &measured{}, &whole{})
}

// Within reads some stretches of the same text alone, each [start, end) in bytes,
// in order. Places stay those of the whole text.
func (tx *Text) Within(stretches [][2]int) *Text {
	var spans []Span
	for _, s := range stretches {
		spans = append(spans, Span{s[0], s[1]})
	}
	of := tx.measured
	if of == nil {
		of = &measured{}
	}
	all := tx.whole
	if all == nil {
		all = &whole{}
	}
	return read(tx.Source, tx.Breaks, spans, of, all)
}

func lineBreaks(text string) (breaks []int) {
	for i := 0; i < len(text); i++ {
		if text[i] == '\n' {
			breaks = append(breaks, i)
		}
	}
	return breaks
}

func read(text string, breaks []int, spans []Span, of *measured, all *whole) *Text {
	tx := &Text{Source: text, measured: of, whole: all, numbers: map[string][]figure{}, Breaks: breaks, Stretches: spans, figureLines: map[Span][]Span{}}
	for _, s := range spans {
		tx.figureLines[s] = figureLinesOf(text[s.Start:s.End])
		found := Tokenize(text[s.Start:s.End])
		if s.Start > 0 {
			for i := range found {
				found[i].Start, found[i].End = found[i].Start+s.Start, found[i].End+s.Start
			}
		}
		if tx.Tokens == nil {
			tx.Tokens = found
		} else {
			tx.Tokens = append(tx.Tokens, found...)
		}
	}
	tx.ByWord = byWord(tx.Tokens)
	tx.findNumbers()
	for _, s := range spans {
		tx.findFractions(s)
		tx.findPowers(s)
	}
	tx.findWords()
	tx.findTakenBack()
	return tx
}

// figure is a number where it stands.
type figure struct {
	Span
	text    string // as it is printed, its sign as -; "" for one in words
	inWords bool
	open    bool // it has another reading, which nothing in the text rules out
}

func (tx *Text) add(key string, f figure) { tx.numbers[key] = append(tx.numbers[key], f) }

// Numbers gives the places of a number, in canonical form, as a field may hold it;
// those in words only where none is in figures: "one" is more often a word than a
// number. Open are those that can be read as another number as well.
func (tx *Text) Numbers(f *schema.Field, key string) (found, open []Span) {
	var words []Span
	for _, at := range tx.numbers[key] {
		switch {
		case (f.Type == schema.Quantity || f.Type == schema.Money) && tx.isRank(at.End):
			continue
		case at.inWords:
			words = append(words, at.Span)
			continue
		case at.text == "": // a fraction, or with a word of scale
		case f.Numbers.Decimal != "":
			if said := Declared(f.Numbers, at.text); said != "" && canonical(said) != key || said == "" && at.open {
				continue
			}
		case at.open && f.Type == schema.Integer && canonical(strings.NewReplacer(".", "", ",", "").Replace(at.text)) != key: // 7,000 is no 7 with decimals
			continue
		case at.open && f.Type != schema.Integer && !(f.Type == schema.Money && tx.onlyGroups(at.Span, at.text, key)):
			open = append(open, at.Span)
			continue
		}
		if at.End-at.Start > 3 || !tx.InDate(at.Span) {
			found = append(found, at.Span)
		}
	}
	if len(found)+len(open) == 0 {
		return words, nil
	}
	return found, open
}

// InWords gives the places of a number, in canonical form, that say it in words.
func (tx *Text) InWords(key string) (found []Span) {
	for _, at := range tx.numbers[key] {
		if at.inWords {
			found = append(found, at.Span)
		}
	}
	return found
}

// threeDecimals are the currencies whose smallest unit is a thousandth (ISO 4217).
var threeDecimals = map[string]bool{"BHD": true, "IQD": true, "JOD": true, "KWD": true, "LYD": true, "OMR": true, "TND": true}

// onlyGroups tells whether a number is what a figure says whose one sign can but set off
// thousands: 24.000 €. No sum of that currency has three decimals; a price of so much of
// something may.
func (tx *Text) onlyGroups(s Span, figure, key string) bool {
	m := tx.beside(s)
	ofOther := m.none()
	if ofOther {
		m = tx.ofOtherSide(s)
	}
	if m.Code == "" || threeDecimals[m.Code] || canonical(strings.NewReplacer(".", "", ",", "").Replace(figure)) != key {
		return false
	}
	if ofOther {
		return true
	}
	behind := strings.ToLower(strings.TrimLeft(tx.Source[m.Where.End:min(len(tx.Source), m.Where.End+16)], " \u00a0"))
	word, _, _ := strings.Cut(behind, " ")
	return !strings.HasPrefix(behind, "/") && !lang.Per.Has(word) && !lang.PerEach.Has(word) && !strings.Contains(strings.ToLower(m.Word), "/")
}

// IsCell tells whether a place is a cell of a table by itself: a gap, a stroke or a tab
// stands before it, and behind it or the end of the line.
func (tx *Text) IsCell(s Span) bool {
	before := tx.Source[strings.LastIndexByte(tx.Source[:s.Start], '\n')+1 : s.Start]
	behind, _, _ := strings.Cut(tx.Source[s.End:], "\n")
	gap := func(text string, whole bool) bool {
		trimmed := strings.TrimSpace(text)
		return whole && trimmed == "" || strings.HasPrefix(text, "  ") || strings.HasPrefix(text, "\t") || strings.HasPrefix(trimmed, "|")
	}
	left := strings.TrimRight(before, " ")
	return strings.TrimSpace(before) != "" && (len(before)-len(left) > 1 || strings.HasSuffix(left, "|") || strings.HasSuffix(left, "\t")) && gap(behind, true)
}

// EndsLabelled tells whether a place is all that stands behind a label: Advance: none.
func (tx *Text) EndsLabelled(s Span) bool {
	behind, _, _ := strings.Cut(tx.Source[s.End:], "\n")
	return strings.HasSuffix(strings.TrimRight(tx.lineUpTo(s.Start), " \u00a0"), ":") && (strings.Trim(behind, " .,;") == "" || strings.HasPrefix(behind, "  "))
}

// BeforeNoun tells whether one word stands behind a place, and then no other that goes on
// with it: no abstentions; keine Enthaltung.
func (tx *Text) BeforeNoun(s Span) bool {
	i := tx.TokenAt(s.End)
	if i >= len(tx.Tokens) || tx.Source[s.End:max(s.End, tx.Tokens[i].Start)] != " " || lang.Filler.Has(tx.Tokens[i].Word) || isDigit(tx.Tokens[i].Word[0]) {
		return false
	}
	rest := strings.TrimLeft(tx.Source[tx.Tokens[i].End:], " ")
	return rest == "" || strings.ContainsAny(rest[:1], ".,;:\n–-)")
}

// isRank tells whether the ending of a day or a rank stands behind a figure: the 8th is
// no amount.
func (tx *Text) isRank(end int) bool {
	rest := tx.Source[end:min(len(tx.Source), end+8)]
	n := strings.IndexFunc(rest, func(r rune) bool { return !unicode.IsLetter(r) })
	if n < 0 {
		n = len(rest)
	}
	return n > 1 && lang.Ordinal.Has(rest[:n]) && UnitOf(rest[:n]) == ""
}

// AllNumbers gives the places of all numbers, in order, each once.
func (tx *Text) AllNumbers() (all []Span) {
	seen := map[Span]bool{}
	for _, figures := range tx.numbers {
		for _, f := range figures {
			if !seen[f.Span] {
				seen[f.Span] = true
				all = append(all, f.Span)
			}
		}
	}
	sort.Slice(all, func(i, j int) bool { return before(all[i], all[j]) })
	return all
}

// before orders places: by where they start, the longer of two first.
func before(a, b Span) bool { return a.Start < b.Start || a.Start == b.Start && a.End > b.End }

// FigureIn gives the first number that lies in a place.
func (tx *Text) FigureIn(s Span) (Span, bool) {
	for _, n := range tx.AllNumbers() {
		if n.Start >= s.Start && n.End <= s.End {
			return n, true
		}
	}
	return Span{}, false
}

// Every gives the places of a number in any of its readings.
func (tx *Text) Every(key string) (found []Span) {
	for _, at := range tx.numbers[key] {
		found = append(found, at.Span)
	}
	return found
}

// byWord gives the tokens of each word, by their places in tokens. All lists
// share one array: a text has few words that stand there often, and many lists
// would be most of the work.
func byWord(tokens []Token) map[string][]int {
	ids := make(map[string]int32, len(tokens)/4)
	of := make([]int32, len(tokens))
	var counts []int
	for i := range tokens {
		id, ok := ids[tokens[i].Word]
		if !ok {
			id = int32(len(counts))
			ids[tokens[i].Word] = id
			counts = append(counts, 0)
		}
		of[i] = id
		counts[id]++
	}
	all := make([]int, len(tokens))
	lists := make([][]int, len(counts))
	at := 0
	for id, n := range counts {
		lists[id] = all[at : at : at+n]
		at += n
	}
	for i, id := range of {
		lists[id] = append(lists[id], i)
	}
	words := make(map[string][]int, len(ids))
	for word, id := range ids {
		words[word] = lists[id]
	}
	return words
}

// tokensOf gives the tokens, in order, whose words are such: each word is looked at once.
func (tx *Text) tokensOf(is func(word string) bool) (all []int) {
	for word, at := range tx.ByWord {
		if is(word) {
			all = append(all, at...)
		}
	}
	sort.Ints(all)
	return all
}

// LineOf gives the number of the line that holds offset, from 0.
func (tx *Text) LineOf(offset int) int { return sort.SearchInts(tx.Breaks, offset) }

// Line gives the text of a line, from 1, without the blanks around it; "" behind the last.
func (tx *Text) Line(n int) string { return strings.TrimSpace(tx.lineAt(n - 1)) }

// LineSpan gives where a line stands, from 0, without the sign that ends it.
func (tx *Text) LineSpan(n int) Span {
	s := Span{0, len(tx.Source)}
	if n > 0 {
		s.Start = tx.Breaks[n-1] + 1
	}
	if n < len(tx.Breaks) {
		s.End = tx.Breaks[n]
	}
	return s
}

// lineAt gives the text of a line, from 0; "" behind the last.
func (tx *Text) lineAt(n int) string {
	if n > len(tx.Breaks) {
		return ""
	}
	s := tx.LineSpan(n)
	return tx.Source[s.Start:s.End]
}

// TokenAt gives the first Token that does not end before offset.
func (tx *Text) TokenAt(offset int) int {
	return sort.Search(len(tx.Tokens), func(i int) bool { return tx.Tokens[i].End > offset })
}

// Reads tells whether the tokens from first on are these words.
func (tx *Text) Reads(first int, words []string) bool {
	for i, w := range words {
		if first+i >= len(tx.Tokens) || tx.Tokens[first+i].Word != w {
			return false
		}
	}
	return true
}

// IsWordRune tells what words consist of.
func IsWordRune(r rune) bool {
	return unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r)
}

// Tokenize gives the words of a text.
func Tokenize(text string) []Token {
	tokens := make([]Token, 0, len(text)/6+1)
	start := -1
	for i, r := range text {
		if IsWordRune(r) {
			if start < 0 {
				start = i
			}
			continue
		}
		if start >= 0 {
			tokens = append(tokens, Token{Span{start, i}, fold(text[start:i])})
			start = -1
		}
	}
	if start >= 0 {
		tokens = append(tokens, Token{Span{start, len(text)}, fold(text[start:])})
	}
	return tokens
}

func fold(s string) string { return strings.ToLower(s) }

func isDigit(c byte) bool { return c >= '0' && c <= '9' }
