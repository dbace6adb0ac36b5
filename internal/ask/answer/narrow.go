package answer

import (
	"slices"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// A model that is asked about one value of an item, or of a map, often gives all of the item
// or the map. What it says there of the faulty places is what was asked for.

// narrowed gives an operation as those on the faulty places below its own, where it gives all that
// holds them, which has no problem itself. Other operations stay as they are.
func (x *shaper) narrowed(record *value.Value, faulty []value.Pointer, op value.Value) []value.Value {
	p, said := value.Pointer(op.Word("path")), op.Get("value")
	was := record.At(p)
	if op.Word("op") != "replace" || said == nil || was == nil || p == "" {
		return []value.Value{op}
	}
	f := x.schema.Holding(p)
	if f != nil && f.Type == schema.Any && x.schema.At(p) == nil && said.Kind == value.Null {
		if whole := record.At(p.Parent()); whole != nil && whole.Kind == value.Object { // an entry that is not in the document
			op.Set("op", value.Str("remove"))
			op.Drop("value")
			return []value.Value{op}
		}
	}
	if slices.ContainsFunc(faulty, p.Within) || !slices.ContainsFunc(faulty, func(q value.Pointer) bool { return q.Within(p) }) {
		return []value.Value{op}
	}
	if inner, ok := jsonIn(said); ok && was.Kind != value.String {
		said = &inner
	}
	if f != nil && f.Type == schema.Any {
		if form := f.AnyForm(); form != nil && x.schema.At(p) != nil {
			if turned, ok := form.Turned(said); ok {
				said = &turned
			}
		}
	}
	if said.Kind != was.Kind || said.Kind != value.Object && said.Kind != value.Array {
		return []value.Value{op}
	}
	var all []value.Value
	for _, q := range faulty {
		if !q.Within(p) || q == p {
			continue
		}
		if one, ok := x.one(record, said, p, q, &op); ok {
			all = append(all, one)
		}
	}
	if len(all) == 0 {
		return []value.Value{op}
	}
	x.deviate(Form, p, "all of it in place of what is wrong in it")
	return all
}

// one gives the operation on a faulty place q below p, of which a reply gave all.
func (x *shaper) one(record, said *value.Value, p, q value.Pointer, op *value.Value) (value.Value, bool) {
	now, was := said.At(q[len(p):]), record.At(q)
	out := value.Obj(value.Str("replace").Named("op"), value.Str(string(q)).Named("path"))
	switch {
	case was == nil || now != nil && value.Equal(now, was):
		return out, false
	case now == nil && x.schema.At(q) == nil: // left out of a map
		out.Set("op", value.Str("remove"))
	case now == nil:
		return out, false
	default:
		out.Set("value", now.Clone())
	}
	if words := op.Get("quote"); words != nil {
		out.Set("quote", words.Clone())
	}
	return out, true
}
