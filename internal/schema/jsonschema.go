package schema

import (
	"fmt"
	"strings"

	"filler/internal/base/value"
)

// Full gives the JSON Schema (2020-12) that records are checked with: types,
// bounds, patterns, choices, and what is required.
func (s *Schema) Full() value.Value {
	v := s.Root.full()
	head := value.Obj(value.Str("https://json-schema.org/draft/2020-12/schema").Named("$schema"), value.Str(s.Name).Named("title"))
	v.Kids = append(head.Kids, v.Kids...)
	return v
}

// Wire gives the JSON Schema that goes to the model: every property required,
// unknown as null, no other properties, and no keyword beyond type,
// properties, required, additionalProperties, items, enum, and $ref where the
// same form comes again. With `each: entry` the records stand in one property,
// since servers want an object at the root. A field with a basis is an object of
// value and basis. What a field means is not in it.
func (s *Schema) Wire() value.Value { return s.DescribedWire(nil) }

// DescribedWire is Wire with a description of each field.
func (s *Schema) DescribedWire(describe func(*Field) string) value.Value {
	w := &wirer{describe: describe, times: map[string]int{}, names: map[string]string{}}
	if describe == nil {
		w.count(s.Root)
	}
	root := w.of(s.Root)
	if s.EachEntry() {
		root = object([]value.Value{root.Named(Wrapper)}, []string{Wrapper})
	}
	if len(w.defs.Kids) > 0 {
		root.Set("$defs", w.defs)
	}
	return root
}

// Wrapper is the property that holds the records of an `each: entry` reply.
const Wrapper = "records"

func object(properties []value.Value, required []string) value.Value {
	v := value.Obj(value.Str("object").Named("type"), value.Obj(properties...).Named("properties"))
	if len(required) > 0 {
		v.Kids = append(v.Kids, texts(required).Named("required"))
	}
	v.Kids = append(v.Kids, value.Boolean(false).Named("additionalProperties"))
	return v
}

func texts(list []string) value.Value {
	v := value.List()
	for _, s := range list {
		v.Kids = append(v.Kids, value.Str(s))
	}
	return v
}

// orNull gives the type keyword for a value that may be unknown.
func orNull(jsonType string, nullable bool) value.Value {
	if nullable {
		return texts([]string{jsonType, "null"}).Named("type")
	}
	return value.Str(jsonType).Named("type")
}

var jsonTypes = map[Type]string{
	Text: "string", Integer: "integer", Number: "number", Boolean: "boolean", Date: "string", Time: "string", DateTime: "string",
	Any:    "string", // that holds JSON: servers that hold replies to a schema have no word for whatever
	Choice: "string", Money: "object", Quantity: "object", Link: "string", Group: "object", List: "array",
}

// Patterns of values that have no format of their own in JSON Schema.
const (
	timePattern  = `^([01]\d|2[0-3]):[0-5]\d(:[0-5]\d)?$`
	localPattern = `^\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01])T([01]\d|2[0-3]):[0-5]\d:[0-5]\d(\.\d+)?$`
	monthPattern = `^\d{4}-(0[1-9]|1[0-2])(-(0[1-9]|[12]\d|3[01]))?$`
	yearPattern  = `^\d{4}(-(0[1-9]|1[0-2])(-(0[1-9]|[12]\d|3[01]))?)?$`
)

// Nullable reports whether null is a value of the field in a record.
func (f *Field) Nullable() bool { return !f.Required && f.Path != "" && !f.isItem() }

// isItem tells whether f stands for every item of a list.
func (f *Field) isItem() bool { return strings.HasSuffix(f.Path, "[]") }

func (f *Field) full() value.Value {
	v := f.fullByType()
	for _, kept := range f.Extra.Kids {
		if kept.Kind == value.Null {
			v.Drop(kept.Name) // an imported schema does not say it
			continue
		}
		v.Set(kept.Name, kept)
	}
	return v
}

// AllowsNull reports whether null stands for an unknown value of the field. In
// an imported schema it may have to be left out instead.
func (f *Field) AllowsNull() bool {
	t := f.Extra.Get("type")
	if t == nil {
		return f.Nullable()
	}
	for _, kid := range append([]value.Value{*t}, t.Kids...) {
		if kid.Text == "null" {
			return true
		}
	}
	return false
}

func (f *Field) fullByType() value.Value {
	kin := f.Kin()
	nullable := f.Nullable()
	if kin.Type == Any {
		if !f.Required {
			return value.Obj()
		}
		return value.Obj(value.Obj(value.Str("null").Named("type")).Named("not"))
	}
	v := value.Obj(orNull(jsonTypes[kin.Type], nullable))
	switch f.Type {
	case Group:
		return f.fullGroup(v.Kids[0])
	case List:
		v.Set("items", f.Item.full())
		if f.Required && f.Min == "" {
			v.Set("minItems", value.Num("1"))
		}
		f.bounds(&v, "minItems", "maxItems")
	case Choice:
		v.Set("enum", f.optionValues(nullable))
	case Text:
		if f.Required && f.Min == "" {
			v.Set("minLength", value.Num("1"))
		}
		f.bounds(&v, "minLength", "maxLength")
		if f.Pattern != nil {
			v.Set("pattern", value.Str(f.Pattern.String()))
		}
	case Integer, Number:
		f.bounds(&v, "minimum", "maximum")
	case Date:
		switch f.Precision {
		case "month":
			v.Set("pattern", value.Str(monthPattern))
		case "year":
			v.Set("pattern", value.Str(yearPattern))
		default:
			v.Set("format", value.Str("date"))
		}
	case Time:
		v.Set("pattern", value.Str(timePattern))
	case DateTime:
		if f.Zone == NoZone {
			v.Set("pattern", value.Str(localPattern))
		} else {
			v.Set("format", value.Str("date-time"))
		}
	case Money, Quantity:
		f.fullAmount(&v)
	}
	return v
}

func (f *Field) fullGroup(jsonType value.Value) value.Value {
	var properties []value.Value
	var required []string
	for _, kid := range f.Fields {
		properties = append(properties, kid.full().Named(kid.Name))
		if kid.Required {
			required = append(required, kid.Name)
		}
	}
	v := object(properties, required)
	v.Kids[0] = jsonType
	return v
}

// Measure gives the name of the member beside `amount`, and the value that it
// must have, if any: the currency of money, the unit of a quantity.
func (f *Field) Measure() (name, want string) {
	if f.Type == Money {
		return "currency", f.Currency
	}
	return "unit", f.Unit
}

func (f *Field) fullAmount(v *value.Value) {
	name, want := f.Measure()
	amount := value.Obj(value.Str("number").Named("type"))
	f.bounds(&amount, "minimum", "maximum")
	measure := value.Obj(value.Str("string").Named("type"))
	if want != "" {
		measure.Set("const", value.Str(want))
	}
	v.Set("properties", value.Obj(amount.Named("amount"), measure.Named(name)))
	v.Set("required", texts([]string{"amount", name}))
	v.Set("additionalProperties", value.Boolean(false))
}

func (f *Field) optionValues(nullable bool) value.Value {
	of := value.List()
	for _, o := range f.Of {
		of.Kids = append(of.Kids, value.Str(o.Value))
	}
	if nullable {
		of.Kids = append(of.Kids, value.Value{})
	}
	return of
}

func (f *Field) bounds(v *value.Value, least, most string) {
	if f.Min != "" {
		v.Set(least, value.Num(f.Min))
	}
	if f.Max != "" {
		v.Set(most, value.Num(f.Max))
	}
}

// wirer writes the wire form of fields.
type wirer struct {
	describe func(*Field) string // nil: not at all
	times    map[string]int      // how often a form comes
	names    map[string]string   // of the forms that are defined
	defs     value.Value
}

// leastShared is how many bytes a form takes at least that is defined once, where
// it comes again.
const leastShared = 100

// count counts the forms of groups and lists.
func (w *wirer) count(f *Field) {
	f.Walk(func(f *Field, _ int) {
		if f.Path != "" && !f.IsLeaf() {
			plain := (&wirer{}).of(f)
			w.times[plain.String()]++
		}
	})
}

// of gives the form of a field, or a reference to it.
func (w *wirer) of(f *Field) value.Value {
	if !f.IsLeaf() && len(w.times) > 0 {
		plain := (&wirer{}).of(f)
		key := plain.String()
		if w.times[key] > 1 && len(key) >= leastShared {
			if w.names[key] == "" {
				w.names[key] = fmt.Sprintf("f%d", len(w.names)+1)
				w.defs.Kind = value.Object
				w.defs.Set(w.names[key], plain)
			}
			return value.Obj(value.Str("#/$defs/" + w.names[key]).Named("$ref"))
		}
	}
	v := w.byType(f)
	if f.Basis {
		v = object([]value.Value{v.Named("value"), value.Obj(orNull("string", true)).Named("basis")}, []string{"value", "basis"})
	}
	if w.describe != nil {
		if about := w.describe(f); about != "" {
			v.Set("description", value.Str(about))
		}
	}
	return v
}

func (w *wirer) byType(f *Field) value.Value {
	switch f.Type {
	case Group:
		var properties []value.Value
		var names []string
		for _, kid := range f.Fields {
			properties = append(properties, w.of(kid).Named(kid.Name))
			names = append(names, kid.Name)
		}
		return object(properties, names)
	case List:
		return value.Obj(value.Str("array").Named("type"), w.of(f.Item).Named("items"))
	case Choice:
		if f.List != nil { // what is not among the candidates is told as it is printed
			return value.Obj(orNull("string", true))
		}
		return value.Obj(orNull("string", true), f.optionValues(true).Named("enum"))
	case Money, Quantity:
		name, fixed := f.Measure()
		v := object([]value.Value{value.Obj(orNull("number", false)).Named("amount"), value.Obj(orNull("string", fixed == "")).Named(name)}, []string{"amount", name})
		v.Kids[0] = orNull("object", true)
		return v
	}
	listed := f.listed()
	if f.Type == Any && len(listed.Kids) > 0 {
		return value.Obj(listed.Named("enum"))
	}
	if form := f.AnyForm(); form != nil {
		return form.Wire()
	}
	v := value.Obj(orNull(jsonTypes[f.Kin().Type], true))
	if len(listed.Kids) > 0 {
		v.Set("enum", listed)
	}
	return v
}

// listed gives the values that an imported schema lists or fixes for a leaf, and
// null.
func (f *Field) listed() value.Value {
	all := value.List()
	if list := f.Extra.Get("enum"); list != nil {
		for i := range list.Kids {
			all.Kids = append(all.Kids, list.Kids[i].Clone().Named(""))
		}
	}
	if only := f.Extra.Get("const"); only != nil {
		all.Kids = append(all.Kids, only.Clone().Named(""))
	}
	for i := range all.Kids {
		if all.Kids[i].Kind == value.Null {
			return all
		}
	}
	if len(all.Kids) > 0 {
		all.Kids = append(all.Kids, value.Value{})
	}
	return all
}

// FormOf says how a value of the field is written in a record, where its JSON
// type does not say so; "" else.
func FormOf(f *Field) string {
	switch f.Type {
	case Date:
		switch f.Precision {
		case "month":
			return "YYYY-MM-DD, or YYYY-MM where the day is not stated"
		case "year":
			return "YYYY-MM-DD, or YYYY-MM or YYYY where no more is stated"
		}
		return "YYYY-MM-DD"
	case Time:
		return "HH:MM or HH:MM:SS"
	case Any:
		switch form := f.AnyForm(); {
		case f.Extra.Get("enum") != nil || f.Extra.Get("const") != nil:
		case form == nil:
			return "JSON, or as a text that holds JSON"
		case form.HasFree():
			return `JSON, names and values as a list of {"key", "value"} or as an object`
		default:
			return "JSON"
		}
	case DateTime:
		switch f.Zone {
		case NoZone:
			return "YYYY-MM-DDTHH:MM:SS"
		case "":
			return "YYYY-MM-DDTHH:MM:SS with the offset, such as 2031-04-03T09:30:00+02:00; where documents state none, give the field `zone: none`, or the zone of their times"
		}
		return "YYYY-MM-DDTHH:MM:SS with the offset, such as 2031-04-03T09:30:00+02:00"
	}
	return ""
}
