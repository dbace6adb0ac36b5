package pdf

import (
	"context"
	"fmt"
	"sync"
	"testing"
	"time"

	"github.com/go-pdf/fpdf"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func one(t testing.TB, word string) []byte {
	p := fpdf.New("P", "mm", "A4", "")
	p.SetFont("Helvetica", "", 11)
	p.AddPage()
	p.Text(20, 20, word)
	return written(t, p)
}

// waits gives the process that waits, the only one.
func waits(t *testing.T) *child {
	t.Helper()
	waitingMu.Lock()
	defer waitingMu.Unlock()
	require.Len(t, waiting, 1)
	return waiting[0]
}

// nobodyWaits ends those that wait, so that a test begins with none.
func nobodyWaits() {
	for c := take(); c != nil; c = take() {
		c.end()
	}
}

// One process reads file after file, whatever the one before was like, and goes when
// it has read many.
func TestOneChildReadsMany(t *testing.T) {
	nobodyWaits()
	seen := map[*child]bool{}
	for n := range mostFiles + 3 {
		word := fmt.Sprintf("plank%d", n)
		pages, err := Read(context.Background(), Request{Data: one(t, word)})
		require.NoError(t, err)
		require.Equal(t, word, pages[0].Words[0].Text)
		_, err = Read(context.Background(), Request{Data: []byte("%PDF-1.7\nnothing else")})
		require.ErrorContains(t, err, "damaged")
		if n%8 == 0 { // not after the last file of one
			seen[waits(t)] = true
		}
	}
	seen[waits(t)] = true
	assert.Len(t, seen, 3)
}

// A process that ends while it waits, or as it reads, costs nobody else's file.
func TestChildThatEnds(t *testing.T) {
	nobodyWaits()
	for range 3 {
		_, err := Read(context.Background(), Request{Data: one(t, "deck")})
		require.NoError(t, err)
		require.NoError(t, waits(t).cmd.Process.Kill())
	}
	ctx, cancel := context.WithTimeout(context.Background(), 100*time.Millisecond)
	defer cancel()
	_, err := Read(ctx, Request{Data: dense(t), DrawAll: true})
	require.ErrorContains(t, err, "took too long")
	pages, err := Read(context.Background(), Request{Data: one(t, "handrail")})
	require.NoError(t, err)
	assert.Equal(t, "handrail", pages[0].Words[0].Text)
}

// Many at a time get each their own answer.
func TestManyAtATime(t *testing.T) {
	nobodyWaits()
	var all sync.WaitGroup
	for n := range 24 {
		all.Go(func() {
			word := fmt.Sprintf("pier%d", n)
			pages, err := Read(context.Background(), Request{Data: one(t, word)})
			if assert.NoError(t, err) {
				assert.Equal(t, word, pages[0].Words[0].Text)
			}
		})
	}
	all.Wait()
}

// A short file takes a tenth of what readying a process does.
func BenchmarkShortFiles(b *testing.B) {
	data := one(b, "plank")
	for b.Loop() {
		_, err := Read(context.Background(), Request{Data: data})
		require.NoError(b, err)
	}
}
