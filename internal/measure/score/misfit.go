package score

import (
	"strconv"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// misfits counts the values of a record that have no place in the schema: fields that it
// has not, or has once and the record twice, and values of another kind than the field's:
// a text where a list or a group belongs, an object where a text does. All leaves below
// count as they would without them; but no record that has one is fully correct.
func misfits(f *schema.Field, v *value.Value) (n int) {
	switch {
	case v == nil || v.Kind == value.Null:
	case f.Type == schema.Group:
		if v.Kind != value.Object {
			return 1
		}
		for i := range v.Kids {
			kid := f.Child(v.Kids[i].Name)
			if kid == nil || v.Get(v.Kids[i].Name) != &v.Kids[i] {
				n++
				continue
			}
			n += misfits(kid, &v.Kids[i])
		}
	case f.Type == schema.List:
		if v.Kind != value.Array {
			return 1
		}
		for i := range v.Kids {
			if v.Kids[i].Kind == value.Null { // an item that is nothing
				n++
				continue
			}
			n += misfits(f.Item, &v.Kids[i])
		}
	case f.Type == schema.Any:
		if f.IsMap() && v.Kind != value.Object {
			return 1
		}
	case v.Kind == value.Array:
		return 1
	case v.Kind == value.Object:
		if k := f.Kin().Type; k != schema.Money && k != schema.Quantity {
			return 1
		}
	}
	return n
}

// misfitsOf counts those of a document; bad are the records that have any, by their number.
func (sc *Scorer) misfitsOf(filled *value.Value) (n int, bad map[string]bool) {
	if filled == nil {
		return 0, nil
	}
	if !sc.schema.EachEntry() || filled.Kind != value.Array {
		return misfits(sc.schema.Root, filled), nil
	}
	for i := range filled.Kids {
		if own := misfits(sc.schema.Record(), &filled.Kids[i]); own > 0 {
			if n += own; bad == nil {
				bad = map[string]bool{}
			}
			bad[strconv.Itoa(i)] = true
		}
	}
	return n, bad
}
