package merge

import (
	"slices"
	"sort"

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

// withoutEchoes joins entries of which every value stands where one of another
// entry stands: they are that entry once more, read in part.
func withoutEchoes(clusters []*cluster) []*cluster {
	type where struct {
		f *schema.Field
		layout.Span
	}
	at := map[where][]int{} // clusters, in order
	marks := make([]map[where]bool, len(clusters))
	for i, c := range clusters {
		marks[i] = map[where]bool{}
		for _, it := range c.items {
			for _, k := range it.marks {
				w := where{k.f, k.Span}
				if !marks[i][w] {
					marks[i][w] = true
					at[w] = append(at[w], i)
				}
			}
		}
	}
	gone := map[int]bool{}
	for i, c := range clusters {
		var rarest []int // of those that share a place with it
		for w := range marks[i] {
			if rarest == nil || len(at[w]) < len(rarest) {
				rarest = at[w]
			}
		}
		for _, j := range rarest {
			if j == i || gone[j] || len(marks[j]) < len(marks[i]) || !containsAll(marks[j], marks[i]) {
				continue
			}
			clusters[j].items = append(clusters[j].items, c.items...)
			clusters[j].gaps = clusters[j].gaps && c.gaps
			gone[i] = true
			break
		}
	}
	kept := clusters[:0:0]
	for i, c := range clusters {
		if !gone[i] {
			kept = append(kept, c)
		}
	}
	return kept
}

func containsAll[K comparable](all, some map[K]bool) bool {
	for k := range some {
		if !all[k] {
			return false
		}
	}
	return true
}

// insert puts a cluster behind the others, or before the first that begins
// behind it and that only earlier parts know: the items of one part stay in the
// order of its reply.
//
// Where none of earlier parts begins behind before, there is nothing to look for.
func insert(clusters []*cluster, c *cluster, before int) []*cluster {
	part := c.items[0].part
	if c.start >= before {
		return append(clusters, c)
	}
	for i, other := range clusters {
		if c.start >= 0 && other.start > c.start && !other.has(part) {
			return slices.Insert(clusters, i, c)
		}
	}
	return append(clusters, c)
}

func (c *cluster) has(part int) bool {
	return slices.ContainsFunc(c.items, func(it *item) bool { return it.part == part })
}

// byEvidence gives the cluster whose values stand at the places of the item's,
// more of them than stand elsewhere.
func (m *merger) byEvidence(spots map[spot][]*cluster, it *item) *cluster {
	var best *cluster
	most := 0
	seen := map[*cluster]bool{}
	for _, k := range it.marks {
		for _, c := range spots[spot{k.f, k.line}] {
			if seen[c] || c.has(it.part) {
				continue
			}
			seen[c] = true
			same, apart := c.compare(it)
			if same > 0 && same >= apart && same-apart+1 > most {
				best, most = c, same-apart+1
			}
		}
	}
	return best
}

// byRegion gives the cluster that stands in the same entry of the document as
// an item, if no field of the two stands at different places.
func (m *merger) byRegion(regions map[int][]*cluster, it *item) *cluster {
	home := m.region(it.start)
	if home < 0 {
		return nil
	}
	for _, c := range slices.Backward(regions[home]) {
		if !c.rivals(it) {
			return c
		}
	}
	return nil
}

// rivals tells whether some field of an item stands elsewhere than in the
// cluster, with as good a right: a value without its label is none where the
// cluster has one behind it.
func (c *cluster) rivals(it *item) bool {
	for _, k := range it.marks {
		best, meets := -1, false
		for _, other := range c.items {
			for _, o := range other.marks {
				if o.f == k.f {
					best = max(best, weight(o))
					meets = meets || overlap(o.Span, k.Span)
				}
			}
		}
		if best >= 0 && !meets && weight(k) >= best {
			return true
		}
	}
	return false
}

func weight(k mark) int {
	if k.led {
		return 1
	}
	return 0
}

// region gives the entry of the document that an offset lies in; -1: none.
func (m *merger) region(at int) int {
	if at < 0 {
		return -1
	}
	return sort.SearchInts(m.starts, at+1) - 1
}

// compare counts the fields whose values stand at the same place in both, and
// those whose values stand apart.
func (c *cluster) compare(it *item) (same, apart int) {
	for _, k := range it.marks {
		if !k.tell {
			continue
		}
		has, meets := false, false
		for _, other := range c.items {
			for _, o := range other.marks {
				if o.f == k.f && o.tell {
					has = true
					meets = meets || overlap(o.Span, k.Span)
				}
			}
		}
		switch {
		case meets:
			same++
		case has:
			apart++
		}
	}
	return same, apart
}

// goesOn tells whether the first item of a part is the rest of the last item of
// the part before it: a cut fell into it, nothing of it stands elsewhere than in
// the new part, and no field has a value in both.
func (m *merger) goesOn(f *schema.Field, last *cluster, it *item) bool {
	part := &m.parts[it.part]
	if !part.Inside || part.Gaps || f.Item.IsLeaf() || it.start < 0 {
		return false
	}
	for _, other := range last.items {
		if other.part == it.part || clash(f.Item, other.v, it.v) {
			return false
		}
	}
	return heads(f.Item, last, it)
}

// clash tells whether some leaf outside of lists has a value in both.
func clash(f *schema.Field, a, b *value.Value) bool {
	for _, kid := range f.Fields {
		x, y := a.Get(kid.Name), b.Get(kid.Name)
		if x.Empty() || y.Empty() {
			continue
		}
		if kid.IsLeaf() && !value.Equal(x, y) || kid.Type == schema.Group && clash(kid, x, y) {
			return true
		}
	}
	return false
}

// heads tells whether the item lacks the field that comes first in the last
// one: what begins an entry.
func heads(f *schema.Field, last *cluster, it *item) bool {
	var first *schema.Field
	at := -1
	for _, other := range last.items {
		for _, k := range other.marks {
			if at < 0 || k.Start < at {
				at, first = k.Start, k.f
			}
		}
	}
	return first != nil && !slices.ContainsFunc(it.marks, func(k mark) bool { return k.f == first })
}

// fillsGap tells whether an item has a value in the lines that its part was
// asked for.
func (m *merger) fillsGap(it *item) bool {
	for _, k := range it.marks {
		for _, s := range m.parts[it.part].Asked {
			if k.tell && overlap(s, k.Span) {
				return true
			}
		}
	}
	return false
}

// placed leaves out the entries no value of which stands in the document: which
// part of it they speak of can't be told.
func (m *merger) placed(clusters []*cluster) []*cluster {
	var kept []*cluster
	for _, c := range clusters {
		if c.start >= 0 {
			kept = append(kept, c)
			continue
		}
		was := c.items[0].v.Clone()
		m.decisions = append(m.decisions, Decision{What: Dropped, Note: "an entry without any value in the document", Was: was.Named("")})
	}
	return kept
}
