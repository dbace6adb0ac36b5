package fetch

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRetryAfter(t *testing.T) {
	now := time.Date(2031, 4, 3, 10, 0, 0, 0, time.UTC)
	for header, want := range map[string]time.Duration{"3": 3 * time.Second, "0.5": 500 * time.Millisecond, "Thu, 03 Apr 2031 10:00:20 GMT": 20 * time.Second, "Thu, 03 Apr 2031 09:00:00 GMT": 0} {
		got, ok := retryAfter(header, now)
		assert.True(t, ok, header)
		assert.Equal(t, want, got, header)
	}
	for _, header := range []string{"", "soon", "-1"} {
		_, ok := retryAfter(header, now)
		assert.False(t, ok, header)
	}
}

// Every attempt passes the gate and is told, whatever becomes of it; a 4xx is
// not tried again, a 5xx and a cut body are.
func TestAttempts(t *testing.T) {
	for name, c := range map[string]struct {
		answers []int // statuses; 0 cuts the body
		status  int
		tries   int
	}{
		"at once": {[]int{200}, 200, 1}, "busy then well": {[]int{429, 200}, 200, 2}, "trouble then well": {[]int{503, 0, 200}, 200, 3},
		"refused": {[]int{400, 200}, 400, 1}, "always busy": {[]int{429, 429, 429, 200}, 429, 3}, "cut for ever": {[]int{0, 0, 0}, 0, 3}, "redirected": {[]int{302}, 302, 1},
	} {
		var n, gates atomic.Int64
		s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			status := c.answers[n.Add(1)-1]
			w.Header().Set("Retry-After", "0")
			w.Header().Set("Location", "/elsewhere")
			if status == 0 {
				w.Header().Set("Content-Length", "99")
				status = 200
			}
			w.WriteHeader(status)
			fmt.Fprint(w, "body")
		}))
		client := New(1)
		client.Attempts, client.Timeout = 3, 5*time.Second
		var told []Try
		client.Gate = func(context.Context) error { gates.Add(1); return nil }
		client.Done = func(try Try) error { told = append(told, try); return nil }
		status, body, err := client.Post(context.Background(), s.URL, nil, []byte("{}"))
		assert.Equal(t, c.tries, len(told), name)
		assert.EqualValues(t, c.tries, gates.Load(), name)
		assert.Equal(t, c.status, status, name)
		if c.status == 0 {
			var broken *Broken
			assert.ErrorAs(t, err, &broken, name)
			assert.Equal(t, "body", string(told[0].Body), "the part that came is told")
		} else {
			require.NoError(t, err, name)
			assert.Equal(t, "body", string(body), name)
		}
		s.Close()
	}
}

// After a cancellation nothing new goes out, and what is in flight may come
// home.
func TestCancelled(t *testing.T) {
	arrived := make(chan bool)
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		arrived <- true
		time.Sleep(100 * time.Millisecond)
		w.WriteHeader(500)
	}))
	defer s.Close()
	ctx, stop := context.WithCancel(context.Background())
	client := New(1)
	client.Attempts, client.Timeout = 5, 5*time.Second
	tries := 0
	client.Done = func(try Try) error { tries++; assert.Equal(t, 500, try.Status); return nil }
	go func() { <-arrived; stop() }()
	_, _, err := client.Post(ctx, s.URL, nil, nil)
	assert.True(t, err == nil || errors.Is(err, context.Canceled))
	assert.Equal(t, 1, tries)
	_, _, err = client.Post(ctx, s.URL, nil, nil)
	assert.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, 1, tries)
}

func TestDoneEndsTheRequest(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(500) }))
	defer s.Close()
	client := New(1)
	client.Attempts = 5
	full := errors.New("disk full")
	client.Done = func(Try) error { return full }
	_, _, err := client.Post(context.Background(), s.URL, nil, nil)
	assert.ErrorIs(t, err, full)
	_, _, err = New(1).Post(context.Background(), "http://127.0.0.1:1/", nil, nil)
	var none *NotThere
	assert.ErrorAs(t, err, &none)
}
