package pair

import (
	"bytes"
	"runtime"
	"slices"
	"sort"
	"sync"
	"sync/atomic"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Pair is two items that belong together by their places in their lists; -1
// stands for no item on that side.
type Pair struct{ Gold, Filled int }

// TooMany is how many pairs of items a list may come to before the optimal
// assignment, whose cost grows with the third power, gives way to one on candidates.
// IsTooMany tells such lists, so that it can be said aloud.
const TooMany = 25_000_000

// IsTooMany tells lists that are too long to be paired optimally.
func IsTooMany(gold, filled int) bool { return gold*filled > TooMany }

// Lists pairs the items of two lists of field f. Every item is in exactly one
// pair. The pairs with a gold item come first, in the order of gold; the
// unpaired filled items follow in their own order.
func Lists(f *schema.Field, gold, filled []value.Value) []Pair {
	if !Same(gold, filled) {
		return Differing(f, gold, filled)
	}
	pairs := make([]Pair, len(gold))
	for i := range gold {
		pairs[i] = Pair{i, i}
	}
	return pairs
}

// Differing is Lists for lists that are known not to be the same.
func Differing(f *schema.Field, gold, filled []value.Value) []Pair {
	pairs := make([]Pair, 0, len(gold)+len(filled))
	if len(gold) == 0 || len(filled) == 0 {
		for i := range gold {
			pairs = append(pairs, Pair{i, -1})
		}
		for i := range filled {
			pairs = append(pairs, Pair{-1, i})
		}
		return pairs
	}
	s := borrow()
	defer s.giveBack()
	s.paired(f, s.items(f, gold), s.items(f, filled), func(i, j, _, _ int) { pairs = append(pairs, Pair{i, j}) })
	return pairs
}

// paired tells the pairs of two lists of nodes, in the order of Lists: the places of both
// items in their lists, and in g and d; -1 for none.
func (s *scratch) paired(f *schema.Field, g, d []node, tell func(gold, filled, x, y int)) {
	s.tellPairs(g, d, s.match(f, g, d), tell)
}

func (s *scratch) tellPairs(g, d []node, partner []int, tell func(gold, filled, x, y int)) {
	at, taken := s.ints(len(g), 0), s.ints(len(d), -1) // by place in the list
	for i := range g {
		at[g[i].at] = i
	}
	for _, j := range partner {
		if j >= 0 {
			taken[d[j].at] = j
		}
	}
	for i, x := range at {
		if y := partner[x]; y >= 0 {
			tell(i, int(d[y].at), x, y)
		} else {
			tell(i, -1, x, -1)
		}
	}
	for j := range d {
		if taken[j] < 0 {
			tell(-1, j, -1, -1)
		}
	}
}

// Same tells lists that say the same item by item: pairing each with its like is
// optimal, and whatever else were optimal would come to the same.
func Same(gold, filled []value.Value) bool {
	if len(gold) != len(filled) {
		return false
	}
	for i := range gold {
		if !value.Equal(&gold[i], &filled[i]) {
			return false
		}
	}
	return true
}

// match gives for each item of g (in the order of their content; in their own,
// where the list has one) its partner in d, or -1. g and d are as items gives
// them.
func (s *scratch) match(f *schema.Field, g, d []node) []int {
	partner, some, low := s.matched(f, g, d, true)
	if some && low {
		partner, _, _ = s.matched(f, g, d, false)
	}
	return partner
}

// matched is match, where trim says so with the items that are the same paired first. That
// is a best pairing, since what two items are apart from a third bounds what they are
// apart from each other, but for similarities below Least, which count as none: low tells
// that some were met; some, that items are the same.
func (s *scratch) matched(f *schema.Field, g, d []node, trim bool) (partner []int, some, low bool) {
	partner = s.ints(len(g), -1)
	if len(g) == 0 || len(d) == 0 {
		return partner, false, false
	}
	if f.Ordered {
		s.align(g, d, partner)
		return partner, false, false
	}
	if reordered(g, d) {
		for i := range partner {
			partner[i] = i
		}
		return partner, true, false
	}
	taken := s.ints(len(d), 0)
	some = trim && isTransitive(f.Item) && theSame(g, d, partner, taken)
	if len(f.Key) > 0 {
		s.byKey(f, g, d, partner, taken)
	}
	low = s.assign(g, d, s.free(partner, -1), s.free(taken, 0), partner, taken, Least)
	return partner, some, low
}

// isTransitive tells whether two values below a field that are both right beside a third
// are right beside each other. Where a field is right within a bound, or when it is similar,
// they need not be.
func isTransitive(f *schema.Field) bool {
	switch f.Type {
	case schema.Group:
		for _, kid := range f.Fields {
			if !isTransitive(kid) {
				return false
			}
		}
		return true
	case schema.List:
		return isTransitive(f.Item)
	}
	return f.Compare.Kind != "within" && f.Compare.Kind != "similar"
}

// theSame pairs the items of two lists, in the order of their content, that are the same.
func theSame(g, d []node, partner, taken []int) (some bool) {
	for i, j := 0, 0; i < len(g) && j < len(d); {
		switch c := bytes.Compare(g[i].text, d[j].text); {
		case c < 0:
			i++
		case c > 0:
			j++
		default:
			partner[i], taken[j], some = j, 1, true
			i, j = i+1, j+1
		}
	}
	return some
}

// reordered tells lists of the same items: in the order of their content each
// stands beside its like, and no other pairing is better.
func reordered(g, d []node) bool {
	if len(g) != len(d) {
		return false
	}
	for i := range g {
		if !bytes.Equal(g[i].text, d[i].text) {
			return false
		}
	}
	return true
}

// free gives the places where nothing was set yet.
func (s *scratch) free(marks []int, unset int) []int {
	left := s.ints(len(marks), 0)[:0]
	for i, m := range marks {
		if m == unset {
			left = append(left, i)
		}
	}
	return left
}

// byKey pairs the items whose whole key both sides hold, however little else they have in
// common: within one key by assignment of all similarities, and what that leaves over in its
// order.
func (s *scratch) byKey(f *schema.Field, g, d []node, partner, taken []int) {
	filled := map[string][]int{}
	for j := range d {
		if taken[j] != 0 {
			continue
		}
		if key, ok := keyOf(f, &d[j]); ok {
			filled[key] = append(filled[key], j)
		}
	}
	var keys []string
	gold := map[string][]int{}
	for i := range g {
		if partner[i] >= 0 {
			continue
		}
		key, ok := keyOf(f, &g[i])
		if !ok || len(filled[key]) == 0 {
			continue
		}
		if len(gold[key]) == 0 {
			keys = append(keys, key)
		}
		gold[key] = append(gold[key], i)
	}
	for _, key := range keys {
		x, y := gold[key], filled[key]
		if len(x) > 1 || len(y) > 1 {
			s.assign(g, d, x, y, partner, taken, 0)
		}
		x = slices.DeleteFunc(x, func(i int) bool { return partner[i] >= 0 })
		y = slices.DeleteFunc(y, func(j int) bool { return taken[j] != 0 })
		for n := range min(len(x), len(y)) {
			partner[x[n]], taken[y[n]] = y[n], 1
		}
	}
}

// keyOf gives the canonical key of an item; false if a part of it is missing.
func keyOf(f *schema.Field, it *node) (string, bool) {
	var b []byte
	for _, name := range f.Key {
		part := it.v.Get(name)
		if !Has(part) {
			return "", false
		}
		b = append(canonical(b, f.Item.Child(name), part), 0)
	}
	return string(b), true
}

// assign pairs the given items so that the summed similarity is the greatest. low tells
// that a similarity was met that is below the least that counts.
func (s *scratch) assign(g, d []node, gold, filled []int, partner, taken []int, least float64) (low bool) {
	switch {
	case len(gold) == 0 || len(filled) == 0:
		return false
	case IsTooMany(len(gold), len(filled)):
		s.onCandidates(g, d, gold, filled, partner, taken, smallTable)
		return false
	}
	weight := s.table(len(gold), len(filled))
	defer s.tableDone(weight)
	low = s.weigh(g, d, gold, filled, weight, least)
	for i, j := range Assign(weight) {
		if j >= 0 && weight[i][j] >= least && weight[i][j] > 0 {
			partner[gold[i]] = filled[j]
			taken[filled[j]] = 1
		}
	}
	return low
}

// tie is next to nothing, more for one pair of contents than for another, whichever side
// they stand on: of pairings that are equally good it prefers one, and the same when the
// sides are swapped.
func tie(a, b uint64) float64 { return float64(mixed(a+b)>>11) * (1e-9 / (1 << 53)) }

// alone is how many similarities one hand computes by itself.
const alone = 50_000

// weigh computes all similarities; many of them by several goroutines, a row each.
func (s *scratch) weigh(g, d []node, gold, filled []int, weight [][]float64, least float64) (low bool) {
	if len(gold) == 1 && len(filled) == 1 {
		weight[0][0] = s.similarity(&g[gold[0]], &d[filled[0]])
		return weight[0][0] > 0 && weight[0][0] < least
	}
	var met atomic.Bool
	for _, x := range gold { // before several hands look at them
		g[x].marked()
	}
	for _, y := range filled {
		d[y].marked()
	}
	row := func(s *scratch, i int) {
		for j, y := range filled {
			if w := s.similarity(&g[gold[i]], &d[y]); w >= least && w > 0 {
				weight[i][j] = w + tie(g[gold[i]].mark, d[y].mark)
			} else if w > 0 && !met.Load() {
				met.Store(true)
			}
		}
	}
	if len(gold)*len(filled) < alone {
		for i := range gold {
			row(s, i)
		}
		return met.Load()
	}
	var next atomic.Int64
	var wait sync.WaitGroup
	for range runtime.GOMAXPROCS(0) {
		wait.Go(func() {
			own := borrow()
			defer own.giveBack()
			for i := int(next.Add(1)) - 1; i < len(gold); i = int(next.Add(1)) - 1 {
				row(own, i)
			}
		})
	}
	wait.Wait()
	return met.Load()
}

// inOrder pairs what is left in the order in which it stands, where it is alike enough.
func (s *scratch) inOrder(g, d []node, x, y []int, take func(i, j int)) {
	x, y = slices.Clone(x), slices.Clone(y)
	sort.Slice(x, func(a, b int) bool { return g[x[a]].at < g[x[b]].at })
	sort.Slice(y, func(a, b int) bool { return d[y[a]].at < d[y[b]].at })
	for n := 0; n < min(len(x), len(y)); n++ {
		if s.similarity(&g[x[n]], &d[y[n]]) >= Least {
			take(x[n], y[n])
		}
	}
}

// align pairs the items of an ordered list by the non-crossing alignment with
// the greatest summed similarity.
func (s *scratch) align(g, d []node, partner []int) {
	rows, columns := len(g), len(d)
	if IsTooMany(rows, columns) {
		s.alignLong(g, d, partner)
		return
	}
	best := make([][]float64, rows+1) // best[i][j]: of the items from i and j on
	alike := make([][]float64, rows)
	best[rows] = make([]float64, columns+1)
	for i := rows - 1; i >= 0; i-- {
		best[i], alike[i] = make([]float64, columns+1), make([]float64, columns)
		for j := columns - 1; j >= 0; j-- {
			best[i][j] = max(best[i+1][j], best[i][j+1])
			if w := s.similarity(&g[i], &d[j]); w >= Least {
				w += tie(g[i].marked(), d[j].marked())
				alike[i][j] = w
				best[i][j] = max(best[i][j], w+best[i+1][j+1])
			}
		}
	}
	for i, j := 0, 0; i < rows && j < columns; {
		switch {
		case alike[i][j] >= Least && best[i][j] == alike[i][j]+best[i+1][j+1]:
			partner[i] = j
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
	switch v = f.Figure(v); {
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
		return value.AppendCanonicalNumber(append(b, '#'), v.Text)
	}
	return v.Append(b)
}
