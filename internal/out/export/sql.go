package export

import (
	"bufio"
	"fmt"
	"io"
	"strings"

	"filler/internal/schema"
)

// dialect is how a database wants its tables said.
type dialect struct {
	types    map[Kind]string
	boolean  [2]string // false and true
	comments bool      // COMMENT ON
}

// postgres is PostgreSQL's (15 and later), and that of the script.
var postgres = dialect{
	types:   map[Kind]string{Text: "text", Integer: "bigint", Number: "numeric", Boolean: "boolean", Date: "date", Time: "time", Moment: "timestamptz", Local: "timestamp", JSON: "jsonb"},
	boolean: [2]string{"false", "true"}, comments: true}

// lite is SQLite's: dates and times are texts in the forms of ISO 8601.
var lite = dialect{
	types:   map[Kind]string{Text: "TEXT", Integer: "INTEGER", Number: "NUMERIC", Boolean: "INTEGER", Date: "TEXT", Time: "TEXT", Moment: "TEXT", Local: "TEXT", JSON: "TEXT"},
	boolean: [2]string{"0", "1"}}

// quoted gives a name or a text between marks, those in it doubled.
func quoted(text string, mark byte) string {
	m := string(mark)
	return m + strings.ReplaceAll(text, m, m+m) + m
}

func name(n string) string { return quoted(n, '"') }

func names(list []string) string {
	all := make([]string, len(list))
	for i, n := range list {
		all[i] = name(n)
	}
	return strings.Join(all, ", ")
}

// keys gives the names of a table's key.
func (t *Table) keyNames() (all []string) {
	for _, c := range t.Columns[:t.Keys] {
		all = append(all, c.Name)
	}
	return all
}

// create gives the statement that makes a table. schemaName stands before its name;
// "" for none.
func (d dialect) create(t *Table, in string, again bool) string {
	var b strings.Builder
	b.WriteString("CREATE TABLE ")
	if again {
		b.WriteString("IF NOT EXISTS ")
	}
	b.WriteString(in + name(t.Name) + " (\n")
	for i := range t.Columns {
		b.WriteString("  " + d.column(&t.Columns[i], i < t.Keys && !t.loose))
		if i+1 < len(t.Columns) {
			b.WriteString(",\n")
		}
	}
	if t.loose {
		return b.String() + "\n)"
	}
	fmt.Fprintf(&b, ",\n  PRIMARY KEY (%s)", names(t.keyNames()))
	if t.Parent != nil && t.Parent.Keys > 0 {
		up := t.Parent.keyNames()
		own := make([]string, len(up))
		for i := range up {
			own[i] = t.Columns[i].Name
		}
		fmt.Fprintf(&b, ",\n  FOREIGN KEY (%s) REFERENCES %s (%s) ON DELETE CASCADE DEFERRABLE INITIALLY DEFERRED", names(own), in+name(t.Parent.Name), names(up))
	}
	for _, l := range t.Links {
		fmt.Fprintf(&b, ",\n  FOREIGN KEY (%s) REFERENCES %s (%s) DEFERRABLE INITIALLY DEFERRED", names(l.Columns), in+name(l.To.Name), names(l.To.keyNames()))
	}
	b.WriteString("\n)")
	return b.String()
}

// column gives the line of a column.
func (d dialect) column(c *Column, key bool) string {
	line := name(c.Name) + " " + d.types[c.Kind]
	if key {
		line += " NOT NULL"
	}
	if options := c.Options(); options != nil {
		var all []string
		for _, o := range options {
			all = append(all, quoted(o, '\''))
		}
		line += fmt.Sprintf(" CHECK (%s IN (%s))", name(c.Name), strings.Join(all, ", "))
	}
	return line
}

// about gives the statements that describe a table and its columns.
func (d dialect) about(t *Table, in string) (all []string) {
	if !d.comments {
		return nil
	}
	if t.List != nil && t.List.About != "" {
		all = append(all, fmt.Sprintf("COMMENT ON TABLE %s IS %s", in+name(t.Name), quoted(strings.Join(strings.Fields(t.List.About), " "), '\'')))
	}
	for i := range t.Columns {
		if about := t.Columns[i].About(); about != "" {
			all = append(all, fmt.Sprintf("COMMENT ON COLUMN %s.%s IS %s", in+name(t.Name), name(t.Columns[i].Name), quoted(about, '\'')))
		}
	}
	return all
}

// value gives a cell as a literal.
func (d dialect) value(c *Column, cell Cell) string {
	switch {
	case cell.Null:
		return "NULL"
	case c.Kind == Integer, c.Kind == Number:
		return cell.Text
	case c.Kind == Boolean:
		if cell.Text == "true" {
			return d.boolean[1]
		}
		return d.boolean[0]
	}
	return quoted(cell.Text, '\'')
}

// withoutNul leaves the character 0, which no text of PostgreSQL holds, out of a cell; JSON writes
// it as an escape.
func withoutNul(c *Column, text string) string {
	if c.Kind != JSON {
		return strings.ReplaceAll(text, "\x00", "")
	}
	const nul = `\u0000`
	if !strings.Contains(text, nul) {
		return text
	}
	var b strings.Builder
	for i := 0; i < len(text); i++ {
		switch {
		case strings.HasPrefix(text[i:], nul):
			i += len(nul) - 1
		case text[i] == '\\' && i+1 < len(text): // with what it escapes
			b.WriteString(text[i : i+2])
			i++
		default:
			b.WriteByte(text[i])
		}
	}
	return b.String()
}

// Script writes tables as a script of SQL that PostgreSQL and SQLite both take: one
// transaction that makes the tables, whose rows go in a hundred at a time.
type Script struct {
	plan *Plan
	out  *bufio.Writer
	kept [][]string // rows of the later tables, since rows of one record come together
	nuls int        // texts with characters that no text of a database holds
}

// rowsAtOnce is how many rows one statement takes.
const rowsAtOnce = 100

// NewScript begins a script.
func NewScript(p *Plan, w io.Writer) (*Script, error) {
	s := &Script{plan: p, out: bufio.NewWriterSize(w, 1<<16), kept: make([][]string, len(p.Tables))}
	s.out.WriteString("-- Records of the schema " + strings.ReplaceAll(p.Schema.Name, "\n", " ") + ".\nBEGIN;\n")
	for _, t := range p.Tables {
		s.out.WriteString(postgres.create(t, "", false) + ";\n")
	}
	return s, nil
}

// Create gives the statements that make the tables which an export of records fills, each with
// what describes it.
func Create(s *schema.Schema) (string, error) {
	p, err := NewPlan(s, Options{})
	if err != nil {
		return "", err
	}
	var b strings.Builder
	for _, t := range p.Tables {
		b.WriteString(postgres.create(t, "", false) + ";\n")
		for _, about := range postgres.about(t, "") {
			b.WriteString(about + ";\n")
		}
	}
	return b.String(), nil
}

// Row writes a row.
func (s *Script) Row(t int, row []Cell) error {
	values := make([]string, len(row))
	for i, c := range row {
		column := &s.plan.Tables[t].Columns[i]
		if text := withoutNul(column, c.Text); len(text) < len(c.Text) {
			s.nuls++
			c.Text = text
		}
		values[i] = postgres.value(column, c)
	}
	s.kept[t] = append(s.kept[t], "("+strings.Join(values, ", ")+")")
	if len(s.kept[t]) < rowsAtOnce {
		return nil
	}
	return s.flush(t)
}

// flush writes the rows of a table that wait.
func (s *Script) flush(t int) error {
	if len(s.kept[t]) == 0 {
		return nil
	}
	_, err := fmt.Fprintf(s.out, "INSERT INTO %s VALUES\n%s;\n", name(s.plan.Tables[t].Name), strings.Join(s.kept[t], ",\n"))
	s.kept[t] = s.kept[t][:0]
	return err
}

// Close ends the script.
func (s *Script) Close() error {
	for t := range s.kept {
		if err := s.flush(t); err != nil {
			return err
		}
	}
	s.out.WriteString("COMMIT;\n")
	return s.out.Flush()
}
