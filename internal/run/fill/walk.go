package fill

import (
	"errors"

	"filler/internal/ask/model"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// eachLeaf calls do for every value of a record that stands at a leaf of the
// schema, with its field and pointer. do may change the value.
func eachLeaf(f *schema.Field, p value.Pointer, v *value.Value, do func(f *schema.Field, p value.Pointer, v *value.Value)) {
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		for i := range v.Kids {
			if kid := f.Child(v.Kids[i].Name); kid != nil {
				eachLeaf(kid, p.Key(kid.Name), &v.Kids[i], do)
			}
		}
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			eachLeaf(f.Item, p.Index(i), &v.Kids[i], do)
		}
	case f.IsLeaf():
		do(f, p, v)
	}
}

// ends tells whether an error of a model ends the work on a document for now:
// the run was stopped, or can't go on. Others are outcomes of one request.
func ends(err error) bool {
	var fail *model.Failure
	return !errors.As(err, &fail) || fail.Fatal || fail.Stopped || fail.Later
}
