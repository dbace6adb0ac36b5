package ledger

import (
	"fmt"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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
	id, err := l.Start(Run{Label: "first", Schema: []byte("s"), SchemaFile: "s.yaml", Prompt: []byte("p"), Model: "m", Identity: "m at", Rounds: 2},
		[]Task{{N: 0, Document: "a"}, {N: 1, Document: "b"}, {N: 2, Document: "c"}})
	require.NoError(t, err)
	require.NoError(t, l.SaveExchange(Exchange{Key: "k", Run: id, N: 1, Step: "fill", Try: 1, Request: [][]byte{[]byte("head "), []byte("tail")}, Status: 500, Reply: []byte("no")}))
	x, err := l.Answered("k")
	require.NoError(t, err)
	assert.Nil(t, x, "a 500 is no answer")
	require.NoError(t, l.SaveExchange(Exchange{Key: "k", Run: id, N: 1, Step: "fill", Try: 2, Request: [][]byte{[]byte("head "), []byte("tail")}, Status: 200, Reply: []byte("yes"), TokensIn: 3, TokensOut: 4, CostNano: 55}))
	x, err = l.Answered("k")
	require.NoError(t, err)
	assert.Equal(t, "yes", string(x.Reply))
	for n, status := range map[int]string{0: "failed", 1: "clean"} {
		require.NoError(t, l.SaveRecord(id, Record{N: n, Status: status, Source: "h", Record: []byte("{}"), Problems: []byte("[]"), Evidence: []byte("{}"), Trace: []byte("[]")}))
	}

	again, err := OpenToRead(file)
	require.NoError(t, err)
	defer again.Close()
	for _, name := range []string{"last", "", "first", "1"} {
		r, err := again.Find(name)
		require.NoError(t, err, name)
		assert.Equal(t, []string{"s", "p", Going}, []string{string(r.Schema), string(r.Prompt), r.State})
	}
	_, err = again.Find("7")
	var none *NoRun
	assert.ErrorAs(t, err, &none)
	waiting, err := again.Waiting(id)
	require.NoError(t, err)
	assert.Equal(t, []Task{{N: 0, Document: "a", Source: "h", Done: true}, {N: 2, Document: "c"}}, waiting, "what failed and what was not done")
	totals, err := again.Totals(id)
	require.NoError(t, err)
	assert.Equal(t, Totals{Documents: 3, Waiting: 1, Clean: 1, Failed: 1, Exchanges: 2, TokensIn: 3, TokensOut: 4, CostNano: 55}, totals)
	xs, err := again.Exchanges(id, 1)
	require.NoError(t, err)
	require.Len(t, xs, 2)
	body, err := again.RequestOf(xs[1])
	require.NoError(t, err)
	assert.Equal(t, "head tail", string(body))
	_, err = OpenToRead(filepath.Join(t.TempDir(), "x"))
	assert.ErrorIs(t, err, ErrNone)
}

// Many writers at once: every acknowledged write is there, and one that fails
// spoils none of its neighbours.
func TestManyWriters(t *testing.T) {
	l, file := open4test(t)
	var wg sync.WaitGroup
	for w := range 16 {
		wg.Go(func() {
			for i := range 50 {
				assert.NoError(t, l.SaveExchange(Exchange{Key: fmt.Sprint(w, " ", i), Run: 1, N: w, Step: "fill", Try: 1, Status: 200, Reply: fmt.Append(nil, w, i)}))
				if i%10 == 0 {
					assert.Error(t, l.SaveRecord(1, Record{N: i}), "a record without its parts is refused")
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
			if err := l.SaveExchange(Exchange{Key: "k", Run: 1, Step: "fill", Try: 1, Status: 200, Reply: []byte("reply")}); err != nil {
				b.Error(err)
			}
		}
	})
}
