package fetch

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func anybody(string) bool { return true }

// Every snapshot of an address stays; the newest counts, unless it is damaged.
func TestSnapshots(t *testing.T) {
	hits := 0
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		hits++
		w.Header().Set("Content-Type", "text/plain")
		fmt.Fprintf(w, "snapshot %d", hits)
	}))
	defer s.Close()
	dir := t.TempDir()
	get := func(fresh bool) *Page {
		p, err := (&Kept{Dir: dir, Fresh: fresh, Named: anybody}).Get(context.Background(), s.URL+"/a", 100, 5*time.Second)
		require.NoError(t, err)
		return p
	}
	assert.Equal(t, "snapshot 1", string(get(false).Body))
	assert.Equal(t, "snapshot 1", string(get(false).Body))
	assert.Equal(t, "snapshot 2", string(get(true).Body))
	newest := get(false)
	assert.Equal(t, "snapshot 2", string(newest.Body))
	assert.Equal(t, "text/plain", newest.Type)
	files, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, files, 3, "two snapshots and their list")
	require.NoError(t, os.WriteFile(filepath.Join(dir, newest.Hash), []byte("damaged"), 0o644))
	assert.Equal(t, "snapshot 3", string(get(false).Body))
	assert.Equal(t, 3, hits)
}

// A server in trouble is asked again; one that has nothing is not.
func TestTroubledPages(t *testing.T) {
	hits := map[string]int{}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		hits[r.URL.Path]++
		switch {
		case r.URL.Path == "/late" && hits["/late"] < 2:
			w.WriteHeader(http.StatusServiceUnavailable)
		case r.URL.Path == "/none":
			w.WriteHeader(http.StatusGone)
		case r.URL.Path == "/empty":
		default:
			fmt.Fprint(w, "here")
		}
	}))
	defer s.Close()
	for path, says := range map[string]string{"/late": "", "/none": "answers with status 410", "/empty": "gives an empty page", "": ""} {
		p, err := (&Kept{Named: anybody}).Get(context.Background(), s.URL+path, 100, 10*time.Second)
		if says == "" {
			require.NoError(t, err, path)
			assert.Equal(t, "here", string(p.Body))
			continue
		}
		assert.ErrorContains(t, err, says)
	}
	assert.Equal(t, 2, hits["/late"])
	assert.Equal(t, 1, hits["/none"])
	_, err := (&Kept{}).Get(context.Background(), "http://", 100, time.Second)
	assert.ErrorContains(t, err, "not an address")
}
