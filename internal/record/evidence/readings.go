package evidence

import (
	"fmt"
	"regexp"
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
	for i, t := range ix.tokens {
		n, ok := numberWord(t.word)
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

// numberWord reads one word, also one that joins units and tens with "und".
func numberWord(word string) (int, bool) {
	if n, err := strconv.Atoi(lang.Number.Meaning(word)); err == nil {
		return n, true
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
	once sync.Once
	at   map[string][]span // by the day as records hold it
}

var dayText = sync.OnceValue(func() *regexp.Regexp {
	th, of := lang.Ordinal.Pattern(), lang.OrdinalOf.Pattern()
	return regexp.MustCompile(`(?i)(\d{1,2})\.?` + th + `?[ \x{00a0}]+(?:` + of + ` )?(\pL{3,12})\.?,?[ \x{00a0}]+(?:` + of + ` )?(\d{4})|(\pL{3,12})\.? (\d{1,2})` + th + `?,? (\d{4})|(\d{4})[/.](\d{1,2})[/.](\d{1,2})`)
})

// daysOf gives the places where a day is written with its month in words, in
// any language and with any ending, or year first.
func (ix *Index) daysOf(day string) []span {
	ix.days.once.Do(func() {
		ix.days.at = map[string][]span{}
		for _, s := range ix.spans {
			text := ix.text[s.start:s.end]
			for _, m := range dayText().FindAllStringSubmatchIndex(text, -1) {
				get := func(n int) string {
					if m[2*n] < 0 {
						return ""
					}
					return text[m[2*n]:m[2*n+1]]
				}
				d, month, y := get(1)+get(5)+get(9), get(2)+get(4), get(3)+get(6)+get(7)
				number := get(8)
				if month != "" {
					if number = lang.Month.Meaning(month); number == "" {
						number = lang.ShortMonth.Meaning(month)
					}
				}
				t, err := time.Parse("2006-1-2", y+"-"+strings.TrimLeft(number, "0")+"-"+strings.TrimLeft(d, "0"))
				if err != nil || m[0] > 0 && isWordBefore(text, m[0]) {
					continue
				}
				key := schema.ISODate(t)
				ix.days.at[key] = append(ix.days.at[key], span{s.start + m[0], s.start + m[1]})
			}
		}
	})
	return ix.days.at[day]
}

func isWordBefore(text string, at int) bool {
	r, _ := utf8.DecodeLastRuneInString(text[:at])
	return isWordRune(r)
}

// neighbour is what stands beside a figure.
type neighbour struct {
	word string // behind it
	span span   // of the figure with the word
}

// behind gives the word or sign right behind a figure.
func (ix *Index) behind(s span) neighbour {
	rest := ix.text[s.end:min(len(ix.text), s.end+24)]
	trimmed := strings.TrimLeft(rest, " \u00a0")
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
				return code != strings.ToUpper(measure) && !perhaps
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
	unit := normalize.UnitOf(word)
	return unit != "" && isUnit(word) && unit != normalize.UnitOf(measure) && !strings.EqualFold(word, measure)
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
		if strings.ContainsAny(between, ";:!?") || strings.Contains(between, ". ") {
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

// signReach is how many words from a figure a word of its sign may stand.
const signReach = 6

// findTakenBack notes what the text takes back: the X of "not X but Y", and the
// same figure elsewhere in its paragraph; what is struck out.
func (ix *Index) findTakenBack() {
	for _, s := range ix.spans {
		text := ix.text[s.start:s.end]
		for _, m := range struck.FindAllStringIndex(text, -1) {
			ix.back = append(ix.back, span{s.start + m[0], s.start + m[1]})
		}
		for _, m := range notBut().FindAllStringSubmatchIndex(text, -1) {
			said := text[m[2]:m[3]]
			from, to := strings.LastIndex(text[:m[0]], "\n\n"), strings.Index(text[m[1]:], "\n\n")
			if from < 0 {
				from = 0
			}
			if to < 0 {
				to = len(text)
			} else {
				to += m[1]
			}
			for at := from; ; {
				i := strings.Index(text[at:to], said)
				if i < 0 {
					break
				}
				at += i
				ix.back = append(ix.back, span{s.start + at, s.start + at + len(said)})
				at += len(said)
			}
		}
	}
}

var (
	struck = regexp.MustCompile(`~~[^~\n]{1,200}~~`)
	notBut = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`(?i)(?:^|[^\pL])` + lang.Not.Pattern() + `\s+(?:\pL+\s+)?([\d][\d.,:/-]*[\d]|\d+)[^.;\n]{0,24}?[ ,\n]+` + lang.But.Pattern() + `[ \n]`)
	})
)

// isTakenBack tells whether a place lies in what the text takes back.
func (ix *Index) isTakenBack(s span) bool {
	for _, b := range ix.back {
		if s.start >= b.start && s.start < b.end {
			return true
		}
	}
	return false
}
