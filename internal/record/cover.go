package record

import (
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Hidden stands for a value that is not shown.
const Hidden = "•••"

// Cover hides the values of a schema's sensitive fields in what is shown to
// people. It errs on the side of hiding: what stands where no field is, or where a
// sensitive field should be, is hidden as well. A nil Cover hides nothing.
type Cover struct {
	schema *schema.Schema
	token  func(text string) string // what stands for a value; nil: Hidden
}

// NewTokens gives a cover that hides the words of documents and replies under any
// schema, and puts a token in the place of each sensitive value.
func NewTokens(s *schema.Schema, token func(text string) string) *Cover { return &Cover{s, token} }

// NewCover gives the cover for a schema; nil where it has no sensitive field.
func NewCover(s *schema.Schema) *Cover {
	if s == nil || !holdsSensitive(s.Root) {
		return nil
	}
	return &Cover{schema: s}
}

func holdsSensitive(f *schema.Field) bool {
	found := false
	f.Walk(func(f *schema.Field, _ int) { found = found || f.Sensitive || f.Item != nil && f.Item.Sensitive })
	return found
}

// Hides tells whether what stands at a place, or below it, is hidden.
func (c *Cover) Hides(p value.Pointer) bool {
	if c == nil {
		return false
	}
	f := c.schema.Root
	for _, step := range p.Steps() {
		if f.Sensitive {
			return true
		}
		switch _, isIndex := value.ArrayIndex(step); {
		case f.Type == schema.Group:
			f = f.Child(step)
		case f.Type == schema.List && (isIndex || step == "-"):
			f = f.Item
		default:
			return holdsSensitive(f)
		}
		if f == nil {
			return true
		}
	}
	return holdsSensitive(f)
}

// Value gives a value that stands at a place with what is sensitive in it hidden.
func (c *Cover) Value(p value.Pointer, v *value.Value) *value.Value {
	if c == nil || v == nil {
		return v
	}
	out := v.Clone().Named(v.Name)
	f := c.schema.Holding(p)
	if f == nil && p != "" || c.above(p) {
		c.hideAll(nil, &out)
		return &out
	}
	c.hide(f, &out)
	return &out
}

// above tells whether a place lies within a sensitive field.
func (c *Cover) above(p value.Pointer) bool {
	for ; p != ""; p = p.Parent() {
		if f := c.schema.At(p.Parent()); f != nil && f.Sensitive {
			return true
		}
	}
	return false
}

func (c *Cover) hide(f *schema.Field, v *value.Value) {
	switch {
	case f == nil || f.Sensitive:
		c.hideAll(f, v)
	case f.Type == schema.Group && v.Kind == value.Object:
		for i := range v.Kids {
			c.hide(f.Child(v.Kids[i].Name), &v.Kids[i])
		}
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			c.hide(f.Item, &v.Kids[i])
		}
	case holdsSensitive(f):
		c.hideAll(f, v)
	}
}

// hideAll hides every value, and leaves where there is none. What a field of any value holds is
// hidden as one: the names in it tell as much as the values. f may be nil.
func (c *Cover) hideAll(f *schema.Field, v *value.Value) {
	switch {
	case v.Kind == value.Null:
	case v.Kind == value.Object && (f == nil || f.Type != schema.Any):
		for i := range v.Kids {
			var kid *schema.Field
			if f != nil {
				kid = f.Child(v.Kids[i].Name)
			}
			c.hideAll(kid, &v.Kids[i])
		}
	case v.Kind == value.Array:
		for i := range v.Kids {
			var item *schema.Field
			if f != nil && f.Type == schema.Any {
				item = f
			} else if f != nil {
				item = f.Item
			}
			c.hideAll(item, &v.Kids[i])
		}
	default:
		mark, text := Hidden, v.Text
		if v.Kind == value.Object {
			text = v.String()
		}
		if c.token != nil {
			mark = c.token(text)
		}
		*v = value.Str(mark).Named(v.Name)
	}
}

// said is what a message repeats of values: quoted text, and words with a figure.
var said = lazy.New(`"(?:[^"\\]|\\.)*"|[^\s()]*[0-9][^\s()]*`)

// quoted is what a message quotes.
var quoted = lazy.New(`"(?:[^"\\]|\\.)*"`)

// Text gives a message with what it repeats hidden.
func (c *Cover) Text(message string) string {
	if c == nil {
		return message
	}
	return said.ReplaceAllString(message, Hidden)
}

// Words gives words of a document or a reply as they may be shown: not at all,
// since nobody knows what is in them.
func (c *Cover) Words(words string) string {
	if c == nil || words == "" {
		return words
	}
	return Hidden
}

// Problem gives a problem as it may be shown.
func (c *Cover) Problem(p Problem) Problem {
	if c == nil {
		return p
	}
	hides := c.Hides(p.Path)
	for _, f := range p.Fields {
		hides = hides || c.Hides(f)
	}
	switch p.Code() {
	case Syntax, Unused, Encoding, Conflict, NoAnswer: // they repeat what came
		hides = true
	case Against: // it quotes a line of the document
		p.What = Told{p.Code(), quoted.ReplaceAllString(p.Message(), Hidden)}
	case Uncovered: // so does this, and the rest are numbers of lines and names of fields
		p.What, hides = Told{p.Code(), quoted.ReplaceAllString(p.Message(), Hidden)}, false
	}
	if hides && p.Code() != Rule { // a rule's words are the schema's
		p.What = Told{p.Code(), c.Text(p.Message())}
	}
	p.Value = c.Value(p.Path, p.Value)
	return p
}

// Problems gives problems as they may be shown.
func (c *Cover) Problems(all []Problem) []Problem {
	if c == nil {
		return all
	}
	out := make([]Problem, len(all))
	for i, p := range all {
		out[i] = c.Problem(p)
	}
	return out
}

// Line gives a record with its problems and history as they may be shown.
func (c *Cover) Line(l Line) Line {
	if c == nil {
		return l
	}
	l.Record = *c.Value("", &l.Record)
	l.Problems = c.Problems(l.Problems)
	l.History = c.History(l.History)
	return l
}

// History gives the list of what updates have changed as it may be shown.
func (c *Cover) History(list value.Value) value.Value {
	if c == nil {
		return list
	}
	out := list.Clone().Named(list.Name)
	for i := range out.Kids {
		change := &out.Kids[i]
		at := value.Pointer(change.Word("path"))
		for _, name := range []string{"was", "now"} {
			if v := change.Get(name); v != nil {
				change.Set(name, c.Value(at, v).Named(""))
			}
		}
		if change.Get("quote") != nil && c.Hides(at) {
			change.Set("quote", value.Str(Hidden))
		}
	}
	return out
}
