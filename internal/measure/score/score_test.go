package score

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"regexp"
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

const nested = `
schema: s
each: %s
fields:
  name: A name.
  on: {date: A day.}
  who: {group: Who., fields: {x: X., y: {integer: Y.}}}
  bays:
    list: Bays.
    %s
    fields:
      no: {integer: Number.}
      note: A note.
      marks: {list: Marks., items: {text: A mark.}}
      finds: {list: Finds., fields: {kind: Kind., grade: {integer: Grade.}}}
`

// slow is a second computation of the same definitions, on plain JSON values,
// with no code of ours: it tries every way to pair the items of a list.
type slow struct {
	counts map[string]*[5]int // right, wrong, missed, extra, blank
	keys   map[string]string  // list path → its key
}

type obj = map[string]any

func has(v any) bool {
	switch x := v.(type) {
	case nil:
		return false
	case string:
		return x != ""
	case []any:
		return len(x) > 0
	case obj:
		return len(x) > 0
	}
	return true
}

func edits(a, b []rune) int {
	row := make([]int, len(b)+1)
	for j := range row {
		row[j] = j
	}
	for i := range a {
		before := row[0]
		row[0] = i + 1
		for j := range b {
			cost := before
			if a[i] != b[j] {
				cost = 1 + min(before, row[j], row[j+1])
			}
			before, row[j+1] = row[j+1], cost
		}
	}
	return row[len(b)]
}

// sum gives the likeness of two places and their number of leaves.
func (s *slow) sum(path string, shape, g, d any) (float64, int) {
	total, n := 0.0, 0
	switch sh := shape.(type) {
	case obj:
		go_, _ := g.(obj)
		do, _ := d.(obj)
		for k, kid := range sh {
			x, m := s.sum(path+"."+k, kid, go_[k], do[k])
			total, n = total+x, n+m
		}
	case []any:
		gl, _ := g.([]any)
		dl, _ := d.([]any)
		for _, p := range s.pairs(path, sh[0], gl, dl) {
			x, m := s.sum(path+"[]", sh[0], pick(gl, p[0]), pick(dl, p[1]))
			total, n = total+x, n+m
		}
	default:
		if !has(g) && !has(d) {
			return 0, 0
		}
		n = 1
		gs, ok1 := g.(string)
		ds, ok2 := d.(string)
		switch {
		case has(g) && has(d) && fmt.Sprint(g) == fmt.Sprint(d) && ok1 == ok2:
			total = 1
		case ok1 && ok2 && has(g) && has(d):
			a, b := []rune(gs), []rune(ds)
			if e := 1 - float64(edits(a, b))/float64(max(len(a), len(b))); e >= 0.5 {
				total = e / 2
			}
		}
	}
	return total, n
}

func pick(l []any, i int) any {
	if i < 0 {
		return nil
	}
	return l[i]
}

func (s *slow) like(path string, shape, g, d any) float64 {
	x, n := s.sum(path+"[]", shape, g, d)
	if n == 0 {
		return 1
	}
	return x / float64(n)
}

// pairs tries all pairings: equal keys first, then the rest.
func (s *slow) pairs(path string, shape any, g, d []any) [][2]int {
	freeG, freeD := map[int]bool{}, map[int]bool{}
	for i := range g {
		freeG[i] = true
	}
	for j := range d {
		freeD[j] = true
	}
	var pairs [][2]int
	take := func(found [][2]int) {
		for _, p := range found {
			pairs = append(pairs, p)
			delete(freeG, p[0])
			delete(freeD, p[1])
		}
	}
	if key := s.keys[path]; key != "" {
		values := map[string]bool{}
		for i := range g {
			if k := g[i].(obj)[key]; has(k) {
				values[fmt.Sprint(k)] = true
			}
		}
		for v := range values {
			var gi, di []int
			for i := range g {
				if k := g[i].(obj)[key]; has(k) && fmt.Sprint(k) == v {
					gi = append(gi, i)
				}
			}
			for j := range d {
				if k := d[j].(obj)[key]; has(k) && fmt.Sprint(k) == v {
					di = append(di, j)
				}
			}
			_, found := s.try(path, shape, g, d, gi, di)
			take(found)
		}
	}
	_, found := s.try(path, shape, g, d, sorted(freeG), sorted(freeD))
	take(found)
	for _, i := range sorted(freeG) {
		pairs = append(pairs, [2]int{i, -1})
	}
	for _, j := range sorted(freeD) {
		pairs = append(pairs, [2]int{-1, j})
	}
	return pairs
}

func sorted(m map[int]bool) []int {
	var l []int
	for i := range m {
		l = append(l, i)
	}
	sort.Ints(l)
	return l
}

func (s *slow) try(path string, shape any, g, d []any, gi, di []int) (float64, [][2]int) {
	if len(gi) == 0 {
		return 0, nil
	}
	most, found := s.try(path, shape, g, d, gi[1:], di)
	for n, j := range di {
		like := s.like(path, shape, g[gi[0]], d[j])
		if like < 0.3 {
			continue
		}
		rest := append(append([]int(nil), di[:n]...), di[n+1:]...)
		sum, more := s.try(path, shape, g, d, gi[1:], rest)
		if sum+like > most+1e-12 {
			most, found = sum+like, append([][2]int{{gi[0], j}}, more...)
		}
	}
	return most, found
}

func (s *slow) count(path string, shape, g, d any) {
	switch sh := shape.(type) {
	case obj:
		go_, _ := g.(obj)
		do, _ := d.(obj)
		for k, kid := range sh {
			s.count(strings.TrimPrefix(path+"."+k, "."), kid, go_[k], do[k])
		}
	case []any:
		gl, _ := g.([]any)
		dl, _ := d.([]any)
		for _, p := range s.pairs(path, sh[0], gl, dl) {
			s.count(path+"[]", sh[0], pick(gl, p[0]), pick(dl, p[1]))
		}
	default:
		at := 4
		switch {
		case has(g) && has(d) && fmt.Sprintf("%T%v", g, g) == fmt.Sprintf("%T%v", d, d):
			at = 0
		case has(g) && has(d):
			at = 1
		case has(g):
			at = 2
		case has(d):
			at = 3
		}
		if s.counts[path] == nil {
			s.counts[path] = &[5]int{}
		}
		s.counts[path][at]++
	}
}

var words = []string{"", "oak", "oaks", "elm tree", "elm trees", "ash"}

func random(r *rand.Rand, shape any) any {
	if r.IntN(8) == 0 {
		return nil
	}
	switch sh := shape.(type) {
	case obj:
		out := obj{}
		for _, k := range []string{"name", "on", "who", "bays", "x", "y", "no", "note", "marks", "finds", "kind", "grade"} {
			if kid, ok := sh[k]; ok && r.IntN(10) > 0 {
				out[k] = random(r, kid)
			}
		}
		return out
	case []any:
		var out []any
		for range r.IntN(4) {
			v := random(r, sh[0])
			if _, group := sh[0].(obj); group && v == nil {
				v = obj{}
			}
			out = append(out, v)
		}
		return out
	case string:
		return words[r.IntN(len(words))]
	}
	return r.IntN(3)
}

// change gives a copy with a few leaves changed.
func change(r *rand.Rand, shape, v any) any {
	if r.IntN(12) == 0 {
		return random(r, shape)
	}
	switch x := v.(type) {
	case obj:
		out := obj{}
		keys := make([]string, 0, len(x))
		for k := range x {
			keys = append(keys, k)
		}
		sort.Strings(keys)
		for _, k := range keys {
			out[k] = change(r, shape.(obj)[k], x[k])
		}
		return out
	case []any:
		out := []any{}
		for _, kid := range x {
			n := change(r, shape.([]any)[0], kid)
			if _, group := shape.([]any)[0].(obj); group && n == nil {
				n = obj{}
			}
			out = append(out, n)
		}
		r.Shuffle(len(out), func(i, j int) { out[i], out[j] = out[j], out[i] })
		return out
	}
	return v
}

var shape = obj{"name": "", "on": "", "who": obj{"x": "", "y": 0},
	"bays": []any{obj{"no": 0, "note": "", "marks": []any{""}, "finds": []any{obj{"kind": "", "grade": 0}}}}}

// Two reckonings that share no code agree, field by field, on thousands of
// random nested pairs. (Where several pairings are equally good the leaves may
// fall in more than one way; then the sums over the whole record agree in what
// was paired, and the test asks for the likeness only.)
func TestSecondReckoningAgrees(t *testing.T) {
	for _, key := range []string{"", "key: [no]"} {
		s, err := schema.Parse("s.yaml", fmt.Appendf(nil, nested, "document", key))
		require.NoError(t, err)
		r := rand.New(rand.NewPCG(10, uint64(len(key))))
		ties, agreed := 0, 0
		for range 3000 {
			g := random(r, shape)
			if _, ok := g.(obj); !ok {
				continue
			}
			d := change(r, shape, g)
			if _, ok := d.(obj); !ok {
				continue
			}
			other := &slow{counts: map[string]*[5]int{}, keys: map[string]string{}}
			if key != "" {
				other.keys["bays"], other.keys[".bays"] = "no", "no"
			}
			other.count("", shape, g, d)
			got := map[string]*[5]int{}
			Walk(s, parse(t, g), parse(t, d), Visitor{Item: func(*schema.Field, bool, bool) {}, Leaf: func(l Leaf) {
				if got[l.Field.Path] == nil {
					got[l.Field.Path] = &[5]int{}
				}
				got[l.Field.Path][map[Outcome]int{Right: 0, Wrong: 1, Missed: 2, Extra: 3, Blank: 4}[l.Outcome]]++
			}})
			if assert.ObjectsAreEqual(other.counts, got) {
				agreed++
				continue
			}
			ties++
			gj, _ := json.Marshal(g)
			dj, _ := json.Marshal(d)
			a, b := totals(other.counts), totals(got)
			// gold's own leaves, and the record's, are the same in any pairing.
			require.Equal(t, a[0]+a[1]+a[2], b[0]+b[1]+b[2], "%s\n%s", gj, dj)
			require.Equal(t, a[0]+a[1]+a[3], b[0]+b[1]+b[3], "%s\n%s", gj, dj)
			require.InDelta(t, a[0], b[0], 3, "%s\n%s", gj, dj)
		}
		t.Logf("%d agree leaf by leaf, %d differ where pairings tie", agreed, ties)
		assert.Greater(t, agreed, 2000)
		assert.Less(t, ties, agreed/10)
	}
}

func totals(counts map[string]*[5]int) (sum [5]int) {
	for _, c := range counts {
		for i := range sum {
			sum[i] += c[i]
		}
	}
	return sum
}

func parse(t *testing.T, v any) *value.Value {
	data, err := json.Marshal(v)
	require.NoError(t, err)
	out, err := value.ParseBytes(data)
	require.NoError(t, err)
	return &out
}

func scored(t *testing.T, s *schema.Schema, g, d string) Report {
	gv, err := value.Parse(g)
	require.NoError(t, err)
	dv, err := value.Parse(d)
	require.NoError(t, err)
	sc := New(s, gold.Set{"a": {Document: "a", State: gold.Reviewed, Record: gv}}.Shelf())
	require.NoError(t, sc.Add(record.Line{Document: "a", Record: dv}))
	return sc.Report()
}

func TestGoldAgainstItself(t *testing.T) {
	for _, each := range []string{"document", "entry"} {
		s, err := schema.Parse("s.yaml", fmt.Appendf(nil, nested, each, "key: [no]"))
		require.NoError(t, err)
		g := `{"name":"a","on":null,"who":{"x":"b","y":1.0},"bays":[{"no":1,"marks":["p","p"],"finds":[{"kind":"rot"},{"kind":"rot"}]},{}]}`
		if each == "entry" {
			g = "[" + g + "," + g + ",{}]"
		}
		r := scored(t, s, g, g)
		assert.Equal(t, Ratio{1, true}, r.Overall.F1())
		assert.Equal(t, r.RecordsOf, r.RecordsRight)
		assert.Equal(t, map[string]int{"document": 1, "entry": 3}[each], r.RecordsOf)
	}
}

func TestEntriesAreItems(t *testing.T) {
	s, err := schema.Parse("s.yaml", fmt.Appendf(nil, nested, "entry", "key: [no]"))
	require.NoError(t, err)
	r := scored(t, s, `[{"name":"a","on":"2031-01-01"},{"name":"b","on":"2031-01-02"}]`, `[{"name":"b","on":"2031-01-02"},{"name":"zzz","on":"2031-05-05"}]`)
	assert.Equal(t, Counts{Right: 2, Missed: 2, Extra: 2, Blank: 6}, r.Overall)
	assert.Equal(t, []int{1, 3}, []int{r.RecordsRight, r.RecordsOf})
	assert.Equal(t, []List{{"records", Items{Found: 1, Missed: 1, Extra: 1}}}, r.Lists)
}

func TestWhatDoesNotCount(t *testing.T) {
	s, err := schema.Parse("s.yaml", fmt.Appendf(nil, nested, "document", "key: [no]"))
	require.NoError(t, err)
	g, _ := value.Parse(`{"name":"a","on":"2031-01-01"}`)
	sc := New(s, gold.Set{
		"changed": {State: gold.Reviewed, Record: g, Hashes: record.Hashes{Text: "1"}}, "draft": {State: gold.Draft, Record: g}, "broken": {State: gold.Reviewed, Record: g, Fault: "x"},
		"failed": {State: gold.Reviewed, Record: g}, "never": {Document: "never", State: gold.Reviewed, Record: g}, "fine": {State: gold.Reviewed, Record: g, Hashes: record.Hashes{Text: "2"}}}.Shelf())
	for _, id := range []string{"changed", "draft", "broken", "other"} {
		require.NoError(t, sc.Add(record.Line{Document: id, Hashes: record.Hashes{Text: "2"}, Record: g}))
	}
	require.NoError(t, sc.Add(record.Line{Document: "failed", Status: record.Failed}))
	require.NoError(t, sc.Add(record.Line{Document: "fine", Hashes: record.Hashes{Text: "2"}, Record: g}))
	assert.Error(t, sc.Add(record.Line{Document: "fine", Record: g}))
	r := sc.Report()
	assert.Equal(t, 2, r.Documents)
	assert.Equal(t, []LeftOut{{"broken", "gold breaks the schema: x"}, {"changed", "document changed since review"},
		{"draft", "gold not reviewed (draft)"}, {"never", "not attempted"}, {"other", "no gold"}}, r.LeftOut)
	assert.Equal(t, 2, r.Overall.Right)
	assert.Equal(t, 2, r.Overall.Missed)
	none := Counts{Blank: 3}
	assert.False(t, none.F1().Exists || none.Precision().Exists || none.Recall().Exists || none.Accuracy().Exists)
	out := sc.Report()
	assert.Contains(t, out.JSON().String(), `"field":"who.x","right":0,"wrong":0,"missed":0,"extra":0,"blank":2,"precision":null,"recall":null,"f1":null,"accuracy":null`)
}

// The worked example of docs/scoring.md is recomputed from the page itself.
func TestWorkedExample(t *testing.T) {
	page, err := os.ReadFile("../../../docs/scoring.md")
	require.NoError(t, err)
	blocks := regexp.MustCompile("(?s)```(yaml|json)\n(.*?)```").FindAllStringSubmatch(string(page), -1)
	require.Len(t, blocks, 3, "a schema, gold and a record")
	s, err := schema.Parse("docs/scoring.md", []byte(blocks[0][2]))
	require.NoError(t, err)
	r := scored(t, s, blocks[1][2], blocks[2][2])
	rows := regexp.MustCompile(`(?m)^\| ([a-z_.\[\] ()]+?) \| (\d+) \| (\d+) \| (\d+) \| (\d+) \| ([\d.–]+) \| ([\d.–]+) \| ([\d.–]+) \| ([\d.–]+) \|$`).FindAllStringSubmatch(string(page), -1)
	require.Len(t, rows, len(r.Fields)+1, "a row for each field and one for all")
	show := func(x Ratio) string {
		if !x.Exists {
			return "–"
		}
		return fmt.Sprintf("%.3f", x.Value)
	}
	for i, row := range rows {
		c, name := r.Overall, "all values (micro)"
		if i < len(r.Fields) {
			c, name = r.Fields[i].Counts, r.Fields[i].Path
		}
		assert.Equal(t, []string{name, fmt.Sprint(c.Right), fmt.Sprint(c.Wrong), fmt.Sprint(c.Missed), fmt.Sprint(c.Extra),
			show(c.Precision()), show(c.Recall()), show(c.F1()), show(c.Accuracy())}, row[1:])
	}
	p, q, f := r.Macro()
	assert.Contains(t, string(page), fmt.Sprintf("precision %s, recall %s, F1 %s", show(p), show(q), show(f)))
}

func TestWeightsAndFieldsThatDoNotScore(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  a: {text: A., weight: 3}\n  b: B.\n  c: {text: C., compare: none}\n  l: {list: L., fields: {x: X., y: {text: Y., compare: none}}}\n"))
	require.NoError(t, err)
	r := scored(t, s, `{"a":"x","b":"y","c":"z","l":[{"x":"1","y":"2"}]}`, `{"a":"x","b":"n","c":"n","l":[{"x":"1","y":"n"}]}`)
	assert.Equal(t, Counts{Right: 2, Wrong: 1}, r.Overall)
	w, any := r.Weighted()
	assert.True(t, any)
	assert.InDelta(t, 8.0/10.0, w.Value, 1e-12)
	assert.Len(t, r.Fields, 3)
	out := r.JSON()
	assert.Contains(t, out.String(), `"weighted":{"f1":0.8}`)
}
