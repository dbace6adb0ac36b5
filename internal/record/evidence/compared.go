package evidence

import (
	"slices"
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// A figure with a sign before it, < 0.02, is no value but a limit, and schemas have a field for
// that beside the figure: a boolean, below, or a choice of signs, comparator.

// signs are those of comparison, longer ones first.
var signs = []string{"<=", ">=", "≤", "≥", "<", ">"}

// plainSign writes them in one way.
var plainSign = strings.NewReplacer("≤", "<=", "≥", ">=")

// compared places what such fields say by the sign before the figure of their item, and tells which
// the document contradicts.
func (w *weigher) compared() {
	for _, l := range w.leaves {
		if l.fixed != nil {
			continue
		}
		switch f := l.f.Kin(); {
		case f.Type == schema.Boolean:
			below, above := l.f.NamedBy(lang.Below), l.f.NamedBy(lang.Above)
			if below == above || strings.ContainsAny(l.f.Name, "0123456789") { // under_12_free
				continue
			}
			w.comparedAs(l, func(sign string) bool {
				return (sign != "" && (sign[0] == '<') == below) == (l.value == "true")
			})
		case f.Type == schema.Choice && len(f.Of) > 1 && !slices.ContainsFunc(f.Of, func(o schema.Option) bool { return strings.Trim(o.Value, "<>=≤≥~") != "" }):
			v, _ := value.Parse(l.value)
			w.comparedAs(l, func(sign string) bool { return sign == plainSign.Replace(v.Text) })
		}
	}
}

// comparedAs places a value where the first figure beside it, which is what is measured, has a sign that it
// fits. One that it does not fit contradicts it; where the figure has none, and another behind it, a limit,
// has one, nothing is told.
func (w *weigher) comparedAs(l *leaf, fits func(sign string) bool) {
	var first Place
	sign := ""
	for _, other := range l.item.leaves {
		at := w.places[other.path]
		switch {
		case other.path.Parent() != l.path.Parent() || !isMeasured(other.f):
		case !first.Found() && !at.Found():
			return
		case !first.Found():
			first, sign = at, w.signBefore(at.Start)
		case at.Found() && sign == "" && w.signBefore(at.Start) != "":
			return
		}
	}
	switch {
	case !first.Found():
	case !fits(sign):
		w.places[l.path] = Place{Kind: l.lacking, Opposed: first.Line}
	case !w.places[l.path].Found():
		w.restate(l, between(first.Start, first.End))
	}
}

// isMeasured tells a field of figures.
func isMeasured(f *schema.Field) bool {
	switch f.Kin().Type {
	case schema.Number, schema.Integer, schema.Quantity, schema.Money:
		return true
	}
	return false
}

// signBefore gives the sign of comparison right before a place.
func (w *weigher) signBefore(start int) string {
	before := strings.TrimRight(w.ix.Source[max(0, start-8):start], " \u00a0")
	for _, sign := range signs {
		if strings.HasSuffix(before, sign) {
			return plainSign.Replace(sign)
		}
	}
	return ""
}
