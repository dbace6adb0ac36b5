package export

import (
	"context"
	"encoding/csv"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// texts are values that try what files and databases make of them.
var texts = []string{"plain", "a, b", `say "no"`, "two\nlines", "=1+2", "+49", "-x", "@all", "tab\there", "it's", `back\slash`, "ä é 橋", "\\N", "null", "0012", "'quoted"}

// random gives a record of a schema; now and then a field or a list is empty.
func random(r *rand.Rand, f *schema.Field, marks *[]string) value.Value {
	num := func(n int) value.Value { return value.Num(strconv.Itoa(n)) }
	if f.Entry() != nil {
		out := value.Obj()
		for i := range r.IntN(4) {
			of := num(7 + i)
			if f.Name == "cones" {
				of = value.Obj(value.Num(fmt.Sprintf("%d.5", r.IntN(90))).Named("amount"), value.Str("°C").Named("unit"))
			}
			out.Kids = append(out.Kids, of.Named(texts[(i*5+r.IntN(5))%len(texts)]))
		}
		return out
	}
	if r.IntN(6) == 0 && f.Type != schema.Group && f.Type != schema.List {
		return value.Value{}
	}
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
	case schema.Any:
		if f.Name == "door" {
			return value.List(num(r.IntN(200)), value.Str(texts[r.IntN(len(texts))]))
		}
		forms := []string{`{"a":[1,{"b":null}],"c":"x"}`, `[[1,2],[]]`, `"a text"`, `12.50`, `true`, `{}`, `[]`, `"12"`, `{"a\\tb":"\"'"}`}
		v, err := value.Parse(forms[r.IntN(len(forms))])
		if err != nil {
			panic(err)
		}
		return v
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
	json   bool // columns of any form hold JSON
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
		switch {
		case kid.Type == schema.Group:
			v = b.group(kid, row, name+"_", table+kid.Name+"_", where)
		case kid.Type == schema.List, kid.Entry() != nil:
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
	entry := f.Entry()
	if entry != nil {
		out = value.Obj()
	}
	for _, row := range b.rows[table] {
		here := true
		for k, v := range where {
			here = here && row[k] == v
		}
		if !here {
			continue
		}
		require.Equal(b.t, strconv.Itoa(len(out.Kids)+1), row["position"], "%s: rows are in order", table)
		if entry != nil {
			out.Kids = append(out.Kids, b.leaf(entry, row, "value").Named(plain(row["name"])))
			continue
		}
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
	if f.Type == schema.Any {
		if v, err := value.Parse(cell); err == nil && (b.json || v.Kind == value.Object || v.Kind == value.Array) {
			return v
		}
		require.False(b.t, b.json, "%s is JSON", cell)
	}
	return value.Str(plain(cell))
}

// plain gives a text as it was before it was defused.
func plain(cell string) string {
	if len(cell) > 1 && cell[0] == '\'' && strings.IndexByte("=+-@\t", cell[1]) >= 0 {
		return cell[1:]
	}
	return cell
}

// asTexts gives lines whose values of any form are texts, where they hold no others: no file
// without types tells 12 from "12".
func asTexts(lines []record.Line) []record.Line {
	out := slices.Clone(lines)
	for i := range out {
		out[i].Record = out[i].Record.Clone()
		out[i].Record.Scan(func(v *value.Value) bool {
			if more := v.Get("more"); more != nil && (more.Kind == value.Number || more.Kind == value.Bool) {
				*more = value.Str(more.Text).Named("more")
			}
			return true
		})
	}
	return out
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
