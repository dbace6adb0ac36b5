package pair

import (
	"cmp"
	"runtime"
	"slices"
	"sync"
	"sync/atomic"
)

// Lists that are too long for a table of all similarities are paired on candidates: pairs
// of items that share something rare. Of the items that are left, which have lost their
// candidates to others, candidates are looked for again, until a table holds them or
// nothing more is found.

// Bounds of looking for candidates.
const (
	rareIn     = 64 // of so many items at most all are candidates for what they share
	nearRank   = 6  // of more those of about the same rank, so many on either side
	candidates = 10 // that are kept for an item
	tried      = 40 // of those that share the most
	triedFirst = 10 // of them before it is asked whether one is nearly the same
	rounds     = 4  // of looking again
	smallTable = 1_000_000
)

// edge is a candidate with its similarity.
type edge struct {
	to int32
	w  float64
}

// onCandidates pairs the given items of two long lists: those that are the same, then by the
// best assignment on candidates; what is left by a table of all, where it has so many cells
// at most.
func (s *scratch) onCandidates(g, d []node, gold, filled []int, partner, taken []int, table int) {
	take := func(i, j int) { partner[i], taken[j] = j, 1 }
	gold, filled = s.sameFirst(g, d, gold, filled, take)
	for range rounds {
		if len(gold) == 0 || len(filled) == 0 {
			return
		}
		if len(gold)*len(filled) <= table {
			s.assign(g, d, gold, filled, partner, taken, Least)
			return
		}
		edges := edgesOf(g, d, gold, filled)
		found := 0
		for x, y := range assignSparse(edges, len(filled)) {
			if y >= 0 {
				take(gold[x], filled[y])
				found++
			}
		}
		if found*100 < len(gold) {
			break
		}
		gold = slices.DeleteFunc(slices.Clone(gold), func(i int) bool { return partner[i] >= 0 })
		filled = slices.DeleteFunc(slices.Clone(filled), func(j int) bool { return taken[j] != 0 })
	}
	s.inOrder(g, d, gold, filled, take)
}

// sameFirst pairs the items that are the same, and gives what is left.
func (s *scratch) sameFirst(g, d []node, gold, filled []int, take func(i, j int)) (x, y []int) {
	like := map[string][]int{}
	for _, j := range filled {
		like[string(d[j].text)] = append(like[string(d[j].text)], j)
	}
	used := make([]bool, len(d))
	for _, i := range gold {
		if js := like[string(g[i].text)]; len(js) > 0 {
			take(i, js[0])
			used[js[0]] = true
			like[string(g[i].text)] = js[1:]
			continue
		}
		x = append(x, i)
	}
	for _, j := range filled {
		if !used[j] {
			y = append(y, j)
		}
	}
	return x, y
}

// finder finds candidates for the items of one list in another.
type finder struct {
	g, d         []node
	gold, filled []int
	mine, theirs []traits
	by           []trait
}

// trait is one kind of traits with the indexes of both sides, which are made when they are
// first asked for, and what sharing one counts.
type trait struct {
	of        func(t *traits) []uint64
	counts    float32
	once      *sync.Once
	gold, has index
}

func (k *trait) ready(f *finder) *trait {
	k.once.Do(func() {
		var wait sync.WaitGroup
		wait.Go(func() { k.gold = indexOf(f.mine, k.of) })
		wait.Go(func() { k.has = indexOf(f.theirs, k.of) })
		wait.Wait()
	})
	return k
}

// edgesOf gives for each gold item its candidates in filled.
func edgesOf(g, d []node, gold, filled []int) [][]edge {
	f := &finder{g: g, d: d, gold: gold, filled: filled, mine: make([]traits, len(gold)), theirs: make([]traits, len(filled))}
	inParallel(len(gold), func(int) func(i int) { return func(i int) { f.mine[i] = traitsOf(&g[gold[i]]) } })
	inParallel(len(filled), func(int) func(i int) { return func(j int) { f.theirs[j] = traitsOf(&d[filled[j]]) } })
	// From what says the most to what says the least.
	f.by = []trait{
		{of: func(t *traits) []uint64 { return t.butOne }, counts: 4, once: &sync.Once{}},
		{of: func(t *traits) []uint64 { return t.values }, counts: 1, once: &sync.Once{}},
		{of: func(t *traits) []uint64 { return t.words }, counts: 0.2, once: &sync.Once{}},
		{of: func(t *traits) []uint64 { return t.pairs }, counts: 0.5, once: &sync.Once{}},
		{of: func(t *traits) []uint64 { return t.letters }, counts: 0.1, once: &sync.Once{}},
	}
	edges := make([][]edge, len(gold))
	inParallel(len(gold), func(int) func(i int) {
		h := &hunt{finder: f, own: &scratch{}, shared: make([]float32, len(filled))}
		return func(i int) { edges[i] = h.candidates(i) }
	})
	return edges
}

// inParallel calls what hand gives for 0 to n-1, each hand for its own share.
func inParallel(n int, hand func(hand int) func(i int)) {
	const batch = 256
	var next atomic.Int64
	var wait sync.WaitGroup
	for h := range runtime.GOMAXPROCS(0) {
		wait.Go(func() {
			do := hand(h)
			for {
				from := int(next.Add(batch)) - batch
				if from >= n {
					return
				}
				for i := from; i < min(n, from+batch); i++ {
					do(i)
				}
			}
		})
	}
	wait.Wait()
}

// hunt is what one hand looks for candidates with.
type hunt struct {
	*finder
	own     *scratch
	shared  []float32 // by filled item: how much it shares
	seen    []int32   // those that share anything
	top     []int32   // those of them that share the most
	weighed []int32   // those whose similarity was computed
}

// candidates gives the filled items that may belong to a gold one, the most alike first:
// by what is rare, and where that finds none that is nearly the same, by any two values.
func (h *hunt) candidates(i int) []edge {
	t := &h.mine[i]
	var out []edge
	for k := range h.by {
		h.share(i, t, h.by[k].ready(h.finder))
		if out = h.best(i, out); len(out) > 0 && out[0].w >= h.sure(i) {
			break
		}
	}
	for _, j := range h.seen {
		h.shared[j] = 0
	}
	h.seen, h.weighed = h.seen[:0], h.weighed[:0]
	if len(out) > candidates {
		out = out[:candidates]
	}
	return slices.Clip(out)
}

// sure gives the similarity from which on no further candidates are looked for: that of an
// item in which little else can be wrong than one value.
func (h *hunt) sure(i int) float64 {
	switch h.g[h.gold[i]].leaves {
	case 0, 1:
		return 0.35
	case 2:
		return 0.6
	}
	return 0.75
}

// share counts what a gold item shares with filled ones: with all that have a rare trait;
// of a common one with those of about the same rank, so that all of them find somebody.
func (h *hunt) share(i int, t *traits, k *trait) {
	for _, trait := range k.of(t) {
		all := k.has.having(trait)
		if len(all) > rareIn {
			rank, of := k.gold.rankIn(trait, int32(i))
			at := rank
			if of > 1 {
				at = int(float64(rank) / float64(of-1) * float64(len(all)-1))
			}
			all = all[max(0, at-nearRank):min(len(all), at+nearRank+1)]
		}
		for _, p := range all {
			if h.shared[p.item] == 0 {
				h.seen = append(h.seen, p.item)
			}
			h.shared[p.item] += k.counts
		}
	}
}

// best weighs the items that share the most, besides those that are known.
func (h *hunt) best(i int, known []edge) []edge {
	sure := h.sure(i)
	found := len(known) > 0 && known[0].w >= sure
	for n, j := range h.most() {
		if n >= triedFirst && found || len(h.weighed) >= tried {
			break
		}
		if slices.Contains(h.weighed, j) {
			continue
		}
		h.weighed = append(h.weighed, j)
		h.own.ints_ = h.own.ints_[:0]
		if w := h.own.similarity(&h.g[h.gold[i]], &h.d[h.filled[j]]); w >= Least {
			known = append(known, edge{j, w})
			found = found || w >= sure
		}
	}
	slices.SortFunc(known, func(a, b edge) int {
		if a.w != b.w {
			return cmp.Compare(b.w, a.w)
		}
		return cmp.Compare(a.to, b.to)
	})
	return known
}

// most gives the items that share the most, half as many as may be weighed.
func (h *hunt) most() []int32 {
	top := h.top[:0]
	before := func(a, b int32) bool {
		return h.shared[a] > h.shared[b] || h.shared[a] == h.shared[b] && a < b
	}
	for _, j := range h.seen {
		full := len(top) == tried/2
		if full && !before(j, top[len(top)-1]) {
			continue
		}
		if !full {
			top = append(top, j)
		}
		k := len(top) - 1
		for ; k > 0 && before(j, top[k-1]); k-- {
			top[k] = top[k-1]
		}
		top[k] = j
	}
	h.top = top
	return top
}

// alignLong pairs the items of two long ordered lists by the best non-crossing alignment
// on candidates, and what is left between two pairs by the best one there.
func (s *scratch) alignLong(g, d []node, partner []int) {
	all := func(n int) []int {
		out := make([]int, n)
		for i := range out {
			out[i] = i
		}
		return out
	}
	edges := edgesOf(g, d, all(len(g)), all(len(d)))
	byText := map[string][]int32{}
	for j := range d {
		byText[string(d[j].text)] = append(byText[string(d[j].text)], int32(j))
	}
	for i := range g { // the same, near its place
		js := byText[string(g[i].text)]
		at, _ := slices.BinarySearch(js, int32(float64(i)/float64(len(g))*float64(len(d))))
		for _, j := range js[max(0, at-nearRank):min(len(js), at+nearRank+1)] {
			if !slices.ContainsFunc(edges[i], func(e edge) bool { return e.to == j }) {
				edges[i] = append(edges[i], edge{j, 1})
			}
		}
	}
	chain(edges, len(d), partner)
	lastG, lastD := -1, -1
	for i := 0; i <= len(g); i++ {
		if i < len(g) && partner[i] < 0 {
			continue
		}
		j := len(d)
		if i < len(g) {
			j = partner[i]
		}
		if rows, columns := i-lastG-1, j-lastD-1; rows > 0 && columns > 0 && rows*columns <= smallTable {
			s.alignBetween(g, d, lastG+1, i, lastD+1, j, partner)
		}
		lastG, lastD = i, j
	}
}

// alignBetween aligns g[from:to] with d[low:high].
func (s *scratch) alignBetween(g, d []node, from, to, low, high int, partner []int) {
	part := make([]int, to-from)
	for i := range part {
		part[i] = -1
	}
	s.align(g[from:to], d[low:high], part)
	for i, j := range part {
		if j >= 0 {
			partner[from+i] = low + j
		}
	}
}
