package store_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/store"
	"filler/internal/store/sqlite"
)

// open makes a new store.
func open(t testing.TB) (*sqlite.Ledger, string) {
	file := filepath.Join(t.TempDir(), "a folder", "ledger.db")
	l, err := sqlite.Open(file)
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	return l, file
}

// plain is a ledger as one would think of it: lists in memory.
type plain struct {
	mu        sync.Mutex
	documents map[int64][]string
	exchanges map[int64]map[int][]store.Exchange // of a run, by task
	records   map[int64]map[int]store.Record
	answered  map[string]map[string]bool // by key, what may be given: writers at once have no order
}

// what a request is made of: two parts that many share, and one of its own.
var shared = [][]byte{bytes.Repeat([]byte("the prompt "), 300), []byte(`{"model":"m"}`)}

// Many hands write at once, in any order; what is read back is what was written,
// leaf by leaf, also by another reader and after the file was opened again.
func TestLedgerKeepsWhatItTakes(t *testing.T) {
	l, file := open(t)
	p := &plain{documents: map[int64][]string{}, exchanges: map[int64]map[int][]store.Exchange{}, records: map[int64]map[int]store.Record{}, answered: map[string]map[string]bool{}}
	r := rand.New(rand.NewPCG(3, 4))
	for run := range 5 {
		var tasks []store.Task
		for n := range 1 + r.IntN(12) {
			tasks = append(tasks, store.Task{N: n, Document: fmt.Sprintf("d%d-%d", run, n), Metadata: map[string]string{"no": fmt.Sprint(n)}})
		}
		id, err := l.Start(store.Run{Name: fmt.Sprintf("name %d", run%3), Schema: []byte("s"), Prompt: []byte(fmt.Sprint("p", run)), Model: "m"}, tasks)
		require.NoError(t, err)
		p.exchanges[id], p.records[id] = map[int][]store.Exchange{}, map[int]store.Record{}
		for _, task := range tasks {
			p.documents[id] = append(p.documents[id], task.Document)
		}
	}
	var wait sync.WaitGroup
	for hand := range 8 {
		wait.Go(func() { p.write(t, l, rand.New(rand.NewPCG(9, uint64(hand))), hand) })
	}
	wait.Wait()
	p.check(t, l)
	reader, err := sqlite.OpenToRead(file)
	require.NoError(t, err)
	p.check(t, reader)
	require.NoError(t, reader.Close())

	// A copy of the files as they lie there while it is open is what a kill leaves.
	copied := filepath.Join(t.TempDir(), "ledger.db")
	for _, end := range []string{"", "-wal"} {
		data, err := os.ReadFile(file + end)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(copied+end, data, 0o644))
	}
	after, err := sqlite.Open(copied)
	require.NoError(t, err)
	p.check(t, after)
	require.NoError(t, after.Close())
}

// write makes random writes; each hand has tasks of its own, so that the order
// of a task's exchanges is known.
func (p *plain) write(t *testing.T, l store.Store, r *rand.Rand, hand int) {
	for i := range 60 {
		run := int64(1 + r.IntN(5))
		n := r.IntN(len(p.documents[run]))
		if n%8 != hand {
			continue
		}
		if r.IntN(3) > 0 {
			x := store.Exchange{Key: fmt.Sprintf("k%d", r.IntN(20)), Run: run, N: n, Step: []string{"fill", "repair 1"}[r.IntN(2)], Try: r.IntN(3),
				Request: [][]byte{shared[0], shared[1], fmt.Appendf(nil, "%d %d", hand, i)}, Status: []int{0, 200, 200, 429, 500}[r.IntN(5)],
				Reply: fmt.Appendf(nil, "reply %d", r.IntN(30)), Error: []string{"", "the line broke"}[r.IntN(2)], Finish: "stop",
				TokensIn: r.IntN(1000), TokensOut: r.IntN(100), Estimated: r.IntN(5) == 0, CostNano: r.Int64N(1 << 40), Took: time.Duration(r.IntN(5000)) * time.Millisecond}
			if !assert.NoError(t, l.SaveExchange(x)) {
				return
			}
			p.mu.Lock()
			p.exchanges[run][n] = append(p.exchanges[run][n], x)
			if x.Status == 200 && x.Try > 0 {
				if p.answered[x.Key] == nil {
					p.answered[x.Key] = map[string]bool{}
				}
				p.answered[x.Key][string(x.Reply)] = true
			}
			p.mu.Unlock()
			continue
		}
		rec := store.Record{N: n, TextHash: fmt.Sprint("h", r.IntN(3)), Status: []string{"unflagged", "repaired", "flagged", "failed"}[r.IntN(4)], Record: fmt.Appendf(nil, `{"i":%d}`, i),
			Problems: []byte("[]"), Evidence: []byte("{}"), Trace: []byte("[]"), Risk: []byte("{}")}
		if !assert.NoError(t, l.SaveRecord(run, rec)) {
			return
		}
		p.mu.Lock()
		rec.Document = p.documents[run][n]
		p.records[run][n] = rec
		p.mu.Unlock()
	}
}

func (p *plain) check(t *testing.T, l store.Store) {
	t.Helper()
	for run, documents := range p.documents {
		want := store.Totals{Documents: len(documents), Waiting: len(documents) - len(p.records[run])}
		var lines int
		for n := range documents {
			got, err := l.Exchanges(run, n)
			require.NoError(t, err)
			require.Len(t, got, len(p.exchanges[run][n]))
			for i, x := range got {
				was := p.exchanges[run][n][i]
				body, err := l.RequestOf(x)
				require.NoError(t, err)
				require.Equal(t, string(bytes.Join(was.Request, nil)), string(body))
				require.NotZero(t, x.ID)
				require.WithinDuration(t, time.Now(), x.At, time.Minute)
				x.ID, x.At, x.Kept, was.Request = 0, time.Time{}, nil, nil
				require.Equal(t, was, x)
				if was.Status > 0 {
					lines++
				}
				want.CostNano += was.CostNano
				if was.Try == 0 {
					want.Cached++
					continue
				}
				want.Exchanges++
				want.TokensIn, want.TokensOut = want.TokensIn+was.TokensIn, want.TokensOut+was.TokensOut
				want.Estimated = want.Estimated || was.Estimated
				if was.Estimated {
					want.EstimatedNano += was.CostNano
				}
			}
			rec, found, err := l.RecordAt(run, n)
			require.NoError(t, err)
			was, has := p.records[run][n]
			require.Equal(t, has, found)
			if has {
				require.Equal(t, was, rec)
			}
		}
		before, outcomes := -1, 0
		require.NoError(t, l.Outcomes(run, func(r store.Record) error {
			was := p.records[run][r.N]
			require.Equal(t, store.Record{N: was.N, Document: was.Document, TextHash: was.TextHash, FileHash: was.FileHash, Status: was.Status}, r)
			require.Greater(t, r.N, before, "in document order")
			before, outcomes = r.N, outcomes+1
			return nil
		}))
		require.Equal(t, len(p.records[run]), outcomes)
		for _, rec := range p.records[run] {
			switch rec.Status {
			case "unflagged":
				want.Unflagged++
			case "repaired":
				want.Repaired++
			case "flagged":
				want.Flagged++
			default:
				want.Failed++
			}
		}
		got, err := l.Totals(run)
		require.NoError(t, err)
		require.Equal(t, want, got)

		last := -1
		require.NoError(t, l.Records(run, 0, func(r store.Record) error {
			require.Greater(t, r.N, last, "in the order of the documents")
			last = r.N
			require.Equal(t, p.records[run][r.N], r)
			return nil
		}))
		bodies := 0
		require.NoError(t, l.Bodies(run, func(request []byte, status int, reply []byte) error {
			bodies++
			require.True(t, bytes.HasPrefix(request, bytes.Join(shared, nil)))
			return nil
		}))
		require.Equal(t, lines, bodies)
		metadata, err := l.Metadata(run)
		require.NoError(t, err)
		for n, id := range documents {
			require.Equal(t, map[string]string{"no": fmt.Sprint(n)}, metadata[id])
		}
	}
	for i := range 20 {
		key := fmt.Sprintf("k%d", i)
		x, err := l.Answered(key)
		require.NoError(t, err)
		if len(p.answered[key]) == 0 {
			require.Nil(t, x, key)
			continue
		}
		require.True(t, p.answered[key][string(x.Reply)], key)
	}
}

// What is shared is kept once, whatever order it comes in and however often
// another part stands at its place.
func TestSharedPartsAreKeptOnce(t *testing.T) {
	l, file := open(t)
	run, err := l.Start(store.Run{Model: "m"}, []store.Task{{N: 0, Document: "a"}})
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(1, 1))
	big := [][]byte{bytes.Repeat([]byte("x"), 50_000), bytes.Repeat([]byte("y"), 50_000), bytes.Repeat([]byte("z"), 50_000)}
	var sent []string
	for range 300 {
		var parts [][]byte
		for range 1 + r.IntN(3) {
			parts = append(parts, bytes.Clone(big[r.IntN(3)]))
		}
		require.NoError(t, l.SaveExchange(store.Exchange{Run: run, Request: parts, Status: 200, Reply: []byte("r"), Try: 1}))
		sent = append(sent, string(bytes.Join(parts, nil)))
		parts[0][0] = '!' // what the caller does with it later is not ours
	}
	all, err := l.Exchanges(run, 0)
	require.NoError(t, err)
	for i, x := range all {
		body, err := l.RequestOf(x)
		require.NoError(t, err)
		require.True(t, sent[i] == string(body), i)
	}
	require.NoError(t, l.Close())
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Less(t, info.Size(), int64(500_000), "150 kB of parts, however often")
}

// A review is kept by its schema and document, the newest; pruning its run leaves it,
// forgetting its document does not, and a copy for others has none.
func TestReviewsAreKept(t *testing.T) {
	l, file := open(t)
	run, err := l.Start(store.Run{Schema: []byte("s"), Model: "m"}, []store.Task{{N: 0, Document: "a"}, {N: 1, Document: "b"}})
	require.NoError(t, err)
	at := time.UnixMilli(1_900_000_000_000)
	for _, r := range []store.Review{{Schema: "s", Document: "b"}, {Schema: "s", Document: "a", By: "T. Brill"}, {Schema: "other", Document: "a"}, {Schema: "s", Document: "a", By: "M. Harrow", Done: true}} {
		r.Run, r.At, r.TextHash, r.Record, r.Decisions = run, at, store.HashOf([]byte("x")), []byte(`{"n": 1}`), []byte(`{"/n": "right"}`)
		require.NoError(t, l.SaveReview(r))
	}
	got, err := l.ReviewOf("s", "a", store.HashOf([]byte("x")))
	require.NoError(t, err)
	assert.Equal(t, &store.Review{Schema: "s", Document: "a", Run: run, TextHash: store.HashOf([]byte("x")), By: "M. Harrow", At: at, Done: true, Record: []byte(`{"n": 1}`), Decisions: []byte(`{"/n": "right"}`)}, got)
	none, err := l.ReviewOf("s", "c", "")
	require.NoError(t, err)
	assert.Nil(t, none)
	later := store.Review{Schema: "s", Document: "a", Run: run, At: at.Add(time.Hour), TextHash: store.HashOf([]byte("y")), By: "S. Quill", Record: []byte("{}")}
	require.NoError(t, l.SaveReview(later))
	for text, by := range map[string]string{"x": "M. Harrow", "y": "S. Quill", "another": "S. Quill"} {
		got, err := l.ReviewOf("s", "a", store.HashOf([]byte(text)))
		require.NoError(t, err)
		assert.Equal(t, by, got.By, "beside text %s", text)
	}
	count := func(l *sqlite.Ledger) (all []string) {
		require.NoError(t, l.Reviews("s", func(r store.Review) error { all = append(all, r.Document); return nil }))
		return all
	}
	copied := filepath.Join(t.TempDir(), "copy.db")
	require.NoError(t, l.Copy(copied, &store.Redo{Record: func(_ store.Run, r store.Record) (store.Record, error) { return r, nil }, Settings: func(s []byte) ([]byte, error) { return s, nil }}))
	c, err := sqlite.Open(copied)
	require.NoError(t, err)
	assert.Empty(t, count(c))
	c.Close()
	require.NoError(t, l.End(run, store.Done, 0))
	_, err = l.Prune([]int64{run}, false)
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "a", "b"}, count(l))
	_, err = l.Forget("a", false)
	require.NoError(t, err)
	assert.Equal(t, []string{"b"}, count(l))
	l.Close()
	again, err := sqlite.OpenToRead(file)
	require.NoError(t, err)
	defer again.Close()
	assert.Equal(t, []string{"b"}, count(again))
}
