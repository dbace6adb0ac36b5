//go:build unix

package process

import (
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

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
