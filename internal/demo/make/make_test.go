package main

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/pdf"
)

const committed = "../project"

// The gold of a PDF is of what a child process read.
func TestMain(m *testing.M) {
	pdf.Main()
	m.Run()
}

// What is committed is what the generator writes, and the gold is of the texts
// that are there.
func TestDemoIsWhatTheGeneratorWrites(t *testing.T) {
	all, golds := files()
	require.Len(t, golds, allVisits)
	for _, f := range all {
		kept, err := os.ReadFile(filepath.Join(committed, f.file))
		require.NoError(t, err)
		assert.Equal(t, string(kept), string(f.data), f.file)
	}
	for _, g := range golds {
		want, err := goldText(committed, g)
		require.NoError(t, err)
		kept, err := os.ReadFile(filepath.Join(committed, g.gold))
		require.NoError(t, err)
		assert.Equal(t, string(kept), want, g.id)
	}
	for file, want := range map[string]string{"documents/register.txt": register(), "schemas/register.yaml": registerSchema(committed)} {
		kept, err := os.ReadFile(filepath.Join(committed, "register", file))
		require.NoError(t, err)
		assert.Equal(t, string(kept), want, file)
	}
}

// The OCR engine's three results are of one run: the same words at the same
// places.
func TestScansAreOneReading(t *testing.T) {
	scans, err := filepath.Glob(filepath.Join(committed, "pages/scans/*.hocr"))
	require.NoError(t, err)
	require.Len(t, scans, 4)
	for _, file := range scans {
		var seen []*document.Document
		for _, ext := range []string{".hocr", ".xml", ".tsv"} {
			d, err := document.Source{ID: "x" + ext, File: strings.TrimSuffix(file, ".hocr") + ext}.Read()
			require.NoError(t, err)
			seen = append(seen, d)
		}
		for _, d := range seen[1:] {
			assert.Equal(t, seen[0].Text, d.Text, file)
			require.Len(t, d.Layout.Words, len(seen[0].Layout.Words))
			for i, w := range d.Layout.Words {
				assert.Equal(t, seen[0].Layout.Words[i].Box, w.Box, "%s: %s", file, w.Text)
			}
		}
		picture, err := os.Stat(strings.TrimSuffix(file, ".hocr") + ".png")
		require.NoError(t, err)
		assert.Greater(t, picture.Size(), int64(2000))
	}
}

// The gold keeps the schema, its rules included, and every document has one.
func TestDemoGoldIsSound(t *testing.T) {
	s, err := schema.Load(filepath.Join(committed, "schemas/inspection.yaml"))
	require.NoError(t, err)
	set, err := gold.Load(filepath.Join(committed, "gold"), s)
	require.NoError(t, err)
	require.Len(t, set, allVisits)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	depth := 0
	for _, id := range set.Documents() {
		g := set[id]
		assert.Empty(t, check.Check(&g.Record), id)
		assert.Equal(t, gold.Reviewed, g.State)
		if g.Record.At("/bays/0/defects/0/photos/0") != nil {
			depth++
		}
	}
	assert.Greater(t, depth, 5, "records should be nested two lists deep and more")
}

// The register is long, and its gold keeps its schema.
func TestRegisterIsLong(t *testing.T) {
	assert.InDelta(t, 240_000, len(register()), 10_000)
	s, err := schema.Load(filepath.Join(committed, "register/schemas/register.yaml"))
	require.NoError(t, err)
	require.True(t, s.EachEntry())
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	all := registerRecords()
	assert.Len(t, all.Kids, registerEntries)
	assert.Empty(t, check.Check(&all))
	set, err := gold.Load(filepath.Join(committed, "register/gold"), s)
	require.NoError(t, err)
	assert.Equal(t, all.String(), set["documents/register.txt"].Record.Named("").String())
}

// The second project is what the generator writes, its gold keeps its schemas, and both languages,
// signs, nested lists and edges are in it.
func TestNurseryIsWhatTheGeneratorWrites(t *testing.T) {
	const committed = "../nursery"
	all, golds := nurseryFiles()
	text := ""
	for _, f := range all {
		kept, err := os.ReadFile(filepath.Join(committed, f.file))
		require.NoError(t, err)
		assert.Equal(t, string(kept), string(f.data), f.file)
		text += string(f.data)
	}
	for _, g := range golds {
		want, err := goldText(committed, g)
		require.NoError(t, err)
		kept, err := os.ReadFile(filepath.Join(committed, g.gold))
		require.NoError(t, err)
		assert.Equal(t, string(kept), want, g.id)
	}
	for schemaFile, folder := range map[string]string{"incoming.yaml": "gold", "stock.yaml": "stock-gold"} {
		s, err := schema.Load(filepath.Join(committed, "schemas", schemaFile))
		require.NoError(t, err)
		set, err := gold.Load(filepath.Join(committed, folder), s)
		require.NoError(t, err)
		check, err := record.NewValidator(s)
		require.NoError(t, err)
		for id, g := range set {
			assert.Empty(t, check.Check(&g.Record), id)
		}
	}
	for _, want := range []string{"Blatt-Nr.: ", "Sheet no.: ", "✗", "✓", " auf FM ", " on Quitte O", "<td>Quitte O</td>", "% der Blätter"} {
		assert.True(t, strings.Contains(text, want), want)
	}
	assert.Len(t, book(true), 52, "it has grown")
}
