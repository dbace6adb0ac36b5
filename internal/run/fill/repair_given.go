package fill

import (
	"context"
	"sync"

	"filler/internal/ask/model"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/normalize"
	"filler/internal/record/trace"
	"filler/internal/store"
)

// Repairs counts what a repair of existing records did, by step.
type Repairs struct {
	Records    int
	Problems   int // before
	Normalized int // problems fixed by normalizers
	Patched    int // fixed by patches of the model
	Again      int // fixed by asking fields again
	Then       int // fixed by the other model
	Left       int
	Unreadable int // records whose documents could not be read: they were normalized alone
}

// Repair is the work of repairing existing records. Without its document a
// record is normalized and checked against the schema alone.
type Repair struct {
	Lines []record.Line // by the task's number
	Done  Repairs       // what it did, once it is done

	mu sync.Mutex
}

func (*Repair) name() string { return "repair" }

func (o *Repair) make(ctx context.Context, f *Filler, run int64, t store.Task) (store.Record, error) {
	line := &o.Lines[t.N]
	w := newFilling(f, run, t)
	var c Repairs
	c.Records = 1
	doc, err := f.read(ctx, t, f.sourceOf(t))
	switch {
	case ctx.Err() != nil:
		return store.Record{}, &model.Failure{Msg: "stopped", Stopped: true, Err: ctx.Err()}
	case err == nil:
		w.open(doc)
		w.trace.add(readStep(doc))
	default:
		c.Unreadable = 1
		w.trace.add(&trace.Unreadable{Why: err.Error()})
	}
	if line.Status == record.Failed || line.Record.Kind == value.Null {
		if w.doc == nil || f.Rounds == 0 {
			o.addUp(c)
			return w.failed(record.NoAnswer, "there is no record to repair"), nil
		}
		o.addUp(c)
		return Fill{}.make(ctx, f, run, t)
	}
	if w.doc != nil {
		if pieces, err := w.asker(f.First()).plan(); err == nil {
			w.long = len(pieces) > len(f.parts)
		}
	}
	w.record = line.Record.Clone()
	if w.doc != nil && line.Hashes.Text == w.doc.Hash {
		w.found = evidence.PlacesFromJSON(&line.Evidence)
		for p := range w.found { // of a record that was filled with another schema
			if v := w.record.At(p); v == nil || w.Schema.Holding(p) == nil || evidence.IsWhole(w.Schema, p, v) {
				delete(w.found, p)
			}
		}
		w.remember()
	}
	was := len(w.check(&w.record))
	c.Problems = was
	normalized := normalize.Record(w.Schema, &w.record)
	w.trace.normalizers(normalized)
	w.record = record.Arrange(w.Schema, &w.record)
	w.follow(&w.record, w.places(&w.record), normalized)
	w.problems = w.check(&w.record)
	step := func(into *int) {
		*into += max(was-len(w.problems), 0)
		was = len(w.problems)
	}
	step(&c.Normalized)
	w.trace.add(&trace.Checked{Problems: w.problems})
	w.from(line)
	w.text = line.Hashes.Text
	if w.doc != nil {
		if err := w.again(ctx, f.First()); err != nil {
			return store.Record{}, err
		}
		w.problems = w.check(&w.record)
	}
	if w.doc != nil && f.Rounds > 0 {
		if err := w.patches(ctx, f.First()); err != nil {
			return store.Record{}, err
		}
		step(&c.Patched)
		if err := w.askFields(ctx, f.First()); err != nil {
			return store.Record{}, err
		}
		step(&c.Again)
		for _, other := range f.Models[1:] {
			if len(w.problems) == 0 {
				break
			}
			w.takeOver(other)
			if err := w.repair(ctx, other); err != nil {
				return store.Record{}, err
			}
			step(&c.Then)
		}
	}
	c.Left = len(w.problems)
	o.addUp(c)
	return w.done()
}

// from takes over what is known of how the record came about.
func (w *filling) from(line *record.Line) {
	for _, p := range line.Problems {
		switch p.Code() {
		case record.Truncated, record.Conflict, record.Unused, record.Encoding:
			w.others = append(w.others, p)
		}
	}
	if line.Status == record.Repaired {
		w.repaired = 1
	}
}

// addUp adds to what was done in all.
func (o *Repair) addUp(c Repairs) {
	o.mu.Lock()
	defer o.mu.Unlock()
	s := &o.Done
	s.Records, s.Problems, s.Normalized, s.Patched = s.Records+c.Records, s.Problems+c.Problems, s.Normalized+c.Normalized, s.Patched+c.Patched
	s.Again, s.Then, s.Left, s.Unreadable = s.Again+c.Again, s.Then+c.Then, s.Left+c.Left, s.Unreadable+c.Unreadable
}
