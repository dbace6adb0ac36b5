package store_test

import (
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/store"
	"filler/internal/store/pgtest"
	"filler/internal/store/postgres"
)

func record(n int) store.Record {
	return store.Record{N: n, Status: "unflagged", Record: []byte("{}"), Problems: []byte("[]"), Evidence: []byte("{}"), Trace: []byte("[]")}
}

func tasks(n int) (all []store.Task) {
	for i := range n {
		all = append(all, store.Task{N: i, Document: fmt.Sprint("d", i)})
	}
	return all
}

// Several openings of one ledger take each task once, share what there is, and
// what one gives back another takes.
func TestTasksAreClaimedOnce(t *testing.T) { onEach(t, tasksAreClaimedOnce) }

func tasksAreClaimedOnce(t *testing.T, k kind) {
	first, at := k.new(t)
	run, err := first.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, tasks(300))
	require.NoError(t, err)
	none, err := first.Totals(run)
	require.NoError(t, err)
	require.Equal(t, store.Totals{Documents: 300, Waiting: 300}, none)
	var mu sync.Mutex
	by := map[int]int{}
	share := make([]int, 3)
	var wait sync.WaitGroup
	var hands []store.Store // all are there before the first begins
	for range share {
		l := k.again(t, at)
		require.NoError(t, l.Join(run))
		hands = append(hands, l)
	}
	for hand, l := range hands {
		wait.Go(func() {
			for {
				got, err := l.Claim(run, 4)
				if !assert.NoError(t, err) || len(got) == 0 {
					return
				}
				for _, task := range got {
					mu.Lock()
					by[task.N]++
					share[hand]++
					mu.Unlock()
					time.Sleep(4 * time.Millisecond) // the work, longer than any wait for the file
					assert.NoError(t, l.SaveRecord(run, record(task.N)))
				}
			}
		})
	}
	wait.Wait()
	require.Len(t, by, 300)
	for n, times := range by {
		require.Equal(t, 1, times, n)
	}
	for hand, n := range share {
		assert.Greater(t, n, 15, "hand %d had its part: %v", hand, share)
	}
	totals, err := first.Totals(run)
	require.NoError(t, err)
	assert.Equal(t, []int{300, 0}, []int{totals.Unflagged, totals.Waiting})
}

// What a holder that leaves had claimed is free again; a run that somebody is
// still at goes on, and one that nobody is at was interrupted.
func TestClaimsEndWithTheirHolder(t *testing.T) { onEach(t, claimsEndWithTheirHolder) }

func claimsEndWithTheirHolder(t *testing.T, k kind) {
	a, at := k.new(t)
	run, err := a.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, tasks(5))
	require.NoError(t, err)
	b, err := k.open(at)
	require.NoError(t, err)
	require.NoError(t, b.Join(run))
	got, err := b.Claim(run, 3)
	require.NoError(t, err)
	require.Len(t, got, 3)
	require.NoError(t, b.SaveRecord(run, record(got[0].N)))
	state := func() string {
		r, err := a.Find(fmt.Sprint(run))
		require.NoError(t, err)
		return r.State
	}
	require.NoError(t, a.End(run, store.Stopped, time.Second))
	assert.Equal(t, store.Going, state(), "b is at it")
	require.NoError(t, b.Close())
	assert.Equal(t, store.Interrupted, state(), "b went without a word")
	_, err = a.Find("last")
	var only *store.OnlyInterrupted
	require.ErrorAs(t, err, &only)
	assert.Equal(t, run, only.Run)

	require.NoError(t, a.Join(run))
	assert.Equal(t, store.Going, state())
	got, err = a.Claim(run, 10)
	require.NoError(t, err)
	assert.Len(t, got, 4, "all but the one that b has done")
	require.NoError(t, a.End(run, store.Done, time.Second))
	assert.Equal(t, store.Done, state())
}

// Of several that end at once the last one ends the run, whoever that is.
func TestTheLastOneEndsTheRun(t *testing.T) { onEach(t, theLastOneEndsTheRun) }

func theLastOneEndsTheRun(t *testing.T, k kind) {
	first, at := k.new(t)
	hands := []store.Store{first}
	for range 3 {
		hands = append(hands, k.again(t, at))
	}
	for range 25 {
		run, err := first.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, tasks(1))
		require.NoError(t, err)
		for _, l := range hands[1:] {
			require.NoError(t, l.Join(run))
		}
		require.NoError(t, first.SaveRecord(run, record(0)))
		var wait sync.WaitGroup
		for _, l := range hands {
			wait.Go(func() { assert.NoError(t, l.End(run, store.Done, 0)) })
		}
		wait.Wait()
		r, err := first.Find(fmt.Sprint(run))
		require.NoError(t, err)
		require.Equal(t, store.Done, r.State)
	}
}

// What failed waits again once a run is joined, but not while another is at it.
func TestFailedTasksWaitAgain(t *testing.T) { onEach(t, failedTasksWaitAgain) }

func failedTasksWaitAgain(t *testing.T, k kind) {
	a, at := k.new(t)
	run, err := a.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, tasks(2))
	require.NoError(t, err)
	bad := record(1)
	bad.Status = "failed"
	require.NoError(t, a.SaveRecord(run, record(0)))
	require.NoError(t, a.SaveRecord(run, bad))
	b, err := k.open(at)
	require.NoError(t, err)
	defer b.Close()
	require.NoError(t, b.Join(run))
	got, err := b.Claim(run, 9)
	require.NoError(t, err)
	assert.Empty(t, got)
	require.NoError(t, b.End(run, store.Done, 0))
	require.NoError(t, a.End(run, store.Done, 0))
	require.NoError(t, b.Join(run))
	got, err = b.Claim(run, 9)
	require.NoError(t, err)
	require.Len(t, got, 1)
	assert.Equal(t, 1, got[0].N)
	totals, err := b.Totals(run)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 1, 0}, []int{totals.Unflagged, totals.Waiting, totals.Failed}, "counted once")
}

// Of several that want to send one request one may, and the next when it is
// answered, given back, or its sender gone.
func TestOneRequestOnItsWay(t *testing.T) { onEach(t, oneRequestOnItsWay) }

func oneRequestOnItsWay(t *testing.T, k kind) {
	a, at := k.new(t)
	b, err := k.open(at)
	require.NoError(t, err)
	take := func(l store.Store, key string) bool {
		mine, err := l.Take(key)
		require.NoError(t, err)
		return mine
	}
	assert.True(t, take(a, "k"))
	assert.False(t, take(b, "k"))
	assert.True(t, take(b, "other"))
	require.NoError(t, a.SaveExchange(store.Exchange{Key: "k", Status: 500, Try: 1}))
	assert.False(t, take(b, "k"), "it is tried again")
	require.NoError(t, a.SaveExchange(store.Exchange{Key: "k", Status: 200, Try: 2, Reply: []byte("yes")}))
	assert.True(t, take(b, "k"), "it is answered")
	require.NoError(t, b.Drop("k"))
	assert.True(t, take(a, "k"), "it was given back")
	assert.False(t, take(a, "other"))
	require.NoError(t, b.Close())
	assert.True(t, take(a, "other"), "its sender is gone")
}

// Many that open a ledger at once where there is none all get one.
func TestFirstOpeningAtOnce(t *testing.T) { onEach(t, firstOpeningAtOnce) }

func firstOpeningAtOnce(t *testing.T, k kind) {
	for range 5 {
		at := k.place(t)
		var wait sync.WaitGroup
		for range 8 {
			wait.Go(func() {
				l, err := k.open(at)
				if assert.NoError(t, err) {
					_, err = l.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, nil)
					assert.NoError(t, err)
					assert.NoError(t, l.Close())
				}
			})
		}
		wait.Wait()
		l, err := k.toRead(at)
		require.NoError(t, err)
		runs, err := l.Runs()
		require.NoError(t, err)
		assert.Len(t, runs, 8)
		require.NoError(t, l.Close())
	}
}

// A pool between that hands connections out by transaction changes nothing.
func TestThroughAPool(t *testing.T) {
	s := pgtest.Start(t, "fsync=off")
	k := kind{
		place:  func(t testing.TB) string { return s.Pool(t, s.Database(t)) },
		open:   func(at string) (store.Store, error) { return postgres.Open(at) },
		toRead: func(at string) (store.Store, error) { return postgres.OpenToRead(at) },
		rounds: 1,
	}
	for name, law := range map[string]func(*testing.T, kind){"keeps": keepsWhatItTakes, "claims": tasksAreClaimedOnce, "one flight": oneRequestOnItsWay, "any bytes": anyBytesComeBack} {
		t.Run(name, func(t *testing.T) { law(t, k) })
	}
}
