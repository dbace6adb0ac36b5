package job

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/record"
	"filler/internal/store"
)

// shelf is a store of one run in memory.
type shelf struct {
	mu      sync.Mutex
	claimed []bool
	records map[int]store.Record
	state   string
	refuses int // the task whose record it does not take; -1: none
}

func newShelf(n int) *shelf {
	return &shelf{claimed: make([]bool, n), records: map[int]store.Record{}, refuses: -1}
}

var errFull = errors.New("the disk is full")

func (s *shelf) Join(int64) error { return nil }

func (s *shelf) Tasks(int64) (all []store.Task, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for n := range s.claimed {
		_, done := s.records[n]
		all = append(all, store.Task{N: n, Document: fmt.Sprint("d", n), Done: done})
	}
	return all, nil
}

func (s *shelf) Left(int64) (all, left int, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return len(s.claimed), len(s.claimed) - len(s.records), nil
}

func (s *shelf) Claim(_ int64, most int) (mine []store.Task, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for n := range s.claimed {
		if len(mine) < most && !s.claimed[n] {
			s.claimed[n] = true
			mine = append(mine, store.Task{N: n, Document: fmt.Sprint("d", n)})
		}
	}
	return mine, nil
}

func (s *shelf) SaveRecord(_ int64, r store.Record) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if r.N == s.refuses {
		return errFull
	}
	s.records[r.N] = r
	return nil
}

func (s *shelf) Records(_ int64, from int, each func(store.Record) error) error {
	s.mu.Lock()
	var all []store.Record
	for n := from; n < len(s.claimed); n++ {
		if r, ok := s.records[n]; ok {
			all = append(all, r)
		}
	}
	s.mu.Unlock()
	for _, r := range all {
		if err := each(r); err != nil {
			return err
		}
	}
	return nil
}

func (s *shelf) End(_ int64, state string, _ time.Duration) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.state = state
	return nil
}

func jobOn(s *shelf, make func(ctx context.Context, t store.Task) (store.Record, error)) *Job {
	return &Job{Store: s, AtOnce: 3, Make: make, Stopped: func(err error) bool { return errors.Is(err, context.Canceled) }, Spent: func() int64 { return 7 }}
}

func made(_ context.Context, t store.Task) (store.Record, error) {
	time.Sleep(time.Duration(rand.IntN(300)) * time.Microsecond)
	status := []record.Status{record.Unflagged, record.Flagged, record.Failed}[t.N%3]
	return store.Record{N: t.N, Document: t.Document, Status: string(status), Problems: []byte(`[{"path":"","code":"no-answer","message":"it gave none"}]`)}, nil
}

// Every task is made once, by whoever of several engines; each hands out all
// records in order, and tells how far the run is.
func TestOnceAndInOrder(t *testing.T) {
	const n = 200
	s := newShelf(n)
	var times [n]atomic.Int64
	var engines sync.WaitGroup
	for range 3 {
		engines.Go(func() {
			next, told, done := 0, 0, 0
			j := jobOn(s, func(ctx context.Context, task store.Task) (store.Record, error) {
				times[task.N].Add(1)
				return made(ctx, task)
			})
			j.Hooks = Hooks{Record: func(r store.Record) error {
				assert.Equal(t, next, r.N)
				next++
				return nil
			}, Progress: func(p Progress) {
				told++
				assert.GreaterOrEqual(t, p.Done, done)
				assert.Equal(t, n, p.All)
				assert.EqualValues(t, 7, p.SpentNano)
				if done = p.Done; p.Status == record.Failed {
					assert.Equal(t, "it gave none", p.Problem)
				}
			}}
			assert.NoError(t, j.Do(t.Context()))
			assert.Equal(t, n, next)
			assert.Positive(t, told, "each has its share")
		})
	}
	engines.Wait()
	for i := range times {
		require.EqualValues(t, 1, times[i].Load(), i)
	}
	assert.Equal(t, store.Done, s.state)
}

// What ends a run is told as it is: an error of a task, of the store, of whoever
// takes the records, a fault of the program; what only follows from the end is
// not. What was done before stays.
func TestEnds(t *testing.T) {
	errTask, errHook := errors.New("no such model"), errors.New("the pipe is closed")
	for name, c := range map[string]struct {
		change func(j *Job, s *shelf)
		want   string
	}{
		"a task": {func(j *Job, _ *shelf) {
			j.Make = func(ctx context.Context, task store.Task) (store.Record, error) {
				if task.N == 9 {
					return store.Record{}, errTask
				}
				if task.N > 9 { // what was under way then
					<-ctx.Done()
					return store.Record{}, fmt.Errorf("stopped: %w", ctx.Err())
				}
				return made(ctx, task)
			}
		}, "no such model"},
		"the store": {func(_ *Job, s *shelf) { s.refuses = 11 }, "the disk is full"},
		"the hook": {func(j *Job, _ *shelf) {
			j.Hooks.Record = func(r store.Record) error {
				if r.N == 5 {
					return errHook
				}
				return nil
			}
		}, "the pipe is closed"},
		"a fault": {func(j *Job, _ *shelf) {
			j.Make = func(ctx context.Context, task store.Task) (store.Record, error) {
				if task.N == 7 {
					var none []int
					_ = none[task.N]
				}
				return made(ctx, task)
			}
		}, "d7: the program itself failed at run/job/job_test.go:"},
	} {
		s := newShelf(100)
		j := jobOn(s, made)
		c.change(j, s)
		err := j.Do(t.Context())
		require.ErrorContains(t, err, c.want, name)
		assert.Equal(t, store.Stopped, s.state, name)
		assert.Less(t, len(s.records), 100, name)
	}
}

// A run that the user stops begins no further task, and says so.
func TestStop(t *testing.T) {
	s := newShelf(1000)
	ctx, stop := context.WithCancel(t.Context())
	var begun atomic.Int64
	j := jobOn(s, func(ctx context.Context, task store.Task) (store.Record, error) {
		if begun.Add(1) == 20 {
			stop()
		}
		return made(ctx, task)
	})
	require.ErrorIs(t, j.Do(ctx), ErrStopped)
	assert.Equal(t, store.Stopped, s.state)
	assert.LessOrEqual(t, begun.Load(), int64(20+2*j.AtOnce))
	assert.NotEmpty(t, s.records)
}
