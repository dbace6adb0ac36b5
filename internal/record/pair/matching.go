package pair

import (
	"filler/internal/base/value"
	"filler/internal/schema"
)

// Matching pairs lists within lists: what was made ready for the outer list is used again for
// those within its items. It is for one goroutine, and good until End.
type Matching struct{ s *scratch }

// Ready is a value that was made ready for being compared; the zero value is none.
type Ready struct{ n *node }

// Begin begins a matching.
func Begin() *Matching { return &Matching{borrow()} }

// End gives back what it was made ready in.
func (m *Matching) End() { m.s.giveBack() }

// Kid gives the member of a group that is its field at i.
func (r Ready) Kid(i int) Ready {
	if r.n == nil || r.n.f.Type != schema.Group || i >= len(r.n.kids) {
		return Ready{}
	}
	return Ready{&r.n.kids[i]}
}

// Lists tells the pairs of two lists in the order of the function of that name, each with
// both items; an item without a pair has none beside it. same says that two say the same,
// also below. g and d are the lists as they were made ready for an outer one, or nothing.
func (m *Matching) Lists(f *schema.Field, gold, filled []value.Value, g, d Ready, tell func(p Pair, same bool, g, d Ready)) {
	if len(gold) == 0 || len(filled) == 0 {
		for i := range gold {
			tell(Pair{i, -1}, false, Ready{}, Ready{})
		}
		for j := range filled {
			tell(Pair{-1, j}, false, Ready{}, Ready{})
		}
		return
	}
	if x, y := itemsOf(g), itemsOf(d); len(x) == len(gold) && len(y) == len(filled) {
		m.all(f, x, y, tell)
		return
	}
	if m.differing(f, gold, filled, tell) {
		return
	}
	m.all(f, m.s.items(f, gold), m.s.items(f, filled), tell)
}

// all pairs lists of nodes.
func (m *Matching) all(f *schema.Field, g, d []node, tell func(p Pair, same bool, g, d Ready)) {
	m.s.paired(f, g, d, func(i, j, x, y int) { tell(Pair{i, j}, false, readyAt(g, x), readyAt(d, y)) })
}

func readyAt(nodes []node, i int) Ready {
	if i < 0 {
		return Ready{}
	}
	return Ready{&nodes[i]}
}

// differing pairs what is left of two lists of the same length beside items that are the same
// at the same place: those are then paired with each other, and nothing of them need be made
// ready. False where that may not be a best pairing.
func (m *Matching) differing(f *schema.Field, gold, filled []value.Value, tell func(p Pair, same bool, g, d Ready)) bool {
	if len(gold) != len(filled) || f.Ordered || !isTransitive(f.Item) {
		return false
	}
	places := m.s.ints(len(gold), 0)[:0]
	for i := range gold {
		if !value.Equal(&gold[i], &filled[i]) {
			places = append(places, i)
		}
	}
	if 2*len(places) > len(gold) { // too little is gained, where it may be for nothing
		return false
	}
	g, d := m.s.some(f, gold, places), m.s.some(f, filled, places)
	partner, _, low := m.s.matched(f, g, d, true)
	if low {
		return false
	}
	with := m.s.ints(len(gold), -1) // by place in gold: the node's number, where it is among those left
	for x := range g {
		with[g[x].at] = x
	}
	taken := m.s.ints(len(filled), -1)
	for y := range d {
		taken[d[y].at] = y
	}
	for i, x := range with {
		if x < 0 {
			tell(Pair{i, i}, true, Ready{}, Ready{})
			continue
		}
		if y := partner[x]; y >= 0 {
			taken[d[y].at] = -1
			tell(Pair{i, int(d[y].at)}, false, Ready{&g[x]}, Ready{&d[y]})
		} else {
			tell(Pair{i, -1}, false, Ready{&g[x]}, Ready{})
		}
	}
	for j, y := range taken {
		if y >= 0 {
			tell(Pair{-1, j}, false, Ready{}, Ready{&d[y]})
		}
	}
	return true
}

func itemsOf(list Ready) []node {
	if list.n == nil || list.n.v.Kind != value.Array {
		return nil
	}
	return list.n.kids
}
