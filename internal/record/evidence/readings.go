package evidence

import (
	"fmt"
	"regexp"
	"slices"
	"sort"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// What words can mean beside figures: fractions, numbers in words, days with
// their endings; and what a figure's own neighbours say of it.

// literal is a number as it is printed.
type literal struct {
	span
	text string
}

// convention is which sign a text writes before decimals, as far as its numbers
// that can be read in one way only tell: '.', ',' or 0 where they tell nothing or
// both.
func convention(all []literal) byte {
	point, comma := false, false
	for _, l := range all {
		p, c := strings.LastIndexByte(l.text, '.'), strings.LastIndexByte(l.text, ',')
		last := max(p, c)
		if last < 0 || strings.HasPrefix(l.text, "0") && p < 0 && c < 0 {
			continue
		}
		decimals := len(l.text) - last - 1
		switch {
		case p >= 0 && c >= 0:
		case strings.Count(l.text, ".")+strings.Count(l.text, ",") > 1: // groups alone, or a date
			if len(readings(l.text)) == 0 {
				continue
			}
			if p >= 0 {
				comma = true
			} else {
				point = true
			}
			continue
		case decimals == 3 && !strings.HasPrefix(strings.TrimLeft(l.text, "-"), "0"):
			continue // a group or decimals
		}
		if l.text[last] == '.' {
			point = true
		} else {
			comma = true
		}
	}
	switch {
	case point && !comma:
		return '.'
	case comma && !point:
		return ','
	}
	return 0
}

// readingsBy gives the readings of a literal in a text whose convention is known:
// 1,250 is 1250 where decimals stand behind a point.
func readingsBy(text string, decimal byte) []string {
	all := readings(text)
	if len(all) < 2 || decimal == 0 || strings.HasPrefix(strings.TrimLeft(text, "-"), "0") {
		return all
	}
	sign := byte('.')
	if strings.IndexByte(text, ',') >= 0 {
		sign = ','
	}
	if sign == decimal {
		return all[:1] // decimals
	}
	return all[1:] // a group
}

var (
	fraction = regexp.MustCompile(`(?:^|[^\d/.,])((\d{1,4})[ \x{00a0}](\d)/(\d{1,2}))(?:[^\d/]|$)|((\d{0,4})[ \x{00a0}]?([½¼¾⅓⅔⅛⅜⅝⅞]))`)
	parts    = map[string]string{"½": "1/2", "¼": "1/4", "¾": "3/4", "⅓": "1/3", "⅔": "2/3", "⅛": "1/8", "⅜": "3/8", "⅝": "5/8", "⅞": "7/8"}
)

// fractionBehind is what makes a mixed number of the figure before it.
var fractionBehind = regexp.MustCompile(`^ \d/\d{1,2}(?:[^\d/]|$)`)

// findFractions records mixed numbers that come out even: 2 1/2 and 2½ are 2.5.
func (ix *Index) findFractions(within span) {
	text := ix.text[within.start:within.end]
	if !strings.Contains(text, "/") && !strings.ContainsAny(text, "½¼¾⅓⅔⅛⅜⅝⅞") {
		return
	}
	for _, m := range fraction.FindAllStringSubmatchIndex(text, -1) {
		group, whole, of := 1, 2, ""
		if m[2] < 0 {
			group, whole = 5, 6
			of = parts[text[m[14]:m[15]]]
		} else {
			of = text[m[6]:m[7]] + "/" + text[m[8]:m[9]]
		}
		over, under, _ := strings.Cut(of, "/")
		a, _ := strconv.Atoi(over)
		b, _ := strconv.Atoi(under)
		if b == 0 || 1000%b != 0 {
			continue
		}
		n, _ := strconv.Atoi(text[m[2*whole]:m[2*whole+1]])
		key := value.CanonicalNumber(fmt.Sprintf("%d.%03d", n+a/b, a%b*1000/b))
		ix.numbers[key] = append(ix.numbers[key], span{within.start + m[2*group], within.start + m[2*group+1]})
	}
}

// findWords records numbers in words: twelve, a dozen, twenty-three,
// dreiundzwanzig.
func (ix *Index) findWords() {
	add := func(n int, s span) {
		key := value.CanonicalNumber(strconv.Itoa(n))
		ix.numbers[key] = append(ix.numbers[key], s)
	}
	half := func(n int, s span) { // two and a half, zweieinhalb
		key := value.CanonicalNumber(strconv.Itoa(n) + ".5")
		ix.numbers[key] = append(ix.numbers[key], s)
	}
	for _, i := range ix.numberWords() {
		t := ix.tokens[i]
		for _, end := range lang.AndAHalf.Words() {
			if before, ok := strings.CutSuffix(t.word, end); ok && before != "" {
				if n, ok := numberWord(before); ok {
					half(n, t.span)
				}
			}
		}
		n, ok := numberWord(t.word)
		if !ok {
			continue
		}
		for _, end := range lang.AndAHalf.Words() {
			if rest := ix.text[t.end:min(len(ix.text), t.end+len(end)+1)]; len(rest) == len(end)+1 && rest[0] == ' ' && strings.EqualFold(rest[1:], end) {
				half(n, span{t.start, t.end + len(rest)})
				ok = false
			}
		}
		if !ok {
			continue
		}
		if n >= 20 && n < 100 && n%10 == 0 && i+1 < len(ix.tokens) {
			next := ix.tokens[i+1]
			gap := ix.text[t.end:next.start]
			if unit, ok := numberWord(next.word); ok && unit > 0 && unit < 10 && (gap == "-" || gap == " ") {
				add(n+unit, span{t.start, next.end})
				continue
			}
		}
		if n > 0 && n < 10 && i > 0 && len(ix.text[ix.tokens[i-1].end:t.start]) == 1 {
			if tens, ok := numberWord(ix.tokens[i-1].word); ok && tens >= 20 && tens%10 == 0 {
				continue // the end of another number
			}
		}
		add(n, t.span)
	}
}

// numberWords gives the tokens that are numbers in words, or halves of them, in
// order. A text has few words that stand there often: each is looked up once.
func (ix *Index) numberWords() (all []int) {
	for word, at := range ix.words {
		_, is := numberWord(word)
		for _, end := range lang.AndAHalf.Words() {
			is = is || strings.HasSuffix(word, end)
		}
		if is {
			all = append(all, at...)
		}
	}
	sort.Ints(all)
	return all
}

// numberWord reads one word, also one that joins units and tens with "und".
func numberWord(word string) (int, bool) {
	if n, err := strconv.Atoi(lang.Number.Meaning(word)); err == nil {
		return n, true
	}
	if before, rest, ok := strings.Cut(word, "hundert"); ok { // zweihundertzwölf
		hundreds, okA := 1, before == "" || before == "ein"
		if !okA {
			hundreds, okA = numberWord(before)
		}
		n, okB := 0, rest == ""
		if !okB {
			n, okB = numberWord(rest)
		}
		return hundreds*100 + n, okA && okB && hundreds < 10 && n < 100
	}
	unit, tens, ok := strings.Cut(word, "und")
	if !ok || tens == "" {
		return 0, false
	}
	if unit == "ein" {
		unit = "eins"
	}
	a, errA := strconv.Atoi(lang.Number.Meaning(unit))
	b, errB := strconv.Atoi(lang.Number.Meaning(tens))
	return a + b, errA == nil && errB == nil && a < 10 && b >= 20 && b < 100
}

// days is the dates of a source, made when they are first asked for.
type days struct {
	once  sync.Once
	at    map[string][]span // by the day as records hold it
	spans []span            // of all of them, and of days in figures
}

// daysOf gives the places where a day is written with its month in words, in
// any language and with any ending, or year first.
func (ix *Index) daysOf(day string) []span {
	ix.findDays()
	return ix.days.at[day]
}

// inDate tells whether a place is a part of a date.
func (ix *Index) inDate(s span) bool {
	ix.findDays()
	spans := ix.days.spans // in order
	last := sort.Search(len(spans), func(i int) bool { return spans[i].start > s.start })
	for i := last - 1; i >= 0 && i >= last-4; i-- { // those in words and in figures may overlap
		if d := spans[i]; s.start >= d.start && s.end <= d.end && s != d {
			return true
		}
	}
	return false
}

func (ix *Index) findDays() {
	ix.days.once.Do(func() {
		ix.days.at = map[string][]span{}
		for _, name := range append(lang.Month.Words(), lang.ShortMonth.Words()...) {
			for _, i := range ix.words[name] {
				ix.dayAround(i, name)
			}
		}
		for i := 0; i+2 < len(ix.tokens); i++ {
			ix.dayInFigures(i)
		}
		sort.Slice(ix.days.spans, func(i, j int) bool { return ix.days.spans[i].start < ix.days.spans[j].start })
	})
}

// keepDay notes a date between two tokens.
func (ix *Index) keepDay(from, to int, year, month, day string) {
	at := span{ix.tokens[from].start, ix.tokens[to].end}
	ix.days.spans = append(ix.days.spans, at)
	if t, err := time.Parse("2006-1-2", year+"-"+strings.TrimLeft(month, "0")+"-"+strings.TrimLeft(day, "0")); err == nil {
		key := t.Format(time.DateOnly)
		ix.days.at[key] = append(ix.days.at[key], at)
	}
}

// dayAround reads a date around the name of a month: 3rd of April 2032, 1er avril
// 2032, April 3, 2032.
func (ix *Index) dayAround(i int, name string) {
	month := lang.Month.Meaning(name)
	if month == "" {
		month = lang.ShortMonth.Meaning(name)
	}
	after := ix.skipOf(i+1, 1)
	if year, ok := ix.year(after); ok && ix.near(i, after) {
		if day, first := ix.dayBefore(ix.skipOf(i-1, -1)); day != "" && ix.near(first, i) {
			ix.keepDay(first, after, year, month, day)
			return
		}
	}
	if day := ix.dayOf(i + 1); day != "" {
		if year, ok := ix.year(i + 2); ok && ix.near(i, i+2) {
			ix.keepDay(i, i+2, year, month, day)
		}
	}
}

// near tells whether two tokens stand as close as the parts of a date do.
func (ix *Index) near(from, to int) bool {
	return from >= 0 && to < len(ix.tokens) && ix.tokens[to].start-ix.tokens[from].end < 32 && strings.Count(ix.text[ix.tokens[from].end:ix.tokens[to].start], "\n") < 2
}

// skipOf steps over a word that stands between the parts of a date.
func (ix *Index) skipOf(i, step int) int {
	if i >= 0 && i < len(ix.tokens) && lang.OrdinalOf.Has(ix.tokens[i].word) {
		return i + step
	}
	return i
}

func (ix *Index) year(i int) (string, bool) {
	if i < 0 || i >= len(ix.tokens) || len(ix.tokens[i].word) != 4 || strings.Trim(ix.tokens[i].word, "0123456789") != "" {
		return "", false
	}
	return ix.tokens[i].word, true
}

// dayOf reads a token as a day of a month: in figures, with or without an ending,
// or in words.
func (ix *Index) dayOf(i int) string {
	if i < 0 || i >= len(ix.tokens) {
		return ""
	}
	word := ix.tokens[i].word
	if d := lang.Day.Meaning(word); d != "" {
		return d
	}
	digits := 0
	for digits < len(word) && isDigit(word[digits]) {
		digits++
	}
	if digits == 0 || digits > 2 || digits < len(word) && !lang.Ordinal.Has(word[digits:]) {
		return ""
	}
	return word[:digits]
}

// dayBefore reads the day that ends at a token, and gives its first token.
func (ix *Index) dayBefore(i int) (day string, first int) {
	if i > 0 {
		if d := lang.Day.Meaning(ix.tokens[i-1].word + "-" + ix.tokens[i].word); d != "" {
			return d, i - 1
		}
	}
	return ix.dayOf(i), i
}

// dayInFigures reads a date in figures alone: 3.4.2032, 2032/04/03.
func (ix *Index) dayInFigures(i int) {
	a, b, c := ix.tokens[i], ix.tokens[i+1], ix.tokens[i+2]
	if !isDigit(a.word[0]) || !isDigit(b.word[0]) || len(a.word) > 4 || len(b.word) > 2 || len(c.word) > 4 || strings.Trim(a.word+b.word+c.word, "0123456789") != "" {
		return
	}
	for _, gap := range []string{ix.text[a.end:b.start], ix.text[b.end:c.start]} {
		if gap = strings.TrimRight(gap, " "); gap != "." && gap != "/" && gap != "-" {
			return
		}
	}
	if len(a.word) == 4 {
		ix.keepDay(i, i+2, a.word, b.word, c.word)
	} else {
		ix.days.spans = append(ix.days.spans, span{a.start, c.end})
	}
}

// isShortFigure tells a value that is a number of at most three digits: such a one
// stands in every date.
func isShortFigure(v *value.Value) bool {
	return (v.Kind == value.String || v.Kind == value.Number) && v.Text != "" && len(v.Text) <= 3 && strings.Trim(v.Text, "0123456789") == ""
}

// neighbour is what stands beside a figure.
type neighbour struct {
	word string // behind it
	span span   // of the figure with the word
}

// behind gives the word or sign right behind a figure.
func (ix *Index) behind(s span) neighbour {
	rest := ix.text[s.end:min(len(ix.text), s.end+24)]
	trimmed := rest
	for _, none := range []string{",-", ",–", ",—", ".-", ".–", ".—"} { // no hundredths
		trimmed = strings.TrimPrefix(trimmed, none)
	}
	trimmed = strings.TrimLeft(trimmed, " \u00a0")
	end := 0
	for i, r := range trimmed {
		if i == 0 && strings.ContainsRune("€$£¥%°\"'", r) {
			end = utf8.RuneLen(r)
			if r != '°' {
				break
			}
			continue
		}
		if !isWordRune(r) && !strings.ContainsRune("²³°", r) {
			break
		}
		end = i + utf8.RuneLen(r)
	}
	return neighbour{trimmed[:end], span{s.start, s.end + len(rest) - len(trimmed) + end}}
}

// before gives the word or sign right before a figure.
func (ix *Index) before(s span) string {
	head := strings.TrimRight(ix.text[max(0, s.start-16):s.start], " \u00a0")
	from := len(head)
	for from > 0 {
		r, size := utf8.DecodeLastRuneInString(head[:from])
		if strings.ContainsRune("€$£¥", r) && from == len(head) {
			return head[from-size:]
		}
		if !unicode.IsLetter(r) {
			break
		}
		from -= size
	}
	return head[from:]
}

// currencyOf gives the currency that a word or sign stands for, and whether it
// may be another's as well; "" for none. A name is one only behind a figure.
func currencyOf(word string, behind bool) (code string, perhaps bool) {
	if c := lang.Sign.Meaning(word); c != "" {
		return c, false
	}
	if c := lang.PerhapsSign.Meaning(word); c != "" {
		return c, true
	}
	if len(word) == 3 && word == strings.ToUpper(word) && lang.Code.Has(word) {
		return word, false
	}
	if behind {
		return lang.Currency.Meaning(word), false
	}
	return "", false
}

// saysOther tells whether what stands beside a figure says that it measures
// something else than the measure: another unit or currency.
func (ix *Index) saysOther(f *schema.Field, s span, measure string) bool {
	word, lead := ix.behind(s).word, ix.before(s)
	if f.Type == schema.Money {
		for i, w := range []string{word, lead} {
			if code, perhaps := currencyOf(w, i == 0); code != "" {
				own := slices.Concat(lang.Sign.Names(measure), lang.PerhapsSign.Names(measure))
				if perhaps { // the dollars of a currency that has no sign of its own
					return len(own) > 0 && !slices.Contains(own, w)
				}
				return code != strings.ToUpper(measure)
			}
		}
		return lang.Minor.Has(word) || isUnit(word)
	}
	if code, _ := currencyOf(word, true); code != "" {
		return true
	}
	if code, _ := currencyOf(lead, false); code != "" {
		return true
	}
	if ix.beside(f, s, measure) != s {
		return false // its own, which may begin with another: s/day
	}
	unit := normalize.UnitOf(word)
	return unit != "" && isUnit(word) && unit != normalize.UnitOf(measure) && !strings.EqualFold(word, measure)
}

// isDenied tells whether a word for "not" stands right before a place.
func (ix *Index) isDenied(s span) bool {
	at := ix.tokenAt(s.start) - 1
	return at >= 0 && ix.near(at, at+1) && lang.Not.Has(ix.tokens[at].word)
}

// isUnit tells a word that is a unit of measure and nothing else: "a" and "in"
// are words before all.
func isUnit(word string) bool {
	return normalize.UnitOf(word) != "" && !lang.Filler.Has(word) && !lang.LeadIn.Has(word)
}

// minor gives the places of a sum in hundredths: 50 cents for 0.50.
func (ix *Index) minor(figure string) []span {
	hundred := value.CanonicalNumber(shifted(figure))
	var found []span
	for _, s := range ix.numbers[hundred] {
		if n := ix.behind(s); lang.Minor.Has(n.word) {
			found = append(found, n.span)
		}
	}
	return found
}

// shifted gives a figure a hundred times as large.
func shifted(figure string) string {
	whole, decimals, _ := strings.Cut(figure, ".")
	decimals += "00"
	return strings.TrimLeft(whole+decimals[:2]+"."+decimals[2:]+"0", "0")
}

// signed gives the sign that words near a figure say, where the field declares
// such words: -1, 1, or 0 for none.
func (ix *Index) signed(f *schema.Field, s span) int {
	at := ix.tokenAt(s.start)
	line := ix.line(s.start)
	best, sign := 1<<30, 0
	for i := max(0, at-signReach); i < len(ix.tokens) && i <= at+signReach; i++ {
		if ix.tokens[i].start > s.end && ix.line(ix.tokens[i].start) > line+1 || ix.line(ix.tokens[i].end) < line-1 {
			continue
		}
		between := ""
		switch t := ix.tokens[i]; {
		case t.end <= s.start:
			between = ix.text[t.end:s.start]
		case t.start >= s.end:
			between = ix.text[s.end:t.start]
		}
		if strings.ContainsAny(between, ";!?") || sentenceEnd.MatchString(between) {
			continue
		}
		for n, words := range [][]string{f.Minus, f.Plus} {
			for _, w := range words {
				var want []string
				for _, t := range tokenize(w) {
					want = append(want, t.word)
				}
				if away := max(i-at, at-i); ix.reads(i, want) && len(want) > 0 && away < best {
					best, sign = away, 2*n-1
				}
			}
		}
	}
	return sign
}

// sentenceEnd is the end of a sentence, and not of an abbreviation before a figure.
var sentenceEnd = regexp.MustCompile(`[.:]\s+\p{Lu}\pL{3,}`)

// signReach is how many words from a figure a word of its sign may stand.
const signReach = 6

// findTakenBack notes what the text takes back: the X of "not X but Y", and the
// same figure elsewhere in its paragraph; what is struck out.
func (ix *Index) findTakenBack() {
	if strings.Contains(ix.text, "~~") {
		for _, s := range ix.spans {
			for _, m := range struck.FindAllStringIndex(ix.text[s.start:s.end], mostTakenBack) {
				ix.back = append(ix.back, span{s.start + m[0], s.start + m[1]})
			}
		}
	}
	for _, not := range lang.Not.Words() {
		at := ix.words[not]
		for _, i := range at[:min(len(at), mostTakenBack)] {
			ix.notBut(i)
		}
	}
}

// notBut reads "not X but Y" from its first word on, X a figure or two words of
// which the second is: what is said of X in its paragraph is taken back.
func (ix *Index) notBut(i int) {
	for x := i + 1; x <= i+2 && x < len(ix.tokens); x++ {
		if !isDigit(ix.tokens[x].word[0]) {
			continue
		}
		for y := x + 1; y <= x+5 && y < len(ix.tokens); y++ {
			if strings.ContainsAny(ix.text[ix.tokens[y-1].end:ix.tokens[y].start], ".;") {
				return
			}
			if lang.But.Has(ix.tokens[y].word) {
				ix.takeBack(ix.tokens[x])
				return
			}
		}
		return
	}
}

// takeBack marks a word wherever its paragraph has it.
func (ix *Index) takeBack(t token) {
	from := strings.LastIndex(ix.text[:t.start], "\n\n")
	to := strings.Index(ix.text[t.end:], "\n\n")
	if to < 0 {
		to = len(ix.text)
	} else {
		to += t.end
	}
	for _, i := range ix.words[t.word] {
		if o := ix.tokens[i]; o.start >= from && o.end <= to {
			ix.back = append(ix.back, o.span)
		}
	}
}

var struck = regexp.MustCompile(`~~[^~\n]{1,200}~~`)

// mostTakenBack bounds what is looked for in each stretch of a text.
const mostTakenBack = 200

// isTakenBack tells whether a place lies in what the text takes back.
func (ix *Index) isTakenBack(s span) bool {
	for _, b := range ix.back {
		if s.start >= b.start && s.start < b.end {
			return true
		}
	}
	return false
}

// monthText is a month of a year, in words of any language or in figures.
var monthText = regexp.MustCompile(`(\pL{3,12})\.? (?:de )?(\d{4})|(?:^|[^\d./-])(\d{1,2})[/.](\d{4})`)

// monthsOf gives the places where a month is written, as records hold it: 2032-04.
func (ix *Index) monthsOf(month string) (found []span) {
	year, number, _ := strings.Cut(month, "-")
	number = strings.TrimLeft(number, "0")
	for _, s := range ix.spans {
		text := ix.text[s.start:s.end]
		for _, m := range monthText.FindAllStringSubmatchIndex(text, -1) {
			from, y, said := m[2], 4, ""
			if m[2] >= 0 {
				word := text[m[2]:m[3]]
				if said = lang.Month.Meaning(word); said == "" {
					said = lang.ShortMonth.Meaning(word)
				}
			} else {
				from, y = m[6], 8
				said = strings.TrimLeft(text[m[6]:m[7]], "0")
			}
			if said == number && text[m[y]:m[y+1]] == year {
				found = append(found, span{s.start + from, s.start + m[y+1]})
			}
		}
	}
	return found
}
