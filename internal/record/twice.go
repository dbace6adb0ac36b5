package record

import (
	"strings"

	"filler/internal/base/value"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// Twins finds the items of lists that have the key of an item before them: a key
// identifies. Items whose key is not all stated have none. Ordered lists may say
// a thing twice. It is no matter of the schema's form, and a gold set may hold
// what documents print twice: Check does not look for it.
func Twins(s *schema.Schema, record *value.Value) []Problem {
	t := &twins{}
	t.field(s.Root, "", record)
	return t.problems
}

type twins struct{ problems []Problem }

func (t *twins) field(f *schema.Field, p value.Pointer, v *value.Value) {
	switch {
	case v == nil:
	case f.Type == schema.Group && v.Kind == value.Object:
		for _, kid := range f.Fields {
			if !kid.IsLeaf() {
				t.field(kid, p.Key(kid.Name), v.Get(kid.Name))
			}
		}
	case f.Type == schema.List && v.Kind == value.Array && f.Item.Type == schema.Group:
		first := map[string]int{}
		for i := range v.Kids {
			t.field(f.Item, p.Index(i), &v.Kids[i])
			key, says := keyOf(f, &v.Kids[i])
			if key == "" || f.Ordered {
				continue
			}
			if at, seen := first[key]; seen {
				t.problems = append(t.problems, Problem{Path: p.Index(i), What: SameKey{Key: says, First: p.Index(at)}})
				continue
			}
			first[key] = i
		}
	}
}

// keyOf gives the key of an item, to compare and for people; "" where a part of
// it is not stated.
func keyOf(f *schema.Field, item *value.Value) (key, says string) {
	var keys, said []string
	for _, name := range f.Key {
		kid, v := f.Item.Child(name), item.Get(name)
		if kid == nil || v.Empty() {
			return "", ""
		}
		keys = append(keys, pair.Canonical(kid, v))
		text := v.Text
		if v.Kind == value.Object {
			text = v.Named("").String()
		}
		said = append(said, name+" "+text)
	}
	return strings.Join(keys, "\x00"), strings.Join(said, ", ")
}
