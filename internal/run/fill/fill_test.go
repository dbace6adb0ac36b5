package fill

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/exchange"
	"filler/internal/ask/model"
	"filler/internal/base/project"
	"filler/internal/record"
	"filler/internal/run/job"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/fetch"
	"filler/internal/standin"
	"filler/internal/store"
	"filler/internal/store/sqlite"
)

const sampleSchema = `
schema: s
fields:
  name: {text: Name., required: true}
  grade: {integer: Grade., min: 0, max: 3}
  on: {date: Day., written: [D.M.YYYY]}
  open: {boolean: Open., basis: true}
`

const source = "Name: Heron Plank\nGrade: 2\nDay: 3.4.2031\nThe gate was shut.\n"

// fixture fills one document against a server that gives these replies, one
// after the other, and hands back the record and its trace.
func fixture(t *testing.T, replies ...string) (record.Line, string) {
	t.Helper()
	n := 0
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		io.Copy(io.Discard, r.Body)
		reply := "[]"
		if n < len(replies) {
			reply = replies[n]
		}
		n++
		finish := "stop"
		if strings.HasSuffix(reply, "…") {
			reply, finish = strings.TrimSuffix(reply, "…"), "length"
		}
		out, _ := json.Marshal(reply)
		fmt.Fprintf(w, `{"choices":[{"message":{"content":%s},"finish_reason":%q}],"usage":{"prompt_tokens":1,"completion_tokens":1}}`, out, finish)
	}))
	defer s.Close()
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.txt"), []byte(source), 0o644))
	sch, err := schema.Parse("s.yaml", []byte(sampleSchema))
	require.NoError(t, err)
	l, err := sqlite.Open(filepath.Join(dir, "ledger.db"))
	require.NoError(t, err)
	defer l.Close()
	f, err := New(Setup{Ledger: l, Schema: sch, Model: &project.Model{Entry: "m", Name: "m", At: s.URL, Shape: "plain", Reply: 100}, Pace: project.Pace{AtOnce: 1, Attempts: 1, Timeout: time.Second}, Rounds: 2})
	require.NoError(t, err)
	defer f.Close()
	run, err := f.Start(Fill{}, Beginning{Name: ""}, []document.Source{{ID: "a.txt", File: filepath.Join(dir, "a.txt")}})
	require.NoError(t, err)
	require.NoError(t, f.Run(context.Background(), Fill{}, run, Hooks{}))
	rec, ok, err := l.RecordAt(run, 0)
	require.NoError(t, err)
	require.True(t, ok)
	line, err := ToLine(run, rec, nil)
	require.NoError(t, err)
	return line, string(rec.Trace)
}

const good = `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":{"value":false,"basis":"The gate was shut"}}`

func TestStatuses(t *testing.T) {
	for _, c := range []struct {
		name    string
		replies []string
		status  record.Status
		record  string
		trace   []string
	}{
		{"unflagged", []string{good}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":false}`, nil},
		{"lenient and normalized", []string{"```json\n{'name': 'Heron Plank', grade: '2', \"on\": \"3.4.2031\",}\n```"}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":null}`, []string{`"kind":"fence"`, `"rule":"digits"`, `"rule":"date"`}},
		{"repaired", []string{`{"name":"Heron Plank","grade":7,"on":"2031-04-03"}`, `[{"op":"replace","path":"/grade","value":2}]`}, record.Repaired, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":null}`, []string{`"left":[]`}},
		{"a repair in a fence", []string{`{"name":"Heron Plank","grade":7,"on":"2031-04-03"}`, "```json\n[{\"op\":\"replace\",\"path\":\"/grade\",\"value\":2}]\n```"}, record.Repaired, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":null}`, []string{`{"step":"ask","request":"repair 1","cached":false},{"step":"lenient","kind":"fence"`}},
		{"repaired at the second go", []string{`{"name":"Heron Plank","grade":7,"on":"2031-04-03"}`, `[{"op":"replace","path":"","value":{}}]`, `[{"op":"replace","path":"/grade","value":2}]`}, record.Repaired, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":null}`, []string{"changes the whole record"}},
		{"an invention taken out", []string{`{"name":"Heron Plank","grade":3,"on":"2031-04-03"}`, `[{"op":"replace","path":"/grade","value":null}]`}, record.Repaired, `{"name":"Heron Plank","grade":null,"on":"2031-04-03","open":null}`, []string{"is nowhere in the document"}},
		{"a value may not vanish", []string{`{"name":"Heron Plank","grade":7,"on":"2031-04-03"}`, `[{"op":"remove","path":"/grade"}]`, `[{"op":"replace","path":"/grade","value":null}]`}, record.Flagged, `{"name":"Heron Plank","grade":7,"on":"2031-04-03","open":null}`, []string{"removes the value at /grade"}},
		{"nothing to correct", []string{`{"grade":2,"on":"2031-04-03"}`, `[]`}, record.Flagged, `{"name":null,"grade":2,"on":"2031-04-03","open":null}`, []string{"found nothing to correct"}},
		{"a basis that stands nowhere", []string{`{"name":"Heron Plank","open":{"value":false,"basis":"The sign said closed"},"on":"2031-04-03"}`}, record.Flagged, `{"name":"Heron Plank","grade":null,"on":"2031-04-03","open":false}`, []string{"rests on are missing"}},
		{"cut short", []string{`{"name":"Heron Plank","grade":2,"on":"2031-0…`}, record.Flagged, `{"name":"Heron Plank","grade":2,"on":null,"open":null}`, []string{`"truncated"`}},
		{"a key twice", []string{`{"name":"Heron Plank","grade":3,"grade":2,"on":"2031-04-03","open":{"value":false,"basis":"The gate was shut"}}`}, record.Flagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":false}`, []string{`"code":"unused"`, "/grade: 3"}},
		{"a key twice, the same", []string{`{"name":"Heron Plank","grade":2,"grade":2,"on":"2031-04-03","open":{"value":false,"basis":"The gate was shut"}}`}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":false}`, nil},
		{"a second object", []string{good + "\n" + `{"name":"Marl Steps","grade":4}`}, record.Flagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":false}`, []string{`"code":"unused"`, "another JSON value"}},
		{"words around it", []string{"I found these:\n" + good + "\nThe grade might be 3."}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":false}`, []string{`"step":"unused"`, `"chatter":true`}},
		{"bytes that are not UTF-8", []string{strings.Replace(good, "Heron", "H\xe9ron", 1)}, record.Flagged, "{\"name\":\"H\ufffdron Plank\",\"grade\":2,\"on\":\"2031-04-03\",\"open\":false}", []string{`"code":"encoding"`}},
		{"no comma between members", []string{`{"name":"Heron Plank" "grade":2, "on":"2031-04-03","open":{"value":false,"basis":"The gate was shut"}}`}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":false}`, []string{"a comma is missing"}},
		{"cut short, and the rest asked for", []string{`{"name":"Heron Plank","grade":2,"on":"2031-0…`, `{"on":"2031-04-03","open":null}`}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":null}`, []string{"asked for grade, on, open again"}},
		{"a model that insists is not asked in another way", []string{`{"name":"Heron Plank","grade":3,"on":"2031-04-03"}`, `{"corrections":[]}`, "not stated"}, record.Flagged, `{"name":"Heron Plank","grade":3,"on":"2031-04-03","open":null}`, []string{"found nothing to correct"}},
		{"a correction with its words", []string{`{"name":"Heron Plank","grade":7,"on":"2031-04-03"}`, `{"corrections":[{"at":"/grade","value":2,"quote":"Grade: 2"}]}`}, record.Repaired, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":null}`, []string{`"left":[]`}},
		{"words that stand nowhere", []string{`{"name":"Heron Plank","grade":7,"on":"2031-04-03"}`, `{"corrections":[{"at":"/grade","value":2,"quote":"it is of grade two"}]}`, `{"corrections":[]}`, "not stated"}, record.Flagged, `{"name":"Heron Plank","grade":7,"on":"2031-04-03","open":null}`, []string{"its words are not in the document"}},
		{"one that is refused does not take the other along", []string{`{"name":"Heron Plank","grade":7,"colour":"red","on":"2031-04-03"}`, `{"corrections":[{"at":"/grade","value":9},{"at":"/colour","remove":true}]}`, `{"corrections":[]}`, "not stated"}, record.Flagged, `{"name":"Heron Plank","grade":7,"on":"2031-04-03","open":null}`, []string{`"op":"remove","path":"/colour"`, "correction-refused"}},
		{"asked again, where a correction was refused", []string{`{"name":"Heron Plank","grade":7,"on":"2031-04-03"}`, `{"corrections":[{"at":"/grade","value":9}]}`, `{"corrections":[{"at":"/grade","value":9}]}`, "2"}, record.Repaired, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":null}`, []string{`"request":"ask again grade"`}},
		{"a list around the record", []string{"[" + good + "]"}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":false}`, []string{"a list around the one record"}},
		{"a wrapper around it", []string{`{"result":{"record":` + good + `}}`}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":false}`, []string{`"kind":"wrapper"`}},
		{"keys in another style", []string{`{"Name":"Heron Plank","GRADE":2,"on":"2031-04-03"}`}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":null}`, []string{`"rule":"key"`}},
		{"two records", []string{"[" + good + "," + good + "]"}, record.Failed, `null`, []string{"2 records; one was asked for"}},
		{"no record", []string{"I can't."}, record.Failed, `null`, []string{"holds nothing that can be read"}},
		{"an empty reply", []string{""}, record.Failed, `null`, []string{"the reply is empty"}},
		{"an unknown field", []string{`{"name":"Heron Plank","grade":2,"colour":"red","on":"2031-04-03"}`, `{"patch":[{"op":"remove","path":"/colour"}]}`}, record.Repaired, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":null}`, nil},
		{"an unread line", []string{`{"name":"Heron Plank"}`, `{"grade":2,"name":"Another"}`}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":null,"open":null}`, []string{`"field":"grade","text":"Grade: 2"`, `"what":"filled","path":"/grade"`}},
		{"a day left over", []string{`{"name":"Heron Plank","grade":2}`, `{"on":"2031-04-03","grade":3}`}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":"2031-04-03","open":null}`, []string{`"text":"Day: 3.4.2031","left":true`, `"what":"filled","path":"/on"`}},
		{"left over, and of no field", []string{`{"name":"Heron Plank","grade":2}`, `{"on":null}`}, record.Unflagged, `{"name":"Heron Plank","grade":2,"on":null,"open":null}`, []string{`"left":true`}},
		{"a line that stays unread", []string{`{"name":"Heron Plank"}`, `{}`}, record.Flagged, `{"name":"Heron Plank","grade":null,"on":null,"open":null}`, []string{`"uncovered"`}},
	} {
		line, trace := fixture(t, c.replies...)
		assert.Equal(t, c.status, line.Status, c.name)
		assert.Equal(t, c.record, line.Record.String(), c.name)
		for _, part := range c.trace {
			assert.Contains(t, trace, part, c.name)
		}
		assert.Equal(t, c.status == record.Flagged || c.status == record.Failed, len(line.Problems) > 0, c.name)
	}
}

// A model that answers a repair with the value that is there, in another form, insists on it: it is not
// asked for another patch.
func TestInsistsInAnotherForm(t *testing.T) {
	again := `{"corrections":[{"at":"/on","value":"9.5.2031"}]}`
	line, trace := fixture(t, `{"name":"Heron Plank","grade":2,"on":"2031-05-09"}`, again, again, "2031-05-09")
	assert.Equal(t, record.Flagged, line.Status)
	assert.Equal(t, `"2031-05-09"`, line.Record.Get("on").Named("").String())
	assert.Contains(t, trace, `"request":"repair 1"`)
	assert.NotContains(t, trace, `"request":"repair 2"`)
}

func TestBasisIsKept(t *testing.T) {
	line, _ := fixture(t, good)
	assert.Equal(t, `{"kind":"inferred","start":41,"end":58,"line":4,"basis":true}`, line.Evidence.Get("/open").Named("").String())
	assert.Equal(t, "The gate was shut", source[41:58])
}

// Records are handed out in document order, whatever the order in which
// replies come home, and once only.
func TestOrder(t *testing.T) {
	r := rand.New(rand.NewPCG(40, 41))
	var mu sync.Mutex
	pause := func() time.Duration {
		mu.Lock()
		defer mu.Unlock()
		return time.Duration(r.IntN(5)) * time.Millisecond
	}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, req *http.Request) {
		time.Sleep(pause())
		fmt.Fprint(w, `{"choices":[{"message":{"content":"{}"}}]}`)
	}))
	defer s.Close()
	dir := t.TempDir()
	var sources []document.Source
	for i := range 60 {
		name := fmt.Sprintf("%02d.txt", i)
		if i%7 != 3 { // some are not there
			require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(fmt.Sprint("A bridge, ", i)), 0o644))
		}
		sources = append(sources, document.Source{ID: name, File: filepath.Join(dir, name)})
	}
	sch, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  name: Name.\n"))
	require.NoError(t, err)
	l, err := sqlite.Open(filepath.Join(dir, "ledger.db"))
	require.NoError(t, err)
	defer l.Close()
	f, err := New(Setup{Ledger: l, Schema: sch, Model: &project.Model{Entry: "m", Name: "m", At: s.URL, Shape: "plain", Reply: 9}, Pace: project.Pace{AtOnce: 6, Attempts: 1, Timeout: time.Second}})
	require.NoError(t, err)
	run, err := f.Start(Fill{}, Beginning{Name: ""}, sources)
	require.NoError(t, err)
	var got []string
	done := 0
	require.NoError(t, f.Run(context.Background(), Fill{}, run, Hooks{Hooks: job.Hooks{Record: func(r store.Record) error {
		got = append(got, r.Document)
		return nil
	}, Progress: func(p job.Progress) { done = p.Done }}}))
	require.Len(t, got, 60)
	assert.IsIncreasing(t, got)
	assert.Equal(t, 60, done)
	totals, err := l.Totals(run)
	require.NoError(t, err)
	assert.Equal(t, []int{51, 9, 0}, []int{totals.Unflagged, totals.Failed, totals.Waiting})
}

// Every fault of the line at once: all documents come out, none twice, and
// what was spent is what the ledger holds. Only two answers without end fail one.
func TestABadLine(t *testing.T) {
	defer func(d time.Duration) { fetch.FirstWait = d }(fetch.FirstWait)
	fetch.FirstWait = 10 * time.Millisecond
	s := httptest.NewServer(standin.Handler(standin.Options{Faults: standin.Faults{Busy: 0.15, Error: 0.2, Cut: 0.2, Stall: 0.1, Garbage: 0.15, Huge: 0.03}}))
	defer s.Close()
	defer s.CloseClientConnections()
	dir := t.TempDir()
	var sources []document.Source
	for i := range 40 {
		name := fmt.Sprintf("%02d.txt", i)
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(fmt.Sprintf("Name: Plank %d\nGrade: %d\n", i, i%4)), 0o644))
		sources = append(sources, document.Source{ID: name, File: filepath.Join(dir, name)})
	}
	sch, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  name: Name.\n  grade: {integer: Grade.}\n"))
	require.NoError(t, err)
	l, err := sqlite.Open(filepath.Join(dir, "ledger.db"))
	require.NoError(t, err)
	defer l.Close()
	f, err := New(Setup{Ledger: l, Schema: sch, Model: &project.Model{Entry: "m", Name: "careful", At: s.URL + "/v1", Shape: "schema", Reply: 99, PriceIn: 1, PriceOut: 1},
		Pace: project.Pace{AtOnce: 16, Attempts: 60, Timeout: time.Second}, Rounds: 1})
	require.NoError(t, err)
	run, err := f.Start(Fill{}, Beginning{Name: ""}, sources)
	require.NoError(t, err)
	waits := 0
	endless := 0 // documents that met with two answers without end, which are not paid a third time
	seen := map[string]int{}
	require.NoError(t, f.Run(context.Background(), Fill{}, run, Hooks{Waiting: func(fetch.Try) { waits++ }, Hooks: job.Hooks{Record: func(r store.Record) error {
		seen[r.Document]++
		if r.Status == "failed" {
			endless++
			assert.Contains(t, string(r.Problems), "had not ended", r.Document)
		}
		return nil
	}}}))
	totals, err := l.Totals(run)
	require.NoError(t, err)
	assert.Equal(t, []int{40, 0, endless}, []int{totals.Documents, totals.Waiting, totals.Failed})
	assert.LessOrEqual(t, endless, 4)
	assert.Greater(t, waits, 20, "the line should have failed now and then")
	assert.Equal(t, f.First().Client.SpentNano(), totals.CostNano)
	assert.Len(t, seen, 40)
	for document, n := range seen {
		assert.Equal(t, 1, n, document)
	}
}

// A server that knows none of the stronger shapes, or that takes one and does
// not follow it, is asked in the next one; what it honours is remembered.
func TestShapesFallBack(t *testing.T) {
	for name, c := range map[string]struct {
		refuses []string
		want    string
		ignores bool // takes every shape and answers with words around the JSON
	}{
		"all":             {nil, "schema", false},
		"no schema":       {[]string{"schema"}, "tool", false},
		"objects alone":   {[]string{"schema", "tool"}, "object", false},
		"plain text":      {[]string{"schema", "tool", "object"}, "plain", false},
		"follows nothing": {nil, "plain", true},
	} {
		s, err := standin.Start("127.0.0.1:0", standin.Options{Character: "careful", Refuses: c.refuses})
		require.NoError(t, err)
		url := s.URL
		if c.ignores {
			chatty := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				body, _ := io.ReadAll(r.Body)
				if strings.Contains(string(body), "Its form") && !strings.Contains(string(body), "json_object") {
					fmt.Fprint(w, `{"choices":[{"message":{"content":"{\"name\": \"Heron Plank\"}"}}]}`)
					return
				}
				fmt.Fprint(w, `{"choices":[{"message":{"content":"The bridge is Heron Plank."}}]}`)
			}))
			defer chatty.Close()
			url = chatty.URL
		}
		l, err := sqlite.Open(filepath.Join(t.TempDir(), "l.db"))
		require.NoError(t, err)
		sch, err := schema.Parse("s.yaml", []byte("schema: s\nabout: A.\nfields:\n  name: Name.\n"))
		require.NoError(t, err)
		f, err := New(Setup{Ledger: l, Schema: sch, Model: &project.Model{Entry: "m", Name: "m", At: url, Shape: "auto", Reply: 100}, Pace: project.Pace{AtOnce: 3, Attempts: 1, Timeout: 5 * time.Second}})
		require.NoError(t, err)
		sources := []document.Source{{ID: "a", Text: "Name: Heron Plank\n"}, {ID: "b", Text: "Name: Heron Plank\nx\n"}, {ID: "c", Text: "Name: Heron Plank\ny\n"}}
		run, err := f.Start(Fill{}, Beginning{Name: ""}, sources)
		require.NoError(t, err)
		n := 0
		require.NoError(t, f.Run(context.Background(), Fill{}, run, Hooks{Hooks: job.Hooks{Record: func(r store.Record) error {
			n++
			assert.Contains(t, string(r.Record), "Heron Plank", "%s: %s", name, r.Trace)
			return nil
		}}}))
		assert.Equal(t, 3, n, name)
		assert.Equal(t, c.want, f.First().Client.Shape(), name)
		known, err := l.Shape(model.Identity(f.First().Model))
		require.NoError(t, err)
		if c.want != "schema" {
			assert.Equal(t, c.want, known, name)
		}
		f.Close()
		s.Close()
		require.NoError(t, l.Close())
	}
}

// Twelve fillings with twelve seeds: the values are counted as they came, and
// the cache is passed by.
func TestRepeat(t *testing.T) {
	var mu sync.Mutex
	seeds := map[int64]int{}
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var req struct {
			Seed *int64 `json:"seed"`
		}
		assert.NoError(t, json.NewDecoder(r.Body).Decode(&req))
		if !assert.NotNil(t, req.Seed) {
			return
		}
		mu.Lock()
		seeds[*req.Seed]++
		mu.Unlock()
		grade := `"grade": 2`
		marks := `["x"]`
		switch {
		case *req.Seed%3 == 0:
			grade = `"grade": null`
		case *req.Seed%4 == 1:
			marks = `["x", "y"]` // an item more: another structure
		}
		content, _ := json.Marshal(`{"name": "Heron Plank", "marks": ` + marks + `, ` + grade + `}`)
		fmt.Fprintf(w, `{"choices":[{"message":{"content":%s}}]}`, content)
	}))
	defer s.Close()
	l, err := sqlite.Open(filepath.Join(t.TempDir(), "l.db"))
	require.NoError(t, err)
	defer l.Close()
	sch, err := schema.Parse("s.yaml", []byte("schema: s\nabout: A.\nfields:\n  name: Name.\n  grade: {integer: Grade.}\n  marks: {list: Marks., items: {text: One., evidence: inferred}}\n"))
	require.NoError(t, err)
	f, err := New(Setup{Ledger: l, Schema: sch, Model: &project.Model{Entry: "m", Name: "m", At: s.URL, Shape: "plain", Reply: 100}, Pace: project.Pace{AtOnce: 4, Attempts: 1, Timeout: 5 * time.Second}})
	require.NoError(t, err)
	defer f.Close()
	out, err := f.Repeat(context.Background(), document.Source{ID: "a", Text: source}, 12, 100)
	require.NoError(t, err)
	nulls, odd := 0, 0
	for seed := int64(100); seed < 112; seed++ {
		assert.Equal(t, 1, seeds[seed])
		switch {
		case seed%3 == 0:
			nulls++
		case seed%4 == 1:
			odd++
		}
	}
	assert.Equal(t, 12-odd, out.Form)
	require.Len(t, out.Leaves, 4)
	assert.Equal(t, []ValueCount{{`"Heron Plank"`, 12}}, out.Leaves[0].Values)
	assert.Equal(t, []ValueCount{{"2", 12 - nulls}, {"null", nulls}}, out.Leaves[1].Values)
	runs, err := l.Runs()
	require.NoError(t, err)
	assert.Empty(t, runs, "no run is made")
}

// A recording answers without a server or a key, and stops at what it has not.
func TestReplayNeedsNoKey(t *testing.T) {
	l, err := sqlite.Open(filepath.Join(t.TempDir(), "l.db"))
	require.NoError(t, err)
	defer l.Close()
	sch, err := schema.Parse("s.yaml", []byte("schema: s\nabout: A.\nfields:\n  name: Name.\n"))
	require.NoError(t, err)
	m := &project.Model{Entry: "m", Name: "m", At: "standin:careful", Shape: "auto", Reply: 100}
	setup := Setup{Ledger: l, Schema: sch, Model: m, Pace: project.Pace{AtOnce: 2, Attempts: 1, Timeout: 5 * time.Second}}
	f, err := New(setup)
	require.NoError(t, err)
	sources := []document.Source{{ID: "a", Text: source}, {ID: "b", Text: "Name: Pipit Gill\n"}}
	run, err := f.Start(Fill{}, Beginning{Name: ""}, sources)
	require.NoError(t, err)
	require.NoError(t, f.Run(context.Background(), Fill{}, run, Hooks{}))
	file := filepath.Join(t.TempDir(), "kept.jsonl")
	var kept bytes.Buffer
	require.NoError(t, f.Record(run, &kept))
	require.NoError(t, os.WriteFile(file, kept.Bytes(), 0o644))
	f.Close()
	m.At, m.KeyFrom = "http://127.0.0.1:1/v1", "NO_SUCH_KEY_ANYWHERE"
	setup.Replay, err = exchange.LoadRecording(file)
	require.NoError(t, err)
	again, err := New(setup)
	require.NoError(t, err)
	run, err = again.Start(Fill{}, Beginning{Name: ""}, append(sources, document.Source{ID: "c", Text: "Name: Rushy Ford\n"}))
	require.NoError(t, err)
	err = again.Run(context.Background(), Fill{}, run, Hooks{})
	var not *exchange.NotRecorded
	require.ErrorAs(t, err, &not)
	assert.Equal(t, file+": c has changed since the exchanges were saved; save them again", not.Error(), "only the document differs")
}

// Where one model leaves problems another one repairs them, by patches: what was
// right stays. Where the first gives nothing, the other fills from the start.
func TestThen(t *testing.T) {
	came := func(replies map[string]string) *httptest.Server {
		return httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			body, _ := io.ReadAll(r.Body)
			for part, reply := range replies {
				if strings.Contains(string(body), part) {
					content, _ := json.Marshal(reply)
					fmt.Fprintf(w, `{"choices":[{"message":{"content":%s}}]}`, content)
					return
				}
			}
			fmt.Fprint(w, `{"choices":[{"message":{"content":""}}]}`)
		}))
	}
	small := came(map[string]string{"Name: Heron": `{"name": "Heron Plank", "grade": "nine"}`})
	defer small.Close()
	large := came(map[string]string{"# Problems": `[{"op": "replace", "path": "/grade", "value": 2}]`, "Name: Pipit": `{"name": "Pipit Gill", "grade": 3}`})
	defer large.Close()
	l, err := sqlite.Open(filepath.Join(t.TempDir(), "l.db"))
	require.NoError(t, err)
	defer l.Close()
	sch, err := schema.Parse("s.yaml", []byte("schema: s\nabout: A.\nfields:\n  name: Name.\n  grade: {integer: Grade.}\n"))
	require.NoError(t, err)
	setup := Setup{Ledger: l, Schema: sch, Pace: project.Pace{AtOnce: 2, Attempts: 1, Timeout: 5 * time.Second},
		Model: &project.Model{Entry: "small", Name: "s", At: small.URL, Shape: "plain", Reply: 100, PriceIn: 1}, Then: &project.Model{Entry: "large", Name: "l", At: large.URL, Shape: "plain", Reply: 100, PriceIn: 100}, Rounds: 1}
	f, err := New(setup)
	require.NoError(t, err)
	defer f.Close()
	run, err := f.Start(Fill{}, Beginning{Name: ""}, []document.Source{{ID: "a", Text: source}, {ID: "b", Text: "Name: Pipit Gill\nGrade: 3\n"}})
	require.NoError(t, err)
	var records []store.Record
	require.NoError(t, f.Run(context.Background(), Fill{}, run, Hooks{Hooks: job.Hooks{Record: func(r store.Record) error { records = append(records, r); return nil }}}))
	require.Len(t, records, 2)
	assert.Equal(t, `{"name":"Heron Plank","grade":2}`, string(records[0].Record))
	assert.Equal(t, "repaired", records[0].Status)
	assert.Equal(t, `{"name":"Pipit Gill","grade":3}`, string(records[1].Record))
	assert.Equal(t, "unflagged", records[1].Status)
	assert.Contains(t, string(records[1].Trace), `{"step":"then","model":"large"}`)
	totals, err := l.Totals(run)
	require.NoError(t, err)
	assert.Equal(t, f.First().Client.SpentNano()+f.Models[1].Client.SpentNano(), totals.CostNano)
	assert.Greater(t, f.Models[1].Client.SpentNano(), 10*f.First().Client.SpentNano())
}
