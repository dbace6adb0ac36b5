package process

import (
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A lock is held by one process, and is free once that is gone, killed or not.
func TestLock(t *testing.T) {
	file := filepath.Join(t.TempDir(), "lock")
	if held := os.Getenv("FILLER_TEST_LOCK"); held != "" {
		if _, err := Lock(held); err != nil {
			os.Exit(3)
		}
		os.Stdout.WriteString("held\n")
		time.Sleep(time.Minute)
	}
	other := exec.Command(os.Args[0], "-test.run=^TestLock$")
	other.Env = append(os.Environ(), "FILLER_TEST_LOCK="+file)
	said, err := other.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, other.Start())
	_, err = said.Read(make([]byte, 5))
	require.NoError(t, err)
	_, err = Lock(file)
	var held *Held
	require.True(t, errors.As(err, &held), "%v", err)
	assert.Regexp(t, `^\d+, since `, held.By)
	require.NoError(t, other.Process.Kill())
	_ = other.Wait()
	unlock, err := Lock(file)
	require.NoError(t, err)
	unlock()
	unlock, err = Lock(file)
	require.NoError(t, err)
	unlock()
}
