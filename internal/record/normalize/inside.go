package normalize

import (
	"slices"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// inside normalizes what stands within a value of any form, as far as a `map`, a `tuple` or its
// JSON Schema says of what type it is. An entry of a map that says "unknown" is none.
func (t *pass) inside(in schema.Inner, p value.Pointer, v *value.Value) {
	switch {
	case v.Empty():
	case v.Kind == value.Object && !schema.IsAmount(v):
		var none []string
		for i := range v.Kids {
			kid := &v.Kids[i]
			was := kid.Kind
			if t.inside(in.Member(kid.Name), p.Key(kid.Name), kid); in.Free() && kid.Kind == value.Null && was != value.Null {
				none = append(none, kid.Name)
			}
		}
		v.Kids = slices.DeleteFunc(v.Kids, func(kid value.Value) bool { return slices.Contains(none, kid.Name) })
	case v.Kind == value.Array:
		for i := range v.Kids {
			t.inside(in.Item(i), p.Index(i), &v.Kids[i])
		}
	default:
		if f := in.Typed(); f != nil {
			t.leaf(f, p, v)
		}
	}
}
