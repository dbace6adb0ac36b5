package fill

import (
	"context"

	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/draft/printed"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/schema"
)

// byPrint fills the record with what the document prints beyond doubt. Nothing
// is asked.
func (w *filling) byPrint() {
	w.others, w.lost, w.missed, w.leftOver, w.normalized = nil, nil, nil, nil, nil
	got := printed.Sure(w.Schema, w.doc.Text)
	w.record, w.found, w.basis = record.Arrange(w.Schema, &got), nil, map[value.Pointer]string{}
	w.remember()
	n := 0
	eachLeaf(w.Schema.Root, "", &w.record, func(_ *schema.Field, _ value.Pointer, v *value.Value) {
		if !v.Empty() {
			n++
		}
	})
	w.trace.add(&trace.Printed{Values: n})
}

// print is the work of the model `printed`, which asks nothing: what it leaves is
// for the next, or for a person.
func (w *filling) print() {
	w.byPrint()
	w.stillUnread(w.unread())
	w.problems = w.check(&w.record)
	w.trace.add(&trace.Checked{Problems: w.problems})
}

// openFields gives the fields of the record that have no value so far, as paths
// of the schema: values, lists without items or with gaps in them, and groups
// with a gap, which are asked for whole, since a field alone may be taken for
// that of another group.
func (w *filling) openFields() (paths []string) {
	for _, f := range w.Schema.Record().Fields {
		if v := w.record.Get(f.Name); v.Empty() || hasGap(v) {
			paths = append(paths, f.Path)
		}
	}
	return paths
}

// hasGap tells whether a value, or the items of a list, are missing in a group or
// in some item of a list.
func hasGap(in *value.Value) bool {
	gap := false
	in.Walk(func(_ value.Pointer, v *value.Value) bool {
		gap = gap || v.Empty() || v.Kind == value.Array && len(v.Kids) == 0
		return !gap
	})
	return gap
}

// rest asks a model for the fields that have no value so far, showing it the
// others as given, and has what then is wrong repaired.
func (w *filling) rest(ctx context.Context, by *Model) (code record.Code, why string, err error) {
	w.others, w.missed = nil, nil
	paths := w.openFields()
	if len(paths) > 0 && !w.Schema.EachEntry() {
		given := w.record.Clone()
		p := &part{name: "the rest", schema: w.schemaOf(w.Schema, paths), style: prompt.Record, given: &given}
		pieces, err := w.asker(by).planOf([]*part{p})
		if err != nil {
			return record.NoAnswer, err.Error(), nil
		}
		w.long = len(pieces) > 1
		w.planned(pieces)
		if err := w.fillAll(ctx, pieces); err != nil {
			return "", "", err
		}
		var mine []*piece
		for _, x := range pieces {
			w.trace.steps = append(w.trace.steps, x.trace.steps...)
			mine = append(mine, x.leaves()...)
		}
		printedSo := w.record
		w.record, w.found = value.Value{}, nil
		w.addPart(mine, len(pieces))
		if w.record.Kind == value.Object {
			w.record = completed(&printedSo, &w.record)
		} else {
			w.record = printedSo
		}
		w.record, w.found = record.Arrange(w.Schema, &w.record), nil
		w.remember()
	}
	if err := w.again(ctx, by); err != nil {
		return "", "", err
	}
	w.problems = w.check(&w.record)
	w.trace.add(&trace.Checked{Problems: w.problems})
	return "", "", w.repair(ctx, by)
}

// completed gives a record with its gaps filled from another. A list that was
// asked for again is the other's, if that has any items.
func completed(record, from *value.Value) value.Value {
	switch {
	case from == nil || from.Empty():
		return record.Clone()
	case record.Empty():
		return from.Clone().Named(record.Name)
	case record.Kind == value.Object && from.Kind == value.Object && record.Get("amount") == nil:
		out := record.Clone()
		for i := range out.Kids {
			out.Kids[i] = completed(&record.Kids[i], from.Get(record.Kids[i].Name)).Named(record.Kids[i].Name)
		}
		return out
	case record.Kind == value.Array && from.Kind == value.Array && len(from.Kids) > 0:
		return from.Clone().Named(record.Name)
	}
	return record.Clone()
}
