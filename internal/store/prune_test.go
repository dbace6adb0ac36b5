package store_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/store"
)

// Whatever runs are dropped, all that the others refer to is there, byte for byte,
// what was paid for them is not asked again, and nothing else is left.
func TestPruneKeepsWhatIsUsed(t *testing.T) { onEach(t, pruneKeepsWhatIsUsed) }

func pruneKeepsWhatIsUsed(t *testing.T, k kind) {
	for seed := range k.rounds {
		r := rand.New(rand.NewPCG(seed, 8))
		l, at := k.new(t)
		paid := map[string]bool{}
		uses := map[int64][]string{} // keys by run
		for n := range 6 {
			run, err := l.Start(store.Run{Schema: fmt.Appendf(nil, "schema %d", n%2), Prompt: fmt.Appendf(nil, "prompt %d", n)}, []store.Task{{N: 0, Document: "a", Text: func() ([]byte, error) { return fmt.Appendf(nil, "text %d", n%3), nil }}})
			require.NoError(t, err)
			for range 1 + r.IntN(8) {
				key := fmt.Sprint("k", r.IntN(12))
				x := store.Exchange{Key: key, Run: run, Status: 200, Try: 1, Request: [][]byte{shared[0], []byte(key)}, Reply: []byte("reply to " + key)}
				if paid[key] {
					x.Try = 0
				}
				paid[key] = true
				uses[run] = append(uses[run], key)
				require.NoError(t, l.SaveExchange(x))
			}
			require.NoError(t, l.SaveRecord(run, record(0)))
			require.NoError(t, l.End(run, store.Done, 0))
		}
		require.NoError(t, l.SaveExchange(store.Exchange{Key: "of no run", Status: 200, Try: 1, Request: [][]byte{[]byte("alone")}, Reply: bytes.Repeat([]byte("x"), 999)}))
		var drop []int64
		for run := range uses {
			if r.IntN(2) == 0 {
				drop = append(drop, run)
			}
		}
		trial, err := l.(store.Pruner).Prune(drop, true)
		require.NoError(t, err)
		runs, err := l.Runs()
		require.NoError(t, err)
		require.Len(t, runs, 6, "a trial drops nothing")
		done, err := l.(store.Pruner).Prune(drop, false)
		require.NoError(t, err)
		assert.Equal(t, []int{trial.Runs, trial.Records, trial.Exchanges, trial.Bodies}, []int{done.Runs, done.Records, done.Exchanges, done.Bodies})
		assert.LessOrEqual(t, done.After, done.Before)
		for _, run := range drop {
			delete(uses, run)
		}
		used := map[string]bool{}
		for run, keys := range uses {
			kept, err := l.Find(fmt.Sprint(run))
			require.NoError(t, err)
			require.Equal(t, fmt.Sprintf("schema %d", (run-1)%2), string(kept.Schema))
			n := 0
			require.NoError(t, l.Bodies(run, func(request []byte, _ int, reply []byte) error {
				require.Equal(t, string(shared[0])+keys[n], string(request))
				require.Equal(t, "reply to "+keys[n], string(reply))
				n++
				return nil
			}))
			require.Equal(t, len(keys), n)
			for _, key := range keys {
				used[key] = true
			}
		}
		for key := range paid {
			x, err := l.Answered(key)
			require.NoError(t, err)
			require.Equal(t, used[key], x != nil, "%s, seed %d", key, seed)
		}
		again, err := l.(store.Pruner).Prune(nil, false)
		require.NoError(t, err)
		assert.Zero(t, again.Exchanges+again.Bodies, "nothing is left to drop")
		next, err := l.Start(store.Run{Schema: []byte("schema 0"), Prompt: []byte("p")}, nil)
		require.NoError(t, err)
		assert.EqualValues(t, 7, next, "a number is not given twice")
		var busy *store.Busy
		_, err = l.(store.Pruner).Prune([]int64{next}, false)
		assert.ErrorAs(t, err, &busy, "this process is at it")
		require.NoError(t, l.Close())
		reader, err := k.toRead(at)
		require.NoError(t, err)
		require.NoError(t, reader.Close())
	}
}
