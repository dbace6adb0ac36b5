package store

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"time"
)

// Part is a run of another store that filled a part of a pile.
type Part struct {
	Name  string // of the store, for messages
	Store Store
	Run   Run
}

// Differing says that parts are not of one run.
type Differing struct{ Part, What string }

func (e *Differing) Error() string {
	return fmt.Sprintf("%s: its run has another %s than the first part's", e.Part, e.What)
}

// Merge makes one run of several parts: their tasks in the order that before tells (by the names of
// two documents), each with its record and its exchanges. The run is as whole's, which says what is
// not of one part alone: name, scope, settings, how many documents there are. Parts that differ in
// schema, prompt, model or rounds, or that have a document in common, are refused before anything is
// written.
func Merge(to Store, whole Run, parts []Part, before func(a, b string) int) (run int64, err error) {
	type from struct {
		part int
		task Task
	}
	var all []from
	owner := map[string]string{}
	for i := range parts {
		p, first := &parts[i], &parts[0].Run
		for _, c := range []struct {
			what string
			same bool
		}{{"schema", p.Run.SchemaHash == first.SchemaHash}, {"prompt", p.Run.PromptHash == first.PromptHash}, {"model", p.Run.Identity == first.Identity}, {"number of repair rounds", p.Run.Rounds == first.Rounds}} {
			if !c.same {
				return 0, &Differing{p.Name, c.what}
			}
		}
		tasks, err := p.Store.Tasks(p.Run.ID)
		if err != nil {
			return 0, err
		}
		metadata, err := p.Store.Metadata(p.Run.ID)
		if err != nil {
			return 0, err
		}
		for _, t := range tasks {
			if other, twice := owner[t.Document]; twice {
				return 0, fmt.Errorf("%s is in %s and in %s; merge each part once", t.Document, other, p.Name)
			}
			owner[t.Document] = p.Name
			if !t.Done {
				return 0, fmt.Errorf("%s: its run is not done: %s waits; `filler fill --resume` there first", p.Name, t.Document)
			}
			t.Metadata = metadata[t.Document]
			all = append(all, from{i, t})
		}
	}
	if len(all) == 0 {
		return 0, errors.New("the parts have no documents")
	}
	slices.SortStableFunc(all, func(a, b from) int {
		return cmp.Or(before(a.task.Document, b.task.Document), cmp.Compare(a.task.Document, b.task.Document))
	})
	tasks := make([]Task, len(all))
	var took time.Duration
	for n, f := range all {
		p, t := &parts[f.part], f.task
		tasks[n] = Task{N: n, Document: t.Document, File: t.File, Metadata: t.Metadata}
		if t.File == "" {
			tasks[n].Text = func() ([]byte, error) { return p.Store.Blob(t.TextHash) }
		}
	}
	for i := range parts {
		took = max(took, time.Duration(parts[i].Run.Seconds*float64(time.Second)))
	}
	if run, err = to.Start(whole, tasks); err != nil {
		return 0, err
	}
	for n, f := range all {
		if err = copyTask(to, run, n, &parts[f.part], f.task.N); err != nil {
			break
		}
	}
	state := Done
	if err != nil {
		state = Stopped
	}
	return run, errors.Join(err, to.End(run, state, took))
}

// copyTask copies what came of one task.
func copyTask(to Store, run int64, n int, p *Part, was int) error {
	exchanges, err := p.Store.Exchanges(p.Run.ID, was)
	if err != nil {
		return err
	}
	for _, x := range exchanges {
		body, err := p.Store.RequestOf(x)
		if err != nil {
			return err
		}
		x.ID, x.Run, x.N, x.Request, x.Kept = 0, run, n, [][]byte{body}, nil
		if err := to.SaveExchange(x); err != nil {
			return err
		}
	}
	r, found, err := p.Store.RecordAt(p.Run.ID, was)
	if err != nil || !found {
		return err
	}
	r.N = n
	return to.SaveRecord(run, r)
}
