package pair

import (
	"filler/internal/base/value"
	"filler/internal/schema"
)

// A map holds what it says under names of its own: its values are paired by these names, and each
// is a leaf, also in maps within it. An amount with its currency or unit is one leaf, and so is an
// array.

// HasEntries tells whether a value of a field is looked at name by name.
func HasEntries(f *schema.Field, v *value.Value) bool {
	return v != nil && v.Kind == value.Object && !v.Empty() && f.IsMap() && !schema.IsAmount(v)
}

// Entries tells what two objects have under each name, the names of gold first, each side in its
// own order; nil where a side has not the name. Names with nothing under them on both sides are
// passed over. Either may be nil.
func Entries(gold, filled *value.Value, tell func(name string, gold, filled *value.Value)) {
	g, d := named(gold), named(filled)
	each := func(side *value.Value, do func(name string)) {
		if side == nil {
			return
		}
		told := map[string]bool{}
		for i := range side.Kids {
			if name := side.Kids[i].Name; !told[name] {
				told[name] = true
				do(name)
			}
		}
	}
	each(gold, func(name string) {
		if !g[name].Empty() || !d[name].Empty() {
			tell(name, g[name], d[name])
		}
	})
	each(filled, func(name string) {
		if _, is := g[name]; !is && !d[name].Empty() {
			tell(name, nil, d[name])
		}
	})
}

// named gives the members of an object by name; of a repeated one the last, as Get does.
func named(v *value.Value) map[string]*value.Value {
	if v == nil {
		return nil
	}
	out := make(map[string]*value.Value, len(v.Kids))
	for i := range v.Kids {
		out[v.Kids[i].Name] = &v.Kids[i]
	}
	return out
}

// entriesOf counts the leaves of a value of a field with entries.
func entriesOf(f *schema.Field, v *value.Value) int32 {
	switch {
	case v.Empty():
		return 0
	case !HasEntries(f, v):
		return 1
	}
	n := int32(0)
	Entries(v, nil, func(_ string, v, _ *value.Value) { n += entriesOf(f, v) })
	return n
}

// entriesAlike is alike for values of which at least one has entries.
func entriesAlike(f *schema.Field, gold, filled *value.Value) (sum float64, leaves int) {
	g, d := HasEntries(f, gold), HasEntries(f, filled)
	switch {
	case gold.Empty():
		return 0, int(entriesOf(f, filled))
	case filled.Empty():
		return 0, int(entriesOf(f, gold))
	case !g && !d:
		return likeness(f, gold, filled), 1
	case g != d:
		return 0, int(entriesOf(f, gold) + entriesOf(f, filled))
	}
	Entries(gold, filled, func(_ string, x, y *value.Value) {
		s, n := entriesAlike(f, x, y)
		sum, leaves = sum+s, leaves+n
	})
	return sum, leaves
}
