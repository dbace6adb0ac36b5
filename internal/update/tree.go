package update

import (
	"filler/internal/schema"
	"filler/internal/value"
)

// setAt puts a value at a place of a record, and makes the groups and lists on
// the way where they are missing.
func setAt(v *value.Value, p value.Pointer, to value.Value) {
	steps := p.Steps()
	for n, step := range steps {
		last := n == len(steps)-1
		if i, ok := value.ArrayIndex(step); ok && (v.Kind == value.Array || v.Kind == value.Null) {
			if v.Kind == value.Null {
				*v = value.List().Named(v.Name)
			}
			for len(v.Kids) <= i {
				v.Kids = append(v.Kids, value.Value{})
			}
			v = &v.Kids[i]
		} else {
			if v.Kind != value.Object {
				*v = value.Obj().Named(v.Name)
			}
			if v.Get(step) == nil {
				v.Kids = append(v.Kids, value.Value{Name: step})
			}
			v = v.Get(step)
		}
		if last {
			*v = to.Clone().Named(v.Name)
		}
	}
}

// nested gives a record in which nothing stands but one value.
func nested(p value.Pointer, v *value.Value) value.Value {
	var out value.Value
	if p == "" {
		return v.Clone().Named("")
	}
	setAt(&out, p, *v)
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
