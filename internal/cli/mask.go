package cli

import (
	"sort"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// hidden stands for a value that is not shown.
const hidden = "•••"

// mask takes the values of sensitive fields out of what is printed.
type mask struct{ replacer *strings.Replacer }

// newMask gathers the values of a schema's sensitive fields from a record and
// from the changes that led to it.
func newMask(s *schema.Schema, record *value.Value, steps *value.Value) *mask {
	found := map[string]bool{}
	note := func(p value.Pointer, v *value.Value) {
		if f := s.At(p); v != nil && f != nil && f.Sensitive {
			v.Walk(func(_ value.Pointer, n *value.Value) bool {
				if text := strings.TrimSpace(n.Text); len(n.Kids) == 0 && len(text) > 1 {
					found[text] = true
				}
				return true
			})
		}
	}
	record.Walk(func(p value.Pointer, v *value.Value) bool {
		note(p, v)
		return true
	})
	for i := range steps.Kids {
		step := &steps.Kids[i]
		note(value.Pointer(step.Word("path")), step.Get("from"))
		note(value.Pointer(step.Word("path")), step.Get("to"))
		note(value.Pointer(step.Word("path")), step.Get("copied")) // by pointer
		noteBelow(note, value.Pointer(step.Word("path")), step.Get("was"))
		if lines := step.Get("lines"); lines != nil {
			for j := range lines.Kids {
				if f := s.Find(lines.Kids[j].Word("field")); f != nil && f.Sensitive {
					found[strings.TrimSpace(behindLabel(lines.Kids[j].Word("text")))] = true
				}
			}
		}
		if ops := step.Get("operations"); ops != nil {
			for j := range ops.Kids {
				note(value.Pointer(ops.Kids[j].Word("path")), ops.Kids[j].Get("value"))
			}
		}
		if changes := step.Get("changes"); changes != nil {
			for j := range changes.Kids {
				at := value.Pointer(changes.Kids[j].Word("path"))
				for _, name := range []string{"was", "now"} {
					if v := changes.Kids[j].Get(name); v != nil {
						v.Walk(func(p value.Pointer, n *value.Value) bool {
							note(at+p, n)
							return true
						})
					}
				}
			}
		}
		note(value.Pointer(step.Word("path")), step.Get("other"))
		if problems := step.Get("problems"); problems != nil {
			for j := range problems.Kids {
				note(value.Pointer(problems.Kids[j].Word("path")), problems.Kids[j].Get("value"))
			}
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

// noteBelow notes the values in an item that was taken out of a list, under the
// pointer of the list's first item: which one does not matter to the fields.
func noteBelow(note func(value.Pointer, *value.Value), list value.Pointer, was *value.Value) {
	if was == nil {
		return
	}
	was.Walk(func(p value.Pointer, v *value.Value) bool {
		note(list.Index(0)+p, v)
		return true
	})
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
