package reading

import (
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// shortestWeekday is how many letters the name of a day of the week has at least that stands for
// a day by itself: So and Mo are words.
const shortestWeekday = 5

// OnWeekday gives the places of the name of its weekday by itself, for a day of the week behind
// one that the text says in full: until Monday, in a letter of 5 November.
func (tx *Text) OnWeekday(day string) (found []Span) {
	tx.findDays()
	t, err := time.Parse(time.DateOnly, day)
	if err != nil || !schema.IsISODate(day) || !tx.saysWeekBefore(t) {
		return nil
	}
	return tx.weekdayOf(t)
}

// OnWeekdayBefore gives those places for a day of the week before the first day that the text says in full: that
// of a letter or a mail, which says of what has been "on Friday".
func (tx *Text) OnWeekdayBefore(day string) (found []Span) {
	tx.findDays()
	t, err := time.Parse(time.DateOnly, day)
	if err != nil || !schema.IsISODate(day) {
		return nil
	}
	all := tx.daysInFull(false)
	if len(all) == 0 {
		return nil
	}
	if ahead := all[0].day.Sub(t).Hours() / 24; ahead < 1 || ahead > 6 {
		return nil
	}
	return slices.DeleteFunc(tx.weekdayOf(t), func(s Span) bool { return s.Start < all[0].start })
}

// weekdayOf gives the places of the name of a day's weekday by itself.
func (tx *Text) weekdayOf(t time.Time) (found []Span) {
	for _, name := range lang.Weekday.Names(WeekdayNumber(t)) {
		at := tx.ByWord[strings.ToLower(name)]
		if utf8.RuneCountInString(name) < shortestWeekday {
			continue
		}
		if len(at) > mostOnWeekday {
			return nil
		}
		for _, i := range at {
			if !tx.besideDay(i) {
				found = append(found, tx.Tokens[i].Span)
			}
		}
	}
	return found
}

// mostOnWeekday is how often a text may name a day of the week: more often, it tells no day.
const mostOnWeekday = 20

// saysWeekBefore tells whether the text says this day in full, or one of the seven before it.
func (tx *Text) saysWeekBefore(t time.Time) bool {
	for back := range 8 {
		day := t.AddDate(0, 0, -back).Format(time.DateOnly)
		if len(tx.days.at[day])+len(tx.days.figures[day]) > 0 {
			return true
		}
	}
	return false
}

// besideDay tells whether a figure or a month stands right beside a name of a weekday, which then
// is a part of that day: Friday (7th), Mon 10 May.
func (tx *Text) besideDay(i int) bool {
	for _, next := range []int{i - 1, i + 1, i + 2} {
		if next < 0 || next >= len(tx.Tokens) || next == i+2 && !lang.Article.Has(tx.Tokens[i+1].Word) {
			continue
		}
		if word := tx.Tokens[next].Word; tx.dayOf(next) != "" && next != i-1 || lang.Month.Has(word) || len(word) == 4 && isDigit(word[0]) && isDigit(word[3]) {
			return true
		}
	}
	return false
}
