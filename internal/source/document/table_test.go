package document

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The same rows come out of every way to write a table, whatever the cells
// hold, and a row's text is what Parse makes of it.
func TestTableWays(t *testing.T) {
	cells := [][]string{
		{"mark", "note", "by"},
		{"A1", "Deck sound; \"no rot\", said the keeper", "Piet Osk"},
		{"A2", "two\nlines,\n\nand a gap", "Ämne Lü"},
		{"b/3", "semi;colon\tand tab", ""},
	}
	dir := t.TempDir()
	separated := func(comma rune) []byte {
		var b bytes.Buffer
		w := csv.NewWriter(&b)
		w.Comma = comma
		require.NoError(t, w.WriteAll(cells))
		return b.Bytes()
	}
	var lines bytes.Buffer
	for _, row := range cells[1:] {
		require.NoError(t, json.NewEncoder(&lines).Encode(map[string]any{"mark": row[0], "note": row[1], "by": row[2], "other": 1}))
	}
	for name, data := range map[string][]byte{
		"notes.csv": separated(','), "half.csv": separated(';'), "notes.tsv": separated('\t'), "notes.jsonl": lines.Bytes(),
		"windows.csv": append([]byte("\ufeff"), bytes.ReplaceAll(separated(','), []byte("\n"), []byte("\r\n"))...),
	} {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, data, 0o644))
		got, err := Table{File: file, ID: "mark", Text: []string{"note"}}.Rows(dir)
		require.NoError(t, err, name)
		require.Len(t, got, 3, name)
		for i, s := range got {
			assert.Equal(t, name+"#"+cells[i+1][0], s.ID)
			assert.Equal(t, cells[i+1][1]+"\n", s.Text, name)
			doc, err := s.Read()
			require.NoError(t, err, name)
			assert.Equal(t, s.Text, doc.Text, name)
		}
		both, err := Table{File: file, Text: []string{"by", "note"}}.Rows(dir)
		require.NoError(t, err, name)
		assert.Equal(t, name+"#2", both[1].ID, "without a mark rows are counted")
		assert.Equal(t, "by: Ämne Lü\nnote: two\nlines,\n\nand a gap\n", both[1].Text, name)
	}
}

func TestTableFaults(t *testing.T) {
	for _, c := range []struct{ name, data, says string }{
		{"t.csv", "mark,note\nA,x\nA,y\n", `t.csv:3: a second row with the id "A" (the first is in line 2)`},
		{"t.csv", "mark,note\nA,x\n ,y\n", `t.csv:3: the row has nothing in the id column "mark"`},
		{"t.csv", "mark,nota\nA,x\n", `t.csv: there is no column "note"; the table has mark, nota`},
		{"t.csv", "mark,note\nA,\"x\n", "not CSV"},
		{"t.csv", "mark,note\n", "the table has no rows"},
		{"t.csv", "", "no header row"},
		{"t.jsonl", "{\"mark\":\"A\",\"note\":\"x\"}\n[1]\n", "t.jsonl:2: this line is not a JSON object"},
		{"t.jsonl", "{\"mark\":\"A\"}\n", `t.jsonl:1: there is no column "note"`},
		{"t.jsonl", "{\"note\":\"x\"}\n", `nothing in the id column "mark"`},
	} {
		file := filepath.Join(t.TempDir(), c.name)
		require.NoError(t, os.WriteFile(file, []byte(c.data), 0o644))
		_, err := Table{File: file, ID: "mark", Text: []string{"note"}}.Rows(filepath.Dir(file))
		require.Error(t, err, c.data)
		assert.Contains(t, err.Error(), c.says)
		assert.NotContains(t, err.Error(), "\n")
		assert.Contains(t, err.Error(), "; ", "what to do stands behind what is wrong")
	}
	file := filepath.Join(t.TempDir(), "t.csv")
	require.NoError(t, os.WriteFile(file, []byte("mark,note\nA,x\nA,y\n,z\nB,w\n"), 0o644))
	sound, err := Table{File: file, ID: "mark", Text: []string{"note"}}.Rows(filepath.Dir(file))
	var faults LeftOut
	require.ErrorAs(t, err, &faults)
	assert.Len(t, faults, 2)
	require.Len(t, sound, 2, "the other rows go on")
	assert.Equal(t, "t.csv#B", sound[1].ID)
	_, err = Table{File: "none.csv", Text: []string{"a"}}.Rows(".")
	assert.ErrorContains(t, err, "there is no such file")
}

// What is no readable file is refused before it is read whole.
func TestReadRefuses(t *testing.T) {
	dir := t.TempDir()
	large := filepath.Join(dir, "large.txt")
	require.NoError(t, os.WriteFile(large, nil, 0o644))
	require.NoError(t, os.Truncate(large, int64(DefaultLimits.Bytes)+1))
	for file, says := range map[string]string{dir: "this is a folder", large: "larger than", filepath.Join(dir, "none"): "there is no such file"} {
		_, err := Source{ID: "x", File: file}.Read()
		assert.ErrorContains(t, err, says)
	}
	_, err := ReadFrom("stdin", strings.NewReader(strings.Repeat("a", DefaultLimits.Bytes+1)))
	assert.ErrorContains(t, err, "stdin: larger than")
	doc, err := ReadFrom("stdin", strings.NewReader("Deck sound.\n"))
	require.NoError(t, err)
	assert.Equal(t, "Deck sound.\n", doc.Text)
}
