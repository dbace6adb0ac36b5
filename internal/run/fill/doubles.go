package fill

import (
	"slices"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/correct"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// withoutDoubles turns corrections that would make an item of a list say what another item says
// already into its removal: a text that was misread stands in the list, and so does the right
// one, since its line was asked about.
func (w *filling) withoutDoubles(ops *value.Value) *value.Value {
	out := value.List()
	var places evidence.Places
	for _, op := range ops.Kids {
		at, to := value.Pointer(op.Word("path")), op.Get("value")
		if op.Word("op") == "replace" && !to.Empty() && w.isUnfound(at) {
			if places == nil {
				places = w.places(&w.record)
			}
			if item := w.itemAt(at); item != "" && w.isDouble(item, at, to, places) {
				op = value.Obj(value.Str("remove").Named("op"), value.Str(string(item)).Named("path"))
			}
		}
		out.Kids = append(out.Kids, op)
	}
	return &out
}

// itemAt gives the item of a list that a place is, or lies in; "" for none.
func (w *filling) itemAt(at value.Pointer) value.Pointer {
	for ; at != ""; at = at.Parent() {
		if f := w.Schema.At(at.Parent()); f != nil && f.Type == schema.List {
			return at
		}
	}
	return ""
}

// isDouble tells whether an item, with another value in a place of it, says no more than
// another item of its list, and the document says that value once.
func (w *filling) isDouble(item, at value.Pointer, to *value.Value, places evidence.Places) bool {
	f := w.Schema.At(item.Parent())
	own, list := w.record.At(item), w.record.At(item.Parent())
	if own == nil || list == nil || list.Kind != value.Array || w.record.At(at) == nil {
		return false
	}
	changed := value.Obj(own.Clone().Named("item"))
	changed.Put(value.Pointer("/item")+at[len(item):], *to)
	for i := range list.Kids {
		other := item.Parent().Index(i)
		if place := places[other+at[len(item):]]; other != item && place.Found() && place.Rivals == 0 && correct.Holds(f.Item, changed.Get("item"), &list.Kids[i]) {
			return true
		}
	}
	return false
}

// isUnfound tells whether a value stands nowhere, as its problem says.
func (w *filling) isUnfound(at value.Pointer) bool {
	return slices.ContainsFunc(w.problems, func(p record.Problem) bool { return p.Path == at && p.Code().Unfound() })
}
