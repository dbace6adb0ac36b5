package model

import (
	"context"
	"filler/internal/base/project"
	"math/rand/v2"
	"sort"
	"sync"
	"sync/atomic"
	"testing"
	"testing/synctest"
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

// With many at once, of all sizes, with retries that fail at once or late, no 60
// seconds hold more requests or tokens than the limits allow, whether they count when
// they go out or when they come back; and little of what is allowed is left unused.
// The time is not the real one.
func TestMinuteHolds(t *testing.T) {
	const perMinute, most, hands = 90, 40_000, 24
	for seed := range uint64(4) {
		synctest.Test(t, func(t *testing.T) {
			c := newLocal(project.Pace{AtOnce: hands, PerMinute: perMinute, TokensPerMinute: most})
			var mu sync.Mutex
			type passed struct {
				at time.Time
				n  int
			}
			var out, back []passed
			r := rand.New(rand.NewPCG(seed, 7))
			number := func(n int) int {
				mu.Lock()
				defer mu.Unlock()
				return r.IntN(n)
			}
			began := time.Now()
			var wait sync.WaitGroup
			for range hands {
				wait.Go(func() {
					for range 15 {
						for try := 0; try < 3; try++ {
							taken := 100 + number(5000)
							require.NoError(t, c.enter(t.Context(), taken))
							used := min(taken, 50+number(taken))
							at := time.Now()
							time.Sleep(time.Duration(number(40_000)) * time.Millisecond)
							if number(3) == 0 {
								used = 0 // refused
							}
							c.leave(taken, used, false)
							mu.Lock()
							out, back = append(out, passed{at, used}), append(back, passed{time.Now(), used})
							mu.Unlock()
							if used > 0 {
								break
							}
							time.Sleep(time.Duration(number(3000)) * time.Millisecond)
						}
					}
				})
			}
			wait.Wait()
			for _, list := range [][]passed{out, back} {
				sort.Slice(list, func(i, j int) bool { return list[i].at.Before(list[j].at) })
				for from, sum, to := 0, 0, 0; to < len(list); to++ {
					for sum += list[to].n; list[to].at.Sub(list[from].at) >= time.Minute; from++ {
						sum -= list[from].n
					}
					require.LessOrEqual(t, sum, most)
				}
			}
			for from, to := 0, 0; to < len(out); to++ {
				for ; out[to].at.Sub(out[from].at) >= time.Minute; from++ {
				}
				require.LessOrEqual(t, to-from+1, perMinute)
			}
			total := 0
			for _, p := range out {
				total += p.n
			}
			assert.Greater(t, float64(total)/time.Since(began).Minutes(), 0.2*most)
		})
	}
}

// One that is larger than a minute's worth goes out all the same, alone; a stop ends
// the waiting.
func TestMinuteOfOneLargeRequest(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		m := newMinute(1000)
		require.NoError(t, m.take(t.Context(), 50_000))
		m.settle(50_000, 30_000)
		began := time.Now()
		require.NoError(t, m.take(t.Context(), 10))
		assert.Equal(t, time.Minute, time.Since(began))
		ctx, cancel := context.WithTimeout(t.Context(), 30*time.Second)
		defer cancel()
		assert.Error(t, m.take(ctx, 995), "there are not so many left")
	})
}

// A failure before any answer is the server's where three fail alike or nothing else
// is under way, and the request's own where another is answered; after an answer it is
// its own, until nothing was answered for long.
func TestWhoseFault(t *testing.T) {
	synctest.Test(t, func(t *testing.T) {
		run := func(s *standing, ends ...string) []string {
			said := make([]string, len(ends))
			var wait sync.WaitGroup
			for i := range ends {
				s.begin(time.Now())
				wait.Go(func() {
					time.Sleep(time.Duration(i+1) * time.Second)
					switch ends[i] {
					case "good":
						s.answered(time.Now())
					case "own":
						s.left()
					default:
						said[i] = s.failed(t.Context(), ends[i], time.Now())
					}
				})
			}
			wait.Wait()
			return said
		}
		three := "the first 3 requests failed alike"
		fresh := func() *standing { return newStanding(time.Minute) }
		assert.Equal(t, []string{aloneFailed}, run(fresh(), "500"))
		assert.Equal(t, []string{aloneFailed, aloneFailed}, run(fresh(), "500", "page"))
		assert.Equal(t, []string{three, three, three, three}, run(fresh(), "500", "500", "500", "500"))
		assert.Equal(t, []string{"", "", "", ""}, run(fresh(), "500", "500", "good", "500"))
		assert.Equal(t, []string{aloneFailed, "", aloneFailed}, run(fresh(), "500", "own", "page"))
		s := fresh()
		run(s, "good")
		assert.Equal(t, []string{"", "", "", "", ""}, run(s, "500", "500", "500", "500", "500"))
		time.Sleep(time.Minute)
		assert.Equal(t, []string{"no request was answered for 1m6s"}, run(s, "500"))
		run(s, "good")
		time.Sleep(time.Hour)
		assert.Equal(t, []string{"", "", "no request was answered for 1h0m3s"}, run(s, "500", "404", "500"))
	})
}
