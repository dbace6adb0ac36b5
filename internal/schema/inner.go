package schema

import (
	"slices"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// What is known of the values within a value of any form: their types, by what a `map` or a
// `tuple` says of them, or by the JSON Schema that the value is held to. It lets each of them be
// looked for in the document as the value of a field is.

// HoldsAny tells whether a record may hold values of any form.
func (s *Schema) HoldsAny() bool { return s.Root.holdsAny }

// HoldsAny tells whether the field is of any form, or one below it.
func (f *Field) HoldsAny() bool { return f.holdsAny }

// Holding gives the field of a place, also of one within a value of any form: the field that
// has this value. nil where there is none.
func (s *Schema) Holding(p value.Pointer) *Field {
	for at := p; ; at = at.Parent() {
		f := s.At(at)
		if f != nil && (at == p || f.Type == Any) {
			return f
		}
		if f != nil || at == "" {
			return nil
		}
	}
}

// Inner is what is known of a value within one of any form. The zero value knows nothing.
type Inner struct {
	own    []*Field     // of a `map` its one, of a `tuple` one for each place, of a value in them its own
	form   string       // whose these are: map, tuple, or "" for the value's own
	node   *value.Value // what JSON Schema says of it
	defs   *value.Value // of the schema
	consts map[string]bool
}

// Inside gives what is known of the value of a field that is of any form.
func (f *Field) Inside() Inner {
	if f.inside != nil {
		return *f.inside
	}
	return f.within(nil) // a field that was made, and not loaded
}

// settleAny settles what is known of values of any form, once all fields are read.
func (s *Schema) settleAny() {
	defs := s.Record().Extra.Get("$defs")
	if defs == nil {
		defs = s.Root.Extra.Get("$defs")
	}
	s.Root.settleAny(false, defs)
}

func (f *Field) within(defs *value.Value) Inner {
	in := Inner{node: &f.Extra, defs: defs, consts: map[string]bool{}}
	if in.own = f.inner; len(f.inner) == 1 {
		in.form = "map"
	} else if len(f.inner) > 1 {
		in.form = "tuple"
	}
	in.constants(&f.Extra, map[string]bool{})
	return in.resolved()
}

// constants collects the texts that the schema itself names: what is one of them need not stand
// in a document.
func (in *Inner) constants(v *value.Value, seen map[string]bool) {
	for i := range v.Kids {
		k := &v.Kids[i]
		switch {
		case k.Name == "enum" && k.Kind == value.Array, k.Name == "const":
			k.Scan(func(of *value.Value) bool {
				if of.Kind == value.String {
					in.consts[of.Text] = true
				}
				return true
			})
		case k.Name == "$ref":
			if to := in.definition(k.Text); to != nil && !seen[k.Text] {
				seen[k.Text] = true
				in.constants(to, seen)
			}
		case k.Kind == value.Object || k.Kind == value.Array:
			in.constants(k, seen)
		}
	}
}

func (in Inner) definition(ref string) *value.Value {
	name, ok := strings.CutPrefix(ref, "#")
	if !ok || in.defs == nil {
		return nil
	}
	return in.defs.Get(name)
}

// resolved follows references, and takes the one form that a value may have beside null.
func (in Inner) resolved() Inner {
	for range formDepth {
		if in.node == nil || in.node.Kind != value.Object {
			break
		}
		if ref := in.node.Get("$ref"); ref != nil {
			in.node = in.definition(ref.Text)
			continue
		}
		var forms []*value.Value
		for _, name := range []string{"anyOf", "oneOf"} {
			of := in.node.Get(name)
			if of == nil {
				continue
			}
			for i := range of.Kids {
				if t := textsOf(of.Kids[i].Get("type")); len(t) != 1 || t[0] != "null" {
					forms = append(forms, &of.Kids[i])
				}
			}
		}
		if len(forms) != 1 || in.node.Get("type") != nil || in.node.Get("properties") != nil {
			break
		}
		in.node = forms[0]
	}
	return in
}

func (in Inner) to(node *value.Value) Inner {
	in.own, in.form, in.node = nil, "", node
	return in.resolved()
}

// Free tells whether the names of an object are those of a map, and not of a form that its schema
// writes out.
func (in Inner) Free() bool {
	if in.form == "map" {
		return true
	}
	if in.node == nil {
		return false
	}
	if properties := in.node.Get("properties"); properties != nil && len(properties.Kids) > 0 {
		return false
	}
	more := in.node.Get("additionalProperties")
	return more != nil && more.Kind == value.Object || in.node.Get("patternProperties") != nil || in.node.Get("propertyNames") != nil
}

// IsTuple tells whether each place of an array has a meaning of its own.
func (in Inner) IsTuple() bool {
	return in.form == "tuple" || in.node != nil && in.node.Get("prefixItems") != nil
}

// Member gives what is known of the value under a name.
func (in Inner) Member(name string) Inner {
	if in.form == "map" {
		in.node, in.form = nil, ""
		return in
	}
	if in.node == nil {
		return in.to(nil)
	}
	if of := in.node.Get("properties").Get(name); of != nil {
		return in.to(of)
	}
	if of := in.node.Get("patternProperties"); of != nil && len(of.Kids) == 1 {
		return in.to(&of.Kids[0])
	}
	return in.to(in.node.Get("additionalProperties"))
}

// Item gives what is known of the i-th value of an array.
func (in Inner) Item(i int) Inner {
	if in.form == "tuple" && i < len(in.own) {
		in.node, in.form, in.own = nil, "", in.own[i:i+1]
		return in
	}
	if in.node == nil {
		return in.to(nil)
	}
	if first := in.node.Get("prefixItems"); first != nil && i < len(first.Kids) {
		return in.to(&first.Kids[i])
	}
	return in.to(in.node.Get("items"))
}

// Leaf gives a field for values at this place, none of which holds others but amounts; nil where
// they are of several kinds that no field has.
func (in Inner) Leaf(values []*value.Value) *Field {
	if len(in.own) == 1 && in.form == "" {
		f := *in.own[0]
		return &f
	}
	f := &Field{Type: in.typeOf(values)}
	if f.Type == Text && !slices.ContainsFunc(values, func(v *value.Value) bool { return v.Kind == value.String && !in.consts[v.Text] }) {
		f.Evidence = "inferred"
	}
	f.settle()
	return f
}

// Entry gives a field of the values of a map, for whoever takes it as a list of names and values;
// nil where the field is no map.
func (f *Field) Entry() *Field {
	if f.Type != Any {
		return nil
	}
	in := f.Inside()
	if !in.Free() {
		return nil
	}
	of, entry := in.Member(""), Field{Type: Any}
	if typed := of.Typed(); typed != nil {
		entry = *typed
	} else if of.node != nil && slices.Equal(textsOf(of.node.Get("type")), []string{"string"}) {
		entry = Field{Type: Text}
	}
	entry.Name, entry.Path, entry.Sensitive = f.Name, f.Path, f.Sensitive
	if entry.About == "" {
		entry.About = f.About
	}
	entry.settle()
	return &entry
}

// Name says what such a value is: a map of numbers, a tuple, a list of texts, any value.
func (in Inner) Name() string {
	var types []string
	if in.node != nil {
		types = slices.DeleteFunc(textsOf(in.node.Get("type")), func(t string) bool { return t == "null" })
	}
	switch {
	case len(in.own) == 1 && in.form == "":
		return string(in.own[0].Type)
	case in.Free():
		return "map of " + in.Member("").Name()
	case in.IsTuple():
		return "tuple"
	case len(types) != 1:
	case types[0] == "array":
		return "list of " + in.Item(0).Name()
	case types[0] == "object" && in.node.Get("properties") != nil:
		return string(Group)
	default:
		return string(typeOf(in.node, nil))
	}
	return string(Any)
}

// Typed gives a field of the one type that a value at this place has; nil where that is not said,
// or any text will do.
func (in Inner) Typed() *Field {
	if len(in.own) == 1 && in.form == "" {
		return in.own[0]
	}
	if in.node == nil || in.node.Get("anyOf") != nil || in.node.Get("oneOf") != nil {
		return nil
	}
	f := &Field{Type: typeOf(in.node, nil)}
	switch f.Type {
	case Choice:
		for _, text := range textOptions(in.node.Get("enum")) {
			f.Of = append(f.Of, Option{Value: text})
		}
	case Integer, Number, Boolean, Date, DateTime:
	default:
		return nil
	}
	f.settle()
	return f
}

// Each calls do for the values within one of any form that have one type, with a field of it.
func (in Inner) Each(p value.Pointer, v *value.Value, do func(f *Field, p value.Pointer, v *value.Value)) {
	switch {
	case v.Empty():
	case v.Kind == value.Object && !IsAmount(v):
		for i := range v.Kids {
			in.Member(v.Kids[i].Name).Each(p.Key(v.Kids[i].Name), &v.Kids[i], do)
		}
	case v.Kind == value.Array:
		for i := range v.Kids {
			in.Item(i).Each(p.Index(i), &v.Kids[i], do)
		}
	default:
		if f := in.Typed(); f != nil {
			do(f, p, v)
		}
	}
}

func (in Inner) typeOf(values []*value.Value) Type {
	if in.node != nil {
		switch t := typeOf(in.node, nil); t {
		case Integer, Number, Boolean, Date, DateTime:
			return t
		}
	}
	all := func(is func(v *value.Value) bool) bool {
		return !slices.ContainsFunc(values, func(v *value.Value) bool { return !is(v) })
	}
	switch {
	case len(values) == 0:
		return Text
	case all(func(v *value.Value) bool { return isMeasured(v, "currency") }):
		return Money
	case all(func(v *value.Value) bool { return isMeasured(v, "unit") }):
		return Quantity
	case all(func(v *value.Value) bool { return v.Kind == value.Bool }):
		return Boolean
	case all(func(v *value.Value) bool { return v.Kind == value.Number }):
		return Number
	case all(func(v *value.Value) bool { return v.Kind == value.String && isoDay.MatchString(v.Text) }):
		return Date
	case all(func(v *value.Value) bool { return v.Kind == value.String && isoMoment.MatchString(v.Text) }):
		return DateTime
	}
	return Text
}

// Counts tells whether a text may stand for a number: where its schema allows either, or says
// nothing.
func (in Inner) Counts(text string) bool {
	if len(in.own) == 1 && in.form == "" {
		return false
	}
	if in.node != nil && len(in.node.Kids) > 0 && slices.Equal(textsOf(in.node.Get("type")), []string{"string"}) {
		return false
	}
	return literalNumber.MatchString(text)
}

// IsAmount tells whether an object is an amount with its currency or unit.
func IsAmount(v *value.Value) bool { return isMeasured(v, "currency") || isMeasured(v, "unit") }

func isMeasured(v *value.Value, measure string) bool {
	return v.Kind == value.Object && len(v.Kids) == 2 && v.Get("amount") != nil && v.Get(measure) != nil
}

var (
	isoDay        = lazy.New(`^\d{4}-\d{2}-\d{2}$`)
	isoMoment     = lazy.New(`^\d{4}-\d{2}-\d{2}T\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:\d{2})?$`)
	literalNumber = lazy.New(`^-?(0|[1-9]\d*)(\.\d+)?$`)
)
