package sqlite

import (
	"bytes"
	"fmt"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/store"
	"filler/internal/store/packed"
)

// everything gives all bodies, records and texts of a ledger, unpacked, and its
// file's bytes.
func everything(t *testing.T, l *Ledger) []byte {
	t.Helper()
	var all bytes.Buffer
	for _, query := range []string{"SELECT body FROM blob", "SELECT body FROM record", "SELECT trace FROM record"} {
		rows, err := l.db.Query(query)
		require.NoError(t, err)
		for rows.Next() {
			var b []byte
			require.NoError(t, rows.Scan(&b))
			if text, err := packed.Open(b); err == nil {
				all.Write(text)
			}
			var parts [4][]byte
			if packed.OpenAll(b, &parts[0], &parts[1], &parts[2], &parts[3]) == nil {
				all.Write(bytes.Join(parts[:], nil))
			}
		}
		require.NoError(t, rows.Err())
	}
	rows, err := l.db.Query("SELECT document || metadata || file FROM task UNION ALL SELECT settings FROM run UNION ALL SELECT error FROM exchange")
	require.NoError(t, err)
	for rows.Next() {
		var text string
		require.NoError(t, rows.Scan(&text))
		all.WriteString(text)
	}
	return all.Bytes()
}

func filled(t *testing.T) *Ledger {
	l, err := Open(filepath.Join(t.TempDir(), "ledger.db"))
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	for run := range 3 {
		id, err := l.Start(store.Run{Schema: []byte("schema: s"), Prompt: []byte("prompt"), Settings: []byte(`{"examples":"text of c"}`)}, []store.Task{{N: 0, Document: "a", Text: func() ([]byte, error) { return []byte("text of a"), nil }}, {N: 1, Document: "b", Text: func() ([]byte, error) { return []byte("text of b"), nil }}})
		require.NoError(t, err)
		for n, doc := range []string{"a", "b"} {
			x := store.Exchange{Key: store.HashOf([]byte(doc)), Run: id, N: n, Status: 200, Try: min(1, run+1), Request: [][]byte{[]byte("shared"), fmt.Appendf(nil, "asked about the text of %s in run %d", doc, run)}, Reply: fmt.Appendf(nil, "the value of %s", doc)}
			if run == 2 {
				x.Try = 0 // from the cache
			}
			require.NoError(t, l.SaveExchange(x))
			body := fmt.Appendf(nil, `{"v":"the value of %s"}`, doc)
			require.NoError(t, l.SaveRecord(id, store.Record{N: n, Document: doc, Status: "unflagged", Record: body, Problems: []byte("[]"), Evidence: []byte("{}"), Trace: fmt.Appendf(nil, `[{"step":"other","is":"the value of %s"}]`, doc)}))
		}
		require.NoError(t, l.End(id, store.Done, 0))
	}
	require.NoError(t, l.SaveExchange(store.Exchange{Key: store.HashOf([]byte("probe")), Status: 200, Try: 1, Request: [][]byte{[]byte("of no run: a")}, Reply: []byte("the value of a")}))
	return l
}

// What is forgotten is nowhere in the file; what is kept of others is as it was; a
// trial counts the same and drops nothing.
func TestForget(t *testing.T) {
	l := filled(t)
	before := everything(t, l)
	trial, err := l.Forget("a", true)
	require.NoError(t, err)
	assert.Equal(t, before, everything(t, l))
	done, err := l.Forget("a", false)
	require.NoError(t, err)
	assert.Equal(t, []int{trial.Runs, trial.Records, trial.Exchanges, trial.Bodies}, []int{done.Runs, done.Records, done.Exchanges, done.Bodies})
	assert.Equal(t, []int{3, 3, 4}, []int{done.Runs, done.Records, done.Exchanges}, "three about it, and the one of no run")
	left := everything(t, l)
	assert.NotContains(t, string(left), "of a")
	for _, text := range []string{"the value of b", "text of b in run 0", "schema: s", "prompt"} {
		assert.Contains(t, string(left), text)
	}
	known, err := l.Answered(store.HashOf([]byte("b")))
	require.NoError(t, err)
	assert.NotNil(t, known)
	known, err = l.Answered(store.HashOf([]byte("a")))
	require.NoError(t, err)
	assert.Nil(t, known)
	none, err := l.Forget("nothing", false)
	require.NoError(t, err)
	assert.Zero(t, none.Runs+none.Records)
}

// A copy is the ledger; one for others has what was made of the records, and no
// document, request or reply. Neither overwrites a file.
func TestCopy(t *testing.T) {
	l := filled(t)
	dir := t.TempDir()
	require.NoError(t, l.Copy(filepath.Join(dir, "whole.db"), nil))
	whole, err := OpenToRead(filepath.Join(dir, "whole.db"))
	require.NoError(t, err)
	defer whole.Close()
	assert.Equal(t, everything(t, l), everything(t, whole))
	assert.ErrorContains(t, l.Copy(filepath.Join(dir, "whole.db"), nil), "exists")
	redo := &store.Redo{Settings: func([]byte) ([]byte, error) { return []byte("{}"), nil }, Record: func(_ store.Run, r store.Record) (store.Record, error) {
		r.Record, r.Trace = []byte(`{"v":"a token"}`), []byte("[]")
		return r, nil
	}}
	require.NoError(t, l.Copy(filepath.Join(dir, "handed.db"), redo))
	handed, err := OpenToRead(filepath.Join(dir, "handed.db"))
	require.NoError(t, err)
	defer handed.Close()
	left := string(everything(t, handed))
	for _, gone := range []string{"text of", "the value of", "asked", "shared"} {
		assert.NotContains(t, left, gone)
	}
	assert.Contains(t, left, "a token")
	totals, err := handed.Totals(1)
	require.NoError(t, err)
	assert.Equal(t, 2, totals.Unflagged)
	assert.Equal(t, before(t, l), totals.Exchanges)
}

func before(t *testing.T, l *Ledger) int {
	totals, err := l.Totals(1)
	require.NoError(t, err)
	return totals.Exchanges
}
