package model

import (
	"context"
	"sync"
)

// Purse holds what a run may spend. Before a request goes out, the most that it
// can cost is set aside; once it is answered, what it did cost is taken and the
// rest is free again.
type Purse interface {
	// Left gives what may still be spent, and Spent what is gone, in billionths.
	Left() int64
	Spent() int64

	// setAside waits until most fits beside what is set aside already. It is false
	// where it would not fit even alone, or ctx ended; an error says why that is not known.
	setAside(ctx context.Context, most int64) (bool, error)
	// reserve sets most aside for good, for a request that is answered another time. It
	// is false where it does not fit.
	reserve(most int64) bool
	// settle takes what a request did cost.
	settle(most, cost int64)
}

// purse is that of one process.
type purse struct {
	mu     sync.Mutex
	turn   *sync.Cond
	limit  int64
	spent  int64
	aside  int64
	closed bool
}

// NewPurse gives a purse of limit, of which spent is gone already, both in
// billionths.
func NewPurse(limit, spent int64) Purse {
	p := &purse{limit: limit, spent: spent}
	p.turn = sync.NewCond(&p.mu)
	return p
}

func (p *purse) setAside(ctx context.Context, most int64) (bool, error) {
	stop := context.AfterFunc(ctx, func() {
		p.mu.Lock() // not between a waiter's look at ctx and its wait
		defer p.mu.Unlock()
		p.turn.Broadcast()
	})
	defer stop()
	p.mu.Lock()
	defer p.mu.Unlock()
	for {
		switch {
		case ctx.Err() != nil || p.closed || plus(p.spent, most) > p.limit:
			// Where one request does not fit, no later one goes out: the run
			// ends at one place and not in shreds.
			p.closed = p.closed || ctx.Err() == nil
			p.turn.Broadcast()
			return false, nil
		case plus(p.spent, plus(p.aside, most)) <= p.limit:
			p.aside += most
			return true, nil
		}
		p.turn.Wait()
	}
}

func (p *purse) reserve(most int64) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.closed || plus(p.spent, plus(p.aside, most)) > p.limit {
		p.closed = true
		return false
	}
	p.aside += most
	return true
}

func (p *purse) settle(most, cost int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.aside -= most
	p.spent = plus(p.spent, cost)
	p.turn.Broadcast()
}

func (p *purse) Left() int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	return max(p.limit-p.spent, 0)
}

func (p *purse) Spent() int64 {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.spent
}
