package main

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What earlier versions wrote is read by this one, and means the same: projects with their schema
// and gold, ledgers, files of records, and what `--json` gives. A folder a version, each made by the
// version that it is named after (docs/stability.md); none is ever written again.
func TestWrittenByEarlierVersions(t *testing.T) {
	versions, err := filepath.Glob("testdata/written/*")
	require.NoError(t, err)
	require.NotEmpty(t, versions)
	for _, from := range versions {
		t.Run(filepath.Base(from), func(t *testing.T) {
			dir := t.TempDir()
			require.NoError(t, os.CopyFS(dir, os.DirFS(from)))
			require.NoError(t, os.Mkdir(filepath.Join(dir, ".filler"), 0o755))
			require.NoError(t, os.Rename(filepath.Join(dir, "ledger.db"), filepath.Join(dir, ".filler", "ledger.db")))
			for _, args := range [][]string{{"schema", "check"}, {"gold", "check"}, {"runs"}, {"trace", "first.txt"}, {"score"}, {"compare", "1", "2"}, {"export", "1", "-o", "out.csv.d", "--to", "csv"}, {"validate", "--schema", "schemas/visit.yaml", "--records", "records.jsonl"}} {
				cmd := command(dir, args...)
				out, err := cmd.CombinedOutput()
				assert.NoError(t, err, "%v: %s", args, out)
			}
			for file, args := range map[string][]string{"score.json": {"score", "first", "--json"}, "errors.jsonl": {"errors", "second", "--json"}} {
				want, err := os.ReadFile(filepath.Join(dir, file))
				require.NoError(t, err)
				got, err := command(dir, args...).Output()
				require.NoError(t, err)
				assertHolds(t, lines(t, want), lines(t, got), file)
			}
			// What was answered then is answered from the ledger now.
			out, err := command(dir, "fill", "--model", "steady").CombinedOutput()
			require.NoError(t, err, string(out))
			assert.Contains(t, string(out), "2 from the cache")
		})
	}
}

// command makes a command that runs in a folder.
func command(dir string, args ...string) *exec.Cmd {
	cmd := exec.Command("filler", args...)
	cmd.Dir = dir
	return cmd
}

// lines reads JSON values, one behind the other.
func lines(t *testing.T, text []byte) (all []any) {
	d := json.NewDecoder(bytes.NewReader(text))
	for d.More() {
		var v any
		require.NoError(t, d.Decode(&v))
		all = append(all, v)
	}
	return all
}

// assertHolds holds all that an earlier version said against what this one says, which may say more.
func assertHolds(t *testing.T, want, got any, at string) {
	t.Helper()
	switch was := want.(type) {
	case map[string]any:
		is, ok := got.(map[string]any)
		if !assert.True(t, ok, at) {
			return
		}
		for name, v := range was {
			assertHolds(t, v, is[name], at+"/"+name)
		}
	case []any:
		is, ok := got.([]any)
		if !assert.True(t, ok, at) || !assert.Len(t, is, len(was), at) {
			return
		}
		for i := range was {
			assertHolds(t, was[i], is[i], at)
		}
	case float64:
		assert.InDelta(t, was, got, 1e-9, at)
	default:
		assert.Equal(t, want, got, at)
	}
}
