package schema

import (
	"strings"
	"time"

	"github.com/shopspring/decimal"
)

// days gives the number of days from one date to another.
func days(from, to any) any {
	a, ok1 := from.(string)
	b, ok2 := to.(string)
	if !ok1 || !ok2 || len(a) < 10 || len(b) < 10 {
		return nil
	}
	x, err1 := time.Parse("2006-01-02", a[:10])
	y, err2 := time.Parse("2006-01-02", b[:10])
	if err1 != nil || err2 != nil {
		return nil
	}
	return decimal.NewFromInt(int64(y.Sub(x).Hours() / 24))
}

// minutes gives the minutes from one time, or day with a time, to another; of two times the one
// before the other is on the same day, so that the minutes over midnight are negative.
func minutes(from, to any) any {
	a, zoned1, ok1 := moment(from)
	b, zoned2, ok2 := moment(to)
	if !ok1 || !ok2 || zoned1 != zoned2 {
		return nil
	}
	return decimal.NewFromFloat(b.Sub(a).Minutes())
}

// moment reads a time or a day with a time, and tells whether it says its zone.
func moment(v any) (t time.Time, zoned, ok bool) {
	text, is := v.(string)
	if !is || len(text) < 5 {
		return t, false, false
	}
	if !strings.Contains(text, "T") {
		text = "2000-01-01T" + text
	}
	for _, form := range []string{"2006-01-02T15:04:05", "2006-01-02T15:04", "2006-01-02T15:04:05Z07:00", "2006-01-02T15:04Z07:00"} {
		if t, err := time.Parse(form, text); err == nil {
			return t, strings.HasSuffix(form, "Z07:00"), true
		}
	}
	return t, false, false
}
