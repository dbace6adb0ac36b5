package schema

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"filler/internal/base/lazy"
	"filler/internal/base/place"
)

// A CREATE TABLE script as a schema: columns are fields, of the type that is closest; NOT NULL
// is required, CHECK (… IN …) and ENUM a choice, a bound a bound, a foreign key a link, a
// comment what the model is told. One table is the record. Of several, one that all others lead
// to is the record and the others are its lists, without the columns that lead there; where there
// is no such table each is a list. What has no place in a schema is noted.

// sqlColumn is a column of a script.
type sqlColumn struct {
	name, about string
	kind        []sqlToken // its type and what follows
	line        int
	key         bool
	to          [2]string // the table and column that it refers to
	checks      [][]sqlToken
}

// sqlTable is a table of a script.
type sqlTable struct {
	name, about string
	columns     []*sqlColumn
	keys        []string
	line        int
}

func (t *sqlTable) column(name string) *sqlColumn {
	for _, c := range t.columns {
		if strings.EqualFold(c.name, name) {
			return c
		}
	}
	return nil
}

// ImportSQL reads a CREATE TABLE script, and gives a schema and notes on what it leaves out.
func ImportSQL(file string, data []byte) (*Schema, []string, error) {
	p := &sqlReader{file: file}
	p.read(string(data))
	if err := p.faults.Err(); err != nil {
		return nil, nil, err
	}
	if len(p.tables) == 0 {
		return nil, nil, place.Faults{{File: file, Msg: "there is no CREATE TABLE in it", Hint: "give a script that makes tables"}}
	}
	s := p.schema()
	if err := p.faults.Err(); err != nil {
		return nil, nil, err
	}
	s.conclude()
	again, err := Parse(strings.TrimSuffix(file, ".sql")+".yaml", s.YAML())
	if err == nil {
		again.Concluded = s.Concluded
	}
	return again, p.notes, err
}

// ImportSQLFile is ImportSQL for a file.
func ImportSQLFile(file string) (*Schema, []string, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, nil, place.Faults{{File: file, Msg: "can't be read", Hint: "check the path and that it is a file"}}
	}
	if len(data) > 4*place.MaxBytes {
		return nil, nil, place.Faults{{File: file, Msg: fmt.Sprintf("the file has %d bytes", len(data)), Hint: "scripts over 4 MB are not read"}}
	}
	return ImportSQL(file, data)
}

// main gives the table that is the record, or nil.
func (p *sqlReader) main() *sqlTable {
	if len(p.tables) == 1 {
		return p.tables[0]
	}
	var found *sqlTable
	for _, t := range p.tables {
		leads := slices.ContainsFunc(t.columns, func(c *sqlColumn) bool { return c.to[0] != "" && !strings.EqualFold(c.to[0], t.name) })
		if leads {
			continue
		}
		if found != nil {
			return nil
		}
		found = t
	}
	if found == nil {
		return nil
	}
	for _, t := range p.tables {
		if t != found && !p.reaches(t, found, map[*sqlTable]bool{}) {
			return nil
		}
	}
	return found
}

// reaches tells whether the keys of a table lead to another.
func (p *sqlReader) reaches(from, to *sqlTable, seen map[*sqlTable]bool) bool {
	if from == to {
		return true
	}
	if seen[from] {
		return false
	}
	seen[from] = true
	return slices.ContainsFunc(from.columns, func(c *sqlColumn) bool {
		next := p.table(c.to[0])
		return next != nil && p.reaches(next, to, seen)
	})
}

func (p *sqlReader) table(name string) *sqlTable {
	for _, t := range p.tables {
		if strings.EqualFold(t.name, name) {
			return t
		}
	}
	return nil
}

var notName = lazy.New(`[^A-Za-z0-9_-]+`)

// nameOf makes a field name of a name of a script.
func nameOf(text string) string {
	name := strings.Trim(notName.ReplaceAllString(text, "_"), "_")
	if !fieldName.MatchString(name) {
		name = "f_" + name
	}
	return name
}

// schema makes the schema of the tables.
func (p *sqlReader) schema() *Schema {
	record := &Field{Type: Group}
	s := &Schema{Name: nameOf(strings.TrimSuffix(baseName(p.file), ".sql")), File: p.file, Root: record}
	main := p.main()
	if main != nil {
		s.Name, s.About = nameOf(main.name), main.about
		record.Fields = p.fields(main, main, "")
	}
	for _, t := range p.tables {
		if t == main {
			continue
		}
		list := &Field{Name: nameOf(t.name), Path: nameOf(t.name), Type: List, About: sentenceOf(t.about, t.name), Item: &Field{Type: Group, Path: nameOf(t.name) + "[]"}}
		list.Item.Fields = p.fields(t, main, list.Path+"[].")
		for _, key := range t.keys {
			if c := t.column(key); c != nil && list.Item.Child(nameOf(c.name)) != nil {
				list.Key = append(list.Key, nameOf(c.name))
			}
		}
		if len(list.Item.Fields) == 0 {
			p.notes = append(p.notes, fmt.Sprintf("%s: nothing of it is in a document", t.name))
			continue
		}
		list.settle()
		record.Fields = append(record.Fields, list)
	}
	record.settle()
	record.About, record.Name = s.About, ""
	if len(record.Fields) == 0 {
		p.fault(p.tables[0].line, "no column of it can be a field", "give tables with columns of their own")
	}
	return s
}

func baseName(file string) string {
	file = strings.ReplaceAll(file, "\\", "/")
	return file[strings.LastIndexByte(file, '/')+1:]
}

func sentenceOf(about, name string) string {
	if about = strings.Join(strings.Fields(about), " "); about == "" {
		about = capital(Spoken(nameOf(name))) + "."
	}
	return about
}

// fields makes fields of the columns of a table. Keys that a database counts are in no document,
// and columns that lead to the record say nothing.
func (p *sqlReader) fields(t, main *sqlTable, path string) (all []*Field) {
	for _, c := range t.columns {
		switch {
		case main != nil && t != main && strings.EqualFold(c.to[0], main.name):
			p.notes = append(p.notes, fmt.Sprintf("%s.%s: left out, it leads to %s, which is the record", t.name, c.name, main.name))
			continue
		case c.key && len(t.keys) == 1 && p.counted(c) && !p.pointedTo(t, c, main):
			p.notes = append(p.notes, fmt.Sprintf("%s.%s: left out, the database counts it", t.name, c.name))
			continue
		}
		f := &Field{Name: nameOf(c.name), Path: path + nameOf(c.name), About: sentenceOf(c.about, c.name)}
		p.typed(f, c)
		if c.to[0] != "" {
			p.linked(f, t, c, main)
		}
		f.settle()
		all = append(all, f)
	}
	return all
}

// pointedTo tells whether a list of the record links to a column.
func (p *sqlReader) pointedTo(t *sqlTable, c *sqlColumn, main *sqlTable) bool {
	return t != main && slices.ContainsFunc(p.tables, func(o *sqlTable) bool {
		return slices.ContainsFunc(o.columns, func(k *sqlColumn) bool {
			return strings.EqualFold(k.to[0], t.name) && strings.EqualFold(k.to[1], c.name)
		})
	})
}

// linked makes a link of a foreign key to a list of the record.
func (p *sqlReader) linked(f *Field, t *sqlTable, c *sqlColumn, main *sqlTable) {
	to := p.table(c.to[0])
	if to == nil || to == main || to.column(c.to[1]) == nil {
		p.notes = append(p.notes, fmt.Sprintf("%s.%s: it refers to %s, which is no list of the record; it is a value of its own", t.name, c.name, strings.TrimSuffix(c.to[0]+"."+c.to[1], ".")))
		return
	}
	*f = Field{Name: f.Name, Path: f.Path, Type: Link, About: f.About, Required: f.Required, To: []string{nameOf(to.name) + "[]." + nameOf(c.to[1])}}
}
