package merge

import (
	"slices"

	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/layout"
)

// item is an item of a list, in the record of a part.
type item struct {
	node
	marks []mark
	start int    // where it stands: the middle one of its values; -1: nowhere
	key   string // its key, complete; "" without one
	first bool   // of its part
	twin  int    // the item before it in the reply that it is a part of, from 1; 0: none
}

// mark is a value of an item with its place.
type mark struct {
	f *schema.Field
	layout.Span
	line int
	only bool // it stands nowhere else
	led  bool // behind a label of its field
	tell bool // no other item of the part has the same field at the same place
}

// cluster are the items that are one.
type cluster struct {
	items []*item
	start int
	gaps  bool // all of it comes from parts that fill gaps
}

// spot finds clusters by the line of a value.
type spot struct {
	f    *schema.Field
	line int
}

// list merges lists: items that are one become one, in document order.
func (m *merger) list(f *schema.Field, nodes []node, p value.Pointer) value.Value {
	var items []*item
	for _, n := range nodes {
		items = append(items, m.itemsOf(f, n, p)...)
	}
	clusters := m.gather(f, items, p)
	if p == "" && m.schema.EachEntry() {
		clusters = withoutEchoes(clusters)
	}
	if p == "" && m.schema.EachEntry() && len(m.parts) > 1 && !m.parts[1].Gaps {
		clusters = m.placed(clusters)
	}
	out := value.List()
	for i, c := range clusters {
		var same []node
		for _, it := range c.items {
			same = append(same, it.node)
		}
		if len(c.items) > 1 {
			m.tell(Joined, p.Index(i), "in %d chunks", len(c.items))
		}
		before := m.fresh
		m.fresh = m.fresh || c.gaps
		got := m.field(f.Item, same, p.Index(i))
		m.fresh = before
		if len(same) == 1 && same[0].v.Kind == value.Null {
			got = value.Value{}
		}
		out.Kids = append(out.Kids, got)
	}
	return out
}

// itemsOf gives the items of a part's list, those that stand twice in the reply
// and once in the source taken once.
func (m *merger) itemsOf(f *schema.Field, n node, p value.Pointer) []*item {
	var items []*item
	count := map[mark]int{}
	at := map[mark][]int{} // the items that have a value of a field at a place
	for i := range n.v.Kids {
		it := &item{node: node{n.part, n.at.Index(i), &n.v.Kids[i]}, start: -1}
		m.marks(f.Item, it.node, it, true)
		if len(it.marks) == 0 {
			m.marks(f.Item, it.node, it, false)
		}
		it.start = it.stands()
		it.key = keyOf(f, it.v)
		if firstAt(items, at, it, func(o *item) bool { return m.repeats(f.Item, o, it) }) >= 0 {
			was := it.v.Clone()
			m.decisions = append(m.decisions, Decision{What: Dropped, Path: p, Note: "an item that the reply has twice and the document once", Was: was.Named("")})
			continue
		}
		if p == "" && m.schema.EachEntry() {
			it.twin = firstAt(items, at, it, func(o *item) bool { return within(o, it) }) + 1
		}
		if it.twin == 0 {
			for _, k := range it.marks {
				count[mark{f: k.f, Span: k.Span}]++
			}
		}
		for _, k := range it.marks {
			w := mark{f: k.f, Span: k.Span}
			at[w] = append(at[w], len(items))
		}
		items = append(items, it)
	}
	for i, it := range items {
		it.first = i == 0
		for j := range it.marks {
			it.marks[j].tell = count[mark{f: it.marks[j].f, Span: it.marks[j].Span}] == 1
		}
	}
	return items
}

// firstAt gives the first item that fits, of those that have a value where the item has
// one that stands nowhere else; -1 where none does. Whatever is the same item has.
func firstAt(items []*item, at map[mark][]int, it *item, fits func(o *item) bool) int {
	best := -1
	for _, k := range it.marks {
		if !k.only {
			continue
		}
		for _, i := range at[mark{f: k.f, Span: k.Span}] {
			if (best < 0 || i < best) && fits(items[i]) {
				best = i
			}
		}
	}
	return best
}

// marks gathers the places of an item's values: its own, and with deep those
// of the lists in it as well.
func (m *merger) marks(f *schema.Field, n node, it *item, own bool) {
	switch {
	case f.Type == schema.Group && n.v.Kind == value.Object:
		for _, kid := range f.Fields {
			if v := n.v.Get(kid.Name); v != nil {
				m.marks(kid, node{n.part, n.at.Key(kid.Name), v}, it, own)
			}
		}
	case f.Type == schema.List && n.v.Kind == value.Array:
		for i := range n.v.Kids {
			if !own {
				m.marks(f.Item, node{n.part, n.at.Index(i), &n.v.Kids[i]}, it, own)
			}
		}
	case f.IsLeaf():
		if place := m.place(n); place.Found() {
			it.marks = append(it.marks, mark{f: f, Span: layout.Span{Start: place.Start, End: place.End}, line: place.Line, only: place.Rivals == 0, led: place.Led})
		}
	}
}

// stands gives where an item stands: a value that was found in a wrong place
// does not move it.
func (it *item) stands() int {
	if len(it.marks) == 0 {
		return -1
	}
	var at []int
	for _, k := range it.marks {
		at = append(at, k.Start)
	}
	slices.Sort(at)
	return at[len(at)/2]
}

// repeats tells whether two items of one reply are one in the source: they say
// the same, and what stands only once there stands for both.
func (m *merger) repeats(f *schema.Field, a, b *item) bool {
	if f.IsLeaf() || !value.Equal(a.v, b.v) {
		return false
	}
	once := 0
	for i, k := range a.marks {
		if i < len(b.marks) && k.only {
			if b.marks[i].Span != k.Span {
				return false
			}
			once++
		}
	}
	return once > 0
}

// within tells whether all places of an entry are places of another in the same
// reply, and one of them stands only once: then it is that entry once more.
func within(o, it *item) bool {
	once := false
	for _, k := range it.marks {
		if !slices.ContainsFunc(o.marks, func(other mark) bool { return other.f == k.f && other.Span == k.Span }) {
			return false
		}
		once = once || k.only
	}
	return once
}

func keyOf(f *schema.Field, v *value.Value) string {
	if len(f.Key) == 0 {
		return ""
	}
	key := value.List()
	for _, name := range f.Key {
		at := v.Get(name)
		if at.Empty() {
			return ""
		}
		key.Kids = append(key.Kids, at.Clone().Named(""))
	}
	return string(key.JSON())
}

// gather puts the items that are one together, in document order.
func (m *merger) gather(f *schema.Field, items []*item, p value.Pointer) []*cluster {
	var clusters []*cluster
	spots := map[spot][]*cluster{}
	keys := map[string]*cluster{}
	var last *cluster               // that of the item before
	homes := map[int][]*cluster{}   // of each part's items
	regions := map[int][]*cluster{} // by the entry of the document that they stand in
	rows := map[int][]*cluster{}    // by the lines that their values stand in
	words := map[string]*cluster{}  // of a plain list by what they say
	reach, part := reach{}, -1
	for _, it := range items {
		if it.part != part {
			part = it.part
			reach.next()
		}
		var c *cluster
		if it.twin > 0 {
			c = homes[it.part][it.twin-1]
		}
		if c == nil {
			c = m.byEvidence(spots, it)
		}
		if c == nil && it.key != "" {
			if k := keys[it.key]; k != nil && !k.has(it.part) {
				c = k
			}
		}
		if c == nil && p == "" && m.schema.EachEntry() {
			c = m.byRegion(regions, it)
		}
		if c == nil && p == "" && m.schema.EachEntry() && m.parts[it.part].Gaps {
			c = m.enclosing(f, clusters, it)
		}
		if c == nil && m.parts[it.part].Gaps && it.key == "" {
			c = ofRow(f, rows, it)
		}
		if c == nil && m.parts[it.part].Gaps && f.Item.IsLeaf() {
			c = words[it.words(f)]
		}
		if c == nil && it.first && last != nil && m.goesOn(f, last, it) {
			c = last
		}
		switch {
		case c != nil:
			c.items = append(c.items, it)
			c.gaps = c.gaps && m.parts[it.part].Gaps
			if c.start < 0 && it.start >= 0 {
				c.start = it.start
				regions[m.region(c.start)] = append(regions[m.region(c.start)], c)
				reach.add(c.start)
			}
		case m.parts[it.part].Gaps && !m.fillsGap(it):
			homes[it.part] = append(homes[it.part], nil)
			continue
		default:
			c = &cluster{items: []*item{it}, start: it.start, gaps: m.parts[it.part].Gaps}
			clusters = insert(clusters, c, reach.before)
			reach.add(c.start)
			if c.start >= 0 {
				regions[m.region(c.start)] = append(regions[m.region(c.start)], c)
			}
		}
		homes[it.part] = append(homes[it.part], c)
		if !m.parts[it.part].Gaps {
			last = c
		}
		for _, k := range it.marks {
			s := spot{k.f, k.line}
			if !slices.Contains(spots[s], c) {
				spots[s] = append(spots[s], c)
			}
			if !slices.Contains(rows[k.line], c) {
				rows[k.line] = append(rows[k.line], c)
			}
		}
		if said := it.words(f); said != "" && words[said] == nil {
			words[said] = c
		}
		if it.key != "" && keys[it.key] == nil {
			keys[it.key] = c
		}
	}
	return clusters
}

// reach tells how far the items of earlier parts reach.
type reach struct{ before, all int }

func (r *reach) next()      { r.before = r.all }
func (r *reach) add(at int) { r.all = max(r.all, at) }

func containsAll[K comparable](all, some map[K]bool) bool {
	for k := range some {
		if !all[k] {
			return false
		}
	}
	return true
}
