package schema

import (
	"slices"
	"strconv"

	"filler/internal/base/value"
)

// A value of any form can be held to a JSON Schema where its keywords are plain: one type of
// scalar, an array of such, a tuple of scalars, an object with such members, a map of any names to
// such. A map is
// asked for as an array of {"key", "value"}, since servers that hold replies to a schema have no
// word for free names; it is turned back on arrival. Other forms are asked for as a text that
// holds JSON.

// AnyForm is such a form.
type AnyForm struct {
	scalar  string      // string, integer, number or boolean
	others  []string    // what a value of a tuple may be besides
	options value.Value // an array of the values that are allowed; null: all
	items   *AnyForm    // of an array
	free    *AnyForm    // of the values of a map
	names   []string    // of an object
	members []*AnyForm
}

// formDepth is how deep forms go.
const formDepth = 4

// AnyForm gives the form of a field that takes any value; nil where its keywords are not plain.
func (f *Field) AnyForm() *AnyForm {
	if f.Type != Any {
		return nil
	}
	return formOf(&f.Extra, 0)
}

// IsMap tells fields whose values are objects of any names: what such a map holds is paired and
// scored name by name. One that is sensitive is not among them: its names may be what must not be
// seen, so that it is one value.
func (f *Field) IsMap() bool { return f.byName }

// HasNames tells fields whose values are objects, of any names or of those that a schema writes out.
func (f *Field) HasNames() bool {
	types := textsOf(f.Extra.Get("type"))
	return slices.Contains(types, "object") && !slices.ContainsFunc(types, func(t string) bool { return t != "object" && t != "null" })
}

// HasItems tells fields whose values are arrays.
func (f *Field) HasItems() bool {
	types := textsOf(f.Extra.Get("type"))
	return slices.Contains(types, "array") && !slices.ContainsFunc(types, func(t string) bool { return t != "array" && t != "null" })
}

// IsTuple tells fields whose values are arrays in which each place has a meaning.
func (f *Field) IsTuple() bool { return f.Extra.Get("prefixItems") != nil }

// letsTexts tells whether one of several forms is a text.
func letsTexts(extra *value.Value) bool {
	for _, name := range []string{"anyOf", "oneOf"} {
		of := extra.Get(name)
		for i := 0; of != nil && i < len(of.Kids); i++ {
			if slices.Contains(textsOf(of.Kids[i].Get("type")), "string") {
				return true
			}
		}
	}
	return false
}

// Figure gives a text as the number that it is, where the schema lets a number come as either.
func (f *Field) Figure(v *value.Value) *value.Value {
	if !f.decimal || v == nil || v.Kind != value.String || !literalNumber.MatchString(v.Text) {
		return v
	}
	n := value.Num(v.Text).Named(v.Name)
	return &n
}

// IsHidden tells whether the field is sensitive, or what it lies in.
func (f *Field) IsHidden() bool { return f.hidden }

func (f *Field) settleAny(sensitive bool, defs *value.Value) {
	sensitive = sensitive || f.Sensitive
	if f.holdsAny = f.Type == Any; f.holdsAny {
		in := f.within(defs)
		f.inside = &in
	}
	f.decimal = f.Type == Number && letsTexts(&f.Extra)
	for _, kid := range f.Fields {
		kid.settleAny(sensitive, defs)
		f.holdsAny = f.holdsAny || kid.holdsAny
	}
	if f.Item != nil {
		f.Item.settleAny(sensitive, defs)
		f.holdsAny = f.holdsAny || f.Item.holdsAny
	}
	if f.hidden = sensitive; f.Type != Any || sensitive {
		return
	}
	f.byName = f.HasNames()
}

func formOf(s *value.Value, depth int) *AnyForm {
	if depth > formDepth || s == nil || s.Kind != value.Object {
		return nil
	}
	form, kind := &AnyForm{}, ""
	for _, k := range s.Kids {
		switch {
		case k.Kind == value.Null:
		case k.Name == "type":
			types := slices.DeleteFunc(textsOf(&k), func(t string) bool { return t == "null" })
			if len(types) != 1 {
				return nil
			}
			kind = types[0]
		case k.Name == "enum":
			form.options = k.Named("")
		case slices.Contains([]string{"items", "prefixItems", "additionalProperties", "properties", "required", "description"}, k.Name):
		case slices.Contains([]string{"minItems", "maxItems", "uniqueItems", "minProperties", "maxProperties", "minLength", "maxLength", "pattern", "format", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf", "propertyNames"}, k.Name):
		default:
			return nil
		}
	}
	switch kind {
	case "string", "integer", "number", "boolean":
		form.scalar = kind
		return form
	case "array":
		if first := s.Get("prefixItems"); first != nil {
			return form.tuple(s, first)
		}
		form.items = formOf(s.Get("items"), depth+1)
		if form.items == nil {
			return nil
		}
		return form
	case "object":
		return form.object(s, depth)
	}
	return nil
}

// tuple reads an array in which each place has a scalar of its own, and there are no more places.
func (form *AnyForm) tuple(s, first *value.Value) *AnyForm {
	if rest, most := s.Get("items"), s.Get("maxItems"); (rest == nil || rest.Text != "false") && (most == nil || most.Text != strconv.Itoa(len(first.Kids))) {
		return nil
	}
	form.items = &AnyForm{}
	for i := range first.Kids {
		of := formOf(&first.Kids[i], formDepth)
		if of == nil || of.scalar == "" {
			return nil
		}
		switch at := form.items; {
		case at.scalar == "":
			at.scalar = of.scalar
		case at.scalar != of.scalar && !slices.Contains(at.others, of.scalar):
			at.others = append(at.others, of.scalar)
		}
	}
	if form.items.scalar == "" {
		return nil
	}
	return form
}

// object reads an object: with members and no others, or with any names and no members.
func (form *AnyForm) object(s *value.Value, depth int) *AnyForm {
	properties, more := s.Get("properties"), s.Get("additionalProperties")
	if properties == nil || len(properties.Kids) == 0 {
		if form.free = formOf(more, depth+1); form.free == nil {
			return nil
		}
		return form
	}
	if more != nil && more.Text != "false" {
		return nil
	}
	for i := range properties.Kids {
		member := formOf(&properties.Kids[i], depth+1)
		if member == nil {
			return nil
		}
		form.names, form.members = append(form.names, properties.Kids[i].Name), append(form.members, member)
	}
	return form
}

// HasFree tells whether a map is in it.
func (form *AnyForm) HasFree() bool {
	return form.free != nil || form.items != nil && form.items.HasFree() || slices.ContainsFunc(form.members, (*AnyForm).HasFree)
}

// Wire gives the form that a reply is held to.
func (form *AnyForm) Wire() value.Value {
	switch {
	case form.items != nil:
		return value.Obj(orNull("array", true), form.items.Wire().Named("items"))
	case form.free != nil:
		pair := object([]value.Value{value.Obj(value.Str("string").Named("type")).Named("key"), form.free.Wire().Named("value")}, []string{"key", "value"})
		return value.Obj(orNull("array", true), pair.Named("items"))
	case len(form.members) > 0:
		var members []value.Value
		for i, m := range form.members {
			members = append(members, m.Wire().Named(form.names[i]))
		}
		v := object(members, form.names)
		v.Kids[0] = orNull("object", true)
		return v
	}
	v := value.Obj(orNull(form.scalar, true))
	if len(form.others) > 0 {
		v = value.Obj(texts(append(append([]string{form.scalar}, form.others...), "null")).Named("type"))
	}
	if form.options.Kind == value.Array {
		of := form.options.Clone()
		if !slices.ContainsFunc(of.Kids, func(o value.Value) bool { return o.Kind == value.Null }) {
			of.Kids = append(of.Kids, value.Value{})
		}
		v.Set("enum", of)
	}
	return v
}

// Turned gives a value as the origin has it: pairs of a map as an object, members that are null
// left out. It gives false where nothing is changed, or where names come twice.
func (form *AnyForm) Turned(v *value.Value) (value.Value, bool) {
	switch {
	case form.items != nil && v.Kind == value.Array:
		out, changed := value.List(), false
		for i := range v.Kids {
			own, turned := form.items.Turned(&v.Kids[i])
			changed = changed || turned
			out.Kids = append(out.Kids, own)
		}
		return out, changed
	case form.free != nil && v.Kind == value.Array:
		return form.pairs(v)
	case len(form.members) > 0 && v.Kind == value.Object:
		out, changed := value.Obj(), false
		for i := range v.Kids {
			kid := &v.Kids[i]
			at := slices.Index(form.names, kid.Name)
			if at < 0 {
				out.Kids = append(out.Kids, kid.Clone())
				continue
			}
			if kid.Kind == value.Null {
				changed = true
				continue
			}
			own, turned := form.members[at].Turned(kid)
			changed = changed || turned
			out.Kids = append(out.Kids, own.Named(kid.Name))
		}
		return out, changed
	}
	return v.Clone().Named(""), false
}

// pairs turns an array of {"key", "value"} into an object.
func (form *AnyForm) pairs(v *value.Value) (value.Value, bool) {
	out := value.Obj()
	for i := range v.Kids {
		key, of := v.Kids[i].Get("key"), v.Kids[i].Get("value")
		if key == nil || key.Kind != value.String || of == nil || len(v.Kids[i].Kids) != 2 || out.Get(key.Text) != nil {
			return v.Clone().Named(""), false
		}
		own, _ := form.free.Turned(of)
		out.Kids = append(out.Kids, own.Named(key.Text))
	}
	return out, true
}
