package fill

import (
	"sync"

	"filler/internal/base/value"
	"filler/internal/measure/review"
	"filler/internal/record/evidence"
	"filler/internal/record/trace"
	"filler/internal/store"
)

// people knows about which documents people have decided in production.
type people struct {
	once sync.Once
	all  map[string]bool
	err  error
}

// byPeople gives what people decided about a document, if need be beside another text;
// nil for nothing.
func (f *Filler) byPeople(document, text string) (*review.Decided, error) {
	p := f.people
	p.once.Do(func() {
		p.all = map[string]bool{}
		p.err = f.Ledger.Reviews(f.Schema.Name, func(r store.Review) error {
			p.all[r.Document] = true
			return nil
		})
	})
	if p.err != nil || !p.all[document] {
		return nil, p.err
	}
	return review.DecidedOf(f.Ledger, f.Schema, document, text)
}

// heed puts what people decided about the document in place of what was filled. It is
// not heeded where the document's text is another now: that is told.
func (w *filling) heed(text string) (*review.Overlaid, error) {
	d, err := w.byPeople(w.task.Document, text)
	if err != nil || d == nil || text == "" {
		return nil, err
	}
	if d.TextHash != text {
		w.trace.add(&trace.Reviewed{By: d.By, On: d.At.UTC().Format("2006-01-02"), Stale: true, Changes: value.List()})
		return nil, nil
	}
	o := d.Over(w.Schema, &w.record)
	w.record = o.Record
	mark := o.Mark(d)
	w.trace.add(&trace.Reviewed{By: d.By, On: mark.Word("on"), Done: d.Done, Values: *mark.Get("values"), Changes: o.Changes})
	return o, nil
}

// marked gives the values of a record that is brought up to date about which people have
// decided: no new document changes them.
func (x *updating) marked() map[value.Pointer]bool {
	if x.people == nil {
		return nil
	}
	paths := map[value.Pointer]bool{}
	for _, p := range x.people.Over(x.Schema, &x.record).Paths {
		paths[p] = true
	}
	return paths
}

// mark says in the trace about which values people have decided.
func (x *updating) mark() {
	if x.people == nil {
		return
	}
	mark := x.people.Over(x.Schema, &x.record).Mark(x.people)
	x.trace.add(&trace.Reviewed{By: x.people.By, On: mark.Word("on"), Values: *mark.Get("values"), Changes: value.List()})
}

// done closes the filling. What people decided before stands.
func (w *filling) done() (store.Record, error) {
	text := w.text
	if w.doc != nil {
		text = w.doc.Hash
	}
	o, err := w.heed(text)
	if o == nil {
		return w.close(nil), err
	}
	if w.doc != nil {
		w.problems = w.check(&w.record)
	}
	w.problems, w.others = o.Open(w.problems), o.Open(w.others)
	return w.close(o), nil
}

// heeded puts the places of what people decided in, and its risk: none.
func heeded(o *review.Overlaid, places evidence.Places) {
	known := value.Obj()
	for p, place := range o.Places {
		known.Kids = append(known.Kids, place.Named(string(p)))
	}
	for p, place := range evidence.PlacesFromJSON(&known) {
		places[p] = place
	}
}

func settled(o *review.Overlaid, risk value.Value) value.Value {
	for i := range risk.Kids {
		if o.Decided(value.Pointer(risk.Kids[i].Name)) {
			risk.Kids[i] = value.Num("0.000").Named(risk.Kids[i].Name)
		}
	}
	return risk
}

// reviewedIn gives who decided about which values of a record, and what that changed, by
// the steps of its trace.
func reviewedIn(s *trace.Reviewed) (mark value.Value, changes []value.Value) {
	if s.Stale {
		return value.Value{}, nil
	}
	return value.Obj(value.Str(s.By).Named("reviewer"), value.Str(s.On).Named("on"), value.Boolean(s.Done).Named("done"), s.Values.Named("values")), s.Changes.Kids
}
