package reading

import (
	"cmp"
	"slices"
	"sort"
	"strconv"
	"strings"
	"sync"
	"time"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// days is the dates of a source, made when they are first asked for.
type days struct {
	once sync.Once
	at   map[string][]Span // by the day as records hold it
	// those in figures alone, by every day that they may be
	figures  map[string][]Span
	part     map[string][]Span // those without a year, by month and day: 06-05
	years    map[string]bool   // of the days that have one
	alone    map[string][]Span // those without a month, by the day
	named    map[string][]Span // likewise, each behind the name of its weekday
	months   map[string]bool   // of the days that have all: 2032-04
	short    map[string][]Span // with the month in words and two figures of a year, of both centuries
	unparted map[string][]Span // eight figures without a sign between: 20310423
	full     string            // the newest year that is written in full
	span     sync.Once
	first    string // of those that have a year, once asked for
	last     string
	spans    []Span // of all of them, and of days in figures
}

// Days gives the places where a day is written with its month in words, in
// any language and with any ending, or year first.
func (tx *Text) Days(day string) []Span {
	tx.findDays()
	found := tx.days.at[day]
	for _, at := range tx.days.short[day] { // 3-Apr-31
		if tx.sameYear(at, day[:4]) {
			found = append(slices.Clip(found), at)
		}
	}
	return append(slices.Clip(found), tx.days.unparted[day]...)
}

// DaysOfYear gives the places where a day is written without its year, in a text that has other days of this year, or of the year before
// where they are days of its last three months and this one is of the first
// three.
func (tx *Text) DaysOfYear(f *schema.Field, day string) []Span {
	tx.findDays()
	if len(day) != 10 {
		return nil
	}
	year, err := strconv.Atoi(day[:4])
	if err != nil {
		return nil
	}
	isNamed := tx.days.years[day[:4]] || day[5:7] <= "03" && tx.days.years[strconv.Itoa(year-1)+" late"] || len(tx.Months(day[:7])) > 0 || tx.isOnlyYear(day[:4]) // a log of June 2031, a summary of 2030
	var all []Span
	for _, s := range tx.days.part[day[5:]] {
		if shift, says := tx.yearShift(s); says && tx.days.years[strconv.Itoa(year-shift)] || !says && isNamed && !tx.isOfOtherYear(day) {
			all = append(all, s)
		}
	}
	return tx.ofYear(f, all, day)
}

// How many days the full days of a document lie apart at most that tell the years of others: any, and those that the
// document says are the first and the last.
const (
	shortSpan = 92
	longSpan  = 366
)

// isOfOtherYear tells whether a day lies between the first and the last full day of a text in the year before or
// after, and not in its own: of a stay from 28/12/2031 to 02/01/2032, 30/12 is no day of 2032.
func (tx *Text) isOfOtherYear(day string) bool {
	tx.days.span.Do(func() {
		for _, all := range []map[string][]Span{tx.days.at, tx.days.figures} {
			for at := range all {
				if len(at) == len(time.DateOnly) {
					if tx.days.first == "" || at < tx.days.first {
						tx.days.first = at
					}
					tx.days.last = max(tx.days.last, at)
				}
			}
		}
	})
	first, err := time.Parse(time.DateOnly, tx.days.first)
	last, errLast := time.Parse(time.DateOnly, tx.days.last)
	own, errOwn := time.Parse(time.DateOnly, day)
	most := shortSpan
	if tx.isRange(tx.days.first, tx.days.last) {
		most = longSpan
	}
	if err != nil || errLast != nil || errOwn != nil || last.Sub(first) > time.Duration(most)*24*time.Hour {
		return false
	}
	lies := func(d time.Time) bool { return !d.Before(first) && !d.After(last) }
	return !lies(own) && (lies(own.AddDate(-1, 0, 0)) || lies(own.AddDate(1, 0, 0)))
}

// isRange tells whether a text has two days as the first and the last of a time: from 20 November 2032 to 6 March 2033.
func (tx *Text) isRange(first, last string) bool {
	for _, a := range append(tx.days.at[first], tx.days.figures[first]...) {
		for _, b := range append(tx.days.at[last], tx.days.figures[last]...) {
			if gap := b.Start - a.End; gap > 0 && gap <= longestJoin && lang.Until.Has(strings.ToLower(strings.Trim(tx.Source[a.End:b.Start], " \u00a0"))) || gap > 0 && gap <= longestJoin && strings.Trim(tx.Source[a.End:b.Start], " \u00a0-–—") == "" {
				return true
			}
		}
	}
	return false
}

// longestJoin is how many bytes stand between the two days of a time at most.
const longestJoin = 12

// AllDays gives the places of all days, in order.
func (tx *Text) AllDays() []Span {
	tx.findDays()
	return tx.days.spans
}

// InDate tells whether a place is a part of a date.
func (tx *Text) InDate(s Span) bool {
	tx.findDays()
	spans := tx.days.spans // in order
	last := sort.Search(len(spans), func(i int) bool { return spans[i].Start > s.Start })
	for i := last - 1; i >= 0 && i >= last-4; i-- { // those in words and in figures may overlap
		if d := spans[i]; s.Start >= d.Start && s.End <= d.End && s != d {
			return true
		}
	}
	return false
}

// isDay tells whether a place is a whole day of a date.
func (tx *Text) isDay(s Span) bool {
	return tx.InDate(Span{s.Start, s.Start + 1}) || slices.Contains(tx.days.spans, s)
}

func (tx *Text) findDays() {
	tx.days.once.Do(func() {
		tx.days.at, tx.days.figures = map[string][]Span{}, map[string][]Span{}
		tx.days.alone, tx.days.named = map[string][]Span{}, map[string][]Span{}
		tx.days.short, tx.days.unparted = map[string][]Span{}, map[string][]Span{}
		tx.days.part, tx.days.years, tx.days.months = map[string][]Span{}, map[string]bool{}, map[string]bool{}
		for _, name := range append(lang.Month.Words(), lang.ShortMonth.Words()...) {
			for _, i := range tx.ByWord[name] {
				tx.dayAround(i, name)
			}
		}
		for _, i := range tx.tokensOf(mayBeginDay) {
			if i+2 < len(tx.Tokens) {
				tx.dayInFigures(i)
			}
			if i+1 < len(tx.Tokens) && isDigit(tx.Tokens[i].Word[0]) {
				tx.dayAndMonth(i)
			}
			tx.dayAlone(i)
			tx.namesDay(i)
			tx.dayGlued(i)
			tx.dayUnparted(i)
			tx.dayRoman(i)
		}
		for _, s := range tx.Stretches {
			tx.daysWithSigns(s)
		}
		short := map[string][]Span{} // their years are named, as far as they are sure
		for day, at := range tx.days.short {
			if tx.sameYear(at[0], day[:4]) {
				short[day] = at
			}
		}
		for _, days := range []map[string][]Span{tx.days.at, tx.days.figures, short} {
			for day, at := range days {
				tx.days.years[day[:4]], tx.days.months[day[:7]] = true, true
				if day[5:7] >= "10" && tx.inOrder(at[0], day) != no {
					tx.days.years[day[:4]+" late"] = true
				}
			}
		}
		sort.Slice(tx.days.spans, func(i, j int) bool { return before(tx.days.spans[i], tx.days.spans[j]) })
	})
}

// hasYear notes that a day has its year in full.
func (d *days) hasYear(year string) { d.full = max(d.full, year) }

// keepDay notes a date between two tokens.
func (tx *Text) keepDay(from, to int, year, month, day string) {
	tx.keepDayAt(Span{tx.Tokens[from].Start, tx.Tokens[to].End}, year, month, day)
}

func (tx *Text) keepDayAt(at Span, year, month, day string) {
	tx.days.spans = append(tx.days.spans, at)
	tx.days.hasYear(year)
	if key := dayKey(year, month, day); key != "" {
		tx.days.at[key] = append(tx.days.at[key], at)
	}
}

// monthNamed gives the number of a month by its name, or its short one; "" for none.
func monthNamed(name string) string {
	return cmp.Or(lang.Month.Meaning(name), lang.ShortMonth.Meaning(name))
}

// dayAround reads a date around the name of a month: 3rd of April 2032, 1er avril
// 2032, April 3, 2032.
func (tx *Text) dayAround(i int, name string) {
	month := monthNamed(name)
	after := tx.skipOf(i+1, 1)
	if year, last := tx.yearFrom(after); year != "" && tx.near(i, after) {
		if day, first := tx.dayBefore(tx.skipOf(i-1, -1)); day != "" && tx.near(first, i) {
			tx.keepDay(first, last, year, month, day)
			tx.listed(first, year, month)
			return
		}
	}
	if tx.shortYear(i, after, month) {
		return
	}
	if d := tx.wordsForDay(i + 1); d != "" { // April twenty-third, 2031
		if year, last := tx.yearFrom(i + 3); year != "" && tx.near(i, i+3) {
			tx.keepDay(i, last, year, month, d)
			return
		}
	}
	if day := tx.dayOf(i + 1); day != "" {
		if year, last := tx.yearFrom(i + 2); year != "" && tx.near(i, i+2) {
			tx.keepDay(i, last, year, month, day)
			return
		}
	}
	if year, ok := tx.year(i - 1); ok && tx.near(i-1, i) { // 2031. március 7.
		if day := tx.dayOf(i + 1); day != "" && tx.near(i, i+1) {
			tx.keepDay(i-1, i+1, year, month, day)
			return
		}
	}
	if tx.ofYearApart(i, after, month) {
		return
	}
	if year := tx.yearOfRange(i, month); year != "" {
		if day, first := tx.dayBefore(tx.skipOf(i-1, -1)); day != "" && tx.near(first, i) {
			tx.keepDay(first, i, year, month, day)
			return
		}
	}
	if _, ok := tx.year(after); ok && tx.near(i, after) || !lang.Month.Has(name) && !tx.isShortMonth(i) { // a month and a year
		return
	}
	if day, first := tx.dayBefore(tx.skipOf(i-1, -1)); day != "" && tx.leadsTo(first, i) {
		tx.keepPart(first, i, month, day)
		tx.listed(first, "", month)
	} else if day := tx.dayOf(i + 1); day != "" && tx.Tokens[i+1].Start-tx.Tokens[i].End < 3 && !tx.unitBehind(i+1) {
		tx.keepPart(i, i+1, month, day)
	}
}

// leadsTo tells whether no more than words of a date stand between a day and its month: the 1st
// day of December.
func (tx *Text) leadsTo(day, month int) bool {
	gap := tx.Source[tx.Tokens[day].End:tx.Tokens[month].Start]
	return len(gap) < 8 || len(gap) < 14 && !strings.Contains(gap, "  ")
}

// unitBehind tells whether a unit stands right behind a token: sow April–July, 2 cm deep.
func (tx *Text) unitBehind(i int) bool {
	return i+1 < len(tx.Tokens) && tx.Source[tx.Tokens[i].End:tx.Tokens[i+1].Start] == " " && len(tx.Tokens[i+1].Word) > 1 && isUnit(tx.Tokens[i+1].Word)
}

// wordsToo are short names of months that are words of their own, also with a capital.
var wordsToo = map[string]bool{"set": true, "out": true, "sie": true, "gen": true, "mag": true, "mar": true, "may": true, "am": true, "lis": true, "lip": true}

// isShortMonth tells whether the short name of a month stands for one beside a day without a
// year: with a capital, or no other word in any language, and no word of its own.
func (tx *Text) isShortMonth(i int) bool {
	return lang.SureMonth.Has(tx.Tokens[i].Word) || startsNoun(tx.Source[tx.Tokens[i].Start:]) && !wordsToo[tx.Tokens[i].Word]
}

// yearOfRange gives the year of the first day of a range whose year is said once: 1 Apr -
// 30 Jun 2031; "" where none begins there. i is the token of its month.
func (tx *Text) yearOfRange(i int, month string) string {
	next := i + 1
	if next >= len(tx.Tokens) || !tx.near(i, next) {
		return ""
	}
	if lang.Until.Has(tx.Tokens[next].Word) {
		next++
	} else if !strings.ContainsAny(tx.Source[tx.Tokens[i].End:tx.Tokens[next].Start], "-–") {
		return ""
	}
	named := tx.skipOf(next+1, 1)
	if tx.dayOf(next) == "" || named >= len(tx.Tokens) || !tx.near(i, named) {
		return ""
	}
	to := monthNamed(tx.Tokens[named].Word)
	year, ok := tx.year(tx.skipOf(named+1, 1))
	if !ok || to == "" {
		return ""
	}
	n, errN := strconv.Atoi(year)
	a, errA := strconv.Atoi(month)
	b, errB := strconv.Atoi(to)
	if errN == nil && errA == nil && errB == nil && a > b { // 15 Dec - 14 Jan 2032
		return strconv.Itoa(n - 1)
	}
	return year
}

// keepPart notes a day without a year between two tokens.
func (tx *Text) keepPart(from, to int, month, day string) {
	key := dayKey("2000", month, day) // a leap year
	if key == "" {
		return
	}
	at := Span{tx.Tokens[from].Start, tx.Tokens[to].End}
	tx.days.spans = append(tx.days.spans, at)
	tx.days.part[key[5:]] = append(tx.days.part[key[5:]], at)
}

// near tells whether two tokens stand as close as the parts of a date do.
func (tx *Text) near(from, to int) bool {
	return from >= 0 && to < len(tx.Tokens) && tx.Tokens[to].Start-tx.Tokens[from].End < 32 && strings.Count(tx.Source[tx.Tokens[from].End:tx.Tokens[to].Start], "\n") < 2
}

// skipOf steps over a word that stands between the parts of a date.
func (tx *Text) skipOf(i, step int) int {
	for n := 0; n < mostOf && i >= 0 && i < len(tx.Tokens) && lang.OrdinalOf.Has(tx.Tokens[i].Word); n++ {
		i += step
	}
	return i
}

// mostOf is how many such words may stand there: le deux du mois de mars.
const mostOf = 3

// timeZone is what makes a time of day of four figures.
var timeZone = lazy.New(`^ ?(?:[zZ]|LT|UTC|GMT)\b`)

func (tx *Text) year(i int) (string, bool) {
	if i < 0 || i >= len(tx.Tokens) || len(tx.Tokens[i].Word) != 4 || strings.Trim(tx.Tokens[i].Word, "0123456789") != "" {
		return "", false
	}
	if end := tx.Tokens[i].End; tx.Tokens[i].Word[0] == '0' || timeZone.MatchString(tx.Source[end:min(len(tx.Source), end+6)]) { // 16 NOV 0530 LT
		return "", false
	}
	return tx.Tokens[i].Word, true
}

// dayOf reads a Token as a day of a month: in figures, with or without an ending,
// or in words.
func (tx *Text) dayOf(i int) string {
	if i < 0 || i >= len(tx.Tokens) {
		return ""
	}
	word := tx.Tokens[i].Word
	if d := lang.Day.Meaning(word); d != "" {
		return d
	}
	digits := 0
	for digits < len(word) && isDigit(word[digits]) {
		digits++
	}
	if digits == 0 || digits > 2 || digits < len(word) && !lang.Ordinal.Has(word[digits:]) {
		return ""
	}
	return word[:digits]
}

// dayBefore reads the day that ends at a token, and gives its first Token.
func (tx *Text) dayBefore(i int) (day string, first int) {
	if i > 0 {
		if d := lang.Day.Meaning(tx.Tokens[i-1].Word + "-" + tx.Tokens[i].Word); d != "" {
			return d, i - 1
		}
	}
	if d := tx.dayOf(i); d != "" || i < 0 || i >= len(tx.Tokens) {
		return d, i
	}
	for first := max(0, i-2); first <= i; first++ { // le deux mars, treinta y uno de marzo
		if n, last := tx.phrase(first); last == i && n >= 1 && n <= 31 && !tx.english(i+1) {
			return strconv.Itoa(n), first
		}
	}
	return "", i
}

// english tells whether the month behind a day has an English name that is a word too: one
// may, four march.
func (tx *Text) english(i int) bool {
	return i < len(tx.Tokens) && (tx.Tokens[i].Word == "may" || tx.Tokens[i].Word == "march")
}

// stamped is the end of a day with the letter that a time or a word for the year begins with behind it.
var stamped = lazy.New(`^(?:\d{2}t|\d{4}[rt])`)

// dayInFigures reads a date in figures alone: 3.4.2032, 2032/04/03.
func (tx *Text) dayInFigures(i int) {
	a, b, c := tx.Tokens[i], tx.Tokens[i+1], tx.Tokens[i+2]
	if digits := stamped.FindString(c.Word); digits != "" { // 2031-04-23T14:00, 23.04.2031r.
		n := len(digits) - 1
		c.Word, c.End = c.Word[:n], c.Start+n
	}
	if !isDigit(a.Word[0]) || !isDigit(b.Word[0]) || len(a.Word) > 4 || len(b.Word) > 2 || len(c.Word) > 4 || strings.Trim(a.Word+b.Word+c.Word, "0123456789") != "" {
		return
	}
	for _, gap := range []string{tx.Source[a.End:b.Start], tx.Source[b.End:c.Start]} {
		if len(c.Word) == 4 {
			gap = strings.TrimLeft(gap, " ") // 23 / 04 / 2031
		}
		if gap = strings.TrimRight(gap, " "); gap != "." && gap != "/" && gap != "-" {
			return
		}
	}
	if tx.Source[a.End] != tx.Source[b.End] { // 3.5-5.1 is a range
		return
	}
	if len(a.Word) == 4 {
		if isDayOfYear(b.Word, c.Word) {
			tx.keepDayAt(Span{a.Start, c.End}, a.Word, b.Word, c.Word)
		}
		return
	}
	if len(c.Word)%2 != 0 || !isDayOfYear(a.Word, b.Word) && !isDayOfYear(b.Word, a.Word) {
		return // a number in parts: 8448.42.00, 2.10.3
	}
	at := Span{a.Start, c.End}
	tx.days.spans = append(tx.days.spans, at)
	if len(c.Word) == 4 {
		tx.days.hasYear(c.Word)
		tx.listed(i, c.Word, b.Word)
	}
	years := []string{c.Word}
	if len(c.Word) == 2 {
		years = []string{"19" + c.Word, "20" + c.Word}
	}
	for _, year := range years {
		for _, order := range [][2]string{{b.Word, a.Word}, {a.Word, b.Word}} {
			if day := dayKey(year, order[0], order[1]); day != "" {
				tx.days.figures[day] = append(tx.days.figures[day], at)
			}
		}
	}
}

// isDayOfYear tells whether figures may be a month and a day; a 31st of June is
// one that somebody got wrong.
func isDayOfYear(month, day string) bool {
	m, _ := strconv.Atoi(month)
	d, _ := strconv.Atoi(day)
	return len(month) < 3 && len(day) < 3 && m > 0 && m <= 12 && d > 0 && d <= 31
}

// dayKey gives a day as records hold it; "" where there is none.
func dayKey(year, month, day string) string {
	t, err := time.Parse("2006-1-2", year+"-"+strings.TrimLeft(month, "0")+"-"+strings.TrimLeft(day, "0"))
	if err != nil {
		return ""
	}
	return t.Format(time.DateOnly)
}

// InFigures gives the places where a field may have a day in figures alone, as its
// formats say; of a field that declares none, those that are no other day, by the order in which
// the text writes its days where it tells that. Open are those that may be another day as well;
// others are those that are another by that order.
func (tx *Text) InFigures(f *schema.Field, day string) (found, open, others []Span) {
	tx.findDays()
	for _, at := range tx.days.figures[day] {
		said := strings.ReplaceAll(tx.Source[at.Start:at.End], " ", "")
		readings := f.DateReadings(said)
		if len(readings) == 0 && !strings.HasSuffix(said, day[:4]) { // a declared order holds for short years too
			readings = f.DateReadings(said[:len(said)-2] + day[:4])
			if len(readings) > 0 && !tx.sameYear(at, day[:4]) {
				continue
			}
		}
		switch {
		case len(f.Written) > 0 && len(readings) > 0:
			if len(readings) == 1 && readings[0] == day {
				found = append(found, at)
			}
		case !tx.sameYear(at, day[:4]):
		case day[5:7] != day[8:] && day[8:] <= "12":
			switch tx.inOrder(at, day) {
			case perhaps:
				open = append(open, at)
			case yes:
				found = append(found, at)
			default:
				others = append(others, at)
			}
		default:
			found = append(found, at)
		}
	}
	return found, open, others
}

// sameYear tells whether a day in figures is of a year: its own, or one that the
// text writes in full elsewhere; in a text that writes none in full, or only such of long before, as
// on which somebody was born, one of this century.
func (tx *Text) sameYear(at Span, year string) bool {
	said := tx.Source[at.Start:at.End]
	return strings.HasSuffix(said, year) || len(tx.ByWord[year]) > 0 || year >= "2000" && isLongBefore(tx.days.full, year)
}

// longBefore is how many years at least.
const longBefore = 12

// isLongBefore tells whether a year, or none, lies long before another.
func isLongBefore(year, other string) bool {
	a, _ := strconv.Atoi(year)
	b, err := strconv.Atoi(other)
	return err == nil && a+longBefore <= b
}

// AllMonths gives the places of all months of a year.
func (tx *Text) AllMonths() (all []Span) {
	tx.Months("")
	for _, spans := range tx.months.at {
		all = append(all, spans...)
	}
	sort.Slice(all, func(i, j int) bool { return before(all[i], all[j]) })
	return all
}
