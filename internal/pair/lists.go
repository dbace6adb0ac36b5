package pair

import (
	"sort"

	"filler/internal/schema"
	"filler/internal/value"
)

// Pair is two items that belong together by their places in their lists; -1
// stands for no item on that side.
type Pair struct{ Gold, Filled int }

// Lists pairs the items of two lists of field f. Every item is in exactly one
// pair. The pairs with a gold item come first, in the order of gold; the
// unpaired filled items follow in their own order.
func Lists(f *schema.Field, gold, filled []value.Value) []Pair {
	partner := make([]int, len(gold))
	taken := make([]bool, len(filled))
	for i := range partner {
		partner[i] = -1
	}
	if len(gold) > 0 && len(filled) > 0 {
		m := &matcher{f: f, gold: gold, filled: filled, partner: partner, taken: taken}
		if f.Ordered {
			m.align()
		} else {
			m.run()
		}
	}
	pairs := make([]Pair, 0, len(gold)+len(filled))
	for g, d := range partner {
		pairs = append(pairs, Pair{g, d})
	}
	for d := range filled {
		if !taken[d] {
			pairs = append(pairs, Pair{-1, d})
		}
	}
	return pairs
}

type matcher struct {
	f            *schema.Field
	gold, filled []value.Value
	partner      []int  // of each gold item
	taken        []bool // of each filled item
}

func (m *matcher) run() {
	gold, filled := byContent(m.f.Item, m.gold), byContent(m.f.Item, m.filled)
	if len(m.f.Key) > 0 {
		m.byKey(gold, filled)
	}
	m.assign(m.open(gold, func(i int) bool { return m.partner[i] < 0 }),
		m.open(filled, func(i int) bool { return !m.taken[i] }))
}

func (m *matcher) open(order []int, free func(int) bool) []int {
	var left []int
	for _, i := range order {
		if free(i) {
			left = append(left, i)
		}
	}
	return left
}

// byContent gives the indices of items in the order of their canonical
// content, so that ties fall the same way whatever the order of the items.
func byContent(f *schema.Field, items []value.Value) []int {
	order := make([]int, len(items))
	content := make([]string, len(items))
	for i := range items {
		order[i] = i
		content[i] = Canonical(f, &items[i])
	}
	sort.SliceStable(order, func(a, b int) bool { return content[order[a]] < content[order[b]] })
	return order
}

// byKey pairs the items whose whole key both sides hold; within one key by
// assignment.
func (m *matcher) byKey(gold, filled []int) {
	groups := map[string][]int{}
	for _, d := range filled {
		if key, ok := m.key(&m.filled[d]); ok {
			groups[key] = append(groups[key], d)
		}
	}
	var keys []string
	same := map[string][]int{}
	for _, g := range gold {
		key, ok := m.key(&m.gold[g])
		if !ok || len(groups[key]) == 0 {
			continue
		}
		if len(same[key]) == 0 {
			keys = append(keys, key)
		}
		same[key] = append(same[key], g)
	}
	for _, key := range keys {
		m.assign(same[key], groups[key])
	}
}

// key gives the canonical key of an item; false if a part of it is missing.
func (m *matcher) key(it *value.Value) (string, bool) {
	var b []byte
	for _, name := range m.f.Key {
		part := Member(it, name)
		if !Has(part) {
			return "", false
		}
		b = append(canonical(b, m.f.Item.Child(name), part), 0)
	}
	return string(b), true
}

// assign pairs the given items so that the summed similarity is the greatest.
func (m *matcher) assign(gold, filled []int) {
	if len(gold) == 0 || len(filled) == 0 {
		return
	}
	weight := make([][]float64, len(gold))
	for i, g := range gold {
		weight[i] = make([]float64, len(filled))
		for j, d := range filled {
			if s := Similarity(m.f.Item, &m.gold[g], &m.filled[d]); s >= Least {
				weight[i][j] = s
			}
		}
	}
	for i, j := range Assign(weight) {
		if j >= 0 && weight[i][j] >= Least {
			m.partner[gold[i]] = filled[j]
			m.taken[filled[j]] = true
		}
	}
}

// align pairs the items of an ordered list by the non-crossing alignment with
// the greatest summed similarity.
func (m *matcher) align() {
	rows, columns := len(m.gold), len(m.filled)
	best := make([][]float64, rows+1) // best[i][j]: of the items from i and j on
	alike := make([][]float64, rows)
	best[rows] = make([]float64, columns+1)
	for i := rows - 1; i >= 0; i-- {
		best[i], alike[i] = make([]float64, columns+1), make([]float64, columns)
		for j := columns - 1; j >= 0; j-- {
			best[i][j] = max(best[i+1][j], best[i][j+1])
			if s := Similarity(m.f.Item, &m.gold[i], &m.filled[j]); s >= Least {
				alike[i][j] = s
				best[i][j] = max(best[i][j], s+best[i+1][j+1])
			}
		}
	}
	for i, j := 0, 0; i < rows && j < columns; {
		switch {
		case alike[i][j] >= Least && best[i][j] == alike[i][j]+best[i+1][j+1]:
			m.partner[i], m.taken[j] = j, true
			i, j = i+1, j+1
		case best[i][j] == best[i+1][j]:
			i++
		default:
			j++
		}
	}
}

// Canonical gives a text that is the same for all ways to write the same
// content: members in schema order, empty values left out, numbers in one
// spelling, the items of lists without an order sorted.
func Canonical(f *schema.Field, v *value.Value) string { return string(canonical(nil, f, v)) }

func canonical(b []byte, f *schema.Field, v *value.Value) []byte {
	if v.Empty() {
		return b
	}
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		b = append(b, '{')
		for i, kid := range f.Fields {
			if m := v.Get(kid.Name); !m.Empty() {
				b = append(b, byte(i>>8), byte(i))
				b = canonical(b, kid, m)
			}
		}
		return append(b, '}')
	case f.Type == schema.List && v.Kind == value.Array:
		parts := make([]string, len(v.Kids))
		for i := range v.Kids {
			parts[i] = Canonical(f.Item, &v.Kids[i])
		}
		if !f.Ordered {
			sort.Strings(parts)
		}
		b = append(b, '[')
		for _, p := range parts {
			b = append(append(b, p...), 0)
		}
		return append(b, ']')
	case v.Kind == value.Number:
		return append(append(b, '#'), value.CanonicalNumber(v.Text)...)
	}
	return v.Append(b)
}
