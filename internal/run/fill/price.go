package fill

import (
	"bytes"
	"context"
	"fmt"

	"filler/internal/ask/exchange"
	"filler/internal/ask/model"
	"filler/internal/base/project"
	"filler/internal/run/job"
	"filler/internal/source/document"
	"filler/internal/store"
)

// Priced says what is wrong where a budget is set and a model has no price: it
// would hold nothing.
func (s Setup) Priced() error {
	for _, m := range []*project.Model{s.Model, s.Then} {
		if m != nil && m.At != project.Printed && m.PriceIn == 0 && m.PriceOut == 0 && m.PricePicture == 0 {
			return fmt.Errorf("model %s has no price, which a budget needs; add `price: {in: …, out: …}` to it in filler.yaml", m.Entry)
		}
	}
	return nil
}

// SetBudget lets a run cost no more than so much, what it has cost before
// included; 0: no limit. It is kept with the run.
func (f *Filler) SetBudget(run int64, amount float64) error {
	limit := model.Nano(max(amount, 0) * 1e9)
	if limit == 0 {
		return nil
	}
	if run > 0 {
		if err := f.Ledger.SetBudget(run, limit); err != nil {
			return err
		}
	}
	return f.KeepBudget(run, limit)
}

// KeepBudget keeps to the budget that a run has, in billionths.
func (f *Filler) KeepBudget(run, limit int64) error {
	purse, err := f.purse(run, limit)
	if err != nil || purse == nil {
		return err
	}
	for _, m := range f.Models {
		m.Client.Purse = purse
	}
	return nil
}

func (f *Filler) purse(run, limit int64) (model.Purse, error) {
	if shared, is := f.Ledger.(store.Pacing); is && run > 0 {
		return model.NewSharedPurse(shared, run)
	}
	if limit == 0 {
		return nil, nil
	}
	t, err := f.Ledger.Totals(run)
	return model.NewPurse(limit, t.CostNano), err
}

// Priced is what filling documents would take.
type Priced struct {
	Documents  int
	Requests   int
	Unreadable int // documents that can't be read
	Known      int // requests that were answered before
	TokensIn   int
	LeastNano  int64 // with empty replies
	MostNano   int64 // with the longest replies that are allowed
}

// Planned is one request of the plan for a document.
type Planned struct {
	Step    string
	Request *exchange.Request
}

// Body gives the request's bytes, as the cache knows them.
func (p Planned) Body() []byte { return bytes.Join(protocol.Parts(p.Request), nil) }

// Requests gives the requests with which a document is first asked about, in a
// shape where the model's is auto. No server is needed.
func Requests(ctx context.Context, s Setup, source document.Source, shape string) ([]Planned, error) {
	if s.Model.Shape != "auto" && s.Model.Shape != "" {
		shape = s.Model.Shape
	}
	f := &Filler{Schema: s.Schema, Models: []*Model{{Model: s.Model, shape: shape}}, Reader: s.Reader, Settings: s.Settings, Stdin: s.Stdin}
	var err error
	if f.parts, err = partsOf(s.Schema, s.Settings.Style); err != nil {
		return nil, err
	}
	d, err := f.read(ctx, store.Task{Document: source.ID, File: source.File, Text: textOf(source)}, source)
	if err != nil {
		return nil, err
	}
	return f.Requests(ctx, d, source)
}

// Requests gives the requests with which a document is first asked about.
func (f *Filler) Requests(ctx context.Context, d *document.Document, from document.Source) ([]Planned, error) {
	if f.First().prints() {
		return nil, nil
	}
	a := f.asker(f.First(), d)
	var err error
	if a.pages, err = f.pictures(ctx, d, from); err != nil {
		return nil, err
	}
	pieces, err := a.plan()
	if err != nil {
		return nil, err
	}
	var out []Planned
	for _, x := range pieces {
		out = append(out, Planned{x.step, a.ask(x.part, x.chunk).Request()})
	}
	return out, nil
}

// Price computes what the first requests of each document cost. Nothing is
// sent. Repairs come on top.
func (f *Filler) Price(ctx context.Context, sources []document.Source, tell func(n int)) (Priced, error) {
	var p Priced
	for i, s := range sources {
		if ctx.Err() != nil {
			return p, job.ErrStopped
		}
		d, err := f.read(ctx, store.Task{Document: s.ID, File: s.File, Text: textOf(s)}, s)
		p.Documents++
		if err != nil {
			p.Unreadable++
			continue
		}
		planned, err := f.Requests(ctx, d, s)
		if err != nil {
			p.Unreadable++
			continue
		}
		for _, one := range planned {
			p.Requests++
			x, err := f.Ledger.Answered(f.First().Client.Key(one.Request))
			if err != nil {
				return p, err
			}
			if x != nil && !f.First().Client.Fresh {
				p.Known++
				continue
			}
			n := model.TokensOf(one.Request)
			p.TokensIn += n
			p.LeastNano += model.CostOf(f.First().Model, one.Request, n, 0)
			p.MostNano += model.CostOf(f.First().Model, one.Request, n, f.First().Reply)
		}
		tell(i + 1)
	}
	return p, nil
}
