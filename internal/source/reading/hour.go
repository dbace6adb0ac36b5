package reading

// Hours of the day: in words, and in figures where what stands around them says that they are.

import (
	"fmt"
	"strconv"
	"strings"
	"sync"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
)

// hourAlone keeps an hour in figures behind a word that leads to times, where its clause ends or a
// time goes on behind it: dalle 15 alle 19.30, entro le ore 10, at 9; and one with its sign: 15h.
func (tx *Text) hourAlone(i int) {
	t := tx.Tokens[i]
	if digits, ok := strings.CutSuffix(t.Word, "h"); ok && len(digits) > 0 && len(digits) < 3 { // 15h
		if hour, err := strconv.Atoi(digits); err == nil && hour <= 24 {
			key := fmt.Sprintf("%02d:00", hour%24)
			tx.clocks.bare[key] = append(tx.clocks.bare[key], t.Span)
		}
		return
	}
	if len(t.Word) > 2 || !isDigit(t.Word[0]) || i == 0 || !tx.near(i-1, i) || !lang.AtTime.Has(tx.Tokens[i-1].Word) || strings.Trim(tx.Source[tx.Tokens[i-1].End:t.Start], " .\u00a0") != "" {
		return
	}
	hour, err := strconv.Atoi(t.Word)
	if err != nil || hour > 24 {
		return
	}
	half, last := tx.dayHalf(i, i+1)
	if half != "" && last > i+1 && hour <= 12 { // since 5 that morning
		key := fmt.Sprintf("%02d:00", hour%12+map[string]int{"am": 0, "pm": 12}[half])
		tx.clocks.bare[key] = append(tx.clocks.bare[key], Span{t.Start, tx.Tokens[last].End})
		return
	}
	if !tx.endsHour(i) || !tx.beside(t.Span).none() {
		return
	}
	hours := []int{hour}
	if hour > 0 && hour < 12 {
		hours = append(hours, hour+12)
	}
	for _, h := range hours {
		key := fmt.Sprintf("%02d:00", h%24)
		tx.clocks.bare[key] = append(tx.clocks.bare[key], t.Span)
	}
}

// endsHour tells whether what stands behind a figure may stand behind an hour: the end of its clause,
// another time, or a day.
func (tx *Text) endsHour(i int) bool {
	rest := tx.Source[tx.Tokens[i].End:min(len(tx.Source), tx.Tokens[i].End+2)]
	if rest != "" && (strings.IndexByte("/-%", rest[0]) >= 0 || len(rest) > 1 && strings.IndexByte(".,:", rest[0]) >= 0 && isDigit(rest[1])) {
		return false
	}
	next := tx.word(i, i+1)
	if strings.HasPrefix(rest, ", ") && next != "" && !isDigit(next[0]) { // ceremony at 2, meal at 4
		return true
	}
	for _, k := range []lang.Kind{lang.AtTime, lang.Until, lang.ListAnd, lang.OnDay, lang.DayJoin, lang.Weekday} {
		if k.Has(next) {
			return true
		}
	}
	return next == "" || lang.LeadIn.Has(next) && lang.Weekday.Has(tx.word(i, i+2))
}

// hourAt reads an hour, in words or figures, and the word for "o'clock" behind it;
// next is the token behind it, clock whether that word stands there.
func (tx *Text) hourAt(from, i int) (hour, next int, clock, ok bool) {
	word := tx.word(from, i)
	n, is := NumberWord(word)
	if !is {
		var err error
		if n, err = strconv.Atoi(word); err != nil || len(word) > 2 {
			if !lang.OneUnit.Has(word) {
				return 0, 0, false, false
			}
			n = 1
		}
	}
	next = i + 1
	if lang.Oclock.Has(tx.word(from, next)) {
		next, clock = next+1, true
	} else if tx.word(from, next) == "o" && tx.word(from, next+1) == "clock" {
		next, clock = next+2, true
	}
	return n, next, clock, n >= 0 && n <= 24
}

// minutesWithHalf gives the minutes behind an hour in figures, the half of the day that the words behind
// them say, and their last token: 2.30 in the afternoon.
func (tx *Text) minutesWithHalf(i int) (minutes int, half string, last int) {
	if i+1 >= len(tx.Tokens) || !isDigit(tx.Tokens[i].Word[0]) || len(tx.Tokens[i+1].Word) != 2 || !isDigit(tx.Tokens[i+1].Word[0]) {
		return 0, "", 0
	}
	if gap := tx.Source[tx.Tokens[i].End:tx.Tokens[i+1].Start]; gap != "." && gap != ":" {
		return 0, "", 0
	}
	minutes, err := strconv.Atoi(tx.Tokens[i+1].Word)
	if err != nil || minutes > 59 {
		return 0, "", 0
	}
	half, last = tx.dayHalf(i+1, i+2)
	return minutes, half, last
}

// twelve is whether a text goes by the clock of twelve hours, found out when it is first asked for.
type twelve struct {
	once sync.Once
	is   bool
}

// twelveSaid is a time that says its half of the day, fourSaid one of the clock of 24 hours.
var (
	twelveSaid = lazy.New(`(?i)\b\d{1,2}(?:[:.]\d\d)? ?[ap]\.?m\b`)
	fourSaid   = lazy.New(`(?:^|[^\d.,:/-])(?:1[3-9]|2[0-3])[:.h][0-5]\d(?:[^\d.,:]|[.,]?(?:\s|$))`)
)

// GoesByTwelve tells whether a text has times with their half of the day, and none of 13 hours and
// more: its other times may be of either half.
func (tx *Text) GoesByTwelve() bool {
	t := &tx.whole.twelve
	t.once.Do(func() { t.is = twelveSaid.MatchString(tx.Source) && !fourSaid.MatchString(tx.Source) })
	return t.is
}
