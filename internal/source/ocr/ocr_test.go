package ocr

import (
	"bytes"
	"context"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func run1(t *testing.T, script string, picture string) ([]byte, error) {
	t.Helper()
	return Command{Args: []string{"sh", "-c", script}, Form: Text}.Read(context.Background(), []byte(picture))
}

// The picture comes as a file where its place is named, with the end of its
// kind, and is gone afterwards; else on standard input.
func TestHowThePictureComes(t *testing.T) {
	png := "\x89PNG rest"
	out, err := Command{Args: []string{"sh", "-c", `echo "$1"; cat "$1"`, "x", ImageMark}}.Read(context.Background(), []byte(png))
	require.NoError(t, err)
	path, body, _ := strings.Cut(string(out), "\n")
	assert.Equal(t, png, body)
	assert.Equal(t, ".png", filepath.Ext(path))
	assert.NoFileExists(t, path)
	out, err = run1(t, "cat", png)
	require.NoError(t, err)
	assert.Equal(t, png, string(out))
	for start, ext := range map[string]string{"\xff\xd8\xff": ".jpg", "II*\x00": ".tif", "MM\x00*": ".tif", "GIF8": "", "": ""} {
		assert.Equal(t, ext, Extension([]byte(start)))
	}
}

// A failure is one line that says what the command said last.
func TestFailures(t *testing.T) {
	for script, says := range map[string]string{
		"echo first >&2; printf 'no\\tpaper\\n' >&2; exit 2": "failed (no paper)",
		"exit 7":                         "failed (exit status 7)",
		"yes x | head -c 9000 >&2; exit": "",
	} {
		_, err := run1(t, script, "p")
		if says == "" {
			assert.NoError(t, err)
			continue
		}
		require.ErrorContains(t, err, says)
		assert.NotContains(t, err.Error(), "\n")
	}
	long, err := run1(t, "printf '%0400d' 7 >&2; exit 1", "p")
	assert.Nil(t, long)
	assert.Less(t, len(err.Error()), 300)
}

// One that hangs is ended with all that it started.
func TestHanging(t *testing.T) {
	mark := filepath.Join(t.TempDir(), "late")
	k := Kept{Engine: Command{Args: []string{"sh", "-c", "(sleep 2; touch " + mark + ") & sleep 60"}, Form: Text}, Limit: 200 * time.Millisecond}
	began := time.Now()
	err := k.Read(context.Background(), []byte("p"), func([]byte) error { return nil })
	assert.ErrorContains(t, err, "took too long and was stopped")
	assert.Less(t, time.Since(began), 20*time.Second)
	time.Sleep(2200 * time.Millisecond)
	assert.NoFileExists(t, mark, "what it started went on")
}

// What is sound is kept by picture, engine and form; what is not is asked
// again; a damaged file in the folder is no harm.
func TestKept(t *testing.T) {
	dir, calls := t.TempDir(), filepath.Join(t.TempDir(), "calls")
	k := Kept{Engine: Command{Args: []string{"sh", "-c", "echo x >> " + calls + "; cat"}, Form: Text}, Dir: dir}
	bad := errors.New("unsound")
	read := func(picture string, verdict func([]byte) error) error {
		return k.Read(context.Background(), []byte(picture), verdict)
	}
	asked := func() int {
		data, _ := os.ReadFile(calls)
		return bytes.Count(data, []byte("x"))
	}
	is := func(want string) func([]byte) error {
		return func(got []byte) error {
			if string(got) != want {
				return bad
			}
			return nil
		}
	}
	require.ErrorContains(t, read("a", func([]byte) error { return bad }), "gave no text (unsound)")
	require.NoError(t, read("a", is("a")))
	require.NoError(t, read("a", is("a")))
	assert.Equal(t, 2, asked(), "the unsound one was not kept, the sound one was")
	require.NoError(t, read("b", is("b")))
	assert.Equal(t, 3, asked())
	files, err := filepath.Glob(filepath.Join(dir, "*.text"))
	require.NoError(t, err)
	require.Len(t, files, 2)
	for _, f := range files {
		require.NoError(t, os.WriteFile(f, []byte("cut sh"), 0o644))
	}
	require.NoError(t, read("a", is("a")))
	assert.Equal(t, 4, asked(), "read again where what was kept is of no use")
}
