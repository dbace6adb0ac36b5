package improve

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/tools/txtar"

	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/run/job"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store/sqlite"
)

// trade is a trial by hand: documents, gold, and what a small careless model answers.
type trade struct {
	schema *schema.Schema
	set    gold.Set
	docs   map[string]*document.Document
	small  map[string]map[string]json.RawMessage
	still  map[string]map[string]json.RawMessage
	told   map[string][]string // words that put a field right, where its line of the request has them
}

func loadTrade(t *testing.T, name string) *trade {
	a, err := txtar.ParseFile("testdata/" + name + ".txtar")
	require.NoError(t, err)
	tr := &trade{set: gold.Set{}, docs: map[string]*document.Document{}, small: map[string]map[string]json.RawMessage{}, still: map[string]map[string]json.RawMessage{}, told: map[string][]string{}}
	n := 0
	for _, f := range a.Files {
		id, kind, _ := strings.Cut(f.Name, ".")
		var fields map[string]json.RawMessage
		switch kind {
		case "yaml":
			tr.schema, err = schema.Parse("schema.yaml", f.Data)
			require.NoError(t, err)
		case "txt":
			tr.docs[id], err = (&document.Reader{}).Read(t.Context(), document.Source{ID: id, Text: string(f.Data)})
			require.NoError(t, err)
		case "gold":
			rec, err := value.ParseBytes(f.Data)
			require.NoError(t, err)
			split := gold.Tune
			if n++; n > 12 {
				split = gold.Test
			}
			tr.set[id] = &gold.Record{Document: id, State: gold.Reviewed, Split: split, Record: rec, Hashes: record.Hashes{Text: tr.docs[id].Hash}}
		case "small", "still":
			require.NoError(t, json.Unmarshal(f.Data, &fields), f.Name)
			map[string]map[string]map[string]json.RawMessage{"small": tr.small, "still": tr.still}[kind][id] = fields
		default:
			for _, line := range strings.Split(strings.TrimSpace(string(f.Data)), "\n") {
				field, words, _ := strings.Cut(line, ": ")
				tr.told[field] = strings.Split(words, " | ")
			}
		}
	}
	return tr
}

// answer gives what was written for a request.
func (tr *trade) answer(messages string) string {
	for id, d := range tr.docs {
		if !strings.Contains(messages, strings.TrimSpace(d.Text)) {
			continue
		}
		var gold map[string]json.RawMessage
		_ = json.Unmarshal(tr.set[id].Record.JSON(), &gold)
		out := map[string]json.RawMessage{}
		for field, now := range tr.small[id] {
			out[field] = now
			for _, line := range strings.Split(messages, "\n") {
				if !strings.HasPrefix(line, "- "+field) {
					continue
				}
				for _, word := range tr.told[field] {
					if strings.Contains(line, word) {
						out[field] = gold[field]
						if still, ok := tr.still[id][field]; ok {
							out[field] = still
						}
					}
				}
			}
		}
		text, _ := json.Marshal(out)
		return string(text)
	}
	return "{}"
}

// The trial by hand: real requests, answered by what was written down, read, normalized, repaired,
// kept and measured as in any run.
func TestTrialByHand(t *testing.T) {
	for name, want := range map[string][]string{
		"saddler": {"leather of: {bridle: {also: [russet]}}", "promised printed_as: [Fetch by]", "price printed_as: [To pay]"},
		"tuner":   {"found printed_as: [Stood at]", "next printed_as: [Again on]", "next written: [D/M/YYYY]"},
	} {
		tr := loadTrade(t, name)
		s := tr.setup(t)
		got, err := Run(t.Context(), s)
		require.NoError(t, err)
		for _, c := range got.Candidates {
			t.Logf("%s: %s %s: %s %s (%d fixed, %d broken, p %.3f)", name, c.Field, c.Edit, c.State, c.Note, c.Gain.Fixed, c.Gain.Broken, c.Holm)
		}
		assert.Subset(t, want, kept(got), name)
		require.NotNil(t, got.OnTest, name)
		assert.Greater(t, got.OnTest.By, 0.0, name)
		n := got.Cost.Requests
		t.Logf("%s: F1 %.3f to %.3f on the tune split, %.3f to %.3f on the test split (%+.1f points, 95 %% %+.1f to %+.1f) for %d requests: %.1f points a hundred requests", name, got.OnTune.A.F1().Value, got.OnTune.B.F1().Value,
			got.OnTest.A.F1().Value, got.OnTest.B.F1().Value, 100*got.OnTest.By, 100*got.OnTest.Difference.Low, 100*got.OnTest.Difference.High, n, 100*100*got.OnTest.By/float64(n))
	}
}

// setup fills all documents once, and gives what is to be improved.
func (tr *trade) setup(t *testing.T) Setup {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		var asked struct {
			Messages []struct{ Content string }
		}
		_ = json.Unmarshal(body, &asked)
		var text strings.Builder
		for _, m := range asked.Messages {
			text.WriteString(m.Content + "\n")
		}
		reply, _ := json.Marshal(tr.answer(text.String()))
		fmt.Fprintf(w, `{"choices":[{"message":{"role":"assistant","content":%s},"finish_reason":"stop"}],"usage":{"prompt_tokens":%d,"completion_tokens":%d}}`, reply, len(text.String())/4, len(reply)/4)
	}))
	t.Cleanup(server.Close)
	l, err := sqlite.Open(filepath.Join(t.TempDir(), "ledger.db"))
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	m, err := project.AtAddress(server.URL + "/v1")
	require.NoError(t, err)
	m.Shape = "plain"
	f := &Filling{Setup: fill.Setup{Ledger: l, Schema: tr.schema, Model: m, Pace: project.DefaultPace, Settings: prompt.Settings{Overlap: -1}}, Sources: map[string]document.Source{},
		Hooks: func(*fill.Filler) fill.Hooks { return fill.Hooks{Hooks: job.Hooks{}} }}
	var ids []string
	for id, d := range tr.docs {
		f.Sources[id] = document.Source{ID: id, Text: d.Text}
		ids = append(ids, id)
	}
	base, _, err := f.Fill(t.Context(), Trial{Schema: tr.schema, Documents: ids})
	require.NoError(t, err)
	return Setup{Schema: tr.schema, Gold: tr.set, Base: base, Asker: f, Source: func(id string) (*document.Document, error) { return tr.docs[id], nil }}
}
