package evidence

import (
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// shared finds an amount that the source says by two figures: as a part of a whole, a
// time in hours and minutes, or a count with how much each of them is.
func (w *weigher) shared(f *schema.Field, figure, measure string, add func([]span, Kind, string)) {
	key := value.CanonicalNumber(figure)
	unit := reading.UnitOf(measure)
	if unit == "%" {
		add(w.ix.Shares(figure), Restated, "")
	}
	add(w.ix.Lasting(figure, unit), Restated, "")
	add(w.ix.Compound(figure, measure), Restated, "")
	found, each := w.ix.Products(key)
	for i := range found {
		side := reading.UnitOf(w.ix.MeasureOf(each[i]).Unit)
		if !w.ix.SaysOther(f, each[i], measure) || side != "" && side+"2" == unit {
			add(found[i:i+1], Restated, "")
		}
	}
}

// derived finds a number that the source says otherwise: out of the most that the
// field may have, or in another unit than the one that its name or what it is about
// names.
func (w *weigher) derived(f *schema.Field, text string, add func([]span, Kind, string)) {
	key := value.CanonicalNumber(text)
	if f.Max != "" {
		add(w.ix.Points(key, f.Max), Restated, "")
	}
	if f.Max == "" && (f.Type == schema.Integer || f.Type == schema.Number) {
		add(w.ix.OnScale(key), Restated, "")
		if f.NamedBy(lang.RangeLast) {
			add(w.ix.Most(key), Restated, "")
		}
	}
	add(w.ix.Angle(text), Restated, "")
	if f.Type == schema.Number && strings.HasPrefix(text, "0.") {
		add(w.ix.Parts(text), Restated, "")
		add(w.perCent(f, text), Restated, "")
	}
	add(w.ix.YearEnds(text), Restated, "")
	if f.Type == schema.Integer {
		add(w.ranked(f, text), Restated, "")
		add(w.onceADay(f, text), Restated, "")
		add(w.countedThrough(f, text), Restated, "")
		add(w.ofYear(f, text), Restated, "")
		add(w.roman(f, text), Restated, "")
		add(w.shortYear(f, text), Restated, "")
	}
	if f.Type != schema.Number && f.Type != schema.Integer {
		return
	}
	add(w.inHundredths(f, text), Restated, "")
	unit := w.measureNamed(f).unit
	if unit == "" {
		return
	}
	add(w.ix.Compound(text, unit), Restated, "")
	add(w.ix.Lasting(text, unit), Restated, "")
	if unit == "%" {
		add(w.ix.Shares(text), Restated, "")
	}
	add(w.inOtherUnits(text, unit), Restated, "")
}

// perCent gives the places of a share that is said in per cent: 20 % for 0.2.
func (w *weigher) perCent(f *schema.Field, text string) (found []span) {
	if w.measureNamed(f).unit == "%" {
		return nil
	}
	for _, s := range w.ix.Every(value.CanonicalNumber(reading.Hundredfold(text))) {
		if m := w.ix.MeasureOf(s); m.Unit == "%" {
			found = append(found, m.Where)
		}
	}
	return found
}

// inOtherUnits gives the places of an amount in other units than its own.
func (w *weigher) inOtherUnits(text, unit string) (found []span) {
	for _, other := range reading.Kindred(unit) {
		amount := reading.Convert(text, unit, other)
		if amount == "" {
			continue
		}
		for _, s := range w.ix.Every(value.CanonicalNumber(amount)) {
			if m := w.ix.MeasureOf(s); m.Unit == other || reading.UnitOf(m.Word) == other {
				found = append(found, m.Where)
			}
		}
	}
	return found
}

// goesOn tells a figure that is the whole part of a number.
var goesOn = lazy.New(`^[.,:]\d`)

// shortYear gives the places of a year in its last two figures, for a field that says it
// holds a year: Jg. 97, '99.
func (w *weigher) shortYear(f *schema.Field, text string) (found []span) {
	if len(text) != 4 || text < "1900" || text > "2099" || !saysYear(f) || w.writesYears() {
		return nil
	}
	for _, s := range w.ix.find(text[2:]) {
		before := strings.TrimRight(w.ix.Source[max(0, s.Start-3):s.Start], "'’")
		if m := w.ix.MeasureOf(s); m.Unit != "" || m.Code != "" || w.ix.InDate(s) || goesOn.MatchString(w.ix.Source[s.End:]) { // 41 percent, 97.50
			continue
		}
		if s.End-s.Start == 2 && (before == "" || strings.HasSuffix(before, " ") || strings.HasSuffix(before, "|") || strings.HasSuffix(before, "\n")) {
			found = append(found, s)
		}
	}
	return found
}

// fourFigures is a year by itself.
var fourFigures = lazy.New(`^(?:19|20)\d\d$`)

// writesYears tells whether a document has two years or more in all their figures, besides its days: then it
// leaves none out.
func (w *weigher) writesYears() bool {
	if w.years == nil {
		found := w.hasYears()
		w.years = &found
	}
	return *w.years
}

func (w *weigher) hasYears() bool {
	years := 0
	for i, t := range w.ix.Tokens {
		if len(t.Word) == 4 && fourFigures.MatchString(t.Word) && !w.ix.InDate(t.Span) && !(i > 0 && lang.Month.Has(w.ix.Tokens[i-1].Word)) {
			if years++; years == 2 {
				return true
			}
		}
	}
	return false
}

// yearBehindWord gives the places of a year in its last two figures behind a mark or a word for it: '93,
// Bj. 93, built: 93.
func (w *weigher) yearBehindWord(f *schema.Field, text string) []span {
	if len(text) != 4 || text < "1900" || text > "2099" {
		return nil
	}
	return slices.DeleteFunc(w.ix.find(text[2:]), func(s span) bool {
		before := strings.TrimRight(w.ix.Source[max(0, s.Start-16):s.Start], " \u00a0")
		if strings.HasSuffix(before, "'") || strings.HasSuffix(before, "’") || w.led(f, s) {
			return s.End-s.Start != 2
		}
		word := strings.TrimRight(before, ".:")
		r, _ := utf8.DecodeLastRuneInString(word)
		return s.End-s.Start != 2 || word == before || !unicode.IsLetter(r)
	})
}

// saysYear tells whether a field's name or what it is about has a word for year.
func saysYear(f *schema.Field) bool {
	return slices.ContainsFunc(strings.FieldsFunc(schema.Spoken(f.Name)+" "+f.About, func(r rune) bool { return !unicode.IsLetter(r) }), func(word string) bool {
		return reading.UnitOf(word) == "year"
	})
}

// roman gives the places of a number in Roman figures, in capitals; a single letter counts
// only behind a label of the field.
func (w *weigher) roman(f *schema.Field, text string) (found []span) {
	n, _ := strconv.Atoi(text)
	figure := reading.Roman(n)
	for _, s := range w.ix.find(figure) {
		if w.ix.Source[s.Start:s.End] == figure && (len(figure) > 1 || w.led(f, s)) {
			found = append(found, s)
		}
	}
	return found
}
