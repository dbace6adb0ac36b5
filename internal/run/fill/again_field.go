package fill

import (
	"context"
	"strings"

	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/normalize"
	"filler/internal/record/trace"
	"filler/internal/schema"
)

// maxAskedAgain bounds how many fields of one record are asked for again, each by
// itself.
const maxAskedAgain = 6

// askFields asks again for fields that are still wrong, each as a question of its own. An
// answer is let through like any patch: only where it makes nothing worse.
func (w *filling) askFields(ctx context.Context, by *Model) error {
	if w.Rounds == 0 || by.prints() || w.doc == nil || w.long || len(w.images()) > 0 {
		return nil
	}
	asked := 0
	for _, p := range append([]record.Problem(nil), w.problems...) {
		field := w.Schema.At(p.Path)
		if field == nil || !field.IsLeaf() || strings.Contains(field.Path, "[]") || w.Schema.EachEntry() || asked == maxAskedAgain || !fixable(p.Code()) || w.refused[p.Path] == "" {
			continue
		}
		asked++
		x := &piece{by: by, part: &part{name: field.Path, schema: w.schemaOf(w.Schema, []string{field.Path}), style: prompt.ByField, field: field}, step: "ask again " + field.Path, w: w, index: w.index}
		if err := x.fill(ctx); err != nil {
			return err
		}
		w.trace.steps = append(w.trace.steps, x.trace.steps...)
		got := x.record.At(p.Path)
		if x.code != "" || got.Empty() && (!p.Code().Unfound() || !x.unstated) {
			continue
		}
		if got.Empty() { // asked by itself, the model does not hold on to what stands nowhere
			got = &value.Value{}
		}
		w.letIn(x, p.Path, got)
	}
	return nil
}

// schemaOf gives the part of a schema that asks for some fields alone. It is
// made once, since what prompts say of a schema is kept with it.
func (f *Filler) schemaOf(s *schema.Schema, paths []string) *schema.Schema {
	type key struct {
		of    *schema.Schema
		paths string
	}
	k := key{s, strings.Join(paths, "\n")}
	if got, ok := f.partial.Load(k); ok {
		return got.(*schema.Schema)
	}
	got, _ := f.partial.LoadOrStore(k, s.Part(paths))
	return got.(*schema.Schema)
}

// fixable tells problems that another value of the field can fix.
func fixable(c record.Code) bool {
	switch c {
	case record.Missing, record.Type, record.Choice, record.Pattern, record.Range, record.Format, record.Length, record.NoEvidence, record.Against:
		return true
	}
	return false
}

// letIn puts an answer into the record, if it is within the bounds of a patch.
func (w *filling) letIn(x *piece, p value.Pointer, got *value.Value) {
	op := "replace"
	if w.record.At(p) == nil {
		op = "add"
	}
	ops := value.List(value.Obj(value.Str(op).Named("op"), value.Str(string(p)).Named("path"), got.Clone().Named("value")))
	before := w.basis[p]
	if words, ok := x.basis[p]; ok {
		if w.basis == nil {
			w.basis = map[value.Pointer]string{}
		}
		w.basis[p] = words
	}
	b := w.bounds()
	after, err := b.Apply(&w.record, &ops)
	if err != nil {
		if w.basis != nil {
			w.basis[p] = before
		}
		w.trace.add(&trace.CorrectionRefused{Request: x.by.turn + x.step, Operations: trace.OperationsOf(&ops), Why: err.Error()})
		return
	}
	w.record = after
	w.problems = w.check(&w.record)
	w.repaired++
	w.trace.add(&trace.Corrected{Request: x.by.turn + x.step, Operations: trace.OperationsOf(&ops), Left: w.problems})
}

// bounds are what a patch may do to the record at hand.
func (w *filling) bounds() *record.Bounds {
	return &record.Bounds{Schema: w.Schema, Problems: w.problems, Check: w.check, Finish: func(v *value.Value) {
		normalize.Record(w.Schema, v)
		*v = record.Arrange(w.Schema, v)
	}, Evident: w.evident, Locked: w.locked, Invented: w.invented}
}
