package fill

import (
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"math/rand"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/txtar"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/outline"
	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// A model that slips once and answers with care when it is asked again: its first
// reply, and the right record.
type careless struct {
	first, right value.Value
	only         func(whole value.Value, fields []string) value.Value // what it answers when asked again
	asked        []string                                             // the kinds of requests
	schema       *schema.Schema
	doc          string
	reply        func(asked string) string // in place of all of this
}

func (c *careless) answer(asked string) string {
	switch {
	case c.reply != nil:
		return c.reply(asked)
	case outline.Has(asked, outline.Problems+"\n"):
		c.asked = append(c.asked, "repair")
		var all []value.Value
		for _, p := range outline.ReadProblems(asked) {
			at := p.Path
			if v := c.right.At(at); v != nil {
				all = append(all, value.Obj(value.Str(string(at)).Named("at"), v.Clone().Named("value")))
				continue
			}
			for c.right.At(at.Parent()) == nil {
				at = at.Parent()
			}
			out := value.Obj(value.Str(string(at)).Named("at"), value.Boolean(true).Named("remove"))
			if !slices.ContainsFunc(all, func(other value.Value) bool { return other.String() == out.String() }) {
				all = append(all, out)
			}
		}
		return value.Obj(value.List(all...).Named("corrections")).String()
	case outline.Has(asked, outline.LookAgain):
		c.asked = append(c.asked, "again")
		_, fields := outline.ReadAgain(asked)
		v := c.only(c.right, fields)
		return c.shown(v, asked).String()
	}
	c.asked = append(c.asked, "first")
	return c.first.String()
}

// shown gives what a request shows of the entries of a document: values in lines that are
// there. A record is no entry, and stays.
func (c *careless) shown(v value.Value, asked string) *value.Value {
	if v.Kind != value.Array {
		return &v
	}
	_, shown, _, _ := outline.FindDocument(asked)
	ix := evidence.NewIndex(c.doc)
	places := evidence.Of(c.schema, &v, ix)
	is := map[string]bool{}
	for line := range strings.SplitSeq(shown, "\n") {
		is[strings.TrimSpace(line)] = true
	}
	out := value.List()
	for i := range v.Kids {
		kept, any := prune(c.schema.Record(), value.Pointer("").Index(i), &v.Kids[i], func(p value.Pointer) bool {
			return places[p].Found() && is[ix.Line(places[p].Line)]
		})
		if any {
			out.Kids = append(out.Kids, kept)
		}
	}
	return &out
}

// prune leaves out values, and items that have none of those that stay.
func prune(f *schema.Field, p value.Pointer, v *value.Value, stays func(value.Pointer) bool) (kept value.Value, any bool) {
	kept = v.Clone()
	switch {
	case f.Type == schema.Group && v.Kind == value.Object:
		for i, kid := range v.Kids {
			below, has := prune(f.Child(kid.Name), p.Key(kid.Name), &v.Kids[i], stays)
			kept.Kids[i], any = below.Named(kid.Name), any || has
		}
		return kept, any
	case f.Type == schema.List && v.Kind == value.Array:
		kept.Kids = nil
		for i := range v.Kids {
			if below, has := prune(f.Item, p.Index(i), &v.Kids[i], stays); has {
				kept.Kids = append(kept.Kids, below)
			}
		}
		return kept, len(kept.Kids) > 0
	case f.Type == schema.Boolean || f.Type == schema.Choice || v.Kind == value.Bool:
		return kept, false
	case f.Type == schema.Any && (v.Kind == value.Array || v.Kind == value.Object && !schema.IsAmount(v)):
		kept.Kids = nil
		for i := range v.Kids {
			at := p.Index(i)
			if v.Kind == value.Object {
				at = p.Key(v.Kids[i].Name)
			}
			if below, has := prune(f, at, &v.Kids[i], stays); has {
				kept.Kids = append(kept.Kids, below.Named(v.Kids[i].Name))
			}
		}
		return kept, len(kept.Kids) > 0
	case stays(p):
		return kept, v.Kind != value.Null
	}
	return value.Value{}.Named(v.Name), false
}

// setup gives the setup of a fill by such a model.
func (c *careless) setup(t *testing.T, s *schema.Schema) Setup {
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		raw, _ := io.ReadAll(r.Body)
		var body struct{ Messages []struct{ Content string } }
		_ = json.Unmarshal(raw, &body)
		text, _ := json.Marshal(c.answer(body.Messages[len(body.Messages)-1].Content))
		fmt.Fprintf(w, `{"choices":[{"message":{"content":%s},"finish_reason":"stop"}],"usage":{"prompt_tokens":1,"completion_tokens":1}}`, text)
	}))
	t.Cleanup(server.Close)
	return Setup{Schema: s, Model: &project.Model{Entry: "m", Name: "m", At: server.URL, Shape: "plain", Reply: 4000},
		Pace: project.Pace{AtOnce: 1, Attempts: 1, Timeout: 20 * time.Second}, Rounds: 2, Settings: prompt.Settings{Layout: "rows"}}
}

// named gives the named fields of a record, all else empty.
func named(whole value.Value, fields []string) value.Value {
	out := whole.Clone()
	for i, k := range out.Kids {
		if slices.ContainsFunc(fields, func(f string) bool {
			head, _, _ := strings.Cut(f, ".")
			return strings.TrimSuffix(head, "[]") == k.Name
		}) {
			continue
		}
		empty := value.Value{Kind: value.Null}
		if k.Kind == value.Array {
			empty = value.List()
		}
		out.Kids[i] = empty.Named(k.Name)
	}
	return out
}

func everything(whole value.Value, _ []string) value.Value { return whole.Clone() }

// lapse is a record with one thing lost, and how.
type lapse struct {
	what  string
	first value.Value
}

// lapses takes one item out of each list, and one value out of the record.
func lapses(r *rand.Rand, right *value.Value) (all []lapse) {
	var leaves []int
	for i, k := range right.Kids {
		switch {
		case k.Kind == value.Array && len(k.Kids) > 1:
			first := right.Clone()
			items := &first.Kids[i].Kids
			j := r.Intn(len(k.Kids))
			*items = append((*items)[:j:j], (*items)[j+1:]...)
			all = append(all, lapse{"item", first})
		case k.Kind != value.Array && k.Kind != value.Null:
			leaves = append(leaves, i)
		}
	}
	if len(leaves) > 0 {
		i := leaves[r.Intn(len(leaves))]
		first := right.Clone()
		null := value.Value{Kind: value.Null}
		first.Kids[i] = null.Named(first.Kids[i].Name)
		all = append(all, lapse{"value", first})
	}
	return all
}

// tradeDoc is a document of a made-up trade with its right record.
type tradeDoc struct {
	name, file string
	schema     *schema.Schema
	right      value.Value
}

// tradeDocs gives those of every so many-th trade.
func tradeDocs(t *testing.T, every int) (all []tradeDoc) { return tradeDocsIn(t, "trades", every) }

func tradeDocsIn(t *testing.T, folder string, every int) (all []tradeDoc) {
	files, err := filepath.Glob("../../record/evidence/testdata/" + folder + "/*.txtar")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for n, file := range files {
		if n%every != 0 {
			continue
		}
		s, err := schema.Load(strings.TrimSuffix(file, ".txtar") + ".yaml")
		require.NoError(t, err)
		a, err := txtar.ParseFile(file)
		require.NoError(t, err)
		parts := map[string]string{}
		for _, f := range a.Files {
			parts[f.Name] = string(f.Data)
		}
		for _, name := range slices.Sorted(maps.Keys(parts)) {
			if id, isDoc := strings.CutSuffix(name, ".txt"); isDoc {
				right, err := value.Parse(strings.TrimSpace(parts[id+".record"]))
				require.NoError(t, err)
				all = append(all, tradeDoc{filepath.Base(file) + " " + id, writeDoc(t, id, parts[name]), s, record.Arrange(s, &right)})
			}
		}
	}
	return all
}

// fill gives what becomes of a first reply.
func (d *tradeDoc) fill(t *testing.T, first value.Value, only func(value.Value, []string) value.Value) (record.Line, *careless) {
	data, err := os.ReadFile(d.file)
	require.NoError(t, err)
	c := &careless{first: first, right: d.right, only: only, schema: d.schema, doc: string(data)}
	line, _ := fillTraced(t, c.setup(t, d.schema), d.file)
	return line, c
}

// some gives 4 for a short run of the tests and 1 for a long one.
func some() int {
	if testing.Short() {
		return 4
	}
	return 1
}

// What a first reply lost comes back where the model answers with care when it is
// asked again, whether it then repeats the record or gives what was asked for; and a
// right record is never made another.
func TestCarelessThenCareful(t *testing.T) {
	r := rand.New(rand.NewSource(5))
	lost, back, right, again := map[string]int{}, map[string]int{}, 0, 0
	for _, d := range tradeDocs(t, some()) {
		line, c := d.fill(t, d.right, everything)
		right++
		if slices.Contains(c.asked, "again") {
			again++
		}
		if d.name != "visits.txtar a" { // its unit "Tr." becomes "Tr"
			assert.Equal(t, d.right.String(), line.Record.String(), d.name)
		}
		for k, x := range lapses(r, &d.right) {
			line, _ := d.fill(t, x.first, []func(value.Value, []string) value.Value{everything, named}[k%2])
			if lost[x.what]++; line.Record.String() == d.right.String() {
				back[x.what]++
			}
		}
	}
	t.Logf("of %d lost items %d came back, of %d lost values %d; %d of %d right records were asked about again", lost["item"], back["item"], lost["value"], back["value"], again, right)
	assert.Greater(t, back["item"]*100, lost["item"]*45)
	assert.Greater(t, back["value"]*100, lost["value"]*45)
	assert.Less(t, again*100, right*15)
}

// other gives a value that is wrong: another last digit, or a word more.
func other(v *value.Value) value.Value {
	w := v.Clone().Named("")
	said := &w
	if w.Kind == value.Object {
		said = w.Get("amount")
	}
	if i := strings.LastIndexAny(said.Text, "123456789"); i >= 0 {
		said.Text = said.Text[:i] + string('1'+(said.Text[i]-'0'+3)%9) + said.Text[i+1:]
	} else {
		said.Text += " Brackwater"
	}
	return w
}

// mistakes gives records with one thing wrong each: values that are others, values and
// items that are invented.
func mistakes(r *rand.Rand, d *tradeDoc) (all []lapse) {
	var leaves, nulls []value.Pointer
	d.right.Walk(func(p value.Pointer, v *value.Value) bool {
		f := d.schema.At(p)
		if f == nil || !f.IsLeaf() || f.Type == schema.Boolean || f.Type == schema.Choice {
			return true
		}
		switch {
		case v.Kind != value.Null:
			leaves = append(leaves, p)
		case f.Type == schema.Date && f.Precision == "" || f.Type == schema.Text && f.Pattern == nil:
			nulls = append(nulls, p)
		}
		return false
	})
	put := func(what string, p value.Pointer, v value.Value) {
		first := d.right.Clone()
		first.Put(p, v)
		if first.String() != d.right.String() {
			all = append(all, lapse{what, first})
		}
	}
	for range 5 {
		p := leaves[r.Intn(len(leaves))]
		put("wrong", p, other(d.right.At(p)))
	}
	if len(nulls) > 0 {
		p := nulls[r.Intn(len(nulls))]
		v := value.Str("Quarrendon Brackwater")
		if d.schema.At(p).Type == schema.Date {
			v = value.Str("1987-02-23")
		}
		put("invented value", p, v)
	}
	for i, k := range d.right.Kids {
		if k.Kind == value.Array && len(k.Kids) > 0 && k.Kids[0].Kind == value.Object {
			first := d.right.Clone()
			item := first.Kids[i].Kids[len(k.Kids)-1].Clone()
			item.Walk(func(p value.Pointer, v *value.Value) bool {
				if f := d.schema.At(value.Pointer("").Key(k.Name).Index(0) + p); p != "" && f != nil && f.IsLeaf() && !v.Empty() && f.Type != schema.Boolean && f.Type != schema.Choice && f.Type != schema.List {
					item.Put(p, other(v))
					return false
				}
				return true
			})
			first.Kids[i].Kids = append(slices.Clone(first.Kids[i].Kids), item)
			all = append(all, lapse{"invented item", first})
		}
	}
	return all
}

// A wrong or invented value that is told comes right where the model corrects it, and
// what was right stays.
func TestWrongThenRight(t *testing.T) {
	all, right, clean := map[string]int{}, map[string]int{}, map[string]int{}
	for i, d := range tradeDocs(t, some()) {
		r := rand.New(rand.NewSource(int64(i))) // what is drawn of one document does not hang on another
		if line, _ := d.fill(t, d.right, everything); len(line.Problems) > 0 {
			continue // what it is doubted for would be asked about too
		}
		for _, x := range mistakes(r, &d) {
			line, c := d.fill(t, x.first, everything)
			all[x.what]++
			switch {
			case line.Record.String() == d.right.String() && len(line.Problems) == 0:
				right[x.what]++
			case len(line.Problems) == 0:
				clean[x.what]++
				fallthrough
			default:
				t.Logf("%s, %s: %v, %v", d.name, x.what, c.asked, line.Problems)
			}
		}
	}
	t.Logf("of %v mistakes these came right: %v; these stayed, and nothing told: %v", all, right, clean)
	for what, n := range all {
		assert.Greater(t, right[what]*100, n*92, what)
		assert.LessOrEqual(t, clean[what]*100, n*3, what)
	}
}

// What was left over is asked about once, and not where the project spares it.
func TestSparing(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  name: Name.\n  seen: {date: When it was seen.}\n"))
	require.NoError(t, err)
	first, err := value.Parse(`{"name":"Heron Plank","seen":null}`)
	require.NoError(t, err)
	doc := writeDoc(t, "a", "Heron Plank, on the third of May 2031, by day.\n")
	for sparing, asked := range map[bool][]string{false: {"first", "again"}, true: {"first"}} {
		c := &careless{first: first, right: first, only: everything}
		setup := c.setup(t, s)
		setup.Settings.Sparing = sparing
		line, _ := fillTraced(t, setup, doc)
		assert.Equal(t, asked, c.asked)
		assert.Empty(t, line.Problems)
		assert.Equal(t, "0.450", line.Risk.Get("/seen").Text, "the day may be its value")
	}
}
