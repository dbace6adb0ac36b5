package fill

import (
	"bytes"
	"context"
	"errors"
	"strings"

	"filler/internal/ask/outline"
	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// Lesson is a request with the answer that it should get: an example to tune a model
// with.
type Lesson struct {
	Planned
	Answer   string
	Unrested int // values that should say what they rest on, of which gold does not tell it
}

// LeftOut is why a document gives no lessons.
type LeftOut string

func (why LeftOut) Error() string { return string(why) }

// The reasons.
const (
	leftLong     LeftOut = "it takes several requests: what each should answer is not known"
	leftSpelling LeftOut = "a sensitive value stands otherwise in the text than in the record"
	leftPicture  LeftOut = "its pages go along as pictures, in which nothing can be replaced"
	leftChanged  LeftOut = "it has changed since its review"
)

// ErrPointer says that no document can give lessons.
var ErrPointer = errors.New("style by-pointer answers by ids, which gold has not")

// Teaching is how lessons are made.
type Teaching struct {
	Setup  Setup
	Shape  string      // of the request, where the model's is auto
	Hidden *Pseudonyms // nil: documents are shown as they are
}

// Lessons gives the requests with which a document is first asked about, each with the
// answer that its reviewed record says, and the document's text. Nothing is sent.
func (t Teaching) Lessons(ctx context.Context, source document.Source, g *gold.Record) ([]Lesson, string, error) {
	s, shape := t.Setup, t.Shape
	if s.Model.Shape != "auto" && s.Model.Shape != "" {
		shape = s.Model.Shape
	}
	f := &Filler{Schema: s.Schema, Models: []*Model{{Model: s.Model, shape: shape}}, Reader: s.Reader, Settings: s.Settings, Stdin: s.Stdin}
	var err error
	if f.parts, err = partsOf(s.Schema, s.Settings.Style); err != nil {
		return nil, "", err
	}
	d, err := f.read(ctx, store.Task{Document: source.ID, File: source.File, Text: textOf(source)}, source)
	if err != nil {
		return nil, "", err
	}
	if g.Hashes.Since(hashesOf(d)) == record.Changed {
		return nil, d.Text, leftChanged
	}
	a := f.asker(f.First(), d)
	if a.pages, err = f.pictures(ctx, d, source); err != nil {
		return nil, "", err
	}
	switch {
	case t.Hidden == nil:
	case len(a.pages.images) > 0:
		return nil, d.Text, leftPicture
	case !t.Hidden.cover(&g.Record, d.Text):
		return nil, d.Text, leftSpelling
	}
	pieces, err := a.plan()
	if err != nil {
		return nil, "", err
	}
	places := placesOfGold(s.Schema, g, evidence.NewIndex(d.Text))
	reply := inReplyForm(s.Schema.Root, "", &g.Record, places, d.Text)
	t.Hidden.inAnswer(s.Schema.Root, &reply)
	var all []Lesson
	for _, x := range pieces {
		switch {
		case x.chunk != nil:
			return nil, d.Text, leftLong
		case x.style == prompt.ByPointer:
			return nil, d.Text, ErrPointer
		}
		answer := answered(x.schema.Root, &reply)
		request := a.ask(x.part, nil).Request()
		for i := range request.Messages {
			if m := &request.Messages[i]; m.Role == "user" {
				m.Content = t.Hidden.in(m.Content)
			}
		}
		all = append(all, Lesson{Planned{x.step, request}, written(x, &answer, s.Schema.EachEntry()), unrested(x.schema.Root, &answer)})
	}
	return all, d.Text, nil
}

// written gives an answer as the reply to a piece would be written.
func written(x *piece, answer *value.Value, each bool) string {
	switch {
	case x.style == prompt.ByField:
		return inLines(x.schema, answer)
	case each:
		wrapped := value.Obj(answer.Named(schema.Wrapper))
		return string(wrapped.JSON())
	}
	return string(answer.JSON())
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

// unrested counts the values of an answer that say nothing of what they rest on and
// should.
func unrested(f *schema.Field, v *value.Value) (n int) {
	switch {
	case f.Type == schema.Group:
		for _, kid := range f.Fields {
			n += unrested(kid, v.Get(kid.Name))
		}
	case f.Type == schema.List:
		for i := range v.Kids {
			n += unrested(f.Item, &v.Kids[i])
		}
	case f.Basis:
		if own := v.Get("value"); own != nil && !own.Empty() && v.Get("basis").Empty() {
			n++
		}
	}
	return n
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
