package fill

import (
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/outline"
	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// inWords gives a value as a line of a reply has it.
func inWords(f *schema.Field, v *value.Value) string {
	switch {
	case v == nil || v.Kind == value.Null:
		return "not stated"
	case v.Kind == value.Object:
		name, _ := f.Measure()
		return v.Get("amount").Text + " " + v.Get(name).Text
	}
	return v.Text
}

// pointTo gives the id of the words in a place: L3.2-4, or several of them.
func pointTo(doc string, at evidence.Place) string {
	var parts []string
	begin := 0
	for n, line := range strings.Split(doc, "\n") {
		start := begin
		begin += len(line) + 1
		first, last, word, in := 0, 0, 0, false
		for i := range len(line) {
			blank := line[i] == ' ' || line[i] == '\t'
			if !blank && !in {
				word++
			}
			if in = !blank; in && start+i >= at.Start && start+i < at.End {
				if last = word; first == 0 {
					first = word
				}
			}
		}
		switch {
		case first == 0:
		case first == last:
			parts = append(parts, fmt.Sprintf("L%d.%d", n+1, first))
		default:
			parts = append(parts, fmt.Sprintf("L%d.%d-%d", n+1, first, last))
		}
	}
	return strings.Join(parts, "+")
}

// changed gives a record with each value that has a place in the document changed.
func changed(s *schema.Schema, right *value.Value, places evidence.Places, to func(f *schema.Field, at evidence.Place) string) value.Value {
	out := right.Clone()
	for p, at := range places {
		if f := s.At(p); at.Found() && at.Kind != evidence.Inferred && f.Type != schema.Boolean && f.Type != schema.Choice {
			out.Put(p, value.Str(to(f, at)))
		}
	}
	return out
}

// ownWords fills a document by a model that says what is right in the way that a style
// asks for, and corrects nothing.
func (d *tradeDoc) ownWords(t *testing.T, style string, whole value.Value) value.Value {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		var body struct{ Messages []struct{ Content string } }
		_ = json.Unmarshal(raw, &body)
		asked := ""
		for _, m := range body.Messages {
			asked += m.Content + "\n"
		}
		fields := outline.Read(asked, nil)
		reply, inLines := "", outline.Has(asked, outline.InLines+"\n")
		switch {
		case outline.Has(asked, outline.Problems+"\n"):
			reply = `{"corrections":[]}`
		case inLines || outline.Has(asked, outline.OneField+"\n"):
			for _, l := range (&schema.Schema{Root: fields}).Leaves() {
				if inLines {
					reply += l.Path + ": "
				}
				reply += inWords(d.schema.Find(l.Path), d.right.At(value.Pointer("/"+strings.ReplaceAll(l.Path, ".", "/")))) + "\n"
			}
		default:
			part := value.Obj()
			for _, f := range fields.Fields {
				if v := whole.Get(f.Name); v != nil {
					part.Kids = append(part.Kids, v.Clone().Named(f.Name))
				}
			}
			reply = part.String()
		}
		text, _ := json.Marshal(reply)
		fmt.Fprintf(w, `{"choices":[{"message":{"content":%s},"finish_reason":"stop"}],"usage":{"prompt_tokens":1,"completion_tokens":1}}`, text)
	}))
	defer server.Close()
	setup := (&careless{}).setup(t, d.schema)
	setup.Model.At, setup.Settings.Style = server.URL, style
	line, _ := fillTraced(t, setup, d.file)
	return line.Record
}

// What a model says right comes out right in whichever style it is asked, and where it
// says in the document's own words what the schema wants as data.
func TestRightInEachStyle(t *testing.T) {
	ways := []struct {
		name, style string
		least       int // of a hundred values
	}{{"groups", prompt.ByGroup, 99}, {"fields", prompt.ByField, 98}, {"pointers", prompt.ByPointer, 92}, {"words", prompt.Record, 93}}
	all, right := map[string]int{}, map[string]int{}
	for _, d := range tradeDocs(t, some()) {
		text, err := os.ReadFile(d.file)
		require.NoError(t, err)
		places := evidence.Of(d.schema, &d.right, evidence.NewIndex(string(text)))
		for _, way := range ways {
			whole := d.right
			switch way.name {
			case "pointers":
				whole = changed(d.schema, &d.right, places, func(_ *schema.Field, at evidence.Place) string { return pointTo(string(text), at) })
			case "words":
				whole = changed(d.schema, &d.right, places, func(_ *schema.Field, at evidence.Place) string { return string(text[at.Start:at.End]) })
			}
			got := d.ownWords(t, way.style, whole)
			d.right.Walk(func(p value.Pointer, v *value.Value) bool {
				f := d.schema.At(p)
				if f == nil || !f.IsLeaf() || f.Type == schema.List || v.Kind == value.Null {
					return true
				}
				if all[way.name]++; got.At(p) != nil && value.Equal(got.At(p), v) {
					right[way.name]++
				} else if testing.Verbose() {
					t.Logf("%s %s %s: %s, not %s", way.name, d.name, p, got.At(p), v)
				}
				return false
			})
		}
	}
	t.Logf("right of %v: %v", all, right)
	for _, way := range ways {
		assert.GreaterOrEqual(t, right[way.name]*100, all[way.name]*way.least, way.name)
	}
}
