package model

import (
	"context"
	"fmt"
	"sync"
	"time"

	"filler/internal/base/project"
)

// alike is how many first requests must fail alike for a server to be taken as one
// that serves none.
const alike = 3

// aloneFailed is the verdict over the only requests under way.
const aloneFailed = "nothing has been answered"

// standing is how a server has fared: whether a request that failed is a fault of
// that one request, or of the server.
//
// Before the first answer a failed request waits for what the others come to: where
// one is answered, the failure is the request's own; where three fail alike, or
// nothing else is under way, no other would fare better.
type standing struct {
	patience time.Duration // how long nothing may be answered

	mu     sync.Mutex
	turn   *sync.Cond
	served bool
	good   time.Time      // the last answer, or the first request
	since  int            // failures since then
	kinds  map[string]int // failures before the first answer, by kind
	out    int            // requests under way
	held   int            // of these, those that wait for a verdict
}

func newStanding(patience time.Duration) *standing {
	if patience <= 0 {
		patience = project.DefaultPace.GiveUp
	}
	s := &standing{patience: patience, kinds: map[string]int{}}
	s.turn = sync.NewCond(&s.mu)
	return s
}

// hasServed tells whether a request was answered as a model does.
func (s *standing) hasServed() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.served
}

// begin notes a request that is under way.
func (s *standing) begin(now time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.good.IsZero() {
		s.good = now
	}
	s.out++
}

// answered notes a request that was answered as a model does, or could not be for
// reasons of its own.
func (s *standing) answered(now time.Time) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.out--
	s.served, s.good, s.since = true, now, 0
	s.turn.Broadcast()
}

// left notes a request that ended without saying anything of the server.
func (s *standing) left() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.out--
	s.turn.Broadcast()
}

// failed waits until it is known whose fault a failed request is, and gives why the
// run should stop; "" where the fault is the request's own.
func (s *standing) failed(ctx context.Context, kind string, now time.Time) string {
	stop := context.AfterFunc(ctx, func() {
		s.mu.Lock()
		defer s.mu.Unlock()
		s.turn.Broadcast()
	})
	defer stop()
	s.mu.Lock()
	defer s.mu.Unlock()
	defer func() { s.out-- }()
	s.since++
	if s.served {
		if quiet := now.Sub(s.good); quiet >= s.patience && s.since >= alike {
			return fmt.Sprintf("no request was answered for %s", quiet.Round(time.Second))
		}
		return ""
	}
	s.kinds[kind]++
	s.held++
	defer func() { s.held-- }()
	s.turn.Broadcast()
	for {
		switch {
		case s.served || ctx.Err() != nil:
			return ""
		case s.kinds[kind] >= alike:
			return fmt.Sprintf("the first %d requests failed alike", alike)
		case s.held == s.out:
			s.turn.Broadcast()
			return aloneFailed
		}
		s.turn.Wait()
	}
}
