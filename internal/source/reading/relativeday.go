package reading

import (
	"slices"
	"sort"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// RelativeDay is a day that is said by another one: Thursday, tomorrow, the end of the month.
type RelativeDay struct {
	Span
	Day    string // by the last day that the text says in full before it
	letter string // by the first one: that of a letter
	byName bool   // of the week
}

// relativeDays are those of a text, once asked for.
type relativeDays struct {
	once sync.Once
	all  []RelativeDay
}

// RelativeDays gives the places of names of weekdays and of words for the next day and its like, with
// the days that they stand for; those that stand often are left out.
func (tx *Text) RelativeDays() []RelativeDay {
	tx.relative.once.Do(func() {
		tx.findDays()
		said := tx.daysInFull(false)
		keep := func(at Span, byName bool, of func(time.Time) time.Time) {
			last := sort.Search(len(said), func(i int) bool { return said[i].start >= at.Start }) - 1
			if last < 0 {
				return
			}
			tx.relative.all = append(tx.relative.all, RelativeDay{at, of(said[last].day).Format(time.DateOnly), of(said[0].day).Format(time.DateOnly), byName})
		}
		tx.weekdays(keep)
		for from := -2; from <= 2; from++ {
			for _, words := range lang.NextDay.Names(strconv.Itoa(from)) {
				for _, at := range tx.placesOf(words) {
					keep(at, false, func(day time.Time) time.Time { return day.AddDate(0, 0, from) })
				}
			}
		}
		for _, words := range lang.MonthEnd.Words() {
			for _, at := range tx.placesOf(words) {
				keep(at, false, func(day time.Time) time.Time { return day.AddDate(0, 1, -day.Day()) })
			}
		}
	})
	return tx.relative.all
}

// weekdays keeps the names of days of the week that stand by themselves, each for the first such day
// behind another.
func (tx *Text) weekdays(keep func(at Span, byName bool, of func(time.Time) time.Time)) {
	for n := 1; n <= 7; n++ {
		for _, name := range lang.Weekday.Names(strconv.Itoa(n)) {
			at := tx.ByWord[strings.ToLower(name)]
			if utf8.RuneCountInString(name) < shortestWeekday || len(at) > mostOnWeekday {
				continue
			}
			for _, i := range at {
				if !tx.besideDay(i) {
					keep(tx.Tokens[i].Span, true, func(day time.Time) time.Time {
						return day.AddDate(0, 0, 1+(n-int(day.Weekday())+6)%7)
					})
				}
			}
		}
	}
}

// dayInFull is a day with the place where it begins.
type dayInFull struct {
	start int
	day   time.Time
}

// daysInFull gives the days of a text that say their year, and that can be read in one way, in order; where
// either will do, those of two readings as well.
func (tx *Text) daysInFull(either bool) (all []dayInFull) {
	for _, days := range []map[string][]Span{tx.days.at, tx.days.figures} {
		for key, spans := range days {
			day, err := time.Parse(time.DateOnly, key)
			for _, s := range spans {
				if how := tx.inOrder(s, key); err == nil && (how == yes || how == perhaps && either) {
					all = append(all, dayInFull{s.Start, day})
				}
			}
		}
	}
	slices.SortFunc(all, func(a, b dayInFull) int {
		if a.start != b.start {
			return a.start - b.start
		}
		return a.day.Compare(b.day)
	})
	return all
}

// OnRelativeDay gives the places of words for a day by another: the next day, yesterday, the end of the
// month, the end of March 2034.
func (tx *Text) OnRelativeDay(day string) (found []Span) {
	t, err := time.Parse(time.DateOnly, day)
	if err != nil || !schema.IsISODate(day) {
		return nil
	}
	for _, r := range tx.RelativeDays() {
		if !r.byName && (r.Day == day || r.letter == day) {
			found = append(found, r.Span)
		}
	}
	if t.AddDate(0, 0, 1).Day() == 1 {
		found = append(found, tx.endsOfMonth(day)...)
	}
	return found
}

// endsOfMonth gives the places of words for the last day of a month by its name, with its year or in a
// text that has it.
func (tx *Text) endsOfMonth(day string) (found []Span) {
	for _, words := range lang.EndOf.Words() {
		for _, at := range tx.placesOf(words) {
			i := tx.TokenAt(at.End)
			if i >= len(tx.Tokens) || !tx.near(i-1, i) || strings.TrimLeft(monthNamed(tx.Tokens[i].Word), "0") != strings.TrimLeft(day[5:7], "0") {
				continue
			}
			if year, last := tx.yearFrom(i + 1); year == day[:4] {
				found = append(found, Span{at.Start, tx.Tokens[last].End})
			} else if year == "" && tx.days.years[day[:4]] {
				found = append(found, Span{at.Start, tx.Tokens[i].End})
			}
		}
	}
	return found
}

// placesOf gives the places of words one behind the other; none where they stand often.
func (tx *Text) placesOf(words string) (found []Span) {
	var want []string
	for _, t := range Tokenize(words) {
		want = append(want, t.Word)
	}
	at := tx.ByWord[want[0]]
	if len(at) > mostOnWeekday {
		return nil
	}
	for _, i := range at {
		if tx.Reads(i, want) {
			found = append(found, Span{tx.Tokens[i].Start, tx.Tokens[i+len(want)-1].End})
		}
	}
	return found
}
