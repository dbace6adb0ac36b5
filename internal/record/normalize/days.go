package normalize

import (
	"fmt"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// fourFigures is a time of day without a sign between its hours and minutes, that can be no
// year.
var fourFigures = lazy.New(`^(0\d|1[0-8]|2[1-3])([0-5]\d)$`)

// monthInFigures is a month with its year, in figures: 04/2030.
var monthInFigures = lazy.New(`^(0?[1-9]|1[0-2])[/.-](\d{4})$`)

// monthOf reads such a month for a field that holds months.
func monthOf(f *schema.Field, text string) string {
	m := monthInFigures.FindStringSubmatch(text)
	if m == nil || f.Precision != "month" {
		return ""
	}
	return fmt.Sprintf("%s-%02s", m[2], m[1])
}

// asPattern gives the day or the month that a text says as ISO 8601 writes it, where a pattern takes that
// and not the text: 2034-09 for "09/2034" and "Sept 2034".
func asPattern(f *schema.Field, text string) string {
	if f.Type != schema.Text || f.Pattern == nil || len(text) > 40 || f.Pattern.MatchString(text) {
		return ""
	}
	for _, way := range []string{reading.Date(text), monthOf(&schema.Field{Type: schema.Date, Precision: "month"}, text), reading.Month(text)} {
		if way != "" && f.Pattern.MatchString(way) {
			return way
		}
	}
	return ""
}

// asFormat gives a length or a time of day as the format of a text asks for it, which an imported schema
// has: P3M for "drei Monate", 09:15:00 for "9.15 Uhr".
func asFormat(f *schema.Field, text string) string {
	format := f.Extra.Get("format")
	if f.Type != schema.Text || format == nil || len(text) > 40 {
		return ""
	}
	switch format.Text {
	case "time":
		if at, read := reading.TimeOfDay(text); read && at != text && len(at) == len("09:15") {
			return at + ":00"
		}
	case "duration":
		if strings.HasPrefix(text, "P") {
			return ""
		}
		for _, unit := range []struct{ name, before, letter string }{{"year", "P", "Y"}, {"month", "P", "M"}, {"wk", "P", "W"}, {"d", "P", "D"}, {"h", "PT", "H"}, {"min", "PT", "M"}, {"s", "PT", "S"}} {
			as := schema.Field{Type: schema.Quantity, Unit: unit.name}
			said := value.Str(text)
			if _, to, ok := amount(&as, &said); ok {
				if own, changed := converted(&as, &to); changed {
					to = own
				}
				if n, whole := wholeNumber(textOf(to.Get("amount"))); whole && textOf(to.Get("unit")) == unit.name {
					return unit.before + n + unit.letter
				}
			}
		}
	}
	return ""
}

// basicDay is a day as ISO 8601 writes it without hyphens.
var basicDay = lazy.New(`^(\d{4})(\d{2})(\d{2})$`)

// moment gives a date with a time in the field's form: with the offset that the text
// says, else that of the field's zone; "" where neither says one.
func moment(f *schema.Field, text string) string {
	local, offsets, ok := reading.Moment(f, text)
	switch {
	case !ok:
		return ""
	case f.Zone == schema.NoZone:
		return local
	case len(offsets) == 1:
		return reading.WithOffset(local, offsets[0])
	}
	own := f.Zoned(local)
	for _, minutes := range offsets {
		if at := reading.WithOffset(local, minutes); at == own {
			return own
		}
	}
	if len(offsets) > 0 {
		return ""
	}
	return own
}
