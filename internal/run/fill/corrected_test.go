package fill

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/outline"
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// corrections answers a request for corrections as a reader does who sees his
// slips once they are pointed at: for each value that a problem names, what the
// document says and the line that says it. What he is not asked about he leaves.
func corrections(s *schema.Schema, d *trialDoc, prompt string) string {
	gold, err := value.Parse(strings.TrimSpace(d.gold))
	if err != nil {
		return `{"corrections": []}`
	}
	places := evidence.Of(s, &gold, evidence.NewIndex(d.text))
	all := value.List()
	done := map[value.Pointer]bool{}
	for _, p := range outline.ReadProblems(prompt) {
		for _, at := range append([]value.Pointer{p.Path}, p.Fields...) {
			f, want := s.At(at), gold.At(at)
			if done[at] || f == nil || !f.IsLeaf() || want == nil {
				continue
			}
			done[at] = true
			c := value.Obj(value.Str(string(at)).Named("at"), want.Clone().Named("value"))
			if place := places[at]; place.Found() {
				start := strings.LastIndexByte(d.text[:place.Start], '\n') + 1
				end := place.End + strings.IndexByte(d.text[place.End:]+"\n", '\n')
				c.Kids = append(c.Kids, value.Str(d.text[start:end]).Named("quote"))
			}
			all.Kids = append(all.Kids, c)
		}
	}
	out := value.Obj(all.Named("corrections"))
	return out.String()
}

// correcting fills one document by a reply, with the corrections that repair asks
// for, and tells how many of the reply's values were right, and of the record's.
func correcting(t *testing.T, s *schema.Schema, id string, d *trialDoc, reply string) (of, before, after, spoilt int) {
	requests := 0
	set := trialSetup(t, s, reply, &requests)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var body struct{ Messages []struct{ Content string } }
		raw, _ := io.ReadAll(r.Body)
		_ = json.Unmarshal(raw, &body)
		answer := strings.TrimSpace(reply)
		if asked := body.Messages[len(body.Messages)-1].Content; outline.Has(asked, outline.Problems) {
			answer = corrections(s, d, asked)
		}
		text, _ := json.Marshal(answer)
		fmt.Fprintf(w, `{"choices":[{"message":{"content":%s},"finish_reason":"stop"}],"usage":{"prompt_tokens":1,"completion_tokens":1}}`, text)
	}))
	t.Cleanup(server.Close)
	set.Model.At = server.URL
	line, _ := fillOne(t, set, writeDoc(t, id, d.text))
	came, err := value.Parse(strings.TrimSpace(reply))
	require.NoError(t, err)
	gold, err := value.Parse(strings.TrimSpace(d.gold))
	require.NoError(t, err)
	eachLeaf(s.Root, "", &gold, func(f *schema.Field, p value.Pointer, want *value.Value) {
		if want.Empty() {
			return
		}
		was, is := came.At(p), line.Record.At(p)
		wasRight, isRight := was != nil && pair.Right(f, want, was), is != nil && pair.Right(f, want, is)
		of++
		switch {
		case wasRight:
			before++
			if !isRight {
				spoilt++
			}
		case !isRight:
			t.Logf("%s %s %v is %v after repair", id, p, was, is)
		}
		if isRight {
			after++
		}
	})
	return of, before, after, spoilt
}

// What a reader puts right who is told what is wrong is let in: of the careless
// one's values, of all that the gold holds, at least 15 points more are right in
// the end than in the reply, and none that was right is lost.
func TestCorrectionsComeThrough(t *testing.T) {
	var of, before, after, spoilt int
	for _, name := range []string{"clocks", "trees", "wells", "props", "hires"} {
		s, docs := trial(t, name)
		for id, d := range docs {
			o, b, a, lost := correcting(t, s, id, d, d.small)
			of, before, after, spoilt = of+o, before+b, after+a, spoilt+lost
		}
	}
	t.Logf("of %d values %d were right in the reply, %d are in the end", of, before, after)
	assert.Zero(t, spoilt)
	assert.GreaterOrEqual(t, (after-before)*100, 15*of)
}
