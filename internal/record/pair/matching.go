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

// List makes a list ready, with all below it.
func (m *Matching) List(f *schema.Field, list *value.Value) Ready {
	n := m.s.take(1)
	m.s.make(&n[0], f, list)
	return Ready{&n[0]}
}

// Is tells whether there is anything.
func (r Ready) Is() bool { return r.n != nil }

// Kid gives the member of a group that is its field at i.
func (r Ready) Kid(i int) Ready {
	if r.n == nil || r.n.f.Type != schema.Group || i >= len(r.n.kids) {
		return Ready{}
	}
	return Ready{&r.n.kids[i]}
}

// Same tells whether two values have the same content.
func (r Ready) Same(o Ready) bool {
	return r.n != nil && o.n != nil && string(r.n.text) == string(o.n.text)
}

// Pairs tells the pairs of two lists in the order of Lists, each with both items; an item
// without a pair has none beside it.
func (m *Matching) Pairs(f *schema.Field, gold, filled Ready, tell func(p Pair, g, d Ready)) {
	g, d := itemsOf(gold), itemsOf(filled)
	m.s.paired(f, g, d, func(i, j, x, y int) {
		var a, b Ready
		if x >= 0 {
			a = Ready{&g[x]}
		}
		if y >= 0 {
			b = Ready{&d[y]}
		}
		tell(Pair{i, j}, a, b)
	})
}

func itemsOf(list Ready) []node {
	if list.n == nil || list.n.v.Kind != value.Array {
		return nil
	}
	return list.n.kids
}
