package improve

import (
	"context"
	"errors"
	"fmt"

	"filler/internal/ask/exchange"
	"filler/internal/ask/model"
	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/run/fill"
	"filler/internal/source/document"
	"filler/internal/store"
)

// Aside is what the runs of trials are made for: they are never the last run.
const Aside = "improve"

// Filling is an Asker that fills documents as runs do, each trial in a run of its own. What was
// answered before comes from the cache, so that work that was stopped goes on.
type Filling struct {
	Setup   fill.Setup // as the run's whose errors are looked at
	Sources map[string]document.Source
	Budget  float64 // of all trials together; 0: none
	Hooks   func(*fill.Filler) fill.Hooks
	// Of settings that are raced: a model by its name, and so many solved examples.
	Model  func(name string) (*project.Model, error)
	Solved func(n int) ([]prompt.Solved, error)

	With *project.Model // proposes changes; nil: none does

	paid int64
}

// Prepare makes what a trial is filled with.
func (f *Filling) Prepare(t Trial) (*fill.Filler, error) {
	setup := f.Setup
	setup.Schema, setup.Settings.Spaced = t.Schema, t.Spaced
	for _, one := range t.Settings {
		if err := f.set(&setup, one); err != nil {
			return nil, err
		}
	}
	return fill.New(setup)
}

// Fill fills the documents of a trial.
func (f *Filling) Fill(ctx context.Context, t Trial) (Records, Cost, error) {
	filler, err := f.Prepare(t)
	if err != nil {
		return nil, Cost{}, err
	}
	defer filler.Close()
	sources, err := f.sourcesOf(t)
	if err != nil {
		return nil, Cost{}, err
	}
	return f.run(ctx, filler, sources)
}

// Propose asks a model for changes of fields.
func (f *Filling) Propose(ctx context.Context, sheets []Sheet, most int) ([]value.Value, Cost, error) {
	setup := f.Setup
	setup.Schema, setup.Model, setup.Then, setup.Rounds = Proposals(most), f.With, nil, 0
	setup.Settings = prompt.Settings{Style: prompt.Record, Template: asked, Overlap: -1}
	filler, err := fill.New(setup)
	if err != nil {
		return nil, Cost{}, err
	}
	defer filler.Close()
	var sources []document.Source
	for _, s := range sheets {
		sources = append(sources, s.source())
	}
	records, cost, err := f.run(ctx, filler, sources)
	out := make([]value.Value, len(sheets))
	for i := range sources {
		out[i] = records[sources[i].ID].Record
	}
	return out, cost, err
}

// run fills documents in a run of their own.
func (f *Filling) run(ctx context.Context, filler *fill.Filler, sources []document.Source) (Records, Cost, error) {
	run, err := filler.Start(fill.Fill{}, fill.Beginning{Scope: store.Named, Aside: Aside}, sources)
	if err != nil {
		return nil, Cost{}, err
	}
	if f.Budget > 0 {
		left := f.Budget - float64(f.paid)/1e9
		if left <= 0 {
			return nil, Cost{}, ErrBudget
		}
		if err := filler.SetBudget(run, left); err != nil {
			return nil, Cost{}, err
		}
	}
	err = filler.Run(ctx, fill.Fill{}, run, f.Hooks(filler))
	cost, cerr := f.costOf(filler, run)
	f.paid += cost.Nano
	var failed *model.Failure
	switch {
	case errors.As(err, &failed) && failed.Budget:
		return nil, cost, ErrBudget
	case err != nil:
		return nil, cost, err
	case cerr != nil:
		return nil, cost, cerr
	}
	out := Records{}
	err = filler.Ledger.Records(run, 0, func(r store.Record) error {
		line, err := fill.ToLine(run, r, nil)
		out[line.Document] = line
		return err
	})
	return out, cost, err
}

func (f *Filling) sourcesOf(t Trial) (sources []document.Source, err error) {
	for _, id := range t.Documents {
		s, ok := f.Sources[id]
		if !ok {
			return nil, fmt.Errorf("%s: this document is not in the project any more; fill again without it first", id)
		}
		sources = append(sources, s)
	}
	return sources, nil
}

// costOf gives what a run took, and what it would cost without the cache.
func (f *Filling) costOf(filler *fill.Filler, run int64) (c Cost, err error) {
	t, err := filler.Ledger.Totals(run)
	if err != nil {
		return c, err
	}
	c = Cost{Documents: t.Documents, Requests: t.Exchanges, Cached: t.Cached, Nano: t.CostNano}
	for n := range t.Documents {
		all, err := filler.Ledger.Exchanges(run, n)
		if err != nil {
			return c, err
		}
		for _, x := range all {
			c.WorthNano += model.CostOf(filler.First().Model, &exchange.Request{}, x.TokensIn, x.TokensOut)
		}
	}
	return c, nil
}

// Price computes what trials would cost at least and at most, on all of their documents,
// without repairs.
func (f *Filling) Price(ctx context.Context, t Trial) (fill.Priced, error) {
	filler, err := f.Prepare(t)
	if err != nil {
		return fill.Priced{}, err
	}
	defer filler.Close()
	sources, err := f.sourcesOf(t)
	if err != nil {
		return fill.Priced{}, err
	}
	return filler.Price(ctx, sources, func(int) {})
}
