package postgres_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"sort"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/chat"
	"filler/internal/ask/exchange"
	"filler/internal/ask/model"
	"filler/internal/base/project"
	"filler/internal/store"
	"filler/internal/store/pgtest"
	"filler/internal/store/postgres"
)

// minute is what a minute is in these tests.
const minute = 3 * time.Second

func TestMain(m *testing.M) {
	postgres.SetMinute(minute)
	pgtest.Main(m)
}

// watched is a model server that remembers when requests came and went.
type watched struct {
	mu      sync.Mutex
	now     int
	most    int
	came    []time.Time
	left    []time.Time
	used    []int
	refuses func(now int) bool
	slow    time.Duration
}

func (s *watched) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	s.now++
	s.most = max(s.most, s.now)
	s.came = append(s.came, time.Now())
	tooMuch := s.refuses != nil && s.refuses(s.now)
	s.mu.Unlock()
	time.Sleep(s.slow + time.Duration(20+rand.IntN(60))*time.Millisecond)
	s.mu.Lock()
	s.now--
	n := 0
	if !tooMuch {
		n = 20
	}
	s.left, s.used = append(s.left, time.Now()), append(s.used, n)
	s.mu.Unlock()
	if tooMuch {
		w.WriteHeader(http.StatusTooManyRequests)
		return
	}
	fmt.Fprint(w, `{"choices":[{"message":{"content":"hi"},"finish_reason":"stop"}],"usage":{"prompt_tokens":10,"completion_tokens":10}}`)
}

// hands gives clients of one server that share a ledger, as processes do.
func hands(t *testing.T, n int, s *watched, pace project.Pace) ([]*model.Client, []*postgres.Ledger) {
	server := httptest.NewServer(s)
	t.Cleanup(server.Close)
	at := pgtest.Shared(t).Database(t)
	var clients []*model.Client
	var ledgers []*postgres.Ledger
	for range n {
		l, err := postgres.Open(at)
		require.NoError(t, err)
		t.Cleanup(func() { l.Close() })
		m := &project.Model{Entry: "m", Name: "m", Shape: "plain", At: server.URL, PriceIn: 1000, PriceOut: 1000}
		clients, ledgers = append(clients, model.New(m, model.Way{Base: server.URL, Codec: chat.Codec{}}, pace, l)), append(ledgers, l)
	}
	return clients, ledgers
}

// all has each client send so many requests at once, and gives how many were answered.
func all(t *testing.T, clients []*model.Client, each int, run int64) (answered int) {
	var wait sync.WaitGroup
	var mu sync.Mutex
	for hand, c := range clients {
		for i := range each {
			wait.Go(func() {
				_, err := c.Ask(context.Background(), model.Call{Run: run, N: i}, &exchange.Request{Model: "m", MaxTokens: 30, Messages: []exchange.Message{{Role: "user", Content: fmt.Sprintf("what is %d of %d and no other number?", i, hand)}}})
				var f *model.Failure
				if errors.As(err, &f) && f.Budget {
					return
				}
				if assert.NoError(t, err) {
					mu.Lock()
					answered++
					mu.Unlock()
				}
			})
		}
	}
	wait.Wait()
	return answered
}

// mostIn gives the most that falls into any stretch of time.
func mostIn(times []time.Time, n []int, stretch time.Duration) (most int) {
	order := make([]int, len(times))
	for i := range order {
		order[i] = i
	}
	sort.Slice(order, func(i, j int) bool { return times[order[i]].Before(times[order[j]]) })
	sum := 0
	for from, to := 0, 0; to < len(order); to++ {
		sum += n[order[to]]
		for ; times[order[to]].Sub(times[order[from]]) >= stretch; from++ {
			sum -= n[order[from]]
		}
		most = max(most, sum)
	}
	return most
}

func ones(n int) []int {
	all := make([]int, n)
	for i := range all {
		all[i] = 1
	}
	return all
}

// However many processes ask one server, together they never have more under way than one may,
// and each has its part.
func TestAtOnceIsShared(t *testing.T) {
	t.Parallel()
	s := &watched{}
	clients, _ := hands(t, 4, s, project.Pace{AtOnce: 10, Attempts: 2, Timeout: 5 * time.Second})
	assert.Equal(t, 480, all(t, clients, 120, 0))
	assert.LessOrEqual(t, s.most, 10)
	assert.GreaterOrEqual(t, s.most, 8, "most of what is allowed is used")
}

// No minute has more requests or tokens than one process may send.
func TestMinuteIsShared(t *testing.T) {
	t.Parallel()
	for name, pace := range map[string]project.Pace{
		"requests": {AtOnce: 20, PerMinute: 60, Attempts: 1, Timeout: 5 * time.Second},
		"tokens":   {AtOnce: 20, TokensPerMinute: 2500, Attempts: 1, Timeout: 5 * time.Second},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := &watched{}
			clients, _ := hands(t, 3, s, pace)
			assert.Equal(t, 120, all(t, clients, 40, 0))
			for _, times := range [][]time.Time{s.came, s.left} {
				if pace.PerMinute > 0 {
					assert.LessOrEqual(t, mostIn(s.came, ones(len(s.came)), minute), pace.PerMinute)
				} else {
					assert.LessOrEqual(t, mostIn(times, s.used, minute), pace.TokensPerMinute)
				}
			}
		})
	}
}

// What one process hears of a server that has enough, all heed.
func TestSlowingDownIsShared(t *testing.T) {
	t.Parallel()
	s := &watched{slow: 300 * time.Millisecond, refuses: func(now int) bool { return now > 6 }}
	clients, _ := hands(t, 3, s, project.Pace{AtOnce: 24, Attempts: 12, Timeout: 5 * time.Second})
	all(t, clients, 30, 0)
	late := s.used[len(s.used)/2:]
	refused := 0
	for _, n := range late {
		if n == 0 {
			refused++
		}
	}
	assert.Less(t, refused, len(late)/2, "the second half meets few refusals")
}

// A run's budget holds over all processes, whoever is leased what: never more is spent, and most of
// it is.
func TestBudgetIsShared(t *testing.T) {
	t.Parallel()
	s := &watched{}
	clients, ledgers := hands(t, 4, s, project.Pace{AtOnce: 16, Attempts: 1, Timeout: 5 * time.Second})
	run, err := ledgers[0].Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, []store.Task{{N: 0, Document: "d"}})
	require.NoError(t, err)
	const each, limit = 20_000_000, 120 * 20_000_000 // an answer costs 0.02
	require.NoError(t, ledgers[0].SetBudget(run, limit))
	for i, l := range ledgers {
		if i > 0 {
			require.NoError(t, l.Join(run))
		}
		clients[i].Purse, err = model.NewSharedPurse(l, run)
		require.NoError(t, err)
	}
	answered := all(t, clients, 60, run)
	totals, err := ledgers[0].Totals(run)
	require.NoError(t, err)
	assert.LessOrEqual(t, totals.CostNano, int64(limit))
	assert.EqualValues(t, totals.CostNano, int64(answered)*each)
	assert.Greater(t, answered, 100, "it stops where the next might not fit, and not long before")
	assert.Less(t, answered, 240)
	for _, l := range ledgers {
		require.NoError(t, l.End(run, store.Stopped, 0))
	}
	lease, err := ledgers[0].Lease(run, 0, 0)
	require.NoError(t, err)
	assert.Equal(t, totals.CostNano, lease.All, "what those that left have spent counts")
}
