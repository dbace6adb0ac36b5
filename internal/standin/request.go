package standin

import (
	"encoding/base64"
	"encoding/json"
	"regexp"
	"strconv"
	"strings"

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

// task is what the stand-in makes of a request.
type task struct {
	schema   *schema.Schema
	wire     *value.Value // the schema of the reply's form, if one was sent
	document string
	rest     string // what stands behind the document
	repair   bool
	update   bool // a record is to be brought up to date
	short    bool // one value is asked for, alone
	pointing bool // values are asked for by the ids of their words
	seeing   bool // values are asked for with their places on pictures
	pages    []*document.Document
	lines    [][2]string // the ids of the document's lines, and what they say
}

func readTask(r *request) *task {
	text := r.text()
	t := &task{}
	before := text
	before, t.document, t.rest = findDocument(text)
	t.repair = strings.Contains(t.rest, "JSON Patch")
	t.update = t.repair && strings.Contains(t.rest, `"quote": `)
	t.repair = t.repair && !t.update
	t.pointing = !t.update && strings.Contains(before, "is the id of what holds it") && !t.repair
	if t.pointing {
		for _, m := range lineStart.FindAllStringSubmatch(t.document, -1) {
			t.lines = append(t.lines, [2]string{m[1], m[2]})
		}
		t.pointing = len(t.lines) > 0
	}
	t.document = withoutIDs(t.document)
	if strings.Contains(text, "The pictures are its pages") && !strings.Contains(text, "stands between the two lines") {
		t.document = "" // nothing but pictures
		_, before, _ = strings.Cut(text, "# Fields")
		t.repair = t.repair || strings.Contains(text, "JSON Patch")
		t.rest = text
		t.seeing = strings.Contains(text, `"page": …, "box": [`)
	}
	if wire := r.wire(); wire != nil {
		if v, err := value.ParseBytes(wire); err == nil {
			t.wire = &v
		}
	}
	root := readOutline(before)
	if len(root.Fields) == 0 {
		root = readOutline(t.rest)
		t.short = strings.Contains(t.rest, "# Field\n") && len((&schema.Schema{Root: root}).Leaves()) == 1
	}
	if t.wire != nil {
		if len(root.Fields) == 0 {
			root = fromWire(unwrapRecords(t.wire))
		}
		t.schema = &schema.Schema{Root: root}
		if isWrapped(t.wire) {
			t.schema.Root = &schema.Field{Type: schema.List, Item: root}
		}
		return t
	}
	t.schema = &schema.Schema{Root: root}
	if t.update && strings.Contains(t.rest, "# Records so far, each") || strings.Contains(t.rest, `{"`+schema.Wrapper+`": [`) || strings.Contains(t.rest, `list "`+schema.Wrapper+`"`) || strings.Contains(before, "one record for each") {
		t.schema.Root = &schema.Field{Type: schema.List, Item: root}
	}
	return t
}

var markLine = regexp.MustCompile("(?m)^([=~#*<>`_-]{3,}[^\\s]{0,40})$")

// findDocument gives what stands between two lines that are the same mark: the
// longest such stretch behind the last heading that says document, since solved
// examples may stand before it and other marks in it; without such lines the
// whole text is the document.
func findDocument(text string) (before, document, after string) {
	from := 0
	if at := documentHead.FindStringIndex(text); at != nil {
		from = at[0]
	}
	best := -1
	for _, m := range markLine.FindAllStringSubmatchIndex(text[from:], 200) {
		mark := text[from+m[2] : from+m[3]]
		rest := text[from+m[1]:]
		if i := strings.Index(rest, "\n"+mark+"\n"); i > best {
			best = i
			before, document, after = text[:from+m[0]], strings.TrimPrefix(rest[:i], "\n"), rest[i+len(mark)+2:]
		}
	}
	if best < 0 {
		return text, text, ""
	}
	return before, document, after
}

// documentHead is the heading before a document. The first counts: what follows
// it may well hold another.
var documentHead = regexp.MustCompile(`(?m)^# Document$`)

var lineID = regexp.MustCompile(`^L?[0-9]{1,6}[:.]? (?:\[[0-9, .-]+\] )?`)

// withoutIDs takes the ids and places off the lines of a document, if most of
// its lines have them.
func withoutIDs(document string) string {
	lines := strings.Split(document, "\n")
	with := 0
	for _, l := range lines {
		if strings.HasPrefix(l, "L") && lineID.MatchString(l) {
			with++
		}
	}
	if with*10 < len(lines)*8 {
		return document
	}
	for i, l := range lines {
		if strings.HasPrefix(l, "L") {
			lines[i] = lineID.ReplaceAllString(l, "")
		}
	}
	return strings.Join(lines, "\n")
}

var outlineLine = regexp.MustCompile(`^( *)- ([A-Za-z][A-Za-z0-9_]*) \((list of [a-z]+|[a-z]+)(, required)?\): ?(.*)$`)

// readOutline reads a list of fields, one a line, indented by level:
//
//	# Fields
//	- bays (list): The bays.
//	  - kind (choice): What is wrong. One of: "rot" (also written "decay"); "rust".
func readOutline(text string) *schema.Field {
	root := &schema.Field{Type: schema.Group}
	stack := []*schema.Field{root}
	for _, l := range strings.Split(text, "\n") {
		m := outlineLine.FindStringSubmatch(l)
		if m == nil {
			continue
		}
		level := len(m[1]) / 2
		if level >= len(stack) {
			level = len(stack) - 1
		}
		f := newField(m[2], m[3], m[5])
		f.Required = m[4] != ""
		stack = append(stack[:level+1], attach(stack[level], f))
	}
	return root
}

// attach puts a field below its parent and gives the group that its own
// fields go to.
func attach(parent, f *schema.Field) *schema.Field {
	f.Path = f.Name
	if parent.Path != "" {
		f.Path = parent.Path + "." + f.Name
	}
	parent.Fields = append(parent.Fields, f)
	if f.Type == schema.List {
		if f.Item == nil {
			f.Item = &schema.Field{Type: schema.Group}
		}
		f.Item.Path = f.Path + "[]"
		return f.Item
	}
	return f
}

var (
	oneOf     = regexp.MustCompile(`One of: (.*?)\.(?: [A-Z]|$)`)
	toldApart = regexp.MustCompile(`Items are told apart by ([^.]*)\.`)
	pivotIs   = regexp.MustCompile(`Years of two digits are those from (\d{4})`)
	printedAs = regexp.MustCompile(`Printed as: (.*?)\.(?: [A-Z]|$)`)
	writtenAs = regexp.MustCompile(`write it as: (.*?)\.(?: [A-Z]|$)`)
	measureIs = regexp.MustCompile(`Its (?:currency|unit) is (\S+?)\.(?: [A-Z]|$)`)
	signsAre  = regexp.MustCompile(`write an? (\w+) before decimals(?: and an? (\w+) between thousands)?`)
	signOf    = map[string]string{"point": ".", "comma": ",", "space": " ", "apostrophe": "'"}
	quotedRun = regexp.MustCompile(`"((?:[^"\\]|\\.)*)"`)
)

func newField(name, kind, says string) *schema.Field {
	f := &schema.Field{Name: name, Type: schema.Type(kind), About: says}
	if item, ok := strings.CutPrefix(kind, "list of "); ok {
		f.Type = schema.List
		f.Item = &schema.Field{Type: schema.Type(item), About: says}
	}
	if m := toldApart.FindStringSubmatch(says); m != nil && f.Type == schema.List {
		f.Key = strings.Split(m[1], " and ")
	}
	f.Basis = strings.Contains(says, `{"value": …, "basis": …}`)
	if m := oneOf.FindStringSubmatch(says); m != nil && f.Type == schema.Choice {
		f.Of = readOptions(m[1])
		f.About = says[:strings.Index(says, "One of: ")]
	}
	if m := measureIs.FindStringSubmatch(says); m != nil {
		f.Currency, f.Unit = m[1], m[1]
	}
	if m := signsAre.FindStringSubmatch(says); m != nil {
		f.Numbers = schema.NumberFormat{Decimal: signOf[m[1]], Group: signOf[m[2]]}
	}
	if m := printedAs.FindStringSubmatch(says); m != nil {
		f.PrintedAs = quotedTexts(m[1])
	}
	if m := writtenAs.FindStringSubmatch(says); m != nil {
		for _, text := range strings.Split(m[1], "; ") {
			if format, err := schema.ParseDateFormat(text); err == nil {
				f.Written = append(f.Written, format)
			}
		}
	}
	if m := pivotIs.FindStringSubmatch(says); m != nil {
		f.Pivot, _ = strconv.Atoi(m[1])
		for i := range f.Written {
			f.Written[i].Pivot = f.Pivot
		}
	}
	return f
}

func readOptions(text string) []schema.Option {
	var options []schema.Option
	for _, part := range strings.Split(text, "; ") {
		all := quotedTexts(part)
		if len(all) > 0 {
			options = append(options, schema.Option{Value: all[0], Also: all[1:]})
		}
	}
	return options
}

func quotedTexts(text string) []string {
	var all []string
	for _, m := range quotedRun.FindAllString(text, -1) {
		if v, err := value.Parse(m); err == nil {
			all = append(all, v.Text)
		}
	}
	return all
}

func isWrapped(wire *value.Value) bool {
	props := wire.Get("properties")
	return props != nil && len(props.Kids) == 1 && props.Kids[0].Name == schema.Wrapper
}

func unwrapRecords(wire *value.Value) *value.Value {
	if isWrapped(wire) {
		return wire.At(value.Pointer("/properties/" + schema.Wrapper + "/items"))
	}
	return wire
}

// fromWire makes fields of the reply's JSON Schema, for prompts without a list
// of fields.
func fromWire(wire *value.Value) *schema.Field {
	root := &schema.Field{Type: schema.Group}
	fieldsFromWire(root, wire)
	return root
}

func fieldsFromWire(parent *schema.Field, object *value.Value) {
	props := object.Get("properties")
	if props == nil {
		return
	}
	for i := range props.Kids {
		p := &props.Kids[i]
		about := ""
		if d := p.Get("description"); d != nil {
			about = d.Text
		}
		kind := wireType(p)
		if items := p.Get("items"); kind == "list" && items != nil && wireType(items) != "group" {
			kind = "list of " + wireType(items)
		}
		f := newField(p.Name, kind, about)
		if of := p.Get("enum"); of != nil {
			f.Type = schema.Choice
			for _, o := range of.Kids {
				if o.Kind == value.String {
					f.Of = append(f.Of, schema.Option{Value: o.Text})
				}
			}
		}
		below := attach(parent, f)
		switch f.Type {
		case schema.Group:
			fieldsFromWire(below, p)
		case schema.List:
			if f.Item.Type == schema.Group {
				fieldsFromWire(below, p.Get("items"))
			}
		}
	}
}

func wireType(p *value.Value) string {
	t := p.Get("type")
	if t == nil {
		return "text"
	}
	name := t.Text
	for _, k := range t.Kids {
		if k.Text != "null" {
			name = k.Text
		}
	}
	switch name {
	case "object":
		switch props := p.Get("properties"); {
		case props == nil:
		case props.Get("amount") != nil && props.Get("currency") != nil:
			return "money"
		case props.Get("amount") != nil && props.Get("unit") != nil:
			return "quantity"
		}
		return "group"
	case "array":
		return "list"
	case "integer", "number", "boolean":
		return name
	}
	if d := p.Get("description"); d != nil && strings.Contains(d.Text, "YYYY-MM-DD") {
		return "date"
	}
	return "text"
}

// fault is one problem that a repair request names.
type fault struct {
	path   value.Pointer
	code   string
	now    *value.Value
	fields []value.Pointer // what a rule speaks of
}

var faultLine = regexp.MustCompile(`(?m)^(\d+)\. (/\S*|the record) \(([a-z-]+)\): (.*)$`)

func readFaults(text string) []fault {
	var all []fault
	for _, m := range faultLine.FindAllStringSubmatch(text, -1) {
		if _, err := strconv.Atoi(m[1]); err != nil {
			continue
		}
		f := fault{path: value.Pointer(m[2]), code: m[3]}
		if _, of, ok := strings.Cut(m[4], " It speaks of "); ok {
			of, _, _ = strings.Cut(of, " Its value now: ")
			for _, p := range strings.Split(of, ", ") {
				f.fields = append(f.fields, value.Pointer(p))
			}
		}
		if m[2] == "the record" && len(f.fields) == 0 {
			continue
		}
		if _, now, ok := strings.Cut(m[4], "Its value now: "); ok {
			if v, err := value.Parse(now); err == nil {
				f.now = &v
			}
		}
		all = append(all, f)
	}
	return all
}

// readRecord gives the record that a repair request shows, or nil.
func readRecord(text string) *value.Value {
	_, rest, ok := strings.Cut(text, "# Record so far\n")
	if !ok {
		return nil
	}
	line, _, _ := strings.Cut(rest, "\n")
	v, err := value.Parse(line)
	if err != nil {
		return nil
	}
	return &v
}
