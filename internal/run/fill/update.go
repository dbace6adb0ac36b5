package fill

import (
	"context"
	"fmt"
	"sort"
	"strconv"
	"strings"
	"sync"

	"filler/internal/ask/answer"
	"filler/internal/ask/model"
	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/measure/review"
	"filler/internal/record"
	"filler/internal/record/correct"
	"filler/internal/record/evidence"
	"filler/internal/record/pair"
	"filler/internal/record/trace"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// News is what existing records are brought up to date with: new documents, by
// the number of the record's task, in the order in which they were given.
type News struct {
	Of      map[int][]*document.Document
	Prefer  correct.Preference
	KeepNew bool // entries that the records have not are added
}

// Update is the work of bringing new documents into existing records, by the
// first model.
type Update struct {
	Lines []record.Line // by the task's number
	News  News
	Done  Updated // what it did, once it is done

	mu sync.Mutex
}

// Updated counts what an update did.
type Updated struct {
	Records   int // that changed
	Values    int // that are now others, or new
	Items     int // added to lists
	TakenBack int // values and items
	Confirmed int // values said once more
	Refused   int // operations, or parts of them
	New       int // entries that are told and not kept
	Conflicts []Conflicted
}

// Conflicted is a value for which the record and a new document both have
// evidence.
type Conflicted struct {
	Document string // of the record
	Change   correct.Change
}

func (*Update) name() string { return "update" }

// took gives the new documents, by name.
func (o *Update) took() (ids []string) {
	seen := map[string]bool{}
	for _, docs := range o.News.Of {
		for _, d := range docs {
			if !seen[d.ID] {
				seen[d.ID] = true
				ids = append(ids, d.ID)
			}
		}
	}
	sort.Strings(ids)
	return ids
}

func (o *Update) make(ctx context.Context, f *Filler, run int64, t store.Task) (store.Record, error) {
	line, news := &o.Lines[t.N], o.News.Of[t.N]
	w := newFilling(f, run, t)
	if line.Status == record.Failed || line.Record.Kind == value.Null {
		return w.failed(record.NoAnswer, "there is no record to update"), nil
	}
	w.record = line.Record.Clone()
	x := &updating{filling: w, update: o, line: line, places: evidence.PlacesFromJSON(&line.Evidence), history: line.History.Clone()}
	if x.history.Kind != value.Array {
		x.history = value.List()
	}
	if doc, err := f.read(ctx, t, f.sourceOf(t)); err == nil {
		w.doc = doc
		if line.Hashes.Text != "" && line.Hashes.Text != doc.Hash {
			w.trace.add(&trace.SourceChanged{})
		} else if len(line.Evidence.Kids) == 0 {
			x.places = evidence.Of(f.Schema, &w.record, evidence.NewIndex(doc.Text))
		}
	}
	if d, err := f.byPeople(t.Document, line.Hashes.Text); err != nil {
		return store.Record{}, err
	} else if d != nil && d.TextHash == line.Hashes.Text {
		x.people = d
	}
	for _, d := range news {
		if err := x.bring(ctx, d); err != nil {
			return store.Record{}, err
		}
	}
	return x.done(), nil
}

// updating is one record that is brought up to date.
type updating struct {
	*filling
	update    *Update
	line      *record.Line
	places    evidence.Places
	history   value.Value
	people    *review.Decided // what they decided about the record, or nil
	conflicts []record.Problem
	count     Updated
	told      []value.Value // entries that are not kept
}

// bring brings one document in, part by part where it is long.
func (x *updating) bring(ctx context.Context, d *document.Document) error {
	x.trace.add(&trace.NewDocument{Document: d.ID, Format: string(d.Format), Bytes: len(d.Text), Text: d.Hash})
	if d.Hash == x.line.Hashes.Text {
		x.trace.add(&trace.SameText{Document: d.ID})
		return nil
	}
	a := x.Filler.asker(x.First(), d)
	whole := part{schema: x.Schema, style: prompt.Record}
	room, err := a.room(&whole)
	if err != nil {
		x.trace.add(&trace.CorrectionRefused{Request: "update " + d.ID, Why: err.Error()})
		return nil
	}
	index := indexOf(d)
	for _, c := range a.cuts.Plan(room) {
		p := &bringing{updating: x, doc: d, ask: a.ask(&whole, nil), index: index, step: "update " + d.ID}
		if c.Of > 1 {
			p.step = fmt.Sprintf("%s %d/%d", p.step, c.N, c.Of)
			p.ask.Chunk, p.index = &c, index.Within(spansOf(c.Shown))
		}
		if err := p.work(ctx); err != nil {
			return err
		}
	}
	return nil
}

// bringing is a part of a new document.
type bringing struct {
	*updating
	doc   *document.Document
	ask   prompt.Ask
	index *evidence.Index
	step  string
}

// work asks what the part changes, and once more where something was refused.
func (x *bringing) work(ctx context.Context) error {
	var refused []string
	for round := 1; round <= max(min(x.Rounds, 2), 1); round++ {
		step := x.step
		if round > 1 {
			step += " again"
		}
		req := prompt.Update{Ask: x.ask, Record: &x.record, Entries: x.entries(), Refused: refused}.Request()
		came, err := x.send(ctx, x.First(), step, req)
		if err != nil {
			if ends(err) {
				return err
			}
			x.trace.add(&trace.NoAnswer{Request: step, Why: err.Error()})
			return nil
		}
		x.trace.add(&trace.Asked{Request: step, Cached: came.Cached})
		if refused = x.take(step, came); len(refused) == 0 {
			return nil
		}
	}
	return nil
}

// entries gives the entries that the request shows: those of which the key, or
// without one any value of some weight, stands in the new text.
func (x *bringing) entries() []int {
	if !x.Schema.EachEntry() {
		return nil
	}
	shown := []int{}
	for i := range x.record.Kids {
		if speaksOf(x.Schema.Root, &x.record.Kids[i], x.index) {
			shown = append(shown, i)
		}
	}
	return shown
}

// speaksOf tells whether a text speaks of a record: by the values of the key,
// else by any text or date of some length in it.
func speaksOf(list *schema.Field, entry *value.Value, index *evidence.Index) bool {
	for _, name := range list.Key {
		at := entry.Get(name)
		if at.Empty() {
			return false
		}
		if _, found := index.Words(at.Text); !found {
			return false
		}
	}
	if len(list.Key) > 0 {
		return true
	}
	found := false
	eachLeaf(list.Item, "", entry, func(f *schema.Field, _ value.Pointer, v *value.Value) {
		if t := f.Kin().Type; found || t != schema.Text || len(v.Text) < 4 {
			return
		}
		_, found = index.Words(v.Text)
	})
	return found
}

// take reads the answer and brings in what is let through. It gives what was
// refused, in words.
func (x *bringing) take(step string, came *model.Answer) (refused []string) {
	r, err := answer.Read(came.Text, value.Array)
	if err != nil {
		x.trace.add(&trace.CorrectionRefused{Request: step, Why: err.Error()})
		return []string{"the answer held no corrections: " + err.Error()}
	}
	ops := x.corrections(nil, &r)
	if len(ops.Kids) == 0 {
		x.trace.add(&trace.NothingNew{Request: step})
		return nil
	}
	u := &correct.Updater{Schema: x.Schema, Check: x.Validator.Check, Index: x.index, Document: x.doc.ID, Prefer: x.update.News.Prefer, KeepNew: x.update.News.KeepNew, Decided: x.marked()}
	got := u.Apply(&x.record, x.places, &ops)
	x.record, x.places = got.Record, onlyNew(x.doc, got.Places)
	x.conflicts = append(x.conflicts, got.Conflicts...)
	x.note(step, &ops, &got)
	for _, r := range got.Refused {
		refused = append(refused, r.String())
	}
	return refused
}

// onlyNew adds pages and boxes to the places in the new document.
func onlyNew(d *document.Document, places evidence.Places) evidence.Places {
	if d.Layout == nil {
		return places
	}
	for p, place := range places {
		if place.Document == d.ID && place.Page == 0 {
			places[p] = onPage(d.Layout, place)
		}
	}
	return places
}

// note writes down what was changed and what was not.
func (x *bringing) note(step string, ops *value.Value, got *correct.Result) {
	told := &trace.Updated{Request: step, Operations: trace.OperationsOf(ops), Confirmed: got.Confirmed}
	for _, r := range got.Refused {
		told.Refused = append(told.Refused, trace.Refusal{Operation: r.Op + 1, Path: r.Path, Why: r.Why})
	}
	for i := range got.New {
		if !x.isKnown(&got.New[i]) {
			x.told = append(x.told, got.New[i])
			told.New = append(told.New, got.New[i])
		}
	}
	x.trace.add(told)
	c := &x.count
	c.Confirmed, c.Refused, c.New = c.Confirmed+got.Confirmed, c.Refused+len(got.Refused), c.New+len(told.New)
	for _, change := range got.Changes {
		if change.Conflict {
			c.Conflicts = append(c.Conflicts, Conflicted{x.task.Document, change})
		}
		if change.Kept {
			x.trace.add(&trace.Kept{Path: change.Path, Was: change.Was, Other: change.Now, Document: x.doc.ID})
			continue
		}
		switch {
		case change.Now.Empty():
			c.TakenBack++
		case change.Now.Kind == value.Object && change.Was.Kind == value.Null && change.Now.Get("amount") == nil:
			c.Items++
		default:
			c.Values++
		}
		number := func(name string, n int) value.Value { return value.Num(strconv.Itoa(n)).Named(name) }
		entry := value.Obj(value.Str(string(change.Path)).Named("path"), change.Was.Named("was"), change.Now.Named("now"), value.Str(x.doc.ID).Named("document"),
			number("start", change.Place.Start), number("end", change.Place.End), number("line", change.Place.Line), value.Str(change.Words).Named("quote"), number("run", int(x.run)))
		x.history.Kids = append(x.history.Kids, entry)
	}
}

// isKnown tells whether an entry was told already: the model says it again when
// it is asked again.
func (x *updating) isKnown(entry *value.Value) bool {
	for i := range x.told {
		if pair.Similarity(x.Schema.Record(), &x.told[i], entry) >= 0.5 {
			return true
		}
	}
	return false
}

// done closes the update: what was wrong before and was not touched still is.
func (x *updating) done() store.Record {
	before := len(x.line.History.Kids)
	x.mark()
	if n := len(x.history.Kids); n > 0 {
		x.trace.add(&trace.History{Before: before, Changes: x.history})
	}
	if len(x.history.Kids) > before {
		x.count.Records = 1
	}
	x.problems = append(append(x.Validator.Check(&x.record), record.Twins(x.Schema, &x.record)...), x.conflicts...)
	stands := map[value.Pointer]bool{}
	for _, p := range x.problems {
		stands[p.Path] = true
	}
	for _, p := range x.line.Problems {
		switch p.Code() {
		case record.NoEvidence, record.Against, record.Conflict, record.Truncated, record.Uncovered, record.Unused, record.Encoding:
			if now := x.record.At(p.Path); !stands[p.Path] && (p.Value == nil || now != nil && value.Equal(now, p.Value)) {
				x.problems = append(x.problems, p)
			}
		}
	}
	record.Sort(x.Schema, x.problems)
	status := x.line.Status
	if status == "" || status == record.Flagged {
		status = record.Unflagged
	}
	if len(x.problems) > 0 {
		status = record.Flagged
	}
	x.trace.add(&trace.Ended{Status: status, Problems: x.problems})
	proof := evidence.Wholes(x.Schema, &x.record, x.places).JSON(&x.record)
	rec := x.toLedger(status, x.record.JSON(), proof.JSON())
	if rec.TextHash == "" {
		rec.TextHash, rec.FileHash = x.line.Hashes.Text, x.line.Hashes.File
	}
	risk := x.risks(x.places)
	rec.Risk = risk.JSON()
	x.update.addUp(x.count)
	return rec
}

// addUp adds to what the update did in all.
func (o *Update) addUp(c Updated) {
	o.mu.Lock()
	defer o.mu.Unlock()
	s := &o.Done
	s.Records, s.Values, s.Items, s.TakenBack = s.Records+c.Records, s.Values+c.Values, s.Items+c.Items, s.TakenBack+c.TakenBack
	s.Confirmed, s.Refused, s.New = s.Confirmed+c.Confirmed, s.Refused+c.Refused, s.New+c.New
	if len(c.Conflicts) == 0 {
		return
	}
	s.Conflicts = append(s.Conflicts, c.Conflicts...)
	sort.SliceStable(s.Conflicts, func(i, j int) bool { return s.Conflicts[i].Document < s.Conflicts[j].Document })
}

// MatchNews finds the records that new documents speak of: with a field's path
// those whose value of it stands in the document; with `each: entry` those with
// an entry of which the key does. It gives the documents by record, and those
// that speak of none.
func MatchNews(s *schema.Schema, lines []record.Line, docs []*document.Document, by string) (of map[int][]*document.Document, none []string) {
	of = map[int][]*document.Document{}
	for _, d := range docs {
		index := evidence.NewIndex(d.Text)
		matched := false
		for i := range lines {
			if len(lines) == 1 && by == "" || matches(s, &lines[i].Record, index, by) {
				of[i] = append(of[i], d)
				matched = true
			}
		}
		if !matched {
			none = append(none, d.ID)
		}
	}
	return of, none
}

func matches(s *schema.Schema, rec *value.Value, index *evidence.Index, by string) bool {
	if by != "" {
		found := false
		eachLeaf(s.Root, "", rec, func(f *schema.Field, _ value.Pointer, v *value.Value) {
			if !found && f.Path == by && strings.TrimSpace(v.Text) != "" {
				_, found = index.Words(v.Text)
			}
		})
		return found
	}
	for i := range rec.Kids {
		if s.EachEntry() && speaksOf(s.Root, &rec.Kids[i], index) {
			return true
		}
	}
	return false
}
