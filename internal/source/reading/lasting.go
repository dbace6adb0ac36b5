package reading

import (
	"math/big"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
)

// Lengths of time: in hours and minutes, in figures and in words.

// secondsBehind is what may be seconds behind hours and minutes.
var secondsBehind = lazy.New(`^[, ]*\d{1,2}(?:[.,]\d+)? ?(\pL{1,8})\b`)

// inHours is a time in hours and minutes: 1h10, 2 h 05 min, 3 hours and 20 minutes.
var inHours = lazy.New(`(\d{1,3}) ?(\pL{1,8})\.?(?: (\pL{1,3}))? ?(\d{1,2})(?: ?(\pL{1,8}|['′]))?`)

func (tx *Text) lastingIn(s Span) {
	text := tx.Source[s.Start:s.End]
	for _, m := range tx.matches(inHours, s) {
		said := func(n int) string {
			if m[2*n] < 0 {
				return ""
			}
			return text[m[2*n]:m[2*n+1]]
		}
		end := m[1]
		if UnitOf(said(2)) != "h" || said(3) != "" && !lang.NumberAnd.Has(said(3)) || m[0] > 0 && isWordByte(text[m[0]-1]) {
			continue
		}
		if unit := said(5); unit != "" && unit != "'" && unit != "′" && UnitOf(unit) != "min" && unit != "m" {
			end = m[9]
		}
		hours, _ := strconv.Atoi(said(1))
		minutes, _ := strconv.Atoi(said(4))
		if m := secondsBehind.FindStringSubmatch(text[end:min(len(text), end+16)]); m != nil && UnitOf(m[1]) == "s" {
			continue
		}
		if minutes < 60 && (end == len(text) || !isDigit(text[end])) {
			tx.derived.lasting.add(big.NewRat(int64(hours)*3600+int64(minutes)*60, 1), Span{s.Start + m[0], s.Start + end})
		}
	}
}

var (
	inThree   = lazy.New(`\b(\d{1,3}) ?(\pL{1,8})\.?[, ]*(\d{1,2}) ?(\pL{1,8})\.?[, ]*(?:(\pL{1,3}) )?(\d{1,2}(?:[.,]\d+)?) ?(\pL{1,8})\b`)
	inColons  = lazy.New(`(\d{1,4}):([0-5]\d)(?::([0-5]\d))?(?:[.,](\d{1,3}))?(?:[ \x{00a0}]?(\pL{1,8})\b)?`)
	colonHead = lazy.New(`(?i)\b(?:(h{1,3}:mm|(?:h|hrs?|hours|std):min(?:utes|uten)?)|(m{1,2}:ss|min(?:utes|uten)?:s(?:ec|ek)?(?:onds|unden)?))\b`)
)

// lastingInThree reads lengths of time in hours, minutes and seconds: 1h 58m 03s.
func (tx *Text) lastingInThree(s Span) {
	text := tx.Source[s.Start:s.End]
	for _, m := range tx.matches(inThree, s) {
		said := func(n int) string { return text[m[2*n]:m[2*n+1]] }
		minutes := UnitOf(said(4)) == "min" || said(4) == "m"
		if UnitOf(said(2)) == "h" && minutes && UnitOf(said(7)) == "s" && (m[10] < 0 || lang.NumberAnd.Has(said(5))) {
			tx.derived.lasting.add(seconds(decimal(said(1)), decimal(said(3)), decimal(said(6))), Span{s.Start + m[0], s.Start + m[1]})
		}
	}
}

// inSmall is minutes and seconds: 16m 12s, 4 min 30 s.
var inSmall = lazy.New(`\b(\d{1,3}) ?(m|\pL{3,8})\.?,? ?(\d{1,2}(?:[.,]\d+)?) ?(s|secs?|\pL{6,8})\b`)

// lastingInSmall reads lengths of time in minutes and seconds.
func (tx *Text) lastingInSmall(s Span) {
	text := tx.Source[s.Start:s.End]
	for _, m := range tx.matches(inSmall, s) {
		said := func(n int) string { return text[m[2*n]:m[2*n+1]] }
		if (said(2) == "m" || UnitOf(said(2)) == "min") && UnitOf(said(4)) == "s" && (m[0] == 0 || text[m[0]-1] != '.' && text[m[0]-1] != ',') {
			tx.derived.lasting.add(seconds(new(big.Rat), decimal(said(1)), decimal(said(3))), Span{s.Start + m[0], s.Start + m[1]})
		}
	}
}

// lastingInColons reads lengths of time that are written as times of day are: 168:30 Std.,
// 1:23.4, and 7:30 below or behind "Hours". With seconds, or with a sign for what is behind,
// no label need say so.
func (tx *Text) lastingInColons(s Span) {
	text := tx.Source[s.Start:s.End]
	if !strings.Contains(text, ":") {
		return
	}
	for _, m := range tx.matches(inColons, s) {
		said := func(n int) string {
			if m[2*n] < 0 {
				return ""
			}
			return text[m[2*n]:m[2*n+1]]
		}
		if m[0] > 0 && (isWordByte(text[m[0]-1]) || strings.IndexByte(":.,", text[m[0]-1]) >= 0) {
			continue
		}
		at := Span{s.Start + m[0], s.Start + max(m[5], m[7], m[9])}
		word := said(5)
		unit := UnitOf(word)
		switch {
		case unit == "h" || unit == "min":
			at.End = s.Start + m[11]
		case lang.Oclock.Has(word) || lang.DayHalf.Has(word):
			continue
		case said(4) != "" || m[0] > 0 && text[m[0]-1] == '+':
			unit = "min"
		case said(3) != "":
			unit = "h"
		default:
			unit = tx.timeOfLabel(at)
		}
		first, second, third := decimal(said(1)), decimal(said(2)), decimal(strings.TrimSuffix("0"+said(3)+"."+said(4), "."))
		switch {
		case unit == "h" || unit == "min" && said(3) != "":
			tx.derived.lasting.add(seconds(first, second, third), at)
		case unit == "min":
			tx.derived.lasting.add(seconds(new(big.Rat), first, second.Add(second, third)), at)
		}
	}
}

// seconds gives hours, minutes and seconds in seconds.
func seconds(h, m, s *big.Rat) *big.Rat {
	h.Mul(h, big.NewRat(3600, 1))
	m.Mul(m, big.NewRat(60, 1))
	return h.Add(h, m.Add(m, s))
}

// timeOfLabel tells whether a figure's label or the head of its column says that it is a
// length of time, and what its first part is in: h or min.
func (tx *Text) timeOfLabel(s Span) string {
	for _, said := range []string{tx.lineUpTo(s.Start), tx.head(s)} {
		if m := colonHead.FindStringSubmatch(said); m != nil {
			if m[1] != "" {
				return "h"
			}
			return "min"
		}
		for _, word := range strings.FieldsFunc(said, func(r rune) bool { return !unicode.IsLetter(r) }) {
			if UnitOf(word) == "h" && len(word) > 2 {
				return "h"
			}
		}
	}
	return ""
}

// lastingInWords reads hours and minutes where either is said in a word: une heure dix,
// two hours twenty, 1 Stunde zehn. A measure behind the second is that of minutes, or it
// is no time.
func (tx *Text) lastingInWords() {
	follows := func(i int) bool {
		return i < len(tx.Tokens) && strings.Trim(tx.Source[tx.Tokens[i-1].End:tx.Tokens[i].Start], " \u00a0") == ""
	}
	for _, i := range tx.tokensOf(func(word string) bool { return UnitOf(word) == "h" }) {
		if i == 0 || i+1 == len(tx.Tokens) || !follows(i) {
			continue
		}
		hours, ok := smallNumber(tx.Tokens[i-1].Word)
		at := i + 1
		if follows(at) && lang.NumberAnd.Has(tx.Tokens[at].Word) {
			at++
		}
		if !ok || !follows(at) {
			continue
		}
		minutes, ok := smallNumber(tx.Tokens[at].Word)
		end := at
		if follows(at + 1) {
			if of := UnitOf(tx.Tokens[at+1].Word); of == "min" {
				end = at + 1
			} else if code, _ := currencyOf(tx.Tokens[at+1].Word, true); of != "" || code != "" {
				continue
			}
		}
		if ok && minutes > 0 && minutes < 60 {
			tx.derived.lasting.add(big.NewRat(int64(hours)*3600+int64(minutes)*60, 1), Span{tx.Tokens[i-1].Start, tx.Tokens[end].End})
		}
	}
}

// lastingOnce finds one of a unit of time that an article says: for a week, ein Jahr. Behind a number
// or a sum it says how often: £40 a week; before a half or minutes it is more.
func (tx *Text) lastingOnce() {
	for _, i := range tx.oneOf() {
		tx.derived.lasting.add(lastingOf(units[UnitOf(tx.Tokens[i].Word)], big.NewRat(1, 1)), Span{tx.Tokens[i-1].Start, tx.Tokens[i].End})
	}
}

// oneOf gives the tokens that are a unit of time of which there is one, in order.
func (tx *Text) oneOf() []int {
	all := tx.tokensOf(func(word string) bool { return len(word) > 3 && isLasting(units[UnitOf(word)]) })
	return slices.DeleteFunc(all, func(i int) bool { return i == 0 || !tx.isOneOf(i) })
}

// isOneOf tells whether of a token, a unit of time, there is one, as the article before it says.
func (tx *Text) isOneOf(i int) bool {
	t, article := tx.Tokens[i], tx.Tokens[i-1]
	return lang.OneUnit.Has(article.Word) && tx.Source[article.End:t.Start] == " " && !(i > 1 && tx.near(i-2, i) && tx.saysHowMuch(i-2)) && !tx.goesOnFrom(i)
}

// saysHowMuch tells a word for a number, how often, or what is counted or paid.
func (tx *Text) saysHowMuch(i int) bool {
	word := tx.Tokens[i].Word
	_, number := NumberWord(word)
	if word == "in" && (i == 0 || !isDigit(tx.Tokens[i-1].Word[0])) { // no inches
		return false
	}
	return number || isDigit(word[0]) || isDigit(word[len(word)-1]) || lang.Often.Has(word) || lang.Times.Has(word) || lang.Half.Has(word) || lang.Currency.Has(word) || lang.Minor.Has(word) || UnitOf(word) != "" || lang.Code.Has(word)
}

// goesOnFrom tells whether more of an amount follows a unit: an hour and a half, an hour 20.
func (tx *Text) goesOnFrom(i int) bool {
	if i+1 >= len(tx.Tokens) || !tx.near(i, i+1) {
		return false
	}
	next := i + 1
	if lang.ListAnd.Has(tx.Tokens[next].Word) || lang.NumberAnd.Has(tx.Tokens[next].Word) {
		if next++; next >= len(tx.Tokens) {
			return false
		}
	}
	word := tx.Tokens[next].Word
	_, number := NumberWord(word)
	return number || isDigit(word[0]) || lang.Half.Has(word) || lang.AndAHalf.Has(word) || next > i+1 && lang.OneUnit.Has(word)
}

// fromTo is two times of day with what stands between the ends of a range.
var fromTo = lazy.New(`\b(\d{1,2})[.:h](\d{2})(?: ?(?:h|Uhr|hrs))? ?(?:-|–|—|to|until|bis|à|a|al|alle|às|as|tot|do) ?(\d{1,2})[.:h](\d{2})\b`)

// lastingFromTo finds how long it is from one time of day to another: 19.30-21.05.
func (tx *Text) lastingFromTo(s Span) {
	text := tx.Source[s.Start:s.End]
	for _, m := range tx.matches(fromTo, s) {
		var n [4]int64
		for i := range n {
			at, _ := strconv.Atoi(text[m[2+2*i]:m[3+2*i]])
			n[i] = int64(at)
		}
		if n[0] > 24 || n[2] > 24 || n[1] > 59 || n[3] > 59 {
			continue
		}
		minutes := n[2]*60 + n[3] - n[0]*60 - n[1]
		if minutes < 0 {
			minutes += 24 * 60
		}
		tx.derived.lasting.add(big.NewRat(minutes*60, 1), Span{s.Start + m[0], s.Start + m[1]})
	}
}

// smallNumber reads a number below a hundred, in figures or in one word.
func smallNumber(word string) (int, bool) {
	if said := lang.Number.Meaning(word); said != "" {
		word = said
	} else if lang.NumberOne.Has(word) || lang.OneUnit.Has(word) {
		word = "1"
	}
	n, err := strconv.Atoi(word)
	return n, err == nil && n >= 0 && n < 100
}

// Lasting gives the places that say a time in a unit otherwise: an hour and ten
// minutes as 1h10, 45 minutes as three quarters of an hour.
func (tx *Text) Lasting(figure, unit string) (found []Span) {
	u, ok := units[unit]
	if !ok || !isLasting(u) {
		return nil
	}
	in := func(n *big.Rat) bool {
		return n.Sign() > 0 == (u.of == "time") && asShown(figure, new(big.Rat).Quo(new(big.Rat).Abs(n), rational(u.factor)))
	}
	return tx.derive().lasting.of(in)
}
