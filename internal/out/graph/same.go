package graph

import (
	"bufio"
	"encoding/json"
	"fmt"
	"os"
	"sort"
	"strings"

	"github.com/agext/levenshtein"

	"filler/internal/base/process"
)

// Decision is what somebody decided about two names of one kind.
type Decision struct {
	Kind string `json:"kind"`
	A    string `json:"a"` // a spelling of the one
	B    string `json:"b"`
	Same bool   `json:"same"`
	By   string `json:"by,omitempty"`
	On   string `json:"on,omitempty"` // YYYY-MM-DD
}

// ReadDecisions reads a file of decisions, a line each; none where there is no file.
func ReadDecisions(file string) (all []Decision, err error) {
	f, err := os.Open(file)
	if os.IsNotExist(err) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("%s: can't be read; check its permissions", file)
	}
	defer f.Close()
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, 1<<20)
	for n := 1; lines.Scan(); n++ {
		if strings.TrimSpace(lines.Text()) == "" {
			continue
		}
		var d Decision
		if err := json.Unmarshal(lines.Bytes(), &d); err != nil || d.Kind == "" || d.A == "" || d.B == "" {
			return nil, fmt.Errorf(`%s:%d: not a decision; write {"kind": "person", "a": "…", "b": "…", "same": true}`, file, n)
		}
		all = append(all, d)
	}
	return all, lines.Err()
}

// WriteDecisions writes a file of decisions in one piece.
func WriteDecisions(file string, all []Decision) error {
	var b strings.Builder
	for _, d := range all {
		line, err := json.Marshal(d)
		if err != nil {
			return err
		}
		b.Write(line)
		b.WriteByte('\n')
	}
	return process.WriteFile(file, []byte(b.String()), false)
}

// Candidate is two entities that may be one.
type Candidate struct {
	A, B   int // of Graph.Nodes
	Score  float64
	Why    string
	Shared int // neighbours that both have
}

// least is the score from which two names are worth a look, and crowd how many entities
// may share a word before it says nothing.
const (
	least = 0.72
	crowd = 60
)

// Candidates gives the pairs of entities of one kind whose names are alike, the likeliest
// first. decided are left out.
func (g *Graph) Candidates(decided []Decision) (all []Candidate) {
	around := g.neighbours()
	known := g.decided(decided)
	seen := map[[2]int]bool{}
	g.blocks(func(a, b int) {
		if a > b {
			a, b = b, a
		}
		pair := [2]int{a, b}
		if a == b || seen[pair] || known[pair] != nil {
			return
		}
		seen[pair] = true
		score, why := alike(g.Nodes[a].Key, g.Nodes[b].Key)
		if score == 0 {
			return
		}
		shared := common(around[a], around[b])
		if shared > 0 {
			score += (1 - score) * float64(min(shared, 3)) / 6
		}
		if score >= least {
			all = append(all, Candidate{a, b, score, why, shared})
		}
	})
	sort.SliceStable(all, func(i, j int) bool {
		if all[i].Score != all[j].Score {
			return all[i].Score > all[j].Score
		}
		return all[i].A < all[j].A || all[i].A == all[j].A && all[i].B < all[j].B
	})
	return all
}

// blocks calls do for pairs worth comparing: of one kind, that share a word which few
// have, or stand next to each other in the order of their letters, forwards or backwards.
func (g *Graph) blocks(do func(a, b int)) {
	byWord := map[string][]int{}
	byKind := map[string][]int{}
	for i := range g.Nodes {
		n := &g.Nodes[i]
		if n.Nameless || strings.HasPrefix(n.Key, "\x01") || n.Key == "" {
			continue
		}
		byKind[n.Kind] = append(byKind[n.Kind], i)
		for _, w := range strings.Fields(n.Key) {
			byWord[n.Kind+"\x00"+w] = append(byWord[n.Kind+"\x00"+w], i)
		}
	}
	for _, w := range sortedKeys(byWord) {
		all := byWord[w]
		for i := range all {
			for j := i + 1; j < len(all) && len(all) <= crowd; j++ {
				do(all[i], all[j])
			}
		}
	}
	const near = 6
	for _, kind := range sortedKeys(byKind) {
		all := byKind[kind]
		for _, key := range []func(string) string{func(s string) string { return s }, backwards, lastFirst} {
			sort.SliceStable(all, func(i, j int) bool { return key(g.Nodes[all[i]].Key) < key(g.Nodes[all[j]].Key) })
			for i := range all {
				for j := i + 1; j < len(all) && j <= i+near; j++ {
					do(all[i], all[j])
				}
			}
		}
	}
}

func sortedKeys[V any](m map[string]V) (keys []string) {
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

func backwards(s string) string {
	r := []rune(s)
	for i, j := 0, len(r)-1; i < j; i, j = i+1, j-1 {
		r[i], r[j] = r[j], r[i]
	}
	return string(r)
}

func lastFirst(s string) string {
	words := strings.Fields(s)
	if len(words) == 0 {
		return s
	}
	return words[len(words)-1] + " " + strings.Join(words[:len(words)-1], " ")
}

// alike says how likely two folded names are one, and by what; 0 for not at all. Names
// whose figures differ are two: Pier 1 is not Pier 2.
func alike(a, b string) (score float64, why string) {
	if digits(a) != digits(b) {
		return 0, ""
	}
	x, y := strings.Fields(a), strings.Fields(b)
	if strings.Join(x, "") == strings.Join(y, "") {
		return 0.98, "the same letters"
	}
	if sameWords(x, y) {
		return 0.96, "the same words in another order"
	}
	if otherInitials(x, y) {
		return 0, ""
	}
	if initials(x, y) || initials(lastLeads(x), y) || initials(x, lastLeads(y)) {
		return 0.86, "initials"
	}
	if len(x) != len(y) && (holds(x, y) || holds(y, x)) && min(len(x), len(y)) >= 1 && len([]rune(a)) > 3 && len([]rune(b)) > 3 {
		score, why = 0.70+0.1*float64(min(len(x), len(y))-1), "one holds the other"
	}
	if s := levenshtein.Match(a, b, nil); s > score && min(len([]rune(a)), len([]rune(b))) >= 4 {
		edits := levenshtein.Distance(a, b, nil)
		if edits <= 1+len([]rune(a))/8 {
			score, why = 0.74+0.2*s, fmt.Sprintf("%d letters differ", edits)
			if edits == 1 {
				why = "one letter differs"
			}
		}
	}
	return score, why
}

func digits(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= '0' && r <= '9' {
			return r
		}
		return -1
	}, s)
}

func sameWords(x, y []string) bool {
	if len(x) != len(y) {
		return false
	}
	a, b := append([]string(nil), x...), append([]string(nil), y...)
	sort.Strings(a)
	sort.Strings(b)
	return strings.Join(a, " ") == strings.Join(b, " ")
}

func lastLeads(x []string) []string {
	if len(x) < 2 {
		return x
	}
	return append(append([]string(nil), x[len(x)-1]), x[:len(x)-1]...)
}

// initials tells whether one name is the other with words cut to their first letters:
// "s thornby" and "sefa thornby". A whole word has to be the same.
func initials(x, y []string) bool {
	if len(x) != len(y) || len(x) < 2 {
		return false
	}
	whole, cut := 0, 0
	for i := range x {
		switch {
		case x[i] == y[i]:
			whole++
		case len([]rune(x[i])) == 1 && strings.HasPrefix(y[i], x[i]), len([]rune(y[i])) == 1 && strings.HasPrefix(x[i], y[i]):
			cut++
		default:
			return false
		}
	}
	return whole > 0 && cut > 0
}

// otherInitials tells whether both names are cut to first letters where they differ: K.
// Holki is not T. Holki.
func otherInitials(x, y []string) bool {
	if len(x) != len(y) {
		return false
	}
	for i := range x {
		if len([]rune(x[i])) == 1 && len([]rune(y[i])) == 1 && x[i] != y[i] {
			return true
		}
	}
	return false
}

// holds tells whether all words of one stand in the other.
func holds(x, y []string) bool {
	in := map[string]bool{}
	for _, w := range x {
		in[w] = true
	}
	for _, w := range y {
		if !in[w] {
			return false
		}
	}
	return true
}

// neighbours gives the entities next to each, in order; those that everybody knows say
// nothing and are left out where there are many.
func (g *Graph) neighbours() [][]int {
	around := make([][]int, len(g.Nodes))
	for _, e := range g.Edges {
		around[e.From], around[e.To] = append(around[e.From], e.To), append(around[e.To], e.From)
	}
	for i, all := range around {
		sort.Ints(all)
		around[i] = unique(all)
	}
	return around
}

func unique(sorted []int) (out []int) {
	for i, n := range sorted {
		if i == 0 || n != sorted[i-1] {
			out = append(out, n)
		}
	}
	return out
}

func common(a, b []int) (n int) {
	for len(a) > 0 && len(b) > 0 {
		switch {
		case a[0] == b[0]:
			n, a, b = n+1, a[1:], b[1:]
		case a[0] < b[0]:
			a = a[1:]
		default:
			b = b[1:]
		}
	}
	return n
}

// decided gives the decisions by the pair that they are about.
func (g *Graph) decided(all []Decision) map[[2]int]*Decision {
	at := map[string]int{}
	for i := range g.Nodes {
		at[g.Nodes[i].Kind+"\x00"+g.Nodes[i].Key] = i
	}
	out := map[[2]int]*Decision{}
	for i := range all {
		d := &all[i]
		a, is := at[d.Kind+"\x00"+Fold(d.A)]
		b, also := at[d.Kind+"\x00"+Fold(d.B)]
		if is && also && a != b {
			out[[2]int{min(a, b), max(a, b)}] = d
		}
	}
	return out
}

// Joined is what a graph became by joining.
type Joined struct {
	*Graph
	ByPeople, ByScore int      // pairs that were joined
	Against           []string // decisions that contradict others
}

// Join joins what was decided to be one, and candidates of a score of at least upTo; 0 or
// less joins none of these.
func (g *Graph) Join(decided []Decision, upTo float64) *Joined {
	out := &Joined{}
	parent := make([]int, len(g.Nodes))
	for i := range parent {
		parent[i] = i
	}
	root := func(i int) int {
		for parent[i] != i {
			parent[i] = parent[parent[i]]
			i = parent[i]
		}
		return i
	}
	union := func(a, b int) bool {
		a, b = root(a), root(b)
		parent[max(a, b)] = min(a, b)
		return a != b
	}
	pairs := g.decided(decided)
	for _, p := range sortedPairs(pairs) {
		if pairs[p].Same && union(p[0], p[1]) {
			out.ByPeople++
		}
	}
	apart := func() (all [][2]int) {
		for _, p := range sortedPairs(pairs) {
			if !pairs[p].Same {
				all = append(all, p)
			}
		}
		return all
	}()
	for _, p := range apart {
		if root(p[0]) == root(p[1]) {
			out.Against = append(out.Against, fmt.Sprintf("%s and %s are decided to be two, and by other decisions they are one", g.Nodes[p[0]].Name, g.Nodes[p[1]].Name))
		}
	}
	if upTo > 0 {
		for _, c := range g.Candidates(decided) {
			if c.Score < upTo {
				break
			}
			a, b := root(c.A), root(c.B)
			forbidden := false
			for _, p := range apart {
				x, y := root(p[0]), root(p[1])
				forbidden = forbidden || x == a && y == b || x == b && y == a
			}
			if !forbidden && union(c.A, c.B) {
				out.ByScore++
			}
		}
	}
	out.Graph = g.merged(root)
	return out
}

func sortedPairs[V any](m map[[2]int]V) (all [][2]int) {
	for p := range m {
		all = append(all, p)
	}
	sort.Slice(all, func(i, j int) bool { return all[i][0] < all[j][0] || all[i][0] == all[j][0] && all[i][1] < all[j][1] })
	return all
}

// merged gives the graph in which each root stands for all that have it.
func (g *Graph) merged(root func(int) int) *Graph {
	out := &Graph{Documents: g.Documents, Failed: g.Failed, Faults: g.Faults}
	place := make([]int, len(g.Nodes))
	for i := range g.Nodes {
		r := root(i)
		if r == i {
			place[i] = len(out.Nodes)
			out.Nodes = append(out.Nodes, g.Nodes[i])
			continue
		}
		place[i] = place[r] // roots come before what they stand for
		n := &out.Nodes[place[i]]
		n.spelled(g.Nodes[i].Name)
		for _, s := range g.Nodes[i].Names {
			n.spelled(s)
		}
		n.Mentions = append(n.Mentions[:len(n.Mentions):len(n.Mentions)], g.Nodes[i].Mentions...)
	}
	for _, e := range g.Edges {
		if e.From, e.To = place[e.From], place[e.To]; e.From != e.To {
			out.Edges = append(out.Edges, e)
		}
	}
	for _, l := range g.Loose {
		if l.From >= 0 {
			l.From = place[l.From]
		}
		out.Loose = append(out.Loose, l)
	}
	return out
}
