package outline

import (
	"strings"

	"filler/internal/schema"
)

// Candidates is the heading of the choices of long lists that a document may name, a line for
// each field of one: its path, then its choices as behind "One of".
//
//	# Candidates
//	bays[].river: K-17 (Heron Brook, Heron); K-44 = on the left bank
//	owner: none
const Candidates = "# Candidates"

// noCandidates stands where a document names none.
const noCandidates = "none"

// WriteCandidates gives the section for a text; "" where the schema has no such list.
func WriteCandidates(s *schema.Schema, text string) string {
	var b strings.Builder
	s.Root.Walk(func(f *schema.Field, _ int) {
		path := f.Path
		if f.Type == schema.List && f.Item.IsLeaf() {
			f = f.Item
		}
		if f.List == nil {
			return
		}
		if b.Len() == 0 {
			b.WriteString(Candidates + "\n")
		}
		found, _ := f.List.Candidates(text)
		var all []string
		for _, o := range found {
			all = append(all, optionText(o))
		}
		if len(all) == 0 {
			all = []string{noCandidates}
		}
		b.WriteString(path + ": " + strings.Join(all, "; ") + "\n")
	})
	return b.String()
}

// ReadCandidates gives the fields of a record the choices that a prompt tells of them.
func ReadCandidates(text string, root *schema.Field) {
	_, rest, has := strings.Cut("\n"+text, "\n"+Candidates+"\n")
	if !has {
		return
	}
	told := map[string][]schema.Option{}
	for line := range strings.Lines(rest) {
		path, options, ok := strings.Cut(strings.TrimSuffix(line, "\n"), ": ")
		if !ok || strings.HasPrefix(line, "#") {
			break
		}
		if options != noCandidates {
			told[path] = readOptions(options + ".")
		}
	}
	give(root, "", told)
}

func give(f *schema.Field, path string, told map[string][]schema.Option) {
	for _, kid := range f.Fields {
		at := path + kid.Name
		inner := kid
		if kid.Type == schema.List {
			inner = kid.Item
		}
		if of := told[at]; of != nil {
			inner.Type, inner.Of = schema.Choice, of
		}
		if kid.Type == schema.List {
			at += "[]"
		}
		give(inner, at+".", told)
	}
}
