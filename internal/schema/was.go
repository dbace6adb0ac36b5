package schema

import (
	"fmt"
	"slices"
	"strings"

	"filler/internal/base/place"
	"filler/internal/base/value"
)

// Older is an older name of a field: the steps to where it stood, from the record or
// from the item of a list that the field stands in. They lead through groups alone.
type Older struct {
	Steps []string
	Text  string // as the schema has it
}

// readWas reads `was`: an older name in the same group, or a pointer from the record or
// item; one of them or several.
func (f *Field) readWas(l *loader, n *place.Node) {
	names := n.Texts()
	l.later = append(l.later, func() {
		in, above := l.homeOf(f)
		for _, name := range names {
			o := Older{Text: name}
			switch p := value.Pointer(name); {
			case !strings.HasPrefix(name, "/"):
				o.Steps = append(slices.Clone(above), name)
			case p.Valid() && len(p.Steps()) > 0:
				o.Steps = p.Steps()
			default:
				n.Fault(fmt.Sprintf("%q is not an older name", name), "write the older name of the field, or where it stood as a pointer from the record (or from the item of its list), such as /visit/bridge")
				continue
			}
			if other := in.under(o.Steps); other != nil && other.Path != f.Path {
				n.Fault(fmt.Sprintf("was: %s is a field of this schema", name), "name what no field is called any more")
				continue
			}
			if other := l.olderIn(in, o.Steps); other != nil {
				n.Fault(fmt.Sprintf("was: %s is also the older name of %s", name, other.Path), "leave it at one of them")
				continue
			}
			f.Was = append(f.Was, o)
			l.s.renamed = true
		}
	})
}

// homeOf gives the group that a field's older names count from (the record, or the item
// of the list that it stands in), and the groups between that and the field.
func (l *loader) homeOf(f *Field) (home *Field, above []string) {
	var find func(at, home *Field, above []string) bool
	var foundHome *Field
	var foundAbove []string
	find = func(at, home *Field, above []string) bool {
		for _, kid := range at.Fields {
			if kid == f {
				foundHome, foundAbove = home, above
				return true
			}
			switch {
			case kid.Type == Group && find(kid, home, append(slices.Clone(above), kid.Name)):
				return true
			case kid.Type == List && kid.Item != nil && find(kid.Item, kid.Item, nil):
				return true
			}
		}
		return false
	}
	root := l.s.Record()
	if !find(root, root, nil) {
		return root, nil
	}
	return foundHome, foundAbove
}

// under follows steps through groups; nil where there is no such field.
func (f *Field) under(steps []string) *Field {
	for _, step := range steps {
		if f = f.Child(step); f == nil {
			return nil
		}
	}
	return f
}

// olderIn finds another field within a home that has these steps as an older name.
func (l *loader) olderIn(home *Field, steps []string) *Field {
	for _, r := range home.renamings(nil) {
		if slices.Equal(r.From, steps) {
			return r.Field
		}
	}
	return nil
}

// Renaming leads from an older place within a record or item to the field's own.
type Renaming struct {
	Field    *Field
	From, To []string
}

// Renamings gives the older places of the fields within a record or item, those of items
// of its lists apart.
func (f *Field) Renamings() []Renaming { return f.renamings(nil) }

func (f *Field) renamings(above []string) (list []Renaming) {
	for _, kid := range f.Fields {
		to := append(slices.Clone(above), kid.Name)
		for _, o := range kid.Was {
			list = append(list, Renaming{kid, o.Steps, to})
		}
		if kid.Type == Group {
			list = append(list, kid.renamings(to)...)
		}
	}
	return list
}

// HasRenamed tells whether any field has an older name.
func (s *Schema) HasRenamed() bool { return s != nil && s.renamed }

// NowAt gives the place that an older place has now.
func (s *Schema) NowAt(p value.Pointer) value.Pointer {
	if !s.HasRenamed() {
		return p
	}
	f, out := s.Root, value.Pointer("")
	steps := p.Steps()
	for len(steps) > 0 && f != nil {
		if f.Type == Group {
			for _, r := range f.Renamings() {
				if n := len(r.From); n <= len(steps) && slices.Equal(steps[:n], r.From) {
					steps = append(slices.Clone(r.To), steps[n:]...) // and on: what stands in a renamed group may be renamed too
				}
			}
		}
		for len(steps) > 0 && f != nil { // to the next item
			out = out.Key(steps[0])
			was := f
			if f.Type == List {
				f = f.Item
			} else {
				f = f.Child(steps[0])
			}
			steps = steps[1:]
			if was.Type == List {
				break
			}
		}
	}
	for _, rest := range steps {
		out = out.Key(rest)
	}
	return out
}

// PathNow gives the path of a field (bays[].number) that an older one has now.
func (s *Schema) PathNow(path string) string {
	if !s.HasRenamed() {
		return path
	}
	const item = "/0"
	p := "/" + strings.ReplaceAll(strings.ReplaceAll(path, "[]", item), ".", "/")
	if s.EachEntry() {
		p = item + p
	}
	now := strings.ReplaceAll(strings.TrimPrefix(string(s.NowAt(value.Pointer(p))), "/"), "/", ".")
	if s.EachEntry() {
		now = strings.TrimPrefix(now, "0.")
	}
	return strings.ReplaceAll(now, ".0", "[]")
}

// ComesFrom takes fields that have another place in an older version, and the same name and
// type, for the same: as if the schema said so with `was`. It gives the fields whose items
// are others now, for which there is no such way.
func (s *Schema) ComesFrom(old *Schema) (apart []Change) {
	now := index(s)
	for _, c := range Changes(old, s) {
		from, moved := strings.CutPrefix(c.Note, "from ")
		if c.What != "moved" || !moved {
			continue
		}
		home, rest := homePath(from)
		if mine, _ := homePath(c.Path); mine != home {
			apart = append(apart, c)
			continue
		}
		f := now.fields[c.Path]
		f.Was = append(f.Was, Older{Steps: strings.Split(rest, "."), Text: "/" + strings.ReplaceAll(rest, ".", "/")})
		s.renamed = true
	}
	return apart
}

// homePath parts a path into the list that it stands in and the rest.
func homePath(path string) (home, rest string) {
	if i := strings.LastIndex(path, "[]."); i >= 0 {
		return path[:i], path[i+3:]
	}
	return "", path
}
