package merge

import (
	"slices"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// Values of any form that hold others: what several parts say of a map is put together name by
// name, what they say of an array item by item, so that none takes the place of the others.

// entries puts maps together: a name that several parts have is decided as a field is.
func (m *merger) entries(nodes []node, p value.Pointer) value.Value {
	out := value.Obj()
	below := map[string][]node{}
	var names []string
	for _, n := range nodes {
		for i := range n.v.Kids {
			name := n.v.Kids[i].Name
			if below[name] == nil {
				names = append(names, name)
			}
			below[name] = append(below[name], node{n.part, n.at.Key(name), &n.v.Kids[i]})
		}
	}
	for _, name := range names {
		v := m.anyForm(below[name], p.Key(name))
		if v.Kind == value.Null && below[name][0].v.Kind != value.Null { // no part may say it
			continue
		}
		out.Kids = append(out.Kids, v.Named(name))
	}
	return out
}

func (m *merger) anyForm(nodes []node, p value.Pointer) value.Value {
	if all(nodes, value.Object) && !schema.IsAmount(nodes[0].v) {
		return m.entries(nodes, p)
	}
	return m.leaf(nodes, p)
}

// elements puts arrays together: an item that says what one of another part says, in the same
// place, is that one.
func (m *merger) elements(nodes []node, p value.Pointer) value.Value {
	out := value.List()
	var all []node
	for _, n := range nodes {
		for i := range n.v.Kids {
			own := node{n.part, n.at.Index(i), &n.v.Kids[i]}
			if m.parts[n.part].Gaps && !m.asked(n.part, m.place(own)) && !m.fresh {
				continue
			}
			if slices.ContainsFunc(all, func(k node) bool { return k.part != own.part && value.Equal(k.v, own.v) && m.meet(k, own) }) {
				continue
			}
			m.carry(own, p.Index(len(out.Kids)))
			all, out.Kids = append(all, own), append(out.Kids, own.v.Clone().Named(""))
		}
	}
	return out
}

// meet tells whether what two equal values hold stands in the same place, or nowhere.
func (m *merger) meet(a, b node) bool {
	found, same := false, false
	a.v.Walk(func(below value.Pointer, _ *value.Value) bool {
		x, y := m.parts[a.part].Places[a.at+below], m.parts[b.part].Places[b.at+below]
		found = found || x.Found() && y.Found()
		same = same || x.Found() && x.Start == y.Start
		return true
	})
	return same || !found
}

// place gives where a value stands; of one that holds others, by the first of them that does.
func (m *merger) place(n node) evidence.Place {
	places := m.parts[n.part].Places
	if at, ok := places[n.at]; ok || !holdsOthers(n.v) {
		return at
	}
	var first evidence.Place
	for p, at := range places {
		if p.Within(n.at) && at.Found() && (!first.Found() || at.Start < first.Start || at.Start == first.Start && at.End < first.End) {
			first = at
		}
	}
	return first
}

func holdsOthers(v *value.Value) bool { return v.Kind == value.Object || v.Kind == value.Array }

// carry takes the places of a value along to where it is kept, and tells whether it has one as a
// whole.
func (m *merger) carry(n node, p value.Pointer) bool {
	places := m.parts[n.part].Places
	at, whole := places[n.at]
	if whole {
		m.places[p] = at
	}
	if whole || !holdsOthers(n.v) {
		return true
	}
	n.v.Walk(func(below value.Pointer, _ *value.Value) bool {
		if at, ok := places[n.at+below]; ok {
			m.places[p+below] = at
		}
		return true
	})
	return false
}
