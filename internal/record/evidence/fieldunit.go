package evidence

import (
	"slices"

	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// inNamed gives the places of a number as the amount that it is with the currency, or else the unit, that its
// field names; false where the field names none, or the amount stands nowhere, and a number without any may.
func (w *weigher) inNamed(f *schema.Field, v *value.Value, add func([]span, Kind, string)) bool {
	if f.Type != schema.Number && f.Type != schema.Integer || w.measureNamed(f).hundredths {
		return false
	}
	as := *f
	found := false
	note := func(spans []span, kind Kind, _ string) {
		found = found || len(spans) > 0
		add(spans, kind, v.Text)
	}
	in := w.measureNamed(f)
	if code := in.code; code != "" {
		as.Type = schema.Money
		both := value.Obj(value.Num(v.Text).Named("amount"), value.Str(code).Named("currency"))
		w.amount(&as, &both, note)
		return true
	}
	if unit := in.unit; unit != "" {
		as.Type, as.Unit = schema.Quantity, unit
		both := value.Obj(value.Num(v.Text).Named("amount"), value.Str(unit).Named("unit"))
		w.amount(&as, &both, note)
	}
	return found
}

// measureIn is what the name of a field of plain numbers says they are in.
type measureIn struct {
	unit, code string
	hundredths bool
}

func (w *weigher) measureNamed(f *schema.Field) measureIn {
	in, known := w.numbers[f]
	if !known {
		in = measureIn{reading.FieldUnit(f), reading.FieldCurrency(f), reading.CountsHundredths(f)}
		if w.numbers == nil {
			w.numbers = map[*schema.Field]measureIn{}
		}
		w.numbers[f] = in
	}
	return in
}

// fitsNamed tells whether something left over has the unit or the currency that a field of plain numbers
// names: 3,100 ft for max_altitude_ft.
func (l *leaving) fitsNamed(f *schema.Field, left leftover) bool {
	if f.Type != schema.Number && f.Type != schema.Integer || left.form != anAmount {
		return false
	}
	in := l.w.measureNamed(f)
	if in.code != "" {
		return left.measure.Code == in.code || left.measure.Minor
	}
	return in.unit != "" && left.measure.Unit != "" && (left.measure.Has(in.unit) || reading.Convert("1", left.measure.Unit, in.unit) != "")
}

// inHundredths tells a field that counts in hundredths of a currency, and gives the places of the
// sum in full: £3.50 for 350 pence.
func (w *weigher) inHundredths(f *schema.Field, text string) (found []span) {
	if !w.measureNamed(f).hundredths {
		return nil
	}
	for _, s := range w.ix.Every(value.CanonicalNumber(reading.Hundredth(text))) {
		if m := w.ix.MeasureOf(s); m.Code != "" || m.Unit == "" && !m.Minor {
			found = append(found, m.Where)
		}
	}
	return found
}

// inNamedUnit drops the figures that stand in another unit of the same kind than the one
// that a plain number counts in, four years are no 4 months, or with another currency.
func (w *weigher) inNamedUnit(f *schema.Field, spans []span) []span {
	if f.Type != schema.Number && f.Type != schema.Integer || len(spans) == 0 {
		return spans
	}
	in := w.measureNamed(f)
	unit, code := in.unit, in.code
	if in == (measureIn{}) {
		return spans
	}
	return slices.DeleteFunc(spans, func(s span) bool {
		m := w.ix.MeasureOf(s)
		other := unit != "" && m.Unit != "" && !m.Has(unit) && slices.Contains(reading.Kindred(unit), reading.UnitOf(m.Word))
		switch {
		case in.hundredths:
			other = other || m.Code != "" || w.ix.SaysSum(s)
		case m.Code == "":
		case code != "":
			other = w.ix.SaysOther(&schema.Field{Type: schema.Money}, s, code)
		}
		if other {
			w.other = append(w.other, s)
		}
		return other
	})
}
