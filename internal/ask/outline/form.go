package outline

import (
	"fmt"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Form is the form of a reply: whether it holds one record or any number of
// them, and how a value stands in it.
type Form struct {
	Records bool
	Values  Values
}

// Values is how the values of a reply are given.
type Values int

const (
	Plain  Values = iota // as they are
	IDs                  // by the ids of the words that hold them
	Places               // with the page and the box that they stand in
)

// NotStated is the answer to a question for one field where the document does
// not state it.
const NotStated = "not stated"

// FormOf gives the line that shows the form of a reply, for requests that no
// JSON Schema goes along with.
func FormOf(s *schema.Schema, how Values) string {
	line := skeleton(Asked(s, how).Root, how)
	if s.EachEntry() {
		return fmt.Sprintf("{%q: %s}", schema.Wrapper, line)
	}
	return line
}

func skeleton(f *schema.Field, how Values) string {
	switch f.Type {
	case schema.Group:
		var members []string
		for _, kid := range f.Fields {
			members = append(members, fmt.Sprintf("%q: %s", kid.Name, skeleton(kid, how)))
		}
		return "{" + strings.Join(members, ", ") + "}"
	case schema.List:
		return "[" + skeleton(f.Item, how) + ", …]"
	}
	leaf := "<" + string(f.Kin().Type) + ">"
	switch {
	case how == IDs && f.Pattern == anID.Get():
		leaf = idLeaf
	case f.Type == schema.Money || f.Type == schema.Quantity:
		name, _ := f.Measure()
		leaf = fmt.Sprintf("{\"amount\": <number>, %q: <text>} or null", name)
	}
	if f.Basis {
		return fmt.Sprintf("{\"value\": %s, \"basis\": <text>}", leaf)
	}
	return leaf
}

const idLeaf = "<id>"

// anID marks a field of a reply that is given by id.
var anID = lazy.New(`^L[0-9]`)

var formLine = lazy.New(`(?m)^\{"[^\n]*<[a-z]+>[^\n]*\}$`)

// ReadForm gives the form that a request asks for: of the JSON Schema that goes
// along, else of the last line of the text that shows a form. Ids are told by
// the line before the fields.
func ReadForm(root *schema.Field, wire *value.Value, text string) (f Form) {
	if Has(text, ByIDs+"\n") {
		f.Values = IDs
	}
	own := len(root.Fields) == 1 && root.Fields[0].Name == schema.Wrapper // a field of this name is no wrapper
	if wire != nil {
		f.Records = records(wire)
		if inner := wire.At(value.Pointer("/properties/" + schema.Wrapper + "/items")); own && inner != nil {
			f.Records = records(inner)
		}
		switch line := string(wire.JSON()); {
		case strings.Contains(line, byID+") "):
			f.Values = IDs
		case strings.Contains(line, `"required":["value","page","box"]`):
			f.Values = Places
		}
		return f
	}
	all := formLine.FindAllString(text, -1)
	if len(all) == 0 {
		return f
	}
	line := all[len(all)-1]
	head := fmt.Sprintf("{%q: [", schema.Wrapper)
	f.Records = strings.HasPrefix(line, head) && (!own || strings.HasPrefix(line, head+head))
	switch {
	case strings.Contains(line, idLeaf):
		f.Values = IDs
	case strings.Contains(line, `"page": <integer>, "box": [`):
		f.Values = Places
	}
	return f
}

// Asked gives the schema of the reply: that of the record, or with each value
// given by id, or with its place.
func Asked(s *schema.Schema, how Values) *schema.Schema {
	out := *s
	switch how {
	case IDs:
		out.Root = pointing(s.Root)
	case Places:
		out.Root = seeing(s.Root)
	}
	return &out
}

// ByID tells whether a field is given by id where values are: all but yes or
// no, choices, and what comes with the words it rests on.
func ByID(f *schema.Field) bool {
	t := f.Kin().Type
	return f.IsLeaf() && t != schema.Boolean && t != schema.Choice && !f.Basis
}

func pointing(f *schema.Field) *schema.Field {
	out := *f
	out.Examples = nil
	switch {
	case f.Type == schema.Group:
		out.Fields = nil
		for _, kid := range f.Fields {
			out.Fields = append(out.Fields, pointing(kid))
		}
	case f.Type == schema.List:
		out.Item = pointing(f.Item)
	case ByID(f):
		return &schema.Field{Name: f.Name, Path: f.Path, Type: schema.Text, About: f.About, Required: f.Required, PrintedAs: f.PrintedAs, Avoid: f.Avoid, Pattern: anID.Get()}
	}
	return &out
}

func seeing(f *schema.Field) *schema.Field {
	out := *f
	out.Examples, out.Basis = nil, false
	switch f.Type {
	case schema.Group:
		out.Fields = nil
		for _, kid := range f.Fields {
			out.Fields = append(out.Fields, seeing(kid))
		}
		return &out
	case schema.List:
		out.Item = seeing(f.Item)
		return &out
	}
	out.Name, out.Required = "value", false
	return &schema.Field{Name: f.Name, Path: f.Path, Type: schema.Group, About: f.About, Fields: []*schema.Field{
		&out,
		{Name: "page", Path: f.Path, Type: schema.Integer, About: "The picture that it stands on."},
		{Name: "box", Path: f.Path, Type: schema.List, About: "Where: left, top, right, bottom.", Item: &schema.Field{Path: f.Path + "[]", Type: schema.Integer, About: "Pixels."}},
	}}
}
