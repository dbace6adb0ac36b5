package schema

import (
	"fmt"
	"slices"
	"strings"

	"filler/internal/base/value"
)

// looseMark says that the exact form above a subschema is all that is enforced of it: its own
// words only tell what to ask for.
const looseMark = "x-filler-loose"

// branches puts the forms of a union of objects into one group that has the fields of all: they
// are asked for, found and scored one by one, and the exact form says which go together. A
// property that names the form (a constant, another in each) becomes a choice. It gives false
// where a form is no object with properties.
func (im *importer) branches(rest []value.Value, path string) (value.Value, bool) {
	var all []value.Value
	for i := range rest {
		b := im.plain(&rest[i], path)
		if typeOf(&b, nil) != Group {
			return value.Value{}, false
		}
		all = append(all, b)
	}
	if len(all) < 2 {
		return value.Value{}, false
	}
	names := namesOf(all)
	tag, tags := tagOf(all, names)
	properties := value.Obj()
	required := value.List()
	for _, name := range names {
		var forms []value.Value
		var in []string
		needed := true
		for i := range all {
			p := all[i].Get("properties").Get(name)
			needed = needed && slices.Contains(textsOf(all[i].Get("required")), name)
			if p == nil {
				continue
			}
			if tag != "" {
				in = append(in, tags[i])
			}
			if own := p.Clone().Named(""); !slices.ContainsFunc(forms, func(f value.Value) bool { return value.Equal(&f, &own) }) {
				forms = append(forms, own)
			}
		}
		p := oneForm(forms)
		if tag != "" && name != tag && len(in) < len(all) && p.Kind == value.Object {
			said := ""
			if d := p.Get("description"); d != nil {
				said = strings.TrimRight(d.Text, ".") + ". "
			}
			p.Set("description", value.Str(fmt.Sprintf("%sOnly where %s is %s.", said, tag, strings.Join(in, " or "))))
		}
		if p.Kind == value.Object {
			p.Set(looseMark, value.Boolean(true))
		}
		properties.Set(name, p)
		if needed {
			required.Kids = append(required.Kids, value.Str(name))
		}
	}
	n := value.Obj(value.Str("object").Named("type"), properties.Named("properties"))
	if len(required.Kids) > 0 {
		n.Set("required", required)
	}
	return n, true
}

// namesOf gives the properties of all forms, in the order in which they come.
func namesOf(all []value.Value) (names []string) {
	for i := range all {
		for _, p := range all[i].Get("properties").Kids {
			if !slices.Contains(names, p.Name) {
				names = append(names, p.Name)
			}
		}
	}
	return names
}

// constantOf gives the one text that a property must be, or "".
func constantOf(p *value.Value) string {
	if p == nil {
		return ""
	}
	if c := p.Get("const"); c != nil && c.Kind == value.String {
		return c.Text
	}
	if e := p.Get("enum"); e != nil && len(e.Kids) == 1 && e.Kids[0].Kind == value.String {
		return e.Kids[0].Text
	}
	return ""
}

// tagOf finds the property that names the form.
func tagOf(all []value.Value, names []string) (tag string, tags []string) {
	for _, name := range names {
		tags = nil
		for i := range all {
			if c := constantOf(all[i].Get("properties").Get(name)); c != "" && !slices.Contains(tags, c) {
				tags = append(tags, c)
			}
		}
		if len(tags) == len(all) {
			return name, tags
		}
	}
	return "", nil
}

// oneForm gives what several forms of one property have in common.
func oneForm(forms []value.Value) value.Value {
	if len(forms) == 1 {
		return forms[0]
	}
	of := value.List()
	for i := range forms {
		c := constantOf(&forms[i])
		if c == "" {
			return value.Obj(value.List(forms...).Named("anyOf"))
		}
		of.Kids = append(of.Kids, value.Str(c))
	}
	return value.Obj(of.Named("enum"))
}
