package export

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// kiln is a schema with all that tables must hold: groups, lists in lists, lists of
// values, maps, tuples, values of any form, money, quantities, links and choices.
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
      cones: {map: "How far the cones bent, by their number.", values: {quantity: How far., unit: °C}}
      door: {tuple: Width and make., of: [{integer: Width.}, {text: Make.}]}
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
  more: {any: Whatever else is said.}
  yard:
    group: The yard.
    fields:
      hours: {map: "Hours worked, by name.", values: {integer: Hours.}}
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
			same(t, asTexts(lines), b.lines())
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
	assert.Equal(t, []string{"a|1|1||1||||||||x||||||ash||", "a|1|2||1||||||||x||||||salt||", "a|2|||1||||||||y||||||||", "b||||2||||||||||||||||"}, rows)

	typed, err := NewPlan(s, Options{Typed: true})
	require.NoError(t, err)
	v, err := value.Parse(`{"document":"a","record":{"fired":"soon","master":{"age":"old"},"kilns":[{"mark":"x","pots":[{"glaze":"mud"}]}]}}`)
	require.NoError(t, err)
	l, err := record.LineFromJSON(&v, nil)
	require.NoError(t, err)
	m := &Rows{Plan: typed, Emit: func(int, []Cell) error { return nil }}
	require.NoError(t, m.Line(&l, ""))
	assert.Equal(t, 3, m.Count)
	assert.Equal(t, `3 values are not what their columns hold and are left empty; the first: a /fired "soon"`, m.Told(s))
}

// Names that both want one column are a fault; a field that is called as a key is
// The entries of a map are the rows of a flat table as the items of a list are; what stands where
// a list or a map belongs has no rows and is counted once; no script holds the character 0.
func TestEntriesAsRows(t *testing.T) {
	s := load(t, "schema: s\nfields:\n  no: {text: Number.}\n  hours: {map: Hours by name., values: {integer: Hours.}}\n  tags: {list: Tags., fields: {a: A., b: {list: B., items: {text: B.}}}}\n  more: {any: More.}\n")
	parse := func(text string) value.Value {
		v, err := value.Parse(text)
		require.NoError(t, err)
		return v
	}
	lines := []record.Line{
		{Document: "a", Record: parse(`{"no":"1","hours":{"Ilse":3,"":4},"tags":[{"a":"x","b":["y"]}],"more":{"k":"\u0000\\u0000"}}`)},
		{Document: "b", Record: parse(`{"no":"2\u0000","hours":{},"tags":"none","more":""}`)},
		{Document: "c", Record: parse(`{"no":"3","hours":[5],"tags":[{"a":null,"b":"one"}],"more":null}`)}}
	path := filepath.Join(t.TempDir(), "flat.csv")
	run(t, &Job{Schema: s, To: "csv", Path: path, Options: Options{Rows: "hours"}}, lines)
	data, err := os.ReadFile(path)
	require.NoError(t, err)
	assert.Equal(t, "document,position,status,no,hours,more,hours_name,hours_value\na,1,,1,\"{\"\"Ilse\"\":3,\"\"\"\":4}\",\"{\"\"k\"\":\"\"\\u0000\\\\u0000\"\"}\",Ilse,3\na,2,,1,\"{\"\"Ilse\"\":3,\"\"\"\":4}\",\"{\"\"k\"\":\"\"\\u0000\\\\u0000\"\"}\",,4\nb,,,2\x00,{},,,\nc,,,3,[5],,,\n", string(data))
	for _, to := range []string{"csv", "parquet"} {
		e := run(t, &Job{Schema: s, To: to, Path: filepath.Join(t.TempDir(), "o"), Nested: to == "parquet"}, lines)
		assert.Equal(t, []string{`3 values are not what their columns hold and are left empty; the first: b /tags "none"`}, e.Told(), to)
	}
	script := filepath.Join(t.TempDir(), "o.sql")
	e := run(t, &Job{Schema: s, To: "sql", Path: script}, lines)
	assert.Contains(t, e.Told(), "2 texts hold the character 0, which a database can't hold; it is left out of them")
	data, err = os.ReadFile(script)
	require.NoError(t, err)
	assert.NotContains(t, string(data), "\x00")
	assert.Contains(t, string(data), `'{"k":"\\u0000"}'`)
}

// What does not fit is told without what it is, where it is sensitive.
func TestMisfitsKeepSecrets(t *testing.T) {
	s := load(t, "schema: s\nfields:\n  born: {date: Born., sensitive: true}\n  pay: {map: Pay by name., sensitive: true, values: {integer: Pay.}}\n")
	for text, want := range map[string]string{`{"born":"in the Kestrel year","pay":null}`: "a born •••", `{"born":null,"pay":{"Orla Kestrel":"much"}}`: "a pay •••", `{"born":null,"pay":"Kestrel"}`: "a pay •••"} {
		rec, err := value.Parse(text)
		require.NoError(t, err)
		for _, nested := range []bool{false, true} {
			e := run(t, &Job{Schema: s, To: "parquet", Path: filepath.Join(t.TempDir(), "o"), Nested: nested}, []record.Line{{Document: "a", Record: rec}})
			assert.Equal(t, []string{"1 value is not what its column holds and is left empty: " + want}, e.Told())
		}
	}
}

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
	assert.EqualError(t, err, "--rows pots[]: the schema has no such list or map; it has kilns[], kilns[].cones, kilns[].pots[], kilns[].pots[].marks[], bills[], yard.hours, yard.hands[], yard.hands[].lit[]")
	_, err = NewPlan(s, Options{Columns: []string{"nought"}})
	assert.ErrorContains(t, err, "--columns nought: no column and no field is called so")
	_, err = NewPlan(s, Options{Rows: "kilns[].pots[]", Columns: []string{"glaze"}})
	assert.EqualError(t, err, "--columns glaze: no column is called so; did you mean kilns_pots_glaze?")
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
