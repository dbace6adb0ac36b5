package schema

import (
	"fmt"
	"slices"
	"strings"

	"filler/internal/base/place"
	"filler/internal/base/value"
)

// Three forms have a type key of their own and are made of what there is: a `map` and a `tuple`
// are of any value, held to what they say by keywords; `one of` is a group that has the fields of
// all its forms and a choice of the form, with keywords that say which go together.
//
//	tags: {map: Marks on the crate., values: {number: One mark.}, keys: '^[a-z]+$'}
//	size: {tuple: Width and unit., of: [{number: Width.}, {choice: Unit., of: [cm, m]}]}
//	party:
//	  one of: Who gets it.
//	  by: kind
//	  forms:
//	    person: {fields: {name: Full name.}}
//	    firm: {about: A company., fields: {firm: Its name., vat: Number of its tax.}}

// Forms are their type keys.
var Forms = []string{"map", "tuple", "one of"}

// FormKeys are the keys that each has of its own.
var FormKeys = map[string][]string{"map": {"map", "values", "keys"}, "tuple": {"tuple", "of"}, "one of": {"one of", "by", "forms"}}

// formIn gives the form that a field has, or "".
func formIn(n *place.Node) string {
	for _, kid := range n.Pairs() {
		if slices.Contains(Forms, kid.Key()) {
			return kid.Key()
		}
	}
	return ""
}

// keysOfForm gives all keys that a field of a form may have.
func keysOfForm(form string) []string {
	if form == "one of" {
		return append(append([]string(nil), FormKeys[form]...), "required", "printed_as", "avoid", "sensitive", "style", "examples", "was", "entity")
	}
	return append(append(append([]string(nil), FormKeys[form]...), CommonKeys...), leafKeys...)
}

func (l *loader) form(n *place.Node, f *Field, form string) {
	switch form {
	case "map":
		l.mapOf(n, f)
	case "tuple":
		l.tupleOf(n, f)
	default:
		l.oneOf(n, f)
	}
}

// element reads the field of a value in a map or a tuple, and gives what JSON Schema says of it.
func (l *loader) element(n *place.Node, f *Field) (value.Value, bool) {
	item := &Field{Path: f.Path + "[]", Type: Text}
	l.field(n, item)
	if !item.IsLeaf() || item.Type == Link || item.Type == Any {
		n.Fault(fmt.Sprintf("a value of %q is of a type that holds one value", f.Name), "write `{text: What it is.}`, or another type that is no group, list or link")
		return value.Value{}, false
	}
	f.inner = append(f.inner, item)
	full := item.full()
	full.Set("description", value.Str(item.About))
	return full, true
}

func (f *Field) held(jsonType string) value.Value {
	if f.Required {
		return value.Obj(value.Str(jsonType).Named("type"))
	}
	return value.Obj(texts([]string{jsonType, "null"}).Named("type"))
}

func (l *loader) mapOf(n *place.Node, f *Field) {
	values := n.Get("values")
	if values == nil {
		n.KeyFault(fmt.Sprintf("the map %q does not say what its values are", f.Name), "add `values: {text: What one value is.}`")
		return
	}
	of, ok := l.element(values, f)
	if !ok {
		return
	}
	f.Extra = f.held("object")
	f.Extra.Set("additionalProperties", of)
	if keys := n.Get("keys"); keys != nil {
		own := &Field{}
		own.readPattern(keys)
		if own.Pattern != nil {
			f.Extra.Set("propertyNames", value.Obj(value.Str(own.Pattern.String()).Named("pattern")))
		}
	}
	sortExtra(f)
}

func (l *loader) tupleOf(n *place.Node, f *Field) {
	of := n.Get("of")
	if of == nil || len(of.Items()) < 2 {
		n.KeyFault(fmt.Sprintf("the tuple %q does not say what it is of", f.Name), "add `of: [{number: Width.}, {number: Height.}]`, two values or more")
		return
	}
	first := value.List()
	for _, kid := range of.Items() {
		own, ok := l.element(kid, f)
		if !ok {
			return
		}
		first.Kids = append(first.Kids, own)
	}
	f.Extra = f.held("array")
	f.Extra.Set("prefixItems", first)
	f.Extra.Set("items", value.Boolean(false))
	f.Extra.Set("minItems", value.Num(fmt.Sprint(len(first.Kids))))
	sortExtra(f)
}

func sortExtra(f *Field) {
	slices.SortFunc(f.Extra.Kids, func(a, b value.Value) int { return strings.Compare(a.Name, b.Name) })
}

// oneOf reads a group of one form of several.
func (l *loader) oneOf(n *place.Node, f *Field) {
	forms := n.Get("forms")
	if forms == nil || len(forms.Pairs()) < 2 {
		n.KeyFault(fmt.Sprintf("the field %q has no forms to be one of", f.Name), "add `forms:` with two forms or more, each with its `fields:`")
		return
	}
	by := "kind"
	if b := n.Get("by"); b != nil {
		by = b.Filled("the name of the field that says which form it is")
	}
	if !fieldName.MatchString(by) {
		n.Get("by").Fault(fmt.Sprintf("%q is not a field name", by), "begin with a letter, then letters, digits, `_` and `-`")
		return
	}
	tag := &Field{Name: by, Path: f.Path + "." + by, Type: Choice, About: "Which of these it is."}
	tag.settle()
	f.Fields = []*Field{tag}
	in := map[*Field][]string{} // forms that a field is of
	needs := map[string][]string{}
	for _, form := range forms.Pairs() {
		form.Known("about", "fields")
		tag.Of = append(tag.Of, Option{Value: form.Key(), About: aboutOf(form)})
		own := &Field{Type: Group, Path: f.Path}
		fields := form.Get("fields")
		if fields == nil {
			continue // a form that is no more than its name
		}
		l.fields(fields, own)
		for i, kid := range own.Fields {
			if kid.Required {
				needs[form.Key()] = append(needs[form.Key()], kid.Name)
			}
			at := f.Child(kid.Name)
			switch {
			case kid.Name == by:
				fields.Pairs()[i].KeyFault(fmt.Sprintf("%q says which form it is", by), "rename the field, or write `by:` with another name")
			case at == nil:
				f.Fields = append(f.Fields, kid)
				in[kid] = []string{form.Key()}
			case at.Type != kid.Type:
				fields.Pairs()[i].KeyFault(fmt.Sprintf("the field %q is of type %s in another form", kid.Name, at.Type), "give both one type, or one of them another name")
			default:
				in[at] = append(in[at], form.Key())
			}
		}
	}
	f.together(tag, in, needs)
}

func aboutOf(form *place.Node) string {
	if about := form.Get("about"); about != nil {
		return about.Prose("what the form is")
	}
	return ""
}

// together tells each field where it belongs, and writes what is enforced: by the form, which
// fields have to be empty and which must not be.
func (f *Field) together(tag *Field, in map[*Field][]string, needs map[string][]string) {
	all := value.List()
	null := func() value.Value { return value.Obj(value.Str("null").Named("type")) }
	empty := func(kid *Field) (value.Value, bool) {
		switch kid.Type {
		case Group:
			return value.Value{}, false // a group stands there with its fields, whatever the form
		case List:
			return value.Obj(value.Num("0").Named("maxItems")), true
		}
		return null(), true
	}
	for _, o := range tag.Of {
		properties := value.Obj(value.Obj(value.List(value.Str(o.Value)).Named("enum")).Named(tag.Name))
		for _, kid := range f.Fields[1:] {
			if slices.Contains(in[kid], o.Value) {
				continue
			}
			if e, ok := empty(kid); ok {
				properties.Set(kid.Name, e)
			}
		}
		required := []string{tag.Name}
		for _, name := range needs[o.Value] {
			properties.Set(name, value.Obj(null().Named("not")))
			required = append(required, name)
		}
		all.Kids = append(all.Kids, value.Obj(properties.Named("properties"), texts(required).Named("required")))
	}
	nothing := value.Obj(null().Named(tag.Name))
	for _, kid := range f.Fields[1:] {
		if e, ok := empty(kid); ok {
			nothing.Set(kid.Name, e)
		}
		if len(in[kid]) < len(tag.Of) {
			kid.Required = false
			kid.About = strings.TrimRight(kid.About, ".") + fmt.Sprintf(". Only where %s is %s.", tag.Name, strings.Join(in[kid], " or "))
		}
	}
	if !f.Required {
		all.Kids = append(all.Kids, value.Obj(nothing.Named("properties")))
	}
	f.Extra = value.Obj(value.List(value.Obj(all.Named("anyOf"))).Named("allOf"))
}
