package gold

import (
	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/document"
)

// Renewal is what of a gold record still stands in a document that has changed since it
// was reviewed.
type Renewal struct {
	Stands int             // values that the document still says, at a place of their own
	Open   []value.Pointer // values that it does not, and empty ones: a person decides
}

// RenewFor makes a gold record a draft for its document as it is now. The record stays;
// a value keeps its decision where the document says it, as it is or in another spelling,
// at its label, in its item's part or nowhere else. All others are to be decided again,
// empty ones too: that a document says nothing can't be looked up. Who had signed it is
// kept under `renewed`.
func (p *Page) RenewFor(s *schema.Schema, doc *document.Document) (Renewal, error) {
	var out Renewal
	rec := p.Record.Record
	places := evidence.Full(s, &rec, evidence.NewIndex(doc.Text), nil)
	made := value.Obj()
	values(s.Root, "", &rec, func(f *schema.Field, at value.Pointer, v *value.Value) {
		if !stands(f, at, v, places) {
			out.Open = append(out.Open, at)
			return
		}
		out.Stands++
		verdict := "right"
		if was := p.Decisions.Word(string(at)); was != "" {
			verdict = was
		}
		made.Kids = append(made.Kids, value.Str(verdict).Named(string(at)))
	})
	before := value.Obj()
	for _, m := range [][2]string{{"reviewer", p.Reviewer}, {"on", p.On}, {"text_sha256", p.Hashes.Text}} {
		if m[1] != "" {
			before.Set(m[0], value.Str(m[1]))
		}
	}
	gone := func(name string) value.Value { return value.Value{Name: name} }
	members := []value.Value{value.Str(Draft).Named("state"), gone("seal"), gone("on"), gone("reviewer"), gone("risk"), before.Named("renewed"), made.Named("decisions"), places.JSON(&rec).Named("evidence"), value.Str(doc.Hash).Named("text_sha256")}
	if doc.FileHash != "" {
		members = append(members, value.Str(doc.FileHash).Named("file_sha256"))
	}
	return out, p.Write(members...)
}

// stands tells whether a document says a value, or all of a list of values, where it
// belongs.
func stands(f *schema.Field, at value.Pointer, v *value.Value, places evidence.Places) bool {
	if v.Empty() {
		return false
	}
	if f.Type == schema.List {
		for i := range v.Kids {
			if !stands(f.Item, at.Index(i), &v.Kids[i], places) {
				return false
			}
		}
		return true
	}
	place := places[at]
	return (place.Kind == evidence.Quoted || place.Kind == evidence.Restated) && (place.Tied || place.Rivals == 0)
}

// values calls do for every value that is decided as one: a leaf, or a list of leaves,
// those without a value included where their group or item is there.
func values(f *schema.Field, at value.Pointer, v *value.Value, do func(f *schema.Field, at value.Pointer, v *value.Value)) {
	switch {
	case f.IsLeaf() || f.Type == schema.List && f.Item.IsLeaf():
		do(f, at, v)
	case f.Type == schema.Group && (v == nil || v.Kind == value.Object || v.Kind == value.Null):
		for _, kid := range f.Fields {
			values(kid, at.Key(kid.Name), v.Get(kid.Name), do)
		}
	case f.Type == schema.List && v != nil && v.Kind == value.Array:
		for i := range v.Kids {
			values(f.Item, at.Index(i), &v.Kids[i], do)
		}
	}
}
