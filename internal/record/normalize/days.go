package normalize

import (
	"fmt"

	"filler/internal/base/lazy"
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
