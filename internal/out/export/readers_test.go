package export

import (
	"context"
	"encoding/csv"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"testing"
	"time"

	goparquet "github.com/fraugster/parquet-go"
	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/needs"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/store/pgtest"
)

// tool gives the path of a program that reads exports; `make needs` installs it.
func tool(t *testing.T, name string) string {
	t.Helper()
	return needs.Program(t, name)
}

// fromShell reads tables with a program that prints them as comma-separated values.
func fromShell(t *testing.T, p *Plan, ask func(table string) *exec.Cmd) map[string][]map[string]string {
	t.Helper()
	all := map[string][]map[string]string{}
	for _, table := range p.Tables {
		out, err := ask(table.Name).Output()
		require.NoError(t, err, table.Name)
		rows, err := csv.NewReader(strings.NewReader(string(out))).ReadAll()
		require.NoError(t, err, string(out))
		for _, row := range rows {
			cells := map[string]string{}
			for i, c := range table.Columns {
				cells[c.Name] = bare(row[i])
			}
			all[table.Name] = append(all[table.Name], cells)
		}
	}
	return all
}

// bare undoes what keeps a text apart from no value in a query: each text has a mark.
func bare(cell string) string {
	if cell == "" {
		return "∅"
	}
	return strings.TrimPrefix(cell, "~")
}

// query asks for all rows of a table in order, texts with a mark before them.
func query(t *Table, boolean string) string {
	var all []string
	for i := range t.Columns {
		c := &t.Columns[i]
		column := name(c.Name)
		if c.Kind == Boolean && boolean != "" {
			column = fmt.Sprintf(boolean, column)
		}
		if c.Kind == JSON {
			column = fmt.Sprintf("CAST(%s AS TEXT)", column)
		}
		all = append(all, fmt.Sprintf("'~' || %s", column))
	}
	return fmt.Sprintf("SELECT %s FROM %s ORDER BY %s", strings.Join(all, ", "), name(t.Name), names(t.keyNames()))
}

// The tables are read by the programs that they are for, and are the records again: by
// the shell of SQLite, from a database and from the script, which keys and checks
// hold.
func TestSQLiteReads(t *testing.T) {
	shell := tool(t, "sqlite3")
	for _, each := range []string{"", "each: entry\n"} {
		s := load(t, strings.Replace(kiln, "fields:\n", each+"fields:\n", 1))
		lines := randomLines(s, 40, 5)
		for _, to := range []string{"sqlite", "sql"} {
			path := filepath.Join(t.TempDir(), "out."+to)
			e := run(t, &Job{Schema: s, To: to, Path: path}, lines)
			if to == "sql" {
				script, err := os.Open(path)
				require.NoError(t, err)
				path += ".db"
				cmd := exec.Command(shell, "-bail", path)
				cmd.Stdin = script
				out, err := cmd.CombinedOutput()
				require.NoError(t, err, string(out))
			}
			rows := fromShell(t, e.Plan, func(table string) *exec.Cmd {
				for _, own := range e.Plan.Tables {
					if own.Name == table {
						return exec.Command(shell, "-csv", path, query(own, "CASE %s WHEN 1 THEN 'true' WHEN 0 THEN 'false' END"))
					}
				}
				return nil
			})
			same(t, numbersAlike(lines), (&rebuilt{t: t, schema: s, rows: numeric(s, rows), null: "∅", json: true}).lines())
			out, err := exec.Command(shell, path, "PRAGMA foreign_key_check; PRAGMA integrity_check").CombinedOutput()
			require.NoError(t, err)
			assert.Equal(t, "ok\n", string(out))
			if to == "sqlite" {
				out, err = exec.Command(shell, path, `SELECT count(*) FROM kilns_pots_wide; SELECT about FROM fields WHERE column_name = 'glaze'`).CombinedOutput()
				require.NoError(t, err, string(out))
				assert.Contains(t, string(out), "Its glaze.")
			}
		}
	}
}

// numbersAlike gives lines whose numbers are written shortly, as a database gives
// them back.
func numbersAlike(lines []record.Line) []record.Line {
	out := make([]record.Line, len(lines))
	for i := range lines {
		out[i] = lines[i]
		out[i].Record = lines[i].Record.Clone()
		short(&out[i].Record)
	}
	return out
}

func short(v *value.Value) {
	if v.Kind == value.Number {
		f, _ := strconv.ParseFloat(v.Text, 64)
		v.Text = strconv.FormatFloat(f, 'f', -1, 64)
	}
	for i := range v.Kids {
		short(&v.Kids[i])
	}
}

// numeric writes the numbers of rows shortly.
func numeric(s *schema.Schema, rows map[string][]map[string]string) map[string][]map[string]string {
	for _, table := range rows {
		for _, row := range table {
			for k, cell := range row {
				if f, err := strconv.ParseFloat(cell, 64); err == nil && (strings.HasSuffix(k, "amount") || strings.HasSuffix(k, "value") || k == "master_age") {
					row[k] = strconv.FormatFloat(f, 'f', -1, 64)
				}
			}
		}
	}
	return rows
}

// A spreadsheet's own converter reads the workbook: its sheets, days and numbers.
func TestSpreadsheetReads(t *testing.T) {
	convert := tool(t, "ssconvert")
	s := load(t, kiln)
	lines := randomLines(s, 25, 9)
	for i := range lines { // the values of the first kiln stand in lines 7 and 5
		lines[i].Evidence = value.Obj(
			value.Obj(value.Num("9").Named("line")).Named("/no"),
			value.Obj(value.Num("7").Named("line")).Named("/kilns/0/mark"),
			value.Obj(value.Num("5").Named("line")).Named("/kilns/0/heat"),
			value.Obj(value.Num("3").Named("line")).Named("/kilns/0/pots/0/glaze"))
	}
	dir := t.TempDir()
	path := filepath.Join(dir, "out.xlsx")
	e := run(t, &Job{Schema: s, To: "xlsx", Path: path}, lines)
	out, err := exec.Command(convert, "-S", "--export-type=Gnumeric_stf:stf_csv", path, filepath.Join(dir, "%s.csv")).CombinedOutput()
	require.NoError(t, err, string(out))
	rows := readCSV(t, dir)
	for i, table := range e.Plan.Tables {
		assert.Len(t, rows[table.Name], e.counts[i], table.Name)
	}
	pots := 0
	for i := range lines {
		r := &lines[i].Record
		row := rows["kiln_log"][i]
		assert.Equal(t, lines[i].Document, row["document"])
		if fired := r.Get("fired"); fired.Kind == value.String {
			day, err := time.Parse("2006-01-02", strings.ReplaceAll(row["fired"], "/", "-"))
			require.NoError(t, err, row["fired"])
			assert.Equal(t, fired.Text, day.Format(time.DateOnly))
		}
		if no := r.Get("no"); no.Kind == value.String && !strings.Contains(no.Text, "\n") {
			assert.Equal(t, no.Text, row["no"], "a text stays a text")
		}
		for k := range r.Get("kilns").Kids {
			pots += len(r.Get("kilns").Kids[k].Get("pots").Kids)
		}
	}
	assert.Len(t, rows["kilns_pots"], pots)
	for table, line := range map[string]string{"kiln_log": "9", "kilns": "5", "kilns_pots": "3"} {
		assert.Equal(t, line, rows[table][0]["source_line"], table)
	}
	for _, row := range rows["kilns"] {
		assert.Equal(t, row["position"] == "1", row["source_line"] != "")
	}
	assert.Greater(t, len(rows["fields"]), 10)
}

// Another library reads the Parquet files: records nested as they are, and tables.
func TestParquetReads(t *testing.T) {
	s := load(t, kiln)
	lines := randomLines(s, 60, 3)
	path := filepath.Join(t.TempDir(), "out.parquet")
	run(t, &Job{Schema: s, To: "parquet", Path: path, Nested: true}, lines)
	f, err := os.Open(path)
	require.NoError(t, err)
	defer f.Close()
	r, err := goparquet.NewFileReader(f)
	require.NoError(t, err)
	assert.Equal(t, "Number of the firing.", r.MetaData()["about:no"])
	var order []string
	for _, c := range r.GetSchemaDefinition().RootColumn.Children {
		order = append(order, c.SchemaElement.Name)
	}
	assert.Equal(t, []string{"document", "status", "record"}, order, "columns in the order of the schema")
	for i := range lines {
		row, err := r.NextRow()
		require.NoError(t, err)
		assert.Equal(t, lines[i].Document, string(row["document"].([]byte)))
		got := fromParquet(s.Record(), row["record"])
		want := lines[i].Record.Clone()
		short(&want)
		require.Equal(t, want.String(), got.String(), lines[i].Document)
	}
	dir := filepath.Join(t.TempDir(), "tables")
	e := run(t, &Job{Schema: s, To: "parquet", Path: dir}, lines)
	for i, table := range e.Plan.Tables {
		f, err := os.Open(filepath.Join(dir, table.Name+".parquet"))
		require.NoError(t, err)
		r, err := goparquet.NewFileReader(f)
		require.NoError(t, err)
		assert.EqualValues(t, e.counts[i], r.NumRows(), table.Name)
		f.Close()
	}
}

// fromParquet makes a value of what the library gives.
func fromParquet(f *schema.Field, v any) value.Value {
	number := func(v any) value.Value {
		switch n := v.(type) {
		case float64:
			return value.Num(strconv.FormatFloat(n, 'f', -1, 64))
		case int64:
			return value.Num(strconv.FormatInt(n, 10))
		}
		return value.Value{}
	}
	switch f.Type {
	case schema.Group:
		group, _ := v.(map[string]any)
		out := value.Obj()
		for _, kid := range f.Fields {
			got := fromParquet(kid, group[kid.Name])
			out.Kids = append(out.Kids, got.Named(kid.Name))
		}
		return out
	case schema.List:
		out := value.List()
		list, _ := v.(map[string]any)["list"].([]map[string]any)
		for _, item := range list {
			out.Kids = append(out.Kids, fromParquet(f.Item, item["element"]))
		}
		return out
	case schema.Any:
		if entry := f.Entry(); entry != nil {
			out := value.Obj()
			list, _ := v.(map[string]any)["key_value"].([]map[string]any)
			for _, item := range list {
				out.Kids = append(out.Kids, fromParquet(entry, item["value"]).Named(string(item["key"].([]byte))))
			}
			return out
		}
		if text, ok := v.([]byte); ok {
			got, err := value.ParseBytes(text)
			if err != nil {
				panic(err)
			}
			short(&got)
			return got
		}
		return value.Value{}
	case schema.Money, schema.Quantity:
		measure, _ := f.Measure()
		pair, _ := v.(map[string]any)
		if pair["amount"] == nil {
			return value.Value{}
		}
		return value.Obj(number(pair["amount"]).Named("amount"), value.Str(string(pair[measure].([]byte))).Named(measure))
	}
	switch x := v.(type) {
	case nil:
		return value.Value{}
	case bool:
		return value.Boolean(x)
	case int32: // a day
		return value.Str(time.Unix(int64(x)*86400, 0).UTC().Format(time.DateOnly))
	case []byte:
		return value.Str(string(x))
	}
	return number(v)
}

// A real PostgreSQL takes the tables, and what comes again: rows that changed are
// updated and no others, those that are gone are deleted, columns are added and
// never dropped, and what it refuses leaves all as it was.
func TestPostgresReads(t *testing.T) {
	address := pgtest.Start(t, "fsync=off").Address("postgres")
	ctx := context.Background()
	psql := func(ask string) string {
		conn, err := pgx.Connect(ctx, address)
		require.NoError(t, err)
		defer conn.Close(ctx)
		rows, err := conn.Query(ctx, ask)
		require.NoError(t, err, ask)
		defer rows.Close()
		var b strings.Builder
		w := csv.NewWriter(&b)
		for rows.Next() {
			values, err := rows.Values()
			require.NoError(t, err)
			var cells []string
			for _, v := range values {
				if v == nil {
					v = ""
				}
				cells = append(cells, fmt.Sprint(v))
			}
			w.Write(cells)
		}
		require.NoError(t, rows.Err(), ask)
		w.Flush()
		return b.String()
	}
	s := load(t, kiln)
	read := func(e *Export) map[string]value.Value {
		rows := map[string][]map[string]string{}
		for _, table := range e.Plan.Tables {
			all, err := csv.NewReader(strings.NewReader(psql(query(table, "CASE WHEN %s THEN 'true' ELSE 'false' END")))).ReadAll()
			require.NoError(t, err)
			for _, row := range all {
				cells := map[string]string{}
				for i, c := range table.Columns {
					cells[c.Name] = bare(row[i])
					if c.Kind == Time {
						cells[c.Name] = strings.TrimSuffix(cells[c.Name], ":00")
					}
				}
				rows[table.Name] = append(rows[table.Name], cells)
			}
		}
		return (&rebuilt{t: t, schema: s, rows: rows, null: "∅", json: true}).lines()
	}
	known := func(lines []record.Line) []record.Line { // a boolean that is null reads as false here
		for i := range lines {
			lines[i].Record = lines[i].Record.Clone()
			for k := range lines[i].Record.Get("kilns").Kids {
				if ok := lines[i].Record.Get("kilns").Kids[k].Get("ok"); ok.Kind == value.Null {
					*ok = value.Boolean(false).Named("ok")
				}
			}
		}
		return lines
	}
	lines := known(randomLines(s, 60, 11))
	e := run(t, &Job{Schema: s, To: "postgres", Path: address, All: true}, lines)
	same(t, lines, read(e))
	assert.Equal(t, "Its glaze.\n", psql(`SELECT col_description('kilns_pots'::regclass, ordinal_position) FROM information_schema.columns WHERE table_name = 'kilns_pots' AND column_name = 'glaze'`))
	marks := psql(`SELECT document, xmin FROM kiln_log ORDER BY document`)

	lines[3].Record.Put("/no", value.Str("changed")) // one row; and a document is gone
	lines = append(lines[:7:7], lines[8:]...)
	e = run(t, &Job{Schema: s, To: "postgres", Path: address, All: true}, lines)
	same(t, lines, read(e))
	was, now := strings.Split(marks, "\n"), strings.Split(psql(`SELECT document, xmin FROM kiln_log ORDER BY document`), "\n")
	untouched := 0
	for _, row := range now {
		for _, before := range was {
			if row == before && row != "" {
				untouched++
			}
		}
	}
	assert.Equal(t, len(lines)-1, untouched, "rows that say the same are not written")

	some := known(randomLines(s, 60, 11))[20:25] // others stay, where they are not all there are
	some[0].Record = lines[0].Record
	run(t, &Job{Schema: s, To: "postgres", Path: address}, some)
	assert.Equal(t, strconv.Itoa(len(lines))+"\n", psql(`SELECT count(*) FROM kiln_log`))
	assert.Equal(t, strconv.Itoa(len(lines[0].Record.Get("kilns").Kids))+"\n", psql(`SELECT count(*) FROM kilns WHERE document = '`+some[0].Document+`'`))

	grown := load(t, strings.Replace(kiln, "  began:", "  ended: {time: When it ended.}\n  began:", 1))
	job := &Job{Schema: grown, To: "postgres", Path: address, All: true}
	faults, err := job.Check(ctx)
	require.NoError(t, err)
	assert.Equal(t, []string{"table kiln_log: column ended is missing"}, faults)
	dry := &Job{Schema: grown, To: "postgres", Path: address, All: true, Dry: true}
	d := run(t, dry, lines[:1])
	assert.Contains(t, strings.Join(d.Statements(), "\n"), `ALTER TABLE "kiln_log" ADD COLUMN "ended" time`)
	faults, err = job.Check(ctx)
	require.NoError(t, err)
	assert.Len(t, faults, 1, "a dry run changes nothing")
	run(t, job, lines)
	faults, err = job.Check(ctx)
	require.NoError(t, err)
	assert.Empty(t, faults)
	run(t, &Job{Schema: s, To: "postgres", Path: address, All: true}, lines) // the older schema drops nothing
	assert.Equal(t, "1\n", psql(`SELECT count(*) FROM information_schema.columns WHERE table_name = 'kiln_log' AND column_name = 'ended'`))

	other := load(t, strings.Replace(kiln, "  fired: {date:", "  fired: {integer:", 1))
	_, err = (&Job{Schema: other, To: "postgres", Path: address}).Begin(ctx)
	assert.ErrorContains(t, err, "table kiln_log: column fired is date, not bigint; rename the field, or the table that is there; nothing was changed")
	psql(`CREATE ROLE reader LOGIN`)
	_, err = (&Job{Schema: load(t, "schema: fresh\nfields:\n  a: A.\n"), To: "postgres", Path: strings.Replace(address, "postgres@", "reader@", 1)}).Begin(ctx)
	assert.ErrorContains(t, err, "the database refused: permission denied for schema public; grant it: `filler help export` names the rights that are needed; nothing was changed")
}
