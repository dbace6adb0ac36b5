package report

import (
	"fmt"
	"strings"

	"filler/internal/out/graph"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/view/figures"
)

// mostEntities is how many entities the page of a run lists.
const mostEntities = 200

// entities lists what the records name across documents, the heaviest first; false where
// the schema has no entities, or their names may not be shown.
func (m *maker) entities() (Section, bool, error) {
	all := m.Schema.Entities()
	for _, f := range all {
		if m.sheets.Cover != nil && (f.Path == "" || m.Schema.IsSensitive(f.Path) || holdsSensitive(m, f.Path)) {
			return Section{}, false, nil
		}
	}
	if len(all) == 0 {
		return Section{}, false, nil
	}
	b := graph.NewBuilder(m.Schema)
	if err := m.each(func(l record.Line, _ trace.Steps) error {
		b.Add(&l)
		return nil
	}); err != nil {
		return Section{}, false, err
	}
	g := b.Graph()
	s := Section{ID: "entities", Title: "Entities: what is named, and what is next to it"}
	t := Table{Heads: []string{"name", "kind", ">mentions", ">neighbours", "next to it"}}
	byKind := map[int][]string{}
	for _, e := range g.Edges {
		for _, pair := range [][2]int{{e.From, e.To}, {e.To, e.From}} {
			if len(byKind[pair[0]]) < 6 {
				byKind[pair[0]] = append(byKind[pair[0]], g.Nodes[pair[1]].Name)
			}
		}
	}
	for i, w := range g.Weights() {
		if i == mostEntities {
			s.Notes = append(s.Notes, fmt.Sprintf("%s more; `filler graph weights --most 0` lists all.", figures.Plural(len(g.Nodes)-i, "entity")))
			break
		}
		n := &g.Nodes[w.Node]
		first := n.Mentions[0]
		t.Rows = append(t.Rows, []Cell{{Text: n.Name, To: first.Document + string(first.Path)}, cell(n.Kind), count(len(n.Mentions)), count(w.Degree), cell(strings.Join(byKind[w.Node], " · "))})
	}
	s.Tables = []Table{t}
	return s, len(t.Rows) > 0, nil
}

// holdsSensitive tells whether anything below a field is sensitive.
func holdsSensitive(m *maker, path string) bool {
	for _, f := range m.Schema.Leaves() {
		if (strings.HasPrefix(f.Path, path+".") || strings.HasPrefix(f.Path, path+"[]")) && m.Schema.IsSensitive(f.Path) {
			return true
		}
	}
	return false
}
