package reading

import (
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"filler/internal/base/lang"
)

// Words for the next day and its like stand for the day so many behind the last one before them, in every
// language, and for no other; in a text without a day they stand for none.
func TestRelativeDays(t *testing.T) {
	base := time.Date(2034, time.May, 3, 0, 0, 0, 0, time.UTC) // a Wednesday
	is := func(text string, day time.Time) bool {
		return len(New(text).OnRelativeDay(day.Format(time.DateOnly))) > 0
	}
	for from := -2; from <= 2; from++ {
		for _, words := range lang.NextDay.Names(strconv.Itoa(from)) {
			text := "2034-05-03: " + words + ", 14"
			for off := -4; off <= 4; off++ {
				other := longerSays(words, off)
				assert.Equal(t, off == from || other, is(text, base.AddDate(0, 0, off)), "%q for %d", words, off)
			}
			assert.False(t, is(words+", 14", base.AddDate(0, 0, from)), words)
		}
	}
	for _, words := range lang.MonthEnd.Words() {
		assert.True(t, is("2034-05-03: "+words, time.Date(2034, time.May, 31, 0, 0, 0, 0, time.UTC)), words)
		assert.False(t, is("2034-05-03: "+words, time.Date(2034, time.June, 30, 0, 0, 0, 0, time.UTC)), words)
		assert.True(t, is("2034-01-31: "+words, time.Date(2034, time.January, 31, 0, 0, 0, 0, time.UTC)), words)
	}
}

// longerSays tells words that hold others of so many days: the day after tomorrow.
func longerSays(words string, off int) bool {
	for _, other := range lang.NextDay.Names(strconv.Itoa(off)) {
		if other != words && len(New(words).placesOf(other)) > 0 {
			return true
		}
	}
	return false
}

// The name of a weekday stands for the first such day behind the last day before it.
func TestWeekdaysByAnother(t *testing.T) {
	for shift := range 14 {
		base := time.Date(2034, time.May, 1+shift, 0, 0, 0, 0, time.UTC)
		for _, name := range []string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"} {
			all := New("Sent " + base.Format("2 January 2006") + ". Come on " + name + " please").RelativeDays()
			if !assert.Len(t, all, 1, name) {
				continue
			}
			day, err := time.Parse(time.DateOnly, all[0].Day)
			assert.NoError(t, err)
			assert.Equal(t, name, day.Weekday().String())
			apart := day.Sub(base).Hours() / 24
			assert.True(t, apart >= 1 && apart <= 7, "%s behind %s is %s", name, base, day)
		}
	}
}

// A day in figures with two readings is no day to count from, unless the text tells its order.
func TestRelativeToOpenDays(t *testing.T) {
	open, told := New("Sent 07/03/2034, arrived the next day"), New("Sent 07/03/2034, arrived the next day, paid 18/03/2034")
	for day, want := range map[string]bool{"2034-03-08": true, "2034-07-04": false} {
		assert.Empty(t, open.OnRelativeDay(day))
		assert.Equal(t, want, len(told.OnRelativeDay(day)) > 0, day)
	}
}
