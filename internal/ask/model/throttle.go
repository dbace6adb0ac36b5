package model

import (
	"context"
	"sync"
	"time"
)

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

// bucket holds the tokens of a minute: what a request may take is taken out
// before it goes, what it did not take comes back.
type bucket struct {
	mu   sync.Mutex
	size float64
	left float64
	at   time.Time
}

func newBucket(perMinute int) *bucket {
	return &bucket{size: float64(perMinute), left: float64(perMinute), at: time.Now()}
}

// fill lets in what has come since the last look.
func (b *bucket) fill(now time.Time) {
	b.left = min(b.size, b.left+b.size*now.Sub(b.at).Minutes())
	b.at = now
}

// take waits until n tokens are there. A request that is larger than the bucket
// waits until it is full.
func (b *bucket) take(ctx context.Context, n int) (int, error) {
	need := min(float64(n), b.size)
	for {
		b.mu.Lock()
		b.fill(time.Now())
		missing := need - b.left
		if missing <= 0 {
			b.left -= need
			b.mu.Unlock()
			return int(need), nil
		}
		b.mu.Unlock()
		wait := time.Duration(missing / b.size * float64(time.Minute))
		select {
		case <-time.After(max(wait, time.Millisecond)):
		case <-ctx.Done():
			return 0, ctx.Err()
		}
	}
}

// settle gives back what a request did not take, or takes what it took more.
func (b *bucket) settle(taken, used int) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.fill(time.Now())
	b.left = min(b.size, b.left+float64(taken-used))
}
