package cli

import (
	"fmt"

	"filler/internal/ask/exchange"
	"filler/internal/run/fill"
	"filler/internal/run/nightly"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// toResume gives the run to go on with: the one that is named, else the newest
// that was stopped or interrupted, else the last, whose failed documents may be
// asked again.
func toResume(l store.Store, name string) (store.Run, error) {
	if name == "last" {
		if run, found, err := l.Unfinished(func(r store.Run) bool { return fill.MadeBy(r) == "" }); found || err != nil {
			return run, err
		}
	}
	return l.Find(name)
}

// prepare starts a new run, or finds the one to go on with.
func (a *app) prepare(o filling, w *work, l store.Store, r *document.Reader, names []string) (*begun, error) {
	setup, err := w.setup(l, r, &o.looking)
	if err != nil {
		return nil, err
	}
	setup.Fresh, setup.Stdin, setup.ByFile = o.fresh, a.in, o.files.is()
	modelName := o.modelName
	var old store.Run
	var sources []document.Source
	if o.replay != "" {
		if setup.Replay, err = exchange.LoadRecording(o.replay); err != nil {
			return nil, err
		}
	}
	if o.resume != "" {
		if old, err = toResume(l, o.resume); err != nil {
			return nil, err
		}
		if old.State == store.Going {
			a.notef("run %d is going in another process; sharing its documents\n", old.ID)
		}
		if by := fill.MadeBy(old); by != "" {
			return nil, fmt.Errorf("run %d changed existing records; to continue it, run `filler %s` again: nothing answered is paid twice", old.ID, by)
		}
		if setup.Schema, err = schema.Parse(old.SchemaFile, old.Schema); err != nil {
			return nil, err
		}
		modelName, setup.Rounds = old.Model, old.Rounds
		var then string
		if setup.Settings, then = fill.SettingsOf(old); o.then == "" {
			o.then = then
		}
	} else if o.asRun != "" {
		if old, err = l.Find(o.asRun); err != nil {
			return nil, err
		}
		if setup.Schema, err = schema.Parse(old.SchemaFile, old.Schema); err != nil {
			return nil, err
		}
		modelName, setup.Rounds = old.Model, old.Rounds
		var then string
		if setup.Settings, then = fill.SettingsOf(old); o.then == "" {
			o.then = then
		}
		if sources, err = sourcesOf(w, l, old.ID, names); err != nil {
			return nil, err
		}
	} else if sources, err = w.meant(&o, names); err != nil {
		return nil, err
	}
	if a.tell(w) && len(sources) == 0 {
		return nil, exit(codeFailed)
	}
	if sources, err = a.picked(o, l, sources); err != nil {
		return nil, err
	}
	if len(o.only) > 0 {
		if setup.Schema, err = setup.Schema.Only(o.only); err != nil {
			return nil, err
		}
	}
	if setup.Model, err = w.model(modelName); err != nil {
		return nil, err
	}
	if o.then != "" {
		if setup.Then, err = w.model(o.then); err != nil {
			return nil, err
		}
	}
	if w.budget(o.budget) > 0 && setup.Replay == nil {
		if err := setup.Priced(); err != nil {
			return nil, err
		}
	}
	filler, err := fill.New(setup)
	if err != nil {
		return nil, err
	}
	if n := filler.Pace.AtOnce; n < setup.Pace.AtOnce {
		a.notef("note: few files may be open at once (`ulimit -n`), so %s at once and not %d\n", plural(n, "request"), setup.Pace.AtOnce)
	}
	if o.resume != "" {
		return &begun{Filler: filler, work: fill.Fill{}, run: old.ID, budget: old.Budget, setup: setup}, nil
	}
	var picked *nightly.Picked
	if o.night.picks() {
		if picked, err = tonight(filler, &o.night, l, r, sources); err != nil {
			filler.Close()
			return nil, err
		}
		if sources = picked.Sources; len(sources) == 0 {
			return &begun{Filler: filler, picked: picked, setup: setup}, nil
		}
		a.notef("%s\n", pickedText(picked))
	}
	if n := len(setup.Settings.Solved); n > 0 {
		a.notef("%s shown as solved examples: these, and near-duplicates of them, do not count in this run's score\n", plural(n, "document"))
	}
	b := fill.Beginning{Name: o.name, Some: len(o.only) > 0, Shard: o.shard.String(), Budget: w.budget(o.budget)}
	b.Scope, b.Of = w.scope(o, names, len(sources))
	started, err := begin(filler, fill.Fill{}, b, sources)
	if err == nil {
		started.picked, started.setup = picked, setup
	}
	return started, err
}

// begin starts a run.
func begin(f *fill.Filler, w fill.Work, b fill.Beginning, sources []document.Source) (*begun, error) {
	run, err := f.Start(w, b, sources)
	if err != nil {
		f.Close()
		return nil, err
	}
	return &begun{Filler: f, work: w, run: run}, nil
}

// scope says how the documents of a run were chosen, and how many the project
// has. Documents named by hand that are all of it are no choice.
func (w *work) scope(o filling, names []string, n int) (string, int) {
	if w.project == nil {
		return store.All, 0
	}
	all := n
	if len(names) > 0 || o.sample > 0 || o.where != "" || o.again != "" || o.asRun != "" || o.night.picks() || o.shard.Of > 0 {
		was := w.leftOut
		found, err := w.named(nil)
		w.leftOut = was // told of the documents that are filled alone
		if err != nil {
			return store.Named, 0
		}
		all = len(found)
	}
	switch {
	case n >= all && o.shard.Of == 0:
		return store.All, all
	case len(names) > 0:
		return store.Named, all
	case o.again != "":
		return store.Again, all
	case o.shard.Of > 0:
		return store.Shard, all
	case o.night.picks():
		return store.Unfilled, all
	case o.where != "":
		return store.Where, all
	case o.sample > 0:
		return store.Sample, all
	}
	return store.All, all
}

// openFor finds what a filling works with: a project, a schema file, or fields
// asked for by flag.
func (a *app) openFor(o filling) (*work, error) {
	if len(o.asked) == 0 {
		return a.open(o.schemaFile)
	}
	s, err := schema.FromAsked(o.asked)
	if err != nil {
		return nil, err
	}
	w, err := a.anywhere()
	if err != nil {
		return nil, err
	}
	w.schema = s
	return w, nil
}

// meant gives the documents that are to be filled, before any are picked.
func (w *work) meant(o *filling, names []string) ([]document.Source, error) {
	if o.isRouted {
		return o.shard.Part(o.routed), nil
	}
	sources, err := w.sources(names)
	return o.shard.Part(sources), err
}

// sourcesOf gives the documents of an older run, or those named.
func sourcesOf(w *work, l store.Store, run int64, names []string) ([]document.Source, error) {
	if len(names) > 0 {
		return w.sources(names)
	}
	tasks, err := l.Tasks(run)
	if err != nil {
		return nil, err
	}
	var sources []document.Source
	for _, t := range tasks {
		s := document.Source{ID: t.Document, File: t.File}
		if t.File == "" { // a row, whose text the older run has kept
			text, err := l.Blob(t.TextHash)
			if err != nil {
				return nil, err
			}
			s.Text = string(text)
		}
		sources = append(sources, s)
	}
	return sources, nil
}
