package sqlite

import (
	"os/exec"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/process"
)

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
	me := process.Name()
	near := me[:strings.LastIndexByte(me, '/')+1]
	soon, past := time.Now().Add(time.Minute).UnixMilli(), time.Now().Add(-time.Second).UnixMilli()
	assert.True(t, lives(me, soon))
	assert.False(t, lives(me, past))
	assert.True(t, lives(near+"1", soon), "the first process of all is there, though not ours")
	assert.False(t, lives(near+strconv.Itoa(gone.Process.Pid), soon))
	assert.True(t, lives("elsewhere/"+strconv.Itoa(gone.Process.Pid), soon))
	assert.False(t, lives("elsewhere/1", past))
}
