package process

import (
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"syscall"
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

// A new file honours the umask, a private one is the user's alone, one that is
// replaced keeps its mode, and a link stays a link.
func TestModes(t *testing.T) {
	old := syscall.Umask(0o027)
	defer syscall.Umask(old)
	dir := t.TempDir()
	mode := func(file string) os.FileMode {
		info, err := os.Lstat(file)
		require.NoError(t, err)
		return info.Mode()
	}
	at := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, WriteFile(at("new"), nil, false))
	assert.Equal(t, os.FileMode(0o640), mode(at("new")))
	require.NoError(t, WriteFile(at("own"), nil, true))
	assert.Equal(t, os.FileMode(0o600), mode(at("own")))
	require.NoError(t, os.WriteFile(at("old"), []byte("old"), 0o600))
	require.NoError(t, os.Chmod(at("old"), 0o664))
	require.NoError(t, os.Symlink("old", at("link")))
	require.NoError(t, WriteFile(at("link"), []byte("new"), true))
	assert.Equal(t, os.FileMode(0o664), mode(at("old")))
	assert.NotZero(t, mode(at("link"))&os.ModeSymlink)
	data, err := os.ReadFile(at("old"))
	require.NoError(t, err)
	assert.Equal(t, "new", string(data))
	w, err := Begin(at("old"), false)
	require.NoError(t, err)
	w.Abandon()
	all, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, all, 4)
}
