package gold

import (
	"filler/internal/record"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/schema"
)

func TestLoad(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  a: {integer: A., required: true}\n  b: B.\n"))
	require.NoError(t, err)
	folder := func(files map[string]string) string {
		dir := t.TempDir()
		for name, text := range files {
			require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(dir, name)), 0o755))
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
		}
		return dir
	}
	set, err := Load(folder(map[string]string{
		"x/1.json":  `{"document":"d1","state":"reviewed","text_sha256":"h","record":{"a":1}}`,
		"2.json":    `{"document":"d2","record":{"a":null}}`,
		"3.json":    `{"document":"d3","state":"reviewed","record":{"a":"one","c":2}}`,
		"notes.txt": "not gold",
		"4.json":    `{"document":"d4","state":"disputed","record":{}}`,
	}), s)
	require.NoError(t, err)
	assert.Equal(t, []string{"d1", "d2", "d3", "d4"}, set.Documents())
	assert.Equal(t, Record{Document: "d1", Hashes: record.Hashes{Text: "h"}, State: Reviewed, Record: set["d1"].Record, File: set["d1"].File}, *set["d1"])
	assert.Equal(t, Draft, set["d2"].State)
	assert.Empty(t, set["d2"].Fault, "that a required value is missing is no fault of gold")
	assert.Contains(t, set["d3"].Fault, "(type)")

	for _, c := range []struct {
		files map[string]string
		says  string
	}{
		{map[string]string{"a.json": `{"document":"d"`}, "a.json:1:16: not JSON"},
		{map[string]string{"a.json": `{"record":{}}`}, "the key `document`"},
		{map[string]string{"a.json": `{"document":"d"}`}, "the key `record` is missing"},
		{map[string]string{"a.json": `{"document":"d","state":"final","record":{}}`}, "unknown state \"final\""},
		{map[string]string{"a.json": `{"document":"d","record":{}}`, "b.json": `{"document":"d","record":{}}`}, "a second gold record for d"},
	} {
		_, err := Load(folder(c.files), s)
		assert.ErrorContains(t, err, c.says)
	}
	_, err = Load("nowhere", s)
	assert.ErrorContains(t, err, "there is no gold here")

	lines := filepath.Join(folder(map[string]string{"g.jsonl": "{\"document\":\"d1\",\"record\":{\"a\":1}}\n\n{\"document\":\"d2\",\"record\":{\"a\":2}}\n"}), "g.jsonl")
	set, err = Load(lines, s)
	require.NoError(t, err)
	assert.Len(t, set, 2)
	assert.Equal(t, "1", set["d1"].Record.Get("a").Text, "values outlive the line they stood in")
	broken := filepath.Join(folder(map[string]string{"g.jsonl": "{\"document\":\"d1\",\"record\":{}}\nx\n"}), "g.jsonl")
	_, err = Load(broken, s)
	assert.ErrorContains(t, err, "g.jsonl:2:1: not JSON")
}
