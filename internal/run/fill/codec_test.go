package fill

import (
	"bytes"
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
	"github.com/stretchr/testify/require"

	"filler/internal/ask/chat"
	"filler/internal/ask/exchange"
	"filler/internal/ask/model"
	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/schema"
	"filler/internal/source/fetch"
	"filler/internal/standin"
	"filler/internal/store/sqlite"
)

// slips is a protocol that no server speaks: a request is a slip of JSON with
// keys of its own, a reply "SAYS tokens-in tokens-out finish" and the text
// below it, a refusal "NO" and the reason.
type slips struct{}

type slip struct {
	To    string
	Turns [][2]string
	Most  int
	Form  json.RawMessage
}

func (slips) Path() string                          { return "/slips" }
func (slips) Header(key string) (name, text string) { return "X-Pass", "pass " + key }
func (slips) Said(text string) []byte               { return []byte(fmt.Sprintf(`{"Say":%q}`, text)) }

func (slips) Refusal(body []byte) string        { return strings.TrimPrefix(string(body), "NO ") }
func (slips) Streamed() fetch.Watcher           { return nil }
func (s slips) Sent(r *exchange.Request) []byte { return bytes.Join(s.Parts(r), nil) }

func (slips) Parts(r *exchange.Request) [][]byte {
	one := slip{To: r.Model, Most: r.MaxTokens, Form: r.Format}
	for _, m := range r.Messages {
		one.Turns = append(one.Turns, [2]string{m.Role, m.Content})
	}
	b, _ := json.Marshal(one)
	return [][]byte{b}
}

func (slips) Read(body []byte) (*exchange.Reply, error) {
	head, text, _ := strings.Cut(string(body), "\n")
	r := &exchange.Reply{Text: text, HasUsage: true}
	if _, err := fmt.Sscanf(head, "SAYS %d %d %s", &r.TokensIn, &r.TokensOut, &r.Finish); err != nil {
		return nil, &exchange.Unreadable{What: "the slip says nothing"}
	}
	return r, nil
}

// slipServer speaks slips and has the stand-in answer.
func slipServer(t *testing.T, key string, seen map[string]int) *httptest.Server {
	inner := standin.Handler(standin.Options{Character: "steady"})
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		var one slip
		switch {
		case r.URL.Path != "/v1/slips" || json.Unmarshal(body, &one) != nil:
			w.WriteHeader(http.StatusNotFound)
			return
		case r.Header.Get("X-Pass") != "pass "+key:
			w.WriteHeader(http.StatusUnauthorized)
			fmt.Fprint(w, "NO this pass is not known")
			return
		}
		if seen[string(body)]++; seen[string(body)] == 1 && len(seen) == 2 {
			fmt.Fprint(w, "what?") // one answer that is none of the protocol
			return
		}
		req := &exchange.Request{Model: one.To, MaxTokens: one.Most, Format: one.Form, FormatName: "record"}
		for _, turn := range one.Turns {
			req.Messages = append(req.Messages, exchange.Message{Role: turn[0], Content: turn[1]})
		}
		rec := httptest.NewRecorder()
		inner.ServeHTTP(rec, httptest.NewRequest("POST", "/v1/chat/completions", bytes.NewReader(chat.Body(req))))
		reply, err := chat.ReadReply(rec.Body.Bytes())
		if !assert.NoError(t, err) {
			return
		}
		fmt.Fprintf(w, "SAYS %d %d %s\n%s", reply.TokensIn, reply.TokensOut, reply.Finish, reply.Text)
	}))
	t.Cleanup(s.Close)
	return s
}

// A model behind another protocol fills the same records at the same price, with
// its bytes in the cache, its refusals in words and its key in its own header:
// nothing but the codec is another.
func TestAnotherProtocol(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  name: {text: Name., printed_as: [Name]}\n  set: {date: Day., written: [D.M.YYYY], printed_as: [Set]}\n  grade: {integer: Grade., required: true}\n"))
	require.NoError(t, err)
	dir := t.TempDir()
	var files []string
	for i := range 12 {
		file := filepath.Join(dir, fmt.Sprintf("%d.txt", i))
		require.NoError(t, os.WriteFile(file, []byte(fmt.Sprintf("Name: Plank %d\nSet: %d.4.2031\nGrade: %d\n", i, i+1, i%4)), 0o644))
		files = append(files, file)
	}
	t.Setenv("SLIP_KEY", "sesame-7")
	seen := map[string]int{}
	url := slipServer(t, "sesame-7", seen).URL + "/v1"
	setup := func(at string, codec exchange.Codec, key string) Setup {
		return Setup{Schema: s, Model: &project.Model{Entry: "m", Name: "steady", At: at, Shape: "schema", Reply: 4000, PriceIn: 1, PriceOut: 2, KeyFrom: key}, Codec: codec,
			Pace: project.Pace{AtOnce: 1, Attempts: 2, Timeout: 20 * time.Second}, Rounds: 2, Settings: prompt.Settings{Layout: "rows"}}
	}
	for _, file := range files {
		ours, _ := fillOne(t, setup("standin:steady", nil, ""), file)
		theirs, f := fillOne(t, setup(url, slips{}, "SLIP_KEY"), file)
		assert.Equal(t, ours.Record.String(), theirs.Record.String())
		assert.Equal(t, ours.Status, theirs.Status)
		var kept bytes.Buffer
		require.NoError(t, f.Record(1, &kept))
		assert.Contains(t, kept.String(), `{"request":{"To":"steady","Turns":`)
		assert.NotContains(t, kept.String(), "sesame")
	}
	t.Setenv("SLIP_KEY", "wrong-9")
	l, err := sqlite.Open(filepath.Join(dir, "ledger.db"))
	require.NoError(t, err)
	defer l.Close()
	refused := setup(url, slips{}, "SLIP_KEY")
	refused.Ledger = l
	f, err := New(refused)
	require.NoError(t, err)
	defer f.Close()
	_, err = f.First().Client.Ask(t.Context(), model.Call{Run: 1, Step: "fill"}, &exchange.Request{Model: "m", Messages: []exchange.Message{{Role: "user", Content: "x"}}})
	assert.ErrorContains(t, err, "answered 401 (this pass is not known)")
	for body, times := range seen {
		assert.LessOrEqual(t, times, 2, body)
	}
}
