package graph

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"io"
	"math/rand/v2"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/graph/network"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

const permits = `schema: permits
about: A permit for a mill.
entity: {key: [number], called: permit}
fields:
  number: Number.
  mill: {text: Mill., entity: true}
  owner: {group: Owner., entity: {key: [name], called: person}, fields: {name: Name.}}
  wheels:
    list: Wheels.
    entity: {key: [mark], called: wheel}
    fields: {mark: Mark., maker: {text: Maker., entity: {called: firm}}}
  repairs: {list: Repairs., fields: {wheel: {link: The wheel., to: 'wheels[].mark'}, by: {text: By whom., entity: {called: person}}}}
  shares:
    list: Shares.
    edge: {from: holder, to: held, kind: how}
    fields: {holder: Holder., held: Held., how: {choice: How., of: [owns, leases]}}
`

func built(t *testing.T, lines ...string) *Graph {
	t.Helper()
	s, err := schema.Parse("s.yaml", []byte(permits))
	require.NoError(t, err)
	b := NewBuilder(s)
	for i, l := range lines {
		v, err := value.Parse(l)
		require.NoError(t, err)
		b.Add(&record.Line{Document: fmt.Sprintf("d%d.txt", i+1), Status: record.Unflagged, Record: v})
	}
	return b.Graph()
}

// Nesting, links and lists of edges join entities across documents; what is no entity, or
// not there, is told.
func TestEntitiesAndEdges(t *testing.T) {
	g := built(t,
		`{"number":"P-1","mill":"Weir Mill","owner":{"name":"Dr. Ada Fenn"},"wheels":[{"mark":"W1","maker":"Kettle & Co"},{"mark":"W2","maker":null}],"repairs":[{"wheel":"W1","by":"Bo Tarn"},{"wheel":"W9","by":null}],"shares":[{"holder":"Kettle & Co","held":"weir mill","how":"owns"},{"holder":"Nobody","held":"Weir Mill","how":"leases"}]}`,
		`{"number":"P-2","mill":"WEIR MILL","owner":{"name":"ada fenn"},"wheels":[],"repairs":[],"shares":[]}`,
		`{"number":null,"mill":null,"owner":{"name":null},"wheels":[],"repairs":[],"shares":[]}`)
	said := map[string]bool{}
	for _, e := range g.Edges {
		said[g.ID(e.From)+" -"+e.Kind+"> "+g.ID(e.To)] = true
	}
	assert.Equal(t, map[string]bool{
		"permit:p 1 -mill> mill:weir mill": true, "permit:p 1 -owner> person:ada fenn": true, "permit:p 1 -wheels> wheel:w1": true, "permit:p 1 -wheels> wheel:w2": true,
		"wheel:w1 -maker> firm:kettle co": true, "permit:p 1 -wheel> wheel:w1": true, "permit:p 1 -by> person:bo tarn": true,
		"permit:p 2 -mill> mill:weir mill": true, "permit:p 2 -owner> person:ada fenn": true, "firm:kettle co -owns> mill:weir mill": true}, said)
	require.Len(t, g.Loose, 2)
	assert.Equal(t, "W9", g.Loose[0].Said)
	assert.Equal(t, "Nobody", g.Loose[1].Said)
	j := g.Join(nil, 0)
	codes := map[string]int{}
	for _, f := range j.Check() {
		codes[f.Code]++
	}
	assert.Equal(t, 2, codes["loose"])
	assert.Equal(t, 1, codes["unnamed"])
	assert.Equal(t, []string{"WEIR MILL"}, g.Nodes[g.Find("weir mill", "mill")[0]].Names)
}

func TestFold(t *testing.T) {
	for _, c := range [][2]string{{"Dr. Émile  Châtelet", "emile chatelet"}, {"O’Hara & Sons", "ohara sons"}, {"Frau Dr. Groß", "gross"}, {"Dr.", "dr"}, {"Łukasz Ødegård", "lukasz odegard"}, {"№ 7", "no 7"}} {
		assert.Equal(t, c[1], Fold(c[0]), c[0])
		assert.Equal(t, c[1], Fold(c[1]), "folding twice changes nothing")
	}
}

// people makes up persons, each written in several ways, with others beside them whose
// names are nearly theirs: brothers, and piers that differ by a figure.
func people(r *rand.Rand, n int) (names []string, who []int) {
	syllables := []string{"ma", "ren", "tho", "ki", "sal", "bor", "wen", "dra", "lu", "fen", "gar", "hol", "nim", "pet", "ros", "tarn"}
	word := func(n int) string {
		s := ""
		for range n {
			s += syllables[r.IntN(len(syllables))]
		}
		return strings.ToUpper(s[:1]) + s[1:]
	}
	seen := map[string]bool{}
	add := func(name string, id int) {
		if !seen[Fold(name)] {
			seen[Fold(name)] = true
			names, who = append(names, name), append(who, id)
		}
	}
	for id := range n {
		first, last := word(2+r.IntN(2)), word(2+r.IntN(2))
		add(first+" "+last, id)
		switch r.IntN(7) {
		case 0:
			add(first[:1]+". "+last, id)
		case 1:
			add(last+", "+first, id)
		case 2: // a letter misread
			at := 1 + r.IntN(len(last)-2)
			add(first+" "+last[:at]+"x"+last[at+1:], id)
		case 3:
			add(strings.ToUpper(first)+last, id) // run together
		case 4: // a brother
			add(word(3)+" "+last, n+id)
		case 5:
			add("Pier "+fmt.Sprint(id), 2*n+id)
		}
	}
	return names, who
}

// On made-up names with known answers most that are one are among the candidates, and
// few others are.
func TestCandidatesAgainstKnownAnswers(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 1))
	found, right, pairs := 0, 0, 0
	for range 5 {
		names, who := people(r, 300)
		g := &Graph{}
		times := map[int]int{}
		for i, name := range names {
			g.Nodes = append(g.Nodes, Node{Kind: "person", Key: Fold(name), Name: name})
			times[who[i]]++
		}
		for _, n := range times {
			pairs += n * (n - 1) / 2
		}
		for _, c := range g.Candidates(nil) {
			if c.Score < 0.85 {
				continue
			}
			found++
			if who[c.A] == who[c.B] {
				right++
			} else {
				t.Logf("%.2f %s: %s / %s", c.Score, c.Why, g.Nodes[c.A].Name, g.Nodes[c.B].Name)
			}
		}
	}
	precision, recall := float64(right)/float64(found), float64(right)/float64(pairs)
	t.Logf("precision %.3f, recall %.3f of %d pairs", precision, recall, pairs)
	assert.Greater(t, precision, 0.9)
	assert.Greater(t, recall, 0.9)
}

// What was decided is joined, and nothing else unless a score is allowed; a decision that
// two are two holds against any score, and one that contradicts others is told.
func TestDecisions(t *testing.T) {
	g := &Graph{Nodes: []Node{}}
	for _, n := range []string{"Sefa Thornby", "S. Thornby", "Sefa Thornbv", "Thornby, Sefa"} {
		g.Nodes = append(g.Nodes, Node{Kind: "person", Key: Fold(n), Name: n, Mentions: []Mention{{Document: n}}})
	}
	g.Edges = []Edge{{From: 1, To: 3, Kind: "knows"}, {From: 1, To: 2, Kind: "knows"}}
	assert.Len(t, g.Join(nil, 0).Nodes, 4, "nothing is joined silently")
	yes := Decision{"person", "Sefa Thornby", "S. Thornby", true, "M. Harrow", "2031-01-02"}
	j := g.Join([]Decision{yes}, 0)
	assert.Len(t, j.Nodes, 3)
	assert.Equal(t, 1, j.ByPeople)
	assert.Len(t, j.Nodes[0].Mentions, 2)
	assert.Len(t, j.Edges, 2)
	no := Decision{"person", "Sefa Thornbv", "Sefa Thornby", false, "M. Harrow", ""}
	j = g.Join([]Decision{yes, no}, 0.8)
	assert.Len(t, j.Nodes, 2, "the misread one stays by itself")
	j = g.Join([]Decision{yes, {"person", "S. Thornby", "Sefa Thornbv", true, "", ""}, no}, 0)
	assert.Len(t, j.Against, 1)
	assert.Less(t, len(g.Candidates([]Decision{yes, no})), len(g.Candidates(nil)), "what was decided is not asked again")
}

// Ways, components and counts on random graphs are those of a plain search.
func TestAgainstAPlainSearch(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 3))
	for range 60 {
		n := 2 + r.IntN(40)
		g := &Graph{}
		for i := range n {
			g.Nodes = append(g.Nodes, Node{Kind: "k", Key: fmt.Sprint(i), Name: fmt.Sprint(i), Mentions: []Mention{{}}})
		}
		next := make([]map[int]bool, n)
		for i := range next {
			next[i] = map[int]bool{}
		}
		for range r.IntN(2 * n) {
			a, b := r.IntN(n), r.IntN(n)
			if a != b {
				g.Edges = append(g.Edges, Edge{From: a, To: b, Kind: "e"})
				next[a][b], next[b][a] = true, true
			}
		}
		far := func(from int) map[int]int {
			d := map[int]int{from: 0}
			for queue := []int{from}; len(queue) > 0; queue = queue[1:] {
				for x := range next[queue[0]] {
					if _, seen := d[x]; !seen {
						d[x] = d[queue[0]] + 1
						queue = append(queue, x)
					}
				}
			}
			return d
		}
		seen, components, largest, isolated := map[int]bool{}, 0, 0, 0
		for i := range n {
			if len(next[i]) == 0 {
				isolated++
			}
			if !seen[i] {
				components++
				d := far(i)
				largest = max(largest, len(d))
				for x := range d {
					seen[x] = true
				}
			}
		}
		c := g.Counts()
		assert.Equal(t, []int{components, largest, isolated}, []int{c.Components, c.Largest, c.Isolated})
		from, to := r.IntN(n), r.IntN(n)
		d, joined := far(from)[to]
		way := g.Path(from, to)
		if !joined {
			assert.Nil(t, way)
		} else {
			require.Len(t, way, d+1)
			for i := 1; i < len(way); i++ {
				assert.True(t, next[way[i-1]][way[i]])
			}
		}
		sum := 0.0
		theirs := network.PageRankSparse(g.shape(), 0.85, 1e-9)
		for _, w := range g.Weights() {
			assert.InDelta(t, theirs[int64(w.Node)], w.Rank, 1e-5)
			assert.Equal(t, len(next[w.Node]), w.Degree)
			sum += w.Rank
		}
		assert.InDelta(t, 1, sum, 0.01)
		for _, x := range g.Missing(100) {
			assert.False(t, next[x.A][x.B])
			for _, m := range x.Common {
				assert.True(t, next[x.A][m] && next[x.B][m])
			}
		}
	}
}

// Every format holds every entity and edge, whatever their names are.
func TestFormats(t *testing.T) {
	evil := "a\"<&>\\ \n\u202e=1+1 é語"
	g := &Graph{Nodes: []Node{{Kind: "k", Key: Fold(evil), Name: evil, Mentions: []Mention{{Document: evil, Line: 3}}}, {Kind: "k", Key: "b", Name: "=b()", Mentions: []Mention{{Document: "d"}}}},
		Edges: []Edge{{From: 0, To: 1, Kind: evil, Mention: Mention{Document: evil, Line: 4}}}}
	write := func(do func(io.Writer) error) string {
		var b bytes.Buffer
		require.NoError(t, do(&b))
		return b.String()
	}
	var d struct{ Nodes, Edges []map[string]any }
	require.NoError(t, json.Unmarshal([]byte(write(g.JSON)), &d))
	assert.Equal(t, evil, d.Nodes[0]["name"])
	assert.Equal(t, 4.0, d.Edges[0]["line"])
	dec := xml.NewDecoder(strings.NewReader(write(g.GraphML)))
	elements := map[string]int{}
	for {
		token, err := dec.Token()
		if err == io.EOF {
			break
		}
		require.NoError(t, err)
		if e, ok := token.(xml.StartElement); ok {
			elements[e.Name.Local]++
		}
	}
	assert.Equal(t, []int{2, 1}, []int{elements["node"], elements["edge"]})
	triple := regexp.MustCompile(`^<[^<>"{}|^` + "`" + `\\\x00-\x20]+> <[^<>"{}|^` + "`" + `\\\x00-\x20]+> (<[^<>"{}|^` + "`" + `\\\x00-\x20]+>|"([^"\\\n\r]|\\[tbnrf"'\\]|\\u[0-9A-F]{4})*"(\^\^<[^<>]+>)?) \.$`)
	for _, line := range strings.Split(strings.TrimSpace(write(func(w io.Writer) error { return g.RDF(w, "https://x.example/", false) })), "\n") {
		assert.Regexp(t, triple, line, "the grammar of N-Triples")
	}
	rows, err := csv.NewReader(strings.NewReader(write(g.NodesCSV))).ReadAll()
	require.NoError(t, err)
	assert.Len(t, rows, 3)
	assert.Equal(t, "'=b()", rows[2][2], "no formula")
	var b bytes.Buffer
	_, err = g.Draw(&b, 0)
	require.NoError(t, err)
	require.NoError(t, xml.Unmarshal(b.Bytes(), new(struct{})))
}

// A million edges: counts, weights, and a way.
func BenchmarkMillion(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 1))
	g := &Graph{}
	const n = 300_000
	for i := range n {
		g.Nodes = append(g.Nodes, Node{Kind: "k", Key: fmt.Sprint(i), Name: fmt.Sprint(i)})
	}
	for range 1_000_000 {
		g.Edges = append(g.Edges, Edge{From: r.IntN(n), To: r.IntN(n), Kind: "e"})
	}
	b.Run("counts", func(b *testing.B) {
		for b.Loop() {
			g.Counts()
		}
	})
	b.Run("weights", func(b *testing.B) {
		for b.Loop() {
			g.Weights()
		}
	})
	b.Run("path", func(b *testing.B) {
		for b.Loop() {
			g.Path(1, n-1)
		}
	})
}

// Whatever value of a record is of another type: what the graph then lacks is told.
func TestOddValuesAreTold(t *testing.T) {
	const good = `{"number":"P-1","mill":"Weir Mill","owner":{"name":"Ada Fenn"},"wheels":[{"mark":"W1","maker":"Kettle"},{"mark":"W2","maker":"Oss"}],"repairs":[{"wheel":"W1","by":"Bo Tarn"}],"shares":[{"holder":"Kettle","held":"Weir Mill","how":"owns"}]}`
	whole := built(t, good)
	require.Empty(t, whole.Faults)
	var places func(v *value.Value, do func())
	root, err := value.Parse(good)
	require.NoError(t, err)
	tried := 0
	places = func(v *value.Value, do func()) {
		for i := range v.Kids {
			kept := v.Kids[i]
			for _, other := range []value.Value{value.Num("7"), value.Str("other"), value.Boolean(true), {Kind: value.Array, Kids: []value.Value{value.Num("1")}}, value.Obj(value.Num("1").Named("x"))} {
				if other.Kind == kept.Kind {
					continue
				}
				v.Kids[i] = other.Named(kept.Name)
				do()
			}
			v.Kids[i] = kept
			places(&v.Kids[i], do)
		}
	}
	places(&root, func() {
		tried++
		text := root.String()
		g := built(t, text)
		if len(g.Nodes) < len(whole.Nodes) || len(g.Edges) < len(whole.Edges) {
			assert.NotEmpty(t, len(g.Faults)+len(g.Loose), text)
		}
	})
	assert.GreaterOrEqual(t, tried, 80)
	g := built(t, strings.Replace(good, `"owns"`, `"hides"`, 1), `["P-1"]`)
	require.Len(t, g.Faults, 2)
	assert.Equal(t, []string{"kind", "type"}, []string{g.Faults[0].Code, g.Faults[1].Code})
}

// Whatever is decided and taken back in whatever order: the file holds the decisions that
// hold, behind those that were there, and none else.
func TestDeskKeepsWhatHolds(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	g := &Graph{}
	var pairs []Candidate
	for i := range 12 {
		g.Nodes = append(g.Nodes, Node{Kind: "person", Name: fmt.Sprintf("a%d", i)}, Node{Kind: "person", Name: fmt.Sprintf("b%d", i)})
		pairs = append(pairs, Candidate{A: 2 * i, B: 2*i + 1})
	}
	before := []Decision{{Kind: "person", A: "x", B: "y", Same: true, By: "M. Harrow"}}
	file := filepath.Join(t.TempDir(), "same.jsonl")
	d := NewDesk(g, pairs, before, file, "D. Quill")
	holds := map[int]bool{}
	var order []int
	drop := func(pair int) {
		order = slices.DeleteFunc(order, func(p int) bool { return p == pair })
		delete(holds, pair)
	}
	for range 400 {
		if r.IntN(3) == 0 {
			pair, undone, err := d.Undo()
			require.NoError(t, err)
			require.Equal(t, len(order) > 0, undone)
			if undone {
				require.Equal(t, order[len(order)-1], pair)
				drop(pair)
			}
		} else {
			pair, same := r.IntN(len(pairs)), r.IntN(2) == 0
			if was, known := holds[pair]; !known || was != same {
				drop(pair)
				order, holds[pair] = append(order, pair), same
			}
			require.NoError(t, d.Decide(pair, same))
		}
		kept, err := ReadDecisions(file)
		if len(order) == 0 && err == nil && kept == nil {
			continue // nothing was written yet
		}
		require.NoError(t, err)
		require.Len(t, kept, 1+len(order))
		require.Equal(t, before[0], kept[0])
		for i, pair := range order {
			require.Equal(t, [2]any{fmt.Sprintf("a%d", pair), holds[pair]}, [2]any{kept[i+1].A, kept[i+1].Same})
		}
		if open := d.Open(r.IntN(len(pairs))); open >= 0 {
			_, known := holds[open]
			require.False(t, known)
		} else {
			require.Len(t, holds, len(pairs))
		}
	}
}

// A missing end is told where it is named, with the entity that may be meant; records without any
// evidence are told once, and not entity by entity.
func TestMissingEndsAreNamed(t *testing.T) {
	g := built(t, `{"number":"P-1","mill":"Weir Mill","owner":{"name":"A. Fenn"},"wheels":[],"repairs":[],"shares":[{"holder":"A. Fenn","held":"Weir Mil","how":"owns"},{"holder":"Ada Fenn","held":"Weir Mill","how":"leases"},{"holder":"A. Fenn","held":"The Lirr","how":"owns"}]}`)
	var said []string
	for _, f := range g.Join(nil, 0).Check() {
		said = append(said, f.Code+" "+f.Text+" "+string(f.Path))
	}
	assert.Equal(t, []string{
		`loose owns of A. Fenn: "Weir Mil" is not an entity, or several are called so; perhaps Weir Mill (one letter differs) /shares/0/held`,
		`loose leases of Weir Mill: "Ada Fenn" is not an entity, or several are called so; perhaps A. Fenn (initials) /shares/1/holder`,
		`loose owns of A. Fenn: "The Lirr" is not an entity, or several are called so /shares/2/held`,
		"no-source these records come without evidence: no entity is known to stand in a source "}, said)
}
