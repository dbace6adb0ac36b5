package fill

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// trialDoc is a document with what it says and what two readers answered who saw
// nothing but the request: a careful one, and a careless one with the slips of
// small models.
type trialDoc struct{ text, gold, careful, small string }

func trial(t *testing.T, name string) (*schema.Schema, map[string]*trialDoc) {
	s, err := schema.Load("testdata/replies/" + name + ".yaml")
	require.NoError(t, err)
	a, err := txtar.ParseFile("testdata/replies/" + name + ".txtar")
	require.NoError(t, err)
	docs := map[string]*trialDoc{}
	for _, f := range a.Files {
		id, part, _ := strings.Cut(f.Name, ".")
		if docs[id] == nil {
			docs[id] = &trialDoc{}
		}
		text := string(f.Data)
		switch part {
		case "txt":
			docs[id].text = text
		case "gold":
			docs[id].gold = text
		case "careful":
			docs[id].careful = text
		case "small":
			docs[id].small = text
		}
	}
	for id, d := range docs {
		d.careful, d.small = slipped(t, id, d.gold, d.careful), slipped(t, id, d.gold, d.small)
	}
	return s, docs
}

// slipped gives a reply: as it is written, or gold with other values at some
// paths, a line each.
func slipped(t *testing.T, id, gold, said string) string {
	if strings.HasPrefix(said, "{") {
		return said
	}
	v, err := value.Parse(strings.TrimSpace(gold))
	require.NoError(t, err, id)
	for _, line := range strings.Split(strings.TrimSpace(said), "\n") {
		if line == "" {
			continue
		}
		path, other, _ := strings.Cut(line, " ")
		w, err := value.Parse(other)
		require.NoError(t, err, "%s: %s", id, line)
		require.NotNil(t, v.At(value.Pointer(path)), "%s: %s", id, line)
		v.Put(value.Pointer(path), w)
	}
	return v.String()
}

// tried is what came of one voice over all documents.
type tried struct {
	docs, flagged, requests int
	right, alarmed, spoilt  int // right values in the reply; of them with a problem; changed
	wrong, caught, righted  int // wrong values in the reply; of them with a problem; and put right
}

// trialSetup has a server answer with one reply, and find nothing to correct; it
// counts the requests.
func trialSetup(t *testing.T, s *schema.Schema, reply string, requests *int) Setup {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		*requests++
		answer := strings.TrimSpace(reply)
		if strings.Contains(string(body), "# Problems") {
			answer = `{"corrections": []}`
		}
		text, _ := json.Marshal(answer)
		fmt.Fprintf(w, `{"choices":[{"message":{"content":%s},"finish_reason":"stop"}],"usage":{"prompt_tokens":1,"completion_tokens":1}}`, text)
	}))
	t.Cleanup(server.Close)
	return Setup{Schema: s, Model: &project.Model{Entry: "m", Name: "m", At: server.URL, Shape: "plain", Reply: 4000},
		Pace: project.Pace{AtOnce: 1, Attempts: 1, Timeout: 20 * time.Second}, Rounds: 2, Settings: prompt.Settings{Layout: "rows"}}
}

func writeDoc(t *testing.T, id, text string) string {
	file := filepath.Join(t.TempDir(), id+".txt")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	return file
}

func answerAll(t *testing.T, s *schema.Schema, docs map[string]*trialDoc, reply func(d *trialDoc) string) (out tried, said []string) {
	for id, d := range docs {
		line, _ := fillOne(t, trialSetup(t, s, reply(d), &out.requests), writeDoc(t, id, d.text))
		out.docs++
		if len(line.Problems) > 0 {
			out.flagged++
		}
		gold, err := value.Parse(strings.TrimSpace(d.gold))
		require.NoError(t, err)
		came, err := value.Parse(strings.TrimSpace(reply(d)))
		require.NoError(t, err)
		problem := map[value.Pointer]string{}
		for _, p := range line.Problems {
			problem[p.Path] = string(p.Code()) + ": " + p.Message()
		}
		eachLeaf(s.Root, "", &came, func(f *schema.Field, p value.Pointer, v *value.Value) {
			if v.Empty() {
				return
			}
			want, is := gold.At(p), line.Record.At(p)
			right := want != nil && pair.Right(f, want, v)
			isRight := want != nil && is != nil && pair.Right(f, want, is)
			why := problem[p]
			if right {
				out.right++
				if why != "" {
					out.alarmed++
					said = append(said, fmt.Sprintf("%s %s right %s: %s", id, p, v, why))
				}
				if !isRight {
					out.spoilt++
					said = append(said, fmt.Sprintf("%s %s spoilt %s: %v", id, p, v, is))
				}
				return
			}
			out.wrong++
			switch {
			case isRight:
				out.righted++
			case why != "":
				out.caught++
			default:
				said = append(said, fmt.Sprintf("%s %s wrong and not caught: %s, is %v, risk %v", id, p, v, is, line.Risk.Get(string(p))))
			}
		})
		if why := problem[""]; why != "" {
			said = append(said, id+" "+why)
		}
	}
	return out, said
}

// trades are all of them: five with slips of the careless reader as values, two
// whose replies stand beside them as they were written (said_test.go), and five
// that were opened one after the other, each once the program could do what the one
// before had shown: docs/performance.md has what they showed when they were opened.
var trades = []string{"clocks", "trees", "wells", "props", "hires", "stays", "pressings", "hives", "crossings", "boats", "halls", "tailors", "cheeses", "sightings", "jobs", "leases", "deliveries", "calls", "lots", "minutes", "pitches", "choirs", "bakes"}

// What the two readers answered, put through everything that follows a reply. The
// careful one is right throughout: of its values at most one in fifty draws a
// problem, none is changed, and at most 1.3 requests go out for each planned. Of
// the other's wrong values eight in ten and more are told or put right; what is
// not, is in the document, or was concluded.
func TestTrial(t *testing.T) {
	var careful, small tried
	for _, name := range trades {
		s, docs := trial(t, name)
		for _, v := range []struct {
			name string
			of   func(d *trialDoc) string
			sum  *tried
		}{{"careful", func(d *trialDoc) string { return d.careful }, &careful}, {"small", func(d *trialDoc) string { return d.small }, &small}} {
			got, said := answerAll(t, s, docs, v.of)
			t.Logf("%s, %s: %d documents, %d flagged, %d requests; %d right values, %d with a problem, %d spoilt; %d wrong, %d told, %d put right", name, v.name, got.docs, got.flagged, got.requests, got.right, got.alarmed, got.spoilt, got.wrong, got.caught, got.righted)
			for _, line := range said {
				t.Log("  " + line)
			}
			v.sum.add(got)
		}
	}
	assert.Zero(t, careful.spoilt+small.spoilt)
	assert.LessOrEqual(t, careful.alarmed*50, careful.right)
	assert.LessOrEqual(t, careful.requests*10, careful.docs*13)
	assert.Equal(t, careful.righted, careful.wrong, "what a normalizer puts right")
	assert.GreaterOrEqual(t, (small.caught+small.righted)*10, small.wrong*8)
	assert.LessOrEqual(t, small.alarmed*50, small.right)
}

func (t *tried) add(o tried) {
	t.docs, t.flagged, t.requests = t.docs+o.docs, t.flagged+o.flagged, t.requests+o.requests
	t.right, t.alarmed, t.spoilt = t.right+o.right, t.alarmed+o.alarmed, t.spoilt+o.spoilt
	t.wrong, t.caught, t.righted = t.wrong+o.wrong, t.caught+o.caught, t.righted+o.righted
}
