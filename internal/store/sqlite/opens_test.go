package sqlite

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/store"
)

// opened gives the steps and bodies of the requests of a run that wait.
func opened(t *testing.T, l *Ledger, run int64, since time.Time) (all []string) {
	require.NoError(t, l.Opened(run, since, func(o store.Open, body []byte) error {
		all = append(all, o.Step+" "+string(body))
		return nil
	}))
	return all
}

// A request that waits is there until it is answered, whatever its run and however
// often it was asked; a refusal leaves it. Of several goes only what was asked in the
// last one goes out.
func TestOpenRequests(t *testing.T) {
	l, _ := open4test(t)
	start := func() int64 {
		id, err := l.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, []store.Task{{N: 0, Document: "a"}, {N: 1, Document: "b"}})
		require.NoError(t, err)
		return id
	}
	one, two := start(), start()
	key := func(s string) string { return store.HashOf([]byte(s)) }
	ask := func(run int64, n int, step string) {
		require.NoError(t, l.SaveOpen(store.Open{Key: key(step), Run: run, N: n, Step: step, Request: [][]byte{[]byte("the "), []byte(step)}, Terms: []byte(`{"Guess":3}`)}))
	}
	began := time.Now().Truncate(time.Millisecond)
	ask(one, 1, "x")
	ask(one, 0, "y")
	ask(one, 0, "x") // the same text in another document
	ask(two, 1, "x")
	assert.Equal(t, []string{"x the x", "y the y"}, opened(t, l, one, began))
	time.Sleep(3 * time.Millisecond)
	later := time.Now()
	ask(one, 0, "y")
	assert.Equal(t, []string{"y the y"}, opened(t, l, one, later))

	o, err := l.OpenBy(key("x"))
	require.NoError(t, err)
	assert.Equal(t, []any{one, 0, `{"Guess":3}`, "the x"}, []any{o.Run, o.N, string(o.Terms), string(o.Request[0]) + string(o.Request[1])})
	require.NoError(t, l.Settle(*o, store.Exchange{Try: 1, Status: 503, Reply: []byte("later")}))
	assert.Len(t, opened(t, l, two, began), 1, "it waits on")
	require.NoError(t, l.Settle(*o, store.Exchange{Try: 1, Status: 200, Reply: []byte("yes"), TokensIn: 5}))
	assert.Empty(t, opened(t, l, two, began))
	x, err := l.Answered(key("x"))
	require.NoError(t, err)
	assert.Equal(t, []any{one, 0, "x", "yes", 5}, []any{x.Run, x.N, x.Step, string(x.Reply), x.TokensIn})
	o, err = l.OpenBy(key("x"))
	require.NoError(t, err)
	assert.Nil(t, o)

	// What waits is not pruned, and is forgotten with its document.
	require.NoError(t, l.End(one, store.Waiting, 0))
	require.NoError(t, l.End(two, store.Waiting, 0))
	_, err = l.Prune([]int64{two}, false)
	require.NoError(t, err)
	assert.Equal(t, []string{"y the y"}, opened(t, l, one, began))
	_, err = l.Forget("a", false)
	require.NoError(t, err)
	assert.Empty(t, opened(t, l, one, began))
}

// A ledger with figures that no exchange can have still opens, and sums stay sums.
func TestImpossibleFigures(t *testing.T) {
	l, _ := open4test(t)
	run, err := l.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, []store.Task{{N: 0, Document: "a"}})
	require.NoError(t, err)
	for _, cost := range []string{"9223372036854775807", "9223372036854775807", "1e300", "-7", "'many'", "3"} {
		require.NoError(t, l.SaveExchange(store.Exchange{Key: "00", Run: run, Try: 1, Status: 500}))
		_, err := l.db.Exec("UPDATE exchange SET cost_nano = " + cost + ", tokens_in = " + cost + ", estimated = " + cost + " WHERE id = (SELECT max(id) FROM exchange)")
		require.NoError(t, err)
	}
	totals, err := l.Totals(run)
	require.NoError(t, err)
	assert.Positive(t, totals.CostNano)
	xs, err := l.Exchanges(run, 0)
	require.NoError(t, err)
	assert.Len(t, xs, 6)
	_, err = l.Runs()
	require.NoError(t, err)
}

// A ledger that was made before requests could wait is given what it lacks.
func TestLedgerOfBefore(t *testing.T) {
	l, file := open4test(t)
	run, err := l.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, []store.Task{{N: 0, Document: "a"}})
	require.NoError(t, err)
	for _, do := range []string{"DROP TABLE open", "ALTER TABLE flight DROP COLUMN about"} {
		_, err := l.db.Exec(do)
		require.NoError(t, err)
	}
	require.NoError(t, l.Close())
	l, err = Open(file)
	require.NoError(t, err)
	defer l.Close()
	require.NoError(t, l.SaveOpen(store.Open{Key: strings.Repeat("0", 64), Run: run, Step: "fill", Terms: []byte("{}")}))
	require.NoError(t, l.Depart(store.Exchange{Key: strings.Repeat("1", 64), Run: run}))
	assert.Len(t, opened(t, l, run, time.Time{}), 1)
}
