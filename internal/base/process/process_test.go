package process

import (
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a process that is gone left half written is taken away by the next that
// writes beside it; what one that lives, or one elsewhere, writes stays.
func TestHalfWrittenFiles(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "a [b]*")
	require.NoError(t, os.Mkdir(dir, 0o755))
	gone := exec.Command("true")
	require.NoError(t, gone.Run())
	put := func(name string) string {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, nil, 0o600))
		return file
	}
	dead := put(part + Machine() + "-" + strconv.Itoa(gone.Process.Pid) + "-7")
	living := put(part + Machine() + "-" + strconv.Itoa(os.Getppid()) + "-7")
	elsewhere := put(part + "0123456789ab-" + strconv.Itoa(gone.Process.Pid) + "-7")
	other := put(".records")
	file := filepath.Join(dir, "out")
	require.NoError(t, WriteFile(file, []byte("old"), false))
	require.NoError(t, WriteFile(file, []byte("new"), false))
	assert.NoFileExists(t, dead)
	for _, stays := range []string{living, elsewhere, other} {
		assert.FileExists(t, stays)
	}
	data, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, "new", string(data))
	all, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, all, 4)
	assert.Error(t, WriteFile(filepath.Join(dir, "none", "out"), nil, true))
}

func TestAlive(t *testing.T) {
	assert.True(t, Alive(os.Getpid()))
	assert.True(t, Alive(1), "it is there, though not ours")
	gone := exec.Command("true")
	require.NoError(t, gone.Run())
	assert.False(t, Alive(gone.Process.Pid))
}
