package model

import (
	"context"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A complaint halves what may be under way, once for all that were under way
// with it; good answers bring it back; never more than the pace allows, and
// never none.
func TestThrottle(t *testing.T) {
	th := newThrottle(16)
	at := time.Unix(1000, 0)
	leave := func(tooMuch bool) {
		require.NoError(t, th.enter(context.Background()))
		th.leave(tooMuch, at)
	}
	leave(true)
	leave(true)
	assert.Equal(t, 8, th.bearable())
	for range 8 {
		at = at.Add(2 * time.Second)
		leave(true)
	}
	assert.Equal(t, 1, th.bearable())
	for range 200 {
		leave(false)
	}
	assert.Equal(t, 16, th.bearable())

	var now, most atomic.Int32
	var wait sync.WaitGroup
	small := newThrottle(3)
	for range 60 {
		wait.Go(func() {
			if small.enter(context.Background()) == nil {
				if n := now.Add(1); n > most.Load() {
					most.Store(n)
				}
				time.Sleep(time.Millisecond)
				now.Add(-1)
				small.leave(false, time.Now())
			}
		})
	}
	wait.Wait()
	assert.Equal(t, int32(3), most.Load())
	require.NoError(t, small.enter(context.Background()))
	require.NoError(t, small.enter(context.Background()))
	require.NoError(t, small.enter(context.Background()))
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Millisecond)
	defer cancel()
	assert.Error(t, small.enter(ctx), "a stop ends the waiting")
}

// Tokens that a request did not use come back, and one that is larger than a
// minute's worth goes out all the same.
func TestBucket(t *testing.T) {
	b := newBucket(6000)
	n, err := b.take(context.Background(), 5000)
	require.NoError(t, err)
	b.settle(n, 1000)
	began := time.Now()
	_, err = b.take(context.Background(), 4900)
	require.NoError(t, err)
	assert.Less(t, time.Since(began), 500*time.Millisecond)
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Millisecond)
	defer cancel()
	_, err = b.take(ctx, 3000)
	assert.Error(t, err, "there are not so many left")
	big := newBucket(1000)
	n, err = big.take(context.Background(), 50000)
	require.NoError(t, err)
	assert.Equal(t, 1000, n)
}
