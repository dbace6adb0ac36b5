package main

import (
	"fmt"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/standin"
)

// Two processes go on with one run: each fills its share, no request is sent
// twice, and each writes all records in order.
func TestTwoProcessesShareARun(t *testing.T) {
	counting := &countingServer{times: map[string]int{}, inner: standin.Handler(standin.Options{Delay: 30 * time.Millisecond})}
	s := httptest.NewServer(counting)
	defer s.Close()
	const n = 120
	dir := bridges(t, s.URL+"/v1", n, "")
	first := exec.Command("filler", "fill", "-o", "first.jsonl")
	first.Dir = dir
	require.NoError(t, first.Start())
	counting.wait(5)
	second := exec.Command("filler", "fill", "--resume", "-o", "second.jsonl")
	second.Dir = dir
	out, err := second.CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Contains(t, string(out), "run 1 is going in another process; sharing its documents\n")
	require.NoError(t, first.Wait())

	a, err := os.ReadFile(filepath.Join(dir, "first.jsonl"))
	require.NoError(t, err)
	b, err := os.ReadFile(filepath.Join(dir, "second.jsonl"))
	require.NoError(t, err)
	assert.Equal(t, string(a), string(b))
	assert.Equal(t, n, strings.Count(string(a), "\n"))
	for body, times := range counting.times {
		require.Equal(t, 1, times, body)
	}
	runs, err := run(dir, "runs", "--json")
	require.NoError(t, err)
	assert.Contains(t, runs, `"state":"done"`)
	assert.Equal(t, 1, strings.Count(runs, "\n"))
}

// Two processes that begin runs over the same documents at the same moment, where
// there is no ledger yet, pay each request once between them.
func TestTwoRunsPayOnce(t *testing.T) {
	counting := &countingServer{times: map[string]int{}, inner: standin.Handler(standin.Options{Delay: 20 * time.Millisecond})}
	s := httptest.NewServer(counting)
	defer s.Close()
	dir := bridges(t, s.URL+"/v1", 60, "")
	var both sync.WaitGroup
	for i := range 2 {
		both.Go(func() {
			out, err := run(dir, "fill", "-o", fmt.Sprintf("%d.jsonl", i))
			assert.NoError(t, err, out)
		})
	}
	both.Wait()
	for body, times := range counting.times {
		require.Equal(t, 1, times, body)
	}
	require.GreaterOrEqual(t, counting.count(), 60)
	a, err := os.ReadFile(filepath.Join(dir, "0.jsonl"))
	require.NoError(t, err)
	b, err := os.ReadFile(filepath.Join(dir, "1.jsonl"))
	require.NoError(t, err)
	number := regexp.MustCompile(`"run":\d`)
	assert.Equal(t, number.ReplaceAllString(string(a), ""), number.ReplaceAllString(string(b), ""))
}

// A run whose process was killed is shown as interrupted, is not the last, and
// is the one that --resume goes on with.
func TestKilledRunIsInterrupted(t *testing.T) {
	counting := &countingServer{times: map[string]int{}, inner: standin.Handler(standin.Options{Delay: 30 * time.Millisecond})}
	s := httptest.NewServer(counting)
	defer s.Close()
	dir := bridges(t, s.URL+"/v1", 60, "")
	out, err := run(dir, "fill", "-o", "first.jsonl")
	require.NoError(t, err, out)
	cmd := exec.Command("filler", "fill", "--fresh", "-o", "second.jsonl")
	cmd.Dir = dir
	require.NoError(t, cmd.Start())
	counting.wait(counting.count() + 5)
	out, err = run(dir, "runs")
	require.NoError(t, err)
	assert.Regexp(t, `(?m)^ *2 .* going `, out)
	require.NoError(t, cmd.Process.Kill())
	cmd.Wait()
	out, err = run(dir, "runs")
	require.NoError(t, err)
	assert.Regexp(t, `(?m)^ *2 .* interrupted `, out)
	assert.Regexp(t, `(?m)^ *1 .* done `, out)
	out, err = run(dir, "validate")
	require.NoError(t, err, out)
	assert.Contains(t, out, "run 2 was interrupted, so that run 1 is the last; continue it with `filler fill --resume=2`\n")
	out, err = run(dir, "fill", "--resume", "-o", "second.jsonl")
	require.NoError(t, err, out)
	out, err = run(dir, "runs", "--json")
	require.NoError(t, err)
	assert.Equal(t, 2, strings.Count(out, `"state":"done"`), out)
	left, err := filepath.Glob(filepath.Join(dir, ".filler-part*"))
	require.NoError(t, err)
	assert.Empty(t, left, "what the killed process had half written is gone")
}
