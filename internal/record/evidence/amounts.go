package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// inCompound tells whether a quantity's figure is but a part of an amount in two units.
func (w *weigher) inCompound(f *schema.Field, v *value.Value, s span) bool {
	figure, unit := v.Get("amount"), v.Get("unit")
	return f.Type == schema.Quantity && v.Kind == value.Object && figure != nil && unit != nil && w.ix.InCompound(s, figure.Text, unit.Text)
}

// amount finds the figure of money or a quantity; where its measure stands
// beside it, the place holds both.
func (w *weigher) amount(f *schema.Field, v *value.Value, add func([]span, Kind, string)) {
	figure := v.Get("amount")
	if figure == nil || figure.Kind != value.Number {
		return
	}
	name, _ := f.Measure()
	measure := ""
	if m := v.Get(name); m != nil {
		measure = m.Text
	}
	var with, without []span
	for _, s := range w.figures(f, figure.Text, measure) {
		if w.numbersEntry(s) {
			continue
		}
		if wide := w.ix.Beside(f, s, measure); wide != s {
			with = append(with, w.ix.WithPart(wide))
		} else if w.beginsRange(f, s, measure) {
			with = append(with, s)
		} else {
			without = append(without, s)
		}
	}
	for _, s := range w.ix.InWords(value.CanonicalNumber(figure.Text)) { // three weeks, beside 3 %
		if wide := w.ix.Beside(f, s, measure); wide != s && !slices.Contains(with, w.ix.WithPart(wide)) {
			with = append(with, w.ix.WithPart(wide))
		}
	}
	if f.Type == schema.Money {
		for _, s := range w.ix.Minor(figure.Text) {
			if !w.ix.OtherMeasure(f, s, measure) {
				with = append(with, s)
			}
		}
	}
	if f.Type == schema.Money {
		without = slices.DeleteFunc(without, func(s span) bool { return w.ix.Unpriced(s, measure) && !w.led(f, s) })
	}
	without = slices.DeleteFunc(without, func(s span) bool {
		other := w.ix.OtherMeasure(f, s, measure)
		if other {
			w.other = append(w.other, s)
		}
		return other
	})
	add(with, Restated, figure.Text+" "+measure)
	w.otherUnits(f, figure.Text, measure, add)
	switch {
	case len(with) == 0, strings.Contains(f.Path, "[]") && f.Type == schema.Quantity: // of another item, which says the unit
		add(without, Restated, "")
	case strings.Contains(f.Path, "[]"): // the total says the currency, its rows don't
		add(slices.DeleteFunc(slices.Clone(without), func(s span) bool { return !w.inCells(s) }), Restated, "")
	}
	if len(with)+len(without) == 0 {
		w.shared(f, figure.Text, measure, add)
	}
	if len(with) == 0 && f.Type == schema.Money && value.CanonicalNumber(figure.Text) == "0" {
		add(w.free(), Restated, "")
	}
}

// numbersEntry tells a figure that is the number of an entry: 2. Rent, (3) the guarantor.
func (w *weigher) numbersEntry(s span) bool {
	line := w.ix.LineSpan(w.ix.LineOf(s.Start))
	mark := listMark.FindString(w.ix.Source[line.Start:line.End])
	return mark != "" && s.End <= line.Start+len(mark)
}

// inCells tells whether a place stands in a row of three cells or more.
func (w *weigher) inCells(s span) bool {
	row, _, _ := w.ix.rowAt(w.ix.LineOf(s.Start))
	return len(cellsIn(row)) > 2
}

// saysNegative tells a field whose values are below nought where something is taken off.
func saysNegative(f *schema.Field) bool {
	about := strings.ToLower(f.About)
	return strings.Contains(about, "negativ") || strings.Contains(about, "minus") || strings.Contains(about, "below")
}

// negativeFor is what the description of a field says of the word by which a document says that its figure is below
// nought: negative if a refund, negativ bei Guthaben.
var negativeFor = lazy.New(`(?i)\b(?:negativ\pL{0,2}|minus|below (?:zero|nought))\s+(?:\pL{1,5}\s+){0,3}?(\pL{4,})\s*(?:[.,;)]|$)`)

// withSigns gives a field with the word for its sign that its description has, where it declares none and the
// document says the word.
func (w *weigher) withSigns(f *schema.Field) *schema.Field {
	if len(f.Minus)+len(f.Plus) > 0 || !saysNegative(f) {
		return f
	}
	m := negativeFor.FindStringSubmatch(f.About)
	if m == nil || len(w.ix.ByWord[strings.ToLower(m[1])]) == 0 {
		return f
	}
	signed := *f
	signed.Minus = []string{m[1]}
	return &signed
}

// deducted gives the places of a sum that is printed with a sign, since it is taken off,
// behind a word that says so, Deposit rec'd -£50.00, or, of a field whose name says so, behind another
// word of its name: Loyalty 0.93-.
func (w *weigher) deducted(f *schema.Field, key string) []span {
	found, _ := w.ix.Numbers(f, "-"+key)
	own := wordsIn(strings.Join(w.namesOf(f), " "))
	if !slices.ContainsFunc(own, lang.Deduction.Has) {
		own = nil
	}
	return slices.DeleteFunc(found, func(s span) bool {
		line := w.ix.LineSpan(w.ix.LineOf(s.Start))
		for i := w.ix.TokenAt(s.Start) - 1; i >= 0 && w.ix.Tokens[i].Start >= line.Start; i-- {
			if lang.Deduction.Has(w.ix.Tokens[i].Word) || slices.Contains(own, w.ix.Tokens[i].Word) {
				return false
			}
		}
		return true
	})
}

// figures gives the places of a number: with the sign that the words near it say,
// where the field declares such words, and with no other measure beside it.
func (w *weigher) figures(f *schema.Field, text, measure string) []span {
	key := value.CanonicalNumber(text)
	other := strings.TrimPrefix(key, "-")
	f = w.withSigns(f)
	spans, open := w.ix.Numbers(f, key)
	if len(f.Minus)+len(f.Plus) == 0 && key[0] != '-' && !saysNegative(f) && (f.Type == schema.Money || f.Type == schema.Number && len(spans) == 0) {
		spans = append(slices.Clip(spans), w.deducted(f, key)...) // 120 guests, loyalty -120.00
	}
	if other != key && len(f.Minus) > 0 { // -40 may stand as "loses 40"
		more, also := w.ix.Numbers(f, other)
		spans, open = append(spans, more...), append(open, also...)
	}
	w.open = append(w.open, open...)
	if key == "0" {
		if spans = append(spans, w.nought(f)...); len(spans) > 0 && len(w.ix.Every(key)) == 0 {
			return spans
		}
	}
	if len(f.Minus)+len(f.Plus) == 0 && measure == "" {
		found := w.inNamedUnit(f, spans)
		if len(found) == 0 && len(spans) > 0 { // four windows, of 4 mm
			found = w.inNamedUnit(f, w.ix.InWords(key))
		}
		return found
	}
	var found []span
	for _, s := range spans {
		if measure != "" && w.ix.SaysOther(f, s, measure) {
			w.other = append(w.other, s)
			continue
		}
		if len(f.Minus)+len(f.Plus) > 0 {
			said := w.ix.Signed(f, s)
			own := strings.IndexAny(w.ix.Source[s.Start:s.End], "-−–") == 0
			negative := own || said < 0
			if negative != strings.HasPrefix(key, "-") {
				w.other = append(w.other, s)
				continue
			}
		}
		found = append(found, s)
	}
	return found
}
