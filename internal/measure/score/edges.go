package score

import (
	"strings"

	"filler/internal/base/lang"
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Edges is how the items of a list with `edge` came out: one is right when both ends, as
// names are folded, and the kind are those of gold, however items pair and whatever else
// they hold.
type Edges struct {
	Path                 string
	Right, Missed, Extra int
}

// said is an edge as a record says it.
type said struct{ from, to, kind string }

// edgeLists gives the lists whose items are edges.
func edgeLists(s *schema.Schema) (all []*schema.Field) {
	s.Root.Walk(func(f *schema.Field, _ int) {
		if f.Edge != nil {
			all = append(all, f)
		}
	})
	return all
}

// edges counts the edges of a document.
func (sc *Scorer) countEdges(g, filled *value.Value) {
	if len(sc.edges) == 0 {
		return
	}
	inGold, inFilled := map[*schema.Field]map[said]int{}, map[*schema.Field]map[said]int{}
	collect(sc.schema.Root, g, inGold)
	if filled != nil {
		collect(sc.schema.Root, filled, inFilled)
	}
	for f, e := range sc.edges {
		for what, n := range inGold[f] {
			right := min(n, inFilled[f][what])
			e.Right, e.Missed = e.Right+right, e.Missed+n-right
		}
		for what, n := range inFilled[f] {
			e.Extra += n - min(n, inGold[f][what])
		}
	}
}

// collect gathers the edges below a value.
func collect(f *schema.Field, v *value.Value, into map[*schema.Field]map[said]int) {
	switch {
	case v == nil:
	case f.Type == schema.Group && v.Kind == value.Object:
		for _, kid := range f.Fields {
			collect(kid, v.Get(kid.Name), into)
		}
	case f.Type == schema.List && v.Kind == value.Array:
		for i := range v.Kids {
			item := &v.Kids[i]
			if e := f.Edge; e != nil {
				one := said{endOf(item, e.From), endOf(item, e.To), ""}
				if e.Kind != "" {
					one.kind = strings.Clone(item.Word(e.Kind))
				}
				if one.from+one.to != "" {
					if into[f] == nil {
						into[f] = map[said]int{}
					}
					into[f][one]++
				}
			}
			collect(f.Item, item, into)
		}
	}
}

func endOf(item *value.Value, name string) string {
	v := item.Get(name)
	if v.Empty() {
		return ""
	}
	return lang.FoldName(v.Text)
}

func (e *Edges) plus(o *Edges) {
	e.Right, e.Missed, e.Extra = e.Right+o.Right, e.Missed+o.Missed, e.Extra+o.Extra
}
