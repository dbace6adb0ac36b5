package export

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// kiln is a schema with all that tables must hold: groups, lists in lists, lists of
// values, money, quantities, links and choices.
const kiln = `schema: Kiln-Log
about: One firing of one kiln.
fields:
  no: {text: Number of the firing.}
  fired: {date: Day of the firing.}
  month: {date: Month of the order., precision: month}
  began: {time: When it began.}
  master:
    group: Who fired it.
    fields: {name: Full name., age: {integer: Age.}}
  kilns:
    list: The kilns.
    key: [mark]
    fields:
      mark: {text: Mark of the kiln.}
      heat: {quantity: Highest heat., unit: °C}
      ok: {boolean: Whether it held.}
      pots:
        list: The pots in it.
        fields:
          glaze: {choice: Its glaze., of: {ash: {}, salt: {}, none: {}}}
          price: {money: Its price.}
          marks: {list: Marks on it., items: {integer: One mark.}}
  bills:
    list: What was paid.
    fields:
      what: For what.
      kiln: {link: The kiln that it is for., to: 'kilns[].mark'}
      sum: {money: How much., currency: EUR}
  yard:
    group: The yard.
    fields:
      hands:
        list: Who worked there.
        fields: {name: Name., lit: {list: Kilns that they lit., items: {link: A kiln., to: 'kilns[].mark'}}}
`

func load(t testing.TB, text string) *schema.Schema {
	t.Helper()
	s, err := schema.Parse("kiln.yaml", []byte(text))
	require.NoError(t, err)
	return s
}

// texts are values that try what files and databases make of them.
var texts = []string{"plain", "a, b", `say "no"`, "two\nlines", "=1+2", "+49", "-x", "@all", "tab\there", "it's", `back\slash`, "ä é 橋", "\\N", "null", "0012", "'quoted"}

// random gives a record of a schema; now and then a field or a list is empty.
func random(r *rand.Rand, f *schema.Field, marks *[]string) value.Value {
	if r.IntN(6) == 0 && f.Type != schema.Group && f.Type != schema.List {
		return value.Value{}
	}
	num := func(n int) value.Value { return value.Num(strconv.Itoa(n)) }
	switch f.Type {
	case schema.Group:
		out := value.Obj()
		for _, kid := range f.Fields {
			v := random(r, kid, marks)
			out.Kids = append(out.Kids, v.Named(kid.Name))
		}
		return out
	case schema.List:
		out := value.List()
		for i := range r.IntN(4) {
			v := random(r, f.Item, marks)
			if f.Name == "kilns" {
				v.Put("/mark", value.Str(fmt.Sprintf("K%d", i)))
				*marks = append(*marks, fmt.Sprintf("K%d", i))
			}
			if f.Item.IsLeaf() && v.Kind == value.Null {
				v = num(7)
				if f.Item.Type == schema.Link {
					v = value.Str("nowhere")
				}
			}
			out.Kids = append(out.Kids, v)
		}
		return out
	case schema.Integer:
		return num(r.IntN(2000) - 1000)
	case schema.Boolean:
		return value.Boolean(r.IntN(2) == 0)
	case schema.Date:
		if f.Precision == "month" {
			return value.Str(fmt.Sprintf("20%02d-%02d", 10+r.IntN(80), 1+r.IntN(12)))
		}
		return value.Str(fmt.Sprintf("20%02d-%02d-%02d", 10+r.IntN(80), 1+r.IntN(12), 1+r.IntN(28)))
	case schema.Time:
		return value.Str(fmt.Sprintf("%02d:%02d", r.IntN(24), r.IntN(60)))
	case schema.Choice:
		return value.Str(f.Of[r.IntN(len(f.Of))].Value)
	case schema.Money:
		code := f.Currency
		if code == "" {
			code = []string{"EUR", "CHF"}[r.IntN(2)]
		}
		return value.Obj(value.Num(fmt.Sprintf("%d.%02d", r.IntN(3000)-500, r.IntN(100))).Named("amount"), value.Str(code).Named("currency"))
	case schema.Quantity:
		return value.Obj(value.Num(fmt.Sprintf("%d.5", r.IntN(1300))).Named("amount"), value.Str("°C").Named("unit"))
	case schema.Link:
		if len(*marks) > 0 {
			return value.Str((*marks)[r.IntN(len(*marks))])
		}
		return value.Value{}
	}
	return value.Str(texts[r.IntN(len(texts))])
}

func randomLines(s *schema.Schema, n int, seed uint64) (lines []record.Line) {
	r := rand.New(rand.NewPCG(seed, 20))
	for i := range n {
		var marks []string
		l := record.Line{Document: fmt.Sprintf("docs/%03d.txt", i), Status: []record.Status{record.Unflagged, record.Flagged}[r.IntN(2)], Record: random(r, s.Record(), &marks)}
		if s.EachEntry() {
			l.Record = value.List()
			for range r.IntN(4) {
				marks = nil
				l.Record.Kids = append(l.Record.Kids, random(r, s.Record(), &marks))
			}
		}
		lines = append(lines, l)
	}
	return lines
}

// run exports lines as a job says.
func run(t testing.TB, j *Job, lines []record.Line) *Export {
	t.Helper()
	e, err := j.Begin(context.Background())
	require.NoError(t, err)
	for i := range lines {
		require.NoError(t, e.Line(&lines[i], ""))
	}
	require.NoError(t, e.Close())
	return e
}

// rebuilt makes the records again out of rows, each a map from column to cell, by the
// names that a reader of docs/export.md would expect. It shares nothing with the
// code that wrote them but the schema.
type rebuilt struct {
	t      *testing.T
	schema *schema.Schema
	rows   map[string][]map[string]string // by table
	null   string
}

func (b *rebuilt) lines() map[string]value.Value {
	out := map[string]value.Value{}
	for _, row := range b.rows["kiln_log"] {
		where := map[string]string{"document": row["document"]}
		if entry, ok := row["entry"]; ok {
			where["entry"] = entry
		}
		v := b.group(b.schema.Record(), row, "", "", where)
		if !b.schema.EachEntry() {
			out[row["document"]] = v
			continue
		}
		list := out[row["document"]]
		list.Kind = value.Array
		list.Kids = append(list.Kids, v)
		out[row["document"]] = list
	}
	return out
}

func (b *rebuilt) group(f *schema.Field, row map[string]string, prefix, table string, where map[string]string) value.Value {
	out := value.Obj()
	for _, kid := range f.Fields {
		name := prefix + kid.Name
		var v value.Value
		switch kid.Type {
		case schema.Group:
			v = b.group(kid, row, name+"_", table+kid.Name+"_", where)
		case schema.List:
			v = b.list(kid, table+kid.Name, where)
		default:
			v = b.leaf(kid, row, name)
		}
		out.Kids = append(out.Kids, v.Named(kid.Name))
	}
	return out
}

func (b *rebuilt) list(f *schema.Field, table string, where map[string]string) value.Value {
	out := value.List()
	for _, row := range b.rows[table] {
		here := true
		for k, v := range where {
			here = here && row[k] == v
		}
		if !here {
			continue
		}
		require.Equal(b.t, strconv.Itoa(len(out.Kids)+1), row["position"], "%s: rows are in order", table)
		if f.Item.IsLeaf() {
			out.Kids = append(out.Kids, b.leaf(f.Item, row, "value"))
			continue
		}
		down := map[string]string{table + "_position": row["position"]}
		for k, v := range where {
			down[k] = v
		}
		out.Kids = append(out.Kids, b.group(f.Item, row, "", table+"_", down))
	}
	return out
}

func (b *rebuilt) leaf(f *schema.Field, row map[string]string, name string) value.Value {
	text := func(column string) (string, bool) {
		cell, ok := row[column]
		require.True(b.t, ok, "column %s in %v", column, row)
		return strings.TrimPrefix(cell, ""), cell != b.null
	}
	if f.Type == schema.Money || f.Type == schema.Quantity {
		measure, _ := f.Measure()
		amount, ok := text(name + "_amount")
		unit, _ := text(name + "_" + measure)
		if !ok {
			return value.Value{}
		}
		return value.Obj(value.Num(amount).Named("amount"), value.Str(unit).Named(measure))
	}
	cell, ok := text(name)
	if !ok {
		return value.Value{}
	}
	switch f.Kin().Type {
	case schema.Integer:
		return value.Num(cell)
	case schema.Boolean:
		return value.Boolean(cell == "true")
	}
	if len(cell) > 1 && cell[0] == '\'' && strings.IndexByte("=+-@\t", cell[1]) >= 0 { // defused
		cell = cell[1:]
	}
	return value.Str(cell)
}

// same holds records equal to what was rebuilt of them.
func same(t *testing.T, lines []record.Line, got map[string]value.Value) {
	t.Helper()
	for i := range lines {
		want, is := lines[i].Record, got[lines[i].Document]
		if len(want.Kids) == 0 && want.Kind == value.Array {
			continue // a document without entries has no rows
		}
		require.True(t, value.Equal(&want, &is), "%s\nwas %s\nis  %s", lines[i].Document, want.String(), is.String())
	}
}

func readCSV(t *testing.T, dir string) map[string][]map[string]string {
	t.Helper()
	all := map[string][]map[string]string{}
	files, err := filepath.Glob(filepath.Join(dir, "*.csv"))
	require.NoError(t, err)
	for _, file := range files {
		f, err := os.Open(file)
		require.NoError(t, err)
		rows, err := csv.NewReader(f).ReadAll()
		f.Close()
		require.NoError(t, err)
		table := strings.TrimSuffix(filepath.Base(file), ".csv")
		for _, row := range rows[1:] {
			cells := map[string]string{}
			for i, name := range rows[0] {
				cells[name] = row[i]
			}
			all[table] = append(all[table], cells)
		}
	}
	return all
}

// What is exported as tables of comma-separated values is the records again when it is
// put together, whatever stands in them; the same records give the same bytes.
func TestCSVRoundTrip(t *testing.T) {
	for _, each := range []string{"", "each: entry\n"} {
		s := load(t, strings.Replace(kiln, "fields:\n", each+"fields:\n", 1))
		for seed := range uint64(30) {
			lines := randomLines(s, 12, seed)
			dir := filepath.Join(t.TempDir(), "out")
			run(t, &Job{Schema: s, To: "csv", Path: dir, Null: "∅"}, lines)
			b := &rebuilt{t: t, schema: s, rows: readCSV(t, dir), null: "∅"}
			same(t, lines, b.lines())
			first, err := os.ReadFile(filepath.Join(dir, manifestName))
			require.NoError(t, err)
			run(t, &Job{Schema: s, To: "csv", Path: dir, Null: "∅"}, lines)
			again, err := os.ReadFile(filepath.Join(dir, manifestName))
			require.NoError(t, err)
			require.Equal(t, string(first), string(again), "the hashes of all files")
		}
	}
}

// Cells that a spreadsheet takes for formulas are defused, numbers are not, and with
// Raw nothing is.
func TestFormulasAreDefused(t *testing.T) {
	s := load(t, "schema: s\nfields:\n  a: A.\n  n: {integer: N.}\n")
	lines := []record.Line{{Document: "=d", Record: value.Obj(value.Str("=2+3").Named("a"), value.Num("-4").Named("n"))}}
	for _, raw := range []bool{false, true} {
		dir := filepath.Join(t.TempDir(), "o")
		run(t, &Job{Schema: s, To: "csv", Path: dir, Raw: raw}, lines)
		data, err := os.ReadFile(filepath.Join(dir, "s.csv"))
		require.NoError(t, err)
		assert.Equal(t, map[bool]string{false: "document,status,a,n\n'=d,,'=2+3,-4\n", true: "document,status,a,n\n=d,,=2+3,-4\n"}[raw], string(data))
	}
}

// A flat table has a row for each item, and one for a record without any; what is
// not a column's is told and left empty where columns have types.
func TestFlatAndMisfits(t *testing.T) {
	s := load(t, kiln)
	p, err := NewPlan(s, Options{Rows: "kilns[].pots[]"})
	require.NoError(t, err)
	var rows []string
	r := &Rows{Plan: p, Emit: func(_ int, row []Cell) error {
		var cells []string
		for _, c := range row {
			cells = append(cells, c.Text)
		}
		rows = append(rows, strings.Join(cells, "|"))
		return nil
	}}
	for _, text := range []string{
		`{"document":"a","record":{"no":"1","kilns":[{"mark":"x","pots":[{"glaze":"ash"},{"glaze":"salt"}]},{"mark":"y","pots":[]}]}}`,
		`{"document":"b","record":{"no":"2","kilns":[]}}`} {
		v, err := value.Parse(text)
		require.NoError(t, err)
		l, err := record.LineFromJSON(&v, nil)
		require.NoError(t, err)
		require.NoError(t, r.Line(&l, ""))
	}
	assert.Equal(t, []string{"a|1|1||1||||||x||||ash||", "a|1|2||1||||||x||||salt||", "a|2|||1||||||y||||||", "b||||2||||||||||||"}, rows)

	typed, err := NewPlan(s, Options{Typed: true})
	require.NoError(t, err)
	v, err := value.Parse(`{"document":"a","record":{"fired":"soon","master":{"age":"old"},"kilns":[{"mark":"x","pots":[{"glaze":"mud"}]}]}}`)
	require.NoError(t, err)
	l, err := record.LineFromJSON(&v, nil)
	require.NoError(t, err)
	m := &Rows{Plan: typed, Emit: func(int, []Cell) error { return nil }}
	require.NoError(t, m.Line(&l, ""))
	assert.Equal(t, 3, m.Misfits)
	assert.Equal(t, `3 values are not what their columns hold and are left empty; the first: a /fired "soon"`, m.Told())
}

// Names that both want one column are a fault; a field that is called as a key is
// renamed and told; unknown columns and lists are named.
func TestNamesAndOptions(t *testing.T) {
	s := load(t, "schema: s\nfields:\n  a_amount: A.\n  a: {money: A.}\n")
	_, err := NewPlan(s, Options{})
	assert.EqualError(t, err, `table s: a_amount and the amount of a would both be column "a_amount"; rename one of them`)
	s = load(t, "schema: s\nfields:\n  document: D.\n  status: S.\n")
	p, err := NewPlan(s, Options{})
	require.NoError(t, err)
	assert.Equal(t, []string{"document is column document_ of table s: document is a key there", "status is column status_ of table s: status is a key there"}, p.Notes)
	s = load(t, kiln)
	_, err = NewPlan(s, Options{Rows: "pots[]"})
	assert.EqualError(t, err, "--rows pots[]: the schema has no such list; it has kilns[], kilns[].pots[], kilns[].pots[].marks[], bills[], yard.hands[], yard.hands[].lit[]")
	_, err = NewPlan(s, Options{Columns: []string{"nought"}})
	assert.ErrorContains(t, err, "--columns nought: no column and no field is called so")
	p, err = NewPlan(s, Options{Columns: []string{"kilns[].pots[].glaze", "master.name"}})
	require.NoError(t, err)
	var names []string
	for _, t := range p.Tables {
		for _, c := range t.Columns {
			names = append(names, t.Name+"."+c.Name)
		}
	}
	assert.Equal(t, []string{"kiln_log.document", "kiln_log.master_name", "kilns.document", "kilns.position", "kilns_pots.document", "kilns_pots.kilns_position", "kilns_pots.position", "kilns_pots.glaze"}, names)
}

// The same records give the same bytes in every format.
func TestSameBytes(t *testing.T) {
	s := load(t, kiln)
	lines := randomLines(s, 20, 4)
	for _, to := range Formats {
		var was string
		for range 4 {
			dir := t.TempDir()
			run(t, &Job{Schema: s, To: to, Path: filepath.Join(dir, "out."+to), Nested: true, Options: Options{Evidence: to == "json"}}, lines)
			now := strings.ReplaceAll(everything(t, dir), dir, "")
			if was == "" {
				was = now
			}
			require.Equal(t, was, now, to)
		}
	}
}

// An export that fails leaves what stood there; what is not of an export is not
// touched.
func TestNothingHalfWritten(t *testing.T) {
	s := load(t, kiln)
	lines := randomLines(s, 5, 1)
	dir := t.TempDir()
	for _, to := range []string{"csv", "parquet", "sqlite", "sql", "xlsx", "jsonl", "json"} {
		path := filepath.Join(dir, "out."+to)
		run(t, &Job{Schema: s, To: to, Path: path}, lines)
		before := everything(t, dir)
		e, err := (&Job{Schema: s, To: to, Path: path}).Begin(context.Background())
		require.NoError(t, err, to)
		require.NoError(t, e.Line(&lines[0], ""), to)
		e.Abandon()
		assert.Equal(t, before, everything(t, dir), to)
	}
	own := filepath.Join(dir, "mine")
	require.NoError(t, os.Mkdir(own, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(own, "letter.txt"), []byte("dear"), 0o644))
	_, err := (&Job{Schema: s, To: "csv", Path: own}).Begin(context.Background())
	assert.EqualError(t, err, own+": this folder has files that are not of an export; name another one, or empty it")
	letter := filepath.Join(own, "letter.txt")
	_, err = (&Job{Schema: s, To: "jsonl", Path: letter}).Begin(context.Background())
	assert.EqualError(t, err, letter+": this file is not of an export: it has no manifest beside it; name another one, or remove it")
	_, err = (&Job{Schema: s, To: "sqlite", Path: os.DevNull}).Begin(context.Background())
	assert.EqualError(t, err, os.DevNull+": this is no plain file; name a file, and read that")
}

// everything gives the files below a folder with their bytes.
func everything(t *testing.T, dir string) string {
	t.Helper()
	var b strings.Builder
	require.NoError(t, filepath.Walk(dir, func(path string, info os.FileInfo, err error) error {
		require.NoError(t, err)
		if !info.IsDir() {
			data, err := os.ReadFile(path)
			require.NoError(t, err)
			fmt.Fprintf(&b, "%s %x\n", path, data)
		}
		return nil
	}))
	return b.String()
}

// What is checked is as it was written, and says what was changed.
func TestCheck(t *testing.T) {
	s := load(t, kiln)
	dir := t.TempDir()
	lines := randomLines(s, 5, 1)
	for _, to := range []string{"csv", "parquet", "jsonl", "sqlite"} {
		path := filepath.Join(dir, "out."+to)
		run(t, &Job{Schema: s, To: to, Path: path}, lines)
		faults, err := (&Job{Schema: s, To: to, Path: path}).Check(context.Background())
		require.NoError(t, err)
		assert.Empty(t, faults, to)
		other := load(t, strings.Replace(kiln, "  began:", "  ended: {time: When it ended.}\n  began:", 1))
		faults, err = (&Job{Schema: other, To: to, Path: path}).Check(context.Background())
		require.NoError(t, err)
		assert.NotEmpty(t, faults, to)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "out.csv", "bills.csv"), []byte("document\n"), 0o644))
	faults, err := (&Job{Schema: s, To: "csv", Path: filepath.Join(dir, "out.csv")}).Check(context.Background())
	require.NoError(t, err)
	assert.Contains(t, strings.Join(faults, "\n"), "bills.csv was changed since it was written")
}

// Changes tell added, changed and gone documents apart.
func TestChanges(t *testing.T) {
	s := load(t, kiln)
	old, now := randomLines(s, 6, 1), randomLines(s, 6, 1)
	now[1].Record.Put("/no", value.Str("another"))
	now[5].Document = "docs/new.txt"
	c := NewChanges(s)
	for i := range old {
		c.Was(&old[i])
	}
	var said []string
	for i := range now {
		said = append(said, c.Of(&now[i]))
	}
	assert.Equal(t, []string{"", "changed", "", "", "", "added"}, said)
	require.NoError(t, c.Gone(func(document string) error {
		assert.Equal(t, "docs/005.txt", document)
		return nil
	}))
	var m Manifest
	require.NoError(t, json.Unmarshal((&Manifest{MadeBy: madeBy}).JSON(), &m))
}
