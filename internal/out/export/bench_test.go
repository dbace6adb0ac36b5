package export

import (
	"context"
	"fmt"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/store/pgtest"
)

// wideRecord is a schema of 36 values and a list of four-valued items, with one
// record of it.
func wideRecord(b *testing.B) (*schema.Schema, record.Line) {
	var s strings.Builder
	s.WriteString("schema: meter-reading\nfields:\n")
	rec := value.Obj()
	for i := range 12 {
		fmt.Fprintf(&s, "  t%d: Text.\n  n%d: {number: Number.}\n  d%d: {date: Day.}\n", i, i, i)
		rec.Kids = append(rec.Kids, value.Str(fmt.Sprintf("Meter %d in Reed Lane", i*37)).Named(fmt.Sprintf("t%d", i)),
			value.Num(fmt.Sprintf("%d.25", i*1013)).Named(fmt.Sprintf("n%d", i)),
			value.Str(fmt.Sprintf("2031-03-%02d", i+1)).Named(fmt.Sprintf("d%d", i)))
	}
	s.WriteString("  items:\n    list: Items.\n    fields:\n      what: What.\n      count: {integer: How many.}\n      price: {money: Price.}\n")
	items := value.List().Named("items")
	for i := range 3 {
		items.Kids = append(items.Kids, value.Obj(value.Str("seal").Named("what"), value.Num(fmt.Sprint(i)).Named("count"),
			value.Obj(value.Num("12.50").Named("amount"), value.Str("EUR").Named("currency")).Named("price")))
	}
	rec.Kids = append(rec.Kids, items)
	return load(b, s.String()), record.Line{Status: record.Unflagged, Record: rec}
}

// send gives b.N records to a target and tells how many a second, and how much
// memory is held at most.
func send(b *testing.B, j *Job, l record.Line) {
	e, err := j.Begin(context.Background())
	require.NoError(b, err)
	var held uint64
	for i := range b.N {
		l.Document = fmt.Sprintf("meters/%08d.txt", i)
		require.NoError(b, e.Line(&l, ""))
		if i%20_000 == 0 {
			var m runtime.MemStats
			runtime.ReadMemStats(&m)
			held = max(held, m.HeapInuse)
		}
	}
	require.NoError(b, e.Close())
	b.ReportMetric(float64(b.N)/b.Elapsed().Seconds(), "records/s")
	b.ReportMetric(float64(held)/(1<<20), "MB-held")
}

func BenchmarkWrite(b *testing.B) {
	s, l := wideRecord(b)
	for _, to := range []struct{ name, format, file string }{
		{"CSV", "csv", "csv"}, {"ParquetNested", "parquet", "out.parquet"}, {"ParquetTables", "parquet", "tables"},
		{"SQLite", "sqlite", "out.sqlite"}, {"JSONL", "jsonl", "out.jsonl"},
	} {
		b.Run(to.name, func(b *testing.B) {
			send(b, &Job{Schema: s, To: to.format, Path: filepath.Join(b.TempDir(), to.file), Nested: strings.HasSuffix(to.file, ".parquet")}, l)
		})
	}
}

// copied is rows for COPY.
type copied struct {
	n, i int
	row  func(i int) []any
}

func (c *copied) Next() bool             { c.i++; return c.i <= c.n }
func (c *copied) Values() ([]any, error) { return c.row(c.i - 1), nil }
func (c *copied) Err() error             { return nil }

// The export into an empty database, against COPY of the same rows by the driver
// into tables that are there.
func BenchmarkPostgres(b *testing.B) {
	address := pgtest.Start(b, "fsync=off").Address("postgres")
	s, l := wideRecord(b)
	send(b, &Job{Schema: s, To: "postgres", Path: address, All: true}, l)
	took := b.Elapsed()
	b.StopTimer()
	ctx := context.Background()
	conn, err := pgx.Connect(ctx, address)
	require.NoError(b, err)
	defer conn.Close(ctx)
	_, err = conn.Exec(ctx, `CREATE TABLE c (LIKE meter_reading INCLUDING ALL); CREATE TABLE ci (LIKE items INCLUDING ALL)`)
	require.NoError(b, err)
	plain, err := NewPlan(s, Options{Typed: true})
	require.NoError(b, err)
	began := time.Now()
	for t, name := range []string{"c", "ci"} {
		var columns []string
		for _, c := range plain.Tables[t].Columns {
			columns = append(columns, c.Name)
		}
		var rows [][]any
		r := &Rows{Plan: plain, Emit: func(at int, row []Cell) error {
			if at == t {
				var out []any
				for i, c := range row {
					out = append(out, typedAny(&plain.Tables[t].Columns[i], c))
				}
				rows = append(rows, out)
			}
			return nil
		}}
		l.Document = "x"
		require.NoError(b, r.Line(&l, ""))
		own := rows
		_, err := conn.CopyFrom(ctx, pgx.Identifier{name}, columns, &copied{n: b.N * len(own), row: func(i int) []any {
			row := own[i%len(own)]
			row[0] = fmt.Sprintf("meters/%08d.txt", i/len(own))
			return row
		}})
		require.NoError(b, err)
	}
	b.ReportMetric(100*time.Since(began).Seconds()/took.Seconds(), "%-of-COPY's-speed")
}

// typedAny gives a cell as the driver takes it.
func typedAny(c *Column, cell Cell) any {
	switch {
	case cell.Null:
		return nil
	case c.Kind == Date:
		day, _ := time.Parse(time.DateOnly, cell.Text)
		return day
	case c.Kind == Integer:
		var n int64
		fmt.Sscan(cell.Text, &n)
		return n
	}
	return cell.Text
}
