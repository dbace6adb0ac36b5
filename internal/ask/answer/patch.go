package answer

import (
	"fmt"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Patch gives what a reply asks to change in a record, as operations of RFC 6902
// with the words they rest on. Asked for are corrections,
//
//	{"at": "/bays/0/number", "value": 1, "quote": "Bay 1"}
//
// where "/bays/-" adds an item, null empties and "remove": true takes an item
// out; operations of a JSON Patch are understood as well: taken out of what stands around them, with paths and words of other
// spellings put right. A reply that is the record itself, corrected, becomes the
// operations that bring its values to the faulty places, and to no others. A list
// of plain values all of which are faulty is one place: 4, 5 and 6 for "4-6".
// Without operations the list is empty.
func Patch(s *schema.Schema, record *value.Value, faulty []value.Pointer, r Result) (value.Value, []Deviation) {
	x := &shaper{schema: s}
	faulty = wholeLists(s, record, faulty)
	ops := x.operations(&r)
	if len(faulty) > 0 && !slices.ContainsFunc(ops.Kids, func(v value.Value) bool { return v.Get("path") != nil || isCorrection(&v) }) {
		if whole := x.fromRecord(record, faulty, r.Value); len(whole.Kids) > 0 {
			ops = whole
		}
	}
	out := value.List()
	for i := range ops.Kids {
		op := x.operation(record, ops.Kids[i])
		x.forWholeList(faulty, &op)
		out.Kids = append(out.Kids, x.narrowed(record, faulty, op)...)
	}
	return out, x.deviations
}

// wholeLists gives the faulty places, and for all items of a plain list that list.
func wholeLists(s *schema.Schema, record *value.Value, faulty []value.Pointer) (all []value.Pointer) {
	is := map[value.Pointer]bool{}
	for _, p := range faulty {
		is[p] = true
	}
	whole, kept := map[value.Pointer]bool{}, map[value.Pointer]bool{}
	for _, p := range faulty {
		list := p.Parent()
		if _, known := whole[list]; !known {
			f := s.At(list)
			whole[list] = p != "" && f != nil && f.Type == schema.List && f.Item.IsLeaf() && list.EachItem(record, is)
		}
		if whole[list] {
			p = list
		}
		if !kept[p] {
			kept[p] = true
			all = append(all, p)
		}
	}
	return all
}

// forWholeList has an operation that gives a list for an item of a plain list, all of which is faulty,
// give it for the list.
func (x *shaper) forWholeList(faulty []value.Pointer, op *value.Value) {
	p, said := value.Pointer(op.Word("path")), op.Get("value")
	if said == nil || said.Kind != value.Array || p == "" || !slices.Contains(faulty, p.Parent()) {
		return
	}
	if f := x.schema.At(p.Parent()); f != nil && f.Type == schema.List && f.Item.IsLeaf() {
		op.Set("path", value.Str(string(p.Parent())))
		op.Set("op", value.Str("replace"))
		x.deviate(Form, p, "a list in place of one of its items")
	}
}

func isOperation(v *value.Value) bool {
	return v.Kind == value.Object && v.Get("path") != nil && (v.Get("op") != nil || v.Get("value") != nil) || isCorrection(v)
}

func isCorrection(v *value.Value) bool {
	at := v.Get("at")
	return v.Kind == value.Object && at != nil && at.Kind == value.String && (v.Get("value") != nil || v.Word("remove") == "true")
}

// operations finds the operations in a reply.
func (x *shaper) operations(r *Result) value.Value {
	if len(r.All) > 1 && !slices.ContainsFunc(r.All, func(v value.Value) bool { return !isOperation(&v) }) {
		if r.Value.Kind != value.Array {
			x.deviate(Form, "", fmt.Sprintf("%d operations side by side in place of a list", len(r.All)))
			return value.List(r.All...)
		}
	}
	if r.Value.Kind == value.Array {
		return r.Value.Clone()
	}
	queue := []wrapped{{&r.Value, "", 0}}
	for places := 0; len(queue) > 0 && places < maxPlaces; places++ {
		at := queue[0]
		queue = queue[1:]
		switch {
		case isOperation(at.v):
			return value.List(at.v.Clone().Named(""))
		case at.v.Kind == value.Array && len(at.v.Kids) > 0 && isOperation(&at.v.Kids[0]):
			if name := strings.TrimPrefix(string(at.path), "/"); name != Corrections {
				x.deviate(Wrapper, "", fmt.Sprintf("the key %q around the corrections", name))
			}
			return at.v.Clone().Named("")
		case at.v.Kind == value.Array && len(at.v.Kids) == 0 && string(at.path) == "/"+Corrections:
			return value.List()
		case at.v.Kind != value.Object || at.deep == maxWrapped:
			continue
		case isByPath(at.v):
			x.deviate(Form, at.path, "an object of paths in place of a patch")
			ops := value.List()
			for i := range at.v.Kids {
				k := at.v.Kids[i].Clone()
				ops.Kids = append(ops.Kids, value.Obj(value.Str("replace").Named("op"), value.Str(k.Name).Named("path"), k.Named("value")))
			}
			return ops
		}
		for i := range at.v.Kids {
			kid := &at.v.Kids[i]
			if inner, ok := jsonIn(kid); ok {
				kid = &inner
			}
			queue = append(queue, wrapped{kid, at.path.Key(at.v.Kids[i].Name), at.deep + 1})
		}
	}
	return value.List()
}

func isByPath(v *value.Value) bool {
	for i := range v.Kids {
		if !strings.HasPrefix(v.Kids[i].Name, "/") {
			return false
		}
	}
	return len(v.Kids) > 0
}

// fromRecord makes the operations that bring what a whole record says to the
// faulty places.
func (x *shaper) fromRecord(record *value.Value, faulty []value.Pointer, v value.Value) value.Value {
	whole, _ := Inner(x.schema, v)
	if inner := whole.Get(schema.Wrapper); x.schema.EachEntry() && inner != nil {
		whole = inner.Named("")
	}
	ops := value.List()
	if whole.Kind != record.Kind || 2*fieldsIn(x.schema.Record(), &whole) < members(&whole) {
		return ops
	}
	for _, p := range faulty {
		said, was := whole.At(p), record.At(p)
		if p == "" || said == nil || was == nil || value.Equal(said, was) {
			continue
		}
		ops.Kids = append(ops.Kids, value.Obj(value.Str("replace").Named("op"), value.Str(string(p)).Named("path"), said.Clone().Named("value")))
	}
	if len(ops.Kids) > 0 {
		x.deviate(Form, "", "a whole record in place of a patch; its values were taken for the paths with problems")
	}
	return ops
}

// Corrections is the key of the list in a reply that corrects.
const Corrections = "corrections"

// asOperation gives the operation that a correction stands for.
func asOperation(record *value.Value, c *value.Value) value.Value {
	at := pathOf(record, c.Word("at"))
	op, v := "replace", c.Get("value")
	switch {
	case c.Word("remove") == "true":
		op, v = "remove", nil
	case record.At(at) == nil:
		op = "add"
	}
	out := value.Obj(value.Str(op).Named("op"), value.Str(string(at)).Named("path"))
	if v != nil {
		out.Kids = append(out.Kids, v.Clone().Named("value"))
	}
	if words := c.Get("quote"); words != nil {
		out.Kids = append(out.Kids, words.Clone().Named("quote"))
	}
	return out
}

// otherWords are words that models use for the operations and their members.
var otherWords = map[string]string{"update": "replace", "set": "replace", "change": "replace", "delete": "remove", "insert": "add"}

func (x *shaper) operation(record *value.Value, op value.Value) value.Value {
	if op.Kind != value.Object {
		return op
	}
	if isCorrection(&op) && op.Get("path") == nil {
		return asOperation(record, &op)
	}
	if what := op.Get("op"); what == nil {
		op.Set("op", value.Str("replace"))
		x.deviate(Form, "", "an operation without its word: replace")
	} else if word := strings.ToLower(strings.TrimSpace(what.Text)); what.Kind == value.String {
		if other := otherWords[word]; other != "" {
			word = other
		}
		if word != what.Text {
			x.deviate(Form, "", fmt.Sprintf("the operation %q: %s", what.Text, word))
			op.Set("op", value.Str(word))
		}
	}
	if op.Get("value") == nil {
		for _, name := range []string{"new_value", "newValue", "new"} {
			if v := op.Get(name); v != nil {
				op.Set("value", v.Clone())
				x.deviate(Form, "", fmt.Sprintf("%q in place of `value`", name))
				break
			}
		}
	}
	for _, name := range []string{"path", "from"} {
		if at := op.Get(name); at != nil && at.Kind == value.String {
			if p := pathOf(record, at.Text); string(p) != at.Text {
				x.deviate(Form, "", fmt.Sprintf("the path %q: %s", at.Text, p))
				op.Set(name, value.Str(string(p)))
			}
		}
	}
	return op
}

// pathOf gives the pointer that a path in another spelling means, where it leads
// to something in the record or to its end: `bays[0].number`, `$.bays[0]`,
// `/record/bays/0`. Any other stays as it is.
func pathOf(record *value.Value, text string) value.Pointer {
	if p := value.Pointer(text); p.Valid() && leadsTo(record, p) {
		return p
	}
	steps := strings.FieldsFunc(flatSigns.ReplaceAllString(strings.TrimPrefix(text, "$"), "/"), func(r rune) bool { return r == '/' })
	for skip := 0; skip <= 1 && skip < len(steps); skip++ {
		var p value.Pointer
		for _, step := range steps[skip:] {
			p = p.Key(step)
		}
		if leadsTo(record, p) && (skip == 0 || strings.HasPrefix(strings.ToLower(steps[0]), "record")) {
			return p
		}
	}
	return value.Pointer(text)
}

// leadsTo tells whether a pointer leads to a value, or to a place right behind or
// within one.
func leadsTo(record *value.Value, p value.Pointer) bool {
	if record.At(p) != nil {
		return true
	}
	steps := p.Steps()
	if len(steps) == 0 {
		return false
	}
	var parent value.Pointer
	for _, step := range steps[:len(steps)-1] {
		parent = parent.Key(step)
	}
	at := record.At(parent)
	if at == nil || len(steps) == 1 && at.Kind == value.Object {
		return false // any word would lead into the record itself
	}
	_, isIndex := value.ArrayIndex(steps[len(steps)-1])
	return at.Kind == value.Object || at.Kind == value.Array && (isIndex || steps[len(steps)-1] == "-")
}
