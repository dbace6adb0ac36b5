package reading

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// findNumbers notes every number that stands by itself: 12.40 and 1,250 do, the
// digits of FB-2031-07, of 3.4.2031 or of v2 do not.
func (tx *Text) findNumbers() {
	var all []literal
	for _, s := range tx.Stretches {
		all = tx.literals(all, s)
	}
	counted := slices.DeleteFunc(slices.Clone(all), func(l literal) bool { // 13.30 Uhr has no decimals
		return len(l.text) < 6 && strings.IndexByte(l.text, '.') > 0 && tx.beside(l.Span).Unit == "o'clock"
	})
	decimal := tx.convention(counted)
	if decimal == '.' && tx.convention(slices.DeleteFunc(counted, tx.isOfName)) == 0 && lang.Commas.Has(lang.Guess(tx.Source).Code) {
		decimal = ',' // a German list with a car called Tessin 1.6
	}
	grouped := byte(0) // of figures with a comma: the sign before decimals, where only the language tells
	if decimal == 0 && slices.ContainsFunc(all, func(l literal) bool { return len(Figures(l.text)) > 1 }) {
		switch code := lang.Guess(tx.Source).Code; {
		case lang.Commas.Has(code):
			decimal = ','
		case lang.CommaGroups.Has(code):
			grouped = '.'
		}
	}
	phones, spoken := tx.phones(), 0
	for _, l := range all {
		if within(phones, l.Span) && (!strings.Contains(tx.Source[l.Start:l.End], " ") || !isUnit(tx.beside(l.Span).Unit)) {
			continue // but for a counter: 048 910.2 kWh
		}
		both := Figures(l.text)
		if l.scale > 0 { // 1.2 million has decimals
			if plain := spelled(l.text); len(plain) > 0 {
				tx.add(canonical(shifted(plain[0], l.scale)), figure{Span: l.Span})
			}
			continue
		}
		if l.Start < spoken {
			continue
		}
		if n, err := strconv.Atoi(l.text); err == nil && n < 1000 && tx.isDozen(l.End) {
			tx.add(canonical(strconv.Itoa(12*n)), figure{Span: l.Span})
			continue
		}
		if sum, end := tx.spokenSum(l.End); sum > 0 && strings.Trim(l.text, "0123456789") == "" {
			tx.add(canonical(fmt.Sprintf("%s.%02d", l.text, sum)), figure{Span: l.Span})
			spoken = end
			continue
		}
		if part := tx.partBehind(l.End); part != "" && strings.Trim(l.text, "0123456789") == "" {
			tx.add(canonical(l.text+part), figure{Span: l.Span})
			continue
		}
		readings := readingsBy(l.text, both, decimal)
		if grouped != 0 && strings.Contains(l.text, ",") { // 184,320 km in English; 1.250 may be a foreigner's
			readings = readingsBy(l.text, both, grouped)
		}
		if !strings.HasPrefix(l.text, "-") && tx.mayBeNegative(l.Span) {
			for _, key := range readings {
				tx.add(canonical("-"+key), figure{Span: l.Span})
			}
		}
		if !strings.HasPrefix(l.text, "-") && tx.isBelowZero(l.Span) {
			continue
		}
		for _, key := range both {
			ruledOut := len(readings) < len(both) && readings[0] != key
			f := figure{Span: l.Span, text: l.text, open: len(readings) > 1}
			if ruledOut { // by the rest of the text, but perhaps not by a declared format
				f.open = true
			}
			tx.add(key, f)
		}
	}
	tx.smallRows()
	tx.pairColumns()
}

// isOfName tells a figure such as 1.6 that ends a name: it measures nothing, and a word with a capital stands before it.
func (tx *Text) isOfName(l literal) bool {
	if len(l.text) != len("1.6") || l.text[1] != '.' || !tx.beside(l.Span).none() {
		return false
	}
	i := tx.TokenAt(l.Start) - 1
	if i < 0 || tx.Source[tx.Tokens[i].End:l.Start] != " " {
		return false
	}
	first, _ := utf8.DecodeRuneInString(tx.Source[tx.Tokens[i].Start:])
	return unicode.IsUpper(first)
}

// isDozen tells whether a word for a dozen stands behind a figure.
func (tx *Text) isDozen(end int) bool {
	i := tx.TokenAt(end)
	return i < len(tx.Tokens) && tx.Source[end:max(end, tx.Tokens[i].Start)] == " " && lang.Dozen.Has(tx.Tokens[i].Word)
}

// literals adds the numbers of a stretch.
func (tx *Text) literals(all []literal, within Span) []literal {
	text := tx.Source[:within.End]
	for i := within.Start; i < len(text); {
		if !isDigit(text[i]) {
			i++
			continue
		}
		start, end := i, numberEnd(text, i)
		i = end
		if point := start - 1; point >= within.Start && text[point] == '.' && (point == within.Start || strings.IndexByte(" \t|([<>=\n", text[point-1]) >= 0) && strings.Trim(text[start:end], "0123456789") == "" {
			if standsAlone(text, point, end) { // .20
				all = append(all, literal{Span{point, end}, "0." + text[start:end], 0})
			}
			continue
		}
		if !standsAlone(text, start, end) {
			continue
		}
		digits := ungrouped.Replace(text[start:end])
		if len(digits) > 4 && end < len(text) && (text[end] == ',' || text[end] == '.') {
			digits = withHundredths(digits, text[end:])
		}
		if r, _ := utf8.DecodeRuneInString(text[end:]); parts[string(r)] != "" || strings.HasPrefix(text[end:], " ") && fractionBehind.MatchString(text[end:min(len(text), end+6)]) {
			continue // the whole part of a fraction
		}
		if sign, size := signBefore(text[within.Start:start]); size > 0 {
			if sign == '-' {
				digits = "-" + digits
			}
			start -= size
		} else if size := dashInColumn(text[within.Start:start], text[start:]); size > 0 {
			digits, start = "-"+digits, start-size
		} else if size := minusBehind(text[start:]); size > 0 {
			all = append(all, literal{Span{start, end + size}, "-" + digits, 0})
			i = end + size
			continue
		}
		if digit := end - numberStart(text, end); digit <= 3 && end < len(text) && text[end] == ' ' {
			if l, only := grouped(text, end-digit); l.text != "" {
				if strings.HasPrefix(digits, "-") {
					l.text = "-" + l.text
				}
				l.Start = start
				if all = append(all, l); only {
					i = l.End
					continue
				}
			}
		}
		scale, size := scaleBehind(text[end:])
		lead := text[max(within.Start, start-8):start]
		if n := scaleOfMoney(lead, text[end:]); n > 0 {
			scale, size = n, 1
		} else if n, _ := inScale(lastWord(lead)); n > 0 { // TEUR 1,5
			scale, size = n, 0
		}
		all = append(all, literal{Span{start, end + size}, digits, scale})
	}
	return all
}

// withHundredths gives figures with the decimals that a sign behind them says they do not have:
// 1.850,- is 1.850,00, whose point sets groups apart.
func withHundredths(digits, behind string) string {
	for _, none := range noHundredths {
		if strings.HasPrefix(behind, none) && strings.ContainsAny(digits, ".,") && !strings.Contains(digits, none[:1]) {
			return digits + none[:1] + "00"
		}
	}
	return digits
}

// spacedGroups is a number with blanks between its thousands; a counter shows noughts before it.
var spacedGroups = lazy.New(`^(?:[1-9]\d{0,2}|0\d\d)(?: \d{3})+(?:[.,]\d{1,2})?(?:[^\d ]|$| \D)`)

// numberStart gives where the digits begin that end at a place.
func numberStart(text string, end int) int {
	for end > 0 && isDigit(text[end-1]) {
		end--
	}
	return end
}

// grouped reads a number whose thousands are set apart by blanks: 1 250. It may
// be several numbers, but where decimals or a measure stand behind it.
func grouped(text string, start int) (l literal, only bool) {
	m := spacedGroups.FindString(text[start:min(len(text), start+24)])
	if m == "" {
		return l, false
	}
	m = strings.TrimRightFunc(m, func(r rune) bool { return !unicode.IsDigit(r) })
	end := start + len(m)
	word, _ := measureBehind(text[end:min(len(text), end+besides)])
	code, _ := currencyOf(word, true)
	if only = strings.ContainsAny(m, ".,") || code != "" || isUnit(word); m[0] == '0' && !only {
		return literal{}, false
	}
	return literal{Span: Span{start, end}, text: strings.TrimLeft(strings.ReplaceAll(m, " ", ""), "0")}, only
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

// sideOfRange is a number that may be one side of a range: 1,200-1,800.
var sideOfRange = lazy.New(`^(?:[1-9]\d{0,2}(?:[.,]\d{3})+|(?:0|[1-9]\d{0,5}))(?:[.,]\d{1,2})?$`)

// hundredths are the decimals of a side.
var hundredths = lazy.New(`[.,]\d{1,2}$`)

// isRange tells whether a hyphen stands between two numbers of which the second is the
// greater, or that are a score, and is no part of a code, a day or a telephone number.
func isRange(text string, hyphen int) bool {
	from, to := hyphen, hyphen+1
	for from > 0 && (isDigit(text[from-1]) || text[from-1] == '.' || text[from-1] == ',') {
		from--
	}
	for to < len(text) && (isDigit(text[to]) || (text[to] == '.' || text[to] == ',') && to+1 < len(text) && isDigit(text[to+1])) {
		to++
	}
	low, high := text[from:hyphen], text[hyphen+1:to]
	if !sideOfRange.MatchString(low) || !sideOfRange.MatchString(high) {
		return false
	}
	if before, _ := utf8.DecodeLastRuneInString(text[:from]); IsWordRune(before) || strings.ContainsRune("-/_:", before) {
		return false
	}
	if to < len(text) && (strings.IndexByte("-/_:", text[to]) >= 0 || isWordByte(text[to]) && (text[to] == 'a' || UnitOf(firstWord(text[to:])) == "")) {
		return false
	}
	bare := strings.NewReplacer(".", "", ",", "")
	a, b := bare.Replace(hundredths.ReplaceAllString(low, "")), bare.Replace(hundredths.ReplaceAllString(high, ""))
	return len(a) == len(b) && (a < b || a == b && low < high && len(low) == len(high)) || len(b) == len(a)+1 || len(low) <= 2 && len(high) <= 2 && scored(text, from, to)
}

// scored tells whether two figures of a hyphen are what one side and the other have, and no code: one
// of them is 0, or they fill a cell, stand behind a colon or between two names.
func scored(text string, from, to int) bool {
	if text[from:from+2] == "0-" || text[to-2:to] == "-0" {
		return true
	}
	if pairBehind.MatchString(text[to:min(len(text), to+16)]) || pairBefore.MatchString(text[max(0, from-16):from]) { // 6-4 6-7(5) 7-5
		return true
	}
	before, behind := strings.TrimRight(text[:from], " "), strings.TrimLeft(text[to:], " ")
	last, _ := utf8.DecodeLastRuneInString(before)
	next, _ := utf8.DecodeRuneInString(behind)
	if last == ':' || (before == "" || strings.ContainsRune("|\t\n", last)) && (behind == "" || strings.ContainsRune("|\t\n", next)) {
		return true
	}
	name := before[strings.LastIndexAny(before, " \n\t|(")+1:]
	first, _ := utf8.DecodeRuneInString(name)
	return unicode.IsUpper(first) && unicode.IsUpper(next)
}

var (
	pairBehind = lazy.New(`^(?:\(\d{1,2}\))?[,;]? {1,2}\d{1,2}-\d{1,2}(?:[^\d/.:-]|$)`)
	pairBefore = lazy.New(`(?:^|[^\d/.:-])\d{1,2}-\d{1,2}(?:\(\d{1,2}\))?[,;]? {1,2}$`)
)

// score is what one side and the other have: 2:1. No time is written so.
var score = lazy.New(`^(?:0|[1-9]\d?):\d$`)

// isScore tells whether a colon stands between two such figures.
func isScore(text string, colon int) bool {
	from, to := colon, colon+1
	for from > 0 && isDigit(text[from-1]) {
		from--
	}
	for to < len(text) && isDigit(text[to]) {
		to++
	}
	if before, _ := utf8.DecodeLastRuneInString(text[:from]); IsWordRune(before) || strings.ContainsRune("-/_:.,", before) {
		return false
	}
	if to < len(text) && (strings.IndexByte("-/_:", text[to]) >= 0 || isWordByte(text[to]) || strings.IndexByte(".,", text[to]) >= 0 && to+1 < len(text) && isDigit(text[to+1])) {
		return false
	}
	return score.MatchString(text[from:to])
}

// Figures gives the canonical numbers that a literal may mean: 1,250 is 1.25 or
// 1250.
func Figures(literal string) []string {
	all := spelled(literal)
	for i, s := range all {
		all[i] = canonical(s)
	}
	return all
}

func canonical(literal string) string { return value.CanonicalNumber(literal) }

// spelled gives the numbers that a literal may mean as JSON writes them, with all
// their decimals; decimals come before groups.
func spelled(literal string) []string {
	points, commas := strings.Count(literal, "."), strings.Count(literal, ",")
	var spelled []string
	switch {
	case points <= 1 && commas == 0:
		spelled = append(spelled, literal)
		if points == 1 && mayGroup(literal, '.') {
			spelled = append(spelled, strings.Replace(literal, ".", "", 1))
		}
	case commas == 1 && points == 0:
		spelled = append(spelled, strings.Replace(literal, ",", ".", 1))
		if mayGroup(literal, ',') {
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
	return spelled
}

// mayGroup tells whether a sign stands where one for thousands may: before three
// digits, and behind one to three that do not begin with 0.
func mayGroup(literal string, sign byte) bool {
	whole := strings.TrimLeft(literal[:strings.IndexByte(literal, sign)], "-")
	return len(literal)-strings.IndexByte(literal, sign) == 4 && len(whole) > 0 && len(whole) < 4 && whole[0] != '0'
}

// What words can mean beside figures: fractions, numbers in words, days with
// their endings; and what a figure's own neighbours say of it.

// literal is a number as it is printed.
type literal struct {
	Span
	text  string
	scale int // noughts that a word behind it adds
}

// votes is how many numbers of a text have one sign before decimals: those that may be
// marks, 3.1 with nothing that it measures, apart.
type votes struct{ sure, slight int }

// mark is what may be the number of a chapter, a room or a version.
var mark = lazy.New(`^[1-9]\d?[.,]\d{1,2}$`)

// numberInTwo is what may be a number of a customer or a file: 8810.4472.
var numberInTwo = lazy.New(`^\d{4,}[.,]\d{3,}$`)

// convention is which sign a text writes before decimals, as far as its numbers
// that can be read in one way only tell: '.', ',' or 0 where they tell nothing or
// both. Against several of one sign a few marks with the other count for nothing.
func (tx *Text) convention(all []literal) byte {
	var point, comma votes
	for _, l := range all {
		p, c := strings.LastIndexByte(l.text, '.'), strings.LastIndexByte(l.text, ',')
		last := max(p, c)
		if last < 0 || strings.HasPrefix(l.text, "0") && last > 1 { // the 07.03 of a day
			continue
		}
		decimals := len(l.text) - last - 1
		said := &comma
		if l.text[last] == '.' {
			said = &point
		}
		switch {
		case p >= 0 && c >= 0: // groups and decimals: no number of anything
			said.sure++
		case strings.Count(l.text, ".")+strings.Count(l.text, ",") > 1: // groups alone, or a date
			if len(Figures(l.text)) == 0 {
				continue
			}
			if said = &point; p >= 0 {
				said = &comma
			}
		case decimals == 3 && !strings.HasPrefix(strings.TrimLeft(l.text, "-"), "0"):
			continue // a group or decimals
		case (mark.MatchString(l.text) || numberInTwo.MatchString(l.text)) && tx.beside(l.Span).none():
			said.slight++
			continue
		}
		said.sure++
	}
	switch {
	case point.sure+point.slight > 0 && comma.sure+comma.slight == 0, point.outweighs(comma):
		return '.'
	case comma.sure+comma.slight > 0 && point.sure+point.slight == 0, comma.outweighs(point):
		return ','
	}
	return 0
}

// outweighs tells whether numbers with one sign are so many, and sure, that those with the
// other are marks; against very many, one that is none is somebody else's.
func (v votes) outweighs(other votes) bool {
	return v.sure > 1 && other.sure == 0 && v.sure+v.slight >= 3*other.slight || other.sure == 1 && v.sure >= 10*(other.sure+other.slight)
}

// readingsBy gives those readings of a literal that a text allows whose convention
// is known: 1,250 is 1250 where decimals stand behind a point.
func readingsBy(text string, all []string, decimal byte) []string {
	if len(all) < 2 || decimal == 0 {
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
	fraction = lazy.New(`(?:^|[^\d/.,])((\d{1,4})[ \x{00a0}](\d)/(\d{1,2}))(?:[^\d/]|$)|((\d{0,4})[ \x{00a0}]?([½¼¾⅓⅔⅛⅜⅝⅞]))`)
	parts    = map[string]string{"½": "1/2", "¼": "1/4", "¾": "3/4", "⅓": "1/3", "⅔": "2/3", "⅛": "1/8", "⅜": "3/8", "⅝": "5/8", "⅞": "7/8"}
)

// bareFraction is a fraction without a whole number before it.
var bareFraction = lazy.New(`(?:^|[^\d/.,\pL-] ?)(\d)/(\d{1,2})(?:[^\d/.,]|$)`)

// fractionBehind is what makes a mixed number of the figure before it.
var fractionBehind = lazy.New(`^ \d/\d{1,2}(?:[^\d/]|$)`)

// findFractions records mixed numbers that come out even: 2 1/2 and 2½ are 2.5.
func (tx *Text) findFractions(within Span) {
	text := tx.Source[within.Start:within.End]
	if !strings.Contains(text, "/") && !strings.ContainsAny(text, "½¼¾⅓⅔⅛⅜⅝⅞") {
		return
	}
	for _, m := range tx.matches(bareFraction, within) { // 3/4", 1/2 cup
		a, _ := strconv.Atoi(text[m[2]:m[3]])
		b, _ := strconv.Atoi(text[m[4]:m[5]])
		s := Span{within.Start + m[2], within.Start + m[5]}
		if word, _ := measureBehind(tx.Source[s.End:min(len(tx.Source), s.End+besides)]); a < b && 1000000%b == 0 && isUnit(word) {
			tx.add(value.CanonicalNumber(fmt.Sprintf("0.%06d", a*1000000/b)), figure{Span: s})
		}
	}
	for _, m := range tx.matches(fraction, within) {
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
		tx.add(key, figure{Span: Span{within.Start + m[2*group], within.Start + m[2*group+1]}})
	}
}
