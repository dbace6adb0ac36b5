package fill

import (
	"context"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/correct"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/standin"
	"filler/internal/store/sqlite"
)

// updateOne brings a text into a record, with a character of the stand-in, and
// gives the line and what was done.
func updateOne(t *testing.T, s *schema.Schema, character string, line record.Line, text string) (record.Line, Updated) {
	t.Helper()
	server := httptest.NewServer(standin.Handler(standin.Options{Character: character}))
	defer server.Close()
	l, err := sqlite.Open(filepath.Join(t.TempDir(), "ledger.db"))
	require.NoError(t, err)
	defer l.Close()
	f, err := New(Setup{Ledger: l, Schema: s, Model: &project.Model{Entry: "m", Name: character, At: server.URL + "/v1", Shape: "auto", Reply: 4096},
		Pace: project.Pace{AtOnce: 1, Attempts: 1, Timeout: time.Minute}, Rounds: 2, Settings: prompt.Settings{Layout: "rows"}})
	require.NoError(t, err)
	defer f.Close()
	doc, err := (&document.Reader{}).Read(t.Context(), document.Source{ID: "later.txt", Text: text})
	require.NoError(t, err)
	do := &Update{Lines: []record.Line{line}, News: News{Of: map[int][]*document.Document{0: {doc}}, Prefer: correct.Newer}}
	run, err := f.Start(do, Beginning{Name: ""}, []document.Source{{ID: line.Document, File: filepath.Join("../../demo/project", line.Document)}})
	require.NoError(t, err)
	require.NoError(t, f.Run(context.Background(), do, run, Hooks{}))
	rec, _, err := l.RecordAt(run, 0)
	require.NoError(t, err)
	out, err := ToLine(run, rec, nil)
	require.NoError(t, err)
	return out, do.Done
}

// A document that says nothing new changes nothing, whatever the model answers:
// neither a note about something else, nor a copy of the record's own document.
func TestNothingNew(t *testing.T) {
	s, err := schema.Load("../../demo/project/schemas/inspection.yaml")
	require.NoError(t, err)
	files, err := filepath.Glob("../../demo/project/gold/documents/*/*.json")
	require.NoError(t, err)
	tried := 0
	for _, file := range files {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		v, err := value.ParseBytes(data)
		require.NoError(t, err)
		line, err := record.LineFromJSON(&v, nil)
		require.NoError(t, err)
		if strings.Contains(line.Document, "#") || strings.Contains(line.Document, "scans") || strings.Contains(line.Document, "typeset") {
			continue
		}
		doc, err := (&document.Reader{}).Read(t.Context(), document.Source{ID: line.Document, File: filepath.Join("../../demo/project", line.Document)})
		require.NoError(t, err)
		for _, character := range []string{"hasty", "steady"} {
			tried++
			got, did := updateOne(t, s, character, line, "The ferry at Quennaford runs at noon. Thank you for your letter.\n")
			assert.Equal(t, line.Record.String(), got.Record.String(), "%s, about something else", line.Document)
			got, did = updateOne(t, s, character, line, doc.Text+"\nThis is a copy.\n")
			assert.Equal(t, line.Record.String(), got.Record.String(), "%s, a copy of itself, by %s", line.Document, character)
			assert.Zero(t, did.Records)
			assert.Empty(t, got.History.Kids)
		}
	}
	assert.Greater(t, tried, 30)
}
