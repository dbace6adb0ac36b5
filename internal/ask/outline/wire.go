package outline

import (
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// FromWire gives the fields of a record by the JSON Schema of the reply, whose
// descriptions may hold what a field line holds behind its type.
func FromWire(wire *value.Value) *schema.Field {
	root := &schema.Field{Type: schema.Group}
	r := &wireReader{whole: wire}
	if records(wire) {
		wire = r.at(wire.At(value.Pointer("/properties/" + schema.Wrapper + "/items")))
	}
	r.fields(root, wire, 0)
	return root
}

// records tells the wrapper of any number of records from a field that is called
// so: that one is described, where fields are.
func records(wire *value.Value) bool {
	props := wire.Get("properties")
	return props != nil && len(props.Kids) == 1 && props.Kids[0].Name == schema.Wrapper && props.Kids[0].Get("description") == nil
}

// wireReader reads fields from a JSON Schema.
type wireReader struct{ whole *value.Value }

// at follows a reference.
func (r *wireReader) at(v *value.Value) *value.Value {
	if v == nil {
		return &value.Value{}
	}
	if ref := v.Word("$ref"); strings.HasPrefix(ref, "#/") {
		if of := r.whole.At(value.Pointer(ref[1:])); of != nil {
			return of
		}
	}
	return v
}

// deepestWire bounds references that contain themselves.
const deepestWire = 20

func (r *wireReader) fields(parent *schema.Field, object *value.Value, level int) {
	props := object.Get("properties")
	if props == nil || level > deepestWire {
		return
	}
	for i := range props.Kids {
		p := r.at(&props.Kids[i])
		name, about := props.Kids[i].Name, props.Kids[i].Word("description")
		basis := false
		if inner := p.Get("properties"); inner != nil && len(inner.Kids) == 2 && inner.Get("value") != nil && inner.Get("basis") != nil {
			p, basis = r.at(inner.Get("value")), true
		}
		items := r.at(p.Get("items"))
		kind := wireType(p)
		if kind == "list" && wireType(items) != "group" {
			kind = "list of " + wireType(items)
		}
		if m := described.FindStringSubmatch(about); m != nil {
			kind, about = m[1], m[3]
		}
		f := newField(name, kind, about)
		f.Basis = f.Basis || basis
		if of := p.Get("enum"); of != nil && len(f.Of) == 0 {
			f.Type = schema.Choice
			for _, o := range of.Kids {
				if o.Kind == value.String {
					f.Of = append(f.Of, schema.Option{Value: o.Text})
				}
			}
		}
		below := attach(parent, f)
		switch f.Type {
		case schema.Group:
			r.fields(below, p, level+1)
		case schema.List:
			if f.Item.Type == schema.Group {
				r.fields(below, items, level+1)
			}
		}
	}
}

// Described gives the JSON Schema of a reply in which each field has for its
// description what its line says, behind its name.
func Described(s *schema.Schema, how Values) value.Value {
	return Asked(s, how).DescribedWire(func(f *schema.Field) string {
		own := s.Find(f.Path) // as the schema has it, and not as it is asked for
		part := how == Places && !strings.HasSuffix(f.Path, f.Name)
		switch {
		case f.Name == "" || own == nil || how == Places && own.IsLeaf() && f.Type == schema.Group:
			return ""
		case part && f.Name != "value":
			return f.About
		}
		k := kind(own)
		if how == IDs && (ByID(own) || own.Type == schema.List && ByID(own.Item)) {
			k += byID
		}
		return "(" + k + ") " + Says(own)
	})
}

// byID stands behind the type of a value that is given by id, where the lines of
// fields are apart from each other.
const byID = " by id"

var described = lazy.New(`^\((list of [a-z]+|[a-z]+)( by id)?\) (.*)$`)

func wireType(p *value.Value) string {
	t := p.Get("type")
	if t == nil {
		return "text"
	}
	name := t.Text
	for _, k := range t.Kids {
		if k.Text != "null" {
			name = k.Text
		}
	}
	switch name {
	case "object":
		switch props := p.Get("properties"); {
		case props == nil:
		case props.Get("amount") != nil && props.Get("currency") != nil:
			return "money"
		case props.Get("amount") != nil && props.Get("unit") != nil:
			return "quantity"
		}
		return "group"
	case "array":
		return "list"
	case "integer", "number", "boolean":
		return name
	}
	if d := p.Get("description"); d != nil && strings.Contains(d.Text, "YYYY-MM-DD") {
		return "date"
	}
	return "text"
}
