package sqlite

import (
	"database/sql"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/store"
)

func open4test(t testing.TB) (*Ledger, string) {
	file := filepath.Join(t.TempDir(), "a folder", "ledger.db")
	l, err := Open(file)
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	return l, file
}

func TestRunIsKept(t *testing.T) {
	l, file := open4test(t)
	id, err := l.Start(store.Run{Name: "first", Schema: []byte("s"), SchemaFile: "s.yaml", Prompt: []byte("p"), Model: "m", Identity: "m at", Rounds: 2},
		[]store.Task{{N: 0, Document: "a"}, {N: 1, Document: "b"}, {N: 2, Document: "c"}})
	require.NoError(t, err)
	require.NoError(t, l.SaveExchange(store.Exchange{Key: "k", Run: id, N: 1, Step: "fill", Try: 1, Request: [][]byte{[]byte("head "), []byte("tail")}, Status: 500, Reply: []byte("no")}))
	x, err := l.Answered("k")
	require.NoError(t, err)
	assert.Nil(t, x, "a 500 is no answer")
	require.NoError(t, l.SaveExchange(store.Exchange{Key: "k", Run: id, N: 1, Step: "fill", Try: 2, Request: [][]byte{[]byte("head "), []byte("tail")}, Status: 200, Reply: []byte("yes"), TokensIn: 3, TokensOut: 4, CostNano: 55}))
	x, err = l.Answered("k")
	require.NoError(t, err)
	assert.Equal(t, "yes", string(x.Reply))
	for n, status := range map[int]string{0: "failed", 1: "unflagged"} {
		require.NoError(t, l.SaveRecord(id, store.Record{N: n, Status: status, TextHash: "h", Record: []byte("{}"), Problems: []byte("[]"), Evidence: []byte("{}"), Trace: []byte("[]")}))
	}

	again, err := OpenToRead(file)
	require.NoError(t, err)
	defer again.Close()
	for _, name := range []string{"last", "", "first", "1"} {
		r, err := again.Find(name)
		require.NoError(t, err, name)
		assert.Equal(t, []string{"s", "p", store.Going}, []string{string(r.Schema), string(r.Prompt), r.State})
	}
	_, err = again.Find("7")
	var none *store.NoRun
	assert.ErrorAs(t, err, &none)
	totals, err := again.Totals(id)
	require.NoError(t, err)
	assert.Equal(t, store.Totals{Documents: 3, Waiting: 1, Unflagged: 1, Failed: 1, Exchanges: 2, TokensIn: 3, TokensOut: 4, CostNano: 55}, totals)
	xs, err := again.Exchanges(id, 1)
	require.NoError(t, err)
	require.Len(t, xs, 2)
	body, err := again.RequestOf(xs[1])
	require.NoError(t, err)
	assert.Equal(t, "head tail", string(body))
	_, err = OpenToRead(filepath.Join(t.TempDir(), "x"))
	assert.ErrorIs(t, err, store.ErrNone)
}

// What one process writes, the next one reads and goes on with.
func TestRunGoesOn(t *testing.T) {
	file := filepath.Join(t.TempDir(), "ledger.db")
	l, err := Open(file)
	require.NoError(t, err)
	for _, name := range []string{"first", "second"} {
		_, err := l.Start(store.Run{Name: name, Schema: []byte("s"), Prompt: []byte("p")}, []store.Task{{N: 0, Document: "a"}, {N: 1, Document: "b"}, {N: 2, Document: "c"}})
		require.NoError(t, err)
	}
	want := map[int]store.Record{}
	for _, n := range []int{2, 0} { // in any order
		r := store.Record{N: n, Status: "unflagged", TextHash: fmt.Sprint("h", n), Record: fmt.Appendf(nil, `{"n":%d}`, n), Problems: []byte("[]"), Evidence: []byte("{}"), Trace: []byte(`[{"step":"end"}]`)}
		require.NoError(t, l.SaveRecord(2, r))
		r.Document = string(rune('a' + n))
		want[n] = r
	}
	require.NoError(t, l.SaveShape("m at", "plain"))
	require.NoError(t, l.End(2, "stopped", 1500*time.Millisecond))
	require.NoError(t, l.Close())

	l, err = Open(file)
	require.NoError(t, err)
	defer l.Close()
	var got []int
	require.NoError(t, l.Records(2, 0, func(r store.Record) error {
		got = append(got, r.N)
		assert.Equal(t, want[r.N], r)
		return nil
	}))
	assert.Equal(t, []int{0, 2}, got, "in document order")
	one, has, err := l.RecordAt(2, 2)
	require.NoError(t, err)
	assert.True(t, has)
	assert.Equal(t, want[2], one)
	_, has, err = l.RecordAt(2, 1)
	require.NoError(t, err)
	assert.False(t, has)
	for identity, shape := range map[string]string{"m at": "plain", "other": ""} {
		known, err := l.Shape(identity)
		require.NoError(t, err)
		assert.Equal(t, shape, known)
	}
	require.NoError(t, l.End(2, "done", 500*time.Millisecond))
	runs, err := l.Runs()
	require.NoError(t, err)
	require.Len(t, runs, 2)
	assert.Equal(t, []any{"second", "done", 2.0}, []any{runs[0].Name, runs[0].State, runs[0].Seconds}, "the newest first, both stretches of time added")
	tasks, err := l.Tasks(2)
	require.NoError(t, err)
	assert.Equal(t, []bool{true, false, true}, []bool{tasks[0].Done, tasks[1].Done, tasks[2].Done})
}

// A file that is no ledger of ours is named, and left as it was.
func TestNoLedger(t *testing.T) {
	newer := filepath.Join(t.TempDir(), "ledger.db")
	l, err := Open(newer)
	require.NoError(t, err)
	_, err = l.db.Exec("PRAGMA user_version = 999")
	require.NoError(t, err)
	require.NoError(t, l.Close())
	text := filepath.Join(t.TempDir(), "notes")
	require.NoError(t, os.WriteFile(text, []byte(strings.Repeat("no ledger\n", 500)), 0o644))
	for file, says := range map[string]string{newer: "this ledger has layout 999", text: "not a ledger, or damaged", t.TempDir(): "a folder in place of"} {
		_, err := Open(file)
		assert.ErrorContains(t, err, says)
		assert.ErrorContains(t, err, file)
		_, err = OpenToRead(file)
		assert.ErrorContains(t, err, says)
	}
	left, err := os.ReadFile(text)
	require.NoError(t, err)
	assert.Equal(t, strings.Repeat("no ledger\n", 500), string(left))
}

// Many writers at once: every acknowledged write is there, and one that fails
// spoils none of its neighbours.
func TestManyWriters(t *testing.T) {
	l, file := open4test(t)
	var wg sync.WaitGroup
	for w := range 16 {
		wg.Go(func() {
			for i := range 50 {
				assert.NoError(t, l.SaveExchange(store.Exchange{Key: fmt.Sprint(w, " ", i), Run: 1, N: w, Step: "fill", Try: 1, Status: 200, Reply: fmt.Append(nil, w, i)}))
				if i%10 == 0 {
					assert.Error(t, l.SaveRecord(1, store.Record{N: i}), "a record without its parts is refused")
				}
			}
		})
	}
	wg.Wait()
	again, err := OpenToRead(file)
	require.NoError(t, err)
	defer again.Close()
	totals, err := again.Totals(1)
	require.NoError(t, err)
	assert.Equal(t, 800, totals.Exchanges)
}

func BenchmarkSaveExchange(b *testing.B) {
	l, _ := open4test(b)
	b.SetParallelism(8)
	b.RunParallel(func(pb *testing.PB) {
		for pb.Next() {
			if err := l.SaveExchange(store.Exchange{Key: "k", Run: 1, Step: "fill", Try: 1, Status: 200, Reply: []byte("reply")}); err != nil {
				b.Error(err)
			}
		}
	})
}

// A ledger of another layout is refused in one line, and stays as it is.
func TestOtherLayout(t *testing.T) {
	file := filepath.Join(t.TempDir(), "l.db")
	l, err := Open(file)
	require.NoError(t, err)
	_, err = l.db.Exec("PRAGMA user_version = 2")
	require.NoError(t, err)
	require.NoError(t, l.Close())
	for _, open := range []func(string) (*Ledger, error){Open, OpenToRead} {
		_, err = open(file)
		require.ErrorContains(t, err, fmt.Sprintf("this ledger has layout 2, and this program reads layout %d; use the program that wrote it, or move the file away", version))
	}
}

// The last run is the newest that was not begun for documents named one by one,
// and the newest of all where there is no other.
func TestLast(t *testing.T) {
	l, err := Open(filepath.Join(t.TempDir(), "l.db"))
	require.NoError(t, err)
	defer l.Close()
	start := func(scope string) int64 {
		id, err := l.Start(store.Run{Scope: scope, Of: 9, Schema: []byte("s"), Prompt: []byte("p"), Model: "m"}, []store.Task{{N: 0, Document: "a.txt"}})
		require.NoError(t, err)
		return id
	}
	last := func() int64 {
		r, err := l.Find("last")
		require.NoError(t, err)
		return r.ID
	}
	named := start(store.Named)
	assert.Equal(t, named, last())
	for _, scope := range []string{store.All, store.Sample, store.Where, store.Again} {
		id := start(scope)
		assert.Equal(t, id, last(), scope)
		start(store.Named)
		assert.Equal(t, id, last(), scope)
	}
	r, err := l.Find("last")
	require.NoError(t, err)
	assert.Equal(t, []any{store.Again, 9}, []any{r.Scope, r.Of})
}

// A write that fails spoils no other of its transaction, and is told to its own
// caller alone.
func TestOneBadWrite(t *testing.T) {
	l, _ := open4test(t)
	run, err := l.Start(store.Run{Model: "m"}, []store.Task{{N: 0, Document: "a"}, {N: 1, Document: "b"}})
	require.NoError(t, err)
	var wait sync.WaitGroup
	for i := range 40 {
		wait.Go(func() {
			rec := store.Record{N: i % 2, Status: "unflagged", Record: []byte("{}"), Problems: []byte("[]"), Evidence: []byte("{}"), Trace: []byte("[]")}
			if i%10 == 3 {
				assert.Error(t, l.write(func(tx *sql.Tx) error {
					_, err := tx.Exec("INSERT INTO record(run) VALUES(1)")
					return err
				}))
				return
			}
			assert.NoError(t, l.SaveRecord(run, rec))
		})
	}
	wait.Wait()
	totals, err := l.Totals(run)
	require.NoError(t, err)
	assert.Equal(t, []int{2, 0}, []int{totals.Unflagged, totals.Waiting})
}

// BenchmarkClaim claims what is left of many tasks, most of which are done or held:
// what it costs does not hang on how many there are.
func BenchmarkClaim(b *testing.B) {
	for _, n := range []int{5_000, 50_000} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			l, _ := open4test(b)
			tasks := make([]store.Task, n+60_000)
			for i := range tasks {
				tasks[i] = store.Task{N: i, Document: fmt.Sprint("d", i)}
			}
			run, err := l.Start(store.Run{Model: "m"}, tasks)
			require.NoError(b, err)
			_, err = l.Claim(run, n)
			require.NoError(b, err)
			for b.Loop() {
				got, err := l.Claim(run, 1)
				require.NoError(b, err)
				require.Len(b, got, 1)
			}
		})
	}
}
