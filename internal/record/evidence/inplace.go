package evidence

import (
	"slices"
	"strconv"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// A text that stands in the document, where a number, an amount, a day or a time belongs: by
// itself it may have two readings, or none; in its place it often has one. £12.50 is in pounds
// sterling where no other pound is named, 41,207 is what the other figures of the document
// make of it, 1 Apr is of the year that the document is of.

// mostAround is how far a value may reach beyond the place that is read, for its sign or unit.
const mostAround = 8

// InPlace gives the value of a field that stands in a place, where that is one and no other.
func (ix *Index) InPlace(s *schema.Schema, f *schema.Field, at reading.Span) (value.Value, bool) {
	w := newReader(ix, s)
	defer ix.keepGround(w.ground)
	var found *value.Value
	for _, v := range w.readings(f.Kin(), at) {
		cands, _ := w.known(f, &v, false)
		if !slices.ContainsFunc(cands, func(c candidate) bool {
			return c.kind != Lookalike && c.Start < at.End && at.Start < c.End && c.Start >= at.Start-mostAround && c.End <= at.End+mostAround
		}) {
			continue
		}
		switch {
		case found == nil:
			found = &v
		case !value.Equal(found, &v):
			return value.Value{}, false
		}
	}
	if found == nil {
		return value.Value{}, false
	}
	return *found, true
}

// readings gives the values that what stands in a place may be for a field: of several
// figures none.
func (w *weigher) readings(f *schema.Field, at reading.Span) (all []value.Value) {
	switch f.Type {
	case schema.Date:
		for _, day := range w.ix.DaysIn(at) {
			if f.IsDate(day) {
				all = append(all, value.Str(day))
			}
		}
		return all
	case schema.Time:
		for _, time := range w.ix.TimesIn(at) {
			all = append(all, value.Str(time))
		}
		return all
	case schema.Integer, schema.Number, schema.Money, schema.Quantity:
	default:
		return nil
	}
	keys, spans := w.ix.NumbersIn(at)
	if len(spans) == 0 || slices.ContainsFunc(spans, func(s span) bool { return s != spans[0] }) {
		return nil
	}
	for _, key := range keys {
		key = inFull(key)
		for _, number := range []string{key, "-" + key} {
			if number = strings.TrimPrefix(number, "--"); f.Type == schema.Integer && !value.IsInteger(number) {
				continue
			}
			if f.Type == schema.Integer || f.Type == schema.Number {
				all = append(all, value.Num(number))
				continue
			}
			all = append(all, w.measures(f, number, spans[0])...)
		}
	}
	return all
}

// inFull gives a number without a power of ten: 125e1 as 1250.
func inFull(key string) string {
	digits, power, ok := strings.Cut(key, "e")
	n, err := strconv.Atoi(power)
	if !ok || err != nil || n > 40 || n < -40 {
		return key
	}
	sign := ""
	if strings.HasPrefix(digits, "-") {
		sign, digits = "-", digits[1:]
	}
	if n >= 0 {
		return sign + digits + strings.Repeat("0", n)
	}
	if len(digits) <= -n {
		digits = strings.Repeat("0", 1-n-len(digits)) + digits
	}
	return sign + digits[:len(digits)+n] + "." + digits[len(digits)+n:]
}

// measures gives the amounts that a figure in a place may be of: in the field's own unit or
// currency, or in what stands beside it.
func (w *weigher) measures(f *schema.Field, number string, at span) (all []value.Value) {
	name, own := f.Measure()
	pair := func(n, measure string) {
		all = append(all, value.Obj(value.Num(n).Named("amount"), value.Str(measure).Named(name)))
	}
	m := w.ix.MeasureOf(at)
	if f.Type == schema.Money {
		if m.Minor { // 31,42 ct/kWh
			number = reading.Hundredth(number)
		}
		switch {
		case m.Minor && own == "" && w.ix.OnlyCurrency() != "":
			pair(number, w.ix.OnlyCurrency())
		case own != "":
			pair(number, own)
		case m.Code != "":
			if code := w.ix.CurrencyOf(m); code != "" {
				pair(number, code)
			}
		case m.Unit == "" && w.ix.OnlyCurrency() != "":
			pair(number, w.ix.OnlyCurrency())
		}
		return all
	}
	switch {
	case own == "" && m.Unit != "":
		pair(number, m.Word)
	case own != "" && (m.Unit == "" || m.Has(own)):
		pair(number, own)
	case own != "":
		if n := reading.Convert(number, m.Unit, own); n != "" {
			pair(n, own)
		}
	}
	return all
}

// mostPlaces bounds how many places of a text are looked at.
const mostPlaces = 20

// Read gives what a reply says of a field in the document's own words, as a value: a text
// where a number, an amount, a day or a time belongs, or an amount of which a part is one. It
// must mean the same in all its places that have one meaning.
func (ix *Index) Read(s *schema.Schema, f *schema.Field, v *value.Value) (value.Value, bool) {
	var found *value.Value
	for _, at := range ix.saying(f.Kin(), v) {
		own, ok := ix.InPlace(s, f, at)
		if !ok || !isSaid(v, &own) {
			continue
		}
		if found != nil && !value.Equal(found, &own) {
			return value.Value{}, false
		}
		found = &own
	}
	if found == nil {
		return ix.ofTwo(s, f, v)
	}
	return *found, true
}

// ofTwo gives the one of two readings of a figure that the document has: 135.185 km where
// 84 miles stand.
func (ix *Index) ofTwo(s *schema.Schema, f *schema.Field, v *value.Value) (value.Value, bool) {
	said, kin := v, f.Kin()
	name, own := kin.Measure()
	measure := ""
	if v.Kind == value.Object {
		said, measure = v.Get("amount"), v.Word(name)
	}
	if said == nil || said.Kind != value.String {
		return value.Value{}, false
	}
	figures := reading.Whole(said.Text, kin.Numbers, kin.Type == schema.Integer)
	if kin.Type == schema.Money || kin.Type == schema.Quantity {
		all, before, behind, ok := reading.Amount(said.Text, kin.Numbers)
		if figures = all; !ok || before != "" {
			return value.Value{}, false
		}
		if behind != "" {
			measure = behind
		}
		if own != "" && (measure == "" || reading.UnitOf(measure) == reading.UnitOf(own)) {
			measure = own
		}
		if measure == "" || own != "" && measure != own || kin.Type == schema.Money && !lang.Code.Has(measure) {
			return value.Value{}, false
		}
	}
	if len(figures) < 2 {
		return value.Value{}, false
	}
	w := newReader(ix, s)
	defer ix.keepGround(w.ground)
	var found []value.Value
	for _, figure := range figures {
		to := value.Num(figure)
		if measure != "" {
			to = value.Obj(to.Named("amount"), value.Str(measure).Named(name))
		}
		cands, _ := w.known(f, &to, false)
		if slices.ContainsFunc(cands, func(c candidate) bool { return c.kind != Lookalike }) {
			found = append(found, to)
		}
	}
	if len(found) != 1 {
		return value.Value{}, false
	}
	return found[0], true
}

// newReader gives a weigher that looks for single values.
func newReader(ix *Index, s *schema.Schema) *weigher {
	return &weigher{ground: ix.groundOf(s, forReading), ix: ix, places: Places{}, plain: true}
}

// saying gives the places of what a reply says, letter for letter but for spaces.
func (ix *Index) saying(f *schema.Field, v *value.Value) (all []span) {
	said := v
	if v.Kind == value.Object {
		if said = v.Get("amount"); said == nil || f.Type != schema.Money && f.Type != schema.Quantity {
			return nil
		}
		if said.Kind == value.Number {
			found, open := ix.Numbers(f, value.CanonicalNumber(said.Text))
			all = append(found, open...)
			return all[:min(len(all), mostPlaces)]
		}
	}
	if said.Kind != value.String {
		return nil
	}
	text := strings.Join(strings.Fields(said.Text), " ")
	for _, at := range ix.find(text) {
		around := ix.Source[max(0, at.Start-len(text)):min(len(ix.Source), at.End+len(text))]
		if strings.Contains(strings.Join(strings.Fields(around), " "), text) && len(all) < mostPlaces {
			all = append(all, at)
		}
	}
	return all
}

// isSaid tells whether a value is what a reply says, as far as that is no text alone.
func isSaid(v, own *value.Value) bool {
	if v.Kind != value.Object || own.Kind != value.Object {
		return v.Kind != value.Object
	}
	for _, k := range v.Kids {
		there := own.Get(k.Name)
		switch {
		case k.Empty():
		case there == nil:
			return false
		case k.Name == "amount":
			if k.Kind == value.Number && !value.Equal(&k, there) {
				return false
			}
		case !strings.EqualFold(k.Text, there.Text) && !slices.Contains(lang.PerhapsSign.Names(there.Text), k.Text) && (reading.UnitOf(k.Text) == "" || reading.UnitOf(k.Text) != reading.UnitOf(there.Text)):
			return false
		}
	}
	return true
}
