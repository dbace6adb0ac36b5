package outline

import (
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// FromWire gives the fields of a record by the JSON Schema of the reply, whose
// descriptions may hold what a field line holds behind its type.
func FromWire(wire *value.Value) *schema.Field {
	root := &schema.Field{Type: schema.Group}
	if records(wire) {
		wire = wire.At(value.Pointer("/properties/" + schema.Wrapper + "/items"))
	}
	fieldsFromWire(root, wire)
	return root
}

func records(wire *value.Value) bool {
	props := wire.Get("properties")
	return props != nil && len(props.Kids) == 1 && props.Kids[0].Name == schema.Wrapper
}

func fieldsFromWire(parent *schema.Field, object *value.Value) {
	props := object.Get("properties")
	if props == nil {
		return
	}
	for i := range props.Kids {
		p := &props.Kids[i]
		about := ""
		if d := p.Get("description"); d != nil {
			about = d.Text
		}
		kind := wireType(p)
		if items := p.Get("items"); kind == "list" && items != nil && wireType(items) != "group" {
			kind = "list of " + wireType(items)
		}
		f := newField(p.Name, kind, about)
		if of := p.Get("enum"); of != nil {
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
			fieldsFromWire(below, p)
		case schema.List:
			if f.Item.Type == schema.Group {
				fieldsFromWire(below, p.Get("items"))
			}
		}
	}
}

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
