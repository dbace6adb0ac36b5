package fill

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Examples are picked so that they show most between them, only from gold that
// counts; a document that is shown, or is nearly one that is, is marked.
func TestExamples(t *testing.T) {
	dir := t.TempDir()
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  name: Name.\n  kind: {choice: Kind., of: [plank, arch]}\n  open: {boolean: Open., basis: true}\n"))
	require.NoError(t, err)
	set := gold.Set{}
	var sources []document.Source
	add := func(id, text, record, state string) {
		file := filepath.Join(dir, id)
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		sources = append(sources, document.Source{ID: id, File: file})
		v, err := value.Parse(record)
		require.NoError(t, err)
		set[id] = &gold.Record{Document: id, State: state, Record: v}
	}
	add("a.txt", "Name: Heron\nKind: plank\n", `{"name":"Heron","kind":"plank","open":null}`, gold.Reviewed)
	add("b.txt", "Name: Rushy\nKind: arch\nOpen: yes\n", `{"name":"Rushy","kind":"arch","open":true}`, gold.Reviewed)
	add("c.txt", "Name: Alder\nKind: plank\n", `{"name":"Alder","kind":"plank","open":null}`, gold.Reviewed)
	add("d.txt", "Name: Pipit\nKind: arch\nOpen: no\n", `{"name":"Pipit","kind":"arch","open":false}`, gold.Draft)
	set["gone.txt"] = &gold.Record{Document: "gone.txt", State: gold.Reviewed, Record: set["a.txt"].Record}
	setup := Setup{Schema: s, Reader: &document.Reader{}, Settings: prompt.Settings{Layout: "rows"}}
	got, err := Examples(context.Background(), setup, set, sources, 2, nil)
	require.NoError(t, err)
	require.Len(t, got, 2)
	assert.Equal(t, []string{"a.txt", "b.txt"}, []string{got[0].Document, got[1].Document}, "between them they show both kinds, and open with and without a value")
	assert.Equal(t, `{"name":"Rushy","kind":"arch","open":{"value":true,"basis":"Open: yes"}}`, got[1].Record)
	for id, why := range map[string]string{"d.txt": "its gold is not reviewed (state draft)", "gone.txt": "not among the documents", "x.txt": "it has no gold"} {
		_, err := Examples(context.Background(), setup, set, sources, 0, []string{id})
		assert.ErrorContains(t, err, why)
	}

	long := "The path to it is dry, and the reeds along the bank should be cut before the leaves fall in the year"
	f := &Filler{Settings: prompt.Settings{Layout: "rows", Solved: []prompt.Solved{{Document: "a.txt", Text: long + " 2031."}}}}
	f.shingles = []document.Shingles{document.NewShingles(f.Settings.Solved[0].Text)}
	for text, want := range map[string]string{long + " 2031.": "a.txt", long + " 2032.": "a.txt", "Something else was written here, of another bridge and by another hand altogether.": ""} {
		d, err := document.Parse("other.txt", []byte(text))
		require.NoError(t, err)
		assert.Equal(t, want, f.exampleOf(d), text)
	}
	var line record.Line
	require.NoError(t, keptIn([]byte(`[{"step":"read"},{"step":"example","document":"a.txt"}]`), &line))
	assert.Equal(t, "a.txt", line.Example)
	assert.Equal(t, 1.0, document.NewShingles("").Likeness(document.NewShingles("")), "two empty texts")
}
