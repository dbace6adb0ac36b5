package fill

import (
	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
	"strings"
	"unicode"
)

// normalizers normalizes the record by rule and by what stands where. A figure without
// a unit is looked for first: the unit may stand at the next one, 2.40 x 1.85 m, where
// the rules would take the schema's own.
func (x *piece) normalizers() {
	x.normalized = nil
	x.inPlace(isBare)
	x.retold()
	x.normalized = append(x.normalized, normalize.Record(x.schema, &x.record)...)
	x.retold()
	x.inPlace(isWords)
	x.trace.normalizers(x.normalized)
}

// isBare tells a text that is a figure where an amount belongs.
func isBare(f *schema.Field, v *value.Value) bool {
	return f.Type == schema.Quantity && v.Kind == value.String && !strings.ContainsFunc(v.Text, unicode.IsLetter)
}

// inPlace reads what a reply says in the document's own words where it stands, also
// where no normalizer can read it by itself: £12.50, 41,207, 1 Apr. A value that may
// be another one there stays as it is.
func (x *piece) inPlace(which func(*schema.Field, *value.Value) bool) {
	if x.w.index == nil { // there is no document
		return
	}
	var changes []normalize.Change
	visit := func(f *schema.Field, p value.Pointer, v *value.Value) {
		if f.KeptAsIs() || !which(f.Kin(), v) {
			return
		}
		read := func() (value.Value, bool) { return x.w.index.Read(x.schema, f, v) }
		if at, ok := x.pointed[p]; ok && at.Found() {
			read = func() (value.Value, bool) {
				return x.w.index.InPlace(x.schema, f, reading.Span{Start: at.Start, End: at.End})
			}
		}
		if to, ok := read(); ok {
			changes = append(changes, normalize.Change{Path: p, Rule: normalize.RuleInPlace, From: v.Clone().Named(""), To: to})
			*v = to.Named(v.Name)
		}
	}
	eachLeaf(x.schema.Root, "", &x.record, func(f *schema.Field, p value.Pointer, v *value.Value) {
		if f.Type == schema.Any && (v.Kind == value.Object || v.Kind == value.Array) {
			f.Inside().Each(p, v, visit)
			return
		}
		visit(f, p, v)
	})
	x.normalized = append(x.normalized, changes...)
}

// isWords tells a value that says in words or signs what the field wants as data.
func isWords(f *schema.Field, v *value.Value) bool {
	switch f.Type {
	case schema.Integer, schema.Number:
		return v.Kind == value.String
	case schema.Date:
		return v.Kind == value.String && !f.IsDate(v.Text)
	case schema.Time:
		return v.Kind == value.String && !schema.IsTime(v.Text)
	case schema.Money, schema.Quantity:
		if v.Kind != value.Object {
			return v.Kind == value.String
		}
		amount, code := v.Get("amount"), v.Get("currency")
		return amount != nil && (amount.Kind == value.String || f.Type == schema.Money && amount.Kind == value.Number && (code.Empty() || !lang.Code.Has(code.Text)))
	}
	return false
}
