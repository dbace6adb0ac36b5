package reading

import (
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// Measure is what a text says that a figure measures.
type Measure struct {
	Unit    string // as units are called here; "" for none
	Code    string // of a currency; "" for none
	Perhaps bool   // the currency's sign is that of others too
	Minor   bool   // hundredths of a currency
	Word    string // as it stands there
	Where   Span   // of the figure with it, where it stands beside it; else of the figure
	Each    bool   // a label or a head says it, of what the figure is for: Hire / Day, Price per kg
}

// none tells whether a text says nothing of what a figure measures.
func (m Measure) none() bool { return m.Unit == "" && m.Code == "" && !m.Minor }

// MeasureOf gives what a figure measures, by what stands beside it, else by the
// label before it, else by the head of its column.
func (tx *Text) MeasureOf(s Span) Measure {
	k := &tx.figured
	k.mu.Lock()
	m, known := k.of[s]
	k.mu.Unlock()
	if known {
		return m
	}
	m = tx.measure(s)
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.of == nil || len(k.of) >= mostMeasures {
		k.of = map[Span]Measure{}
	}
	k.of[s] = m
	return m
}

// mostMeasures is of how many figures a text keeps what they measure.
const mostMeasures = 1 << 14

func (tx *Text) measure(s Span) Measure {
	m := tx.beside(s)
	if m.none() {
		m = tx.ofNext(s)
	}
	if m.none() {
		m = tx.ofOtherSide(s)
	}
	if m.none() {
		said := tx.lineUpTo(s.Start)
		m = measureIn(labelled(said))
		if m.none() {
			said = tx.head(s)
			m = measureIn(unitOfHead(said))
		}
		m.Where, m.Each = s, isEach(said, m.Word)
	}
	return m
}

// figured is what figures measure, as far as it was asked for.
type figured struct {
	mu sync.Mutex
	of map[Span]Measure
}

// measured are the units that a text names, as far as they were asked for.
type measured struct {
	mu    sync.Mutex
	lower string
	units map[string]bool
}

// Names tells whether any word or sign of the text may be a name of a unit. Where none
// is, no figure need be looked at for it.
func (tx *Text) Names(unit string) bool {
	m := tx.measured
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.units == nil {
		m.units, m.lower = map[string]bool{}, strings.ToLower(tx.Source)
	}
	named, known := m.units[unit]
	if !known {
		of, _, _ := strings.Cut(unit, "/")
		names := append([]string{of, strings.TrimPrefix(of, "°")}, lang.Unit.Names(of)...)
		if of == "Pfund" {
			names = lang.HalfKilo.Words()
		}
		for _, name := range names {
			first, _, _ := strings.Cut(strings.TrimSpace(strings.ToLower(name)), " ")
			named = named || hasWord(m.lower, first)
		}
		m.units[unit] = named
	}
	return named
}

// hasWord tells whether a word stands in a text with no letter at either side.
func hasWord(text, word string) bool {
	for at := 0; word != ""; {
		n := strings.Index(text[at:], word)
		if n < 0 {
			return false
		}
		before, _ := utf8.DecodeLastRuneInString(text[:at+n])
		at += n + len(word)
		behind, _ := utf8.DecodeRuneInString(text[at:])
		if !unicode.IsLetter(before) && !unicode.IsLetter(behind) {
			return true
		}
	}
	return true
}

// isEach tells whether a unit stands in a label or a head behind a stroke or a word for
// "per".
func isEach(said, unit string) bool {
	at := strings.LastIndex(said, unit)
	if unit == "" || at < 0 {
		return false
	}
	before := strings.TrimRight(said[:at], " \u00a0([")
	words := strings.Fields(strings.ToLower(before))
	return strings.HasSuffix(before, "/") || len(words) > 0 && (lang.Per.Has(words[len(words)-1]) || lang.PerEach.Has(words[len(words)-1]))
}

// mayBeBefore tells whether a word before a figure is this figure's and not of one
// before it: 12 EUR   8 is in EUR once.
func (tx *Text) mayBeBefore(s Span, word string) bool {
	lead := tx.Source[max(0, s.Start-40):s.Start]
	at := strings.LastIndex(lead, word)
	if at < 0 {
		return false
	}
	gap := len(lead) - at - len(word)
	head := strings.TrimRight(lead[:at], " \u00a0")
	return gap <= 1 || head == "" || !isDigit(head[len(head)-1]) || len(lead[:at])-len(head) > gap
}

// besides is how far what measures a figure may reach behind it.
const besides = 64

// beside gives what the words and signs right beside a figure say.
func (tx *Text) beside(s Span) Measure {
	word, size := measureBehind(tx.Source[s.End:min(len(tx.Source), s.End+besides)])
	lead := tx.before(s)
	if !tx.mayBeBefore(s, lead) {
		lead = ""
	}
	if half := strings.ToLower(tx.Source[s.Start:s.End]); lang.Half.Has(half) && lang.Filler.Has(word) { // half a kilo
		more, n := measureBehind(tx.Source[min(len(tx.Source), s.End+size):min(len(tx.Source), s.End+size+besides)])
		word, size = more, size+n
	}
	for i, w := range []string{word, lead} {
		where := Span{s.Start, s.End + size}
		if i == 1 {
			where = Span{strings.LastIndex(tx.Source[:s.Start], w), s.End}
		}
		if i == 0 && tx.opensNext(s.End, size) {
			continue
		}
		if code, perhaps := currencyOf(w, i == 0); code != "" {
			return Measure{Code: code, Perhaps: perhaps, Word: w, Where: where, Unit: unitUnless(i == 0, w)}
		}
	}
	where := Span{s.Start, s.End + size}
	if rest := tx.Source[where.End:]; word == "in" && (size == len(word) || endsField(rest) || rest[0] == '.' || rest[0] == ')') { // inches; else it is a word
		return Measure{Unit: "in", Word: word, Where: where}
	}
	if (word == "S" || word == "H") && hundredths.MatchString(tx.Source[s.Start:s.End]) || tx.isRateCode(s, word) { // the side of a ledger
		return Measure{Where: s}
	}
	if word == "C" || word == "F" { // 190C, 374 F
		return Measure{Unit: "°" + word, Word: word, Where: where}
	}
	if word == "a" && endsField(tx.Source[where.End:]) { // ares; else it is a word
		return Measure{Unit: "a", Word: word, Where: where}
	}
	if half := strings.ToLower(word); lang.Oclock.Has(half) && half != "h" || half == "am" || half == "pm" {
		return Measure{Unit: "o'clock", Word: word, Where: where}
	}
	if of, _, _ := strings.Cut(word, "/"); lang.Minor.Has(of) { // and 31,45 ct/kWh
		return Measure{Minor: true, Word: word, Where: where}
	}
	if isUnit(word) {
		return Measure{Unit: UnitOf(word), Word: word, Where: where}
	}
	if of, _, compound := strings.Cut(word, "/"); compound { // 150 zł/mies.
		if code, perhaps := currencyOf(of, true); code != "" {
			return Measure{Code: code, Perhaps: perhaps, Word: of, Where: Span{s.Start, s.End + size - len(word) + len(of)}}
		}
	}
	if of, _, compound := strings.Cut(word, "/"); compound && isUnit(of) { // of units, and none that is known
		return Measure{Unit: word, Word: word, Where: where}
	}
	return Measure{Where: s}
}

// unitUnless gives the unit that a name of a currency is too: pounds.
func unitUnless(behind bool, word string) string {
	if behind && isUnit(word) {
		return UnitOf(word)
	}
	return ""
}

// before gives the word or sign right before a figure.
func (tx *Text) before(s Span) string {
	head := strings.TrimRight(tx.Source[max(0, s.Start-16):s.Start], " \u00a0")
	if short := strings.TrimSuffix(head, "."); short != head && len(short) > 0 && isLetter(short[len(short)-1:]) {
		head = short // Fr. 480
	}
	from := len(head)
	for from > 0 {
		r, size := utf8.DecodeLastRuneInString(head[:from])
		if isCurrencySign(r) && from == len(head) {
			sign := head[from-size:]
			for at := from - size; at > 0 && isLetter(head[at-1:]); at-- { // R$, HK$
				if lang.Sign.Has(head[at-1:]) {
					sign = head[at-1:]
				}
			}
			return sign
		}
		if !unicode.IsLetter(r) {
			break
		}
		from -= size
	}
	return head[from:]
}

// labelReach is how many bytes before a figure its label is looked for.
const labelReach = 80

func (tx *Text) lineUpTo(at int) string {
	near := tx.Source[max(0, at-labelReach):at]
	return near[strings.LastIndexByte(near, '\n')+1:]
}

// unitInLabel is a measure at the end of a label: Weight (kg), Betrag in EUR:. Behind a comma
// the label has its colon, else it is the next one: T 38.9, HR 112.
var unitInLabel = lazy.New(`(?:[(\[]|\bin |/ ?)([\pL€$£¥°%²³/]{1,16})[)\]]?\s*[:=]?[\s.…_]*$|, ([\pL€$£¥°%²³/]{1,16})\s*[:=][\s.…_]*$`)

// minorInName is what may be hundredths at the end of a name that programs write: fee_cents=, "feeCents":.
var minorInName = lazy.New(`(?:_((?i:cents?|pence|ct))|\p{Ll}(Cents?|Pence))["']?\s*[:=]\s*$`)

// labelled gives the measure that ends the label right before a figure.
func labelled(before string) string {
	if !strings.ContainsAny(before, ":=)]") {
		return ""
	}
	if unit := ratioAtEnd(before); unit != "" {
		return unit
	}
	if m := minorInName.FindStringSubmatch(before[max(0, len(before)-60):]); m != nil {
		return strings.ToLower(m[1] + m[2])
	}
	m := unitInLabel.FindStringSubmatch(before[max(0, len(before)-60):])
	if m == nil {
		return ""
	}
	return m[1] + m[2]
}

// unitInHead is a measure in the head of a column.
var unitInHead = lazy.New(`(?:[(\[]|\bin |/ ?|, )([\pL€$£¥°%²³/]{1,16})[)\]]?\s*$|(?:^|\s)([\pL°%€$£¥]{2,4}[²³]?|[%€$£¥])\s*$`)

// ratioAtEnd gives the unit of another that ends a label or a head: Flour g/kg. One
// that is all of it may be a name and its unit: m/kg.
func ratioAtEnd(label string) string {
	words := strings.Fields(strings.TrimRight(label[max(0, len(label)-60):], " \u00a0.…_:=)]"))
	if len(words) == 0 {
		return ""
	}
	last := words[len(words)-1]
	bare := strings.TrimLeft(last, "([")
	if of, _ := ratioOf(bare); of == "" || !strings.Contains(bare, "/") || len(words) == 1 && bare == last {
		return ""
	}
	return bare
}

func unitOfHead(head string) string {
	if unit := ratioAtEnd(head); unit != "" {
		return unit
	}
	m := unitInHead.FindStringSubmatch(head)
	if m == nil {
		return ""
	}
	return m[1] + m[2]
}

// measureIn reads a word of a label or a head as a measure.
func measureIn(word string) Measure {
	if lang.Minor.Has(word) && len(word) > 1 { // Fee (cents): 12000
		return Measure{Code: lang.Minor.Meaning(word), Minor: true, Word: word}
	}
	if code, perhaps := currencyOf(word, false); code != "" {
		return Measure{Code: code, Perhaps: perhaps, Word: word}
	}
	if word != "" && (UnitOf(word) != "" && !lang.Filler.Has(word) || isUnit(word)) {
		return Measure{Unit: UnitOf(word), Word: word}
	}
	return Measure{}
}

// Beside widens the place of a figure over the measure right before or behind
// it, if it stands there.
func (tx *Text) Beside(f *schema.Field, s Span, measure string) Span {
	if measure == "" {
		return s
	}
	if m := tx.beside(s); m.Code != "" && m.Code == strings.ToUpper(measure) && f.Type == schema.Money || m.Unit != "" && m.Unit == UnitOf(measure) && f.Type == schema.Quantity {
		return m.Where
	}
	for _, m := range namesOf(f, measure) {
		rest := tx.Source[s.End:min(len(tx.Source), s.End+6+len(m))]
		behind := strings.TrimLeft(rest, " \u00a0")
		if len(behind) >= len(m) && strings.EqualFold(behind[:len(m)], m) && !goesOn(m, behind[len(m):]) {
			return Span{s.Start, s.End + len(rest) - len(behind) + len(m)}
		}
		lead := tx.Source[max(0, s.Start-6-len(m)):s.Start]
		before := strings.TrimRight(lead, " \u00a0")
		if at := len(before) - len(m); at >= 0 && (f.Type == schema.Money || len(lead)-len(before) <= 1) && tx.mayBeBefore(s, before[at:]) && strings.EqualFold(before[at:], m) && (at == 0 || !isWordByte(before[at-1]) || !isWordByte(m[0])) {
			return Span{s.Start - len(lead) + at, s.End}
		}
	}
	return s
}

func isWordByte(c byte) bool { return c >= 0x80 || isDigit(c) || c|0x20 >= 'a' && c|0x20 <= 'z' }

// namesOf gives the words and signs that may stand for a measure of a field.
func namesOf(f *schema.Field, measure string) []string {
	if f.Type != schema.Quantity {
		return append(append(append([]string{measure}, lang.Sign.Names(measure)...), lang.PerhapsSign.Names(measure)...), lang.Currency.Names(measure)...)
	}
	all := []string{measure}
	if measure == f.Unit {
		all = append(all, f.UnitAlso...)
	}
	slices.SortStableFunc(all, func(a, b string) int { return len(b) - len(a) })
	return all
}

// currencyOf gives the currency that a word or sign stands for, and whether it
// may be another's as well; "" for none. A name is one only behind a figure.
func currencyOf(word string, behind bool) (code string, perhaps bool) {
	if n, of := inScale(word); n > 0 {
		word = of
	}
	if c := lang.Sign.Meaning(word); c != "" {
		return c, false
	}
	if c := lang.PerhapsSign.Meaning(word); c != "" {
		return c, true
	}
	if upper := strings.ToUpper(word); len(word) == 3 && (word == upper && lang.Code.Has(word) || lang.SmallCode.Has(word)) {
		return upper, false
	}
	if behind {
		return lang.Currency.Meaning(word), false
	}
	return "", false
}

// familyOf gives the currency whose sign a currency has.
func familyOf(code string) string {
	if of := lang.AlsoOf.Meaning(code); of != "" {
		return of
	}
	return strings.ToUpper(code)
}

// SaysOther tells whether a text says that a figure measures something else than
// the measure: another unit or currency.
func (tx *Text) SaysOther(f *schema.Field, s Span, measure string) bool {
	m := tx.MeasureOf(s)
	if f.Type == schema.Money {
		if m.Code == "" {
			return m.Minor || m.Unit != "" && !m.Each && !tx.standsApart(s, m) || f.Currency != "" && measure != f.Currency
		}
		if m.Perhaps { // dollars are several countries'
			return m.Code != familyOf(measure) && m.Code != strings.ToUpper(measure) || tx.siblingSaid(strings.ToUpper(measure))
		}
		return m.Code != strings.ToUpper(measure)
	}
	if m.none() && tx.Beside(f, s, measure) == s { // bare: in the schema's own unit
		return f.Unit != "" && measure != f.Unit
	}
	if m.none() || tx.Beside(f, s, measure) != s { // its own may begin with another: s/day
		return false
	}
	if of, _ := ratioOf(measure); of != "" && m.Unit == of && measure == f.Unit {
		return false // of what it is, a heading or the sentence before says
	}
	if more, longer := alsoOf(m.Unit, UnitOf(measure)); longer && measure == f.Unit && !slices.ContainsFunc(more, func(per string) bool { return !namesUnit(f.About, per) }) {
		return false // what the field is about says that it is a week's
	}
	return m.Unit != UnitOf(measure) && !m.mayBe(UnitOf(measure)) && !strings.EqualFold(m.Word, measure) || m.Unit == ""
}

// namesUnit tells whether a word of a text names a unit.
func namesUnit(text, unit string) bool {
	return slices.ContainsFunc(strings.Fields(text), func(word string) bool { return UnitOf(strings.Trim(word, ".,;()")) == unit })
}

// mayBe tells whether the word beside a figure stands for a unit too, besides its own: uur
// and hrs behind a time of day and a length of time, Pfund for half a kilo and for 453.6 g, mb for pressure and for data.
func (m Measure) mayBe(unit string) bool {
	if unit == "MB" && m.Word == "mb" {
		return true
	}
	return m.Unit == "o'clock" && unit != "" && UnitOf(m.Word) == unit || lang.HalfKilo.Has(m.Word) && (m.Unit == "lb" && unit == "Pfund" || m.Unit == "Pfund" && unit == "lb")
}

// Has tells whether a measure is in a unit.
func (m Measure) Has(unit string) bool { return m.Unit == unit || m.mayBe(unit) }

// isUnit tells a word that is a unit of measure and nothing else: "a" and "in"
// are words before all.
func isUnit(word string) bool {
	return UnitOf(word) != "" && !lang.Filler.Has(word) && !lang.LeadIn.Has(word)
}

// SaysSum tells whether a figure is written as sums are: with decimals, or a sign that there are none,
// 480.--.
func (tx *Text) SaysSum(s Span) bool {
	return hundredths.MatchString(tx.Source[s.Start:s.End]) || slices.ContainsFunc(noHundredths, func(none string) bool {
		return strings.HasPrefix(tx.Source[s.End:], none)
	})
}

// IsSum tells a text that is a figure with a sign behind it that there are no decimals.
func IsSum(text string) bool {
	text = strings.TrimRight(text, "-–— ") + "-"
	return len(text) > 2 && isDigit(text[0]) && strings.IndexByte(".,", text[len(text)-2]) >= 0 && isDigit(text[len(text)-3])
}

// Signed gives the sign that words near a figure say, where the field declares
// such words: -1, 1, or 0 for none.
func (tx *Text) Signed(f *schema.Field, s Span) int {
	at := tx.TokenAt(s.Start)
	line := tx.LineOf(s.Start)
	best, sign := 1<<30, 0
	for i := max(0, at-signReach); i < len(tx.Tokens) && i <= at+signReach; i++ {
		if tx.Tokens[i].Start > s.End && tx.LineOf(tx.Tokens[i].Start) > line+1 || tx.LineOf(tx.Tokens[i].End) < line-1 {
			continue
		}
		between := ""
		switch t := tx.Tokens[i]; {
		case t.End <= s.Start:
			between = tx.Source[t.End:s.Start]
		case t.Start >= s.End:
			between = tx.Source[s.End:t.Start]
		}
		if strings.ContainsAny(between, ";!?") || sentenceEnd.MatchString(between) {
			continue
		}
		for n, words := range [][]string{f.Minus, f.Plus} {
			for _, w := range words {
				var want []string
				for _, t := range Tokenize(w) {
					want = append(want, t.Word)
				}
				if away := max(i-at, at-i); tx.Reads(i, want) && len(want) > 0 && away < best {
					best, sign = away, 2*n-1
				}
			}
		}
	}
	return sign
}

// sentenceEnd is the end of a sentence, and not of an abbreviation before a figure.
var sentenceEnd = lazy.New(`[.:]\s+\p{Lu}\pL{3,}`)

// signReach is how many words from a figure a word of its sign may stand.
const signReach = 6
