package fill

import (
	"bytes"
	"context"
	"errors"
	"strings"

	"filler/internal/ask/outline"
	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// Lesson is a request with the answer that it should get: an example to tune a model
// with.
type Lesson struct {
	Planned
	Answer string
}

// The reasons why a document gives no lessons.
var (
	ErrLong    = errors.New("it takes several requests: what each should answer is not known")
	ErrPointer = errors.New("style by-pointer answers by ids, which gold has not")
)

// Lessons gives the requests with which a document is first asked about, each with the
// answer that its reviewed record says, and the text that is shown. Nothing is sent.
func Lessons(ctx context.Context, s Setup, source document.Source, shape string, gold *value.Value) ([]Lesson, string, error) {
	if s.Model.Shape != "auto" && s.Model.Shape != "" {
		shape = s.Model.Shape
	}
	f := &Filler{Schema: s.Schema, Models: []*Model{{Model: s.Model, shape: shape}}, Reader: s.Reader, Settings: s.Settings, Stdin: s.Stdin}
	var err error
	if f.parts, err = partsOf(s.Schema, s.Settings.Style); err != nil {
		return nil, "", err
	}
	d, err := f.read(ctx, store.Task{Document: source.ID, File: source.File, Text: textOf(source)})
	if err != nil {
		return nil, "", err
	}
	a := f.asker(f.First(), d)
	if a.pages, err = f.pictures(ctx, d, source.File); err != nil {
		return nil, "", err
	}
	pieces, err := a.plan()
	if err != nil {
		return nil, "", err
	}
	places := evidence.Of(s.Schema, gold, evidence.NewIndex(d.Text))
	whole := inReplyForm(s.Schema.Root, "", gold, places, d.Text)
	var all []Lesson
	for _, x := range pieces {
		switch {
		case x.chunk != nil:
			return nil, d.Text, ErrLong
		case x.style == prompt.ByPointer:
			return nil, d.Text, ErrPointer
		}
		answer := answered(x.schema.Root, &whole)
		said := string(answer.JSON())
		if s.Schema.EachEntry() {
			wrapped := value.Obj(answer.Named(schema.Wrapper))
			said = string(wrapped.JSON())
		}
		if x.style == prompt.ByField {
			said = inLines(x.schema, &answer)
		}
		all = append(all, Lesson{Planned{x.step, a.ask(x.part, nil).Request()}, said})
	}
	return all, d.Text, nil
}

// answered gives a record with all fields of a schema, null or empty where it has
// none.
func answered(f *schema.Field, v *value.Value) value.Value {
	switch f.Type {
	case schema.Group:
		out := value.Obj()
		for _, kid := range f.Fields {
			own := answered(kid, v.Get(kid.Name))
			out.Kids = append(out.Kids, own.Named(kid.Name))
		}
		return out
	case schema.List:
		out := value.List()
		if v != nil && v.Kind == value.Array {
			for i := range v.Kids {
				out.Kids = append(out.Kids, answered(f.Item, &v.Kids[i]))
			}
		}
		return out
	}
	if v == nil {
		if f.Basis {
			return value.Obj(value.Value{}.Named("value"), value.Value{}.Named("basis"))
		}
		return value.Value{}
	}
	return v.Clone().Named("")
}

// inLines gives the answer to questions: the value alone, or a line for each field.
func inLines(s *schema.Schema, answer *value.Value) string {
	leaves := s.Leaves()
	var lines []string
	for _, f := range leaves {
		v := answer
		for _, name := range strings.Split(f.Path, ".") {
			v = v.Get(name)
		}
		said := outline.NotStated
		if v != nil && !v.Empty() {
			said = v.Text
			if len(v.Kids) > 0 {
				bare := v.Named("")
				said = string(bare.JSON())
			}
		}
		if len(leaves) > 1 {
			said = f.Path + ": " + said
		}
		lines = append(lines, said)
	}
	return strings.Join(lines, "\n")
}

// Messages gives the messages of a lesson as the protocol has them, the answer last.
func (l *Lesson) Messages() ([]byte, error) {
	body, err := value.ParseBytes(l.Body())
	if err != nil {
		return nil, err
	}
	messages := body.Get("messages").Clone()
	messages.Kids = append(messages.Kids, value.Obj(value.Str("assistant").Named("role"), value.Str(l.Answer).Named("content")))
	line := value.Obj(messages.Named("messages"))
	return bytes.TrimSpace(line.JSON()), nil
}
