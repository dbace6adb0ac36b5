package prompt

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"text/template"

	"filler/internal/ask/outline"
	"filler/internal/base/lazy"
	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Template is the project's own words in place of ours: a Go text/template
// whose result is what the user says. Where it defines "system", that is what
// the system says.
type Template struct {
	Source string // as written
	tmpl   *template.Template
}

// TemplateData is what a template can use. Every field is text that is ready
// to stand in a prompt.
type TemplateData struct {
	Schema       string // the schema's name
	About        string // what a record is about
	Entries      bool   // whether the document holds any number of records
	Fields       string // the fields asked for, one a line, with all that the schema says of them
	Values       string // how to write values and unknowns
	Examples     string // solved snippets and documents, fenced; "" without any
	Instructions string // the project's instructions
	Document     string // the document, or its part, fenced, with the word that it is data
	Answer       string // how to answer, with the form where no schema goes along
	Chunk        int    // the part of a long document, from 1
	Chunks       int    // how many parts there are; 1 for one sent whole
}

// templateData gathers what a template can use.
func templateData(s *schema.Schema, a Ask, doc, closing string) TemplateData {
	d := TemplateData{Schema: s.Name, About: s.About, Entries: s.EachEntry(), Fields: outline.Write(s, valuesOf(a.how()), false), Values: howTo(s, false), Document: doc, Answer: closing,
		Examples: strings.TrimSpace(examples(s) + solved(s, a.Set, a.how())), Instructions: strings.TrimSpace(a.Set.Instructions), Chunk: 1, Chunks: 1}
	switch a.Style {
	case ByPointer:
		d.Values = howToPoint(false)
	case ByField:
		d.Values = howToOne(s)
	}
	if a.seen() {
		d.Values += howToSee
	}
	if a.Chunk != nil {
		d.Chunk, d.Chunks = a.Chunk.N, a.Chunk.Of
	}
	return d
}

// ParseTemplate reads a template and tries it out on sample data, so that what
// is wrong with it shows before anything is sent. Its errors are place.Faults.
func ParseTemplate(file, source string) (*Template, error) {
	fault := func(line, col int, msg, hint string) error {
		return place.Faults{{File: file, Line: line, Col: col, Msg: msg, Hint: hint}}
	}
	tmpl, err := template.New("T").Option("missingkey=error").Parse(source)
	if err != nil {
		line, col, msg := templateError(err)
		return nil, fault(line, col, msg, "`filler help asking` shows a whole template")
	}
	t := &Template{Source: source, tmpl: tmpl}
	marks := TemplateData{Fields: "\x01fields\x01", Document: "\x01document\x01", Answer: "\x01answer\x01", Values: "v", Chunk: 1, Chunks: 1}
	system, user, err := t.try(marks)
	if err != nil {
		line, col, msg := templateError(err)
		return nil, fault(line, col, msg, "a template may use "+strings.Join(templateFields, ", "))
	}
	for _, other := range samples(marks) { // branches that the first sample does not take
		if _, _, err := t.try(other); err != nil {
			line, col, msg := templateError(err)
			return nil, fault(line, col, msg, "this fails for some documents; a template may use "+strings.Join(templateFields, ", "))
		}
	}
	for _, need := range []struct{ mark, name string }{{marks.Document, ".Document"}, {marks.Answer, ".Answer"}, {marks.Fields, ".Fields"}} {
		if !strings.Contains(system+user, need.mark) {
			return nil, fault(1, 1, "the template does not use "+need.name, "add {{"+need.name+"}}")
		}
	}
	if !strings.Contains(user, marks.Document) {
		return nil, fault(1, 1, "{{.Document}} stands in \"system\"", "move it out, so that what is the same for all documents stays the same")
	}
	return t, nil
}

var templateFields = []string{".Schema", ".About", ".Entries", ".Fields", ".Values", ".Examples", ".Instructions", ".Document", ".Answer", ".Chunk", ".Chunks"}

var templatePlace = lazy.New(`^template: T:(\d+)(?::(\d+))?: (?:executing "[^"]*" at <[^>]*>: )?(.*)$`)

// templateError takes the place out of a template's error.
func templateError(err error) (line, col int, msg string) {
	var exec template.ExecError
	if errors.As(err, &exec) {
		err = exec.Err
	}
	m := templatePlace.FindStringSubmatch(strings.ReplaceAll(err.Error(), "\n", " "))
	if m == nil {
		return 1, 1, err.Error()
	}
	line, _ = strconv.Atoi(m[1])
	col, _ = strconv.Atoi(m[2])
	msg = m[3]
	if field := regexp.MustCompile(`can't evaluate field (\w+)`).FindStringSubmatch(msg); field != nil {
		msg = "there is no ." + field[1]
	}
	return line, col + 1, msg // the package counts columns from 0
}

func (t *Template) try(d TemplateData) (system, user string, err error) {
	var b strings.Builder
	if t.tmpl.Lookup("system") != nil {
		if err := t.tmpl.ExecuteTemplate(&b, "system", d); err != nil {
			return "", "", err
		}
		system = b.String()
		b.Reset()
	}
	err = t.tmpl.Execute(&b, d)
	return system, b.String(), err
}

// samples are data of other kinds: a part of a long document, entries, notes and
// examples, and nothing at all.
func samples(first TemplateData) []TemplateData {
	long := TemplateData{Schema: "s", About: "a", Entries: true, Fields: first.Fields, Values: "v", Examples: "e", Instructions: "n", Document: first.Document, Answer: first.Answer, Chunk: 7, Chunks: 9}
	last := long
	last.Chunk, last.Entries = 9, false
	return []TemplateData{long, last, {Chunk: 1, Chunks: 1}}
}

// Solved is a document that is shown with its record.
type Solved struct {
	Document string // its id
	Text     string // as it is shown
	Record   string // JSON, as the model should answer
}

// solved gives the solved documents, each fenced as data. A reply that points
// has other answers, so that it is shown none.
func solved(s *schema.Schema, set Settings, style string) string {
	if len(set.Solved) == 0 || style == ByPointer || style == ByField || style == onPages {
		return ""
	}
	var b strings.Builder
	b.WriteString("\n# Solved documents\n")
	for _, e := range set.Solved {
		mark := outline.Fence(e.Text)
		fmt.Fprintf(&b, "From\n%s\n%s\n%s\ncomes:\n%s\n", mark, strings.TrimSuffix(e.Text, "\n"), mark, partOf(s, e.Record))
	}
	return b.String()
}

// partOf gives what a record says of the fields asked for.
func partOf(s *schema.Schema, record string) string {
	v, err := value.Parse(record)
	if err != nil {
		return record
	}
	out := narrowed(s.Root, &v)
	if s.EachEntry() {
		out = value.Obj(out.Named(schema.Wrapper))
	}
	return string(out.JSON())
}

func narrowed(f *schema.Field, v *value.Value) value.Value {
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		out := value.Obj()
		for _, kid := range f.Fields {
			if at := v.Get(kid.Name); at != nil {
				got := narrowed(kid, at)
				out.Kids = append(out.Kids, got.Named(kid.Name))
			}
		}
		return out
	case f.Type == schema.List && v.Kind == value.Array:
		out := value.List()
		for i := range v.Kids {
			got := narrowed(f.Item, &v.Kids[i])
			out.Kids = append(out.Kids, got)
		}
		return out
	}
	return v.Clone().Named("")
}
