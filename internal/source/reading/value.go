package reading

import (
	"math/big"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// A text that is a value and nothing else, as models write it.

// Declared reads a number in the signs that a field declares: groups, if there
// are any, must have three digits each. "" if it is not written so.
func Declared(as schema.NumberFormat, text string) string {
	body := strings.TrimLeft(text, "+-")
	sign := ""
	if strings.HasPrefix(text, "-") {
		sign = "-"
	}
	if len(text)-len(body) > 1 {
		return ""
	}
	whole, fraction, hasFraction := strings.Cut(body, as.Decimal)
	if hasFraction && (fraction == "" || strings.Trim(fraction, "0123456789") != "") {
		return ""
	}
	if g := as.Group; g != "" && strings.Contains(whole, g) {
		groups := strings.Split(whole, g)
		if len(groups[0]) == 0 || len(groups[0]) > 3 {
			return ""
		}
		for _, part := range groups[1:] {
			if len(part) != 3 {
				return ""
			}
		}
		whole = strings.Join(groups, "")
	}
	if whole == "" || strings.Trim(whole, "0123456789") != "" {
		return ""
	}
	literal := strings.TrimLeft(whole, "0")
	if literal == "" {
		literal = "0"
	}
	if hasFraction {
		literal += "." + fraction
	}
	return sign + literal
}

// Whole gives the numbers that a text can mean as a whole, as JSON writes them: of
// those with decimals none where a whole number is wanted. A declared format
// decides; without one, 1.250 has two readings, 12,5 and 1.250,00 have one.
func Whole(text string, as schema.NumberFormat, whole bool) (all []string) {
	if n := lang.Often.Meaning(strings.ToLower(strings.TrimSpace(text))); n != "" { // twice
		return []string{n}
	}
	n, rest := leading(text, as)
	if strings.TrimSpace(rest) != "" {
		return nil
	}
	for _, s := range n {
		if _, decimals, _ := strings.Cut(s, "."); whole && strings.Trim(decimals, "0") != "" {
			continue
		}
		all = append(all, s)
	}
	return all
}

// Amount reads a text that is a figure with a word, sign or words before or behind
// it: the numbers that the figure can mean, and what stands with it. ok is false
// where more stands there.
func Amount(text string, as schema.NumberFormat) (figures []string, before, behind string, ok bool) {
	text = strings.TrimSpace(text)
	at := strings.IndexFunc(text, unicode.IsDigit)
	if at > 0 && text[at-1] == '.' && (at == 1 || strings.IndexByte(" \u00a0-+", text[at-2]) >= 0) { // .20
		at--
	}
	if at > 0 {
		if r, size := utf8.DecodeLastRuneInString(text[:at]); strings.ContainsRune("½¼¾⅓⅔⅛⅜⅝⅞", r) {
			at -= size
		}
		head := strings.TrimRight(text[:at], " \u00a0\u202f")
		sign := ""
		if r, size := utf8.DecodeLastRuneInString(head); strings.ContainsRune("-−–+", r) && !strings.HasSuffix(head, "-/-") {
			sign, head = string(r), strings.TrimRight(head[:len(head)-size], " \u00a0")
		}
		for _, r := range "-−–" { // before a currency: -€ 5
			if rest, is := strings.CutPrefix(head, string(r)); is && sign == "" && !strings.HasPrefix(head, "-/-") {
				sign, head = "-", strings.TrimLeft(rest, " ")
			}
		}
		for _, cut := range []func(s, fix string) (string, bool){strings.CutPrefix, strings.CutSuffix} { // as Dutch accounts have it
			if rest, is := cut(head, "-/-"); is && sign == "" {
				sign, head = "-", strings.TrimSpace(rest)
			}
		}
		if lang.Minus.Has(head) && sign == "" {
			sign, head = "-", ""
		}
		before, text = head, sign+text[at:]
	}
	figures, rest := leading(text, as)
	if size := minusBehind(text); size > 0 && len(figures) == 1 { // 293.03-
		figures, rest = []string{"-" + figures[0]}, rest[size:]
	}
	for _, none := range noHundredths {
		if tail, is := strings.CutPrefix(rest, none); is {
			rest = tail
			if len(figures) == 2 { // 1.240,-: the point is no decimal one
				figures = figures[1:]
			}
			break
		}
	}
	if n := scaleOfMoney(before, rest); n > 0 && len(figures) == 1 {
		figures, rest = []string{trimmed(shifted(figures[0], n))}, rest[1:]
	}
	behind = strings.TrimSuffix(strings.Trim(rest, " \u00a0\u202f"), ".")
	if len(figures) == 0 || len(before) > 24 || len(behind) > 40 || strings.ContainsFunc(before, isFigureRune) || strings.ContainsFunc(behind, isFigureRune) && (isDigit(behind[0]) || UnitOf(behind) == "") {
		return nil, "", "", false
	}
	return figures, before, behind, true
}

func isFigureRune(r rune) bool { return unicode.IsDigit(r) || r == ',' || r == ';' || r == ':' }

// leading gives the numbers that a text can begin with, and what stands behind.
func leading(text string, as schema.NumberFormat) (all []string, rest string) {
	text = strings.TrimSpace(text)
	sign, body := "", text
	if r, size := utf8.DecodeRuneInString(text); strings.ContainsRune("-−–+", r) && size > 0 {
		if body = strings.TrimLeft(text[size:], " "); r != '+' {
			sign = "-"
		}
	} else if first, after, _ := strings.Cut(text, " "); lang.Minus.Has(first) {
		sign, body = "-", after
	}
	if body == "" {
		return nil, text
	}
	if !isDigit(body[0]) && !strings.ContainsAny(firstRune(body), "½¼¾⅓⅔⅛⅜⅝⅞") && !(body[0] == '.' && len(body) > 1 && isDigit(body[1])) {
		n, behind := leadingWords(body)
		if n == "" {
			return nil, text
		}
		return []string{sign + n}, behind
	}
	if n, behind, ok := leadingFraction(body); ok {
		return []string{sign + n}, behind
	}
	end := spacedEnd(body)
	digits := ungrouped.Replace(strings.ReplaceAll(body[:end], " ", ""))
	if strings.HasPrefix(digits, ".") {
		digits = "0" + digits
	}
	readings := spelled(digits)
	if as.Decimal != "" {
		if readings = nil; Declared(as, digits) != "" {
			readings = []string{Declared(as, digits)}
		} else if d := Declared(as, body[:end]); d != "" {
			readings = []string{d}
		}
	}
	noughts, size := scaleBehind(body[end:])
	for _, n := range readings {
		if noughts > 0 {
			n = shifted(n, noughts)
		}
		all = append(all, sign+trimmed(n))
	}
	return all, body[end+size:]
}

func firstRune(s string) string {
	_, size := utf8.DecodeRuneInString(s)
	return s[:size]
}

// trimmed gives a number without leading zeros.
func trimmed(n string) string {
	t := strings.TrimLeft(n, "0")
	if t == "" || t[0] == '.' {
		return "0" + t
	}
	return t
}

// spacedEnd is numberEnd with blanks between groups of three digits.
func spacedEnd(text string) int {
	end := 0
	if text[0] == '.' {
		end = 1
	}
	end = numberEnd(text, end)
	if strings.ContainsAny(text[:end], ".,") || end > 3 {
		return end
	}
	for len(text) >= end+4 && text[end] == ' ' && strings.Trim(text[end+1:end+4], "0123456789") == "" && (len(text) == end+4 || !isDigit(text[end+4])) {
		end = numberEnd(text, end+1)
	}
	return end
}

var (
	leadFraction = lazy.New(`^(?:(\d{1,4})[ \x{00a0}])?(\d)/(\d{1,2})(?:[^\d/]|$)|^(\d{0,4})[ \x{00a0}]?([½¼¾⅓⅔⅛⅜⅝⅞])`)
)

// leadingFraction reads a fraction that comes out even: 3 1/2, 2½.
func leadingFraction(text string) (n, rest string, ok bool) {
	m := leadFraction.FindStringSubmatchIndex(text)
	if m == nil {
		return "", "", false
	}
	part := func(i int) string {
		if m[2*i] < 0 {
			return ""
		}
		return text[m[2*i]:m[2*i+1]]
	}
	whole, of, end := part(1), part(2)+"/"+part(3), m[7]
	if part(5) != "" {
		whole, of, end = part(4), parts[part(5)], m[11]
	}
	over, under, _ := strings.Cut(of, "/")
	a, _ := strconv.Atoi(over)
	b, _ := strconv.Atoi(under)
	w, _ := strconv.Atoi(whole)
	if b == 0 || 1000%b != 0 || a >= b { // 8/8 are marks
		return "", "", false
	}
	return written(value.CanonicalNumber(strconv.Itoa(w+a/b) + "." + strconv.Itoa(1000 + a%b*1000/b)[1:])), text[end:], true
}

// leadingWords reads a number in words: twenty-three, a dozen, two and a half.
func leadingWords(text string) (n, rest string) {
	tx := New(text)
	longest := Span{}
	for key, at := range tx.numbers {
		for _, f := range at {
			if f.inWords && f.End > longest.End && tx.opens(f.Start) {
				longest, n = f.Span, key
			}
		}
	}
	if n == "" {
		return "", text
	}
	return written(n), text[longest.End:]
}

// opens tells whether nothing but articles stands before a place.
func (tx *Text) opens(at int) bool {
	for _, t := range tx.Tokens {
		if t.Start >= at {
			return true
		}
		if !lang.Article.Has(t.Word) && !lang.Filler.Has(t.Word) {
			return false
		}
	}
	return true
}

// written gives a canonical number as JSON writes it, without an exponent.
func written(key string) string {
	n, ok := new(big.Rat).SetString(key)
	if !ok {
		return key
	}
	if n.IsInt() {
		return n.Num().String()
	}
	return strings.TrimRight(n.FloatString(3), "0")
}

// Date gives the day that a text means which has its month in words, in any
// language and with any ending, or the year first: Monday, the 3rd of April 2032.
// "" where it means none or two, or says more. In figures 31.12.2031 means one, 3.4.2031 two.
func Date(text string) string {
	text = strings.TrimSuffix(strings.TrimSuffix(text, "."), " r") // the Polish word for year
	tx := New(text)
	tx.findDays()
	days := tx.days.at
	if len(days) == 0 { // in figures that can be no other: 31.12.2031
		days = tx.days.figures
	}
	if len(days) != 1 {
		return ""
	}
	for day, at := range days {
		for _, t := range tx.Tokens {
			if t.Start < at[0].Start || t.End > at[0].End {
				if !lang.Weekday.Has(t.Word) && !lang.Article.Has(t.Word) && !lang.Filler.Has(t.Word) {
					return ""
				}
			}
		}
		return day
	}
	return ""
}

var (
	clock     = lazy.New(`^(\d{1,2})(?:[:.]| ?[hu] ?)(\d{2})(?:[:.](\d{2}))?\s*(?:h|hrs?|hs|u|uur|uhr|m|min|o'clock)?$`)
	clockWord = lazy.New(`^(\d{1,2})(?:[:.](\d{2})(?:[:.](\d{2}))?)? ?([\pL']+(?:\.\pL\.?)?)(?: ?(\d{2}))?$`)
	fourDigit = lazy.New(`^([01]\d|2[0-3])([0-5]\d) ?(?:h|hrs?|hours|uhr|z|lt|l|utc|gmt)$`)
	clockLead = lazy.New(`^\pL{1,8}\.? (\d.*)$`)
)

// TimeOfDay reads a time: on the 24-hour clock as HH:MM[:SS], 9.30 h, 9 Uhr 15,
// 14h30; on the 12-hour clock with am or pm.
func TimeOfDay(text string) (string, bool) {
	text = strings.TrimSuffix(strings.ToLower(strings.TrimSpace(text)), ".")
	if m := clock.FindStringSubmatch(text); m != nil {
		at := pad(m[1]) + ":" + m[2]
		if m[3] != "" {
			at += ":" + m[3]
		}
		return at, schema.IsTime(at)
	}
	if m := fourDigit.FindStringSubmatch(text); m != nil {
		return m[1] + ":" + m[2], true
	}
	if noon := strings.TrimLeft(strings.TrimPrefix(strings.TrimPrefix(text, "12"), ":00"), " "); lang.Noon.Has(noon) { // 12 noon
		return "12:00", true
	}
	if m := clockLead.FindStringSubmatch(text); m != nil { // kl. 14.15, um 9 Uhr
		return TimeOfDay(m[1])
	}
	m := clockWord.FindStringSubmatch(text)
	if m == nil || m[2] != "" && m[5] != "" {
		return "", false
	}
	hour, _ := strconv.Atoi(m[1])
	minute := m[2] + m[5]
	if minute == "" {
		minute = "00"
	}
	if m[3] != "" {
		minute += ":" + m[3]
	}
	half := strings.ReplaceAll(m[4], ".", "")
	switch {
	case half == "am" || half == "pm":
		if hour < 1 || hour > 12 || m[5] != "" {
			return "", false
		}
		if hour %= 12; half == "pm" {
			hour += 12
		}
	case !lang.Oclock.Has(half):
		return "", false
	}
	at := pad(strconv.Itoa(hour)) + ":" + minute
	return at, schema.IsTime(at)
}

func pad(hour string) string {
	if len(hour) == 1 {
		return "0" + hour
	}
	return hour
}

// Clocks gives the ways in which documents write a time of day.
func Clocks(at string) []string {
	hour, rest, ok := strings.Cut(at, ":")
	h, err := strconv.Atoi(hour)
	if !ok || err != nil {
		return nil
	}
	minute := rest[:min(2, len(rest))]
	short := strconv.Itoa(h)
	all := []string{at, short + ":" + rest, hour + "." + rest, short + "." + rest, short + "h" + minute, short + " h " + minute, short + "u" + minute, hour + "h" + minute, hour + "u" + minute, hour + minute + "h", hour + minute + " h", hour + minute + " hrs", hour + minute + "hrs", hour + minute + " hours"}
	for _, end := range []string{"h", "hs"} {
		all = append(all, hour+":"+minute+end, short+":"+minute+end, hour+"."+minute+end, short+"."+minute+end)
	}
	for _, word := range lang.Oclock.Words() {
		all = append(all, short+" "+word+" "+minute)
		if minute == "00" {
			all = append(all, short+" "+word, hour+" "+word)
		}
	}
	if h == 24 {
		return all
	}
	twelve, half := (h+11)%12+1, "am"
	if h >= 12 {
		half = "pm"
	}
	for _, join := range []string{" ", ""} {
		for _, end := range []string{half, half[:1] + ".m."} {
			all = append(all, strconv.Itoa(twelve)+":"+minute+join+end, strconv.Itoa(twelve)+"."+minute+join+end)
			if minute == "00" {
				all = append(all, strconv.Itoa(twelve)+join+end)
			}
			if rest != minute { // with the seconds
				all = append(all, strconv.Itoa(twelve)+":"+rest+join+end)
			}
		}
	}
	return all
}

var halfDay = lazy.New(`(?i)^ ?[ap]\.?m\b\.?`)

// HasHalf tells whether the half of the day stands behind a time.
func HasHalf(rest string) bool { return halfDay.MatchString(rest[:min(len(rest), 6)]) }

// WithHalf widens the place of a time over the am or pm behind it.
func (tx *Text) WithHalf(s Span) Span {
	if m := halfDay.FindString(tx.Source[s.End:min(len(tx.Source), s.End+6)]); m != "" {
		s.End += len(m)
	}
	return s
}
