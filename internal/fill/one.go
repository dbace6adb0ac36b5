package fill

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"filler/internal/chat"
	"filler/internal/document"
	"filler/internal/evidence"
	"filler/internal/layout"
	"filler/internal/ledger"
	"filler/internal/model"
	"filler/internal/prompt"
	"filler/internal/record"
	"filler/internal/reply"
	"filler/internal/schema"
	"filler/internal/tidy"
	"filler/internal/tokens"
	"filler/internal/value"
)

// filling is one document on its way to a record.
type filling struct {
	*Filler
	run   int64
	task  ledger.Task
	doc   *document.Document
	index *evidence.Index
	trace trace

	turn string // "then " once the other model is asked

	record   value.Value
	problems []record.Problem
	cut      bool                     // the reply ended early
	basis    map[value.Pointer]string // words that inferred values rest on
	mended   int                      // patches applied
	refused  string                   // why the last patch was not applied
}

// one fills one document. An error means that the document has no outcome yet
// and waits for another time: the run was stopped, or can't go on.
func (f *Filler) one(ctx context.Context, run int64, t ledger.Task) (ledger.Record, error) {
	w := &filling{Filler: f, run: run, task: t}
	doc, err := f.read(ctx, t)
	if ctx.Err() != nil {
		return ledger.Record{}, &model.Failure{Msg: "stopped", Stopped: true, Err: ctx.Err()}
	}
	if err != nil {
		return w.failed(record.Source, err.Error()), nil
	}
	w.doc, w.index = doc, evidence.NewIndex(doc.Text)
	w.trace.add("read", text("document", doc.ID), text("format", string(doc.Format)), text("notes", strings.Join(doc.Notes, ", ")), number("bytes", len(doc.Text)), text("source", doc.Hash))
	code, why, err := w.byModel(ctx)
	if err == nil && f.Then != nil && (code != "" || len(w.problems) > 0) {
		// The other model mends what is wrong, within the bounds of every
		// repair, so that what was right stays; or fills from the start.
		w.trace.add("then", text("model", f.Then.Model.Entry))
		w.Filler, w.turn, w.refused = f.Then, "then ", ""
		if code != "" {
			code, why, err = w.byModel(ctx)
		} else {
			err = w.repair(ctx)
		}
	}
	switch {
	case err != nil:
		return ledger.Record{}, err
	case code != "":
		return w.failed(code, why), nil
	}
	return w.done(), nil
}

// byModel asks for the record and has it repaired. A code says that no record
// came, and why; an error that the document waits for another time.
func (w *filling) byModel(ctx context.Context) (code record.Code, why string, err error) {
	answer, err := w.ask(ctx)
	if err != nil {
		var fail *model.Failure
		if !errors.As(err, &fail) || fail.Fatal || fail.Stopped {
			return "", "", err
		}
		return record.NoAnswer, err.Error(), nil
	}
	if err := w.take(answer); err != nil {
		return record.Syntax, err.Error(), nil
	}
	w.problems = w.check(&w.record)
	w.trace.problems(w.problems)
	return "", "", w.repair(ctx)
}

// ask sends the document, again in words where the server refuses a schema.
func (w *filling) ask(ctx context.Context) (*model.Answer, error) {
	for {
		shape := w.Client.Shape()
		req := prompt.Fill(w.Model, w.Schema, w.doc, shape, w.Settings)
		req.Seed = w.Seed
		if most := w.Model.Context; most > 0 {
			if need := tokens.EstimateBytes(len(req.Body())) + w.Model.Reply; need > most {
				return nil, &model.Failure{Msg: fmt.Sprintf("%s needs about %d tokens with the reply, and the model holds %d", w.doc.ID, need, most), Hint: "split the document, or use a model with a larger context"}
			}
		}
		answer, err := w.Client.Ask(ctx, model.Call{Run: w.run, N: w.task.N, Step: w.turn + "fill"}, req)
		var fail *model.Failure
		if errors.As(err, &fail) && fail.Shape {
			w.trace.add("shape", text("refused", shape), text("note", fail.Msg))
			continue
		}
		if err == nil && !follows(shape, answer) && !w.usable(answer) {
			weaker, serr := w.Client.Weaken(shape)
			if serr != nil {
				return nil, serr
			}
			if weaker {
				w.trace.add("shape", text("refused", shape), text("note", "the server took the shape and did not follow it"))
				continue
			}
		}
		if err == nil {
			w.trace.add("ask", text("request", w.turn+"fill"), text("shape", shape), value.Boolean(answer.Cached).Named("cached"))
		}
		return answer, err
	}
}

// follows tells whether a reply has the form that the request held it to. A
// reply that was cut, or refused, says nothing about the server.
func follows(shape string, a *model.Answer) bool {
	if shape == "words" || a.Finish == "length" || a.Refusal != "" || strings.TrimSpace(a.Text) == "" {
		return true
	}
	v, err := value.Parse(strings.TrimSpace(a.Text))
	return err == nil && v.Kind == value.Object
}

// usable tells whether a reply that did not keep its form says enough all the
// same: asking again costs.
func (w *filling) usable(a *model.Answer) bool {
	r, err := reply.Read(a.Text, value.Object)
	if err != nil {
		return false
	}
	steps := len(w.trace.steps)
	v := w.inner(r.Value)
	w.trace.steps = w.trace.steps[:steps] // only looked at
	if w.Schema.EachEntry() {
		return v.Get(schema.Wrapper) != nil || v.Kind == value.Array
	}
	known := 0
	for i := range v.Kids {
		if w.Schema.Record().Child(v.Kids[i].Name) != nil {
			known++
		}
	}
	return v.Kind == value.Object && known > 0 && known*2 >= len(v.Kids)
}

// take reads a reply into the record and tidies it.
func (w *filling) take(answer *model.Answer) error {
	if strings.TrimSpace(answer.Text) == "" {
		if answer.Refusal != "" {
			return fmt.Errorf("the model refused: %s", answer.Refusal)
		}
		return reply.ErrEmpty
	}
	r, err := reply.Read(answer.Text, value.Object)
	if err != nil {
		return err
	}
	w.trace.mends(r.Mends)
	w.cut = r.Cut || answer.Finish == "length"
	if w.record, err = w.unwrap(r.Value); err != nil {
		return err
	}
	w.bases(w.Schema.Root, "", &w.record)
	w.trace.tidies(tidy.Record(w.Schema, &w.record))
	w.record = record.Arrange(w.Schema, &w.record)
	return nil
}

// unwrap takes the record, or with `each: entry` the records, out of what
// models put around it.
func (w *filling) unwrap(v value.Value) (value.Value, error) {
	v = w.inner(v)
	if w.Schema.EachEntry() {
		if inner := v.Get(schema.Wrapper); inner != nil {
			return inner.Named(""), nil
		}
		if v.Kind == value.Object {
			v = value.List(v)
		}
		return v, nil
	}
	if v.Kind == value.Array {
		if len(v.Kids) != 1 {
			return v, fmt.Errorf("the reply holds %d records where one was asked", len(v.Kids))
		}
		w.trace.add("mend", text("kind", "list"), number("offset", 0), text("note", "a list around the one record"))
		return v.Kids[0], nil
	}
	return v, nil
}

// inner takes off a wrapper around everything: one member that no field is
// called like, with an object (or a list) in it that has fields of the schema.
func (w *filling) inner(v value.Value) value.Value {
	fields := w.Schema.Record()
	for range 3 {
		if v.Kind != value.Object || len(v.Kids) != 1 || fields.Child(v.Kids[0].Name) != nil || v.Kids[0].Name == schema.Wrapper {
			return v
		}
		inside := &v.Kids[0]
		first := inside
		if inside.Kind == value.Array && len(inside.Kids) > 0 {
			first = &inside.Kids[0]
		}
		known := false
		for i := range first.Kids {
			known = known || (first.Kind == value.Object && fields.Child(first.Kids[i].Name) != nil)
		}
		if !known && !(inside.Kind == value.Object && len(inside.Kids) == 1) {
			return v
		}
		w.trace.add("mend", text("kind", "wrapper"), number("offset", 0), text("note", fmt.Sprintf("the key %q around everything", inside.Name)))
		v = inside.Named("")
	}
	return v
}

// bases takes the words that values rest on out of the reply, from the fields
// that ask for them.
func (w *filling) bases(f *schema.Field, p value.Pointer, v *value.Value) {
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		for i := range v.Kids {
			if kid := f.Child(v.Kids[i].Name); kid != nil {
				w.bases(kid, p.Key(kid.Name), &v.Kids[i])
			}
		}
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			w.bases(f.Item, p.Index(i), &v.Kids[i])
		}
	case f.Basis && v.Kind == value.Object && v.Get("value") != nil:
		if words := v.Get("basis"); words != nil && words.Kind == value.String {
			if w.basis == nil {
				w.basis = map[value.Pointer]string{}
			}
			w.basis[p] = words.Text
		}
		*v = v.Get("value").Named(v.Name)
	}
}

// places gives the evidence of a record; of a value that is inferred, the
// words it rests on, where they stand in the source.
func (w *filling) places(v *value.Value) evidence.Places {
	places := evidence.Of(w.Schema, v, w.index)
	for p, place := range places {
		if words, ok := w.basis[p]; ok && !place.Found() {
			if at, found := w.index.Words(words); found {
				places[p] = at
			}
		}
	}
	if w.doc.Layout != nil {
		for p, place := range places {
			places[p] = onPage(w.doc.Layout, place)
		}
	}
	return places
}

// onPage adds page and boxes of the words that a place spans.
func onPage(t *layout.Text, p evidence.Place) evidence.Place {
	if !p.Found() {
		return p
	}
	p.Boxes = nil
	from, to := t.Within(p.Start, p.End)
	line := -1
	for i := from; i < to; i++ {
		w := &t.Words[i]
		if w.Box == (layout.Box{}) {
			continue // a page that a model wrote down has no places
		}
		if p.Page == 0 {
			p.Page = w.Page
		}
		if w.Line != line {
			line = w.Line
			p.Boxes = append(p.Boxes, w.Box)
			continue
		}
		p.Boxes[len(p.Boxes)-1] = layout.Box(p.Boxes[len(p.Boxes)-1]).Union(w.Box)
	}
	if len(p.Boxes) > 0 {
		p.Box = p.Boxes[0]
	}
	return p
}

// check gives all problems of a record: what the schema says, and values that
// stand nowhere in the source.
func (w *filling) check(v *value.Value) []record.Problem {
	problems := w.Validator.Check(v)
	at := map[value.Pointer]bool{}
	for _, p := range problems {
		at[p.Path] = true
	}
	for p, place := range w.places(v) {
		field := w.Schema.At(p)
		if at[p] {
			continue
		}
		switch {
		case field.Basis && place.Kind == evidence.Inferred && !place.Found():
			problems = append(problems, evidenceProblem(p, v, "the words that this value rests on are missing, or stand nowhere in the document"))
		case place.Kind == evidence.None:
			problems = append(problems, evidenceProblem(p, v, "this value stands nowhere in the document"))
		case field.Evidence == "quoted" && place.Kind != evidence.Quoted:
			problems = append(problems, evidenceProblem(p, v, "this value should stand in the document letter for letter, and stands there in another spelling"))
		}
	}
	record.Sort(w.Schema, problems)
	return problems
}

func evidenceProblem(p value.Pointer, v *value.Value, msg string) record.Problem {
	at := v.At(p).Clone().Named("")
	return record.Problem{Path: p, Code: record.Evidence, Message: msg, Value: &at}
}

// repair asks for patches until nothing is wrong or the rounds are used up.
func (w *filling) repair(ctx context.Context) error {
	for round := 1; round <= w.Rounds && len(w.problems) > 0; round++ {
		req := prompt.Repair(w.Model, w.Schema, w.doc, w.Settings, &w.record, w.problems, w.refused)
		req.Seed = w.Seed
		answer, err := w.Client.Ask(ctx, model.Call{Run: w.run, N: w.task.N, Step: fmt.Sprintf("%srepair %d", w.turn, round)}, req)
		if err != nil {
			var fail *model.Failure
			if !errors.As(err, &fail) || fail.Fatal || fail.Stopped {
				return err
			}
			w.trace.add("patch", number("round", round), text("refused", "no answer came: "+err.Error()))
			return nil
		}
		w.trace.add("ask", text("request", fmt.Sprintf("%srepair %d", w.turn, round)), value.Boolean(answer.Cached).Named("cached"))
		if !w.patch(round, &answer.Reply) {
			return nil // it would answer the same again
		}
	}
	return nil
}

// patch applies what a repair reply asks for, if it is within bounds. It gives
// false where another round makes no sense.
func (w *filling) patch(round int, answer *chat.Reply) bool {
	r, err := reply.Read(answer.Text, value.Array)
	if err != nil {
		w.trace.add("patch", number("round", round), text("refused", err.Error()))
		return false
	}
	w.trace.mends(r.Mends)
	ops := operations(r.Value)
	if len(ops.Kids) == 0 {
		w.trace.add("patch", number("round", round), text("refused", "the model found nothing to mend"))
		return false
	}
	b := &record.Bounds{Schema: w.Schema, Problems: w.problems, Check: w.check, Finish: func(v *value.Value) {
		tidy.Record(w.Schema, v)
		*v = record.Arrange(w.Schema, v)
	}, Evident: w.evident}
	after, err := b.Apply(&w.record, &ops)
	if err != nil {
		w.refused = err.Error()
		w.trace.add("patch", number("round", round), ops.Named("operations"), text("refused", err.Error()))
		return true
	}
	w.record, w.refused = after, ""
	w.problems = w.check(&w.record)
	w.mended++
	w.trace.add("patch", number("round", round), ops.Named("operations"), problemList(w.problems).Named("left"))
	return true
}

// operations takes the list of operations out of what models put around it.
func operations(v value.Value) value.Value {
	if v.Kind == value.Array {
		return v
	}
	for _, name := range []string{"patch", "operations", "patches"} {
		if inner := v.Get(name); inner != nil && inner.Kind == value.Array {
			return inner.Named("")
		}
	}
	if v.Get("op") != nil {
		return value.List(v)
	}
	return value.List()
}

// evident gives the paths of the values that have a place in the source.
func (w *filling) evident(v *value.Value) map[value.Pointer]bool {
	paths := map[value.Pointer]bool{}
	for p, place := range w.places(v) {
		if place.Found() {
			paths[p] = true
		}
	}
	return paths
}

// done closes the filling.
func (w *filling) done() ledger.Record {
	places := w.places(&w.record)
	if w.cut {
		w.problems = append([]record.Problem{{Code: record.CutShort, Message: "the reply was cut short; what came whole was kept"}}, w.problems...)
	}
	status := record.Clean
	switch {
	case len(w.problems) > 0:
		status = record.Flawed
	case w.mended > 0:
		status = record.Repaired
	}
	kinds := map[evidence.Kind]int{}
	for _, p := range places {
		kinds[p.Kind]++
	}
	w.trace.add("evidence", number("quoted", kinds[evidence.Quoted]), number("restated", kinds[evidence.Restated]), number("inferred", kinds[evidence.Inferred]), number("none", kinds[evidence.None]))
	w.trace.add("end", text("status", string(status)), problemList(w.problems).Named("problems"))
	proof := places.JSON(&w.record)
	return w.toLedger(status, w.record.JSON(), proof.JSON())
}

// failed closes a filling that came to no record.
func (w *filling) failed(code record.Code, msg string) ledger.Record {
	w.problems = []record.Problem{{Code: code, Message: msg}}
	w.trace.add("end", text("status", string(record.Failed)), problemList(w.problems).Named("problems"))
	return w.toLedger(record.Failed, []byte("null"), []byte("{}"))
}

func (w *filling) toLedger(status record.Status, rec, proof []byte) ledger.Record {
	problems := problemList(w.problems)
	r := ledger.Record{N: w.task.N, Document: w.task.Document, Status: string(status), Record: rec, Problems: problems.JSON(), Evidence: proof, Trace: w.trace.json()}
	if w.doc != nil {
		r.Source = w.doc.Hash
	}
	return r
}
