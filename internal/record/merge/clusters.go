package merge

import (
	"slices"
	"sort"

	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/layout"
)

// Which items of several parts are one.

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
