package standin

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/chat"
	"filler/internal/base/place"
)

const question = `{"model":"steady","messages":[{"role":"user","content":"- name (text): A name.\n- river (text): A river.\n===1\nName: Heron Plank\nRiver: Ossel\n===1\n"}],"max_tokens":1000}`

// came is what a client saw of one answer.
type came struct {
	status int
	header http.Header
	body   string
	err    error // of the request, or of reading the body
}

func post(t *testing.T, url, body string, patience time.Duration) came {
	t.Helper()
	ctx, stop := context.WithTimeout(t.Context(), patience)
	defer stop()
	req, err := http.NewRequestWithContext(ctx, "POST", url+"/chat/completions", strings.NewReader(body))
	require.NoError(t, err)
	resp, err := http.DefaultClient.Do(req)
	if err != nil {
		return came{err: err}
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	return came{resp.StatusCode, resp.Header, string(data), err}
}

// kind tells what became of a request, by what a client can see.
func (c came) kind() string {
	switch {
	case errors.Is(c.err, context.DeadlineExceeded):
		return "stall"
	case errors.Is(c.err, io.ErrUnexpectedEOF):
		return "cut"
	case c.err != nil:
		return c.err.Error()
	case c.status == 429:
		return "busy"
	case c.status == 500 || c.status == 503:
		return "error"
	case c.status != 200:
		return fmt.Sprint(c.status)
	case len(c.body) > 50<<20:
		return "huge"
	}
	reply, err := chat.ReadReply([]byte(c.body))
	switch {
	case err != nil || reply.Text == "":
		return "garbage"
	case reply.Finish == "length":
		return "circles"
	}
	return "right"
}

func started(t *testing.T, o Options) string {
	t.Helper()
	s, err := Start("127.0.0.1:0", o)
	require.NoError(t, err)
	t.Cleanup(s.Close)
	return s.URL
}

// A fault at rate 1 befalls every request, in each of the ways it is described.
func TestEachFault(t *testing.T) {
	for name, c := range map[string]struct {
		faults Faults
		times  int
		check  func(all []came)
	}{
		"busy": {Faults{Busy: 1}, 4, func(all []came) {
			named := 0
			for _, c := range all {
				if c.header.Get("Retry-After") != "" {
					named++
				}
				assert.Contains(t, c.body, "too many requests")
			}
			assert.Equal(t, 2, named, "every other time it says when to come again")
		}},
		"error": {Faults{Error: 1}, 4, func(all []came) {
			assert.ElementsMatch(t, []int{500, 503, 500, 503}, []int{all[0].status, all[1].status, all[2].status, all[3].status})
		}},
		"cut":   {Faults{Cut: 1}, 3, func(all []came) { assert.NotEmpty(t, all[0].body, "the half that came") }},
		"stall": {Faults{Stall: 1}, 1, func([]came) {}},
		"garbage": {Faults{Garbage: 1}, 3, func(all []came) {
			kinds := map[string]bool{}
			for _, c := range all {
				kinds[c.header.Get("Content-Type")] = true
			}
			assert.Len(t, kinds, 3, "a page, half a line, and another type")
		}},
		"huge": {Faults{Huge: 1}, 1, func([]came) {}},
	} {
		url := started(t, Options{Faults: c.faults})
		var all []came
		for range c.times {
			patience := 20 * time.Second
			if name == "stall" {
				patience = 300 * time.Millisecond
			}
			got := post(t, url, question, patience)
			require.Equal(t, name, got.kind(), "%s: %.100s", name, got.body)
			all = append(all, got)
		}
		c.check(all)
	}
}

// Rates are what they say, and what befalls a request depends on its number alone:
// two servers that are asked the same fare the same.
func TestRates(t *testing.T) {
	const n = 400
	o := Options{Faults: Faults{Busy: 0.2, Error: 0.15, Garbage: 0.1, Cut: 0.1}}
	one, two := started(t, o), started(t, o)
	times := map[string]int{}
	for range n {
		a, b := post(t, one, question, time.Minute).kind(), post(t, two, question, time.Minute).kind()
		require.Equal(t, a, b)
		times[a]++
	}
	for name, rate := range map[string]float64{"busy": 0.2, "error": 0.15, "garbage": 0.1, "cut": 0.1 * 0.55, "right": 0.9 * 0.55} {
		assert.InDelta(t, rate*n, times[name], 4*20*(rate*(1-rate)), "%s: %v", name, times)
	}
}

// An answer in pieces comes to the whole one, and one that is cut ends without its
// last word.
func TestPieces(t *testing.T) {
	asked := strings.Replace(question, `{"model"`, `{"stream":true,"model"`, 1)
	whole, err := chat.ReadReply([]byte(post(t, started(t, Options{}), question, time.Minute).body))
	require.NoError(t, err)
	pieces := func(o Options) (text string, done bool) {
		c := post(t, started(t, o), asked, time.Minute)
		lines := bufio.NewScanner(strings.NewReader(c.body))
		for lines.Scan() {
			data, ok := strings.CutPrefix(lines.Text(), "data: ")
			if data == "[DONE]" {
				done = true
				continue
			}
			if !ok {
				continue
			}
			var event struct {
				Choices []struct {
					Delta struct{ Content string }
				}
			}
			require.NoError(t, json.Unmarshal([]byte(data), &event))
			for _, c := range event.Choices {
				text += c.Delta.Content
			}
		}
		return text, done
	}
	text, done := pieces(Options{})
	assert.Equal(t, []any{whole.Text, true}, []any{text, done})
	text, done = pieces(Options{Faults: Faults{Cut: 1}})
	assert.False(t, done)
	assert.True(t, strings.HasPrefix(whole.Text, text) && len(text) < len(whole.Text), "%q of %q", text, whole.Text)
	refused := post(t, started(t, Options{Refuses: []string{"stream"}}), asked, time.Minute)
	assert.Equal(t, 400, refused.status)
}

func script(t *testing.T, text string, more ...string) (*Script, error) {
	t.Helper()
	dir := t.TempDir()
	for i := 0; i < len(more); i += 2 {
		require.NoError(t, os.WriteFile(filepath.Join(dir, more[i]), []byte(more[i+1]), 0o644))
	}
	file := filepath.Join(dir, "rules.yaml")
	require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
	return LoadScript(file)
}

// The first rule that fits and is not used up counts; where none does, the
// stand-in answers itself.
func TestScriptInOrder(t *testing.T) {
	s, err := script(t, `rules:
  - {when: 'Heron', not: 'Rushy', reply: '{"name": "by rule"}', times: 2}
  - {when: 'Plank', status: 429, retry_after: 3, times: 1}
  - {when: 'Plank', reply_from: long.txt, finish: length, times: 1}
  - {when: 'Plank', status: 503, times: 1}
  - {when: 'Plank', fault: cut, times: 1}
  - {when: 'Plank', fault: garbage, times: 1}
  - {when: 'Plank', fault: page, times: 1}
  - {when: 'Plank', fault: huge, times: 1}
  - {when: 'Plank', fault: circles, times: 1}
  - {when: 'Plank', fault: stall, times: 1}
`, "long.txt", `{"name": "Her`)
	require.NoError(t, err)
	url := started(t, Options{Script: s})
	var kinds []string
	for i := range 12 {
		patience := time.Minute
		if i == 10 {
			patience = 300 * time.Millisecond
		}
		c := post(t, url, question, patience)
		kinds = append(kinds, c.kind())
		switch i {
		case 0, 1:
			assert.Contains(t, c.body, `by rule`)
		case 2:
			assert.Equal(t, "3", c.header.Get("Retry-After"))
		case 3:
			r, err := chat.ReadReply([]byte(c.body))
			require.NoError(t, err)
			assert.Equal(t, `{"name": "Her`, r.Text)
		case 8:
			assert.Contains(t, c.body, "all work", "garbage, a page, and then too much")
		case 11:
			assert.Contains(t, c.body, "Ossel", "when all are used up it answers itself")
		}
	}
	assert.Equal(t, []string{"right", "right", "busy", "circles", "error", "cut", "garbage", "garbage", "huge", "circles", "stall", "right"}, kinds)
}

// A rule may wait, and its answer comes in the shape that is asked for.
func TestScriptShapes(t *testing.T) {
	s, err := script(t, "rules:\n  - {when: '.', reply: '{\"name\":\"x\"}', wait: 150ms}\n")
	require.NoError(t, err)
	url := started(t, Options{Script: s})
	began := time.Now()
	c := post(t, url, strings.Replace(question, `{"model"`, `{"tools":[{"type":"function","function":{"name":"record","parameters":{"type":"object"}}}],"tool_choice":{"type":"function","function":{"name":"record"}},"model"`, 1), time.Minute)
	assert.GreaterOrEqual(t, time.Since(began), 150*time.Millisecond)
	r, err := chat.ReadReply([]byte(c.body))
	require.NoError(t, err)
	assert.True(t, r.Called)
	assert.Equal(t, `{"name":"x"}`, r.Text)
}

// Every fault of a script is told at once, with its line.
func TestScriptFaults(t *testing.T) {
	for text, says := range map[string][]string{
		"":                     {"the file is empty"},
		"rules: []\n":          {"the script has no rules"},
		"ruls:\n  - {when: a}": {`unknown key "ruls"`, "the script has no rules"},
		"rules:\n  - {reply: x}\n  - {when: '('}\n  - {when: a, fault: burp}\n  - {when: a, status: 700}\n  - {when: a, wait: soon}\n  - {when: a, reply_from: nowhere.txt}\n  - {when: a, times: 0}\n": {
			":2:", `"when" is missing`, ":3:", "does not compile", ":4:", `unknown fault "burp"`, ":5:", "not an HTTP status", ":6:", "not a duration", ":7:", "can't be read", ":8:"},
	} {
		_, err := script(t, text)
		var faults place.Faults
		require.ErrorAs(t, err, &faults, text)
		for _, say := range says {
			assert.Contains(t, err.Error(), say, text)
		}
	}
	_, err := LoadScript(filepath.Join(t.TempDir(), "none.yaml"))
	assert.ErrorContains(t, err, "can't be read")
}
