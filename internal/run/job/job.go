// Package job is the engine that every run goes through: it claims tasks, has a
// record made of each, keeps the records, and hands them out in order. It knows
// nothing of documents, prompts or models: what makes a record is given to it.
//
// Rules it keeps:
//
//   - A task is claimed before it is worked on, few at a time, so that other
//     processes that join the run have their share; all end when everything is
//     done.
//   - A record is in the store before anyone hears of it. Records are handed out
//     in the order of their tasks.
//   - When a run is stopped, no new task begins, and what is under way may come
//     to its end.
//   - A fault of the program in one task ends the run in one line that names its
//     document; what is done stays done.
package job

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"strings"
	"sync"
	"time"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/store"
)

// Store is what the engine needs of a store.
type Store interface {
	Join(run int64) error
	Tasks(run int64) ([]store.Task, error)
	Left(run int64) (all, left int, err error)
	Claim(run int64, most int) ([]store.Task, error)
	SaveRecord(run int64, r store.Record) error
	Records(run int64, from int, each func(store.Record) error) error
	End(run int64, state string, took time.Duration) error
}

// Job is one run to be worked on.
type Job struct {
	Store  Store
	Run    int64
	AtOnce int // tasks that are claimed together; twice as many are in hand
	// Share gives how many of AtOnce are this process's part, where others are at the same model;
	// nil: all of them.
	Share func() int
	// Make makes the record of a task. An error means that the task has no
	// outcome yet and ends the run; one that is Stopped is a consequence of the
	// end and not its cause.
	Make    func(ctx context.Context, t store.Task) (store.Record, error)
	Stopped func(err error) bool
	// Waits tells errors of tasks that wait for another go; the others go on;
	// nil: none does.
	Waits func(err error) bool
	// Leaves tells errors that end only this process's part: others go on, or begin where nobody
	// else is at it now; nil: none does.
	Leaves func(err error) bool
	Spent  func() int64 // in billionths, in this go
	Hooks  Hooks
}

// Progress is how far a run is.
type Progress struct {
	Done, All int
	Flagged   int
	Failed    int
	SpentNano int64  // in this go
	Last      string // the document that was just done
	Status    record.Status
	Problem   string // the first problem of it
}

// Hooks hear of a run as it goes. Each is called by one goroutine at a time;
// any may be nil.
type Hooks struct {
	Progress func(Progress)
	Record   func(r store.Record) error // in document order; its error ends the run
}

// ErrStopped says that the user stopped the run.
var ErrStopped = errors.New("stopped")

// Do works on the tasks that have no record yet, or failed to get one. Other
// processes may be at the same run. When ctx ends, the error is ErrStopped.
func (j *Job) Do(ctx context.Context) error {
	began := time.Now()
	if err := j.Store.Join(j.Run); err != nil {
		return err
	}
	r := &running{Job: j, more: make(chan struct{}, 1), looked: began}
	if _, err := r.look(); err != nil {
		return err
	}
	err := r.work(ctx)
	state := store.Done
	switch {
	case err != nil && j.Leaves != nil && j.Leaves(err):
		state = store.Going
	case err != nil:
		state = store.Stopped
	case r.waiting > 0:
		state = store.Waiting
	}
	if end := j.Store.End(j.Run, state, time.Since(began)); err == nil {
		err = end
	}
	return err
}

// running is a job at work.
type running struct {
	*Job
	more chan struct{} // a task of ours has ended

	mu       sync.Mutex
	held     int  // tasks that are ours and not done
	waiting  int  // of these, those that wait for another go
	halted   bool // it was stopped from elsewhere; the claimer's alone, as the next two
	looked   time.Time
	lookTook time.Duration
	done     []bool // by task, where records are handed out
	next     int    // the first place whose record has not been handed out
	progress Progress
	err      error // the first that ended the run
}

func (r *running) work(ctx context.Context) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	queue := make(chan store.Task)
	var workers sync.WaitGroup
	// Twice as many tasks as requests are in hand: while replies are read and
	// checked, the next requests are out already.
	for range min(2*r.AtOnce, r.progress.All) {
		workers.Go(func() {
			for t := range queue {
				if err := r.task(ctx, t); err != nil {
					r.fail(err)
					cancel(err)
				}
			}
		})
	}
	if err := r.claim(ctx, queue); err != nil {
		r.fail(err)
		cancel(err)
	}
	close(queue)
	workers.Wait()
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.err == nil {
		r.err = r.handOut()
	}
	if r.err == nil && (ctx.Err() != nil || r.halted) {
		r.err = ErrStopped
	}
	return r.err
}

// fail keeps the first error that is not a mere consequence of the stop.
func (r *running) fail(err error) {
	if r.Stopped(err) {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.err == nil {
		r.err = err
	}
}

func (r *running) task(ctx context.Context, t store.Task) error {
	if ctx.Err() != nil {
		return nil
	}
	rec, err := r.record(ctx, t)
	if err != nil && r.Waits != nil && r.Waits(err) {
		r.putOff()
		return nil
	}
	if err != nil {
		return err
	}
	err = r.Store.SaveRecord(r.Run, rec)
	var taken *store.Taken
	if err != nil && !errors.As(err, &taken) {
		return err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.held--
	r.ended()
	if taken != nil { // another process makes its record, since this one was thought dead
		return nil
	}
	if r.done == nil {
		r.progress.Done = min(r.progress.Done+1, r.progress.All) // the next look is exact
	} else if !r.done[t.N] {
		r.done[t.N] = true
		r.progress.Done++
	}
	r.tell(rec)
	if t.N == r.next && r.done != nil && r.err == nil {
		return r.handOut()
	}
	return nil
}

// putOff leaves a task to another go. It stays ours until this one ends.
func (r *running) putOff() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.waiting++
	r.ended()
}

// ended says that one task less is at work here.
func (r *running) ended() {
	select {
	case r.more <- struct{}{}:
	default:
	}
}

// record makes the record of one task. A fault of the program becomes an error
// that says which document it was.
func (r *running) record(ctx context.Context, t store.Task) (rec store.Record, err error) {
	defer func() {
		if fault := recover(); fault != nil {
			err = &Internal{Document: t.Document, Msg: fmt.Sprint(fault), At: faultAt(string(debug.Stack()))}
		}
	}()
	return r.Make(ctx, t)
}

// Internal is a fault of the program itself.
type Internal struct {
	Document string
	Msg      string
	At       string // file:line
}

func (e *Internal) Error() string {
	return fmt.Sprintf("%s: the program itself failed at %s (%s); please report it; the other documents are in the ledger", e.Document, e.At, e.Msg)
}

// faultAt gives the place in our code where a panic came from.
func faultAt(stack string) string {
	_, below, _ := strings.Cut(stack, "panic(")
	for line := range strings.Lines(below) {
		if _, at, ours := strings.Cut(line, "/internal/"); ours && strings.Contains(at, ".go:") {
			at, _, _ = strings.Cut(strings.TrimSpace(at), " ")
			return at
		}
	}
	return "an unknown place"
}

// handOut gives the records that are next in order to the hook.
func (r *running) handOut() error {
	if r.Hooks.Record == nil {
		return nil
	}
	from := r.next
	for r.next < len(r.done) && r.done[r.next] {
		r.next++
	}
	if r.next == from {
		return nil
	}
	return r.Store.Records(r.Run, from, func(rec store.Record) error {
		if rec.N >= r.next {
			return nil
		}
		return r.Hooks.Record(rec)
	})
}

func (r *running) tell(rec store.Record) {
	r.progress.Last, r.progress.Status, r.progress.Problem = rec.Document, record.Status(rec.Status), ""
	switch record.Status(rec.Status) {
	case record.Flagged:
		r.progress.Flagged++
	case record.Failed:
		r.progress.Failed++
		r.progress.Problem = FirstProblem(rec)
	}
	if r.Hooks.Progress != nil {
		r.progress.SpentNano = r.Spent()
		r.Hooks.Progress(r.progress)
	}
}

// FirstProblem gives the first problem of a record in words, or "".
func FirstProblem(rec store.Record) string {
	problems, err := value.ParseBytes(rec.Problems)
	if err != nil || len(problems.Kids) == 0 {
		return ""
	}
	p := record.ProblemFromJSON(&problems.Kids[0])
	if p.Path == "" {
		return p.Message()
	}
	return p.String()
}
