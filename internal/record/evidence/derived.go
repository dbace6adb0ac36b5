package evidence

import (
	"strings"

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
	add(w.ix.Angle(text), Restated, "")
	add(w.ix.YearEnds(text), Restated, "")
	unit := unitNamed(f)
	if unit == "" {
		return
	}
	add(w.ix.Compound(text, unit), Restated, "")
	add(w.ix.Lasting(text, unit), Restated, "")
	if unit == "%" {
		add(w.ix.Shares(text), Restated, "")
	}
	for _, other := range reading.Kindred(unit) {
		amount := reading.Convert(text, unit, other)
		if amount == "" {
			continue
		}
		for _, s := range w.ix.Every(value.CanonicalNumber(amount)) {
			if m := w.ix.MeasureOf(s); m.Unit == other || reading.UnitOf(m.Word) == other {
				add([]span{m.Where}, Restated, "")
			}
		}
	}
}

// unitNamed gives the unit in which a field that is a plain number counts: the last
// word of its name, or what it is about says it is in; "" where none is named.
func unitNamed(f *schema.Field) string {
	if words := strings.Fields(schema.Spoken(f.Name)); len(words) > 0 && len(words[len(words)-1]) > 2 {
		if unit := reading.UnitOf(words[len(words)-1]); unit != "" {
			return unit
		}
	}
	about := strings.ToLower(f.About) + " "
	if first, _, _ := strings.Cut(about, " "); len(first) > 3 && reading.UnitOf(first) != "" { // Percent of the price, Metres that it moved
		return reading.UnitOf(first)
	}
	_, said, ok := strings.Cut(about, " in ")
	if !ok {
		return ""
	}
	word, _, _ := strings.Cut(said, " ")
	if word = strings.Trim(word, ".,;:()"); len(word) > 2 {
		return reading.UnitOf(word)
	}
	return ""
}
