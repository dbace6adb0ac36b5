package standin

import (
	"encoding/base64"
	"encoding/json"
	"strconv"
	"strings"

	"filler/internal/ask/outline"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// request is the part of a chat-completions request that the stand-in reads.
type request struct {
	Model    string `json:"model"`
	Messages []struct {
		Role    string          `json:"role"`
		Content json.RawMessage `json:"content"`
	} `json:"messages"`
	MaxTokens int    `json:"max_tokens"`
	Seed      *int64 `json:"seed"`
	Stream    bool   `json:"stream"`
	Format    *struct {
		Type   string `json:"type"`
		Schema struct {
			Schema json.RawMessage `json:"schema"`
		} `json:"json_schema"`
	} `json:"response_format"`
	Tools []struct {
		Function struct {
			Name       string          `json:"name"`
			Parameters json.RawMessage `json:"parameters"`
		} `json:"function"`
	} `json:"tools"`
}

// shape gives how the request holds the form of the reply.
func (r *request) shape() string {
	switch {
	case len(r.Tools) > 0:
		return "tool"
	case r.Format != nil && r.Format.Type == "json_schema":
		return "schema"
	case r.Format != nil && r.Format.Type == "json_object":
		return "object"
	}
	return "plain"
}

// wire gives the schema that came along, or nil.
func (r *request) wire() json.RawMessage {
	switch r.shape() {
	case "tool":
		return r.Tools[0].Function.Parameters
	case "schema":
		return r.Format.Schema.Schema
	}
	return nil
}

// text gives all that the messages say, in order.
func (r *request) text() string {
	var b strings.Builder
	for _, m := range r.Messages {
		var s string
		if json.Unmarshal(m.Content, &s) == nil {
			b.WriteString(s)
		} else {
			var parts []struct {
				Text string `json:"text"`
			}
			if json.Unmarshal(m.Content, &parts) == nil {
				for _, p := range parts {
					b.WriteString(p.Text)
				}
			}
		}
		b.WriteString("\n")
	}
	return b.String()
}

// pictures gives the pictures of the messages. Only those that come along are
// looked at, none that lie elsewhere.
func (r *request) pictures() (found [][]byte) {
	for _, m := range r.Messages {
		var parts []struct {
			Image struct {
				URL string `json:"url"`
			} `json:"image_url"`
		}
		if json.Unmarshal(m.Content, &parts) != nil {
			continue
		}
		for _, p := range parts {
			if _, data, ok := strings.Cut(p.Image.URL, ";base64,"); ok && strings.HasPrefix(p.Image.URL, "data:image/") {
				if picture, err := base64.StdEncoding.DecodeString(data); err == nil {
					found = append(found, picture)
				}
			}
		}
	}
	return found
}

// task is what the stand-in makes of a request: the parts that ask/outline
// writes and reads, and no sentence besides.
type task struct {
	schema   *schema.Schema
	typed    bool // a schema was sent, which the reply must fit
	document string
	form     outline.Form
	repair   []outline.Problem // problems to correct; nil where none are named
	update   bool              // a record is to be brought up to date
	now      *outline.Placed   // the record so far, to be repaired or updated
	entries  []outline.Placed  // or the records so far
	again    string            // the fields of lines that are asked about once more
	refused  int               // lines on what was not taken of the answer before
	short    bool              // one value is asked for, alone
	inLines  bool              // a line is asked for each field
	pages    []*document.Document
	lines    []outline.Line // of a document that is shown with ids
}

func readTask(r *request, pictures bool) *task {
	text := r.text()
	t := &task{}
	before, doc, rest, fenced := outline.FindDocument(text)
	if t.document = doc; pictures && !fenced {
		t.document, before, rest = "", text, text // nothing but pictures
	}
	var wire *value.Value
	if w := r.wire(); w != nil {
		if v, err := value.ParseBytes(w); err == nil {
			wire, t.typed = &v, true
		}
	}
	root := outline.Read(before, wire)
	if len(root.Fields) == 0 {
		root = outline.Read(rest, wire)
		t.inLines = outline.Has(rest, outline.InLines+"\n")
		t.short = outline.Has(rest, outline.OneField+"\n") && len((&schema.Schema{Root: root}).Leaves()) == 1
	}
	if wire != nil && len(root.Fields) == 0 {
		root = outline.FromWire(wire)
	}
	outline.ReadCandidates(rest, root)
	t.form = outline.ReadForm(root, wire, before+"\n"+rest)
	t.lines, t.document = outline.ReadLines(t.document)
	if t.form.Values == outline.IDs && len(t.lines) == 0 {
		t.form.Values = outline.Plain
	}
	t.asked(rest)
	t.schema = &schema.Schema{Root: root}
	if t.form.Records {
		t.schema.Root = &schema.Field{Type: schema.List, Item: root}
	}
	return t
}

// asked reads what is asked about a record that is there already.
func (t *task) asked(rest string) {
	if time, fields := outline.ReadAgain(rest); time == 1 {
		t.again = "again "
	} else if time > 1 {
		t.again = "again " + strings.Join(fields, ", ")
	}
	t.entries = outline.ReadRecords(rest)
	t.now = outline.ReadRecord(rest)
	if _, why, ok := strings.Cut("\n"+rest, "\n"+outline.NotTaken+"\n"); ok {
		t.refused = strings.Count(why, "\n")
	}
	if outline.Has(rest, outline.Problems+"\n") {
		t.repair = append([]outline.Problem{}, outline.ReadProblems(rest)...)
		first := ""
		for _, p := range t.repair {
			first, _, _ = strings.Cut(strings.TrimPrefix(string(p.Path), "/"), "/")
		}
		_, err := strconv.Atoi(first)
		t.form.Records = err == nil // fields have no numbers for names
		return
	}
	t.update = t.now != nil || t.entries != nil || outline.Has(rest, outline.RecordsSoFar)
	t.form.Records = t.form.Records || outline.Has(rest, outline.RecordsSoFar)
}
