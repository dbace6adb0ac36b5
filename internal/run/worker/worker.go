// Package worker works on runs that others began: it finds those of a shared ledger that want
// hands, takes part in them, and waits for more.
//
// Rules it keeps:
//
//   - All that it needs of a run is in the ledger, but for keys, which are its own machine's.
//   - A run that it can't work on is told once and left to others; the rest go on.
//   - It ends when it is told to, or where asked for when nothing waits; what it is at comes to its
//     end first, and what it has claimed beyond that is free again.
package worker

import (
	"context"
	"errors"
	"fmt"
	"time"

	"filler/internal/ask/model"
	"filler/internal/run/fill"
	"filler/internal/run/job"
	"filler/internal/store"
)

// Worker is one process that works on runs of others.
type Worker struct {
	Here  fill.Here
	Until bool  // it ends when nothing waits
	Only  int64 // the run that it works on; 0: all

	// Begins hears of a run that is worked on from now, and gives what hears of its progress; Ends
	// of how that ended here; Can't of a run that can't be worked on here.
	Begins func(run store.Run, currency string, f *fill.Filler) fill.Hooks
	Ends   func(run store.Run, f *fill.Filler, err error)
	Cant   func(run store.Run, err error)

	told map[int64]string // why runs could not be worked on, by their numbers
}

// Between two looks for runs that want hands, where nothing wakes the worker; and until a run that
// could not be worked on is tried again.
const (
	look  = 2 * time.Second
	retry = 30 * time.Second
)

// ErrNotShared says that a ledger is no place that several machines share.
var ErrNotShared = errors.New("a worker takes its work from a ledger that machines share; name one (`ledger: postgres://…` in filler.yaml, or FILLER_LEDGER)")

// Work works until ctx ends, or nothing waits where that is asked for.
func (w *Worker) Work(ctx context.Context) error {
	shared, is := w.Here.Ledger.(store.Shared)
	if !is {
		return ErrNotShared
	}
	left := map[int64]time.Time{} // runs that could not be worked on, and when
	w.told = map[int64]string{}
	for ctx.Err() == nil {
		runs, err := shared.Wanting()
		if err != nil {
			return err
		}
		worked := false
		for _, id := range runs {
			if ctx.Err() != nil || w.Only != 0 && id != w.Only || time.Since(left[id]) < retry {
				continue
			}
			going, err := w.run(ctx, id)
			if err != nil {
				return err
			}
			if worked = true; !going {
				left[id] = time.Now()
			}
		}
		switch {
		case worked:
		case w.Until:
			done, err := w.nothing(shared, left)
			if err != nil || done {
				return err
			}
			shared.Wait(ctx, look/4)
		default:
			shared.Wait(ctx, look)
		}
	}
	return nil
}

// nothing tells whether no run is going that this worker might still have a hand in: what others
// hold becomes free where they end.
func (w *Worker) nothing(shared store.Shared, left map[int64]time.Time) (bool, error) {
	runs, err := w.Here.Ledger.Runs()
	if err != nil {
		return false, err
	}
	for _, r := range runs {
		if _, cant := left[r.ID]; cant || r.State != store.Going && r.State != store.Interrupted || w.Only != 0 && r.ID != w.Only {
			continue
		}
		if _, _, done, err := w.Here.Shared(r); err == nil {
			done()
			return false, nil
		}
	}
	return true, nil
}

// cant tells of a run that can't be worked on here, once for each reason.
func (w *Worker) cant(run store.Run, err error) {
	if w.told[run.ID] != err.Error() {
		w.told[run.ID] = err.Error()
		w.Cant(run, err)
	}
}

// run works on one run; going is false where it should be left to others for a while. An error is
// one of the ledger, which no other run would fare better with.
func (w *Worker) run(ctx context.Context, id int64) (going bool, err error) {
	run, err := w.Here.Ledger.Find(fmt.Sprint(id))
	if err != nil {
		return false, err
	}
	setup, currency, done, err := w.Here.Shared(run)
	if err != nil {
		w.cant(run, err)
		return false, nil
	}
	defer done()
	f, err := fill.New(setup)
	if err != nil {
		w.cant(run, err)
		return false, nil
	}
	defer f.Close()
	f.Hand = true
	if err := f.KeepBudget(id, run.Budget); err != nil {
		return false, err
	}
	err = f.Run(ctx, fill.Fill{}, id, w.Begins(run, currency, f))
	w.Ends(run, f, err)
	var trouble *store.Error
	var fail *model.Failure
	switch {
	case errors.As(err, &trouble):
		return false, err
	case errors.As(err, &fail), err != nil && !errors.Is(err, job.ErrStopped):
		return false, nil
	}
	return true, nil
}
