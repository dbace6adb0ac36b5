package schema

import (
	"fmt"
	"strconv"
	"strings"
)

// Change is one difference between two versions of a schema.
type Change struct {
	Path string
	What string // added, gone, renamed, moved, type, choices, bounds, required, words
	Note string
	// Breaks says that records or gold of the older version may no longer be
	// valid, or lack a value.
	Breaks bool
}

// Changes gives what has changed from one version of a schema to another, in
// the order of the newer, what is gone last.
func Changes(old, now *Schema) []Change {
	before, after := index(old), index(now)
	var list []Change
	for _, p := range after.paths {
		f := after.fields[p]
		o := before.fields[p]
		if o == nil {
			if from, what := cameFrom(p, f, before, after); from != "" {
				if what == "moved" || len(f.Was) > 0 { // and not only what it stands in
					list = append(list, Change{p, what, "from " + from, what == "moved"})
				}
				o = before.fields[from]
				before.taken[from] = true
			} else {
				list = append(list, Change{p, "added", string(f.Type), f.Required})
				continue
			}
		}
		list = append(list, changesOf(p, o, f)...)
	}
	for _, p := range before.paths {
		if after.fields[p] == nil && !before.taken[p] {
			list = append(list, Change{p, "gone", string(before.fields[p].Type), true})
		}
	}
	hintAtNames(list, before, after)
	return list
}

// hintAtNames says of a new value that it may be one that is gone, where in a group or list
// one of a type is new and one gone: what is only called otherwise should say so.
func hintAtNames(list []Change, before, after fieldIndex) {
	home := func(path string) string { return path[:strings.LastIndex(path, ".")+1] }
	likely := map[string][]int{} // by home and type: those that are new or gone
	for i, c := range list {
		ix := after
		if c.What == "gone" {
			ix = before
		} else if c.What != "added" {
			continue
		}
		if f := ix.fields[c.Path]; f.IsLeaf() {
			key := home(c.Path) + " " + string(f.Type)
			likely[key] = append(likely[key], i)
		}
	}
	for _, both := range likely {
		if len(both) != 2 || list[both[0]].What == list[both[1]].What {
			continue
		}
		added, gone := &list[both[0]], &list[both[1]] // what is gone stands last
		name := before.fields[gone.Path].Name
		added.Note += fmt.Sprintf("; if it is what %s was, write `was: %s`", name, name)
	}
}

type fieldIndex struct {
	of     *Schema
	paths  []string
	fields map[string]*Field
	taken  map[string]bool
}

func index(s *Schema) fieldIndex {
	ix := fieldIndex{of: s, fields: map[string]*Field{}, taken: map[string]bool{}}
	s.Record().Walk(func(f *Field, level int) {
		if level > 0 {
			ix.paths = append(ix.paths, f.Path)
			ix.fields[f.Path] = f
		}
	})
	return ix
}

// cameFrom finds the field that this one was: by its older names, or by its own. What it
// was called does not break records that are read with its older names.
func cameFrom(path string, f *Field, before, after fieldIndex) (from, what string) {
	for _, p := range before.paths {
		if after.fields[p] == nil && !before.taken[p] && after.of.PathNow(p) == path {
			return p, "renamed"
		}
	}
	return movedFrom(path, f, before, after), "moved"
}

// movedFrom finds the field of the same name and type that stood elsewhere.
func movedFrom(path string, f *Field, before, after fieldIndex) string {
	found := ""
	for _, p := range before.paths {
		o := before.fields[p]
		if after.fields[p] == nil && !before.taken[p] && o.Name == f.Name && o.Type == f.Type && p != path {
			if found != "" {
				return ""
			}
			found = p
		}
	}
	return found
}

func changesOf(path string, o, f *Field) []Change {
	var list []Change
	add := func(what, note string, breaks bool) { list = append(list, Change{path, what, note, breaks}) }
	if o.Type != f.Type {
		add("type", fmt.Sprintf("%s → %s", o.Type, f.Type), true)
	}
	if o.Required != f.Required {
		add("required", fmt.Sprintf("%v → %v", o.Required, f.Required), f.Required)
	}
	if gone, come := missing(o.Of, f.Of), missing(f.Of, o.Of); len(gone)+len(come) > 0 && f.Type == o.Type {
		var notes []string
		if len(gone) > 0 {
			notes = append(notes, "without "+strings.Join(gone, ", "))
		}
		if len(come) > 0 {
			notes = append(notes, "with "+strings.Join(come, ", "))
		}
		add("choices", strings.Join(notes, "; "), len(gone) > 0)
	}
	if o.Min != f.Min || o.Max != f.Max || patternOf(o) != patternOf(f) || o.Precision != f.Precision || o.Zone != f.Zone || o.Pivot != f.Pivot || o.Currency != f.Currency || o.Unit != f.Unit {
		add("bounds", strings.Join(boundNotes(o, f), "; "), true)
	}
	if o.About != f.About {
		add("description", "another description", false)
	}
	return list
}

func boundNotes(o, f *Field) []string {
	var notes []string
	for _, b := range [][3]string{{"min", o.Min, f.Min}, {"max", o.Max, f.Max}, {"pattern", patternOf(o), patternOf(f)}, {"precision", o.Precision, f.Precision}, {"zone", o.Zone, f.Zone}, {"pivot", pivotOf(o), pivotOf(f)}, {"currency", o.Currency, f.Currency}, {"unit", o.Unit, f.Unit}} {
		if b[1] != b[2] {
			notes = append(notes, fmt.Sprintf("%s %s → %s", b[0], orNone(b[1]), orNone(b[2])))
		}
	}
	return notes
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

func patternOf(f *Field) string {
	if f.Pattern == nil {
		return ""
	}
	return f.Pattern.String()
}

// missing gives the choices of a that b does not have.
func missing(a, b []Option) []string {
	var list []string
	for _, o := range a {
		found := false
		for _, p := range b {
			found = found || o.Value == p.Value
		}
		if !found {
			list = append(list, o.Value)
		}
	}
	return list
}

func pivotOf(f *Field) string {
	if f.Pivot == 0 {
		return ""
	}
	return strconv.Itoa(f.Pivot)
}
