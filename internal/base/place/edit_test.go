package place

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A change leaves every other letter of the file, whatever way the file is written in.
func TestEditKeepsTheRest(t *testing.T) {
	for _, c := range []struct{ path, write, remark, was, now string }{
		{"a.b", "[x]", "", "a: {text: T., b: [y, z]} # r\n", "a: {text: T., b: [x]} # r\n"},
		{"a.b", "[x]", "why", "q: 1\na: {text: T.}\n", "q: 1\n# why\na: {text: T., b: [x]}\n"},
		{"a.b", "true", "", "a: {}\n", "a: {b: true}\n"},
		{"a.b", "1", "why", "a:\n  text: T.\n\n  # kept\n  c: 3\n", "a:\n  text: T.\n  # why\n  b: 1\n\n  # kept\n  c: 3\n"},
		{"a.b", "1", "why", "a:\n  text: >\n    long\n    text\n  c: 3", "a:\n  text: >\n    long\n    text\n  # why\n  b: 1\n  c: 3"},
		{"a.b", "[x]", "why", "a:\n  b:\n    - y\n    - z\n  c: 3\n", "a:\n  # why\n  b: [x]\n  c: 3\n"},
		{"a.b", "[x]", "", "a:\n  b:\n  - y\n  - z\n  c: 3\n", "a:\n  b: [x]\n  c: 3\n"},
		{"a.b", "2", "", "a:\n  b: 1   # kept\n  c: 3\n", "a:\n  b: 2   # kept\n  c: 3\n"},
		{"a.b", "2", "", "a:\r\n  b: 'it''s'\r\n  c: 3\r\n", "a:\r\n  b: 2\r\n  c: 3\r\n"},
		{"a.b", "2", "w", "a:\r\n  c: 3\r\n", "a:\r\n  c: 3\r\n  # w\r\n  b: 2\r\n"},
		{"a.b", "2", "", "a: {t: 'Größe, {x', d: don't,\n  b: \"q\\\"}\", e: 5}\n", "a: {t: 'Größe, {x', d: don't,\n  b: 2, e: 5}\n"},
		{"a.b", "2", "", "a: {ü: Ü, t: [1, {z: ']'}] # }\n  }\n", "a: {ü: Ü, t: [1, {z: ']'}], b: 2 # }\n  }\n"},
		{"a.no", "2", "", "a: {t: 1,}\n", "a: {t: 1, no: 2,}\n"},
		{"a.two words", "2", "", "a: {t: 1}\n", "a: {t: 1, \"two words\": 2}\n"},
		{"a.'it''s'", "2", "", "\ufeffa: {t: 1}\n", "\ufeffa: {t: 1, \"'it''s'\": 2}\n"},
		{"a.b", "2", "w", "a:\n  b:\n  'c': 3\n", "a:\n  # w\n  b: 2\n  'c': 3\n"},
		{"a.c", "2", "", "a: {b, c, \"d\":, e: 1}\n", "a: {b, c: 2, \"d\":, e: 1}\n"},
		{"a.d", "2", "", "a: {b, c, \"d\":, e: 1}\n", "a: {b, c, \"d\": 2, e: 1}\n"},
		{"a.b", "2", "", "a:\n  b: long text\n    goes on\n  c: 3\n", "a:\n  b: 2\n  c: 3\n"},
	} {
		out, err := Edit{Path: strings.Split(c.path, "."), Write: c.write, Remark: c.remark}.Apply([]byte(c.was))
		require.NoError(t, err, "%s", c.was)
		assert.Equal(t, c.now, string(out))
	}
	for _, bad := range []string{"a: 1\n", "b: {}\n", "a: [1]\n", "", "a: {b: 1"} {
		_, err := Edit{Path: []string{"a", "b"}, Write: "1"}.Apply([]byte(bad))
		assert.ErrorIs(t, err, ErrEdit, "%q", bad)
	}
	_, err := Edit{Path: []string{"a"}, Write: "{b: "}.Apply([]byte("a: 1\n"))
	assert.ErrorIs(t, err, ErrEdit)
}

// Every key of every mapping of real files can be set, added to and set back.
func TestEditEverywhereInRealFiles(t *testing.T) {
	var files []string
	require.NoError(t, filepath.WalkDir("../../demo", func(path string, _ fs.DirEntry, err error) error {
		if strings.HasSuffix(path, ".yaml") {
			files = append(files, path)
		}
		return err
	}))
	edits := 0
	for _, file := range files {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		_, root := Load(file, data)
		require.NotNil(t, root, file)
		var walk func(n *Node, path []string)
		walk = func(n *Node, path []string) {
			for _, kid := range n.Pairs() {
				at := append(append([]string(nil), path...), kid.Key())
				_, err := Edit{Path: at, Write: "[x, y]", Remark: "because"}.Apply(data)
				assert.NoError(t, err, "%s %v", file, at)
				if kid.IsMap() {
					_, err := Edit{Path: append(at, "one_more"), Write: `{"a": "b"}`, Remark: "because"}.Apply(data)
					assert.NoError(t, err, "%s %v", file, at)
				}
				edits++
				walk(kid, at)
			}
		}
		walk(root, nil)
	}
	require.Greater(t, edits, 100, fmt.Sprint(files))
}

func FuzzEdit(f *testing.F) {
	f.Add("a: {b: 1, c: 'd'}\n", "[x]")
	f.Add("a:\n  b: >\n   t\n", "2")
	f.Fuzz(func(t *testing.T, data, write string) {
		out, err := Edit{Path: []string{"a", "b"}, Write: write, Remark: "r"}.Apply([]byte(data))
		if err == nil {
			_, root := Load("", out)
			require.NotNil(t, root.Get("a").Get("b"))
		}
	})
}
