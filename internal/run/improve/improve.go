// Package improve runs the engineer's loop: from the errors of a run it takes changes of the
// schema, fills again with each, and keeps those that are better beyond chance.
//
// Rules it keeps:
//
//   - A change is measured against the same schema asked again in other white space, never
//     against the run whose errors suggested it: there, errors that were chance would look put
//     right by any change.
//   - A change is kept where its gain over all tune documents holds: paired by document, by
//     flipping signs, corrected for all that was tried (Holm). What a sample has dropped
//     counts as tried.
//   - The test split is filled once, with what is kept, and tells nothing but the figure.
//     Without one the figure is cross-fitted: each fold is measured with what the others
//     would have kept.
//   - The ruler of all figures is the schema as it was.
//   - Nothing of a test document goes into a schema.
//   - It asks through an Asker, so that it is tested without a model.
package improve

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"math"
	"slices"

	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Records are what was filled, by document.
type Records map[string]record.Line

// Trial is documents filled with one schema and one setting.
type Trial struct {
	Name      string
	Schema    *schema.Schema
	Settings  []Setting
	Spaced    bool // asked in other white space
	Documents []string
}

// Cost is what a trial took.
type Cost struct {
	Documents int
	Requests  int   // that were sent
	Cached    int   // that were answered before
	Nano      int64 // paid
	WorthNano int64 // what all of its requests would cost, those from the cache too
}

func (c *Cost) add(o Cost) {
	c.Documents, c.Requests, c.Cached = c.Documents+o.Documents, c.Requests+o.Requests, c.Cached+o.Cached
	c.Nano, c.WorthNano = c.Nano+o.Nano, c.WorthNano+o.WorthNano
}

// Asker fills documents. An error that is ErrBudget ends the trials, and what is known by
// then is told.
type Asker interface {
	Fill(ctx context.Context, t Trial) (Records, Cost, error)
}

// ErrBudget says that a trial might cost more than is left.
var ErrBudget = errors.New("stopped at the budget")

// Setup is what is improved, and by what.
type Setup struct {
	Schema *schema.Schema
	Gold   gold.Set
	Base   Records // of the run whose errors are looked at
	Source func(id string) (*document.Document, error)
	Asker  Asker
	More   func(ctx context.Context, r *Race) ([]Candidate, error) // further candidates, such as a model's; may be nil
	Most   int                                                     // changes that are tried at most; 0: MostTried
	Seed   uint64
	Tell   func(doing string) // hears what is done next; may be nil
}

// MostTried is how many changes are tried unless another number is given.
const MostTried = 8

// Level is what p has to stay below.
const Level = 0.05

// State is what became of a change.
type State string

// The states of a change.
const (
	Kept      State = "kept"
	Together  State = "kept together" // too small alone, beyond chance with others
	Dropped   State = "dropped"       // no gain on the sample, or none beyond chance
	Redundant State = "adds nothing"  // good alone, nothing beside what is kept
	Refused   State = "refused"       // it can't be written, or quotes a test document
	Untried   State = "not tried"     // too many, or the budget was spent
)

// Candidate is one change of the schema, and what became of it.
type Candidate struct {
	schema.Edit
	Why    string // in a few words
	By     string // the model that proposed it; "": the errors
	Errors int    // of its field
	Quotes []string
	Lines  []Line // that speak for it

	State    State
	Note     string // why it is dropped, refused or not tried
	Free     bool   // computed on the replies that are there
	Sampled  bool   // dropped after the sample
	Gain     score.Comparison
	Holm     float64
	Cost     Cost
	against  int            // lines that speak against it
	schema   *schema.Schema // with this change alone
	records  Records
	sampleBy float64
}

// Line is a line of a document that speaks for a change.
type Line struct {
	Document string
	N        int
	Text     string
}

// Result is what came of it.
type Result struct {
	Tune, Test int // documents that count
	Near       []string
	Before     score.Comparison // the run, and the same schema asked again: what is chance
	Candidates []Candidate
	Advice     []Advice
	Schema     *schema.Schema // improved; nil: nothing is kept
	OnTune     score.Comparison
	OnTest     *score.Comparison // nil: there is no test split, or nothing is kept
	Crossed    *score.Comparison // cross-fitted, where there is no test split
	Folds      []Fold
	Cost       Cost
	PriceWas   int64 // nano a document, with the schema as it was
	PriceNow   int64
	Budget     bool // it ended at the budget
}

// TooLittle says that nothing could be told apart.
type TooLittle struct{ Have, Need int }

func (e *TooLittle) Error() string {
	documents := fmt.Sprintf("%d documents count", e.Have)
	if e.Have == 1 {
		documents = "1 document counts"
	}
	return fmt.Sprintf("too little gold to tell changes apart: %s for it, and with fewer than %d nothing could be shown; review more (`filler gold plan` says which)", documents, e.Need)
}

// needed gives how many documents have to differ, all in one direction, before a p value by
// flipping signs can hold among so many changes: 2 · 2^-n · m < Level.
func needed(changes int) int {
	return int(math.Floor(math.Log2(2*float64(changes)/Level))) + 1
}

// Race is the work under way.
type Race struct {
	Setup
	shelf    *gold.Shelf
	tune     []string
	test     []string
	docs     map[string]*document.Document // that can be read
	found    map[string]*score.Found
	control  Records
	quoted   guard
	result   *Result
	tried    int // what p values are corrected for
	combined Records
}

// Run tries changes, and says which to keep.
func Run(ctx context.Context, s Setup) (*Result, error) {
	r, err := newRace(s)
	if err != nil {
		return nil, err
	}
	out := r.result
	if out.Candidates, err = r.candidates(ctx); err == nil && r.open() > 0 {
		err = r.try(ctx)
	}
	if errors.Is(err, ErrBudget) {
		out.Budget, out.Schema, err = true, nil, nil // no figure is whole
		r.each(func(c *Candidate) { c.State, c.Note = Untried, "the budget was spent" })
		return out, nil
	}
	if err != nil {
		return nil, err
	}
	return out, nil
}

// try runs the trials, from the free ones to the figure on the test split.
func (r *Race) try(ctx context.Context) error {
	for _, do := range []func(context.Context) error{r.again, r.free, r.sample, r.whole, r.combine, r.bundle, r.figure} {
		if err := do(ctx); err != nil {
			return err
		}
	}
	return nil
}

func newRace(s Setup) (*Race, error) {
	r := &Race{Setup: s, shelf: s.Gold.Shelf(), docs: map[string]*document.Document{}, found: map[string]*score.Found{}, result: &Result{}}
	if r.Most == 0 {
		r.Most = MostTried
	}
	if r.Tell == nil {
		r.Tell = func(string) {}
	}
	if err := r.gather(); err != nil {
		return nil, err
	}
	r.result.Tune, r.result.Test = len(r.tune), len(r.test)
	if need := needed(1); len(r.tune) < need {
		return nil, &TooLittle{len(r.tune), need}
	}
	return r, nil
}

// gather finds which documents count, and their errors.
func (r *Race) gather() error {
	finder := &score.Finder{Schema: r.Schema, Gold: r.shelf, Keep: true, Source: r.Source}
	split := false
	for _, g := range r.Gold {
		split = split || g.Split == gold.Test && g.State == gold.Reviewed
	}
	for _, id := range slices.Sorted(maps.Keys(r.Base)) {
		f, err := finder.Add(r.Base[id])
		if err != nil {
			return err
		}
		if f.Gold == nil {
			continue
		}
		if doc, err := r.Source(id); err == nil {
			r.docs[id] = doc
		}
		r.found[id] = &f
		switch {
		case !split || f.Gold.Split == gold.Tune:
			r.tune = append(r.tune, id)
		case f.Gold.Split == gold.Test:
			r.test = append(r.test, id)
		}
	}
	r.quoted = newGuard(r)
	r.tune = slices.DeleteFunc(r.tune, func(id string) bool {
		near := r.quoted.tests.HasNear(r.text(id))
		if near {
			r.result.Near = append(r.result.Near, id)
		}
		return near
	})
	return nil
}

// text gives the text of a document; "" for one that can't be read.
func (r *Race) text(id string) string {
	if doc := r.docs[id]; doc != nil {
		return doc.Text
	}
	return ""
}

// ask fills the documents of a trial. What it took counts, also where it ends with an error.
func (r *Race) ask(ctx context.Context, doing string, t Trial) (Records, Cost, error) {
	r.Tell(doing)
	got, cost, err := r.Asker.Fill(ctx, t)
	r.result.Cost.add(cost)
	return got, cost, err
}

// again asks with the schema as it is once more, in other white space.
func (r *Race) again(ctx context.Context) (err error) {
	var cost Cost
	if r.control, cost, err = r.ask(ctx, "the same schema asked again", Trial{Name: "again", Schema: r.Schema, Spaced: true, Documents: r.tune}); err != nil {
		return err
	}
	r.result.PriceWas = perDocument(cost)
	r.result.Before = r.compare(r.Base, r.control, r.tune, nil)
	return nil
}

func perDocument(c Cost) int64 {
	if c.Documents == 0 {
		return 0
	}
	return c.WorthNano / int64(c.Documents)
}

// compare compares two sets of records on some documents.
func (r *Race) compare(a, b Records, ids, without []string) score.Comparison {
	c := score.NewComparer(r.Schema, r.shelf, "", 2)
	for _, id := range ids {
		if slices.Contains(without, id) {
			continue
		}
		for i, set := range []Records{a, b} {
			if line, ok := set[id]; ok {
				_ = c.To(i)(line) // what can't be counted is apart in the comparison
			}
		}
	}
	return c.Compare()
}

// tested measures what is kept once on the test split, against the run.
func (r *Race) tested(ctx context.Context, t Trial, quotes []string) (*score.Comparison, error) {
	t.Name, t.Documents = "test", r.test
	got, _, err := r.ask(ctx, "the test split, once", t)
	if err != nil {
		return nil, err
	}
	cmp := r.compare(r.Base, got, r.test, quotes)
	return &cmp, nil
}

// corrected gives p values corrected for all that was tried (Holm): what is not among them
// gained nothing.
func (r *Race) corrected(ps []float64) []float64 {
	for len(ps) < r.tried {
		ps = append(ps, 1)
	}
	return score.Holm(ps)
}

// open counts the candidates that are still in the race.
func (r *Race) open() (n int) {
	r.each(func(*Candidate) { n++ })
	return n
}

// each visits the candidates that are still in the race.
func (r *Race) each(do func(c *Candidate)) {
	for i := range r.result.Candidates {
		if c := &r.result.Candidates[i]; c.State == "" {
			do(c)
		}
	}
}
