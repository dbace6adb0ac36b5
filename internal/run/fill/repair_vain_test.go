package fill

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/outline"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/schema"
)

const millsSchema = `schema: mills
fields:
  mills:
    list: Each mill.
    key: name
    fields:
      name: Name.
      sluices: {integer: Sluices., min: 0, max: 9}
      day: {date: Visited., printed_as: [Visited]}
`

// millsOf gives a document of mills, each with figures of its own, and the reply
// for it that spoil has a word in.
func millsOf(n int, sluices, day func(i int) string) (text, reply string) {
	var doc strings.Builder
	var rows []string
	doc.WriteString("Mills\n\n| Name | Sluices | Visited |\n|---|---|---|\n")
	for i := range n {
		fmt.Fprintf(&doc, "| Weir Mill %d | %d | %d May 2031 |\n", 101+i, i%9, i+1)
		rows = append(rows, fmt.Sprintf(`{"name":"Weir Mill %d","sluices":%s,"day":%s}`, 101+i, sluices(i), day(i)))
	}
	return doc.String(), `{"mills":[` + strings.Join(rows, ",") + `]}`
}

// repairsOf fills one document of mills and gives the requests for corrections, and
// the steps. fix answers one problem with a value, and a quote after it where it has one; "": none.
func repairsOf(t *testing.T, text, reply string, fix func(p outline.Problem, request int) string) (line record.Line, steps trace.Steps, requests int) {
	s, err := schema.Parse("s.yaml", []byte(millsSchema))
	require.NoError(t, err)
	ignored := 0
	set := trialSetup(t, s, reply, &ignored)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var body struct{ Messages []struct{ Content string } }
		raw, _ := io.ReadAll(r.Body)
		_ = json.Unmarshal(raw, &body)
		answer := reply
		if asked := body.Messages[len(body.Messages)-1].Content; outline.Has(asked, outline.Problems) {
			requests++
			var all []string
			for _, p := range outline.ReadProblems(asked) {
				if v := fix(p, requests); v != "" {
					all = append(all, fmt.Sprintf(`{"at":%q,"value":%s}`, p.Path, v))
				}
			}
			answer = `{"corrections":[` + strings.Join(all, ",") + `]}`
		}
		said, _ := json.Marshal(answer)
		fmt.Fprintf(w, `{"choices":[{"message":{"content":%s},"finish_reason":"stop"}],"usage":{"prompt_tokens":1,"completion_tokens":1}}`, said)
	}))
	t.Cleanup(server.Close)
	set.Model.At, set.Rounds = server.URL, 3
	line, steps = fillTraced(t, set, writeDoc(t, "mills", text))
	return line, steps, requests
}

func plainly(format string) func(int) string {
	return func(i int) string { return fmt.Sprintf(format, i+1) }
}

// A model that gets nowhere with a kind of problem is asked as often as is enough, and
// not for each of the entries that have it; the trace says so.
func TestRepairsInVainEnd(t *testing.T) {
	text, reply := millsOf(25, plainly("%d00"), plainly(`"%d May 2031"`))
	line, steps, requests := repairsOf(t, text, reply, func(_ outline.Problem, request int) string { return fmt.Sprint(1000 + request) })
	assert.Equal(t, enoughInVain, requests)
	var ended []*trace.AskingEnded
	for _, s := range steps {
		if e, ok := s.(*trace.AskingEnded); ok {
			ended = append(ended, e)
		}
	}
	require.Len(t, ended, 1)
	assert.Equal(t, &trace.AskingEnded{Field: "mills[].sluices", Code: record.Range, Requests: enoughInVain, Left: 25}, ended[0])
	assert.Len(t, line.Problems, 25)
}

// Places that a model says nothing of are asked about all at once, then a few each by itself, and no
// more; an answer with the cells alone is of the items whose rows have them.
func TestPlacesInVainEnd(t *testing.T) {
	sluices, none := func(i int) string { return fmt.Sprint(i % 9) }, func(int) string { return "null" }
	text, without := millsOf(25, sluices, none)
	_, whole := millsOf(25, sluices, plainly(`"%d May 2031"`))
	_, cells := millsOf(25, none, plainly(`"%d May 2031"`))
	cells = regexp.MustCompile(`"Weir Mill \d+"`).ReplaceAllString(cells, "null")
	for _, c := range []struct {
		again          string
		requests, days int
		status         record.Status
	}{
		{without, 2 + enoughInVain, 0, record.Flagged},
		{cells, 2, 25, record.Unflagged},
		{"", 16, 25, record.Unflagged}, // in three batches, neighbours that are shown the same lines in one request
	} {
		requests := 0
		s, err := schema.Parse("s.yaml", []byte(millsSchema))
		require.NoError(t, err)
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			raw, _ := io.ReadAll(r.Body)
			answer := without
			if requests++; strings.Contains(string(raw), outline.LookAgain) {
				answer = c.again
			}
			if strings.Contains(string(raw), outline.LookAgain+" (2)") && c.again == "" {
				answer = whole
			} else if answer == "" {
				answer = without
			}
			said, _ := json.Marshal(answer)
			fmt.Fprintf(w, `{"choices":[{"message":{"content":%s},"finish_reason":"stop"}],"usage":{"prompt_tokens":1,"completion_tokens":1}}`, said)
		}))
		t.Cleanup(server.Close)
		ignored := 0
		set := trialSetup(t, s, without, &ignored)
		set.Model.At = server.URL
		line, steps := fillTraced(t, set, writeDoc(t, "mills", text))
		assert.Equal(t, c.requests, requests)
		assert.Equal(t, c.status, line.Status)
		days := 0
		for i := range line.Record.Get("mills").Kids {
			if !line.Record.Get("mills").Kids[i].Get("day").Empty() {
				days++
			}
		}
		assert.Equal(t, c.days, days)
		assert.Len(t, line.Record.Get("mills").Kids, 25)
		ended := slices.ContainsFunc(steps, func(s trace.Step) bool {
			e, ok := s.(*trace.AskingEnded)
			return ok && *e == trace.AskingEnded{Code: record.Uncovered, Requests: enoughInVain, Left: 25}
		})
		assert.Equal(t, c.days == 0, ended)
	}
}

// What goes on being put right goes on being asked: another kind of problem that never is does
// not end it, nor does one answer of no avail in between.
func TestRepairsOfAvailGoOn(t *testing.T) {
	text, reply := millsOf(25, plainly("%d00"), plainly(`"%d May 2031"`))
	line, steps, requests := repairsOf(t, text, reply, func(p outline.Problem, request int) string {
		var i int
		_, err := fmt.Sscanf(string(p.Path), "/mills/%d/sluices", &i)
		require.NoError(t, err)
		switch {
		case request == 1:
			return `3,"quote":"words of another document"`
		case request < 26 && request%4 == 0:
			return fmt.Sprint(1000 + request)
		}
		return fmt.Sprint(i % 9)
	})
	for _, s := range steps {
		_, ended := s.(*trace.AskingEnded)
		assert.False(t, ended)
	}
	assert.Greater(t, requests, 25)
	assert.Empty(t, line.Problems)
}
