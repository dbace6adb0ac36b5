package fill

import (
	"context"

	"filler/internal/evidence"
	"filler/internal/ledger"
	"filler/internal/model"
	"filler/internal/record"
	"filler/internal/tidy"
	"filler/internal/value"
)

// Cured counts what a repair of existing records did, by step.
type Cured struct {
	Records  int
	Problems int // before
	Tidied   int // problems that tidies cured
	Patched  int // that patches of the model cured
	Anew     int // that fields asked anew cured
	Then     int // that the other model cured
	Left     int
	Unread   int // records whose documents could not be read: they were tidied alone
}

// given repairs an existing record in place of filling one. Without its
// document a record is tidied and checked against the schema alone.
func (f *Filler) given(ctx context.Context, run int64, t ledger.Task, line *record.Line) (ledger.Record, error) {
	w := &filling{Filler: f, run: run, task: t, refusals: map[value.Pointer]string{}}
	var c Cured
	c.Records = 1
	doc, err := f.read(ctx, t)
	switch {
	case ctx.Err() != nil:
		return ledger.Record{}, &model.Failure{Msg: "stopped", Stopped: true, Err: ctx.Err()}
	case err == nil:
		w.open(doc)
		w.trace.add("read", text("document", doc.ID), text("format", string(doc.Format)), number("bytes", len(doc.Text)), text("source", doc.Hash))
	default:
		c.Unread = 1
		w.trace.add("unreadable", text("note", err.Error()))
	}
	if line.Status == record.Failed || line.Record.Kind == value.Null {
		if w.doc == nil || f.Rounds == 0 {
			f.cured(c)
			return w.failed(record.NoAnswer, "there is no record to repair"), nil
		}
		f.cured(c)
		return f.one(ctx, run, t)
	}
	if w.doc != nil {
		if pieces, err := w.asker().plan(); err == nil {
			w.long = len(pieces) > len(f.parts)
		}
	}
	w.record = line.Record.Clone()
	if w.doc != nil && line.Source == w.doc.Hash {
		w.found = evidence.PlacesFromJSON(&line.Evidence)
		w.remember()
	}
	was := len(w.check(&w.record))
	c.Problems = was
	tidied := tidy.Record(w.Schema, &w.record)
	w.trace.tidies(tidied)
	w.record = record.Arrange(w.Schema, &w.record)
	w.follow(&w.record, w.places(&w.record), tidied)
	w.problems = w.check(&w.record)
	step := func(into *int) {
		*into += max(was-len(w.problems), 0)
		was = len(w.problems)
	}
	step(&c.Tidied)
	w.trace.problems(w.problems)
	w.from(line)
	if w.doc != nil {
		if err := w.again(ctx); err != nil {
			return ledger.Record{}, err
		}
		w.problems = w.check(&w.record)
	}
	if w.doc != nil && f.Rounds > 0 {
		if err := w.patches(ctx); err != nil {
			return ledger.Record{}, err
		}
		step(&c.Patched)
		if err := w.anew(ctx); err != nil {
			return ledger.Record{}, err
		}
		step(&c.Anew)
		if f.Then != nil && len(w.problems) > 0 {
			w.trace.add("then", text("model", f.Then.Model.Entry))
			w.Filler, w.turn = f.Then, "then "
			clear(w.refusals)
			if err := w.repair(ctx); err != nil {
				return ledger.Record{}, err
			}
			step(&c.Then)
		}
	}
	c.Left = len(w.problems)
	f.cured(c)
	return w.done(), nil
}

// from takes over what is known of how the record came about.
func (w *filling) from(line *record.Line) {
	for _, p := range line.Problems {
		if p.Code == record.CutShort || p.Code == record.Conflict {
			w.others = append(w.others, p)
		}
	}
	if line.Status == record.Repaired {
		w.mended = 1
	}
}

// cured adds up what was done.
func (f *Filler) cured(c Cured) {
	f.curedMu.Lock()
	defer f.curedMu.Unlock()
	s := &f.Cured
	s.Records, s.Problems, s.Tidied, s.Patched = s.Records+c.Records, s.Problems+c.Problems, s.Tidied+c.Tidied, s.Patched+c.Patched
	s.Anew, s.Then, s.Left, s.Unread = s.Anew+c.Anew, s.Then+c.Then, s.Left+c.Left, s.Unread+c.Unread
}
