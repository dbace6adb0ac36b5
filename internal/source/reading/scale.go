package reading

import (
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
)

// scaleOfMoney gives the noughts that a letter right behind the figure of an amount adds,
// whose currency stands before it: £1.2m, USD 40M, €12K; 0 for none.
func scaleOfMoney(before, rest string) int {
	if rest == "" || len(rest) > 1 && (isWordByte(rest[1]) || rest[1] == '/') {
		return 0
	}
	word := lastWord(before)
	if r, size := utf8.DecodeLastRuneInString(before); isCurrencySign(r) {
		word = before[len(before)-size:]
	}
	if code, _ := currencyOf(word, false); code == "" {
		return 0
	}
	switch rest[0] {
	case 'k', 'K':
		return 3
	case 'm', 'M':
		return 6
	}
	return 0
}

// inScale reads a currency with a letter before it that adds noughts: TEUR, k€, M€; 0 for none.
func inScale(word string) (noughts int, currency string) {
	if len(word) < 3 || word[1] >= 'a' && word[1] <= 'z' { // 3 Mrs Okoro are no rupees
		return 0, ""
	}
	switch word[0] {
	case 'T', 'k', 'K':
		noughts = 3
	case 'M':
		noughts = 6
	default:
		return 0, ""
	}
	if code, perhaps := currencyOf(word[1:], false); code != "" && !perhaps {
		return noughts, word[1:]
	}
	return 0, ""
}

// scaleBehind gives the noughts that a word right behind a number adds, and the
// bytes up to its end: 6 for "1.2 million", 3 for "12k".
func scaleBehind(rest string) (noughts, size int) {
	gap := len(rest) - len(strings.TrimLeft(rest, " \u00a0"))
	if gap > 2 {
		return 0, 0
	}
	word := rest[gap:]
	if end := strings.IndexFunc(word, func(r rune) bool { return !unicode.IsLetter(r) }); end >= 0 {
		word = word[:end]
	}
	if sign, _ := utf8.DecodeRuneInString(rest[gap+len(word):]); len(word) == 1 && isCurrencySign(sign) { // 1,2 M€, 12 k€
		switch word {
		case "k", "K", "T":
			return 3, gap + 1
		case "M", "m":
			return 6, gap + 1
		}
	}
	if n, _ := inScale(word); n > 0 { // 1,5 TEUR
		return n, gap + 1
	}
	if word == "K" && gap == 0 && strings.HasPrefix(rest[1:], " ") { // 45K GBP
		if code, _ := currencyOf(firstWord(rest[2:]), true); code != "" {
			return 3, 1
		}
	}
	if len(word) == 0 || len(word) > 12 || len(word) == 1 && (word != "k" || gap > 0) {
		return 0, 0
	}
	noughts, _ = strconv.Atoi(lang.Scale.Meaning(word))
	if noughts == 0 {
		return 0, 0
	}
	size = gap + len(word)
	if strings.HasPrefix(rest[size:], ".") && len(word) < 5 {
		size++
	}
	return noughts, size
}

func firstWord(text string) string {
	if i := strings.IndexAny(text, " \t\n|"); i >= 0 {
		text = text[:i]
	}
	return strings.TrimRight(text, ".,;:)")
}

// isCurrencySign tells the sign of a currency: €, $, ₹.
func isCurrencySign(r rune) bool { return unicode.Is(unicode.Sc, r) }

// gluedCurrency tells whether a code or a sign of letters for a currency ends a text: USD1,234.50.
func gluedCurrency(before string) bool {
	at := len(before)
	for at > 0 && at > len(before)-4 && isLetter(before[at-1:]) {
		at--
	}
	if at > 0 && (isWordByte(before[at-1]) || before[at-1] == '-') || at == len(before) {
		return false
	}
	code, _ := currencyOf(before[at:], false)
	n, _ := inScale(before[at:])
	return len(before)-at > 1 && (code != "" || n > 0)
}

// shifted gives a figure with its point so many places further right.
func shifted(figure string, places int) string {
	sign := ""
	if strings.HasPrefix(figure, "-") {
		sign, figure = "-", figure[1:]
	}
	whole, decimals, _ := strings.Cut(figure, ".")
	decimals += strings.Repeat("0", max(0, places-len(decimals)))
	whole = strings.TrimLeft(whole+decimals[:places], "0")
	if whole == "" {
		whole = "0"
	}
	if decimals[places:] != "" {
		whole += "." + decimals[places:]
	}
	return sign + whole
}

// standsAlone reports whether the digits of [start, end) are no part of a
// code, a date or a time. Letters may follow, as a unit does, but then no
// further digits.
func standsAlone(text string, start, end int) bool {
	if before, size := utf8.DecodeLastRuneInString(text[:start]); size > 0 {
		if IsWordRune(before) && !gluedCurrency(text[:start]) {
			if prior, _ := utf8.DecodeLastRuneInString(text[:start-size]); before|0x20 != 'x' || IsWordRune(prior) && !(before == 'x' && sideBefore(text[:start-size])) { // x120: a power
				return false
			}
		}
		if before == '^' { // 10^9
			return false
		}
		if strings.ContainsRune("-/.:_", before) {
			if prior, _ := utf8.DecodeLastRuneInString(text[:start-size]); IsWordRune(prior) && !(before == '-' && isRange(text, start-1)) && !(before == ':' && isScore(text, start-1)) && !(before == '/' && (isPair(text, start-1) || behindWord(text[:start-1]))) {
				return false
			}
		}
	}
	rest := text[end:]
	if strings.HasPrefix(rest, "^") {
		return false
	}
	if len(rest) >= 2 && strings.IndexByte("-/:_", rest[0]) >= 0 && isDigit(rest[1]) && !(rest[0] == '-' && isRange(text, end)) && !(rest[0] == ':' && isScore(text, end)) && !(rest[0] == '/' && isPair(text, end)) {
		return false
	}
	letters := 0
	for letters < len(rest) && (rest[letters]|0x20 >= 'a' && rest[letters]|0x20 <= 'z') {
		letters++
	}
	if letters > 0 && letters < len(rest) && isDigit(rest[letters]) {
		return letters == 1 && rest[0] == 'x' && !letterBehind(text, numberEnd(text, end+1)) // 73x59
	}
	if said := rest[:letters]; strings.ContainsAny(said, "Oo") && strings.Trim(said, "OolI") == "" { // misread figures: 1,9OO
		return false
	}
	// Letters may follow, as a unit or an ending does; a longer word is none.
	return letters == 0 || lang.Ordinal.Has(rest[:letters]) || letters == 2 || letters == 3 || letters == 1 && (strings.IndexByte("kxh", rest[0]|0x20) >= 0 || rest[0] == 'C' || rest[0] == 'F') || UnitOf(rest[:letters]) != "" && rest[:letters] != "a" || lang.Currency.Has(rest[:letters]) || lang.Minor.Has(rest[:letters])
}

// pair is two figures with a stroke between that are no day of a month and no month of a year:
// 145/85, 17/25, 5.0/5.4.
var pair = lazy.New(`^(?:(?:0|[1-9]\d{0,3})(?:\.\d{1,2}/(?:0|[1-9]\d{0,3})\.|,\d{1,2}/(?:0|[1-9]\d{0,3}),)\d{1,2}|(?:1[3-9]|2\d|3[01])/(?:1[3-9]|[2-9]\d)|(?:3[2-9]|[4-9]\d|[1-9]\d\d)/[1-9]\d{1,2}|[1-9]\d{0,2}(?:[.,]\d{3})+/[1-9]\d{0,2}(?:[.,]\d{3})+)$`)

// isPair tells whether the stroke at a place stands between two such figures.
func isPair(text string, stroke int) bool {
	from, to := stroke, numberEnd(text, stroke+1)
	for from > 0 && (isDigit(text[from-1]) || from < stroke && strings.IndexByte(".,", text[from-1]) >= 0) {
		from--
	}
	if before, _ := utf8.DecodeLastRuneInString(text[:from]); IsWordRune(before) || strings.ContainsRune("-/_:.,", before) {
		return false
	}
	if to < len(text) && (strings.IndexByte("-/_:", text[to]) >= 0 || isWordByte(text[to]) && UnitOf(firstWord(text[to:])) == "" || text[to] == '.' && to+1 < len(text) && isDigit(text[to+1])) {
		return false
	}
	return pair.MatchString(text[from:to]) || isPairOf(text[from:stroke], text[stroke+1:to], text[to:])
}

// isPairOf tells whether a unit stands behind two figures with a stroke between, which are no fraction of
// it: 20/10 °C, but neither 5/6 m nor 3/4".
func isPairOf(first, second, behind string) bool {
	a, err := strconv.Atoi(first)
	b, berr := strconv.Atoi(second)
	word, _ := measureBehind(behind[:min(len(behind), besides)])
	return err == nil && berr == nil && (a >= b || b > 16) && b > 1 && len(first) <= 4 && len(second) <= 4 && isUnit(word)
}

// behindWord tells whether a text ends in a word in small letters that is no part of a code, or in the
// unit of a figure: the 3 of 2 nights/3 days, the 1.65 of 3.20 m/1.65 m.
func behindWord(text string) bool {
	n := 0
	for n < len(text) && text[len(text)-1-n] >= 'a' && text[len(text)-1-n] <= 'z' {
		n++
	}
	if before := strings.TrimRight(text[:len(text)-n], " "); n > 0 && n < 3 && before != "" && isDigit(before[len(before)-1]) && UnitOf(text[len(text)-n:]) != "" {
		return true
	}
	return n > 2 && (n == len(text) || strings.IndexByte(" \n\t(", text[len(text)-1-n]) >= 0)
}

// sideBefore tells whether a text ends in the side of something so much by so much, and no
// code: the 73 of 73x59.
func sideBefore(text string) bool {
	n := len(text)
	for n > 0 && (isDigit(text[n-1]) || strings.IndexByte(".,x", text[n-1]) >= 0) {
		n--
	}
	before, _ := utf8.DecodeLastRuneInString(text[:n])
	return n < len(text) && isDigit(text[len(text)-1]) && !IsWordRune(before) && !strings.ContainsRune("-/_", before)
}

// letterBehind tells whether a letter that is no unit stands at a place.
func letterBehind(text string, at int) bool {
	word := text[at:]
	if end := strings.IndexFunc(word, func(r rune) bool { return !unicode.IsLetter(r) }); end >= 0 {
		word = word[:end]
	}
	return word != "" && word != "x" && UnitOf(word) == ""
}

// Minor gives the places of a sum in hundredths: 50 cents for 0.50.
func (tx *Text) Minor(figure string) []Span {
	var found []Span
	for _, s := range tx.Every(canonical(shifted(figure, 2))) {
		if m := tx.MeasureOf(s); m.Minor {
			found = append(found, m.Where)
		}
	}
	return found
}
