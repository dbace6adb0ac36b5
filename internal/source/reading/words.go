package reading

import (
	"fmt"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
)

// findWords records numbers in words: twelve, a dozen, twenty-three, one hundred
// and five, dreiundzwanzig, two and a half.
func (tx *Text) findWords() {
	tx.findOften()
	halved := tx.findHalfDozens()
	next := 0
	for _, i := range tx.numberWords() {
		t := tx.Tokens[i]
		if number := partAfter(t.Word); number != "" {
			tx.add(canonical(number), figure{inWords: true, Span: t.Span})
			continue
		}
		if i < next || halved[i] {
			continue // within another number
		}
		if lang.Half.Has(t.Word) && i+1 < len(tx.Tokens) && lang.Past.Has(tx.Tokens[i+1].Word) { // half past two
			continue
		}
		if lang.Half.Has(t.Word) {
			tx.add(canonical("0.5"), figure{inWords: true, Span: t.Span})
			continue
		}
		n, end := tx.phrase(i)
		if end < 0 && lang.OneUnit.Has(t.Word) && tx.partBehind(t.End) != "" {
			tx.add(canonical("1"+tx.partBehind(t.End)), figure{inWords: true, Span: t.Span})
		}
		if end < 0 {
			continue
		}
		next = end + 1
		s := Span{t.Start, tx.Tokens[end].End}
		behind, half := tx.TokenAt(s.End), false
		for _, words := range lang.AndAHalf.Words() {
			if strings.Contains(words, " ") && tx.near(end, behind) && tx.Reads(behind, strings.Fields(words)) {
				last := behind + len(strings.Fields(words)) - 1
				tx.add(canonical(strconv.Itoa(n)+partOf(words)), figure{inWords: true, Span: Span{s.Start, tx.Tokens[last].End}})
				next, half = last+1, true
			}
		}
		if sum, end := tx.spokenSum(s.End); !half && sum > 0 {
			tx.add(canonical(fmt.Sprintf("%d.%02d", n, sum)), figure{inWords: true, Span: s})
			next = tx.TokenAt(end)
		} else if part := tx.partBehind(s.End); !half && part != "" {
			tx.add(canonical(strconv.Itoa(n)+part), figure{inWords: true, Span: s})
		} else if !half {
			tx.add(canonical(strconv.Itoa(n)), figure{inWords: true, Span: s})
		}
	}
}

// signedSum is the sign of a currency between units and hundredths, as France prints prices.
var signedSum = lazy.New(`^[€£$](\d\d)(?:[^\d.,]|[.,]?(?:\s|$))`)

// spokenSum gives the hundredths that are said behind the currency of a number that
// ends at a place, and their end: twelve euros fifty, zwölf Euro fünfzig; and those
// of a length in metres: 4 m 20. 0 where none are.
func (tx *Text) spokenSum(end int) (hundredths, behind int) {
	if m := signedSum.FindStringSubmatchIndex(tx.Source[end:min(len(tx.Source), end+8)]); m != nil { // 2€50
		n, _ := strconv.Atoi(tx.Source[end+m[2] : end+m[3]])
		return n, end + m[3]
	}
	i := tx.TokenAt(end)
	if i+1 >= len(tx.Tokens) || tx.Tokens[i].Start < end || tx.Source[end:tx.Tokens[i].Start] != " " || tx.Source[tx.Tokens[i].End:tx.Tokens[i+1].Start] != " " {
		return 0, 0
	}
	word := tx.Tokens[i].Word
	if two := tx.Tokens[i+1].Word; word == "m" && (len(two) != 2 || strings.Trim(two, "0123456789") != "") || word != "m" && !lang.Currency.Has(word) && !lang.PerhapsSign.Has(word) {
		return 0, 0
	}
	n, last := tx.phrase(i + 1)
	if last < 0 {
		if said := tx.Tokens[i+1].Word; len(said) == 2 && strings.Trim(said, "0123456789") == "" {
			n, _ = strconv.Atoi(said)
			last = i + 1
		}
	}
	if last < 0 || n < 1 || n > 99 || last+1 < len(tx.Tokens) && !tx.endsSum(last) {
		return 0, 0
	}
	return n, tx.Tokens[last].End
}

// endsSum tells whether what follows a token leaves the number before it what it
// is: in "two pounds ten crates" ten are crates.
func (tx *Text) endsSum(last int) bool {
	gap, word := tx.Source[tx.Tokens[last].End:tx.Tokens[last+1].Start], tx.Tokens[last+1].Word
	return strings.ContainsAny(gap, ".,;:)\n") || lang.Filler.Has(word) || lang.LeadIn.Has(word) || !isUnit(word) && len(word) > 0 && !startsNoun(tx.Source[tx.Tokens[last+1].Start:])
}

// startsNoun tells a word with a capital, which in German is a noun.
func startsNoun(text string) bool {
	r, _ := utf8.DecodeRuneInString(text)
	return unicode.IsUpper(r)
}

// partBehind gives the decimals that stand behind the unit of a number that ends at
// a place: ".5" for six kilos and a half, une tonne et demie; "" for none.
func (tx *Text) partBehind(end int) string {
	i := tx.TokenAt(end)
	if i+1 >= len(tx.Tokens) || tx.Tokens[i].Start < end || strings.Trim(tx.Source[end:tx.Tokens[i].Start], " \u00a0\n") != "" {
		return ""
	}
	unit := tx.Tokens[i]
	if !isUnit(unit.Word) && !lang.Currency.Has(unit.Word) && !lang.PerhapsSign.Has(unit.Word) && !lang.Dozen.Has(unit.Word) {
		return ""
	}
	said := strings.Join(strings.Fields(tx.Source[unit.End:min(len(tx.Source), unit.End+28)]), " ")
	for _, words := range lang.AndAHalf.Words() {
		if len(said) >= len(words) && strings.EqualFold(said[:len(words)], words) && (len(said) == len(words) || !isWordByte(said[len(words)])) {
			return partOf(words)
		}
	}
	return ""
}

// WithPart widens the place of an amount over a part that is said behind its unit: an hour
// and a half.
func (tx *Text) WithPart(s Span) Span {
	rest := tx.Source[s.End:min(len(tx.Source), s.End+28)]
	gap := len(rest) - len(strings.TrimLeft(rest, " \u00a0"))
	if gap == 0 {
		return s
	}
	for _, words := range lang.AndAHalf.Words() {
		if said := rest[gap:]; len(said) >= len(words) && strings.EqualFold(said[:len(words)], words) && (len(said) == len(words) || !isWordByte(said[len(words)])) {
			s.End += gap + len(words)
			return s
		}
	}
	return s
}

// partOf gives the decimals that words for a part say: ".5" for "and a half".
func partOf(words string) string {
	if part := lang.AndAHalf.Meaning(words); part != "" {
		return "." + part
	}
	return ".5"
}

// partAfter gives the number in a word that ends in a part more: 2.5 for
// zweieinhalb; "" for none.
func partAfter(word string) string {
	if lang.OneAndHalf.Has(word) {
		return "1.5"
	}
	for _, end := range lang.AndAHalf.Words() {
		if before, ok := strings.CutSuffix(word, end); ok && before != "" {
			if before == "ein" {
				return "1" + partOf(end)
			}
			if n, ok := NumberWord(before); ok {
				return strconv.Itoa(n) + partOf(end)
			}
		}
	}
	return ""
}

// mostWords bounds the words of one number.
const mostWords = 12

// phrase reads the number that begins with a token, word by word, and gives its
// last token; -1 where none begins.
func (tx *Text) phrase(first int) (n, last int) {
	total, now, last := 0, 0, -1
	for i := first; i < len(tx.Tokens) && i < first+mostWords; i++ {
		word := tx.Tokens[i].Word
		if i > first {
			if gap := tx.Source[tx.Tokens[i-1].End:tx.Tokens[i].Start]; gap != " " && gap != "-" && gap != "\n" {
				break
			}
		}
		if last == i-1 && last >= first && lang.NumberAnd.Has(word) && now+total >= 20 && i+1 < len(tx.Tokens) {
			if v, ok := NumberWord(tx.Tokens[i+1].Word); ok && (fits(now, v) || now == 0 && v < 1000) {
				continue
			}
			if lang.NumberOne.Has(tx.Tokens[i+1].Word) && now%10 == 0 { // vingt et un
				return total + now + 1, i + 1
			}
			break
		}
		noughts, _ := strconv.Atoi(lang.Scale.Meaning(word))
		v, is := NumberWord(word)
		switch {
		case noughts >= 3 && last >= first && noughts < 10 && now > 0 && now < 1000:
			for range noughts {
				now *= 10
			}
			total, now = total+now, 0
		case v == 1000 && now > 0 && last >= first && now >= 1000, !is:
			return total + now, last
		case v == 1000: // mil ochocientos
			total, now = total+1000*max(1, now), 0
		case v == 100 && last >= first && now > 0 && (now < 10 || now < 100 && now%10 != 0) && tx.isHundred(i): // two hundred, fifteen hundred
			now *= 100
		case v == 100 && !tx.isHundred(i):
			return total + now, last
		case v == 12 && last >= first && now > 0 && now < 10 && lang.Dozen.Has(word):
			now *= 12
		case v == 20 && now == 4: // quatre-vingts
			now = 80
		case last >= first && !fits(now, v) && (now > 0 || total == 0):
			return total + now, last
		default:
			now += v
		}
		last = i
	}
	return total + now, last
}

// fits tells whether a number may follow in one that is said so far: 3 after 20,
// 12 after 100, and in French 12 after 60 and 8 after 10.
func fits(now, v int) bool {
	tens := now % 100
	switch {
	case now == 0, v >= 100:
		return false
	case tens == 0:
		return true
	case tens == 60 || tens == 80:
		return v < 20
	case tens == 10: // dix-huit
		return v >= 7 && v <= 9
	}
	return tens >= 20 && tens%10 == 0 && v < 10
}

// isHundred tells a word for a hundred from one for a hundredth of a currency:
// cinq cents is 500, five cents are a sum.
func (tx *Text) isHundred(i int) bool {
	if !lang.Minor.Has(tx.Tokens[i].Word) {
		return true
	}
	for _, at := range []int{i - 1, i + 1} {
		if at >= 0 && at < len(tx.Tokens) {
			if _, is := NumberWord(tx.Tokens[at].Word); is && (onlyIn("fr", tx.Tokens[at].Word) || tx.speaks("fr", at) > tx.speaks("en", at)) {
				return true
			}
		}
	}
	return false
}

// around is how many words on either side tell the language of one.
const around = 12

// speaks counts the words around one that join days in a language or stand before them:
// they tell languages with the same number words apart.
func (tx *Text) speaks(code string, at int) (n int) {
	for _, l := range lang.Languages() {
		if l.Code != code {
			continue
		}
		for _, k := range []lang.Kind{lang.DayJoin, lang.OnDay, lang.OfMost} {
			for _, w := range l.Words(k) {
				for i := max(0, at-around); i < len(tx.Tokens) && i <= at+around; i++ {
					if tx.Tokens[i].Word == strings.ToLower(w) {
						n++
					}
				}
			}
		}
	}
	return n
}

// onlyIn tells whether a number word is of one language and not of English.
func onlyIn(code, word string) bool {
	in := map[string]bool{}
	for _, l := range lang.Languages() {
		for _, w := range l.Words(lang.Number) {
			if strings.EqualFold(w, word) {
				in[l.Code] = true
			}
		}
	}
	return in[code] && !in["en"]
}

// numberWords gives the tokens that are numbers in words, or halves of them, in
// order. A text has few words that stand there often: each is looked up once.
func (tx *Text) numberWords() []int {
	return tx.tokensOf(func(word string) bool {
		_, is := NumberWord(word)
		is = is || lang.Half.Has(word) || lang.OneAndHalf.Has(word) || lang.OneUnit.Has(word)
		for _, end := range lang.AndAHalf.Words() {
			is = is || strings.HasSuffix(word, end)
		}
		return is
	})
}

// findOften finds how often something is done: twice is 2. Once is 1 only where it says of what.
func (tx *Text) findOften() {
	for _, word := range lang.Often.Words() {
		n := lang.Often.Meaning(word)
		for _, i := range tx.ByWord[word] {
			if n == "1" && (i+1 == len(tx.Tokens) || !tx.near(i, i+1) || !lang.Rhythm.Has(tx.Tokens[i+1].Word)) {
				continue
			}
			tx.add(canonical(n), figure{inWords: true, Span: tx.Tokens[i].Span})
		}
	}
}

// compoundJoints are what numbers in one word are joined at: zweihundertzwölf, twaalfhonderdvijftig,
// duemilaquattrocento.
var compoundJoints = []struct {
	word, and string
	is        int
}{{"tausend", "und", 1000}, {"duizend", "en", 1000}, {"mila", "", 1000}, {"mille", "", 1000}, {"hundert", "und", 100}, {"honderd", "en", 100}, {"cento", "", 100}}

// joinedTens reads the tens and units of Dutch and Italian numbers: drieëntwintig, trentotto.
func joinedTens(word string) (int, bool) {
	if len(word) < 7 || len(word) > 20 {
		return 0, false
	}
	plain := word
	if !lang.IsASCII(word) {
		plain = strings.NewReplacer("ë", "e", "é", "e").Replace(word)
	}
	for at := 2; at+4 < len(plain); at++ {
		if plain[at:at+2] != "en" {
			continue
		}
		unit, tens := numberOf(plain[:at]), numberOf(plain[at+2:])
		if plain[:at] == "een" {
			unit = 1
		}
		if unit > 0 && unit < 10 && tens >= 20 && tens < 100 && tens%10 == 0 {
			return unit + tens, true
		}
	}
	for unit, end := range italianUnits {
		before, ok := strings.CutSuffix(plain, end)
		if !ok || end == "" {
			continue
		}
		for _, vowel := range []string{"", "i", "a"} { // venti, vent-otto
			if tens := numberOf(before + vowel); tens >= 20 && tens < 100 && tens%10 == 0 {
				return tens + unit, true
			}
		}
	}
	return 0, false
}

// italianUnits are what numbers end in that are written in one word.
var italianUnits = []string{"", "uno", "due", "tre", "quattro", "cinque", "sei", "sette", "otto", "nove"}

func numberOf(word string) int {
	n, _ := strconv.Atoi(lang.Number.Meaning(word))
	return n
}

// NumberWord reads one word, also one that joins units and tens with "und".
func NumberWord(word string) (int, bool) {
	if n, err := strconv.Atoi(lang.Number.Meaning(word)); err == nil {
		return n, true
	}
	for _, joint := range compoundJoints {
		before, rest, ok := strings.Cut(word, joint.word)
		if !ok || strings.Contains(rest, joint.word) {
			continue
		}
		times, okA := 1, before == "" || before == "ein"
		if !okA {
			times, okA = NumberWord(before)
		}
		n, okB := 0, rest == ""
		if !okB {
			n, okB = NumberWord(strings.TrimPrefix(rest, joint.and))
		}
		return times*joint.is + n, okA && okB && times < 1000 && (times < 20 || joint.is == 1000) && n < joint.is
	}
	if n, ok := joinedTens(word); ok {
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

// findHalfDozens reads half a dozen, ein halbes Dutzend, une demi-douzaine, and gives the
// words of which no other number is made.
func (tx *Text) findHalfDozens() map[int]bool {
	var halved map[int]bool
	for _, i := range tx.tokensOf(lang.Dozen.Has) {
		t := tx.Tokens[i]
		for j := i - 1; j >= max(0, i-2); j-- {
			half := tx.Tokens[j]
			if lang.Half.Has(half.Word) && t.Start-half.End < 5 {
				tx.add(canonical("6"), figure{Span: Span{half.Start, t.End}, inWords: true})
				if halved == nil {
					halved = map[int]bool{}
				}
				halved[i], halved[j] = true, true
				break
			}
			if !lang.OneUnit.Has(half.Word) && !lang.Article.Has(half.Word) {
				break
			}
		}
	}
	return halved
}
