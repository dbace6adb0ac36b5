package record

import (
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Renew gives the values of a record the names that their fields have now, in place, where
// the schema says what a field was called (`was`). A record that has both names keeps
// both: which of them is right is for a person. told, which may be nil, hears of each
// value that moves; the result tells whether any did.
func Renew(s *schema.Schema, rec *value.Value, told func(schema.Renaming)) bool {
	if !s.HasRenamed() {
		return false
	}
	if told == nil {
		told = func(schema.Renaming) {}
	}
	return renew(s.Root, rec, told)
}

// renew goes from the outermost items inwards.
func renew(f *schema.Field, v *value.Value, told func(schema.Renaming)) (changed bool) {
	switch {
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			changed = renew(f.Item, &v.Kids[i], told) || changed
		}
	case f.Type == schema.Group && v.Kind == value.Object:
		for _, r := range f.Renamings() {
			if move(v, r.From, r.To) {
				changed = true
				told(r)
			}
		}
		changed = renewLists(f, v, told) || changed
	}
	return changed
}

// renewLists renews the items of all lists of a record or item.
func renewLists(f *schema.Field, v *value.Value, told func(schema.Renaming)) (changed bool) {
	for _, kid := range f.Fields {
		at := v.Get(kid.Name)
		switch {
		case at == nil:
		case kid.Type == schema.List:
			changed = renew(kid, at, told) || changed
		case kid.Type == schema.Group && at.Kind == value.Object:
			changed = renewLists(kid, at, told) || changed
		}
	}
	return changed
}

// move takes a value from one place below an object to another that has none; groups on
// the way are made, and those that are left without anything go. Two values stay both.
func move(v *value.Value, from, to []string) bool {
	at, there := step(v, from), step(v, to)
	switch {
	case at == nil || there != nil && !there.Empty() && !at.Empty():
		return false
	case there != nil && at.Empty():
		drop(v, from)
		return true
	case there != nil:
		drop(v, to)
		at = step(v, from)
	}
	if slices.Equal(from[:len(from)-1], to[:len(to)-1]) { // a renamed member stays where it stands
		at.Name = to[len(to)-1]
		return true
	}
	into := v
	for _, name := range to[:len(to)-1] {
		next := into.Get(name)
		if next == nil {
			into.Kids = append(slices.Clip(into.Kids), value.Value{Kind: value.Object, Name: name})
			next = &into.Kids[len(into.Kids)-1]
		}
		if next.Kind == value.Null { // a group without a value
			*next = value.Value{Kind: value.Object, Name: name}
		}
		if next.Kind != value.Object {
			return false
		}
		into = next
	}
	moved := *step(v, from)
	into.Kids = append(slices.Clip(into.Kids), moved.Named(to[len(to)-1]))
	drop(v, from)
	return true
}

// step follows names through objects.
func step(v *value.Value, names []string) *value.Value {
	for _, name := range names {
		if v == nil || v.Kind != value.Object {
			return nil
		}
		v = v.Get(name)
	}
	return v
}

// drop takes out what stands at a place, and the objects on the way that have nothing
// else.
func drop(v *value.Value, names []string) {
	if len(names) > 1 {
		kid := v.Get(names[0])
		drop(kid, names[1:])
		if len(kid.Kids) > 0 {
			return
		}
	}
	v.Drop(names[0])
}

// Renew gives what a line says of its values the places that these have now.
func (l *Line) Renew(s *schema.Schema) {
	if !Renew(s, &l.Record, nil) {
		return
	}
	for _, places := range []*value.Value{&l.Evidence, &l.Risk} {
		places.Kids = RenewPlaces(s, places.Kids)
	}
	for i := range l.Problems {
		l.Problems[i].Path = s.NowAt(l.Problems[i].Path)
	}
	for i := range l.History.Kids {
		if at := l.History.Kids[i].Get("path"); at != nil {
			at.Text = string(s.NowAt(value.Pointer(at.Text)))
		}
	}
}

// RenewPlaces gives members that are named by a place in a record the names of now.
func RenewPlaces(s *schema.Schema, members []value.Value) []value.Value {
	out := slices.Clone(members)
	for i := range out {
		if strings.HasPrefix(out[i].Name, "/") { // and not what is said of a line
			out[i].Name = string(s.NowAt(value.Pointer(out[i].Name)))
		}
	}
	return out
}
