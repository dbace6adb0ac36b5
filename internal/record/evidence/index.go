// Package evidence finds where in a source text the values of a record stand.
//
// Rules it keeps:
//
//   - A place begins and ends at a token boundary: the 3 of bay 3 is never a
//     part of 13, of 3.5 or of a date.
//   - `quoted` means that the value stands there letter for letter; `restated`
//     that it stands there in another spelling (a date, a number, a choice's
//     synonym, case, spacing); `inferred` that it was not found and need not be;
//     `none` that it was not found. Nothing is `quoted` that a reader with a
//     finger on the page would not find.
//   - Where a value stands in several places, the one nearest to the item's
//     other values is taken and the rivals are counted.
package evidence

import (
	"slices"
	"sort"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// span is a place in the source text, half-open, in bytes.
type span struct{ start, end int }

// token is a run of letters and digits.
type token struct {
	span
	word string // folded
}

// Index makes a source text searchable. It is built once a document and may
// then be used by many goroutines.
type Index struct {
	text    string
	tokens  []token
	words   map[string][]int  // folded word → its tokens
	numbers map[string][]span // canonical number → its places
	breaks  []int             // where lines end
	spans   []span            // what is indexed
	likes   likes
	days    days
	back    []span // what the text takes back
	// Unsure tells whether the OCR engine was in doubt of the words between two
	// offsets; there a value may be a few more characters away. May be nil.
	Unsure func(start, end int) bool
}

// NewIndex indexes a source text.
func NewIndex(text string) *Index {
	return newIndex(text, lineBreaks(text), []span{{0, len(text)}})
}

// Within gives an index of some stretches of the same text alone, each [start,
// end) in bytes, in order: values are looked for nowhere else. Offsets stay
// those of the whole text.
func (ix *Index) Within(stretches [][2]int) *Index {
	var spans []span
	for _, s := range stretches {
		spans = append(spans, span{s[0], s[1]})
	}
	part := newIndex(ix.text, ix.breaks, spans)
	part.Unsure = ix.Unsure
	return part
}

func lineBreaks(text string) (breaks []int) {
	for i := 0; i < len(text); i++ {
		if text[i] == '\n' {
			breaks = append(breaks, i)
		}
	}
	return breaks
}

func newIndex(text string, breaks []int, spans []span) *Index {
	ix := &Index{text: text, numbers: map[string][]span{}, breaks: breaks, spans: spans}
	for _, s := range spans {
		found := tokenize(text[s.start:s.end])
		if s.start > 0 {
			for i := range found {
				found[i].start, found[i].end = found[i].start+s.start, found[i].end+s.start
			}
		}
		if ix.tokens == nil {
			ix.tokens = found
		} else {
			ix.tokens = append(ix.tokens, found...)
		}
	}
	ix.words = byWord(ix.tokens)
	var literals []literal
	for _, s := range spans {
		literals = ix.literals(literals, s)
	}
	decimal := convention(literals)
	for _, l := range literals {
		for _, reading := range readingsBy(l.text, decimal) {
			ix.numbers[reading] = append(ix.numbers[reading], l.span)
		}
	}
	for _, s := range spans {
		ix.findFractions(s)
	}
	ix.findWords()
	ix.findTakenBack()
	return ix
}

// byWord gives the tokens of each word, by their places in tokens. All lists
// share one array: a text has few words that stand there often, and many lists
// would be most of the work.
func byWord(tokens []token) map[string][]int {
	ids := make(map[string]int32, len(tokens)/4)
	of := make([]int32, len(tokens))
	var counts []int
	for i := range tokens {
		id, ok := ids[tokens[i].word]
		if !ok {
			id = int32(len(counts))
			ids[tokens[i].word] = id
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

// beside widens the place of a figure over the measure right before or behind
// it, if it stands there.
func (ix *Index) beside(f *schema.Field, s span, measure string) span {
	if measure == "" {
		return s
	}
	for _, m := range namesOf(f, measure) {
		behind := strings.TrimLeft(ix.text[s.end:min(len(ix.text), s.end+4+len(m))], " \u00a0")
		if len(behind) >= len(m) && strings.EqualFold(behind[:len(m)], m) {
			gap := len(ix.text[s.end:min(len(ix.text), s.end+4+len(m))]) - len(behind)
			return span{s.start, s.end + gap + len(m)}
		}
		before := strings.TrimRight(ix.text[max(0, s.start-4-len(m)):s.start], " \u00a0")
		if len(before) >= len(m) && strings.EqualFold(before[len(before)-len(m):], m) {
			gap := len(ix.text[max(0, s.start-4-len(m)):s.start]) - len(before)
			return span{s.start - gap - len(m), s.end}
		}
	}
	return s
}

// namesOf gives the words and signs that may stand for a measure of a field.
func namesOf(f *schema.Field, measure string) []string {
	if f.Type == schema.Quantity {
		all := append([]string{measure}, lang.Unit.Names(measure)...)
		if measure == f.Unit {
			all = append(all, f.UnitAlso...)
		}
		slices.SortStableFunc(all, func(a, b string) int { return len(b) - len(a) })
		return all
	}
	return append(append(append([]string{measure}, lang.Sign.Names(measure)...), lang.PerhapsSign.Names(measure)...), lang.Currency.Names(measure)...)
}

// line gives the number of the line that holds offset, from 0.
func (ix *Index) line(offset int) int { return sort.SearchInts(ix.breaks, offset) }

// Line gives the text of a line, from 1, without the blanks around it.
func (ix *Index) Line(n int) string {
	text, _, _ := ix.lineAt(n - 1)
	return strings.TrimSpace(text)
}

// tokenAt gives the first token that does not end before offset.
func (ix *Index) tokenAt(offset int) int {
	return sort.Search(len(ix.tokens), func(i int) bool { return ix.tokens[i].end > offset })
}

// reads tells whether the tokens from first on are these words.
func (ix *Index) reads(first int, words []string) bool {
	for i, w := range words {
		if first+i >= len(ix.tokens) || ix.tokens[first+i].word != w {
			return false
		}
	}
	return true
}

func isWordRune(r rune) bool {
	return unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.IsMark(r)
}

func tokenize(text string) []token {
	tokens := make([]token, 0, len(text)/6+1)
	start := -1
	for i, r := range text {
		if isWordRune(r) {
			if start < 0 {
				start = i
			}
			continue
		}
		if start >= 0 {
			tokens = append(tokens, token{span{start, i}, fold(text[start:i])})
			start = -1
		}
	}
	if start >= 0 {
		tokens = append(tokens, token{span{start, len(text)}, fold(text[start:])})
	}
	return tokens
}

func fold(s string) string { return strings.ToLower(s) }

// literals adds every number that stands by itself: 12.40 and 1,250 do, the
// digits of FB-2031-07, of 3.4.2031 or of v2 do not.
func (ix *Index) literals(all []literal, within span) []literal {
	text := ix.text[:within.end]
	for i := within.start; i < len(text); {
		if text[i] < '0' || text[i] > '9' {
			i++
			continue
		}
		start, end := i, numberEnd(text, i)
		i = end
		if !standsAlone(text, start, end) {
			continue
		}
		digits := ungrouped.Replace(text[start:end])
		if r, _ := utf8.DecodeRuneInString(text[end:]); parts[string(r)] != "" || strings.HasPrefix(text[end:], " ") && fractionBehind.MatchString(text[end:min(len(text), end+6)]) {
			continue // the whole part of a fraction
		}
		if sign, size := signBefore(text[within.start:start]); size > 0 {
			if sign == '-' {
				digits = "-" + digits
			}
			start -= size
		}
		all = append(all, literal{span{start, end}, digits})
	}
	return all
}

// signBefore gives the sign at the end of a text, '-' or '+', and its bytes; 0 and
// 0 where there is none, or where it joins two words.
func signBefore(before string) (sign byte, size int) {
	r, size := utf8.DecodeLastRuneInString(before)
	switch r {
	case '-', '−', '–':
		sign = '-'
	case '+':
		sign = '+'
	default:
		return 0, 0
	}
	rest := before[:len(before)-size]
	if rest != "" && strings.IndexByte(" \t\n(:=", rest[len(rest)-1]) < 0 || r == '–' && strings.TrimRight(rest, " ") != rest && strings.ContainsFunc(lastWord(rest), unicode.IsDigit) {
		return 0, 0 // a range, or a dash between words
	}
	return sign, size
}

func lastWord(text string) string {
	text = strings.TrimRight(text, " ")
	return text[strings.LastIndexAny(text, " \t\n")+1:]
}

// numberEnd gives the end of the digits, points and commas that start at i.
func numberEnd(text string, i int) int {
	for i < len(text) {
		c := text[i]
		digit := c >= '0' && c <= '9'
		joins := (c == '.' || c == ',') && i+1 < len(text) && text[i+1] >= '0' && text[i+1] <= '9'
		if n := groupSign(text[i:]); n > 0 && !digit {
			i += n
			continue
		}
		if !digit && !joins {
			break
		}
		i++
	}
	return i
}

// groupSign gives the bytes of an apostrophe or a narrow space before exactly three
// digits, which it sets off as thousands; 0 for anything else.
func groupSign(text string) int {
	r, size := utf8.DecodeRuneInString(text)
	if r != '\'' && r != '’' && r != '\u202f' && r != '\u00a0' || len(text) < size+3 {
		return 0
	}
	for i := range 3 {
		if !isDigit(text[size+i]) {
			return 0
		}
	}
	if len(text) > size+3 && isDigit(text[size+3]) {
		return 0
	}
	return size
}

// ungrouped gives the digits of a number without such signs.
var ungrouped = strings.NewReplacer("'", "", "’", "", "\u202f", "", "\u00a0", "")

// standsAlone reports whether the digits of [start, end) are no part of a
// code, a date or a time. Letters may follow, as a unit does, but then no
// further digits.
func standsAlone(text string, start, end int) bool {
	if before, size := utf8.DecodeLastRuneInString(text[:start]); size > 0 {
		if isWordRune(before) {
			return false
		}
		if strings.ContainsRune("-/.:_", before) {
			if prior, _ := utf8.DecodeLastRuneInString(text[:start-size]); isWordRune(prior) {
				return false
			}
		}
	}
	rest := text[end:]
	if len(rest) >= 2 && strings.IndexByte("-/:_", rest[0]) >= 0 && isDigit(rest[1]) {
		return false
	}
	letters := 0
	for letters < len(rest) && (rest[letters]|0x20 >= 'a' && rest[letters]|0x20 <= 'z') {
		letters++
	}
	if letters > 0 && letters < len(rest) && isDigit(rest[letters]) {
		return false
	}
	// Letters may follow, as a unit or an ending does; a longer word is none.
	return letters <= 3 || normalize.UnitOf(rest[:letters]) != "" || lang.Currency.Has(rest[:letters])
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }

// readings gives the canonical numbers that a literal may mean: 1,250 is 1250
// or 1.25.
func readings(literal string) []string {
	points, commas := strings.Count(literal, "."), strings.Count(literal, ",")
	var spelled []string
	switch {
	case points <= 1 && commas == 0:
		spelled = append(spelled, literal)
		if points == 1 && len(literal)-strings.IndexByte(literal, '.') == 4 {
			spelled = append(spelled, strings.Replace(literal, ".", "", 1))
		}
	case commas == 1 && points == 0:
		spelled = append(spelled, strings.Replace(literal, ",", ".", 1))
		if len(literal)-strings.IndexByte(literal, ',') == 4 {
			spelled = append(spelled, strings.Replace(literal, ",", "", 1))
		}
	case strings.LastIndexByte(literal, '.') > strings.LastIndexByte(literal, ',') && points == 1:
		spelled = append(spelled, strings.ReplaceAll(literal, ",", ""))
	case commas == 1:
		spelled = append(spelled, strings.Replace(strings.ReplaceAll(literal, ".", ""), ",", ".", 1))
	case points == 0:
		spelled = append(spelled, strings.ReplaceAll(literal, ",", ""))
	case commas == 0:
		// Several points: thousands only where every group has three digits.
		groups := strings.Split(literal, ".")
		for _, g := range groups[1:] {
			if len(g) != 3 {
				return nil
			}
		}
		spelled = append(spelled, strings.ReplaceAll(literal, ".", ""))
	}
	for i, s := range spelled {
		spelled[i] = value.CanonicalNumber(s)
	}
	return spelled
}

// find gives the places where text stands, letter for letter or in another
// case, spacing or punctuation.
func (ix *Index) find(text string) []span {
	want := tokenize(text)
	if len(want) == 0 {
		return ix.findSigns(text)
	}
	rarest := 0
	for i := range want {
		if len(ix.words[want[i].word]) < len(ix.words[want[rarest].word]) {
			rarest = i
		}
	}
	var found []span
	for _, at := range ix.words[want[rarest].word] {
		first := at - rarest
		if first < 0 || first+len(want) > len(ix.tokens) || !ix.sameWords(first, want) && !ix.exactly(first, want, text) {
			continue
		}
		found = append(found, ix.grow(span{ix.tokens[first].start, ix.tokens[first+len(want)-1].end}, text, want))
	}
	return found
}

// exactly tells whether a text stands letter for letter where its words begin:
// then what stands between them is no matter, were it the end of a sentence.
func (ix *Index) exactly(first int, want []token, text string) bool {
	start := ix.tokens[first].start - want[0].start
	return start >= 0 && strings.HasPrefix(ix.text[start:], text)
}

func (ix *Index) sameWords(first int, want []token) bool {
	for i := range want {
		if ix.tokens[first+i].word != want[i].word {
			return false
		}
		if i > 0 && !closeBy(ix.text[ix.tokens[first+i-1].end:ix.tokens[first+i].start]) && !ix.ordinal(first+i-1) {
			return false
		}
	}
	return true
}

// ordinal tells a figure with a full stop right before the next word, as the day
// in 3. March: that ends no sentence.
func (ix *Index) ordinal(at int) bool {
	t := ix.tokens[at]
	return len(t.word) <= 2 && isDigit(t.word[0]) && at+1 < len(ix.tokens) && ix.text[t.end:ix.tokens[at+1].start] == ". "
}

// closeBy reports whether what stands between two words still lets them be
// one phrase: no empty line, and no end of a sentence.
func closeBy(gap string) bool {
	return len(gap) <= 24 && !strings.Contains(gap, "\n\n") && !strings.Contains(gap, ". ")
}

// grow widens a place over the signs that the value has before its first and
// behind its last word, where they stand in the text as well.
func (ix *Index) grow(s span, text string, want []token) span {
	head, tail := text[:want[0].start], text[want[len(want)-1].end:]
	if strings.HasSuffix(ix.text[:s.start], head) {
		s.start -= len(head)
	}
	if strings.HasPrefix(ix.text[s.end:], tail) {
		s.end += len(tail)
	}
	return s
}

// findSigns finds a text without letters and digits.
func (ix *Index) findSigns(text string) []span {
	if strings.TrimSpace(text) == "" {
		return nil
	}
	var found []span
	for _, s := range ix.spans {
		for from := s.start; len(found) < 100; {
			i := strings.Index(ix.text[from:s.end], text)
			if i < 0 {
				break
			}
			found = append(found, span{from + i, from + i + len(text)})
			from += i + len(text)
		}
	}
	return found
}
