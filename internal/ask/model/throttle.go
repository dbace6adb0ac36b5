package model

import (
	"context"
	"sync"
	"time"

	"golang.org/x/time/rate"

	"filler/internal/base/project"
)

// pacer bounds how fast requests go out.
type pacer interface {
	// enter waits until one more request may go out, which takes so many tokens at most.
	enter(ctx context.Context, tokens int) error
	// leave ends a request: used is what it took; tooMuch says that the server would not
	// bear it.
	leave(tokens, used int, tooMuch bool)
	// share gives how many requests may be under way here now.
	share() int
}

// local is the pace of one process.
type local struct {
	limiter *rate.Limiter // nil: no limit
	minute  *minute       // of tokens; nil: no limit
	crowd   *throttle
}

func newLocal(pace project.Pace) *local {
	l := &local{crowd: newThrottle(pace.AtOnce)}
	if pace.PerMinute > 0 {
		l.limiter = rate.NewLimiter(rate.Limit(float64(pace.PerMinute)/60), 1)
	}
	if pace.TokensPerMinute > 0 {
		l.minute = newMinute(pace.TokensPerMinute)
	}
	return l
}

func (l *local) enter(ctx context.Context, tokens int) error {
	if l.limiter != nil {
		if err := l.limiter.Wait(ctx); err != nil {
			return err
		}
	}
	if l.minute != nil {
		if err := l.minute.take(ctx, tokens); err != nil {
			return err
		}
	}
	err := l.crowd.enter(ctx)
	if err != nil && l.minute != nil {
		l.minute.settle(tokens, 0)
	}
	return err
}

func (l *local) leave(tokens, used int, tooMuch bool) {
	l.crowd.leave(tooMuch, time.Now())
	if l.minute != nil {
		l.minute.settle(tokens, used)
	}
}

func (l *local) share() int { return int(l.crowd.most) }

// throttle bounds how many requests are under way, and learns how many the
// server bears: half as many after it says that it is too much, one more after
// each so many good answers as are under way.
type throttle struct {
	mu    sync.Mutex
	turn  *sync.Cond
	most  float64 // what the pace allows
	now   float64 // what the server seems to bear
	out   int     // under way
	eased time.Time
}

func newThrottle(most int) *throttle {
	t := &throttle{most: float64(max(most, 1)), now: float64(max(most, 1))}
	t.turn = sync.NewCond(&t.mu)
	return t
}

// enter waits until one more request may be under way.
func (t *throttle) enter(ctx context.Context) error {
	stop := context.AfterFunc(ctx, func() {
		t.mu.Lock() // not between a waiter's look at ctx and its wait
		defer t.mu.Unlock()
		t.turn.Broadcast()
	})
	defer stop()
	t.mu.Lock()
	defer t.mu.Unlock()
	for t.out > 0 && float64(t.out+1) > t.now {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		t.turn.Wait()
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	t.out++
	return nil
}

// ease is how long one complaint of the server stands for all that come with
// it: those of requests that were under way together.
const ease = time.Second

// leave ends a request: too much says that the server would not bear it.
func (t *throttle) leave(tooMuch bool, at time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.out--
	switch {
	case tooMuch && at.Sub(t.eased) >= ease:
		t.now, t.eased = max(t.now/2, 1), at
	case !tooMuch:
		t.now = min(t.now+1/t.now, t.most)
	}
	t.turn.Broadcast()
}

// bearable gives how many requests may be under way now.
func (t *throttle) bearable() int {
	t.mu.Lock()
	defer t.mu.Unlock()
	return int(t.now)
}

// minute bounds what goes through in any 60 seconds: what a request may take counts
// from when it goes out until a minute after it has come back, when what it did take
// is known. Thus no 60 seconds hold more, whether a server counts a request when it
// begins or when it ends; but for one that alone takes more than a minute's worth,
// which waits until nothing else counts.
type minute struct {
	most int

	mu   sync.Mutex
	sum  int           // of all that counts
	past []spent       // that came back, in the order in which they stop to count
	back chan struct{} // closed when something came back
	line chan struct{} // holds one: who came first goes first
}

// spent is what counts until a time.
type spent struct {
	n     int
	until time.Time
}

func newMinute(most int) *minute {
	return &minute{most: most, back: make(chan struct{}), line: make(chan struct{}, 1)}
}

// pause waits for a time, or until sooner or ctx ends.
func pause(ctx context.Context, d time.Duration, sooner <-chan struct{}) error {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-t.C:
	case <-sooner:
	case <-ctx.Done():
	}
	return ctx.Err()
}

// take waits until n may go out.
func (m *minute) take(ctx context.Context, n int) error {
	select {
	case m.line <- struct{}{}:
	case <-ctx.Done():
		return ctx.Err()
	}
	defer func() { <-m.line }()
	for {
		wait, back := m.try(n)
		if back == nil {
			return nil
		}
		if err := pause(ctx, wait, back); err != nil {
			return err
		}
	}
}

// try takes n if it fits; else it gives how long to wait at most, and what tells
// that something came back.
func (m *minute) try(n int) (time.Duration, <-chan struct{}) {
	m.mu.Lock()
	defer m.mu.Unlock()
	now := time.Now()
	for len(m.past) > 0 && !m.past[0].until.After(now) {
		m.sum -= m.past[0].n
		m.past = m.past[1:]
	}
	if m.sum == 0 || m.sum+n <= m.most {
		m.sum += n
		return 0, nil
	}
	wait := time.Minute
	if len(m.past) > 0 {
		wait = m.past[0].until.Sub(now)
	}
	return wait, m.back
}

// settle notes that a request has come back, and what it took.
func (m *minute) settle(taken, used int) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.sum += used - taken
	m.past = append(m.past, spent{used, time.Now().Add(time.Minute)})
	close(m.back)
	m.back = make(chan struct{})
}
