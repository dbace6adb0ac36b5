package process

import (
	"os"
	"runtime"
	"runtime/debug"
	"testing"

	"github.com/stretchr/testify/assert"
)

// While little is in use much may be made before it is collected; where much is in use,
// no more than the percentage; and what the user has set stays.
func TestGarbage(t *testing.T) {
	if os.Getenv("GOGC") != "" {
		t.Skip("GOGC is set")
	}
	t.Cleanup(func() { Garbage(100, 0) })
	percent := func() int {
		runtime.GC()
		runtime.GC() // what was found unused by the first is settled by the second
		now := debug.SetGCPercent(100)
		debug.SetGCPercent(now)
		return now
	}
	Garbage(100, 64<<20)
	settle()
	assert.Greater(t, percent(), 300, "little is held")
	held := make([]byte, 96<<20)
	settleAfter := func() int { percent(); settle(); return percent() }
	assert.Equal(t, 100, settleAfter(), "much is held")
	runtime.KeepAlive(held)
	t.Setenv("GOGC", "70")
	debug.SetGCPercent(70)
	Garbage(50, 0)
	now := debug.SetGCPercent(100)
	assert.Equal(t, 70, now)
}
