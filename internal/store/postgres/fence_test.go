package postgres_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/store"
	"filler/internal/store/pgtest"
	"filler/internal/store/postgres"
)

func made(n int, status string) store.Record {
	return store.Record{N: n, Status: status, Record: []byte("{}"), Problems: []byte("[]"), Evidence: []byte("{}"), Trace: []byte("[]")}
}

// opened opens a database until the test ends.
func opened(t *testing.T, at string) *postgres.Ledger {
	t.Helper()
	l, err := postgres.Open(at)
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	return l
}

// Who was thought dead and is back can't overwrite what others did since, nor send what they send;
// what it had sent is kept as maybe spent and counts against the budget; what nobody took from it is
// still its own to finish.
func TestThoughtDead(t *testing.T) {
	s := pgtest.Shared(t)
	at := s.Database(t)
	a, b := opened(t, at), opened(t, at)
	var tasks []store.Task
	for n := range 4 {
		tasks = append(tasks, store.Task{N: n, Document: string(rune('a' + n))})
	}
	run, err := a.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p"), Budget: 1000}, tasks)
	require.NoError(t, err)
	held, err := a.Claim(run, 3)
	require.NoError(t, err)
	require.Len(t, held, 3)
	mine, err := a.Take("k")
	require.NoError(t, err)
	require.True(t, mine)
	require.NoError(t, a.Depart(store.Exchange{Key: "k", Run: run, N: 0, Step: "fill", CostNano: 70}))

	s.Do(t, pgtest.Name(at), "UPDATE filler.worker SET until = now() - interval '1 second'")
	require.NoError(t, b.Join(run))
	mine, err = b.Take("k")
	require.NoError(t, err)
	assert.True(t, mine, "the right is free")
	all, err := a.Exchanges(run, 0)
	require.NoError(t, err)
	require.Len(t, all, 1)
	assert.Equal(t, []any{store.InFlight, int64(70), true}, []any{all[0].Error, all[0].CostNano, all[0].Estimated})
	got, err := b.Claim(run, 2)
	require.NoError(t, err)
	require.Len(t, got, 1, "the one that nobody had; those that a worker ended with come last, and alone")
	require.NoError(t, b.SaveRecord(run, made(got[0].N, "unflagged")))
	got, err = b.Claim(run, 2)
	require.NoError(t, err)
	require.Len(t, got, 1)
	assert.Equal(t, 1, got[0].Deaths)
	first := got[0].N
	require.NoError(t, b.SaveRecord(run, made(first, "repaired")))
	got, err = b.Claim(run, 2)
	require.NoError(t, err)
	require.Len(t, got, 1)

	var taken *store.Taken
	assert.ErrorAs(t, a.SaveRecord(run, made(first, "flagged")), &taken, "done by another")
	assert.ErrorAs(t, a.SaveRecord(run, made(got[0].N, "flagged")), &taken, "held by another")
	assert.ErrorAs(t, a.Depart(store.Exchange{Key: "k", Run: run, N: 0}), &taken, "on its way by another")
	require.NoError(t, a.Drop("k"))
	again, err := a.Take("k")
	require.NoError(t, err)
	assert.False(t, again, "and stays another's")
	last := held[0].N + held[1].N + held[2].N - first - got[0].N
	require.NoError(t, a.SaveRecord(run, made(last, "flagged")), "nobody took it")
	r, _, err := a.RecordAt(run, first)
	require.NoError(t, err)
	assert.Equal(t, "repaired", r.Status)
	lease, err := b.Lease(run, 0, 0)
	require.NoError(t, err)
	assert.Equal(t, []int64{70, 1000}, []int64{lease.All, lease.Limit})
}

// Who stood still, was thought dead and goes on takes its place again before it holds anything; and
// what is held in the name of a row that is gone becomes free, so that no run waits for ever.
func TestHeldByNobody(t *testing.T) {
	s := pgtest.Shared(t)
	at := s.Database(t)
	a, b := opened(t, at), opened(t, at)
	var tasks []store.Task
	for n := range 4 {
		tasks = append(tasks, store.Task{N: n, Document: string(rune('a' + n))})
	}
	run, err := a.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, tasks)
	require.NoError(t, err)
	mine, err := a.Take("k")
	require.NoError(t, err)
	require.True(t, mine)
	s.Do(t, pgtest.Name(at), "DELETE FROM filler.worker")
	held, err := a.Claim(run, 2)
	require.NoError(t, err)
	require.Len(t, held, 2)
	require.NoError(t, b.Join(run))
	got, err := b.Claim(run, 4)
	require.NoError(t, err)
	assert.Len(t, got, 2, "the others are held by one that is there again")
	for _, task := range got {
		require.NoError(t, b.SaveRecord(run, made(task.N, "unflagged")))
	}
	mine, err = b.Take("k")
	require.NoError(t, err)
	assert.True(t, mine, "who had the right is gone")

	s.Do(t, pgtest.Name(at), "DELETE FROM filler.worker WHERE id IN (SELECT holder FROM filler.task)")
	got, err = b.Claim(run, 4)
	require.NoError(t, err)
	assert.Len(t, got, 2, "nobody has them")
}

// A run that had no budget is given one only when nobody is at it who would not hear of it; what it
// has cost before counts once, also where a worker was thought dead and came back.
func TestBudgetOfARunThatHadNone(t *testing.T) {
	s := pgtest.Shared(t)
	at := s.Database(t)
	a, b := opened(t, at), opened(t, at)
	run, err := a.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, []store.Task{{N: 0, Document: "d"}, {N: 1, Document: "e"}})
	require.NoError(t, err)
	pay := func(l *postgres.Ledger, nano int64) {
		require.NoError(t, l.SaveExchange(store.Exchange{Key: store.HashOf([]byte{byte(nano)}), Run: run, Step: "fill", Try: 1, Status: 200, Reply: []byte("{}"), CostNano: nano}))
	}
	noted := func() { // what was paid is in the worker's row, in a moment
		require.Eventually(t, func() bool {
			all, err := a.Workers()
			require.NoError(t, err)
			for _, w := range all {
				if w.Run == run && w.Spent > 0 {
					return true
				}
			}
			return false
		}, 10*time.Second, 50*time.Millisecond)
	}
	pay(a, 30)
	noted()
	s.Do(t, pgtest.Name(at), "UPDATE filler.worker SET until = now() - interval '1 second'")
	require.NoError(t, b.Join(run))
	noted() // its row is made again
	pay(a, 50)

	var unheard *store.Unheard
	require.ErrorAs(t, b.SetBudget(run, 1000), &unheard)
	assert.Equal(t, 1, unheard.Others)
	require.NoError(t, a.End(run, store.Stopped, 0))
	require.NoError(t, b.SetBudget(run, 1000))
	lease, err := b.Lease(run, 0, 0)
	require.NoError(t, err)
	assert.EqualValues(t, 80, lease.All)
	pay(b, 7)
	lease, err = b.Lease(run, 0, 0)
	require.NoError(t, err)
	assert.Equal(t, []int64{87, 1000}, []int64{lease.All, lease.Limit})
	kept, err := a.Find("1")
	require.NoError(t, err)
	assert.EqualValues(t, 1000, kept.Budget)
}
