package model

import (
	"context"
	"math/rand/v2"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// However many spend at once, the limit is never passed, and what was set aside
// and not used is free for others.
func TestPurse(t *testing.T) {
	p := NewPurse(1000, 100)
	var wait sync.WaitGroup
	var mu sync.Mutex
	paid, refused := int64(100), 0
	for i := range 60 {
		wait.Go(func() {
			r := rand.New(rand.NewPCG(uint64(i), 1))
			if !fits(p, context.Background(), 200) {
				mu.Lock()
				refused++
				mu.Unlock()
				return
			}
			time.Sleep(time.Duration(r.IntN(300)) * time.Microsecond)
			cost := int64(20 + r.IntN(20))
			mu.Lock()
			paid += cost
			mu.Unlock()
			p.settle(200, cost)
		})
	}
	wait.Wait()
	assert.Equal(t, paid, p.Spent())
	assert.LessOrEqual(t, paid, int64(1000))
	assert.Greater(t, paid, int64(800), "it stops where the next might not fit, and not before")
	assert.Positive(t, refused)
}

// A stop wakes those that wait.
func TestPurseStopped(t *testing.T) {
	p := NewPurse(100, 0)
	assert.True(t, fits(p, context.Background(), 90))
	ctx, stop := context.WithCancel(context.Background())
	time.AfterFunc(10*time.Millisecond, stop)
	assert.False(t, fits(p, ctx, 50))
	p.settle(90, 1)
	assert.True(t, fits(p, context.Background(), 50), "the stop of one does not close the purse")
}

func fits(p Purse, ctx context.Context, most int64) bool {
	fits, err := p.setAside(ctx, most)
	return fits && err == nil
}
