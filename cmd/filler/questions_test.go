package main

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"go.yaml.in/yaml/v4"

	"filler/internal/demo"
)

// written is what a model writes to a question.
type written struct {
	Statement, Sources, Says, Basis string
}

// known is a question with its known answer: facts that stand in it, and the line that it
// rests on; none where the document does not say.
type known struct {
	Of      string
	Ask     string
	written `yaml:",inline"`
	Facts   []string `yaml:"must_say"`
	Line    int
	Small   *written // what a small careless model writes, where that is something else
}

// byHand answers questions with what was written for them.
func byHand(t *testing.T, all []known, small bool) string {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, err := io.ReadAll(r.Body)
		assert.NoError(t, err)
		var asked struct {
			Messages []struct{ Content string }
		}
		assert.NoError(t, json.Unmarshal(body, &asked))
		text := ""
		for _, m := range asked.Messages {
			text += m.Content + "\n"
		}
		reply := `{}`
		for _, k := range all {
			own := k.written
			if small && k.Small != nil {
				own = *k.Small
				if own.Statement == "" {
					own.Statement, own.Sources = k.Statement, ""
				}
				if own.Says == "" {
					own.Says, own.Basis = k.Says, k.Basis
				}
			}
			orNull := func(s string) any {
				if s == "" {
					return nil
				}
				return s
			}
			switch {
			case strings.Contains(text, "- statement: "+k.Ask):
				if strings.Contains(text, "Because: ") { // what a careful one writes at second try
					own = k.written
				}
				data, _ := json.Marshal(map[string]any{"statement": own.Statement, "sources": orNull(own.Sources)})
				reply = string(data)
			case strings.Contains(text, "answer: "+k.Ask), strings.Contains(text, "answer (text): "+k.Ask):
				data, _ := json.Marshal(map[string]any{"answer": map[string]any{"value": orNull(own.Says), "basis": orNull(own.Basis)}})
				reply = string(data)
			default:
				continue
			}
			break
		}
		out, _ := json.Marshal(map[string]any{"choices": []any{map[string]any{"message": map[string]any{"role": "assistant", "content": reply}, "finish_reason": "stop"}}, "usage": map[string]any{"prompt_tokens": 10, "completion_tokens": 10}})
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write(out)
	}))
	t.Cleanup(s.Close)
	return s.URL
}

// Forty questions to the demo, with what a model answered by hand: a careful one is right
// and is not marked where it is, a small careless one is right or marked.
func TestFortyQuestions(t *testing.T) {
	large(t)
	data, err := os.ReadFile("testdata/questions.yaml")
	require.NoError(t, err)
	var file struct{ Records, Documents []known }
	require.NoError(t, yaml.Unmarshal(data, &file))
	all := append(slices.Clone(file.Records), file.Documents...)
	require.Len(t, all, 40)
	dir := filepath.Join(t.TempDir(), "demo")
	run := func(args ...string) string {
		c := exec.Command("filler", append([]string{"-C", dir}, args...)...)
		var out, said bytes.Buffer
		c.Stdout, c.Stderr = &out, &said
		require.NoError(t, c.Run(), said.String())
		return out.String()
	}
	require.NoError(t, demo.Write("bridges", dir))
	run("export", "--gold", "--to", "jsonl", "-o", filepath.Join(dir, "gold.jsonl"))
	for _, small := range []bool{false, true} {
		url := byHand(t, all, small)
		right, marked, unmarked, wrongMarks := 0, 0, []string{}, []string{}
		for _, k := range all {
			args := []string{"ask", "--model", url, "--sensitive"}
			if k.Of == "" {
				args = append(args, "--records", filepath.Join(dir, "gold.jsonl"), k.Ask)
			} else {
				args = append(args, k.Of, k.Ask)
			}
			out := run(args...)
			isRight, isMarked := k.judge(out), strings.Contains(out, "! ")
			switch {
			case isRight && isMarked:
				wrongMarks = append(wrongMarks, k.Ask+"\n"+out)
				right++
			case isRight:
				right++
			case isMarked:
				marked++
			default:
				unmarked = append(unmarked, k.Ask+"\n"+out)
			}
		}
		t.Logf("small %v: %d right, %d wrong and marked, %d wrong and not: %q; right and marked: %q", small, right, marked, len(unmarked), unmarked, wrongMarks)
		if small {
			assert.LessOrEqual(t, len(unmarked), 3)
			assert.GreaterOrEqual(t, marked, 8)
			continue
		}
		assert.GreaterOrEqual(t, right, 36)
		assert.Empty(t, unmarked)
		assert.LessOrEqual(t, len(wrongMarks), 1)
	}
}

// judge tells whether what was printed holds the answer.
func (k *known) judge(out string) bool {
	if k.Of != "" && len(k.Facts) == 0 {
		return strings.Contains(out, "– not in the document")
	}
	said := out
	if k.Of != "" {
		_, said, _ = strings.Cut(out, "\n") // the document's name holds figures
		if k.Line > 0 && !strings.Contains(said, "line "+strconv.Itoa(k.Line)+":") {
			return false
		}
		said, _, _ = strings.Cut(said, "\n  line ")
	}
	for _, f := range k.Facts {
		if !strings.Contains(said, f) {
			return false
		}
	}
	return true
}
