package reading

import (
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
)

// nextSide is a figure and its unit behind a sign or a word for times: 21 x 14.8 cm.
var nextSide = lazy.New(`^ ?(x|×|\pL{2,4}) ?(\d{1,6}(?:[.,]\d{1,3})?(?: \d/\d{1,2})?)`)

// ofNext gives what the next side of so much by so much measures, which is said once, at the
// last one: 20 x 2,500 x 12,000 mm.
func (tx *Text) ofNext(s Span) Measure {
	m := tx.ofNextSide(s)
	m.Where = s
	return m
}

func (tx *Text) ofNextSide(s Span) Measure {
	rest := tx.Source[s.End:min(len(tx.Source), s.End+besides)]
	m := nextSide.FindStringSubmatchIndex(rest)
	if m == nil {
		return Measure{}
	}
	if word := rest[m[2]:m[3]]; word != "x" && word != "×" && !lang.Times.Has(word) {
		return Measure{}
	}
	side := Span{s.End + m[4], s.End + m[5]}
	next := tx.beside(side)
	if next.none() {
		return tx.ofNextSide(side)
	}
	if units[next.Unit].of != "length" {
		return Measure{}
	}
	return next
}

// Of a range the measure is often said once: £1,200-1,800; 10-12 mm; 800 bis 1.200 €; 3.500/4.500 €.
var (
	higherSide = lazy.New(`^ ?(-|–|/|\pL{1,5}) ?(\d[\d.,]*\d|\d)`)
	lowerSide  = lazy.New(`(?:^|[^\d.,])(\d[\d.,]*\d|\d) ?(-|–|/|\pL{1,5}) ?$`)
)

// ofOtherSide gives what the other side of a range measures.
func (tx *Text) ofOtherSide(s Span) Measure {
	joins := func(word string) bool { return word == "-" || word == "–" || word == "/" || lang.Until.Has(word) }
	rest := tx.Source[s.End:min(len(tx.Source), s.End+besides)]
	if m := higherSide.FindStringSubmatchIndex(rest); m != nil && joins(rest[m[2]:m[3]]) {
		if next := tx.beside(Span{s.End + m[4], s.End + m[5]}); !next.none() {
			next.Where = s
			return next
		}
	}
	from := max(0, s.Start-besides/2)
	if m := lowerSide.FindStringSubmatchIndex(tx.Source[from:s.Start]); m != nil && joins(tx.Source[from+m[4]:from+m[5]]) {
		if prior := tx.beside(Span{from + m[2], from + m[3]}); !prior.none() && prior.Unit != "o'clock" {
			prior.Where = s
			return prior
		}
	}
	return Measure{}
}

// opensNext tells whether a sign behind a figure is that of the next one, which it
// stands right before: 1.354   £9.35.
func (tx *Text) opensNext(end, size int) bool {
	at := end + size
	return size > 1 && at < len(tx.Source) && isDigit(tx.Source[at]) && strings.ContainsAny(tx.Source[end:end+1], " \t|")
}

// endsField tells whether what follows a word ends what it belongs to.
func endsField(rest string) bool {
	return rest == "" || strings.HasPrefix(rest, "  ") || strings.ContainsAny(rest[:1], ",;\n\t|")
}

// noHundredths are what stands for none behind an amount.
var noHundredths = []string{",-", ",–", ",—", ".-", ".–", ".—"}

// hyphenated is a word that a hyphen joins to the figure before it.
var hyphenated = lazy.New(`^-(\pL{2,10})\b`)

// labelOfNext is a word behind a gap that stands before the next figure: Mn 1,42   P 0,012.
var labelOfNext = lazy.New(`^\pL{1,12}[ \x{00a0}][-−+<>≤≥]?[ \x{00a0}]?[.,]?\d`)

// isGrade is a letter in a column of its own that a unit has, too: 5,2     C.
var isGrade = lazy.New(`^[A-F](?: {2}|\t|\n| ?\||$)`)

// isAge is years in short, which alone would be joules: 1 J. alt, (34 J.).
var isAge = lazy.New(`^J\.(?: alt\b|[),;])`)

// bracketed is a word or a sign alone in brackets.
var bracketed = lazy.New(`^\(([\pL.]{2,5}|\p{Sc})\)`)

// measureBehind gives the words right behind a figure that name a unit or a
// currency, or else the one word, and the bytes up to their end.
func measureBehind(rest string) (word string, size int) {
	trimmed := rest
	for _, none := range noHundredths {
		if behind, is := strings.CutPrefix(trimmed, none); is {
			trimmed = strings.TrimLeft(behind, "-–—") // 480.--
		}
	}
	trimmed = strings.TrimLeft(trimmed, " \u00a0\u202f")
	if word := hyphenated.FindStringSubmatch(trimmed); word != nil && trimmed == rest && UnitOf(word[1]) != "" { // 2-year
		return word[1], len("-") + len(word[1])
	}
	if below, ok := strings.CutPrefix(trimmed, "\n"); ok { // thirty at the end of a line, knots in the next
		if word, size := measureBehind(below); strings.HasPrefix(below, word) && word != "" && (isUnit(word) && len(word) > 1 || lang.Currency.Has(word)) {
			return word, len(rest) - len(below) + size
		}
		return "", 0
	}
	gap := len(rest) - len(trimmed)
	if m := bracketed.FindStringSubmatch(trimmed); m != nil { // 480.-- (Fr.)
		if code, _ := currencyOf(m[1], false); code != "" {
			return m[1], gap + len(m[0])
		}
	}
	if gap > 1 && (labelOfNext.MatchString(trimmed) || isGrade.MatchString(trimmed)) {
		return "", 0
	}
	if strings.HasPrefix(trimmed, "J.") && isAge.MatchString(trimmed) {
		return "Jahre", gap + len("J.")
	}
	ends := wordEnds(trimmed, 3)
	if word, end := longUnitBehind(trimmed); end > 0 {
		return word, gap + end
	}
	if word, end := ratioBehind(trimmed); end > 0 {
		return word, gap + end
	}
	for i := len(ends) - 1; i > 0; i-- {
		if words := trimmed[:ends[i]]; UnitOf(words) != "" || lang.Currency.Has(words) {
			return trimmed[:ends[i]], gap + ends[i]
		}
	}
	if len(ends) == 0 {
		return "", 0
	}
	return trimmed[:ends[0]], gap + ends[0]
}

// maxOf is how many words may stand between a unit and the one that it is of: 62
// milligrams of dissolved nitrate a litre.
const maxOf = 4

// ratioBehind reads a unit of another, also with words between them for what is
// measured, and over the end of a line.
func ratioBehind(text string) (unit string, end int) {
	if !strings.Contains(text, "\n\n") {
		text = strings.Replace(text, "\n", " ", 1)
	}
	all := wordEnds(text, maxOf+4)
	if len(all) < 3 || UnitOf(text[:all[0]]) == "" {
		return "", 0
	}
	of := lang.UnitOf.Has(strings.ToLower(strings.TrimSpace(text[all[0]:all[1]])))
	for i := 1; i+1 < len(all) && (of || i < 4); i++ {
		// Behind a word that does not say so, an article is no more than that:
		// 20 kg over a day.
		if per := strings.ToLower(strings.TrimSpace(text[all[i-1]:all[i]])); lang.Per.Has(per) || (of || i == 1) && lang.PerEach.Has(per) {
			unit := text[:all[0]] + "/" + strings.TrimSpace(text[all[i]:all[i+1]])
			if of, _ := ratioOf(unit); of != "" {
				return unit, all[i+1]
			}
		}
	}
	return "", 0
}

// wordEnds gives where the first words of a text end, signs of units being words
// or parts of them.
func wordEnds(text string, most int) (ends []int) {
	for at := 0; len(ends) < most; {
		end := at
		for i, r := range text[at:] {
			joins := r == '/' && i > 0 && at+i+1 < len(text) && isLetter(text[at+i+1:])
			if (isCurrencySign(r) || strings.ContainsRune("%‰\"'″′”", r)) && i == 0 {
				end = at + utf8.RuneLen(r)
				break
			}
			if !IsWordRune(r) && !strings.ContainsRune("²³°µ", r) && !joins && !(r == '-' && i > 0) {
				break
			}
			end = at + i + utf8.RuneLen(r)
		}
		if end == at {
			return ends
		}
		ends = append(ends, end)
		if at = end; at < len(text) && text[at] == ' ' {
			at++
			continue
		}
		return ends
	}
	return ends
}

func isLetter(text string) bool {
	r, _ := utf8.DecodeRuneInString(text)
	return unicode.IsLetter(r)
}

// goesOn tells whether what follows a measure makes it another: m in mm, m², m/s.
func goesOn(measure, rest string) bool {
	r, _ := utf8.DecodeRuneInString(rest)
	last, _ := utf8.DecodeLastRuneInString(measure)
	return IsWordRune(last) && (IsWordRune(r) || r == '²' || r == '³') || r == '/' && len(rest) > 1 && isLetter(rest[1:])
}
