package main

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/store/sqlite"
)

// mannered is a model server with the manners of real ones, which it shows for one
// document in five. It shares no code with the stand-in.
type mannered struct {
	manners []string

	mu     sync.Mutex
	asked  map[int]int // by document
	good   map[int]int // whole answers
	told   [2]int      // tokens in and out that answers told and may be believed
	untold int         // answers, whole or not, that told none
	done   chan bool
}

var plank = regexp.MustCompile(`Plank (\d+)`)

func (m *mannered) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	data, _ := io.ReadAll(r.Body)
	var req struct {
		Max    any  `json:"max_tokens"`
		Stream bool `json:"stream"`
	}
	found := plank.FindSubmatch(data)
	if json.Unmarshal(data, &req) != nil || found == nil {
		w.WriteHeader(http.StatusTeapot)
		return
	}
	n, _ := strconv.Atoi(string(found[1]))
	m.mu.Lock()
	m.asked[n]++
	times := m.asked[n]
	m.mu.Unlock()
	manner := ""
	if n%5 == 0 {
		manner = m.manners[n/5%len(m.manners)]
	}
	if m.refuses(w, manner, n, times, req.Max != nil) {
		return
	}
	m.answer(w, manner, n, req.Stream)
}

// refuses shows a manner that keeps an answer back; the first time, but for keys that
// are never taken.
func (m *mannered) refuses(w http.ResponseWriter, manner string, n, times int, oldKey bool) bool {
	switch {
	case manner == "newer" && oldKey:
		w.WriteHeader(http.StatusBadRequest)
		fmt.Fprint(w, `{"error":{"message":"Unsupported parameter: 'max_tokens' is not supported with this model. Use 'max_completion_tokens' instead.","param":"max_tokens"}}`)
	case times > 1:
		return false
	case manner == "page":
		w.Header().Set("Content-Type", "text/html")
		w.WriteHeader([]int{200, 502, 404, 403}[n/5%4])
		fmt.Fprint(w, "<html><body>One moment, please.</body></html>")
		if n/5%4 == 0 {
			m.unsaid()
		}
	case manner == "type":
		fmt.Fprint(w, []string{`[]`, `"ok"`, `{"choices":{}}`, `{"choices":[{"message":{"content":{"a":1}}}]}`, `{"error":{"message":"overloaded"}}`}[n/5%5])
		m.unsaid()
	case manner == "busy":
		w.Header().Set("Retry-After", "0")
		w.WriteHeader(http.StatusTooManyRequests)
		fmt.Fprint(w, `{"message":"slow down"}`)
	case manner == "cut":
		w.Header().Set("Content-Length", "900")
		fmt.Fprint(w, `{"choices":[{"message":{"content":"{\"na`)
		m.unsaid()
	default:
		return false
	}
	return true
}

func (m *mannered) unsaid() {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.untold++
}

func (m *mannered) answer(w http.ResponseWriter, manner string, n int, stream bool) {
	in, out := 100+n%900, 7+n%5
	usage := fmt.Sprintf(`{"prompt_tokens":%d,"completion_tokens":%d}`, in, out)
	told := true
	switch manner {
	case "figures":
		usage = fmt.Sprintf([]string{`{"prompt_tokens":%d.0,"completion_tokens":"%d"}`, `{"prompt_tokens":"%d","completion_tokens":%de0}`,
			`{"prompt_tokens":-%d,"completion_tokens":%d}`, `{"prompt_tokens":null,"completion_tokens":%[2]d}`, `{"prompt_tokens":9%d00000000000,"completion_tokens":%d}`, `"%d and %d"`}[n/5%6], in, out)
		told = n/5%6 < 2
	case "thinks":
		usage = fmt.Sprintf(`{"prompt_tokens":%d,"completion_tokens":%d,"completion_tokens_details":{"reasoning_tokens":5}}`, in, out)
	case "silent":
		told = false
	}
	m.mu.Lock()
	m.good[n]++
	if told {
		m.told[0], m.told[1] = m.told[0]+in, m.told[1]+out
	} else {
		m.untold++
	}
	m.mu.Unlock()
	said := fmt.Sprintf(`{\"name\": \"Plank %d\"}`, n)
	if stream {
		m.stream(w, manner, said, usage)
		return
	}
	content := `"` + said + `"`
	if manner == "thinks" {
		content = fmt.Sprintf(`[{"type":"reasoning","text":"It says {\"name\": \"?\"}."},{"type":"text","text":"%s"}],"reasoning_content":"Hm."`, said)
	}
	if manner == "silent" {
		usage = "null"
	}
	fmt.Fprintf(w, `{"choices":[{"message":{"role":"assistant","content":%s},"finish_reason":"stop"}],"usage":%s}`, content, usage)
}

// stream sends an answer in pieces.
func (m *mannered) stream(w http.ResponseWriter, manner, said, usage string) {
	w.Header().Set("Content-Type", "text/event-stream")
	send := func(s string) {
		io.WriteString(w, s)
		w.(http.Flusher).Flush()
	}
	for i := 0; i < len(said); i += 9 {
		piece := said[i:min(i+9, len(said))]
		if strings.HasSuffix(piece, `\`) { // no escape in two
			piece = said[i : i+10]
			said = said[:i+9] + said[i+10:]
		}
		if manner == "comments" {
			send(": still here\n\n" + `data: {"choices":[{"delta":{"content":""}}]}` + "\n\n")
		}
		send(`data: {"choices":[{"delta":{"content":"` + piece + `"}}]}` + "\n\n")
	}
	if manner != "silent" {
		send(`data: {"choices":[],"usage":` + usage + "}\n\n")
	}
	send("data: [DONE]\n\n")
	if manner == "hangs" {
		<-m.done
	}
}

// Whatever the manners of a server for one document in five, each manner by itself
// and all of them mixed, of a thousand documents each comes out once, in order and
// right, none is paid twice, what was spent is right to the last token where the
// server told it, and marked where it did not.
func TestServersAsTheyAre(t *testing.T) {
	whole := []string{"newer", "page", "type", "busy", "cut", "figures", "thinks", "silent"}
	for _, c := range []struct {
		manners []string
		stream  bool
	}{{whole[:1], false}, {whole[1:2], false}, {whole[2:3], false}, {whole[3:4], false}, {whole[4:5], false}, {whole[5:6], false}, {whole[6:7], false}, {whole[7:], false},
		{[]string{"hangs"}, true}, {[]string{"comments"}, true}, {whole, false}, {append([]string{"hangs", "comments"}, whole[1:]...), true}} {
		t.Run(fmt.Sprintf("%s, streams %v", strings.Join(c.manners, " "), c.stream), func(t *testing.T) {
			n := 1000
			if testing.Short() {
				n = 100
			}
			m := &mannered{manners: c.manners, asked: map[int]int{}, good: map[int]int{}, done: make(chan bool)}
			s := httptest.NewServer(m)
			defer s.Close()
			defer close(m.done)
			dir := planks(t, s.URL+"/v1", n, c.stream)
			out, err := run(dir, "fill", "-o", "out.jsonl")
			require.NoError(t, err, out)
			m.check(t, dir, n)
		})
	}
}

// planks writes a project of n documents.
func planks(t *testing.T, url string, n int, stream bool) string {
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644))
	}
	require.NoError(t, os.Mkdir(filepath.Join(dir, "documents"), 0o755))
	write("filler.yaml", fmt.Sprintf("schema: s.yaml\ndocuments: [documents]\nuse: m\nmodels:\n  m: {at: '%s', shape: plain, price: {in: 1, out: 2}, stream: %v}\npace: {at_once: 64, attempts: 3, timeout: 20s}\n", url, stream))
	write("s.yaml", "schema: s\nfields:\n  name: {text: A name., printed_as: [Name]}\n")
	for i := range n {
		write(fmt.Sprintf("documents/%04d.txt", i), fmt.Sprintf("Name: Plank %d\n", i))
	}
	return dir
}

func (m *mannered) check(t *testing.T, dir string, n int) {
	data, err := os.ReadFile(filepath.Join(dir, "out.jsonl"))
	require.NoError(t, err)
	lines := strings.Split(strings.TrimSpace(string(data)), "\n")
	require.Len(t, lines, n)
	for i, line := range lines {
		var rec struct {
			Document, Status string
			Record           struct{ Name string }
		}
		require.NoError(t, json.Unmarshal([]byte(line), &rec))
		require.Equal(t, []string{fmt.Sprintf("documents/%04d.txt", i), "unflagged", fmt.Sprintf("Plank %d", i)}, []string{rec.Document, rec.Status, rec.Record.Name}, line)
	}
	require.Len(t, m.good, n)
	for i, times := range m.good {
		require.Equal(t, 1, times, "document %d was paid twice", i)
	}
	l, err := sqlite.OpenToRead(filepath.Join(dir, ".filler", "ledger.db"))
	require.NoError(t, err)
	defer l.Close()
	var told [2]int
	untold, cost, guessed := 0, int64(0), int64(0)
	for i := range n {
		xs, err := l.Exchanges(1, i)
		require.NoError(t, err)
		for _, x := range xs {
			cost += x.CostNano
			switch {
			case x.Estimated:
				untold++
				guessed += x.CostNano
				assert.Less(t, x.TokensIn+x.TokensOut, 2000)
			case x.Status == 200:
				told[0], told[1] = told[0]+x.TokensIn, told[1]+x.TokensOut
			default:
				assert.Zero(t, x.CostNano, "a refusal costs nothing")
			}
		}
	}
	assert.Equal(t, m.told, told, "right to the last token")
	assert.Equal(t, m.untold, untold, "and marked where not told")
	totals, err := l.Totals(1)
	require.NoError(t, err)
	assert.Equal(t, []int64{cost, guessed}, []int64{totals.CostNano, totals.EstimatedNano})
	assert.EqualValues(t, int64(told[0])*1000+int64(told[1])*2000, cost-guessed)
}

// Of a thousand documents whose requests went out in a file, replies come late, twice,
// cut, refused, in any order: each document comes out once, as if a server had been
// asked, and none is paid twice.
func TestRepliesInFiles(t *testing.T) {
	const n = 1000
	m := &mannered{manners: []string{"figures", "thinks", "silent"}, asked: map[int]int{}, good: map[int]int{}}
	dir := planks(t, "http://127.0.0.1:9/v1", n, false)
	in := func(name string) string { return filepath.Join(dir, name) }
	out, err := run(dir, "fill", "--requests-out", "asked.jsonl")
	require.NoError(t, err, out)
	var late []string
	for round := 0; ; round++ {
		require.Less(t, round, 12, "it comes to an end")
		data, err := os.ReadFile(in("asked.jsonl"))
		require.NoError(t, err)
		if len(data) == 0 {
			break
		}
		replies := late
		late = nil
		for i, line := range strings.Split(strings.TrimSpace(string(data)), "\n") {
			var asked struct {
				ID   string
				Body json.RawMessage
			}
			require.NoError(t, json.Unmarshal([]byte(line), &asked))
			found := plank.FindSubmatch(asked.Body)
			number, _ := strconv.Atoi(string(found[1]))
			switch manner := (i + round) % 5; {
			case manner == 0 && round < 3: // cut
				replies = append(replies, `{"id":"`+asked.ID+`","body":{"choi`)
				continue
			case manner == 1 && round < 3: // refused
				replies = append(replies, `{"id":"`+asked.ID+`","status":503,"body":{"error":"later"}}`)
				continue
			case manner == 2 && round < 2 && m.good[number] == 0: // late
				late = append(late, m.byFile(asked.ID, number, asked.Body))
				continue
			case m.good[number] > 0:
				continue // on its way
			}
			reply := m.byFile(asked.ID, number, asked.Body)
			if replies = append(replies, reply); number%3 == 0 {
				replies = append(replies, reply)
			}
		}
		for i := range replies { // in another order
			j := (i * 7919) % len(replies)
			replies[i], replies[j] = replies[j], replies[i]
		}
		require.NoError(t, os.WriteFile(in("replies.jsonl"), []byte(strings.Join(replies, "\n")+"\n"), 0o644))
		for range 2 { // the same file twice
			if out, err = run(dir, "fill", "--replies-in", "replies.jsonl", "--requests-out", "asked.jsonl", "-o", "out.jsonl"); err != nil {
				var exit *exec.ExitError
				require.ErrorAs(t, err, &exit, out)
				require.Equal(t, 1, exit.ExitCode(), out)
				require.Contains(t, out, "holds no reply", "all of them cut")
			}
		}
	}
	m.check(t, dir, n)
}

// byFile gives the line of a reply.
func (m *mannered) byFile(id string, n int, body []byte) string {
	w := httptest.NewRecorder()
	manner := ""
	if n%5 == 0 {
		manner = m.manners[n/5%len(m.manners)]
	}
	m.answer(w, manner, n, false)
	return fmt.Sprintf(`{"id":"%s","body":%s}`, id, w.Body)
}
