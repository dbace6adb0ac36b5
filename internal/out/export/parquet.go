package export

import (
	"io"
	"os"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
	"time"

	"github.com/parquet-go/parquet-go"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// inOrder is a group of a Parquet schema whose fields stay in their order; the
// library's own sorts them by name.
type inOrder struct {
	parquet.Group
	fields []parquet.Field
}

func (g *inOrder) Fields() []parquet.Field { return g.fields }

// member is one field of such a group.
type member struct {
	parquet.Node
	name string
}

func (m *member) Name() string                           { return m.name }
func (m *member) Value(base reflect.Value) reflect.Value { return base }

func group() *inOrder { return &inOrder{Group: parquet.Group{}} }

func (g *inOrder) add(name string, n parquet.Node) {
	g.Group[name] = n
	g.fields = append(g.fields, &member{n, name})
}

// leafNode gives the type of a column. Numbers are doubles. Values are written plainly:
// not every reader knows the newer encodings.
func leafNode(c *Column) parquet.Node {
	var n parquet.Node
	switch c.Kind {
	case Integer:
		n = parquet.Int(64)
	case Number:
		n = parquet.Leaf(parquet.DoubleType)
	case Boolean:
		n = parquet.Leaf(parquet.BooleanType)
	case Date:
		n = parquet.Date()
	case Moment:
		n = parquet.Timestamp(parquet.Microsecond)
	case Local:
		n = parquet.TimestampAdjusted(parquet.Microsecond, false)
	default:
		n = parquet.String()
	}
	return parquet.Optional(parquet.Encoded(n, &parquet.Plain))
}

// parquetValue gives a cell as a value of its column.
func parquetValue(c *Column, cell Cell) parquet.Value {
	switch c.Kind {
	case Integer:
		n, _ := strconv.ParseInt(cell.Text, 10, 64)
		return parquet.Int64Value(n)
	case Number:
		f, _ := strconv.ParseFloat(cell.Text, 64)
		return parquet.DoubleValue(f)
	case Boolean:
		return parquet.BooleanValue(cell.Text == "true")
	case Date:
		day, _ := time.Parse(time.DateOnly, cell.Text)
		return parquet.Int32Value(int32(day.Unix() / 86400))
	case Moment:
		at, _ := time.Parse(time.RFC3339, cell.Text)
		return parquet.Int64Value(at.UnixMicro())
	case Local:
		at, _ := time.Parse(schema.LocalForm, cell.Text)
		return parquet.Int64Value(at.UnixMicro())
	}
	return parquet.ByteArrayValue([]byte(cell.Text))
}

// parquetRows is how many rows one group of a file holds.
const parquetRows = 20_000

// parquetFile is one file that rows go to.
type parquetFile struct {
	out  *parquet.GenericWriter[any]
	rows int
	file io.Closer
}

func newParquet(w io.Writer, name string, root parquet.Node, about [][2]string) *parquetFile {
	options := []parquet.WriterOption{parquet.NewSchema(name, root), parquet.Compression(&parquet.Snappy), parquet.CreatedBy("filler", "export", "")}
	for _, a := range about {
		options = append(options, parquet.KeyValueMetadata(a[0], a[1]))
	}
	return &parquetFile{out: parquet.NewGenericWriter[any](w, options...)}
}

func (f *parquetFile) write(row parquet.Row) error {
	if _, err := f.out.WriteRows([]parquet.Row{row}); err != nil {
		return err
	}
	if f.rows++; f.rows%parquetRows == 0 {
		return f.out.Flush()
	}
	return nil
}

func (f *parquetFile) close() error {
	err := f.out.Close()
	if f.file != nil {
		if cerr := f.file.Close(); err == nil {
			err = cerr
		}
	}
	return err
}

// Tables writes tables as Parquet files, one each, with what the columns are in
// their metadata.
type Tables struct {
	plan  *Plan
	files []*parquetFile
	row   parquet.Row
}

// NewTables begins a file for each table, in a folder.
func NewTables(p *Plan, dir string) (*Tables, error) {
	t := &Tables{plan: p}
	for _, table := range p.Tables {
		f, err := os.Create(filepath.Join(dir, table.Name+".parquet"))
		if err != nil {
			t.end()
			return nil, err
		}
		root := group()
		var about [][2]string
		for i := range table.Columns {
			c := &table.Columns[i]
			root.add(c.Name, leafNode(c))
			about = append(about, [2]string{"about:" + c.Name, c.About()})
		}
		file := newParquet(f, table.Name, root, about)
		file.file = f
		t.files = append(t.files, file)
	}
	return t, nil
}

// Row writes a row.
func (t *Tables) Row(n int, row []Cell) error {
	t.row = t.row[:0]
	for i, cell := range row {
		if cell.Null {
			t.row = append(t.row, parquet.NullValue().Level(0, 0, i))
			continue
		}
		t.row = append(t.row, parquetValue(&t.plan.Tables[n].Columns[i], cell).Level(0, 1, i))
	}
	return t.files[n].write(t.row)
}

// Close ends the files.
func (t *Tables) Close() error { return t.end() }

func (t *Tables) end() (err error) {
	for _, f := range t.files {
		if e := f.close(); err == nil {
			err = e
		}
	}
	t.files = nil
	return err
}

// nest is a part of a record as a Parquet file nests it.
type nest struct {
	name   string
	column *Column // of a leaf
	index  int     // of a leaf: its column in the file
	list   bool    // the items are kids[0]
	pairs  bool    // a map: the names are kids[0], the values kids[1]
	kids   []*nest
}

// Nested writes records as they are into one Parquet file: groups as groups, lists
// as lists, maps as maps.
type Nested struct {
	file   *parquetFile
	root   *nest
	values [][]parquet.Value
	row    parquet.Row
	each   bool
	line   *record.Line
	Misfits
}

// NewNested begins a file of records.
func NewNested(s *schema.Schema, w io.Writer) *Nested {
	n := &Nested{each: s.EachEntry()}
	root := group()
	top := &nest{}
	var about [][2]string
	key := func(name string, kind Kind) {
		c := &Column{Name: name, Kind: kind}
		root.add(name, leafNode(c))
		top.kids = append(top.kids, n.leaf(name, c))
		about = append(about, [2]string{"about:" + name, c.About()})
	}
	key("document", Text)
	if n.each {
		key("entry", Integer)
	}
	key("status", Text)
	inner, kids := n.group(s.Record(), &about)
	root.add("record", inner)
	top.kids = append(top.kids, &nest{name: "record", kids: kids})
	n.root = top
	n.file = newParquet(w, fold(s.Name, "records"), root, about)
	return n
}

func (n *Nested) leaf(name string, c *Column) *nest {
	n.values = append(n.values, nil)
	return &nest{name: name, column: c, index: len(n.values) - 1}
}

func (n *Nested) group(f *schema.Field, about *[][2]string) (parquet.Node, []*nest) {
	g := group()
	var kids []*nest
	for _, field := range f.Fields {
		node, kid := n.field(field, about)
		g.add(field.Name, node)
		kids = append(kids, kid)
	}
	return g, kids
}

func (n *Nested) field(f *schema.Field, about *[][2]string) (parquet.Node, *nest) {
	if f.About != "" {
		*about = append(*about, [2]string{"about:" + f.Path, strings.Join(strings.Fields(f.About), " ")})
	}
	switch f.Type {
	case schema.Group:
		node, kids := n.group(f, about)
		return node, &nest{name: f.Name, kids: kids}
	case schema.List:
		node, kid := n.field(f.Item, about)
		return parquet.List(node), &nest{name: f.Name, list: true, kids: []*nest{kid}}
	case schema.Money, schema.Quantity:
		measure, _ := f.Measure()
		g := group()
		amount := &Column{Name: "amount", Kind: Number, Field: f, Part: "amount"}
		unit := &Column{Name: measure, Field: f, Part: measure}
		g.add("amount", leafNode(amount))
		g.add(measure, leafNode(unit))
		return g, &nest{name: f.Name, kids: []*nest{n.leaf("", amount), n.leaf("", unit)}}
	}
	if entry := f.Entry(); entry != nil {
		key := n.leaf("", &Column{Name: "key"})
		node, kid := n.field(entry, about)
		kid.name = ""
		return parquet.Map(parquet.Encoded(parquet.String(), &parquet.Plain), node), &nest{name: f.Name, pairs: true, kids: []*nest{key, kid}}
	}
	c := &Column{Name: f.Name, Kind: kindOf(f), Field: f}
	return leafNode(c), n.leaf(f.Name, c)
}

// Line writes the records of a line.
func (n *Nested) Line(l *record.Line, _ string) error {
	if !n.each {
		return n.record(l, &l.Record, "")
	}
	for i := range l.Record.Kids {
		if err := n.record(l, &l.Record.Kids[i], strconv.Itoa(i+1)); err != nil {
			return err
		}
	}
	return nil
}

func (n *Nested) record(l *record.Line, rec *value.Value, entry string) error {
	for i := range n.values {
		n.values[i] = n.values[i][:0]
	}
	heads := []Cell{{Text: l.Document}}
	if n.each {
		heads = append(heads, Cell{Text: entry})
	}
	heads = append(heads, Cell{Text: string(l.Status), Null: l.Status == ""})
	for i, cell := range heads {
		n.put(n.root.kids[i], cell, 0, 0)
	}
	path := value.Pointer("")
	if n.each {
		number, _ := strconv.Atoi(entry)
		path = path.Index(number - 1)
	}
	n.line = l
	n.shred(n.root.kids[len(heads)], spot{rec, path}, 0, 0, 0)
	n.row = n.row[:0]
	for _, column := range n.values {
		n.row = append(n.row, column...)
	}
	return n.file.write(n.row)
}

func (n *Nested) put(at *nest, cell Cell, repetition, definition int) {
	v := parquet.NullValue().Level(repetition, definition, at.index)
	if !cell.Null {
		v = parquetValue(at.column, cell).Level(repetition, definition+1, at.index)
	}
	n.values[at.index] = append(n.values[at.index], v)
}

// spot is a value, nil where there is none, and where it stands.
type spot struct {
	v    *value.Value
	path value.Pointer
}

// shred takes a value apart into the columns of the file (as Dremel does: a value has
// with it the list in which it goes on, and how many of the lists around it are
// there). deep is how many lists it stands in.
func (n *Nested) shred(at *nest, s spot, repetition, definition, deep int) {
	v := s.v
	if v != nil && v.Kind != value.Null && (at.list && v.Kind != value.Array || at.pairs && v.Kind != value.Object) {
		n.add(n.line, s.path, v)
		v = nil
	}
	switch {
	case (at.list || at.pairs) && (v == nil || len(v.Kids) == 0):
		n.nothing(at, repetition, definition)
	case at.pairs:
		for i := range v.Kids {
			r := repetition
			if i > 0 {
				r = deep + 1
			}
			n.values[at.kids[0].index] = append(n.values[at.kids[0].index], parquet.ByteArrayValue([]byte(v.Kids[i].Name)).Level(r, definition+1, at.kids[0].index))
			n.shred(at.kids[1], spot{&v.Kids[i], s.path.Key(v.Kids[i].Name)}, r, definition+1, deep+1)
		}
	case at.list:
		for i := range v.Kids {
			r := repetition
			if i > 0 {
				r = deep + 1
			}
			n.shred(at.kids[0], spot{&v.Kids[i], s.path.Index(i)}, r, definition+1, deep+1)
		}
	case at.column != nil:
		cell := null
		if v != nil && v.Kind != value.Null && (v.Kind == value.String || at.column.Kind == JSON || !v.Empty()) {
			if cell = at.column.Cell(v); cell.Misfit {
				n.add(n.line, s.path, v)
				cell = null
			}
		}
		n.put(at, cell, repetition, definition)
	default:
		for _, kid := range at.kids {
			down := s
			if kid.name != "" {
				down.path = s.path.Key(kid.name)
				down.v = v.Get(kid.name)
			}
			n.shred(kid, down, repetition, definition, deep)
		}
	}
}

// nothing fills the columns below an empty list.
func (n *Nested) nothing(at *nest, repetition, definition int) {
	if at.column != nil {
		n.put(at, null, repetition, definition)
		return
	}
	for _, kid := range at.kids {
		n.nothing(kid, repetition, definition)
	}
}

// Close ends the file.
func (n *Nested) Close() error { return n.file.close() }
