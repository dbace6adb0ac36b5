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
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/store"
	"filler/internal/store/pgtest"
	"filler/internal/store/postgres"
	"filler/internal/store/sqlite"
)

// kind is an implementation that the laws hold for.
type kind struct {
	place  func(t testing.TB) string // of a new store
	open   func(at string) (store.Store, error)
	toRead func(at string) (store.Store, error)
	rounds uint64 // of long laws
}

// new makes a new store.
func (k kind) new(t testing.TB) (store.Store, string) {
	at := k.place(t)
	return k.again(t, at), at
}

// again opens a store that is there.
func (k kind) again(t testing.TB, at string) store.Store {
	l, err := k.open(at)
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	return l
}

var file = kind{
	place:  func(t testing.TB) string { return filepath.Join(t.TempDir(), "a folder", "ledger.db") },
	open:   func(at string) (store.Store, error) { return sqlite.Open(at) },
	toRead: func(at string) (store.Store, error) { return sqlite.OpenToRead(at) },
	rounds: 20,
}

func TestMain(m *testing.M) { pgtest.Main(m) }

// onEach holds a law to every implementation.
func onEach(t *testing.T, law func(t *testing.T, k kind)) {
	t.Run("file", func(t *testing.T) { law(t, file) })
	t.Run("postgres", func(t *testing.T) {
		s := pgtest.Shared(t)
		law(t, kind{
			place:  s.Database,
			open:   func(at string) (store.Store, error) { return postgres.Open(at) },
			toRead: func(at string) (store.Store, error) { return postgres.OpenToRead(at) },
			rounds: 3,
		})
	})
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
func TestLedgerKeepsWhatItTakes(t *testing.T) { onEach(t, keepsWhatItTakes) }

func keepsWhatItTakes(t *testing.T, k kind) {
	l, at := k.new(t)
	p := written(t, l)
	reader, err := k.toRead(at)
	require.NoError(t, err)
	p.check(t, reader)
	require.NoError(t, reader.Close())
}

// written fills a new store with runs, by many goroutines at once.
func written(t *testing.T, l store.Store) *plain {
	p := &plain{documents: map[int64][]string{}, exchanges: map[int64]map[int][]store.Exchange{}, records: map[int64]map[int]store.Record{}, answered: map[string]map[string]bool{}}
	r := rand.New(rand.NewPCG(3, 4))
	for run := range 5 {
		var tasks []store.Task
		for n := range 1 + r.IntN(12) {
			tasks = append(tasks, store.Task{N: n, Document: fmt.Sprintf("d%d-%d", run, n), File: "a file", Metadata: map[string]string{"no": fmt.Sprint(n)}})
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
	return p
}

// Copied from one kind of store into another and back, all is as it was; what is there already is
// not copied twice, and what was copied in part is copied again.
func TestCopiesAreEqual(t *testing.T) { onEach(t, copiesAreEqual) }

func copiesAreEqual(t *testing.T, k kind) {
	l, _ := file.new(t)
	p := written(t, l)
	for run := range p.documents {
		require.NoError(t, l.End(run, store.Done, time.Second))
	}
	require.NoError(t, l.SaveReview(store.Review{Schema: "s", Document: "d", Run: 2, Record: []byte("{}")}))
	to, _ := k.new(t)
	copied := func(from, to store.Store) (all []store.Copied) {
		numbers, err := store.CopyRuns(from, to, func(c store.Copied) { all = append(all, c) })
		require.NoError(t, err)
		require.Len(t, numbers, 5)
		_, err = store.CopyReviews(from, to, []string{"s"}, numbers)
		require.NoError(t, err)
		return all
	}
	for _, c := range copied(l, to) {
		assert.False(t, c.Was)
	}
	p.check(t, to)
	for _, c := range copied(l, to) {
		assert.True(t, c.Was)
	}
	require.NoError(t, to.SaveRecord(3, record(0)), "one differs now")
	for _, c := range copied(l, to) {
		assert.Equal(t, c.From != 3, c.Was)
	}
	back, _ := file.new(t)
	copied(to, back)
	again, err := back.ReviewOf("s", "d", "")
	require.NoError(t, err)
	require.NotNil(t, again)
	one, err := l.Find("1")
	require.NoError(t, err)
	other, err := back.Find("1")
	require.NoError(t, err)
	assert.WithinDuration(t, one.Began, other.Began, time.Microsecond)
	assert.Equal(t, one.State, other.State)
	assert.InDelta(t, one.Seconds, other.Seconds, 1e-6)
}

// A copy of the files as they lie there while a ledger is open is what a kill leaves.
func TestAFileCopiedWhileItIsOpen(t *testing.T) {
	l, at := file.new(t)
	run, err := l.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, tasks(3))
	require.NoError(t, err)
	require.NoError(t, l.SaveRecord(run, record(1)))
	copied := filepath.Join(t.TempDir(), "ledger.db")
	for _, end := range []string{"", "-wal"} {
		data, err := os.ReadFile(at + end)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(copied+end, data, 0o644))
	}
	totals, err := file.again(t, copied).Totals(run)
	require.NoError(t, err)
	assert.Equal(t, []int{3, 2, 1}, []int{totals.Documents, totals.Waiting, totals.Unflagged})
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
func TestSharedPartsAreKeptOnce(t *testing.T) { onEach(t, sharedPartsAreKeptOnce) }

func sharedPartsAreKeptOnce(t *testing.T, k kind) {
	l, at := k.new(t)
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
	require.NoError(t, l.End(run, store.Done, 0))
	require.NoError(t, l.Close())
	pruned, err := k.again(t, at).(store.Pruner).Prune(nil, true)
	require.NoError(t, err)
	assert.Less(t, pruned.Before, int64(700_000), "150 kB of parts, however often")
}

// A review is kept by its schema and document, the newest; pruning its run leaves it,
// forgetting its document does not.
func TestReviewsAreKept(t *testing.T) { onEach(t, reviewsAreKept) }

func reviewsAreKept(t *testing.T, k kind) {
	l, at := k.new(t)
	run, err := l.Start(store.Run{Schema: []byte("s"), Model: "m"}, []store.Task{{N: 0, Document: "a"}, {N: 1, Document: "b"}})
	require.NoError(t, err)
	when := time.UnixMilli(1_900_000_000_000)
	for _, r := range []store.Review{{Schema: "s", Document: "b"}, {Schema: "s", Document: "a", By: "T. Brill"}, {Schema: "other", Document: "a"}, {Schema: "s", Document: "a", By: "M. Harrow", Done: true}} {
		r.Run, r.At, r.TextHash, r.Record, r.Decisions = run, when, store.HashOf([]byte("x")), []byte(`{"n": 1}`), []byte(`{"/n": "right"}`)
		require.NoError(t, l.SaveReview(r))
	}
	got, err := l.ReviewOf("s", "a", store.HashOf([]byte("x")))
	require.NoError(t, err)
	assert.Equal(t, &store.Review{Schema: "s", Document: "a", Run: run, TextHash: store.HashOf([]byte("x")), By: "M. Harrow", At: when, Done: true, Record: []byte(`{"n": 1}`), Decisions: []byte(`{"/n": "right"}`)}, got)
	none, err := l.ReviewOf("s", "c", "")
	require.NoError(t, err)
	assert.Nil(t, none)
	later := store.Review{Schema: "s", Document: "a", Run: run, At: when.Add(time.Hour), TextHash: store.HashOf([]byte("y")), By: "S. Quill", Record: []byte("{}")}
	require.NoError(t, l.SaveReview(later))
	for text, by := range map[string]string{"x": "M. Harrow", "y": "S. Quill", "another": "S. Quill"} {
		got, err := l.ReviewOf("s", "a", store.HashOf([]byte(text)))
		require.NoError(t, err)
		assert.Equal(t, by, got.By, "beside text %s", text)
	}
	count := func(l store.Store) (all []string) {
		require.NoError(t, l.Reviews("s", func(r store.Review) error { all = append(all, r.Document); return nil }))
		return all
	}
	require.NoError(t, l.End(run, store.Done, 0))
	_, err = l.(store.Pruner).Prune([]int64{run}, false)
	require.NoError(t, err)
	assert.Equal(t, []string{"a", "a", "b"}, count(l))
	_, err = l.(store.Forgetter).Forget("a", false)
	require.NoError(t, err)
	assert.Equal(t, []string{"b"}, count(l))
	l.Close()
	again, err := k.toRead(at)
	require.NoError(t, err)
	defer again.Close()
	assert.Equal(t, []string{"b"}, count(again))
}

// A copy for others has no reviews.
func TestACopyForOthersHasNoReviews(t *testing.T) {
	l, _ := file.new(t)
	require.NoError(t, l.SaveReview(store.Review{Schema: "s", Document: "a", Record: []byte("{}")}))
	copied := filepath.Join(t.TempDir(), "copy.db")
	require.NoError(t, l.(store.Copier).Copy(copied, &store.Redo{Record: func(_ store.Run, r store.Record) (store.Record, error) { return r, nil }, Settings: func(s []byte) ([]byte, error) { return s, nil }}))
	none, err := file.again(t, copied).ReviewOf("s", "a", "")
	require.NoError(t, err)
	assert.Nil(t, none)
}

// What servers and file systems may give, any bytes, comes back as it was.
func TestAnyBytesComeBack(t *testing.T) { onEach(t, anyBytesComeBack) }

func anyBytesComeBack(t *testing.T, k kind) {
	l, _ := k.new(t)
	for _, odd := range []string{"a\x00b", "\xff\xfe", "\x01AA==", "ä\n'\"\\", ""} {
		metadata := map[string]string{"k" + odd: odd}
		if !utf8.ValidString(odd) {
			metadata = nil // JSON has no other
		}
		run, err := l.Start(store.Run{Name: "n" + odd, Schema: []byte(odd), SchemaFile: odd, Prompt: []byte("p"), Model: odd, Identity: odd}, []store.Task{{N: 0, Document: "d" + odd, File: odd, Metadata: metadata}})
		require.NoError(t, err)
		x := store.Exchange{Key: "k" + odd, Run: run, Step: odd, Try: 1, Status: 200, Error: odd, Finish: odd, Reply: []byte(odd), Request: [][]byte{[]byte(odd)}}
		require.NoError(t, l.Depart(x))
		require.NoError(t, l.SaveExchange(x))
		r := record(0)
		r.Record, r.TextHash = []byte(odd+"{}"), odd
		require.NoError(t, l.SaveRecord(run, r))
		got, found, err := l.RecordAt(run, 0)
		require.NoError(t, err)
		require.True(t, found)
		assert.Equal(t, []string{"d" + odd, odd + "{}", odd}, []string{got.Document, string(got.Record), got.TextHash})
		back, err := l.Find("n" + odd)
		require.NoError(t, err)
		assert.Equal(t, []string{odd, odd, odd, odd}, []string{string(back.Schema), back.SchemaFile, back.Model, back.Identity})
		all, err := l.Exchanges(run, 0)
		require.NoError(t, err)
		assert.Equal(t, []string{odd, odd, odd, odd}, []string{all[0].Step, all[0].Error, all[0].Finish, string(all[0].Reply)})
		of, err := l.Metadata(run)
		require.NoError(t, err)
		assert.Equal(t, metadata, of["d"+odd])
		require.NoError(t, l.SaveShape(odd, "tool"))
	}
}

// A run's budget stays with it, and is none of its settings: runs that differ in it are
// made alike.
func TestBudgetsAreKept(t *testing.T) { onEach(t, budgetsAreKept) }

func budgetsAreKept(t *testing.T, k kind) {
	l, at := k.new(t)
	settings := []byte(`{"layout":"rows","chunk":1500}`)
	start := func(budget int64) int64 {
		run, err := l.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p"), Settings: settings, Budget: budget}, []store.Task{{N: 0, Document: "a"}})
		require.NoError(t, err)
		return run
	}
	none, some := start(0), start(5_000_000_000)
	same := func(l store.Store, run, budget int64) {
		r, err := l.Find(fmt.Sprint(run))
		require.NoError(t, err)
		assert.Equal(t, []any{budget, string(settings)}, []any{r.Budget, string(r.Settings)})
	}
	same(l, none, 0)
	same(l, some, 5_000_000_000)
	require.NoError(t, l.SetBudget(some, 7_000_000_000))
	require.NoError(t, l.SetBudget(none, 1))
	l.Close()
	again, err := k.toRead(at)
	require.NoError(t, err)
	defer again.Close()
	same(again, none, 1)
	same(again, some, 7_000_000_000)
}
