package evidence

import (
	"strings"
	"unicode"

	"filler/internal/base/lazy"
	"filler/internal/schema"
)

// Texts in which a program wants something else: 1204.50 for £1,204.50, 17:40:00, P3D. They stand
// where what they mean does.

var (
	decimalText  = lazy.New(`^-?\d+\.\d{1,4}$`)
	timeText     = lazy.New(`^(\d{2}:\d{2})(:\d{2})?(?:\.0+)?(?:Z|[+-]\d{2}:\d{2})?$`)
	durationText = lazy.New(`^P(?:(\d+)([YMWD])|T(\d+)([HMS]))$`)
)

// durationUnits are the units of a duration of ISO 8601 that has one part, those of time by the
// letter behind a T.
var durationUnits = map[string]string{"Y": "year", "M": "month", "W": "wk", "D": "d", "TH": "h", "TM": "min", "TS": "s"}

// encoded finds such a text.
func (w *weigher) encoded(text string, add func([]span, Kind, string)) {
	switch m := durationText.FindStringSubmatch(text); {
	case decimalText.MatchString(text):
		add(w.figures(&schema.Field{Type: schema.Number}, text, ""), Restated, "")
	case schema.IsISODate(text) && len(text) == len("2031-04-03"):
		w.day(&schema.Field{Type: schema.Date}, text, add)
	case timeText.MatchString(text):
		t := timeText.FindStringSubmatch(text)
		if t[2] == ":00" {
			t[2] = ""
		}
		w.clock(&schema.Field{Type: schema.Time}, t[1]+t[2], add)
	case m != nil:
		n, unit := m[1], durationUnits[m[2]]
		if m[3] != "" {
			n, unit = m[3], durationUnits["T"+m[4]]
		}
		for _, s := range w.figures(&schema.Field{Type: schema.Quantity}, n, unit) {
			if m := w.ix.MeasureOf(s); m.Has(unit) {
				add([]span{m.Where}, Restated, "")
			}
		}
	}
}

// isBareFigure tells a text of figures and their signs alone.
func isBareFigure(text string) bool {
	return strings.Trim(text, "0123456789.,") == "" && strings.ContainsFunc(text, unicode.IsDigit)
}

// inLongerFigure tells a stretch of figures that goes on with more of them: the 204.50 of 1,204.50.
func (w *weigher) inLongerFigure(s span) bool {
	text := w.ix.Source
	digit := func(i int) bool { return i >= 0 && i < len(text) && text[i] >= '0' && text[i] <= '9' }
	sign := func(i int) bool { return i >= 0 && i < len(text) && strings.IndexByte(".,", text[i]) >= 0 }
	return sign(s.Start-1) && digit(s.Start-2) && digit(s.Start) || sign(s.End) && digit(s.End+1) && digit(s.End-1)
}
