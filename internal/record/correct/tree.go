package correct

import (
	"filler/internal/base/value"
	"filler/internal/schema"
)

// nested gives a record in which nothing stands but one value.
func nested(p value.Pointer, v *value.Value) value.Value {
	var out value.Value
	out.Put(p, *v)
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
	case f.IsLeaf() && v.Kind == value.Object:
		if inner := v.Get("value"); inner != nil {
			*v = inner.Clone().Named(v.Name)
		}
	}
}
