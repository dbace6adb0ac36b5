package sqlite

import (
	"bytes"
	"math/rand/v2"
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whatever is packed comes back, byte for byte; what is long and repeats itself
// is small; what is damaged is an error or a body, never a crash.
func TestPacking(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		body := make([]byte, r.IntN(3000))
		for i := range body {
			body[i] = `{"step":"check"}`[r.IntN(16)]
			if r.IntN(4) == 0 {
				body[i] = byte(r.Uint32())
			}
		}
		kept := pack(body)
		require.LessOrEqual(t, len(kept), len(body)+1)
		got, err := unpack(kept)
		require.NoError(t, err)
		require.True(t, bytes.Equal(body, got))
		kept[r.IntN(len(kept))] ^= byte(1 + r.IntN(255))
		unpack(kept)
		unpack(kept[:r.IntN(len(kept))])
	}
	assert.Less(t, len(pack([]byte(strings.Repeat(`{"kind":"quoted","start":12,"end":19,"line":3},`, 50)))), 100)
	parts := [][]byte{[]byte("{}"), nil, {}, []byte("long " + strings.Repeat("x", 900))}
	var a, b, c, d []byte
	require.NoError(t, unpackAll(packAll(parts...), &a, &b, &c, &d))
	assert.Equal(t, parts, [][]byte{a, b, c, d})
	for _, kept := range [][]byte{nil, {7, 1}, {asItIs}, {asItIs, 200}, {deflated, 1, 2, 3}} {
		assert.Error(t, unpackAll(kept, &a, &b))
	}
}

// However many hands ask at once for the right to send, their process has one row,
// which is renewed while a request is on its way.
func TestOneRowOfManyHands(t *testing.T) {
	l, _ := open4test(t)
	var wait sync.WaitGroup
	for i := range 50 {
		wait.Go(func() {
			mine, err := l.Take(strconv.Itoa(i))
			assert.NoError(t, err)
			assert.True(t, mine)
		})
	}
	wait.Wait()
	var rows, holders int
	require.NoError(t, l.db.QueryRow("SELECT count(*) FROM worker").Scan(&rows))
	require.NoError(t, l.db.QueryRow("SELECT count(DISTINCT holder) FROM flight JOIN worker ON worker.id = holder").Scan(&holders))
	assert.Equal(t, []int{1, 1}, []int{rows, holders})
}

// A process that is gone is not alive, whatever it promised; one of another
// machine is, as long as its sign of life holds.
func TestLives(t *testing.T) {
	gone := exec.Command("true")
	require.NoError(t, gone.Run())
	me := thisProcess()
	near := me[:strings.LastIndexByte(me, '/')+1]
	soon, past := time.Now().Add(time.Minute).UnixMilli(), time.Now().Add(-time.Second).UnixMilli()
	assert.True(t, lives(me, soon))
	assert.False(t, lives(me, past))
	assert.True(t, lives(near+"1", soon), "the first process of all is there, though not ours")
	assert.False(t, lives(near+strconv.Itoa(gone.Process.Pid), soon))
	assert.True(t, lives("elsewhere/"+strconv.Itoa(gone.Process.Pid), soon))
	assert.False(t, lives("elsewhere/1", past))
}
