package schema

import (
	"strings"

	"filler/internal/value"
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
// properties, required, additionalProperties, items, enum and description.
// With `each: entry` the records stand in one property, since servers want an
// object at the root.
func (s *Schema) Wire() value.Value {
	root := s.Root.wire()
	if !s.EachEntry() {
		return root
	}
	return object([]value.Value{root.Named(Wrapper)}, []string{Wrapper})
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
	Text: "string", Integer: "integer", Number: "number", Boolean: "boolean",
	Date: "string", Choice: "string", Group: "object", List: "array",
}

func (f *Field) full() value.Value {
	nullable := !f.Required && f.Path != "" && !f.isItem()
	jsonType := orNull(jsonTypes[f.Type], nullable)
	switch f.Type {
	case Group:
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
	case List:
		v := value.Obj(jsonType, f.Item.full().Named("items"))
		if f.Required && f.Least == "" {
			v.Set("minItems", value.Num("1"))
		}
		f.bounds(&v, "minItems", "maxItems")
		return v
	case Choice:
		of := value.List()
		for _, o := range f.Of {
			of.Kids = append(of.Kids, value.Str(o.Value))
		}
		if nullable {
			of.Kids = append(of.Kids, value.Value{})
		}
		return value.Obj(jsonType, of.Named("enum"))
	}
	v := value.Obj(jsonType)
	switch f.Type {
	case Text:
		if f.Required && f.Least == "" {
			v.Set("minLength", value.Num("1"))
		}
		f.bounds(&v, "minLength", "maxLength")
		if f.Pattern != nil {
			v.Set("pattern", value.Str(f.Pattern.String()))
		}
	case Integer, Number:
		f.bounds(&v, "minimum", "maximum")
	case Date:
		v.Set("format", value.Str("date"))
	}
	return v
}

// isItem tells whether f stands for every item of a list.
func (f *Field) isItem() bool { return strings.HasSuffix(f.Path, "[]") }

func (f *Field) bounds(v *value.Value, least, most string) {
	if f.Least != "" {
		v.Set(least, value.Num(f.Least))
	}
	if f.Most != "" {
		v.Set(most, value.Num(f.Most))
	}
}

func (f *Field) wire() value.Value {
	var v value.Value
	switch f.Type {
	case Group:
		var properties []value.Value
		var names []string
		for _, kid := range f.Fields {
			properties = append(properties, kid.wire().Named(kid.Name))
			names = append(names, kid.Name)
		}
		v = object(properties, names)
	case List:
		v = value.Obj(value.Str("array").Named("type"), f.Item.wire().Named("items"))
	case Choice:
		of := value.List()
		for _, o := range f.Of {
			of.Kids = append(of.Kids, value.Str(o.Value))
		}
		of.Kids = append(of.Kids, value.Value{})
		v = value.Obj(orNull("string", true), of.Named("enum"))
	default:
		v = value.Obj(orNull(jsonTypes[f.Type], true))
	}
	if about := f.wireAbout(); about != "" {
		v.Set("description", value.Str(about))
	}
	return v
}

func (f *Field) wireAbout() string {
	about := f.About
	if f.Type == Date {
		about += " As YYYY-MM-DD."
	}
	return about
}
