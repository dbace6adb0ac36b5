package schema

import (
	"fmt"
	"strings"

	"filler/internal/base/place"
	"filler/internal/base/value"
)

// Entity says that what a field holds is one thing across documents.
type Entity struct {
	Key    []string // of a group or the items of a list: the values that make two mentions the same; none: of a text, itself
	Called string   // its kind; "": the field's name
}

// Edge says that the items of a list join two things.
type Edge struct {
	From, To string // leaves of an item that name the two ends
	Kind     string // a leaf that says how they are joined; "": the list's name
}

// KindOf gives the kind of the things that a field holds, where they are entities.
func (f *Field) KindOf() string {
	if f.Entity == nil || f.Entity.Called != "" {
		if f.Entity == nil {
			return ""
		}
		return f.Entity.Called
	}
	return f.Name
}

// readEntity reads `entity: true` or `entity: {key: [name], called: person}`.
func readEntity(n *place.Node) *Entity {
	e := &Entity{}
	if n.IsScalar() {
		if n.Bool() {
			return e
		}
		return nil
	}
	n.Known("key", "called")
	if key := n.Get("key"); key != nil {
		e.Key = key.Texts()
	}
	if called := n.Get("called"); called != nil {
		if e.Called = called.Filled("the kind"); e.Called != "" && !fieldName.MatchString(e.Called) {
			called.Fault(fmt.Sprintf("%q is not a kind", e.Called), "use letters, digits, `-` and `_`")
		}
	}
	return e
}

// within gives an entity where its key is still among the fields of a part; else nil.
func (e *Entity) within(f *Field) *Entity {
	if e == nil {
		return nil
	}
	for _, name := range e.Key {
		if f.Child(name) == nil {
			return nil
		}
	}
	return e
}

// checkEntity: the key of an entity names values of what it is.
func checkEntity(n *place.Node, f *Field) {
	of := f
	if f.Type == List {
		of = f.Item
	}
	switch {
	case f.Entity == nil:
	case of != nil && of.IsLeaf():
		if len(f.Entity.Key) > 0 {
			n.Fault("a single value is its own key", "leave `key` out")
		}
	case len(f.Entity.Key) == 0 && f.Type == List && len(f.Key) > 0:
		f.Entity.Key = f.Key
	case len(f.Entity.Key) == 0:
		n.Fault("the key is missing: what makes two mentions the same", "add `key: [name]`")
	default:
		at := n.Get("key")
		if at == nil {
			at = n
		}
		checkKey(at, of, f.Entity.Key)
	}
}

func readEdge(n *place.Node) *Edge {
	n.Known("from", "to", "kind")
	e := &Edge{}
	for _, k := range []struct {
		name string
		into *string
	}{{"from", &e.From}, {"to", &e.To}, {"kind", &e.Kind}} {
		if kid := n.Get(k.name); kid != nil {
			*k.into = kid.Filled("the name of a field")
		}
	}
	return e
}

// checkEdge: an edge names values of an item. That only lists have edges was said where
// the key was read.
func checkEdge(n *place.Node, list *Field) {
	if list.Item == nil {
		return
	}
	if list.Edge.From == "" || list.Edge.To == "" {
		n.Fault("an edge goes from one field to another", "add `from: FIELD, to: FIELD`")
		return
	}
	for _, name := range []string{list.Edge.From, list.Edge.To, list.Edge.Kind} {
		if name == "" {
			continue
		}
		if kid := list.Item.Child(name); kid != nil && kid.IsLeaf() {
			continue
		}
		var names []string
		for _, c := range list.Item.Fields {
			if c.IsLeaf() {
				names = append(names, c.Name)
			}
		}
		n.Fault(fmt.Sprintf("the edge names %q, not a value of an item", name), place.Suggest(name, names))
	}
}

// value gives an entity as it stands in a schema file.
func (e *Entity) value() value.Value {
	if len(e.Key) == 0 && e.Called == "" {
		return value.Boolean(true)
	}
	v := value.Obj()
	if len(e.Key) > 0 {
		v.Set("key", texts(e.Key))
	}
	if e.Called != "" {
		v.Set("called", value.Str(e.Called))
	}
	return v
}

func entityOf(v *value.Value) *Entity {
	e := &Entity{}
	if v.Kind == value.Object {
		if key := v.Get("key"); key != nil {
			e.Key = textsOf(key)
		}
		e.Called = strings.Clone(v.Word("called"))
	}
	return e
}

func (e *Edge) value() value.Value {
	v := value.Obj(value.Str(e.From).Named("from"), value.Str(e.To).Named("to"))
	if e.Kind != "" {
		v.Set("kind", value.Str(e.Kind))
	}
	return v
}

// Entities gives the fields that hold entities: groups, lists and texts; the record
// itself first, where the schema says so.
func (s *Schema) Entities() (all []*Field) {
	s.Root.Walk(func(f *Field, _ int) {
		if f.Entity != nil {
			all = append(all, f)
		}
	})
	return all
}
