package fill

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/outline"
	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/schema"
)

// said are the replies that one voice gave to the requests of one step over one
// document, in the order of the requests, as they were written. The voices: a
// careful reader, a small careless one, and one that reasons before it answers.
type said struct {
	trade, doc, voice, step string
	replies                 []string
}

// between stands between the replies to the requests of one step.
const between = "\n%%\n"

func allSaid(t *testing.T) (all []said) {
	files, err := filepath.Glob("testdata/replies/said.*.txtar")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, file := range files {
		a, err := txtar.ParseFile(file)
		require.NoError(t, err)
		trade := strings.TrimSuffix(strings.TrimPrefix(filepath.Base(file), "said."), ".txtar")
		for _, f := range a.Files {
			name := strings.Split(f.Name, ".")
			require.Len(t, name, 3, f.Name)
			all = append(all, said{trade, name[0], name[1], name[2], strings.Split(strings.TrimSuffix(string(f.Data), "\n"), between)})
		}
	}
	return all
}

// styleOf is the style that a step answers in.
var styleOf = map[string]string{"record": prompt.Record, "groups": prompt.ByGroup, "fields": prompt.ByField, "pointers": prompt.ByPointer}

// heard is what came of replies.
type heard struct {
	replies, docs                      int
	right, wrong, missed, extra        int
	alarmed                            int            // right values with a problem
	told                               int            // wrong or extra values with one
	unread                             []string       // what of the replies was not read; the record says so
	forms                              map[string]int // kinds of lenient reading, each once a document
	thought, fenced, chatter, strictly int
}

func (h *heard) f1() float64 {
	return 2 * float64(h.right) / float64(2*h.right+2*h.wrong+h.extra+h.missed)
}

// hear fills a document by what was said, one reply a request, and corrections
// where the voice gave some; to all else that is asked it says nothing.
func hear(t *testing.T, s *schema.Schema, d *trialDoc, x said, corrections string, sum *heard) []string {
	var lock sync.Mutex
	parts, err := partsOf(s, styleOf[x.step])
	require.NoError(t, err)
	to, asks := map[string]string{}, map[string]bool{} // the reply by the first field that is asked for
	name := x.trade + " " + x.doc + " " + x.voice + " " + x.step
	require.Len(t, x.replies, len(parts), "%s: requests", name)
	for i, p := range parts {
		to[p.schema.Leaves()[0].Path] = x.replies[i]
	}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		lock.Lock()
		defer lock.Unlock()
		raw, _ := io.ReadAll(r.Body)
		var body struct{ Messages []struct{ Content string } }
		_ = json.Unmarshal(raw, &body)
		asked := body.Messages[len(body.Messages)-1].Content
		answer := "{}"
		switch {
		case outline.Has(asked, outline.Problems):
			if answer = `{"corrections": []}`; corrections != "" {
				answer, corrections = corrections, ""
			}
		case outline.Has(asked, outline.LookAgain):
		default:
			fields := ""
			for _, m := range body.Messages {
				fields += m.Content + "\n"
			}
			asked := &schema.Schema{Root: outline.Read(fields, nil)}
			first := asked.Leaves()[0].Path
			if len(x.replies) == 1 {
				first = parts[0].schema.Leaves()[0].Path // also for the rest of one that was cut
			}
			answer = to[first] // the same when it is asked again
			assert.NotEmpty(t, answer, "%s: asked for %s", name, first)
			asks[first] = true
		}
		text, _ := json.Marshal(answer)
		fmt.Fprintf(w, `{"choices":[{"message":{"content":%s},"finish_reason":"stop"}],"usage":{"prompt_tokens":1,"completion_tokens":1}}`, text)
	}))
	t.Cleanup(server.Close)
	requests := 0
	set := trialSetup(t, s, "", &requests)
	set.Model.At, set.Settings.Style = server.URL, styleOf[x.step]
	line, steps := fillTraced(t, set, writeDoc(t, x.doc, d.text))
	require.Len(t, asks, len(to), "%s: replies that nothing asked for", name)
	sum.count(x, steps)
	return sum.judge(t, s, d, name, &line)
}

// judge counts what is right in a record.
func (h *heard) judge(t *testing.T, s *schema.Schema, d *trialDoc, name string, line *record.Line) (notes []string) {
	gold, err := value.Parse(strings.TrimSpace(d.gold))
	require.NoError(t, err, name)
	problem := map[value.Pointer]string{}
	for _, p := range line.Problems {
		problem[p.Path] = string(p.Code()) + ": " + p.Message()
		if p.Path == "" {
			notes = append(notes, name+" "+problem[p.Path])
		}
	}
	h.docs++
	filled := line.Record
	score.Walk(s, &gold, &filled, score.Visitor{Paths: true, Leaf: func(l score.Leaf) {
		why := problem[l.FilledPath]
		switch l.Outcome {
		case score.Right:
			h.right++
			if why != "" {
				h.alarmed++
				notes = append(notes, fmt.Sprintf("%s %s right %s: %s", name, l.FilledPath, l.Filled, why))
			}
			return
		case score.Wrong:
			h.wrong++
		case score.Missed:
			h.missed++
			notes = append(notes, fmt.Sprintf("%s %s%s missed %s %s", name, l.GoldPath, l.FilledPath, l.Gold, why))
			return
		case score.Extra:
			h.extra++
		default:
			return
		}
		if why != "" {
			h.told++
			return
		}
		notes = append(notes, fmt.Sprintf("%s %s %s is %s, not told", name, l.FilledPath, l.Filled, l.Gold))
	}})
	return notes
}

// count tallies the forms of replies by the steps that read them.
func (h *heard) count(x said, steps trace.Steps) {
	if h.forms == nil {
		h.forms = map[string]int{}
	}
	for _, text := range x.replies {
		h.replies++
		trimmed := strings.TrimSpace(text)
		switch {
		case strings.Contains(text, "<think") || x.voice == "reasoning" && !strings.HasPrefix(trimmed, "{") && !strings.HasPrefix(trimmed, "```"):
			h.thought++
		case strings.Contains(text, "```"):
			h.fenced++
		case !strings.HasPrefix(trimmed, "{") && x.step != "fields":
			h.chatter++
		default:
			h.strictly++
		}
	}
	kinds := map[string]bool{}
	for _, step := range steps {
		switch step := step.(type) {
		case *trace.Lenient:
			kinds[step.Kind] = true
		case *trace.Unused:
			if !step.Chatter {
				h.unread = append(h.unread, fmt.Sprintf("%s %s %s %s: %q %s", x.trade, x.doc, x.voice, x.step, step.Text, step.Reason))
			}
		}
	}
	for kind := range kinds {
		h.forms[kind]++
	}
}

// floor is the least F1 of each voice and step, as they were when the replies were
// written: what was read then is not lost again.
var floor = map[string]float64{
	"careful record": 0.99, "careful fields": 0.99, "careful groups": 0.99, "careful pointers": 0.85,
	"reasoning record": 0.99, "reasoning fields": 0.99, "reasoning groups": 0.99,
	"small record": 0.86, "small fields": 0.86, "small groups": 0.92,
}

// What three voices wrote over all documents, put through everything that follows
// a reply.
func TestVoices(t *testing.T) {
	docs, schemas := map[string]map[string]*trialDoc{}, map[string]*schema.Schema{}
	sums, forms := map[string]*heard{}, map[string]int{}
	corrections := map[string]string{}
	all := allSaid(t)
	for _, x := range all {
		if x.step == "corrections" {
			corrections[x.trade+x.doc+x.voice] = x.replies[0]
		}
	}
	replies := len(corrections)
	for _, x := range all {
		if x.step == "corrections" {
			continue
		}
		if docs[x.trade] == nil {
			schemas[x.trade], docs[x.trade] = trial(t, x.trade)
		}
		d := docs[x.trade][x.doc]
		require.NotNil(t, d, "%s %s", x.trade, x.doc)
		key := x.voice + " " + x.step
		if sums[key] == nil {
			sums[key] = &heard{}
		}
		for _, note := range hear(t, schemas[x.trade], d, x, corrections[x.trade+x.doc+x.voice], sums[key]) {
			t.Log("  " + note)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(sums)) {
		h := sums[key]
		replies += h.replies
		t.Logf("%s: %d replies, %d documents; right %d wrong %d missed %d extra %d, F1 %.3f; right values with a problem %d; wrong or extra ones told %d of %d", key, h.replies, h.docs, h.right, h.wrong, h.missed, h.extra, h.f1(), h.alarmed, h.told, h.wrong+h.extra)
		for _, u := range h.unread {
			t.Log("  unread " + u)
		}
		for kind, n := range h.forms {
			forms[kind] += n
		}
		assert.LessOrEqual(t, h.alarmed*50, h.right, "%s: right values with a problem", key)
		assert.GreaterOrEqual(t, h.f1(), floor[key], key)
	}
	assert.GreaterOrEqual(t, replies, 240)
	for _, kind := range slices.Sorted(maps.Keys(forms)) {
		t.Logf("form %s: %d", kind, forms[kind])
	}
	for _, form := range []string{"thought", "fenced", "chatter", "strictly"} {
		n := 0
		for _, h := range sums {
			n += map[string]int{"thought": h.thought, "fenced": h.fenced, "chatter": h.chatter, "strictly": h.strictly}[form]
		}
		t.Logf("form %s: %d replies", form, n)
	}
	t.Logf("%d replies", replies)
}
