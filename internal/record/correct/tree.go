package correct

import (
	"filler/internal/base/value"
	"filler/internal/schema"
)

// nested gives a record in which nothing stands but one value.
func (t *turn) nested(p value.Pointer, v *value.Value) value.Value {
	out, steps := v.Clone().Named(""), p.Steps()
	for i := len(steps) - 1; i >= 0; i-- {
		p = p.Parent()
		f, was := t.Schema.At(p), t.Record.At(p)
		k, isIndex := value.ArrayIndex(steps[i])
		if isIndex && (f != nil && f.Type == schema.List || (f == nil || f.Type == schema.Any) && was != nil && was.Kind == value.Array) {
			out = value.Value{Kind: value.Array, Kids: append(make([]value.Value, k), out)}
			continue
		}
		out = value.Obj(out.Named(steps[i]))
	}
	return out
}

// unpack takes values out of {"value": …, "basis": …}: the words of the operation
// are what they rest on.
func unpack(f *schema.Field, v *value.Value) {
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		for i := range v.Kids {
			if kid := f.Child(v.Kids[i].Name); kid != nil {
				unpack(kid, &v.Kids[i])
			}
		}
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			unpack(f.Item, &v.Kids[i])
		}
	case f.Type == schema.Any:
		if form := f.AnyForm(); form != nil {
			if turned, ok := form.Turned(v); ok {
				*v = turned.Named(v.Name)
			}
		}
	case f.IsLeaf() && v.Kind == value.Object:
		if inner := v.Get("value"); inner != nil {
			*v = inner.Clone().Named(v.Name)
		}
	}
}
