package gold

import (
	"fmt"
	"slices"

	"filler/internal/schema"
	"filler/internal/value"
)

// Choice is how a leaf in which two reviewers differ was settled.
type Choice struct {
	Document string
	Path     value.Pointer
	Value    value.Value // Null: none
}

// ChoiceFrom reads a line of choices: `take` is "first", "second", or with
// "value" another value altogether. One that is null is open yet: false.
func ChoiceFrom(v *value.Value) (c Choice, made bool, err error) {
	text := func(name string) string {
		if kid := v.Get(name); kid != nil && kid.Kind == value.String {
			return kid.Text
		}
		return ""
	}
	c = Choice{Document: text("document"), Path: value.Pointer(text("path"))}
	if c.Document == "" || c.Path == "" || !c.Path.Valid() {
		return c, false, fmt.Errorf("a choice names `document` and `path`")
	}
	take := v.Get("take")
	switch {
	case take == nil || take.Kind == value.Null:
		return c, false, nil
	case take.Kind == value.String && (take.Text == "first" || take.Text == "second"):
		if kid := v.Get(take.Text); kid != nil {
			c.Value = kid.Clone().Named("")
		}
	case take.Kind == value.String && take.Text == "value" && v.Get("value") != nil:
		c.Value = v.Get("value").Clone().Named("")
	default:
		return c, false, fmt.Errorf("%s %s: `take` is \"first\", \"second\", or \"value\" with a member `value`", c.Document, c.Path)
	}
	return c, true, nil
}

// Settle gives the first reviewer's record with the choices put in. A place that
// the record has not yet is made; an item all of whose values are settled as none
// goes.
func Settle(s *schema.Schema, rec value.Value, choices []Choice) value.Value {
	out := rec.Clone()
	for _, c := range choices {
		put(&out, c.Path, c.Value)
	}
	prune(s.Root, &out)
	return out
}

func put(v *value.Value, p value.Pointer, to value.Value) {
	for _, step := range p.Steps() {
		if i, ok := value.ArrayIndex(step); ok && (v.Kind == value.Array || v.Kind == value.Null) {
			if v.Kind == value.Null {
				*v = value.List().Named(v.Name)
			}
			for len(v.Kids) <= i {
				v.Kids = append(v.Kids, value.Value{})
			}
			v = &v.Kids[i]
			continue
		}
		if v.Kind != value.Object {
			*v = value.Obj().Named(v.Name)
		}
		if v.Get(step) == nil {
			v.Kids = append(v.Kids, value.Value{Name: step})
		}
		v = v.Get(step)
	}
	*v = to.Clone().Named(v.Name)
}

// prune takes items without any value out of lists.
func prune(f *schema.Field, v *value.Value) {
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		for _, kid := range f.Fields {
			if at := v.Get(kid.Name); at != nil {
				prune(kid, at)
			}
		}
	case f.Type == schema.List && v.Kind == value.Array:
		v.Kids = slices.DeleteFunc(v.Kids, func(item value.Value) bool { return hollow(&item) })
		for i := range v.Kids {
			prune(f.Item, &v.Kids[i])
		}
	}
}

func hollow(v *value.Value) bool {
	if v.Kind != value.Object && v.Kind != value.Array {
		return v.Empty()
	}
	for i := range v.Kids {
		if !hollow(&v.Kids[i]) {
			return false
		}
	}
	return true
}
