package model

import (
	"context"
	"crypto/sha256"
	"fmt"
	"net/http"
	"net/http/httptest"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/chat"
	"filler/internal/ask/exchange"
	"filler/internal/base/project"
	"filler/internal/store"
	"filler/internal/store/sqlite"
)

func setup(t *testing.T, m *project.Model, key string, handle http.HandlerFunc) (*Client, store.Store) {
	t.Helper()
	s := httptest.NewServer(handle)
	t.Cleanup(s.Close)
	l, err := sqlite.Open(t.TempDir() + "/ledger.db")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	m.At = s.URL
	return New(m, Way{Base: s.URL, Key: key, Codec: chat.Codec{}}, project.Pace{AtOnce: 8, Attempts: 2, Timeout: 5 * time.Second}, l), l
}

func reply(w http.ResponseWriter, text string, in, out int) {
	fmt.Fprintf(w, `{"choices":[{"message":{"content":%q},"finish_reason":"stop"}],"usage":{"prompt_tokens":%d,"completion_tokens":%d}}`, text, in, out)
}

func ask(text string) *exchange.Request {
	return &exchange.Request{Model: "m", Messages: []exchange.Message{{Role: "user", Content: text}}, MaxTokens: 10}
}

// The same request is sent once: while it is on its way others wait for it,
// and later it is answered from the ledger, at no cost.
func TestOneFlight(t *testing.T) {
	var asked atomic.Int64
	c, l := setup(t, &project.Model{Entry: "m", Name: "m", Shape: "auto", PriceIn: 2, PriceOut: 10}, "", func(w http.ResponseWriter, _ *http.Request) {
		asked.Add(1)
		time.Sleep(20 * time.Millisecond)
		reply(w, "hi", 1000, 100)
	})
	var wg sync.WaitGroup
	var paid atomic.Int64
	for i := range 12 {
		wg.Go(func() {
			a, err := c.Ask(context.Background(), Call{Run: 1, N: i, Step: "fill"}, ask("same"))
			if assert.NoError(t, err) {
				assert.Equal(t, "hi", a.Text)
				paid.Add(a.CostNano)
			}
		})
	}
	wg.Wait()
	assert.EqualValues(t, 1, asked.Load())
	assert.EqualValues(t, 3_000_000, paid.Load(), "1,000 tokens at 2 and 100 at 10 a million, in billionths")
	assert.EqualValues(t, 3_000_000, c.SpentNano())
	totals, err := l.Totals(1)
	require.NoError(t, err)
	assert.Equal(t, []int{1, 11}, []int{totals.Exchanges, totals.Cached})
	c.Fresh = true
	_, err = c.Ask(context.Background(), Call{Run: 2}, ask("same"))
	require.NoError(t, err)
	assert.EqualValues(t, 2, asked.Load())
	c.Fresh = false
	_, err = c.Ask(context.Background(), Call{Run: 2}, ask("other"))
	require.NoError(t, err)
	assert.EqualValues(t, 3, asked.Load())
}

// A key leaves in one header only, and is struck out of what a server says.
func TestKeyIsStruckOut(t *testing.T) {
	c, l := setup(t, &project.Model{Entry: "m", Name: "m", Shape: "auto"}, "secret-4711", func(w http.ResponseWriter, r *http.Request) {
		assert.Equal(t, "Bearer secret-4711", r.Header.Get("Authorization"))
		reply(w, "your key is secret-4711", 1, 1)
	})
	a, err := c.Ask(context.Background(), Call{Run: 1}, ask("x"))
	require.NoError(t, err)
	assert.Equal(t, "your key is [key]", a.Text)
	xs, err := l.Exchanges(1, 0)
	require.NoError(t, err)
	assert.NotContains(t, string(xs[0].Reply), "4711")
}

func TestFailures(t *testing.T) {
	for _, c := range []struct {
		status        int
		body, says    string
		fatal, shaped bool
	}{
		{401, `{"error":{"message":"bad key"}}`, "answered 401 (bad key)", true, false},
		{400, `{"error":{"code":"content_filter","message":"held back"}}`, "holds what the document says back", false, false},
		{404, `no`, "check the model's `at` and `name`", true, false},
		{402, `{}`, "can't pay", true, false},
		{400, `{"detail":"response_format unknown"}`, "answered 400", false, true},
		{400, `{"error":"maximum context length is 4096 tokens"}`, "too long for the model", false, false},
		{429, `{"message":"slow"}`, "2 times over", true, false},
		{500, `oops`, "in 2 attempts", true, false},
		{200, `<html>`, "web page", true, false},
		{200, `{"choices":`, "not complete JSON", true, false},
		{301, ``, "the server redirects", true, false},
	} {
		client, _ := setup(t, &project.Model{Entry: "m", Name: "m", Shape: "auto"}, "", func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Retry-After", "0")
			w.WriteHeader(c.status)
			fmt.Fprint(w, c.body)
		})
		req := ask("x")
		req.FormatName, req.Format = "f", []byte(`{}`)
		_, err := client.Ask(context.Background(), Call{Run: 1}, req)
		var f *Failure
		require.ErrorAs(t, err, &f, c.body)
		assert.Contains(t, f.Error(), c.says)
		assert.Equal(t, []bool{c.fatal, c.shaped}, []bool{f.Fatal, f.Shape}, c.says)
		assert.NotContains(t, f.Error(), "\n")
		if c.shaped {
			assert.Equal(t, "tool", client.Shape())
		}
	}
}

// What was sent and got no whole answer counts as spent, estimated.
func TestCutCountsAsSpent(t *testing.T) {
	c, l := setup(t, &project.Model{Entry: "m", Name: "m", Shape: "auto", PriceIn: 1, PriceOut: 1}, "", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Length", "900")
		fmt.Fprint(w, strings.Repeat("x", 360))
	})
	long := ask(strings.Repeat("y", 3600))
	long.MaxTokens = 500
	_, err := c.Ask(context.Background(), Call{Run: 1}, long)
	require.Error(t, err)
	totals, err := l.Totals(1)
	require.NoError(t, err)
	assert.True(t, totals.Estimated)
	assert.Equal(t, 2, totals.Exchanges)
	assert.InDelta(t, 2*1000, totals.TokensIn, 100)
	assert.InDelta(t, 2*100, totals.TokensOut, 10)
	assert.Equal(t, totals.CostNano, c.SpentNano())
}

func TestIdentityIsWithoutThePort(t *testing.T) {
	a := &project.Model{Entry: "m", At: "http://127.0.0.1:8000/v1", Name: "x"}
	b := &project.Model{Entry: "m", At: "http://127.0.0.1:9000/v1", Name: "x"}
	assert.Equal(t, Identity(a), Identity(b))
	b.Name = "y"
	assert.NotEqual(t, Identity(a), Identity(b))
	assert.Equal(t, "s standin:steady steady", Identity(&project.Model{Entry: "s", At: "standin:steady", Name: "steady"}))
}

// Five requests at 1,200 a minute take 200 ms at least, however slow the machine.
func TestPace(t *testing.T) {
	c, _ := setup(t, &project.Model{Entry: "m", Name: "m", Shape: "auto"}, "", func(w http.ResponseWriter, _ *http.Request) { reply(w, "hi", 1, 1) })
	c = New(c.model, c.way, project.Pace{AtOnce: 1, PerMinute: 1200, Attempts: 1, Timeout: time.Minute}, c.keeper)
	began := time.Now()
	for i := range 5 {
		_, err := c.Ask(context.Background(), Call{Run: 1, N: i}, ask(fmt.Sprint(i)))
		require.NoError(t, err)
	}
	assert.GreaterOrEqual(t, time.Since(began), 195*time.Millisecond)
}

// A reply without end is cut off, asked for once more, and costs no more than its cap
// of tokens; what came is kept. It takes no more memory than it may have bytes.
func TestEndlessReplies(t *testing.T) {
	for _, stream := range []bool{false, true} {
		var asked atomic.Int64
		c, l := setup(t, &project.Model{Entry: "m", Name: "m", Shape: "plain", Stream: stream, PriceIn: 0, PriceOut: 10}, "", func(w http.ResponseWriter, _ *http.Request) {
			asked.Add(1)
			piece := []byte(`{"choices":[{"message":{"content":"` + strings.Repeat("x", 1<<16))
			if stream {
				w.Header().Set("Content-Type", "text/event-stream")
			}
			for sent := 0; sent < 300<<20; sent += len(piece) {
				if stream {
					piece = fmt.Appendf(nil, "data: {\"choices\":[{\"delta\":{\"content\":\"%x\"}}]}\n\n", sha256.Sum256([]byte(fmt.Sprint(sent))))
				}
				if _, err := w.Write(piece); err != nil {
					return
				}
			}
		})
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, err := c.Ask(context.Background(), Call{Run: 1, N: 1, Step: "fill"}, ask("all"))
		runtime.ReadMemStats(&after)
		var fail *Failure
		require.ErrorAs(t, err, &fail, "stream %v", stream)
		assert.Contains(t, fail.Msg, "the answer was cut off at 1024 kB and had not ended, which is more than its cap of tokens can hold")
		assert.False(t, fail.Fatal)
		assert.EqualValues(t, 2, asked.Load(), "each attempt costs as much")
		assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(400<<20), "stream %v", stream)
		x, err := l.Exchanges(1, 1)
		require.NoError(t, err)
		require.Len(t, x, 2)
		assert.Equal(t, 10, x[0].TokensOut)
		assert.True(t, x[0].Estimated)
		assert.NotEmpty(t, x[0].Reply)
	}
}
