package gold

import (
	"sort"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Row is how many documents of one reviewer, or one part, are in each state.
type Row struct {
	Name                      string
	Draft, Reviewed, Disputed int
	Faulty                    int // of them, those that can't count
}

func (r *Row) add(g *Record) {
	switch g.State {
	case Reviewed:
		r.Reviewed++
	case Disputed:
		r.Disputed++
	default:
		r.Draft++
	}
	if g.Fault != "" {
		r.Faulty++
	}
}

// Unseen are options of a choice that no gold record has.
type Unseen struct {
	Field   string
	Options []string
}

// Status is what a gold set holds.
type Status struct {
	Reviewers []Row // by name; "" for none
	Splits    []Row // tune, test, ""
	All       Row
	Empty     []string // fields without any reviewed value
	Unseen    []Unseen
}

// StatusOf counts a gold set.
func StatusOf(s *schema.Schema, set Set) Status {
	var st Status
	by, split := map[string]*Row{}, map[string]*Row{}
	values, options := map[*schema.Field]int{}, map[*schema.Field]map[string]bool{}
	for _, id := range set.Documents() {
		g := set[id]
		st.All.add(g)
		row(by, g.Reviewer).add(g)
		row(split, g.Split).add(g)
		if g.State == Reviewed && g.Fault == "" {
			count(s.Root, &g.Record, values, options)
		}
	}
	st.Reviewers, st.Splits = rows(by), rows(split)
	for _, f := range s.Leaves() {
		if !f.Scored() {
			continue
		}
		if values[f] == 0 {
			st.Empty = append(st.Empty, f.Path)
			continue
		}
		var never []string
		for _, o := range f.Of {
			if f.Type == schema.Choice && f.List == nil && !options[f][o.Value] {
				never = append(never, o.Value)
			}
		}
		if len(never) > 0 {
			st.Unseen = append(st.Unseen, Unseen{f.Path, never})
		}
	}
	return st
}

func row(m map[string]*Row, name string) *Row {
	if m[name] == nil {
		m[name] = &Row{Name: name}
	}
	return m[name]
}

func rows(m map[string]*Row) []Row {
	var out []Row
	for _, r := range m {
		out = append(out, *r)
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out
}

func count(f *schema.Field, v *value.Value, values map[*schema.Field]int, options map[*schema.Field]map[string]bool) {
	switch {
	case v.Empty():
	case f.Type == schema.Group:
		for _, kid := range f.Fields {
			if at := v.Get(kid.Name); at != nil {
				count(kid, at, values, options)
			}
		}
	case f.Type == schema.List:
		for i := range v.Kids {
			count(f.Item, &v.Kids[i], values, options)
		}
	default:
		values[f]++
		if f.Type == schema.Choice {
			if options[f] == nil {
				options[f] = map[string]bool{}
			}
			options[f][v.Text] = true
		}
	}
}
