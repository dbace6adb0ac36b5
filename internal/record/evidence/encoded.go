package evidence

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// Texts in which a program wants something else: 1204.50 for £1,204.50, 17:40:00, P3D. They stand
// where what they mean does.

var (
	decimalText = lazy.New(`^-?\d+\.\d{1,4}$`)
	timeText    = lazy.New(`^(\d{2}:\d{2})(:\d{2})?(?:\.0+)?(?:Z|[+-]\d{2}:\d{2})?$`)
	momentText  = lazy.New(`^\d{4}-\d{2}-\d{2}[T ]\d{2}:\d{2}(?::\d{2}(?:\.0+)?)?(?:Z|[+-]\d{2}:\d{2})?$`)
	monthText   = lazy.New(`^\d{4}-(?:0[1-9]|1[0-2])$`)
	monthsText  = lazy.New(`^P(?:(\d+)Y)?(?:(\d+)M)?$`)
	phoneText   = lazy.New(`^\+\d{8,15}$`)
)

// encoded finds such a text.
func (w *weigher) encoded(text string, add func([]span, Kind, string)) {
	switch {
	case decimalText.MatchString(text):
		add(w.figures(&schema.Field{Type: schema.Number}, text, ""), Restated, "")
	case schema.IsISODate(text) && len(text) == len("2031-04-03"):
		w.day(&schema.Field{Type: schema.Date}, text, add)
	case monthText.MatchString(text):
		w.day(&schema.Field{Type: schema.Date}, text, add)
	case timeText.MatchString(text):
		t := timeText.FindStringSubmatch(text)
		if t[2] == ":00" {
			t[2] = ""
		}
		w.clock(&schema.Field{Type: schema.Time}, t[1]+t[2], add)
	case momentText.MatchString(text):
		w.momentText(text, add)
	case phoneText.MatchString(text):
		add(w.ix.Phones(text), Restated, "")
	case strings.HasPrefix(text, "P") && text != "P":
		w.lasts(text, add)
	}
}

// momentText finds a day with a time, with or without an offset.
func (w *weigher) momentText(text string, add func([]span, Kind, string)) {
	at := []byte(text[:len("2031-04-03T09:30")])
	at[len("2031-04-03")] = 'T'
	rest := strings.TrimPrefix(text[len(at):], ":00")
	if dot := strings.Index(rest, ".0"); dot == 0 {
		rest = strings.TrimLeft(rest[1:], "0")
	}
	f := schema.Field{Type: schema.DateTime}
	if rest == "" {
		f.Zone = schema.NoZone
	}
	w.moment(&f, string(at)+":00"+rest, add)
}

// lasts finds a duration of ISO 8601, in whichever units the document says it.
func (w *weigher) lasts(text string, add func([]span, Kind, string)) {
	figure, unit := reading.InUnit(text, "min"), "min"
	if m := monthsText.FindStringSubmatch(text); m != nil {
		years, _ := strconv.Atoi(m[1])
		months, _ := strconv.Atoi(m[2])
		figure, unit = strconv.Itoa(12*years+months), "month"
	}
	if figure == "" {
		return
	}
	both := value.Obj(value.Num(figure).Named("amount"), value.Str(unit).Named("unit"))
	w.amount(&schema.Field{Type: schema.Quantity, Unit: unit, Name: "duration"}, &both, func(spans []span, kind Kind, _ string) {
		add(slices.DeleteFunc(spans, func(s span) bool {
			return !strings.ContainsFunc(w.ix.Source[s.Start:s.End], unicode.IsLetter) && !strings.ContainsAny(w.ix.Source[s.Start:s.End], ":-–")
		}), kind, "")
	})
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

// behindInitial gives the places of a number behind the first letter of a word of its field's name, as a capital: T4,
// for table 4.
func (w *weigher) behindInitial(f *schema.Field, number string) (found []span) {
	for _, initial := range initialsOf(f) {
		for _, i := range w.ix.ByWord[initial+number] {
			if s := w.ix.Tokens[i].Span; len(number) <= longestCode && unicode.IsUpper(rune(w.ix.Source[s.Start])) {
				found = append(found, s)
			}
		}
	}
	return found
}

// initialsOf gives the first letters of the words of a field's name, as small letters.
func initialsOf(f *schema.Field) (all []string) {
	for _, word := range strings.Fields(f.SpokenName()) {
		if first, _ := utf8.DecodeRuneInString(word); unicode.IsLetter(first) {
			all = append(all, string(unicode.ToLower(first)))
		}
	}
	return all
}
