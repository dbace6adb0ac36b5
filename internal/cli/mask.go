package cli

import (
	"sort"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/schema"
)

// hidden stands for a value that is not shown.
const hidden = "•••"

// mask takes the values of sensitive fields out of what is printed.
type mask struct{ replacer *strings.Replacer }

// newMask gathers the values of a schema's sensitive fields from a record and
// from the changes that led to it.
func newMask(schemaOf *schema.Schema, whole *value.Value, steps trace.Steps) *mask {
	found := map[string]bool{}
	note := func(p value.Pointer, v *value.Value) {
		if f := schemaOf.At(p); v != nil && f != nil && f.Sensitive {
			v.Walk(func(_ value.Pointer, n *value.Value) bool {
				if text := strings.TrimSpace(n.Text); len(n.Kids) == 0 && len(text) > 1 {
					found[text] = true
				}
				return true
			})
		}
	}
	whole.Walk(func(p value.Pointer, v *value.Value) bool {
		note(p, v)
		return true
	})
	below := func(at value.Pointer, v *value.Value) {
		if v != nil {
			v.Walk(func(p value.Pointer, n *value.Value) bool {
				note(at+p, n)
				return true
			})
		}
	}
	for _, step := range steps {
		switch s := step.(type) {
		case *trace.Normalized:
			note(s.Path, &s.From)
			note(s.Path, &s.To)
		case *trace.Pointed:
			copied := value.Str(s.Copied)
			note(s.Path, &copied)
		case *trace.Merged:
			below(s.Path, &s.Was)
			below(s.Path.Index(0), &s.Was) // of an item that was taken out of a list: which one does not matter to its fields
		case *trace.Uncovered:
			for _, l := range s.Lines {
				if f := schemaOf.Find(l.Field); f != nil && f.Sensitive {
					found[strings.TrimSpace(behindLabel(l.Text))] = true
				}
			}
		case *trace.Corrected:
			operations(below, s.Operations)
			problems(below, s.Left)
		case *trace.CorrectionRefused:
			operations(below, s.Operations)
		case *trace.Updated:
			operations(below, s.Operations)
			for i := range s.New {
				below(value.Pointer("").Index(0), &s.New[i])
			}
		case *trace.Kept:
			below(s.Path, &s.Was)
			below(s.Path, &s.Other)
		case *trace.History:
			for i := range s.Changes.Kids {
				c := &s.Changes.Kids[i]
				below(value.Pointer(c.Word("path")), c.Get("was"))
				below(value.Pointer(c.Word("path")), c.Get("now"))
			}
		case *trace.Checked:
			problems(below, s.Problems)
		case *trace.Ended:
			problems(below, s.Problems)
		}
	}
	delete(found, "")
	if len(found) == 0 {
		return nil
	}
	var list []string
	for text := range found {
		list = append(list, text)
	}
	sort.Slice(list, func(i, j int) bool { return len(list[i]) > len(list[j]) })
	var pairs []string
	for _, text := range list {
		pairs = append(pairs, text, hidden)
		if quoted := value.Str(text).String(); quoted[1:len(quoted)-1] != text {
			pairs = append(pairs, quoted[1:len(quoted)-1], hidden)
		}
	}
	return &mask{strings.NewReplacer(pairs...)}
}

// operations notes the values of changes that a model asked for; - is the place
// behind a list's last item.
func operations(note func(value.Pointer, *value.Value), ops []trace.Operation) {
	for _, op := range ops {
		note(value.Pointer(strings.TrimSuffix(string(op.Path), "/-")), op.Value)
		if at, ok := strings.CutSuffix(string(op.Path), "/-"); ok {
			note(value.Pointer(at).Index(0), op.Value)
		}
	}
}

func problems(note func(value.Pointer, *value.Value), list []record.Problem) {
	for _, p := range list {
		note(p.Path, p.Value)
	}
}

// behindLabel gives what stands behind the label of a line.
func behindLabel(line string) string {
	if _, behind, ok := strings.Cut(line, ":"); ok {
		return behind
	}
	return line
}

func (m *mask) hide(s string) string {
	if m == nil {
		return s
	}
	return m.replacer.Replace(s)
}
