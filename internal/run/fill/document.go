package fill

import (
	"context"
	"fmt"
	"maps"
	"strings"
	"sync"

	"filler/internal/ask/exchange"
	"filler/internal/ask/model"
	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/record/merge"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/layout"
	"filler/internal/store"
)

// filling is one document on its way to a record.
type filling struct {
	*Filler
	run   int64
	task  store.Task
	doc   *document.Document
	index *evidence.Index
	pages pages // the pictures that go along
	cuts  *prompt.Planner
	trace log

	seed *int64 // sent along with every request; nil: none
	long bool   // the document went into several requests
	text string // hash of the text that a given record is of

	record     value.Value
	found      evidence.Places          // of the record as it came from the pieces
	whole      value.Value              // the record that they are of
	problems   []record.Problem         // that the record shows, and a repair may fix
	others     []record.Problem         // of how the record came about
	lost       []layout.Span            // what pieces that came to nothing were for
	basis      map[value.Pointer]string // words that inferred values rest on
	repaired   int                      // corrections taken
	refusals   map[value.Pointer]string // why the last patch was not applied
	refused    map[value.Pointer]string // why corrections were not taken, by their paths
	insists    map[value.Pointer]bool   // problems that the model would not change anything for
	missed     map[string]bool          // fields that lines speak of, and nothing comes from
	unanswered map[int]bool             // where lines start that were asked about, and no answer came
	leftOver   map[value.Pointer]bool   // that have no value, or one that stands nowhere, while something of their form was left over
	normalized map[trail][]string       // rules of the normalizers that led to values
}

func newFilling(f *Filler, run int64, t store.Task) *filling {
	return &filling{Filler: f, run: run, task: t, refusals: map[value.Pointer]string{}, refused: map[value.Pointer]string{}, insists: map[value.Pointer]bool{}, unanswered: map[int]bool{}}
}

// Fill is the work of filling records from documents.
type Fill struct {
	Seed *int64 // sent along with every request; nil: none
}

func (Fill) name() string { return "" }

func (o Fill) make(ctx context.Context, f *Filler, run int64, t store.Task) (store.Record, error) {
	w := newFilling(f, run, t)
	w.seed = o.Seed
	if t.Deaths >= store.MostDeaths {
		return w.failed(record.Unreadable, fmt.Sprintf("%s: three workers that were at nothing else ended while they were at it, so it is set aside; try it by itself, and watch the memory", t.Document)), nil
	}
	source := f.sourceOf(t)
	release, err := f.room(ctx, source)
	if err != nil {
		return store.Record{}, err
	}
	defer release()
	doc, err := f.readPatiently(ctx, t, source)
	if noHandles(err) {
		return store.Record{}, &model.Failure{Msg: "too many files are open", Hint: "allow more (`ulimit -n 1024`), or lower pace.at_once, then `filler fill --resume`", Fatal: true, Err: err}
	}
	if ctx.Err() != nil {
		return store.Record{}, &model.Failure{Msg: "stopped", Stopped: true, Err: ctx.Err()}
	}
	if err != nil {
		return w.failed(record.Unreadable, err.Error()), nil
	}
	w.open(doc)
	w.trace.add(readStep(doc))
	if w.pages, err = f.pictures(ctx, doc, source); err != nil {
		return w.failed(record.Unreadable, err.Error()), nil
	}
	if shown := f.exampleOf(doc); shown != "" {
		w.trace.add(&trace.Example{Document: shown})
	}
	code, why, err := w.first(ctx)
	for i, other := range f.Models[1:] {
		open := f.Models[i].prints() && len(w.openFields()) > 0
		if err != nil || code == "" && len(w.problems)+len(w.others) == 0 && !open {
			break
		}
		// The other model repairs what is wrong, within the bounds of every
		// repair, so that what was right stays; or fills what is missing, or all.
		w.takeOver(other)
		switch {
		case code != "":
			code, why, err = w.ask(ctx, other)
		case f.Models[i].prints():
			code, why, err = w.rest(ctx, other)
		default:
			err = w.repair(ctx, other)
		}
	}
	switch {
	case err != nil:
		return store.Record{}, err
	case code != "":
		return w.failed(code, why), nil
	}
	return w.done()
}

// readStep tells of a document that was read.
func readStep(d *document.Document) trace.Step {
	return &trace.Read{Document: d.ID, Format: string(d.Format), Notes: strings.Join(d.Notes, ", "), Bytes: len(d.Text), Text: d.Hash}
}

// open takes a document that was read.
func (w *filling) open(d *document.Document) {
	w.doc, w.index, w.cuts = d, indexOf(d), prompt.NewPlanner(d)
}

// indexOf makes the text of a document searchable.
func indexOf(d *document.Document) *evidence.Index {
	ix := evidence.NewIndex(d.Text)
	ix.Unsure = unsure(d)
	return ix
}

// first has the first model fill the record.
func (w *filling) first(ctx context.Context) (code record.Code, why string, err error) {
	switch {
	case w.First().prints():
		w.print()
		return "", "", nil
	case w.Settings.Prefill:
		w.byPrint()
		return w.rest(ctx, w.First())
	}
	return w.ask(ctx, w.First())
}

// takeOver notes that another model works on from here.
func (w *filling) takeOver(by *Model) {
	w.trace.add(&trace.TakenOver{Model: by.Entry})
	clear(w.refusals)
	clear(w.refused)
	clear(w.insists)
}

// asker gives what makes the requests to a model for the document.
func (w *filling) asker(by *Model) *asker {
	return &asker{Filler: w.Filler, by: by, doc: w.doc, pages: w.pages, cuts: w.cuts}
}

// ask asks a model for the record and has it repaired. A code says that no
// record came, and why; an error that the document waits for another time.
func (w *filling) ask(ctx context.Context, by *Model) (code record.Code, why string, err error) {
	w.others, w.lost, w.missed, w.leftOver, w.normalized = nil, nil, nil, nil, nil
	pieces, err := w.asker(by).plan()
	if err != nil {
		return record.NoAnswer, err.Error(), nil
	}
	w.long = len(pieces) > len(w.parts)
	w.planned(pieces)
	if err := w.fillAll(ctx, pieces); err != nil {
		return "", "", err
	}
	for _, x := range pieces {
		w.trace.steps = append(w.trace.steps, x.trace.steps...)
	}
	if code, why := w.combine(pieces); code != "" {
		return code, why, nil
	}
	if err := w.again(ctx, by); err != nil {
		return "", "", err
	}
	w.problems = w.check(&w.record)
	w.trace.add(&trace.Checked{Problems: w.problems})
	for _, x := range pieces {
		if x.unstated { // the question has been answered, and is not put in another way
			w.insists[value.Pointer("/"+strings.ReplaceAll(x.field.Path, ".", "/"))] = true
		}
	}
	return "", "", w.repair(ctx, by)
}

// planned notes the plan, where there is anything to plan.
func (w *filling) planned(pieces []*piece) {
	if len(pieces) == 1 {
		return
	}
	plan := &trace.Plan{Requests: len(pieces), Parts: len(w.parts)}
	for _, x := range pieces {
		p := trace.Piece{Request: x.step}
		if x.chunk != nil {
			p.Cut, p.Start, p.End, p.Inside = true, x.chunk.Core.Start, x.chunk.Core.End, x.chunk.Inside
		}
		plan.Pieces = append(plan.Pieces, p)
	}
	w.trace.add(plan)
}

// fillAll fills the pieces: those whose fields link to what others are asked for
// after these, with the keys that were found.
func (w *filling) fillAll(ctx context.Context, pieces []*piece) error {
	var first, linking []*piece
	for _, x := range pieces {
		if len(pieces) > 1 && len(linksOut(x.schema, w.Schema)) > 0 {
			linking = append(linking, x)
		} else {
			first = append(first, x)
		}
	}
	if len(first) == 0 {
		first, linking = linking, nil
	}
	if err := w.fillThese(ctx, first, len(pieces) == 1); err != nil || len(linking) == 0 {
		return err
	}
	for _, x := range linking {
		x.keys = w.keysFor(x, first)
	}
	return w.fillThese(ctx, linking, false)
}

// fillThese fills pieces at once; a single one here and now.
func (w *filling) fillThese(ctx context.Context, pieces []*piece, single bool) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	var wait sync.WaitGroup
	var mu sync.Mutex
	var first error
	hands := make(chan bool, max(w.Pace.AtOnce, 1))
	for _, x := range pieces {
		x.w, x.index = w, w.index
		if x.chunk != nil {
			x.index = w.index.Within(spansOf(x.chunk.Shown))
		}
		if single {
			return x.fill(ctx)
		}
		hands <- true
		wait.Go(func() {
			defer func() { <-hands }()
			if ctx.Err() != nil {
				return
			}
			if err := x.fill(ctx); err != nil {
				mu.Lock()
				defer mu.Unlock()
				if !waits(err) { // else the others may go out with it
					cancel(err)
				}
				if first == nil || waits(first) {
					first = err
				}
			}
		})
	}
	wait.Wait()
	if first == nil && ctx.Err() != nil {
		first = &model.Failure{Msg: "stopped", Stopped: true, Err: ctx.Err()}
	}
	return first
}

// send sends a request. How many may be under way is the client's to say.
func (w *filling) send(ctx context.Context, by *Model, step string, req *exchange.Request) (*model.Answer, error) {
	req.Seed = w.seed
	return by.Client.Ask(ctx, model.Call{Run: w.run, N: w.task.N, Step: by.turn + step, Document: w.task.Document}, req)
}

// combine makes the record of the pieces: those of one part merged, those of
// several put side by side. A code says that none of them came.
func (w *filling) combine(pieces []*piece) (record.Code, string) {
	came := 0
	for _, x := range pieces {
		for _, leaf := range x.leaves() {
			if leaf.code == "" {
				came++
			}
		}
	}
	if came == 0 {
		return pieces[0].code, pieces[0].why
	}
	w.record, w.found, w.basis = value.Value{}, nil, map[value.Pointer]string{}
	for i := range w.parts {
		var mine []*piece
		for _, x := range pieces {
			if x.part == &w.parts[i] {
				mine = append(mine, x.leaves()...)
			}
		}
		w.addPart(mine, len(pieces))
	}
	w.record = record.Arrange(w.Schema, &w.record)
	w.remember()
	return "", ""
}

// addPart adds the record of one part, out of its chunks.
func (w *filling) addPart(pieces []*piece, all int) {
	var parts []merge.Part
	for _, x := range pieces {
		if x.code != "" {
			w.others = append(w.others, record.Problem{Path: pathOf(x), What: record.Failure{Kind: x.code, Of: x.step, Why: x.why}})
			w.lose(x)
			continue
		}
		if x.cut {
			cut := record.ReplyCut{}
			if all > 1 {
				cut.Request = x.step
			}
			w.others = append(w.others, record.Problem{Path: pathOf(x), What: cut})
			w.lose(x)
		}
		w.others = append(w.others, x.unusedProblems()...)
		p := merge.Part{Record: x.record, Places: x.places}
		w.follow(&x.record, x.places, x.normalized)
		if x.chunk != nil {
			p.Inside = x.chunk.Inside
		}
		parts = append(parts, p)
		for at, words := range x.basis {
			if len(pieces) == 1 {
				w.basis[at] = words
			}
		}
	}
	if len(parts) == 0 {
		return
	}
	s := pieces[0].schema
	got := parts[0].Record
	if len(parts) > 1 || s.EachEntry() {
		r := merge.Parts(s, parts, w.starts())
		w.decided(r)
		got = r.Record
		if len(parts) > 1 {
			w.daysOfWhole(s, &got, r.Places)
		}
		w.take(r.Places)
	} else {
		w.take(parts[0].Places)
	}
	w.record = beside(w.record, got)
}

// lose notes the lines that a piece was for in vain.
func (w *filling) lose(x *piece) {
	s := layout.Span{End: len(w.doc.Text)}
	if x.chunk != nil {
		s = x.chunk.Core
	}
	w.lost = append(w.lost, s)
}

// starts gives where the entries of the document begin, where it has several.
func (w *filling) starts() []int {
	if !w.Schema.EachEntry() {
		return nil
	}
	return w.cuts.Entries()
}

// daysOfWhole looks in the whole document for days that stand nowhere in the part that they came
// from: their year, or month, may be printed in another.
func (w *filling) daysOfWhole(s *schema.Schema, v *value.Value, places evidence.Places) {
	known := maps.Clone(places)
	for p, place := range places {
		f, at := s.Holding(p), v.At(p)
		if place.Found() || place.Kind != evidence.None || f == nil || at == nil {
			continue
		}
		if t := f.Kin().Type; t == schema.Date || t == schema.DateTime || t == schema.Any && schema.IsISODate(at.Text) {
			delete(known, p)
		}
	}
	if len(known) == len(places) {
		return
	}
	for p, place := range evidence.With(s, v, w.index, known) {
		if _, is := known[p]; !is {
			places[p] = place
		}
	}
}

// take keeps the places of what pieces say.
func (w *filling) take(places evidence.Places) {
	if w.found == nil {
		w.found = evidence.Places{}
	}
	for p, place := range places {
		w.found[p] = place
	}
}

// remember notes which record the places found so far are of.
func (w *filling) remember() { w.whole = w.record.Clone() }

// pathOf gives the place of the record that a piece is for.
func pathOf(x *piece) value.Pointer {
	fields := x.schema.Record().Fields
	if x.name == "" || len(fields) != 1 || x.schema.EachEntry() {
		return ""
	}
	return value.Pointer("").Key(fields[0].Name)
}

// decided notes what merging decided, and its conflicts as problems.
func (w *filling) decided(r merge.Result) {
	for _, d := range r.Decisions {
		w.trace.add(&trace.Merged{What: d.What, Path: d.Path, Note: d.Note, Was: d.Was})
	}
	for _, c := range r.Conflicts {
		var others []string
		for _, v := range c.Values[1:] {
			others = append(others, v.String())
		}
		v := c.Values[0]
		w.others = append(w.others, record.Problem{Path: c.Path, What: record.ChunksDisagree{Others: others}, Value: &v})
	}
}

// beside puts two records of different fields together.
func beside(a, b value.Value) value.Value {
	if a.Kind != value.Object || b.Kind != value.Object {
		if a.Kind == value.Null {
			return b
		}
		return a
	}
	for i := range b.Kids {
		if mine := a.Get(b.Kids[i].Name); mine != nil {
			*mine = beside(*mine, b.Kids[i]).Named(mine.Name)
			continue
		}
		a.Kids = append(a.Kids, b.Kids[i])
	}
	return a
}

func (w *filling) images() []exchange.Image { return w.pages.images }
