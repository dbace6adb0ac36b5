package reading

import (
	"fmt"
	"sort"
	"strconv"
	"strings"
	"sync"
	"unicode"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// clocks is the times of a source that are said in words, made when they are first
// asked for.
type clocks struct {
	once sync.Once
	at   map[string][]Span // by the time as records hold it, HH:MM
	bare map[string][]Span // those that are an hour and no more, behind a word that leads to times: alle 15

	begins map[int]string // the first times of ranges whose second says the half of the day, by where they start
}

// SpokenTimes gives the places where a time of day is said in words, or in figures
// with the part of the day: a quarter past eight, noon, halb sechs abends, neuf
// heures moins le quart, 5 Uhr nachmittags. One that does not say which half of the
// day it means stands for both.
func (tx *Text) SpokenTimes(at string) []Span {
	tx.clocks.once.Do(func() {
		tx.clocks.at, tx.clocks.bare, tx.clocks.begins = map[string][]Span{}, map[string][]Span{}, map[int]string{}
		for _, i := range tx.tokensOf(mayBeginTime) {
			tx.timeFrom(i)
			tx.hourAlone(i)
		}
		for _, s := range tx.Stretches {
			tx.timeRanges(s)
			tx.hourRanges(s)
			tx.weekdayRanges(s)
			tx.timesWithSigns(s)
		}
	})
	hour, rest, ok := strings.Cut(at, ":")
	if minute, seconds, has := strings.Cut(rest, ":"); ok && has && seconds == "00" {
		at = hour + ":" + minute
	}
	if found := tx.clocks.at[at]; len(found) > 0 {
		return found
	}
	return tx.clocks.bare[at]
}

// RangeBegins gives the time with which a range begins at a place, by the half of the day
// that its end says; "" where none does.
func (tx *Text) RangeBegins(at int) string {
	tx.SpokenTimes("")
	return tx.clocks.begins[at]
}

// timeRange is two times of which the second alone says the half of the day.
var timeRange = lazy.New(`(?i)\b(\d{1,2})(?:[:.](\d{2}))? ?(?:-|–|to|until) ?(\d{1,2})(?:[:.](\d{2}))? ?([ap])\.?m\b`)

// hourRange is two times of the 24-hour clock of which the second alone has the word for it.
var hourRange = lazy.New(`\b(\d{1,2})(?:[:.](\d{2}))? ?(-|–|\pL{1,3}) ?\d{1,2}(?:[:.]\d{2})? ?(\pL{1,6})\b`)

// hourRanges keeps the first times of ranges whose word for o'clock is said once: 14-16 Uhr.
func (tx *Text) hourRanges(within Span) {
	text := tx.Source[within.Start:within.End]
	for _, m := range tx.matches(hourRange, within) {
		if join := text[m[6]:m[7]]; join != "-" && join != "–" && !lang.Until.Has(join) || !lang.Oclock.Has(text[m[8]:m[9]]) {
			continue
		}
		hour, minute, end := text[m[2]:m[3]], "00", m[3]
		if m[4] >= 0 {
			minute, end = text[m[4]:m[5]], m[5]
		}
		if at := pad(hour) + ":" + minute; schema.IsTime(at) {
			tx.clocks.at[at] = append(tx.clocks.at[at], Span{within.Start + m[0], within.Start + end})
		}
	}
}

// dayHours is two times behind the name of a day of the week.
var dayHours = lazy.New(`(\pL{2,14})[.:,]?[ \t]{1,4}(\d{1,2})(?:[:.](\d{2}))? ?(-|–|\pL{1,5}) ?(\d{1,2})(?:[:.](\d{2}))?(?:[^\d.,:-]|[.,]?(?:\s|$))`)

// weekdayRanges keeps the times of ranges behind the name of a day of the week, that nothing else
// calls times: Mo 17-18.30, Sat 10–4. One that ends before it begins ends in the afternoon.
func (tx *Text) weekdayRanges(within Span) {
	text := tx.Source[within.Start:within.End]
	for _, m := range tx.matches(dayHours, within) {
		if join := text[m[8]:m[9]]; !lang.Weekday.Has(text[m[2]:m[3]]) || join != "-" && join != "–" && !lang.Until.Has(join) {
			continue
		}
		minutes := func(hours int) int { // of the groups for hours and minutes
			hour, _ := strconv.Atoi(text[m[2*hours]:m[2*hours+1]])
			if m[2*hours+2] < 0 {
				return 60 * hour
			}
			minute, _ := strconv.Atoi(text[m[2*hours+2]:m[2*hours+3]])
			return 60*hour + minute
		}
		keep := func(at, hours int) {
			if key := fmt.Sprintf("%02d:%02d", at/60, at%60); schema.IsTime(key) {
				tx.clocks.at[key] = append(tx.clocks.at[key], Span{within.Start + m[2*hours], within.Start + max(m[2*hours+1], m[2*hours+3])})
			}
		}
		from, to := minutes(2), minutes(5)
		if to < from && to < 12*60 {
			to += 12 * 60
		}
		if from < to {
			keep(from, 2)
			keep(to, 5)
		}
	}
}

// timeRanges keeps the first times of ranges whose half of the day is said once:
// 2.30-4.45pm begins at 14:30, 11-1pm at 11:00.
func (tx *Text) timeRanges(within Span) {
	text := tx.Source[within.Start:within.End]
	for _, m := range tx.matches(timeRange, within) {
		group := func(n int) int {
			if m[2*n] < 0 {
				return 0
			}
			v, _ := strconv.Atoi(text[m[2*n]:m[2*n+1]])
			return v
		}
		from, to := group(1)%12*60+group(2), group(3)%12*60+group(4)
		if group(1) < 1 || group(1) > 12 || group(3) > 12 || group(2) > 59 {
			continue
		}
		if half := text[m[10]] | 0x20; half == 'p' && from < to || half == 'a' && from > to {
			from += 12 * 60
		}
		at := fmt.Sprintf("%02d:%02d", from/60, from%60)
		end := max(m[3], m[5])
		tx.clocks.at[at] = append(tx.clocks.at[at], Span{within.Start + m[0], within.Start + end})
		tx.clocks.begins[within.Start+m[0]] = at
	}
}

// word gives a token's word; "" where there is none, or where another line or
// sentence begins before it.
func (tx *Text) word(from, i int) string {
	if i < 0 || i >= len(tx.Tokens) || i > from && !tx.near(from, i) {
		return ""
	}
	if i > 0 && i > from && strings.ContainsAny(tx.Source[tx.Tokens[i-1].End:tx.Tokens[i].Start], ".;!?:|") {
		return ""
	}
	return tx.Tokens[i].Word
}

// mayBeginTime tells whether a time of day can begin with a word: most words begin none.
func mayBeginTime(word string) bool {
	_, number := NumberWord(word)
	return number || isDigit(word[0]) || lang.OneUnit.Has(word) || lang.Noon.Has(word) || lang.Midnight.Has(word) || lang.HalfTo.Has(word) || lang.Quarter.Has(word) || lang.Half.Has(word)
}

// timeFrom reads the time that begins with a token.
func (tx *Text) timeFrom(i int) {
	word := tx.word(i, i)
	switch {
	case lang.Noon.Has(word):
		tx.fromTwelve(i, 12)
		return
	case lang.Midnight.Has(word):
		tx.fromTwelve(i, 0)
		return
	}
	if tx.beforeHour(i) {
		return
	}
	hour, next, clock, ok := tx.hourAt(i, i)
	if !ok {
		return
	}
	if minutes, half, last := tx.minutesWithHalf(i); half != "" && hour >= 1 && hour <= 12 { // 2.30 in the afternoon
		tx.keepExactly(i, last+1, (hour%12+map[string]int{"am": 0, "pm": 12}[half])*60+minutes)
		return
	}
	if i > 0 { // the end of a longer number, or of minutes before an hour
		if _, is := NumberWord(tx.Tokens[i-1].Word); is && tx.near(i-1, i) || lang.Past.Has(tx.Tokens[i-1].Word) || lang.ToHour.Has(tx.Tokens[i-1].Word) || lang.HalfTo.Has(tx.Tokens[i-1].Word) {
			return
		}
	}
	if minutes, behind, said := tx.behindHour(i, next); said && (clock || i > 0 && tx.near(i-1, i) && lang.AtTime.Has(tx.Tokens[i-1].Word)) { // neuf heures et quart, las dos y cuarto
		tx.keepTime(i, behind, hour, minutes)
		return
	}
	_, inWords := NumberWord(word)
	if half, end := tx.dayHalf(i, next); clock && inWords || half != "" && end > next-1 && (clock || inWords) {
		tx.keepTime(i, next, hour, 0)
		if until := max(next, end+1); lang.Until.Has(tx.word(i, until)) { // two o'clock to five
			if hour, next, _, ok := tx.hourAt(i, until+1); ok {
				tx.keepTime(until+1, next, hour, 0)
			}
		}
	}
}

// fromTwelve keeps noon or midnight, and half an hour or a quarter from it.
func (tx *Text) fromTwelve(i, hour int) {
	minutes, behind, _ := tx.behindHour(i, i+1)
	tx.keepExactly(i, behind, hour*60+minutes)
}

// beforeHour reads what is said before the hour: quarter past eight, ten to nine,
// half past five, halb sechs, Viertel vor acht.
func (tx *Text) beforeHour(i int) bool {
	word := tx.word(i, i)
	if lang.HalfTo.Has(word) { // halb drei, viertel drei
		if hour, next, _, ok := tx.hourAt(i, i+1); ok && hour >= 1 {
			minutes, err := strconv.Atoi(lang.HalfTo.Meaning(word))
			if err != nil {
				minutes = 30
			}
			tx.keepTime(i, next, hour-1, minutes)
			return true
		}
	}
	minutes, at := 0, i+1
	switch n, is := NumberWord(word); {
	case lang.Quarter.Has(word):
		minutes = 15
	case lang.Half.Has(word):
		minutes = 30
	case is && n < 30:
		minutes = n
	case len(word) < 3 && lang.Past.Has(tx.word(i, at)): // 5 past 2
		minutes, _ = strconv.Atoi(word)
		if minutes < 1 || minutes > 29 {
			return false
		}
	default:
		return false
	}
	if lang.MinuteWord.Has(tx.word(i, at)) {
		at++
	}
	sign := 0
	switch {
	case lang.Past.Has(tx.word(i, at)):
		sign = 1
	case lang.ToHour.Has(tx.word(i, at)) && minutes != 30:
		sign = -1
	}
	hour, next, _, ok := tx.hourAt(i, at+1)
	if sign == 0 || !ok {
		return false
	}
	tx.keepTime(i, next, hour, sign*minutes)
	return true
}

// behindHour reads what is said behind the hour: et quart, et demie, moins le
// quart, moins dix.
func (tx *Text) behindHour(i, next int) (minutes, behind int, said bool) {
	sign, at := 0, next
	switch word := tx.word(i, at); {
	case lang.NumberAnd.Has(word):
		sign, at = 1, at+1
	case lang.Minus.Has(word):
		sign, at = -1, at+1
	}
	if sign != 0 && lang.Filler.Has(tx.word(i, at)) && !lang.Quarter.Has(tx.word(i, at)) {
		at++
	}
	word := tx.word(i, at)
	n, is := NumberWord(word)
	switch {
	case sign != 0 && lang.Quarter.Has(word):
		return sign * 15, at + 1, true
	case sign > 0 && lang.Half.Has(word):
		return 30, at + 1, true
	case is && sign <= 0 && n > 0 && n < 60: // acht Uhr dreißig, dix heures moins cinq
		if sign == 0 {
			sign = 1
		}
		return sign * n, at + 1, true
	}
	return 0, next, false
}

// dayHalf gives the half of the day that the words behind a time say, "am" or
// "pm", and their last token.
func (tx *Text) dayHalf(i, next int) (half string, last int) {
	for at := next; at < next+3; at++ {
		word := tx.word(i, at)
		if half := lang.DayHalf.Meaning(word); half != "" {
			return half, at
		}
		if !lang.Filler.Has(word) && !lang.LeadIn.Has(word) {
			break
		}
	}
	return "", next - 1
}

// keepTime keeps a time of the twelve-hour clock, or of both halves of the day
// where nothing says which.
func (tx *Text) keepTime(i, next, hour, minutes int) {
	half, last := tx.dayHalf(i, next)
	total := hour*60 + minutes
	switch {
	case hour > 12 || hour == 12 && half == "" || hour == 0:
		tx.keepExactly(i, last+1, total)
	case half == "am":
		tx.keepExactly(i, last+1, hour%12*60+minutes)
	case half == "pm":
		tx.keepExactly(i, last+1, (hour%12+12)*60+minutes)
	default:
		tx.keepExactly(i, last+1, total)
		tx.keepExactly(i, last+1, total+12*60)
	}
}

// keepExactly keeps a time of so many minutes from midnight that stands from a
// token up to another.
func (tx *Text) keepExactly(i, next, minutes int) {
	minutes = (minutes + 24*60) % (24 * 60)
	key := fmt.Sprintf("%02d:%02d", minutes/60, minutes%60)
	tx.clocks.at[key] = append(tx.clocks.at[key], Span{tx.Tokens[i].Start, tx.Tokens[next-1].End})
}

var (
	zoneOfFour  = lazy.New(`^ ?(?:[zZ]|LT|L|UTC|GMT|local|ship|hrs?|hours)\b`)
	beforeClock = lazy.New(`^[ ,/T\x{00a0}-]{1,4}$`)
)

// FourFigures gives the places where a time of day stands in four figures without a sign
// between: behind a day or a word such as at, or before the name of a zone. 17 MAR 1200,
// at 0600, 1430Z.
func (tx *Text) FourFigures(at string) (found []Span) {
	digits := strings.Replace(at, ":", "", 1)
	if len(digits) != 4 {
		return nil
	}
	for _, glued := range []string{"", "z", "lt", "l", "utc", "gmt"} {
		for _, i := range tx.ByWord[digits+glued] {
			s := Span{tx.Tokens[i].Start, tx.Tokens[i].Start + 4}
			if glued != "" || zoneOfFour.MatchString(tx.Source[s.End:min(len(tx.Source), s.End+8)]) || i > 0 && tx.near(i-1, i) && lang.AtTime.Has(tx.Tokens[i-1].Word) || tx.behindDay(s) || tx.headsLine(s) || tx.amongTimes(i) || tx.inFours(i) {
				found = append(found, s)
			}
		}
	}
	return found
}

// inFours tells whether a figure of four is joined to another, and both are times that timetables
// have: 0600-1400.
func (tx *Text) inFours(i int) bool {
	for _, a := range []int{i - 1, i} {
		if a < 0 || a+1 >= len(tx.Tokens) || tx.opensLonger(a) {
			continue
		}
		gap := strings.TrimSpace(tx.Source[tx.Tokens[a].End:tx.Tokens[a+1].Start])
		if (gap == "-" || gap == "–" || gap == "/") && inFives.MatchString(tx.Tokens[a].Word) && inFives.MatchString(tx.Tokens[a+1].Word) && !tx.opensLonger(a+2) {
			return true
		}
	}
	return false
}

// inFives is a time of day whose minutes are a multiple of five.
var inFives = lazy.New(`^(?:[01]\d|2[0-3])[0-5][05]$`)

// opensLonger tells whether a hyphen or a stroke joins a token to the one before it: a part of a
// longer mark.
func (tx *Text) opensLonger(i int) bool {
	return i > 0 && i < len(tx.Tokens) && (tx.Source[tx.Tokens[i-1].End:tx.Tokens[i].Start] == "-" || tx.Source[tx.Tokens[i-1].End:tx.Tokens[i].Start] == "/")
}

// fours are the figures of four that are times since they stand among others in their line.
type fours struct {
	once sync.Once
	at   map[int]bool // by token
}

// amongTimes tells whether a figure of four stands in a line with others that are times of day, one
// of them in the morning: HW 0512 5.4  LW 1131 1.0; or each a little later than the one before:
// lifted 1915, down again 1940. Telephone numbers do not.
func (tx *Text) amongTimes(token int) bool {
	tx.fours.once.Do(func() {
		tx.fours.at = map[int]bool{}
		var line []int
		early := false
		flush := func() {
			for _, i := range line {
				if len(line) > 1 && (early || tx.isCourse(line)) {
					tx.fours.at[i] = true
				}
			}
			line, early = line[:0], false
		}
		for i, t := range tx.Tokens {
			if i > 0 && strings.Contains(tx.Source[tx.Tokens[i-1].End:t.Start], "\n") {
				flush()
			}
			if hourAndMinute.MatchString(t.Word) && !tx.InDate(t.Span) && !tx.inLongNumber(i) {
				line = append(line, i)
				early = early || t.Word[0] == '0'
			}
		}
		flush()
	})
	return tx.fours.at[token]
}

// longestCourse is how many minutes what begins and ends in one line takes at most.
const longestCourse = 6 * 60

// isCourse tells whether figures of four are times of day each of which is later than the one before.
func (tx *Text) isCourse(tokens []int) bool {
	at := func(i int) int {
		n, _ := strconv.Atoi(tx.Tokens[i].Word)
		return n/100*60 + n%100
	}
	for k := 1; k < len(tokens); k++ {
		if at(tokens[k]) <= at(tokens[k-1]) {
			return false
		}
	}
	return at(tokens[len(tokens)-1])-at(tokens[0]) <= longestCourse
}

var hourAndMinute = lazy.New(`^(?:[01]\d|2[0-3])[0-5]\d$`)

// inLongNumber tells whether figures of three and more stand right beside a token: 0555 010 2233.
func (tx *Text) inLongNumber(i int) bool {
	joined := func(a, b, other int) bool {
		if a < 0 || b >= len(tx.Tokens) {
			return false
		}
		gap := tx.Source[tx.Tokens[a].End:tx.Tokens[b].Start]
		return len(tx.Tokens[other].Word) > 2 && strings.Trim(tx.Tokens[other].Word, "0123456789") == "" && (gap == " " || gap == "-" || gap == "/" || gap == ".")
	}
	return joined(i-1, i, i-1) || joined(i, i+1, i+1)
}

// timedLine is what stands behind a time at the start of a line of a log.
var timedLine = lazy.New(`^(?::[ \t]|[ \t]?[-–|][ \t]|[ ]{2}|\t)`)

// headsLine tells whether a figure begins a line of a log: 0900: 4.2C, SW 25 kn.
func (tx *Text) headsLine(s Span) bool {
	return (s.Start == 0 || tx.Source[s.Start-1] == '\n') && timedLine.MatchString(tx.Source[s.End:min(len(tx.Source), s.End+4)])
}

// behindDay tells whether a day stands right before a place.
func (tx *Text) behindDay(s Span) bool {
	all := tx.AllDays() // in order
	for i := sort.Search(len(all), func(i int) bool { return all[i].Start >= s.Start }) - 1; i >= 0 && all[i].Start > s.Start-60; i-- {
		if d := all[i]; d.End < s.Start && beforeClock.MatchString(tx.Source[d.End:s.Start]) {
			return true
		}
	}
	return false
}

// inClock are the times that stand in figures: 14:05, 9.30 pm, 9h40, 7am.
var inClock = lazy.New(`(?i)\b(?:[01]?\d|2[0-4])(?::[0-5]\d(?::[0-5]\d)?(?: ?[ap]\.?m\b)?|[.h][0-5]\d ?(?:[ap]\.?m|h|uhr|hrs)?\b| ?[ap]\.?m\b)`)

// AllTimes gives the places of all times of day that are written as such, in order.
func (tx *Text) AllTimes() (all []Span) {
	tx.SpokenTimes("")
	seen := map[Span]bool{}
	keep := func(s Span) {
		if !seen[s] && !tx.InDate(s) {
			seen[s] = true
			all = append(all, s)
		}
	}
	for _, spans := range tx.clocks.at {
		for _, s := range spans {
			keep(s)
		}
	}
	for _, s := range tx.Stretches {
		for _, m := range inClock.FindAllStringIndex(tx.Source[s.Start:s.End], -1) {
			at := Span{s.Start + m[0], s.Start + m[1]}
			if said := tx.Source[at.Start:at.End]; !strings.Contains(said, ".") || strings.ContainsFunc(said, unicode.IsLetter) {
				keep(at)
			}
		}
	}
	sort.Slice(all, func(i, j int) bool {
		return all[i].Start < all[j].Start || all[i].Start == all[j].Start && all[i].End > all[j].End
	})
	return all
}
