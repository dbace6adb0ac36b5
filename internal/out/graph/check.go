package graph

import (
	"fmt"
	"slices"
)

// Fault is something of a graph to look at.
type Fault struct {
	Code string // loose, unnamed, both-ways, no-source, decided, type or kind
	Text string
	Mention
}

// Check tells what is to be looked at: edges whose end is missing, entities without a name
// or without a place in any source, two that are said to be each other's,
// values of another type than their field's, and edges of a kind that is not allowed.
func (j *Joined) Check() (all []Fault) {
	g := j.Graph
	for _, against := range j.Against {
		all = append(all, Fault{Code: "decided", Text: against})
	}
	all = append(all, g.Faults...)
	near := g.nearest()
	for _, l := range g.Loose {
		from := "nothing"
		if l.From >= 0 {
			from = g.Nodes[l.From].Name
		}
		said := l.Said
		if said == "" {
			said = "nothing"
		}
		text := fmt.Sprintf("%s of %s: %q is not an entity, or several are called so", l.Kind, from, said)
		if name, why := near(l.Said); name != "" {
			text += fmt.Sprintf("; perhaps %s (%s)", name, why)
		}
		all = append(all, Fault{"loose", text, l.Mention})
	}
	listed := map[[2]int]map[string]bool{}
	for _, e := range g.Edges {
		if !e.Listed {
			continue
		}
		if listed[[2]int{e.To, e.From}][e.Kind] {
			all = append(all, Fault{"both-ways", fmt.Sprintf("%s is said of %s and %s both ways", e.Kind, g.Nodes[e.From].Name, g.Nodes[e.To].Name), e.Mention})
		}
		at := [2]int{e.From, e.To}
		if listed[at] == nil {
			listed[at] = map[string]bool{}
		}
		listed[at][e.Kind] = true
	}
	known := slices.ContainsFunc(g.Nodes, func(n Node) bool { return n.sourced() })
	if !known && slices.ContainsFunc(g.Nodes, func(n Node) bool { return !n.Nameless && !n.ofDocument() }) {
		all = append(all, Fault{Code: "no-source", Text: "these records come without evidence: no entity is known to stand in a source"})
	}
	for i := range g.Nodes {
		n := &g.Nodes[i]
		switch {
		case n.Nameless:
			all = append(all, Fault{"unnamed", n.Kind + " without what its key names", n.Mentions[0]})
		case n.ofDocument():
		case known && !n.sourced():
			all = append(all, Fault{"no-source", fmt.Sprintf("%s %s stands in no source", n.Kind, n.Name), n.Mentions[0]})
		}
	}
	return all
}

// mostCompared is how many pairs of names are looked at to say what a missing end may be.
const mostCompared = 5_000_000

// nearest gives a function that names the entity whose name is most like one that is none's, and
// says by what; "" where none is, or there are too many to look at.
func (g *Graph) nearest() func(said string) (name, why string) {
	if len(g.Loose)*len(g.Nodes) > mostCompared {
		return func(string) (string, string) { return "", "" }
	}
	folded := make([]string, len(g.Nodes))
	for i := range g.Nodes {
		folded[i] = Fold(g.Nodes[i].Name)
	}
	return func(said string) (name, why string) {
		most := 0.0
		for i, other := range folded {
			if score, by := alike(Fold(said), other); score > most && score >= least {
				most, name, why = score, g.Nodes[i].Name, by
			}
		}
		return name, why
	}
}

// ofDocument tells whether a node is a record that its document names.
func (n *Node) ofDocument() bool { return len(n.Key) > 0 && n.Key[0] == '\x01' }

// sourced tells whether a mention is known to stand somewhere.
func (n *Node) sourced() bool {
	for _, m := range n.Mentions {
		if m.Line > 0 {
			return true
		}
	}
	return false
}
