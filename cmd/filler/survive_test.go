package main

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/standin"
	"filler/internal/store/sqlite"
)

// countingServer is a stand-in that counts how often each body came.
type countingServer struct {
	mu    sync.Mutex
	times map[string]int
	inner http.Handler
}

func (c *countingServer) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, _ := io.ReadAll(r.Body)
	c.mu.Lock()
	c.times[string(body)]++
	c.mu.Unlock()
	r.Body = io.NopCloser(bytes.NewReader(body))
	c.inner.ServeHTTP(w, r)
}

// count gives how many requests have come.
func (c *countingServer) count() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	n := 0
	for _, times := range c.times {
		n += times
	}
	return n
}

// of gives how often a body has come.
func (c *countingServer) of(body string) int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.times[body]
}

// wait waits until more than n requests have come, or some seconds have gone by.
func (c *countingServer) wait(n int) {
	for end := time.Now().Add(4 * time.Second); c.count() <= n && time.Now().Before(end); {
		time.Sleep(2 * time.Millisecond)
	}
}

// bridges writes a project with n short reports that a model at url fills.
func bridges(t *testing.T, url string, n int, more string) string {
	t.Helper()
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	write("filler.yaml", "schema: s.yaml\ndocuments: [documents]\nuse: m\nmodels:\n  m: {at: \""+url+"\", name: careful, price: {in: 1, out: 2}"+more+"}\npace: {at_once: 2, attempts: 2}\n")
	write("s.yaml", "schema: s\nfields:\n  report_no: {text: Number of the report., printed_as: [Report no.]}\n  bridge: Name of the bridge.\n  grade: {integer: Grade.}\n")
	for i := range n {
		write(fmt.Sprintf("documents/%04d.txt", i), fmt.Sprintf("Report no.: FB-2031-%04d\nBridge: Plank %d\nGrade: %d\n", i, i, i%4))
	}
	return dir
}

// begun tells whether a project's ledger holds a run.
func begun(dir string) bool {
	l, err := sqlite.OpenToRead(filepath.Join(dir, ".filler", "ledger.db"))
	if err != nil {
		return false
	}
	defer l.Close()
	runs, err := l.Runs()
	return err == nil && len(runs) > 0
}

func run(dir string, args ...string) (string, error) {
	cmd := exec.Command("filler", args...)
	cmd.Dir = dir
	out, err := cmd.CombinedOutput()
	return string(out), err
}

// Killed fifty times at any moment, a run still comes to its end: every
// document out once, and nothing that was on the disk asked again. Every request that
// the server had is in the ledger; those that nothing was heard of as maybe spent.
func TestKilledFiftyTimes(t *testing.T) {
	counting := &countingServer{times: map[string]int{}, inner: standin.Handler(standin.Options{Delay: 40 * time.Millisecond})}
	s := httptest.NewServer(counting)
	defer s.Close()
	n, kills, least := 220, 50, 50
	if testing.Short() {
		n, kills, least = 90, 15, 12
	}
	dir := bridges(t, s.URL+"/v1", n, "")
	r := rand.New(rand.NewPCG(61, 62))
	kept := map[string]int{} // bodies on the disk, and how often they had come by then
	for i := range kills {
		args := []string{"fill", "--resume"}
		if !begun(dir) {
			args = []string{"fill"} // killed before there was a run to go on with
		}
		cmd := exec.Command("filler", args...)
		cmd.Dir = dir
		require.NoError(t, cmd.Start())
		// At any moment of its start now and then, else some requests later: how
		// fast the machine is should not matter.
		if more := r.IntN(6); i%5 > 0 {
			counting.wait(counting.count() + more)
		}
		time.Sleep(time.Duration(r.IntN(40)) * time.Millisecond)
		require.NoError(t, cmd.Process.Kill())
		cmd.Wait()
		time.Sleep(60 * time.Millisecond) // what was under way comes home to nobody
		for body, times := range kept {
			require.Equal(t, times, counting.of(body), "kill %d: asked again:\n%s", i, body)
		}
		l, err := sqlite.OpenToRead(filepath.Join(dir, ".filler", "ledger.db"))
		if err != nil {
			continue // killed before there was one
		}
		require.NoError(t, l.Bodies(1, func(request []byte, status int, _ []byte) error {
			if status == http.StatusOK {
				kept[string(request)] = counting.of(string(request))
			}
			return nil
		}))
		l.Close()
	}
	require.Greater(t, len(kept), least, "the run should have come on between the kills")
	require.Less(t, len(kept), n, "and should not have been over")
	out, err := run(dir, "fill", "--resume", "-o", "out.jsonl")
	if err != nil {
		require.Equal(t, 3, err.(*exec.ExitError).ExitCode(), out)
	}
	for body, times := range kept {
		require.Equal(t, times, counting.of(body), "asked again at the end")
	}
	data, err := os.ReadFile(filepath.Join(dir, "out.jsonl"))
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(data)), "\n")
	require.Len(t, lines, n)
	for i, line := range lines {
		var rec struct{ Document, Status string }
		require.NoError(t, json.Unmarshal([]byte(line), &rec))
		assert.Equal(t, fmt.Sprintf("documents/%04d.txt", i), rec.Document)
		assert.NotEqual(t, "failed", rec.Status)
	}
	l, err := sqlite.OpenToRead(filepath.Join(dir, ".filler", "ledger.db"))
	require.NoError(t, err)
	defer l.Close()
	totals, err := l.Totals(1)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, totals.Exchanges, counting.count())
	assert.LessOrEqual(t, totals.Exchanges-counting.count(), 50, "about to go out when the process was killed")
	assert.Positive(t, totals.EstimatedNano)
	assert.Less(t, totals.EstimatedNano, totals.CostNano)
}

// A key shows nowhere: not in what is printed, kept, recorded or traced, also
// where a server sends it back.
func TestKeyShowsNowhere(t *testing.T) {
	const key = "ossel-7f3a-Qx9-secret"
	var mu sync.Mutex
	n := 0
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		n++
		turn := n
		mu.Unlock()
		sent := r.Header.Get("Authorization")
		assert.Equal(t, "Bearer "+key, sent)
		switch turn % 5 {
		case 0:
			w.WriteHeader(500)
			fmt.Fprintf(w, `{"error":{"message":"the key %s made me stumble"}}`, key)
		case 1:
			fmt.Fprintf(w, `{"choices":[{"message":{"content":"{\"report_no\": \"%s\", \"bridge\": \"%s\"}"},"finish_reason":"stop"}]}`, key, sent)
		case 2:
			fmt.Fprintf(w, "no JSON and %s", sent)
		case 3:
			w.WriteHeader(400)
			fmt.Fprintf(w, "unknown parameter for %s", key)
		default:
			w.Header().Set("Content-Length", "900")
			fmt.Fprintf(w, `{"choices":[{"message":{"content":"%s`, key)
		}
	}))
	defer s.Close()
	dir := bridges(t, s.URL+"/v1", 12, ", key_from: BRIDGE_KEY")
	require.NoError(t, os.WriteFile(filepath.Join(dir, ".env"), []byte("BRIDGE_KEY="+key+"\n"), 0o600))
	var said strings.Builder
	for _, args := range [][]string{
		{"fill", "-o", "out.jsonl", "--save-exchanges", "exchanges.jsonl"}, {"fill", "--json", "--fresh"}, {"runs"}, {"runs", "--json"}, {"probe"}, {"probe", "--json"},
		{"trace", "documents/0001.txt", "--full", "--sensitive"}, {"trace", "documents/0003.txt", "--json"}, {"trace", "documents/0004.txt", "--run", "1", "--full"},
		{"prompt", "documents/0001.txt"}, {"prompt", "documents/0001.txt", "--json"}, {"repeat", "documents/0002.txt", "-n", "3"}, {"fill", "--dry-run"}, {"fill", "--resume=1", "--fresh"}, {"validate"},
	} {
		out, _ := run(dir, args...)
		said.WriteString(out)
		assert.NotContains(t, out, key, "%v", args)
	}
	assert.Contains(t, said.String(), "[key]", "where the server sent it back, a word stands in its place")
	files := 0
	require.NoError(t, filepath.WalkDir(dir, func(path string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() || entry.Name() == ".env" {
			return err
		}
		data, err := os.ReadFile(path)
		files++
		assert.False(t, bytes.Contains(data, []byte(key)), "%s holds the key", path)
		return err
	}))
	assert.Greater(t, files, 15)
}
