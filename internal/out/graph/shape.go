package graph

import (
	"math"
	"sort"

	gonum "gonum.org/v1/gonum/graph"
	"gonum.org/v1/gonum/graph/iterator"
	"gonum.org/v1/gonum/graph/simple"
	"gonum.org/v1/gonum/graph/traverse"
)

// shape is a graph as gonum takes it, without directions: who is next to whom, by rows of
// one list.
type shape struct {
	start []int   // of each node's neighbours in next
	next  []int32 // neighbours, in order, each once
}

// shape makes it.
func (g *Graph) shape() *shape {
	degree := make([]int, len(g.Nodes)+1)
	for _, e := range g.Edges {
		degree[e.From]++
		degree[e.To]++
	}
	s := &shape{start: make([]int, len(g.Nodes)+1)}
	total := 0
	for i := range g.Nodes {
		s.start[i] = total
		total += degree[i]
	}
	s.start[len(g.Nodes)] = total
	s.next = make([]int32, total)
	fill := append([]int(nil), s.start...)
	for _, e := range g.Edges {
		s.next[fill[e.From]] = int32(e.To)
		fill[e.From]++
		s.next[fill[e.To]] = int32(e.From)
		fill[e.To]++
	}
	kept := 0
	for i := range g.Nodes {
		row := s.next[s.start[i]:s.start[i+1]]
		sort.Slice(row, func(a, b int) bool { return row[a] < row[b] })
		s.start[i] = kept
		for j, n := range row {
			if j == 0 || n != row[j-1] {
				s.next[kept] = n
				kept++
			}
		}
	}
	s.start[len(g.Nodes)] = kept
	s.next = s.next[:kept]
	return s
}

func (s *shape) count() int { return len(s.start) - 1 }

func (s *shape) row(id int64) []int32 { return s.next[s.start[id]:s.start[id+1]] }

// around gives the neighbours of a node.
func (s *shape) around(n int) []int32 { return s.row(int64(n)) }

// Node, Nodes, From, To, HasEdgeBetween, HasEdgeFromTo, Edge and EdgeBetween make it a
// graph.Undirected and a graph.Directed with each edge both ways.
func (s *shape) Node(id int64) gonum.Node {
	if id < 0 || id >= int64(s.count()) {
		return nil
	}
	return simple.Node(id)
}

func (s *shape) Nodes() gonum.Nodes {
	return iterator.NewImplicitNodes(0, s.count(), func(id int) gonum.Node { return simple.Node(id) })
}

func (s *shape) From(id int64) gonum.Nodes {
	row := s.row(id)
	return iterator.NewImplicitNodes(0, len(row), func(i int) gonum.Node { return simple.Node(row[i]) })
}

func (s *shape) To(id int64) gonum.Nodes { return s.From(id) }

func (s *shape) HasEdgeBetween(x, y int64) bool {
	row := s.row(x)
	i := sort.Search(len(row), func(i int) bool { return int64(row[i]) >= y })
	return i < len(row) && int64(row[i]) == y
}

func (s *shape) HasEdgeFromTo(x, y int64) bool { return s.HasEdgeBetween(x, y) }

func (s *shape) Edge(x, y int64) gonum.Edge {
	if !s.HasEdgeBetween(x, y) {
		return nil
	}
	return simple.Edge{F: simple.Node(x), T: simple.Node(y)}
}

func (s *shape) EdgeBetween(x, y int64) gonum.Edge { return s.Edge(x, y) }

// Counts are the size and the look of a graph.
type Counts struct {
	ByKind     []KindCount
	Edges      []KindCount
	Density    float64 // of all pairs of entities, the share that is joined
	Components int
	Largest    int // entities in the largest
	Isolated   int // entities without an edge
	Loose      int
}

// KindCount counts one kind.
type KindCount struct {
	Kind string
	N    int
}

func counted(of map[string]int) (all []KindCount) {
	for _, k := range sortedKeys(of) {
		all = append(all, KindCount{k, of[k]})
	}
	sort.SliceStable(all, func(i, j int) bool { return all[i].N > all[j].N })
	return all
}

// Counts counts it.
func (g *Graph) Counts() Counts {
	s := g.shape()
	nodes, edges := map[string]int{}, map[string]int{}
	c := Counts{Loose: len(g.Loose)}
	for i := range g.Nodes {
		nodes[g.Nodes[i].Kind]++
		if len(s.around(i)) == 0 {
			c.Isolated++
		}
	}
	for _, e := range g.Edges {
		edges[e.Kind]++
	}
	c.ByKind, c.Edges = counted(nodes), counted(edges)
	if n := float64(len(g.Nodes)); n > 1 {
		c.Density = float64(len(s.next)) / (n * (n - 1))
	}
	size := 0
	w := traverse.BreadthFirst{Visit: func(gonum.Node) { size++ }}
	w.WalkAll(s, func() { size = 0 }, func() {
		c.Components++
		c.Largest = max(c.Largest, size)
	}, nil)
	return c
}

// Weight is how much hangs on an entity.
type Weight struct {
	Node, Degree int
	Rank         float64
}

// Weights gives the degree and the PageRank (Page, Brin and others 1999; damping 0.85) of
// every entity, the heaviest first. Edges are taken both ways: which way one goes says how
// a schema nests, not who is known.
func (g *Graph) Weights() (all []Weight) {
	if len(g.Nodes) == 0 {
		return nil
	}
	s := g.shape()
	ranks := s.ranks()
	for i := range g.Nodes {
		all = append(all, Weight{i, len(s.around(i)), ranks[i]})
	}
	sort.SliceStable(all, func(i, j int) bool {
		a, b := all[i], all[j]
		if math.Abs(a.Rank-b.Rank) > 1e-9 {
			return a.Rank > b.Rank
		}
		return a.Node < b.Node
	})
	return all
}

// ranks computes the PageRank by its definition, step by step, until nothing moves by more
// than a millionth. It is what gonum's network.PageRankSparse gives (a test holds that),
// which takes seven times as long on a million edges.
func (s *shape) ranks() []float64 {
	const damping = 0.85
	n := s.count()
	rank, next := make([]float64, n), make([]float64, n)
	for i := range rank {
		rank[i] = 1 / float64(n)
	}
	for range 1000 {
		idle := 0.0 // what entities without neighbours hand on to all
		for i := range next {
			next[i] = 0
			if len(s.around(i)) == 0 {
				idle += rank[i]
			}
		}
		for i := range rank {
			row := s.around(i)
			share := damping * rank[i] / float64(max(len(row), 1))
			for _, to := range row {
				next[to] += share
			}
		}
		moved := 0.0
		for i := range next {
			next[i] += (1-damping)/float64(n) + damping*idle/float64(n)
			moved += math.Abs(next[i] - rank[i])
		}
		if rank, next = next, rank; moved < 1e-6 {
			break
		}
	}
	return rank
}

// Path gives the entities on a shortest way between two, both included; nil where there is
// none.
func (g *Graph) Path(from, to int) []int {
	if from == to {
		return []int{from}
	}
	s := g.shape()
	before := map[int64]int64{int64(from): -1}
	w := traverse.BreadthFirst{Traverse: func(e gonum.Edge) bool {
		x, y := e.From().ID(), e.To().ID()
		if _, seen := before[y]; !seen {
			before[y] = x
		}
		return true
	}}
	if w.Walk(s, simple.Node(from), func(n gonum.Node, _ int) bool { return n.ID() == int64(to) }) == nil {
		return nil
	}
	var back []int
	for at := int64(to); at >= 0; at = before[at] {
		back = append(back, int(at))
	}
	for i, j := 0, len(back)-1; i < j; i, j = i+1, j-1 {
		back[i], back[j] = back[j], back[i]
	}
	return back
}

// Between gives the edges that join two entities.
func (g *Graph) Between(a, b int) (all []Edge) {
	for _, e := range g.Edges {
		if e.From == a && e.To == b || e.From == b && e.To == a {
			all = append(all, e)
		}
	}
	return all
}

// Guess is an edge that may be missing.
type Guess struct {
	A, B   int
	Score  float64
	Common []int // neighbours that both have
}

// busy is how many neighbours an entity may have and still say something of two of them.
const busy = 200

// Missing gives pairs that are not joined and have neighbours in common, the likeliest
// first (Adamic and Adar 2003): a neighbour counts the more the fewer others it has. They
// are guesses.
func (g *Graph) Missing(most int) []Guess {
	s := g.shape()
	var all []Guess
	at := map[[2]int]int{}
	for mid := range g.Nodes {
		row := s.around(mid)
		if len(row) < 2 || len(row) > busy {
			continue
		}
		weight := 1 / math.Log(float64(len(row))+1)
		for i := range row {
			for j := i + 1; j < len(row); j++ {
				a, b := int(row[i]), int(row[j])
				if s.HasEdgeBetween(int64(a), int64(b)) {
					continue
				}
				k, known := at[[2]int{a, b}]
				if !known {
					k = len(all)
					at[[2]int{a, b}] = k
					all = append(all, Guess{A: a, B: b})
				}
				all[k].Score += weight
				all[k].Common = append(all[k].Common, mid)
			}
		}
	}
	kept := all[:0]
	for _, x := range all {
		if len(x.Common) > 1 { // one in common is how graphs are
			kept = append(kept, x)
		}
	}
	sort.SliceStable(kept, func(i, j int) bool { return kept[i].Score > kept[j].Score })
	return kept[:min(most, len(kept))]
}

// Around gives the edges of an entity, and with more steps those of its neighbours.
func (g *Graph) Around(n, steps int) (edges []Edge) {
	near := map[int]int{n: 0}
	s := g.shape()
	frontier := []int{n}
	for d := 1; d <= steps; d++ {
		var next []int
		for _, at := range frontier {
			for _, other := range s.around(at) {
				if _, seen := near[int(other)]; !seen {
					near[int(other)] = d
					next = append(next, int(other))
				}
			}
		}
		frontier = next
	}
	for _, e := range g.Edges {
		a, in := near[e.From]
		b, also := near[e.To]
		if in && also && min(a, b) < steps {
			edges = append(edges, e)
		}
	}
	return edges
}

// Find gives the entities that a name means: those whose name it is, else those whose
// name holds it. kind may be "".
func (g *Graph) Find(name, kind string) (all []int) {
	want := Fold(name)
	fits := func(is func(key string) bool) {
		for i := range g.Nodes {
			n := &g.Nodes[i]
			if kind != "" && n.Kind != kind {
				continue
			}
			ok := is(n.Key) || n.Name == name
			for _, s := range n.Names {
				ok = ok || is(Fold(s))
			}
			if ok {
				all = append(all, i)
			}
		}
	}
	fits(func(key string) bool { return key == want })
	if len(all) == 0 && want != "" {
		fits(func(key string) bool { return key != "" && containsWords(key, want) })
	}
	return all
}
