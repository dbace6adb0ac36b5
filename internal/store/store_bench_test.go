package store_test

import (
	"bytes"
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"filler/internal/store"
	"filler/internal/store/pgtest"
	"filler/internal/store/postgres"
	"filler/internal/store/sqlite"
)

// What a store carries by itself, with commits on the disk: documents claimed, asked about and
// kept by 64 hands, in one process and in four.
func BenchmarkStore(b *testing.B) {
	body := bytes.Repeat([]byte(`{"report_no": "FB-2031-07", "bridge": "Plank Bridge"} `), 20)
	for _, c := range []struct {
		name      string
		processes int
		open      func(b *testing.B) func() store.Store
	}{
		{"file", 1, func(b *testing.B) func() store.Store {
			at := b.TempDir() + "/ledger.db"
			return func() store.Store { l, err := sqlite.Open(at); require.NoError(b, err); return l }
		}},
		{"postgres", 1, onServer}, {"postgres of 4", 4, onServer},
	} {
		b.Run(c.name, func(b *testing.B) {
			open := c.open(b)
			first := open()
			defer first.Close()
			run, err := first.Start(store.Run{Schema: []byte("s"), Prompt: []byte("p")}, tasks(b.N))
			require.NoError(b, err)
			b.ResetTimer()
			var all sync.WaitGroup
			for p := range c.processes {
				l := first
				if p > 0 {
					l = open()
					defer l.Close()
					require.NoError(b, l.Join(run))
				}
				queue := make(chan store.Task)
				for range 64 / c.processes {
					all.Go(func() {
						for t := range queue {
							key := store.HashOf(fmt.Append(nil, t.N))
							_, err := l.Take(key)
							require.NoError(b, err)
							x := store.Exchange{Key: key, Run: run, N: t.N, Step: "fill", Try: 1, Status: 200, Request: [][]byte{shared[0], fmt.Appendf(body[:len(body):len(body)], "%d", t.N)}, Reply: body}
							require.NoError(b, l.Depart(x))
							require.NoError(b, l.SaveExchange(x))
							r := record(t.N)
							r.Record, r.Trace = body, body
							require.NoError(b, l.SaveRecord(run, r))
						}
					})
				}
				all.Go(func() {
					defer close(queue)
					for {
						got, err := l.Claim(run, 64/c.processes)
						require.NoError(b, err)
						if len(got) == 0 {
							return
						}
						for _, t := range got {
							queue <- t
						}
					}
				})
			}
			all.Wait()
			b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "documents/s")
		})
	}
}

func onServer(b *testing.B) func() store.Store {
	at := pgtest.Start(b).Database(b)
	return func() store.Store { l, err := postgres.Open(at); require.NoError(b, err); return l }
}
