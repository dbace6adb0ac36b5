package main

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A pile filled in parts on several machines and merged is the pile filled on one: the same documents
// in the same order, the same records, evidence and risks, the same score and cost, nothing paid twice.
func TestShardsMergeToTheWhole(t *testing.T) {
	p, _ := newPile(t)
	p.add(25, true)
	p.must("gold", "sign", "documents", "--reviewer", "ann")
	p.write("notes.csv", "id,text\nn1,\"Report no.: FB-9001\nBridge: Noted 1\n\"\nn2,\"Report no.: FB-9002\nBridge: Noted 2\n\"\n")
	yaml, err := os.ReadFile(filepath.Join(p.dir, "filler.yaml"))
	require.NoError(t, err)
	p.write("filler.yaml", strings.Replace(string(yaml), "documents: [documents]", "documents: [documents, {table: notes.csv, id: id, text: [text]}]", 1))
	copyOf := func() string {
		dir := t.TempDir()
		require.NoError(t, os.CopyFS(dir, os.DirFS(p.dir)))
		return dir
	}
	one, all := copyOf(), copyOf()
	out, err := run(one, "fill", "--max-flagged", "100%", "-o", "all.jsonl")
	require.NoError(t, err, out)
	before := p.counting.count()
	clear(p.counting.times)
	const parts = 4
	var ledgers []string
	documents := 0
	for k := 1; k <= parts; k++ {
		dir := copyOf()
		out, err := run(dir, "fill", "--shard", fmt.Sprintf("%d/%d", k, parts), "--max-flagged", "100%", "-o", "part.jsonl")
		require.NoError(t, err, out)
		n := len(documentsIn(t, filepath.Join(dir, "part.jsonl")))
		assert.Positive(t, n)
		documents += n
		ledgers = append(ledgers, filepath.Join(dir, ".filler", "ledger.db"))
	}
	assert.Equal(t, 27, documents)
	assert.Equal(t, before, p.counting.count(), "the parts ask what the whole asks")

	out, err = run(all, append([]string{"ledger", "merge"}, ledgers[:parts-1]...)...)
	require.Error(t, err)
	assert.Contains(t, out, "part 4/4 is missing")
	out, err = run(all, append([]string{"ledger", "merge", ledgers[0]}, ledgers...)...)
	require.Error(t, err)
	assert.Contains(t, out, "are both part 1/4")
	out, err = run(all, "ledger", "merge", ledgers[0], filepath.Join(one, ".filler", "ledger.db"))
	require.Error(t, err)
	assert.Contains(t, out, "no run in it was filled with --shard")
	out, err = run(all, append([]string{"ledger", "merge"}, ledgers...)...)
	require.NoError(t, err, out)
	assert.Contains(t, out, "27 documents of 4 parts")

	for _, what := range [][]string{{"score", "--json"}, {"errors", "--json"}, {"export", "-o", "e.csv", "--to", "csv"}} {
		a, aerr := run(one, what...)
		b, berr := run(all, what...)
		require.Equal(t, aerr == nil, berr == nil, "%s\n%s", a, b)
		assert.Equal(t, a, b, "%v", what)
	}
	for _, name := range []string{"slip.csv", "bays.csv"} {
		a, err := os.ReadFile(filepath.Join(one, "e.csv", name))
		require.NoError(t, err)
		b, err := os.ReadFile(filepath.Join(all, "e.csv", name))
		require.NoError(t, err)
		assert.Equal(t, string(a), string(b))
	}
	assert.Equal(t, totalsOf(t, one), totalsOf(t, all))
	// The merged run is one like any other: what is filled again costs nothing, and a trace is there.
	clear(p.counting.times)
	out, err = run(all, "fill", "--max-flagged", "100%", "-o", "all.jsonl")
	require.NoError(t, err, out)
	assert.Zero(t, p.counting.count(), "merged answers are in the cache")
	runNo := regexp.MustCompile(`"run":\d+`)
	a, err := os.ReadFile(filepath.Join(one, "all.jsonl"))
	require.NoError(t, err)
	b, err := os.ReadFile(filepath.Join(all, "all.jsonl"))
	require.NoError(t, err)
	assert.Equal(t, runNo.ReplaceAllString(string(a), ""), runNo.ReplaceAllString(string(b), ""))
	out, err = run(all, "trace", "notes.csv#n1", "--run", "1")
	require.NoError(t, err, out)
	assert.Contains(t, out, "Noted 1")
}

// totalsOf gives what a project's first run cost and how it ended.
func totalsOf(t *testing.T, dir string) (v struct {
	Documents, Unflagged, Repaired, Flagged, Failed int
	Cost                                            float64
	Scope                                           string
}) {
	out, err := run(dir, "runs", "--json")
	require.NoError(t, err, out)
	lines := strings.Split(strings.TrimSpace(out), "\n")
	require.NoError(t, json.Unmarshal([]byte(lines[len(lines)-1]), &v), out)
	return v
}
