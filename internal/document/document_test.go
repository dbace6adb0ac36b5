package document

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestParse(t *testing.T) {
	d, err := Parse("a", []byte("\ufeffa\r\nb\rc\n"))
	require.NoError(t, err)
	assert.Equal(t, "a\nb\nc\n", d.Text)
	assert.Equal(t, Hash("a\nb\nc\n"), d.Hash)
	for data, says := range map[string]string{"": "empty", " \n": "empty", "a\xffb": "byte 0xff at offset 1 is not UTF-8", "\x00\xff": "binary", "a\x00": "NUL"} {
		_, err := Parse("a", []byte(data))
		require.Error(t, err)
		assert.Contains(t, err.Error(), says)
	}
}

func TestFind(t *testing.T) {
	dir := t.TempDir()
	for _, f := range []string{"docs/b.txt", "docs/sub/a b.md", "docs/.hidden/x.txt", "docs/c.pdf", "docs/ü.TXT"} {
		require.NoError(t, os.MkdirAll(filepath.Join(dir, filepath.Dir(f)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(dir, f), []byte("x"), 0o644))
	}
	found, err := Find(dir, []string{filepath.Join(dir, "docs"), filepath.Join(dir, "docs/b.txt")})
	require.NoError(t, err)
	var ids []string
	for _, s := range found {
		ids = append(ids, s.ID)
	}
	assert.Equal(t, []string{"docs/b.txt", "docs/sub/a b.md", "docs/ü.TXT"}, ids)
	_, err = Find(dir, []string{filepath.Join(dir, "nowhere")})
	assert.ErrorContains(t, err, "no such file")
	_, err = Source{ID: "docs", File: filepath.Join(dir, "docs")}.Read()
	assert.ErrorContains(t, err, "folder")
}

func FuzzParse(f *testing.F) {
	f.Add([]byte("a\r\nb"))
	f.Add([]byte("\xef\xbb\xbf\r"))
	f.Fuzz(func(t *testing.T, data []byte) {
		d, err := Parse("a", data)
		if err != nil {
			return
		}
		require.False(t, strings.ContainsAny(d.Text, "\r\x00"))
		again, err := Parse("a", []byte(d.Text))
		if strings.HasPrefix(d.Text, "\ufeff") {
			return // two marks: the second is text
		}
		require.NoError(t, err)
		require.Equal(t, d.Hash, again.Hash)
		l := NewLines(d.Text)
		at := 0
		for n := 1; n <= l.Len(); n++ {
			require.Equal(t, n, l.Of(at))
			at += len(l.Text(n)) + 1
		}
	})
}
