// Package export makes tables, files and databases of records, and examples for
// tuning a model of gold.
//
// Rules it keeps:
//
//   - A record is a row of one table, and each list and map has a table of its own. Rows are
//     joined by the document, the entry where a document has several, and the
//     positions of the items that they stand in, all counted from 1.
//   - Records stream: what is held does not grow with their number. The same
//     records give the same bytes.
//   - A target is written beside its place and put there whole; one that fails
//     leaves what stood there.
//   - A value that does not fit its column is not lost silently: it is counted and
//     named, and formats that have no types keep it as it is.
package export

import (
	"fmt"
	"slices"
	"strings"

	"filler/internal/schema"
)

// Kind is what a column holds.
type Kind uint8

// The kinds. Numbers are decimals as the record has them.
const (
	Text Kind = iota
	Integer
	Number
	Boolean
	Date // a whole day
	Time
	Moment // a date with time and offset
	Local  // a date with time, as it is printed, of no zone
	JSON   // a value of any form
)

// Column is one column of a table.
type Column struct {
	Name  string
	Kind  Kind
	Field *schema.Field // nil: a key
	Part  string        // "": the value; amount, currency, unit; evidence, place, line, risk; position: of what a link points to; name: of an entry of a map
	up    int           // how many items up the value stands; 0: in the row's own
	steps []string      // the names from there down to it
}

// About says what a column holds.
func (c *Column) About() string {
	if c.Field == nil {
		return keyAbout(c.Name)
	}
	about := strings.Join(strings.Fields(c.Field.About), " ")
	switch c.Part {
	case "", "amount":
		return about
	case "position":
		return "Position of the item that " + c.Field.Path + " points to."
	case "name":
		return "The name that an entry of " + c.Field.Path + " stands under."
	}
	return "The " + c.Part + " of " + c.Field.Path + "."
}

func keyAbout(name string) string {
	switch {
	case name == "document":
		return "The document's id."
	case name == "entry":
		return "Which of the document's records, from 1."
	case name == "status":
		return "How the filling ended: unflagged, repaired or flagged."
	case name == "position":
		return "Which item of its list, from 1."
	case name == sourceLine:
		return "The line of the document where the first value of the row stands."
	case name == "change":
		return "What happened since the other run: added or changed."
	}
	return "Which item it stands in: the " + strings.TrimSuffix(name, "_position") + " item's position."
}

// Options gives the values that a column may hold; nil where it may hold any.
func (c *Column) Options() (all []string) {
	if c.Part != "" || c.Field == nil || c.Field.Kin().List != nil { // of a list in a file: too many to say
		return nil
	}
	for _, o := range c.Field.Kin().Of {
		all = append(all, o.Value)
	}
	return all
}

// Table is the rows of a record, or of the items of one list, or the entries of one map.
type Table struct {
	Name    string
	List    *schema.Field // the list or the map; nil: the records themselves
	Parent  *Table
	Columns []Column
	Keys    int // the first columns, which no two rows share
	Links   []Reference
	steps   []string // from the parent's item down to the list
	level   int      // how many lists it stands in
	gone    bool     // its rows are the documents that are no more
	loose   bool     // a flat table, which has rows without an item
}

// Reference says that columns of a table are the keys of another's row.
type Reference struct {
	Columns []string
	To      *Table
}

// Plan is the tables that records of a schema become.
type Plan struct {
	Schema *schema.Schema
	Tables []*Table
	Notes  []string // names that were changed
	typed  bool     // what does not fit its column becomes null
	json   bool     // columns of any form hold JSON, a text among it in quotes
	each   bool
}

// Options say what goes into the tables.
type Options struct {
	Evidence bool     // with kind, place, line and risk beside each value
	Wide     bool     // one flat table
	Rows     string   // of a flat table: the list whose items are its rows; "": the records
	Columns  []string // only these, by column or by field; nil: all
	Change   bool     // with what happened since another run
	Typed    bool     // what does not fit its column becomes null
	JSON     bool     // columns of any form hold JSON, a text among it in quotes
	Line     bool     // with the line of the document where the first value of each row stands
}

// sourceLine is the column of that line.
const sourceLine = "source_line"

// NewPlan gives the tables of a schema. Its errors are faults of the options, or of
// names that can't both be columns.
func NewPlan(s *schema.Schema, o Options) (*Plan, error) {
	p := &Plan{Schema: s, typed: o.Typed, json: o.JSON, each: s.EachEntry()}
	var rows *schema.Field
	if o.Rows != "" {
		rows = s.Find(strings.TrimSuffix(o.Rows, "[]"))
		if rows == nil || !hasRows(rows) {
			return nil, fmt.Errorf("--rows %s: the schema has no such list or map; it has %s", o.Rows, listsOf(s))
		}
	}
	if o.Wide || o.Rows != "" {
		p.wide(rows, o)
	} else {
		p.tables(o)
	}
	if err := p.names(); err != nil {
		return nil, err
	}
	if err := p.only(o.Columns); err != nil || !o.Line {
		return p, err
	}
	for _, t := range p.Tables {
		if !t.gone && !t.has(sourceLine) {
			t.Columns = append(t.Columns, Column{Name: sourceLine, Kind: Integer})
		}
	}
	return p, nil
}

func listsOf(s *schema.Schema) string {
	var all []string
	for _, f := range rowsOf(s) {
		if f.Type == schema.List {
			all = append(all, f.Path+"[]")
		} else {
			all = append(all, f.Path)
		}
	}
	if all == nil {
		return "none"
	}
	return strings.Join(all, ", ")
}

// hasRows tells whether a field is a list or a map, each of whose items or entries is a row.
func hasRows(f *schema.Field) bool { return f.Type == schema.List || f.Entry() != nil }

// tables makes a table of the record, and one of each list and map.
func (p *Plan) tables(o Options) {
	root := &Table{Name: fold(p.Schema.Name, "records")}
	root.keys(p.each)
	root.Columns = append(root.Columns, Column{Name: "status"})
	if o.Change {
		root.Columns = append(root.Columns, Column{Name: "change"})
	}
	p.Tables = append(p.Tables, root)
	p.below(root, p.Schema.Record(), nil, o)
	for _, t := range p.Tables {
		p.link(t)
	}
	if o.Change {
		p.Tables = append(p.Tables, &Table{Name: "gone", Columns: []Column{{Name: "document"}}, Keys: 1, gone: true})
	}
}

// keys gives a table the columns that tell its rows.
func (t *Table) keys(each bool) {
	t.Columns = append(t.Columns, Column{Name: "document"})
	if each {
		t.Columns = append(t.Columns, Column{Name: "entry", Kind: Integer})
	}
	for at := t.Parent; at != nil && at.List != nil; at = at.Parent {
		own := Column{Name: fold(strings.ReplaceAll(at.List.Path, "[]", ""), "") + "_position", Kind: Integer}
		first := 1
		if each {
			first = 2
		}
		t.Columns = slices.Insert(t.Columns, first, own)
	}
	if t.List != nil {
		t.Columns = append(t.Columns, Column{Name: "position", Kind: Integer})
	}
	t.Keys = len(t.Columns)
}

// below gives a table the columns of a group, and the lists in it tables.
func (p *Plan) below(t *Table, group *schema.Field, steps []string, o Options) {
	var lists []*schema.Field
	var at [][]string
	var walk func(f *schema.Field, steps []string)
	walk = func(f *schema.Field, steps []string) {
		for _, kid := range f.Fields {
			down := append(slices.Clone(steps), kid.Name)
			switch {
			case kid.Type == schema.Group:
				walk(kid, down)
			case hasRows(kid):
				lists, at = append(lists, kid), append(at, down)
			default:
				t.leaf(kid, strings.Join(down, "_"), 0, down, o)
			}
		}
	}
	if group.IsLeaf() {
		t.leaf(group, "value", 0, nil, o)
	} else {
		walk(group, steps)
	}
	for i, list := range lists {
		own := &Table{Name: fold(strings.ReplaceAll(list.Path, "[]", ""), "items"), List: list, Parent: t, steps: at[i], level: t.level + 1}
		own.keys(p.each)
		for above, up := t, 1; above.List != nil; above, up = above.Parent, up+1 {
			for _, key := range above.List.Key {
				if f := above.List.Item.Child(key); f != nil && f.IsLeaf() && f.Kin().Type != schema.Money && f.Kin().Type != schema.Quantity {
					name := fold(strings.ReplaceAll(above.List.Path, "[]", ""), "") + "_" + key
					own.Columns = append(own.Columns, Column{Name: name, Kind: kindOf(f), Field: f, up: up, steps: []string{key}})
				}
			}
		}
		p.Tables = append(p.Tables, own)
		if entry := list.Entry(); entry != nil {
			own.entries(entry, "", o)
		} else {
			p.below(own, list.Item, nil, o)
		}
	}
}

// entries gives a table the columns of the entries of a map.
func (t *Table) entries(entry *schema.Field, prefix string, o Options) {
	t.Columns = append(t.Columns, Column{Name: prefix + "name", Field: entry, Part: "name"})
	t.leaf(entry, prefix+"value", 0, nil, o)
}

// leaf gives a table the columns of a value.
func (t *Table) leaf(f *schema.Field, name string, up int, steps []string, o Options) {
	add := func(c Column) {
		c.Field, c.up, c.steps = f, up, steps
		t.Columns = append(t.Columns, c)
	}
	switch f.Type {
	case schema.Money, schema.Quantity:
		measure, _ := f.Measure()
		add(Column{Name: name + "_amount", Kind: Number, Part: "amount"})
		add(Column{Name: name + "_" + measure, Part: measure})
	default:
		add(Column{Name: name, Kind: kindOf(f)})
	}
	if o.Evidence {
		add(Column{Name: name + "_evidence", Part: "evidence"})
		add(Column{Name: name + "_place", Part: "place"})
		add(Column{Name: name + "_line", Kind: Integer, Part: "line"})
		add(Column{Name: name + "_risk", Kind: Number, Part: "risk"})
	}
}

func kindOf(f *schema.Field) Kind {
	f = f.Kin()
	switch f.Type {
	case schema.Integer:
		return Integer
	case schema.Number:
		return Number
	case schema.Boolean:
		return Boolean
	case schema.Date:
		if f.Precision == "" || f.Precision == "day" {
			return Date
		}
	case schema.Time:
		return Time
	case schema.DateTime:
		if f.Zone == schema.NoZone {
			return Local
		}
		return Moment
	case schema.Any:
		return JSON
	}
	return Text
}

// link adds, for links to the items of a list right below the record, the position
// of the item, which is a key of its table.
func (p *Plan) link(t *Table) {
	for i := 0; i < len(t.Columns); i++ {
		c := t.Columns[i]
		if c.Field == nil || c.Part != "" || c.up > 0 || c.Field.Type != schema.Link || len(c.Field.To) != 1 {
			continue
		}
		list, name, ok := strings.Cut(c.Field.To[0], "[].")
		to := p.tableOf(list)
		if !ok || to == nil || to.level != 1 || strings.ContainsAny(name, ".[") {
			continue
		}
		own := Column{Name: c.Name + "_position", Kind: Integer, Field: c.Field, Part: "position", steps: c.steps}
		t.Columns = slices.Insert(t.Columns, i+1, own)
		keys := []string{"document"}
		if p.each {
			keys = append(keys, "entry")
		}
		t.Links = append(t.Links, Reference{append(keys, own.Name), to})
		i++
	}
}

func (p *Plan) tableOf(list string) *Table {
	for _, t := range p.Tables {
		if t.List != nil && t.List.Path == list {
			return t
		}
	}
	return nil
}

// wide makes one table: the record's own values, those of the lists that the rows
// stand in, and those of the rows.
func (p *Plan) wide(rows *schema.Field, o Options) {
	var along []*schema.Field // the lists, outermost first
	if rows != nil {
		for _, t := range rowsOf(p.Schema) {
			if rows.Path == t.Path || strings.HasPrefix(rows.Path, t.Path+"[].") {
				along = append(along, t)
			}
		}
	}
	root := &Table{Name: fold(p.Schema.Name, "records")}
	t := root
	if rows != nil {
		for i, list := range along {
			above := p.Schema.Record().Path
			if i > 0 {
				above = along[i-1].Path + "[]"
			}
			steps := strings.Split(strings.TrimPrefix(strings.TrimPrefix(list.Path, above), "."), ".")
			t = &Table{Name: root.Name, List: list, Parent: t, steps: steps, level: i + 1}
		}
	}
	t.Name = root.Name
	t.keys(p.each)
	t.Columns = append(t.Columns, Column{Name: "status"})
	t.loose = rows != nil
	depth := len(along)
	t.inner(p.Schema.Record(), "", depth, nil, o)
	for i, list := range along {
		prefix := fold(strings.ReplaceAll(list.Path, "[]", ""), "") + "_"
		if entry := list.Entry(); entry != nil {
			t.entries(entry, prefix, o)
			continue
		}
		if list.Item.IsLeaf() {
			t.leaf(list.Item, strings.TrimSuffix(prefix, "_"), depth-1-i, nil, o)
			continue
		}
		t.inner(list.Item, prefix, depth-1-i, nil, o)
	}
	p.Tables = []*Table{t}
}

// inner gives a flat table the values of a group, without its lists; a map stands there whole.
func (t *Table) inner(group *schema.Field, prefix string, up int, steps []string, o Options) {
	for _, kid := range group.Fields {
		down := append(slices.Clone(steps), kid.Name)
		switch kid.Type {
		case schema.Group:
			t.inner(kid, prefix, up, down, o)
		case schema.List:
		default:
			t.leaf(kid, prefix+strings.Join(down, "_"), up, down, o)
		}
	}
}

// rowsOf gives the lists and maps of a schema, outer ones first.
func rowsOf(s *schema.Schema) (all []*schema.Field) {
	for _, f := range s.Record().Fields {
		f.Walk(func(f *schema.Field, _ int) {
			if hasRows(f) {
				all = append(all, f)
			}
		})
	}
	return all
}

// only keeps the columns that are named, by their own name or by their field's path;
// keys stay.
func (p *Plan) only(names []string) error {
	if len(names) == 0 {
		return nil
	}
	used, ends := map[string]bool{}, map[string][]string{} // columns by the last name of their fields
	var kept []*Table
	for _, t := range p.Tables {
		some := false
		for _, c := range t.Columns {
			if c.Field != nil {
				ends[c.Field.Name] = append(ends[c.Field.Name], c.Name)
			}
		}
		t.Columns = slices.DeleteFunc(t.Columns, func(c Column) bool {
			if c.Field == nil && c.Name != "status" {
				return false
			}
			for _, n := range names {
				if n == c.Name || c.Field != nil && n == c.Field.Path {
					used[n], some = true, true
					return false
				}
			}
			return true
		})
		t.Links = slices.DeleteFunc(t.Links, func(r Reference) bool { return !t.has(r.Columns[len(r.Columns)-1]) })
		if some || t.List == nil {
			kept = append(kept, t)
		}
	}
	for _, n := range names {
		if near := ends[n]; !used[n] && len(near) > 0 {
			return fmt.Errorf("--columns %s: no column is called so; did you mean %s?", n, strings.Join(near, " or "))
		}
		if !used[n] {
			return fmt.Errorf("--columns %s: no column and no field is called so; `filler schema outline` shows the fields", n)
		}
	}
	for i := len(kept) - 1; i >= 0; i-- { // what a table stands in stays
		for up := kept[i].Parent; up != nil && up.Keys > 0; up = up.Parent {
			if !slices.Contains(kept, up) {
				kept = append(kept, up)
			}
		}
	}
	p.Tables = slices.DeleteFunc(p.Tables, func(t *Table) bool { return !slices.Contains(kept, t) && !t.gone })
	for _, t := range p.Tables { // a table whose parent is left out stands by itself
		t.Links = slices.DeleteFunc(t.Links, func(r Reference) bool { return !slices.Contains(p.Tables, r.To) })
	}
	return nil
}

func (t *Table) has(column string) bool {
	return slices.ContainsFunc(t.Columns, func(c Column) bool { return c.Name == column })
}
