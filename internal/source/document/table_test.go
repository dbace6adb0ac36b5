package document

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func wholeOf(t testing.TB, s Source) string {
	text, err := s.Whole()
	require.NoError(t, err)
	return text
}

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
		"pipes.csv": separated('|'), "tabs.csv": separated('\t'), "office.csv": append([]byte("sep=;\r\n"), separated(';')...),
		"windows.csv": append([]byte("\ufeff"), bytes.ReplaceAll(separated(','), []byte("\n"), []byte("\r\n"))...),
	} {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, data, 0o644))
		got, _, err := Table{File: file, ID: "mark", Text: []string{"note"}}.Rows(dir)
		require.NoError(t, err, name)
		require.Len(t, got, 3, name)
		for i, s := range got {
			assert.Equal(t, name+"#"+cells[i+1][0], s.ID)
			assert.Equal(t, cells[i+1][1]+"\n", wholeOf(t, s), name)
			doc, err := s.Read()
			require.NoError(t, err, name)
			assert.Equal(t, wholeOf(t, s), doc.Text, name)
		}
		both, _, err := Table{File: file, Text: []string{"by", "note"}}.Rows(dir)
		require.NoError(t, err, name)
		assert.Equal(t, name+"#2", both[1].ID, "without a mark rows are counted")
		assert.Equal(t, "by: Ämne Lü\nnote: two\nlines,\n\nand a gap\n", wholeOf(t, both[1]), name)
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
		_, _, err := Table{File: file, ID: "mark", Text: []string{"note"}}.Rows(filepath.Dir(file))
		require.Error(t, err, c.data)
		assert.Contains(t, err.Error(), c.says)
		assert.NotContains(t, err.Error(), "\n")
		assert.Contains(t, err.Error(), "; ", "what to do stands behind what is wrong")
	}
	file := filepath.Join(t.TempDir(), "t.csv")
	require.NoError(t, os.WriteFile(file, []byte("mark,note\nA,x\nA,y\n,z\nB,w\n"), 0o644))
	sound, _, err := Table{File: file, ID: "mark", Text: []string{"note"}}.Rows(filepath.Dir(file))
	var faults LeftOut
	require.ErrorAs(t, err, &faults)
	assert.Len(t, faults, 2)
	require.Len(t, sound, 2, "the other rows go on")
	assert.Equal(t, "t.csv#B", sound[1].ID)
	_, _, err = Table{File: "none.csv", Text: []string{"a"}}.Rows(".")
	assert.ErrorContains(t, err, "there is no such file")
}

// One row that is not CSV or JSON is left out by its line, wherever it stands, and the
// others keep their places; rows with too few or too many cells are noted.
func TestBrokenRowsAreLeftOut(t *testing.T) {
	for _, c := range []struct {
		name, data, marks, faults, notes string
	}{
		{"t.csv", "note\na\n\"b\" b,\nc\n", "1 3", "t.csv:3:3: not CSV", ""},
		{"t.csv", "note,by\n\n\na,x\nb \"b,y\n\nc,z\n", "1 3", "t.csv:5:3: not CSV", ""},
		{"t.csv", "note,by\na,x\n\"b,y\nc,z\nd,w\n", "1 3 4", "t.csv:3: not CSV", ""},
		{"t.csv", "note,by\n\"a\na\",x\n\"b\"b,y\n\"c\nc\",z\n\"d", "1 3", "t.csv:4:3: not CSV t.csv:7:3: not CSV", ""},
		{"t.csv", "note,by\na\nb,x,y\nc,x,y\n", "1 2 3", "", "t.csv: a row has fewer cells than the head, the first in line 2 t.csv: 2 rows have more cells than the head, the first in line 3; what has no column is not read"},
		{"t.jsonl", "{\"note\":\"a\"}\n{\"note\n\n{\"note\":\"c\"}\n{\"n\":1}\n{\"note\":\"e\"}", "1 3 5", `t.jsonl:2: this line is not a JSON object t.jsonl:5: there is no column "note"`, ""},
		{"t.csv", "note\n\x9cbern\xfc\n", "1", "", "t.csv: read as Windows-1252, by guess; it could be windows-1250 as well"},
	} {
		dir := t.TempDir()
		file := filepath.Join(dir, c.name)
		require.NoError(t, os.WriteFile(file, []byte(c.data), 0o644))
		found, notes, err := Table{File: file, Text: []string{"note"}}.Rows(dir)
		var marks, faults []string
		for _, s := range found {
			marks = append(marks, strings.TrimPrefix(s.ID, c.name+"#"))
			doc, err := s.Read()
			require.NoError(t, err, c.data)
			assert.NotContains(t, doc.Text, "b,")
		}
		var left LeftOut
		if errors.As(err, &left) {
			for _, f := range left {
				text, _, _ := strings.Cut(strings.TrimPrefix(f.Error(), dir+"/"), "; ")
				if at := strings.Index(text, "not CSV"); at >= 0 {
					text = text[:at+7]
				}
				faults = append(faults, text)
			}
		} else {
			require.NoError(t, err)
		}
		assert.Equal(t, c.marks, strings.Join(marks, " "), c.data)
		assert.Equal(t, c.faults, strings.Join(faults, " "), c.data)
		assert.Equal(t, c.notes, strings.ReplaceAll(strings.Join(notes, " "), dir+"/", ""), c.data)
	}
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
	for data, says := range map[string]string{"RIFFxxxxWEBPVP8 ": "a WebP picture, which is not read; save it as PNG", "\x00\x00\x00\x18ftypheic": "a HEIC picture", "\xd0\xcf\x11\xe0\xa1": "a mail in the form of an office program, which is not read; save it as .eml"} {
		_, err := Parse("a.msg", []byte(data))
		assert.ErrorContains(t, err, says)
	}
	_, err := ReadFrom("stdin", strings.NewReader(strings.Repeat("a", DefaultLimits.Bytes+1)))
	assert.ErrorContains(t, err, "stdin: larger than")
	doc, err := ReadFrom("stdin", strings.NewReader("Deck sound.\n"))
	require.NoError(t, err)
	assert.Equal(t, "Deck sound.\n", doc.Text)
}
