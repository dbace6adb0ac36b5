package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/document"
	"filler/internal/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

const committed = "../project"

// What is committed is what the generator writes, and the gold is of the texts
// that are there.
func TestDemoIsWhatTheGeneratorWrites(t *testing.T) {
	for i, v := range visits(16, 2031) {
		l := layouts[i%len(layouts)]
		folder := "documents"
		if l.name == "sheets" {
			folder = "pages"
		}
		want, err := os.ReadFile(filepath.Join(committed, folder, l.name, v.no+".txt"))
		require.NoError(t, err)
		assert.Equal(t, string(want), l.write(v), v.no)
		id := "documents/" + l.name + "/" + v.no + ".txt"
		text, err := os.ReadFile(filepath.Join(committed, id))
		require.NoError(t, err)
		kept, err := os.ReadFile(filepath.Join(committed, "gold", l.name, v.no+".json"))
		require.NoError(t, err)
		assert.Equal(t, string(kept), goldText(id, string(text), recordOf(l.fit(v))), v.no)
		if l.name == "sheets" {
			picture, err := os.Stat(filepath.Join(committed, "pages", "sheets", v.no+".png"))
			require.NoError(t, err)
			assert.Greater(t, picture.Size(), int64(2000))
		}
	}
}

// The gold keeps the schema, its rules included, and every document has one.
func TestDemoGoldIsSound(t *testing.T) {
	s, err := schema.Load(filepath.Join(committed, "schemas/inspection.yaml"))
	require.NoError(t, err)
	set, err := gold.Load(filepath.Join(committed, "gold"), s)
	require.NoError(t, err)
	require.Len(t, set, 16)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	depth := 0
	for _, id := range set.Documents() {
		g := set[id]
		assert.Empty(t, check.Check(&g.Record), id)
		assert.Equal(t, gold.Reviewed, g.State)
		d, err := document.Source{ID: id, File: filepath.Join(committed, id)}.Read()
		require.NoError(t, err)
		assert.Equal(t, d.Hash, g.Source, id)
		if g.Record.At("/bays/0/defects/0/photos/0") != nil {
			depth++
		}
	}
	assert.Greater(t, depth, 5, "records should be nested two lists deep and more")
}
