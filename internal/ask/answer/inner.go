package answer

import (
	"fmt"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// wrapped is a place within a reply at which the record may stand.
type wrapped struct {
	v    *value.Value
	path value.Pointer
	deep int
}

// maxWrapped is how deep, and in how many places, the record is looked for.
const maxWrapped, maxPlaces = 3, 200

// Inner takes the record out of what stands around it: a wrapper or several, with
// or without other members beside them, the call of a tool in words, the schema
// filled in. It is looked for only where at most one member is a field's, and is
// then what has most fields.
func Inner(s *schema.Schema, v value.Value) (value.Value, []Deviation) {
	fields := s.Record()
	if s.EachEntry() {
		if list, deviations := entries(s, &v, 0); deviations != nil {
			return list, deviations
		}
	}
	if whole, ok := piecewise(fields, &v); ok {
		return whole, []Deviation{{Kind: Form, Note: "a list with a field an item in place of the record"}}
	}
	here := fieldsIn(fields, &v)
	if v.Kind != value.Object || here > 1 || v.Get(schema.Wrapper) != nil {
		return v, nil
	}
	var best wrapped
	most := 0
	queue := []wrapped{{&v, "", 0}}
	for places := 0; len(queue) > 0 && places < maxPlaces; places++ {
		at := queue[0]
		queue = queue[1:]
		n := fieldsIn(fields, at.v)
		if at.deep > 0 && n > most && 2*n >= members(at.v) {
			best, most = at, n
		}
		if at.v.Kind != value.Object || at.deep == maxWrapped {
			continue
		}
		for i := range at.v.Kids {
			kid := &at.v.Kids[i]
			if at.deep == 0 && child(fields, kid.Name) != nil {
				continue
			}
			inside := kid
			if inner, ok := jsonIn(kid); ok {
				inside = &inner
			}
			if inside.Kind == value.Object || inside.Kind == value.Array {
				queue = append(queue, wrapped{inside, at.path.Key(kid.Name), at.deep + 1})
			}
		}
	}
	if most <= here || here == 1 && most < 3 {
		return v, nil
	}
	out := best.v.Named("")
	deviations := []Deviation{{Kind: Wrapper, Note: fmt.Sprintf("the key %q around everything", strings.TrimPrefix(string(best.path), "/"))}}
	if out.Kind == value.Object {
		deviations = append(deviations, beside(fields, &v, best.path, &out)...)
	}
	return out, deviations
}

// piecewise makes a record of a list whose items hold a field each, as a bulleted
// list is read; also below a title.
func piecewise(fields *schema.Field, v *value.Value) (value.Value, bool) {
	if v.Kind == value.Object && len(v.Kids) == 1 && child(fields, v.Kids[0].Name) == nil {
		v = &v.Kids[0]
	}
	if v.Kind != value.Array || len(v.Kids) < 2 {
		return value.Value{}, false
	}
	whole, known := value.Obj(), 0
	for i := range v.Kids {
		item := &v.Kids[i]
		if item.Kind != value.Object || len(item.Kids) != 1 || whole.Get(item.Kids[0].Name) != nil {
			return value.Value{}, false
		}
		if child(fields, item.Kids[0].Name) != nil {
			known++
		}
		whole.Kids = append(whole.Kids, item.Kids[0])
	}
	return whole, 2*known > len(whole.Kids)
}

// Lone makes a record of a list, or of one item of it, that stands in place of a
// record whose one field it is. Without a deviation it is none.
func Lone(s *schema.Schema, v value.Value) (value.Value, *Deviation) {
	fields := s.Record().Fields
	if s.EachEntry() || len(fields) != 1 || fields[0].Type != schema.List {
		return v, nil
	}
	list, note := v.Named(fields[0].Name), "the list without its name"
	isItem := func(item *value.Value) bool {
		if fields[0].Item.Type != schema.Group {
			return item.Kind != value.Object && item.Kind != value.Array
		}
		return item.Kind == value.Object && child(s.Record(), firstName(item)) == nil && fieldsIn(fields[0].Item, item) > 0
	}
	switch v.Kind {
	case value.Array:
		for i := range v.Kids {
			if !isItem(&v.Kids[i]) {
				return v, nil
			}
		}
	case value.Object:
		if fields[0].Item.Type != schema.Group || !isItem(&v) || 2*fieldsIn(fields[0].Item, &v) < len(v.Kids) {
			return v, nil
		}
		list, note = value.List(v.Named("")).Named(fields[0].Name), "one item without its list"
	default:
		return v, nil
	}
	return value.Obj(list), &Deviation{Kind: Form, Note: note}
}

func firstName(v *value.Value) string {
	if len(v.Kids) == 0 {
		return ""
	}
	return v.Kids[0].Name
}

// beside adds to a record the fields that stand beside it, in the wrapper or in
// other sections of it. One that the record has already, with another value, is
// told as left aside.
func beside(fields *schema.Field, all *value.Value, at value.Pointer, out *value.Value) (deviations []Deviation) {
	all.Walk(func(p value.Pointer, v *value.Value) bool {
		if at.Within(p) && at != p { // around the record
			return !isForm(v)
		}
		if p.Within(at) || v.Kind == value.Array {
			return false
		}
		f := child(fields, v.Name)
		if f == nil {
			return v.Kind == value.Object
		}
		own := fieldOf(out, v.Name, f.Name)
		switch {
		case v.Kind == value.Null || v.Empty():
		case own == nil:
			out.Kids = append(append([]value.Value{}, out.Kids...), v.Clone().Named(f.Name))
			deviations = append(deviations, Deviation{Kind: Wrapper, Note: fmt.Sprintf("%s from another section of the reply", f.Name)})
		case own.Empty():
			*own = v.Clone().Named(own.Name)
			deviations = append(deviations, Deviation{Kind: Wrapper, Note: fmt.Sprintf("%s from another section of the reply", f.Name)})
		case !value.Equal(own, v):
			deviations = append(deviations, Deviation{Kind: LeftAside, Note: fmt.Sprintf("%s: %s", p, shorten(v.String()))})
		}
		return false
	})
	return deviations
}

// isForm tells whether an object is the call of a tool, or a schema, whose own
// members say nothing of the document.
func isForm(v *value.Value) bool {
	for _, name := range []string{"arguments", "parameters", "input", "function", "properties", "$schema"} {
		if v.Get(name) != nil {
			return true
		}
	}
	return false
}

func fieldOf(v *value.Value, names ...string) *value.Value {
	for _, name := range names {
		if at := v.Get(name); at != nil {
			return at
		}
	}
	return nil
}

func members(v *value.Value) int {
	if v.Kind == value.Array && len(v.Kids) > 0 {
		v = &v.Kids[0]
	}
	return len(v.Kids)
}

// entries makes a list of records of what holds them by number or title, of a list
// in a list, and of records that each have something around them. Without deviations it
// is none of these.
func entries(s *schema.Schema, v *value.Value, deep int) (value.Value, []Deviation) {
	fields := s.Record()
	switch {
	case v.Kind == value.Array && len(v.Kids) == 1 && v.Kids[0].Kind == value.Array && fieldsIn(fields, &v.Kids[0]) > 0:
		return v.Kids[0].Named(""), []Deviation{{Kind: Form, Note: "a list around the list of records"}}
	case v.Kind == value.Array:
		list := value.List()
		for i := range v.Kids {
			item := &v.Kids[i]
			if item.Kind != value.Object || len(item.Kids) != 1 || child(fields, item.Kids[0].Name) != nil || fieldsIn(fields, &item.Kids[0]) == 0 || item.Kids[0].Kind != value.Object {
				return *v, nil
			}
			list.Kids = append(list.Kids, item.Kids[0].Named(""))
		}
		if len(list.Kids) == 0 {
			return *v, nil
		}
		return list, []Deviation{{Kind: Wrapper, Note: fmt.Sprintf("the key %q around each record", v.Kids[0].Kids[0].Name)}}
	case v.Kind != value.Object:
		return *v, nil
	case fieldsIn(fields, v) > 0:
		if list, ok := columns(fields, v); ok {
			return list, []Deviation{{Kind: Form, Note: "columns in place of records"}}
		}
		return *v, nil
	}
	if len(v.Kids) == 1 && deep < maxWrapped {
		if list, deviations := entries(s, &v.Kids[0], deep+1); deviations != nil {
			return list, append(deviations, Deviation{Kind: Wrapper, Note: fmt.Sprintf("the key %q around everything", v.Kids[0].Name)})
		}
		return *v, nil
	}
	for i := range v.Kids {
		if k := &v.Kids[i]; k.Kind != value.Object || 2*fieldsIn(fields, k) < len(k.Kids) || len(k.Kids) == 0 {
			return *v, nil
		}
	}
	x := &shaper{schema: s}
	list := *v
	x.listOf(s.Root, "", &list)
	return list, x.deviations
}

// jsonIn reads JSON within a string, as the arguments of a call are written.
func jsonIn(v *value.Value) (value.Value, bool) {
	text := strings.TrimSpace(v.Text)
	if v.Kind != value.String || !strings.HasPrefix(text, "{") && !strings.HasPrefix(text, "[") {
		return value.Value{}, false
	}
	r, err := Read(text, value.Object)
	return r.Value, err == nil
}
