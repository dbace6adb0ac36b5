package export

import (
	"context"
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

func asTables(t *testing.T) string {
	t.Helper()
	s, err := schema.Parse("s.yaml", []byte("schema: kiln\nfields:\n  no: {integer: Number.}\n  pots: {list: Pots., fields: {glaze: {choice: Glaze., of: [ash, salt]}, paid: {money: Price.}}}\n"))
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "a b#%41?.sqlite")
	job := &Job{Schema: s, To: "sqlite", Path: file, All: true}
	e, err := job.Begin(context.Background())
	require.NoError(t, err)
	for i, text := range []string{`{"no":1,"pots":[{"glaze":"ash","paid":{"amount":10.10,"currency":"EUR"}},{"glaze":"salt","paid":null}]}`, `{"no":2,"pots":[{"glaze":"ash","paid":{"amount":2.20,"currency":"EUR"}}]}`} {
		v, err := value.Parse(text)
		require.NoError(t, err)
		require.NoError(t, e.Line(&record.Line{Document: string(rune('a'+i)) + ".txt", Record: v}, ""))
	}
	require.NoError(t, e.Close())
	return file
}

func TestQuery(t *testing.T) {
	file := asTables(t)
	a, err := Query(context.Background(), file, "select glaze, count(*) n, 'drop; table' x from pots group by glaze order by n desc; -- the end")
	require.NoError(t, err)
	assert.Equal(t, []string{"glaze", "n", "x"}, a.Columns)
	assert.Equal(t, [][]string{{"ash", "2", "drop; table"}, {"salt", "1", "drop; table"}}, a.Rows)
	a, err = Query(context.Background(), file, "WITH RECURSIVE c(x) AS (SELECT 1 UNION ALL SELECT x+1 FROM c LIMIT 5000) SELECT x, null FROM c")
	require.NoError(t, err)
	assert.Len(t, a.Rows, mostAnswerRows)
	assert.True(t, a.More && a.Nulls[0][1])
	_, err = Query(context.Background(), file, "select nope from pots")
	assert.ErrorContains(t, err, "nope")
}

// Whatever a model or a document makes of a statement: the tables stay as they are, no
// other file is read or made, and it ends.
func TestQueryIsBounded(t *testing.T) {
	file := asTables(t)
	before, err := os.ReadFile(file)
	require.NoError(t, err)
	dir := t.TempDir()
	secret := filepath.Join(dir, "secret.sqlite")
	require.NoError(t, os.WriteFile(secret, before, 0o600))
	for _, s := range []string{
		"", ";", "delete from pots", "select 1; delete from pots", "select 1;select 2", "/* select */ drop table pots", "-- select\nupdate pots set glaze = 'x'",
		"attach '" + secret + "' as s", "select * from pots; attach '" + secret + "' as s", "with x as (select 1) insert into pots select * from x", "with x as (select 1) delete from pots", "WITH x AS (SELECT 1) UPDATE pots SET glaze=1",
		"pragma table_info(pots)", "select * from pragma_database_list", "select load_extension('x')", "select readfile('/etc/passwd')", "select writefile('" + filepath.Join(dir, "out") + "', 'x')", "vacuum into '" + filepath.Join(dir, "copy") + "'", "explain select 1", "create table t(x)", "begin", "replace into pots values(1)",
	} {
		_, err := Query(context.Background(), file, s)
		var refused *Refused
		assert.ErrorAs(t, err, &refused, s)
	}
	for _, s := range []string{"select hex(zeroblob(2000000000))", "select group_concat(hex(zeroblob(100000000))) from pots, pots b, pots c"} {
		_, err := Query(context.Background(), file, s)
		assert.Error(t, err, s)
	}
	if !testing.Short() {
		_, err = Query(context.Background(), file, "with recursive c(x) as (select 1 union all select x+1 from c) select max(x) from c")
		assert.ErrorContains(t, err, "longer than")
	}
	after, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, before, after)
	entries, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, entries, 1, "no file was made")
}

func FuzzOnlyReads(f *testing.F) {
	f.Add("select 1")
	f.Add("select '--' ; drop")
	f.Fuzz(func(t *testing.T, s string) {
		words, _ := wordsOf(s)
		for _, w := range words {
			assert.NotContains(t, w, ";")
		}
		if onlyReads(s) == nil {
			lower := strings.ToLower(s)
			assert.True(t, strings.Contains(lower, "select") || strings.Contains(lower, "with"))
		}
	})
}

// Amounts of several currencies that are put together are told, unless the statement tells
// them apart.
func TestMixed(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: kiln\nfields:\n  pots: {list: Pots., fields: {paid: {money: Price.}, tall: {quantity: Height., unit: cm}}}\n"))
	require.NoError(t, err)
	job := &Job{Schema: s, To: "sqlite", Path: filepath.Join(t.TempDir(), "k.sqlite"), All: true}
	e, err := job.Begin(context.Background())
	require.NoError(t, err)
	v, err := value.Parse(`{"pots":[{"paid":{"amount":1,"currency":"EUR"},"tall":{"amount":9,"unit":"cm"}},{"paid":{"amount":2,"currency":"CHF"},"tall":{"amount":8,"unit":"cm"}},{"paid":null,"tall":null}]}`)
	require.NoError(t, err)
	require.NoError(t, e.Line(&record.Line{Document: "a", Record: v}, ""))
	require.NoError(t, e.Close())
	for statement, told := range map[string]int{
		"SELECT sum(paid_amount) FROM pots": 1, "select document from POTS order by PAID_AMOUNT desc": 1, "SELECT avg(p.paid_amount) FROM pots p": 1,
		"SELECT paid_currency, sum(paid_amount) FROM pots GROUP BY paid_currency": 0, "SELECT sum(paid_amount) FROM pots WHERE paid_currency = 'EUR'": 0,
		"SELECT sum(tall_amount) FROM pots": 0, "SELECT paid_amount FROM pots": 0, "SELECT max(tall_amount), 'paid_amount' FROM pots": 0,
	} {
		all, err := e.Plan.Mixed(context.Background(), job.Path, statement)
		require.NoError(t, err)
		assert.Len(t, all, told, statement)
		if told > 0 {
			assert.Contains(t, all[0], "CHF, EUR")
		}
	}
}

// A model is told every column that it may need, and how tables hang together.
func TestDescribe(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: kiln\nfields:\n  no: {integer: Number of the firing.}\n  pots: {list: Pots., fields: {glaze: {choice: Glaze., of: [ash, salt]}, order: {integer: Which came first.}, marks: {list: Marks., items: {text: A mark.}}}}\n"))
	require.NoError(t, err)
	p, err := NewPlan(s, Options{Typed: true, Evidence: true})
	require.NoError(t, err)
	said := p.Describe()
	for _, part := range []string{"table kiln: one row for each document\n", "  no: integer; Number of the firing.\n", "table pots: one row for each item of pots; its document is document of a row of kiln\n", "  glaze: text, one of ash, salt; Glaze.\n", "  \"order\": integer; Which came first.\n", "its document, pots_position are document, position of a row of pots\n"} {
		assert.Contains(t, said, part)
	}
	assert.NotContains(t, said, "risk")
}
