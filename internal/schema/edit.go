package schema

import (
	"fmt"
	"slices"
	"strings"

	"filler/internal/base/place"
)

// Edit is a change of one field in the text of a schema file.
type Edit struct {
	Field  string   // its path; "" for the record
	Key    []string // one key of the field, such as printed_as; or of, a choice and one of its keys
	Write  string   // the value as YAML, on one line
	Remark string   // a comment above it; "": none
}

// String gives what would be written, as one reads it in a schema.
func (e Edit) String() string {
	if len(e.Key) == 0 {
		return e.Write
	}
	text := e.Write
	for i := len(e.Key) - 1; i > 0; i-- {
		text = "{" + Quote(e.Key[i]) + ": " + text + "}"
	}
	return e.Key[0] + ": " + text
}

// HoldsValues tells whether the change writes what documents have in the field into the schema.
func (e Edit) HoldsValues() bool {
	return len(e.Key) > 0 && slices.Contains([]string{"also", "examples", "pattern"}, e.Key[len(e.Key)-1])
}

// Edited gives the schema with changes written into its file's text, where all else stays as
// it is. The file itself is not touched. A field of a shared group is changed wherever the
// group is taken in.
func (s *Schema) Edited(edits ...Edit) (*Schema, error) {
	now := s
	for _, e := range edits {
		f, root := place.Load(s.File, now.Written())
		if root == nil || len(f.Faults) > 0 {
			return nil, f.Faults.Err()
		}
		field := now.Find(e.Field)
		if e.Field == "" {
			field = now.Root
		}
		at, path := nodeOf(root, e.Field)
		if at == nil || field == nil || len(e.Key) == 0 {
			return nil, fmt.Errorf("%s: the field %s is not found in it", s.File, e.Field)
		}
		data, err := e.of(field, at, path).Apply(now.Written())
		if err != nil {
			return nil, fmt.Errorf("%s: `%s` at %s: %w", s.File, e, e.Field, err)
		}
		if now, err = Parse(s.File, now.with(data)); err != nil {
			return nil, err
		}
	}
	return now, nil
}

// of gives the change of the file's text.
func (e Edit) of(f *Field, at *place.Node, path []string) place.Edit {
	out := place.Edit{Path: append(path, e.Key...), Write: e.Write, Remark: e.Remark}
	switch {
	case at.IsScalar(): // a field that is nothing but what is told of it
		told := e.Write
		if e.Key[0] != string(Text) {
			told = Quote(f.About) + ", " + e.String()
		}
		out.Path, out.Write = path, "{text: "+told+"}"
	case len(e.Key) == 3:
		options := at.Get(e.Key[0])
		if o := options.Get(e.Key[1]); o == nil || !o.IsMap() {
			out.Path, out.Write = append(path, e.Key[0]), optionsWith(f, e)
		}
	}
	return out
}

// optionsWith writes all choices of a field, with a change of one.
func optionsWith(f *Field, e Edit) string {
	var all []string
	for _, o := range f.Of {
		var keys []string
		if o.About != "" {
			keys = append(keys, "about: "+Quote(o.About))
		}
		switch {
		case o.Value == e.Key[1]:
			keys = append(keys, e.Key[2]+": "+e.Write)
		case len(o.Also) > 0:
			keys = append(keys, "also: "+QuoteList(o.Also))
		}
		all = append(all, Quote(o.Value)+": {"+strings.Join(keys, ", ")+"}")
	}
	return "{" + strings.Join(all, ", ") + "}"
}

// QuoteList writes texts as a YAML list on one line.
func QuoteList(texts []string) string {
	quoted := make([]string, len(texts))
	for i, t := range texts {
		quoted[i] = Quote(t)
	}
	return "[" + strings.Join(quoted, ", ") + "]"
}

// nodeOf finds where a field stands in the file, and the keys that lead there.
func nodeOf(root *place.Node, path string) (*place.Node, []string) {
	at, keys := root, []string(nil)
	if path == "" {
		return at, keys
	}
	down := func(names ...string) bool {
		for _, name := range names {
			if at = at.Get(name); at == nil {
				return false
			}
			keys = append(keys, name)
		}
		return true
	}
	steps := strings.Split(strings.TrimSuffix(path, "[]"), ".")
	for i, step := range steps {
		if uses := at.Get("uses"); i > 0 && uses != nil {
			at, keys = root, nil
			if !down("shared", uses.Text()) {
				return nil, nil
			}
		}
		name := strings.TrimSuffix(step, "[]")
		if form := formWith(at, name); form != "" {
			if !down("forms", form, "fields", name) {
				return nil, nil
			}
		} else if !down("fields", name) {
			return nil, nil
		}
	}
	if strings.HasSuffix(path, "[]") && !down("items") {
		return nil, nil
	}
	return at, keys
}

// formWith gives the first form of a `one of` that has a field, or "".
func formWith(at *place.Node, name string) string {
	for _, form := range at.Get("forms").Pairs() {
		if form.Get("fields").Get(name) != nil {
			return form.Key()
		}
	}
	return ""
}
