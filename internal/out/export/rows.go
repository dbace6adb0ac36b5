package export

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Cell is a value of a row. Numbers and dates are texts as records have them.
type Cell struct {
	Text   string
	Null   bool
	Misfit bool // it is not what its column holds
}

var null = Cell{Null: true}

// Misfits counts the values that do not fit their columns, and keeps the first.
type Misfits struct {
	Count int
	First []Misfit
}

// Misfit is a value that does not fit its column.
type Misfit struct {
	Document string
	Path     value.Pointer
	Value    string
}

// Rows gives the rows of records, table by table.
type Rows struct {
	Plan *Plan
	Emit func(t int, row []Cell) error // the row is used again after it
	Misfits
	rows    [][]Cell
	stack   []at
	line    *record.Line
	entry   *value.Value
	numbers []Cell // document, entry
	of      *Table // whose rows are being made
}

// at is an item that rows stand in.
type at struct {
	v        *value.Value
	path     value.Pointer
	position string
	name     string // of an entry of a map
}

// mostMisfits is how many values that do not fit are named.
const mostMisfits = 20

// Line gives the rows of one line of records. change is what happened since another
// run, where that is a column.
func (r *Rows) Line(l *record.Line, change string) error {
	r.line = l
	if r.rows == nil {
		for _, t := range r.Plan.Tables {
			r.rows = append(r.rows, make([]Cell, len(t.Columns)))
		}
	}
	if !r.Plan.each {
		return r.record(&l.Record, "", "", change)
	}
	for i := range l.Record.Kids {
		if err := r.record(&l.Record.Kids[i], value.Pointer("").Index(i), strconv.Itoa(i+1), change); err != nil {
			return err
		}
	}
	return nil
}

func (r *Rows) record(rec *value.Value, path value.Pointer, entry, change string) error {
	r.numbers = append(r.numbers[:0], Cell{Text: r.line.Document})
	if r.Plan.each {
		r.numbers = append(r.numbers, Cell{Text: entry})
	}
	r.entry = rec
	r.stack = append(r.stack[:0], at{v: rec, path: path})
	for i, t := range r.Plan.Tables {
		if t.gone {
			continue
		}
		if t.List == nil || t.loose {
			if err := r.table(i, t, change); err != nil {
				return err
			}
			continue
		}
		r.of = t
		if err := r.within(t, func() error { return r.row(i, t, change) }); err != nil {
			return err
		}
	}
	return nil
}

// within goes through the items of a list, in all items of those that it stands in.
func (r *Rows) within(t *Table, do func() error) error {
	each := func() error {
		here := r.stack[len(r.stack)-1]
		list, path := r.follow(here, t)
		if list == nil {
			return nil
		}
		for n := range list.Kids {
			r.stack = append(r.stack, itemAt(list, path, n))
			if err := do(); err != nil {
				return err
			}
			r.stack = r.stack[:len(r.stack)-1]
		}
		return nil
	}
	if t.Parent != nil && t.Parent.List != nil {
		return r.within(t.Parent, each)
	}
	return each()
}

// table gives the row of a record; of a flat table one for each item, and one without
// an item where there is none.
func (r *Rows) table(i int, t *Table, change string) error {
	if t.List == nil {
		return r.row(i, t, change)
	}
	var along []*Table
	for at := t; at != nil && at.List != nil; at = at.Parent {
		along = append([]*Table{at}, along...)
	}
	return r.flat(i, t, along, change)
}

func (r *Rows) flat(i int, t *Table, along []*Table, change string) error {
	if len(along) == 0 {
		return r.row(i, t, change)
	}
	here := r.stack[len(r.stack)-1]
	r.of = along[0]
	list, path := r.follow(here, along[0])
	if list == nil || len(list.Kids) == 0 {
		depth := len(r.stack)
		for range along {
			r.stack = append(r.stack, at{})
		}
		err := r.row(i, t, change)
		r.stack = r.stack[:depth]
		return err
	}
	for n := range list.Kids {
		r.stack = append(r.stack, itemAt(list, path, n))
		if err := r.flat(i, t, along[1:], change); err != nil {
			return err
		}
		r.stack = r.stack[:len(r.stack)-1]
	}
	return nil
}

// row gives the row of what is on the stack.
func (r *Rows) row(i int, t *Table, change string) error {
	row := r.rows[i]
	copy(row, r.numbers)
	for k := len(r.numbers); k < t.Keys; k++ {
		position := r.stack[k-len(r.numbers)+1].position
		row[k] = Cell{Text: position, Null: position == ""}
	}
	for k := t.Keys; k < len(t.Columns); k++ {
		c := &t.Columns[k]
		switch {
		case c.Field != nil:
			row[k] = r.cell(c)
		case c.Name == sourceLine:
			row[k] = r.firstLine(t)
		case c.Name == "change":
			row[k] = Cell{Text: change, Null: change == ""}
		default:
			row[k] = Cell{Text: string(r.line.Status), Null: r.line.Status == ""}
		}
	}
	return r.Emit(i, row)
}

// cell gives the value of a column.
func (r *Rows) cell(c *Column) Cell {
	here := r.stack[len(r.stack)-1-c.up]
	if here.v == nil {
		return null
	}
	if c.Part == "name" {
		return Cell{Text: here.name}
	}
	v := here.v
	for _, name := range c.steps {
		if v = v.Get(name); v == nil {
			break
		}
	}
	switch c.Part {
	case "evidence", "place", "line", "risk":
		return r.beside(c, pointer(here.path, c.steps))
	case "position":
		return r.target(c, v)
	}
	if v == nil || v.Kind == value.Null || v.Empty() && v.Kind != value.String && c.Kind != JSON {
		return null
	}
	if c.Kind == JSON && !r.Plan.json {
		return Cell{Text: text(v)}
	}
	cell := c.Cell(v)
	if cell.Misfit && r.Plan.typed {
		r.add(r.line, pointer(here.path, c.steps), v)
		return null
	}
	return cell
}

func (m *Misfits) add(l *record.Line, p value.Pointer, v *value.Value) {
	if m.Count++; len(m.First) < mostMisfits {
		m.First = append(m.First, Misfit{strings.Clone(l.Document), p, strings.Clone(v.String())})
	}
}

// Cell gives a value as a column holds it.
func (c *Column) Cell(v *value.Value) Cell {
	if c.Part != "" {
		if v.Kind != value.Object {
			if c.Part == "amount" && v.Kind != value.Null {
				return Cell{Text: text(v), Misfit: true}
			}
			return null
		}
		if v = v.Get(c.Part); v == nil || v.Kind == value.Null {
			return null
		}
	}
	out := Cell{Text: text(v)}
	switch c.Kind {
	case JSON:
		out.Text = v.String()
	case Text:
		out.Misfit = v.Kind != value.String && v.Kind != value.Number || !c.legal(out.Text)
	case Integer:
		_, err := strconv.ParseInt(out.Text, 10, 64)
		out.Misfit = v.Kind != value.Number || err != nil
	case Number:
		_, err := strconv.ParseFloat(out.Text, 64) // beyond what any number of a program holds
		out.Misfit = v.Kind != value.Number || len(out.Text) > 60 || err != nil
	case Boolean:
		out.Misfit = v.Kind != value.Bool
	case Date:
		out.Misfit = !schema.IsISODate(out.Text)
	case Time:
		out.Misfit = !schema.IsTime(out.Text)
	case Moment:
		_, err := time.Parse(time.RFC3339, out.Text)
		out.Misfit = err != nil
	case Local:
		_, err := time.Parse(schema.LocalForm, out.Text)
		out.Misfit = err != nil
	}
	return out
}

// legal tells whether a text is among the choices of a column, if it has any.
func (c *Column) legal(text string) bool {
	f := c.Field.Kin()
	if c.Part != "" || len(f.Of) == 0 {
		return true
	}
	if f.List != nil {
		return f.List.Has(text)
	}
	for _, o := range f.Of {
		if o.Value == text {
			return true
		}
	}
	return false
}

// text gives a value as text; what is no plain value as JSON.
func text(v *value.Value) string {
	if v.Kind == value.Object || v.Kind == value.Array {
		return v.String()
	}
	return v.Text
}

// riskOf gives the risk of a value; of a map the highest of its entries.
func (r *Rows) riskOf(p value.Pointer) *value.Value {
	if risk := r.line.Risk.Get(string(p)); risk != nil {
		return risk
	}
	var most *value.Value
	for i := range r.line.Risk.Kids {
		kid := &r.line.Risk.Kids[i]
		if value.Pointer(kid.Name).Within(p) && (most == nil || figureOf(kid) > figureOf(most)) {
			most = kid
		}
	}
	return most
}

func figureOf(v *value.Value) float64 {
	n, _ := strconv.ParseFloat(v.Text, 64)
	return n
}

// beside gives what is known of a value beside it.
func (r *Rows) beside(c *Column, p value.Pointer) Cell {
	if c.Part == "risk" {
		if risk := r.riskOf(p); risk != nil && risk.Kind == value.Number {
			return Cell{Text: risk.Text}
		}
		return null
	}
	place := r.line.Evidence.Get(string(p))
	if place == nil {
		return null
	}
	switch c.Part {
	case "evidence":
		if kind := place.Get("kind"); kind != nil {
			return Cell{Text: kind.Text}
		}
	case "place":
		if start, end := place.Get("start"), place.Get("end"); start != nil && end != nil {
			return Cell{Text: start.Text + "-" + end.Text}
		}
	case "line":
		if line := place.Get("line"); line != nil {
			return Cell{Text: line.Text}
		}
	}
	return null
}

// firstLine gives the line of the row's own value that stands first in the document.
func (r *Rows) firstLine(t *Table) Cell {
	first := null
	least := 0
	for k := range t.Columns {
		c := &t.Columns[k]
		if c.Field == nil || c.up > 0 || c.Part != "" && c.Part != "amount" {
			continue
		}
		line := r.beside(&Column{Part: "line"}, pointer(r.stack[len(r.stack)-1].path, c.steps))
		if n, err := strconv.Atoi(line.Text); err == nil && (first.Null || n < least) {
			first, least = line, n
		}
	}
	return first
}

// target gives the position of the item that a link points to.
func (r *Rows) target(c *Column, v *value.Value) Cell {
	if v == nil || v.Empty() {
		return null
	}
	path, name, _ := strings.Cut(c.Field.To[0], "[].")
	list := r.entry
	for _, step := range strings.Split(path, ".") {
		list = list.Get(step)
	}
	if list == nil {
		return null
	}
	for i := range list.Kids {
		if key := list.Kids[i].Get(name); key != nil && key.Text == v.Text && key.Kind == v.Kind {
			return Cell{Text: strconv.Itoa(i + 1)}
		}
	}
	return null
}

// follow gives the list, or the map, that the rows of a table are the items of. What stands there
// and is none has no rows, and is counted once.
func (r *Rows) follow(here at, t *Table) (*value.Value, value.Pointer) {
	v, path := here.v, pointer(here.path, t.steps)
	for _, name := range t.steps {
		v = v.Get(name)
	}
	kind := value.Array
	if t.List.Type != schema.List {
		kind = value.Object
	}
	switch {
	case v == nil || v.Kind == value.Null:
		return nil, ""
	case v.Kind == kind:
		return v, path
	case t == r.of:
		r.add(r.line, path, v)
	}
	return nil, ""
}

// itemAt gives an item of a list, or an entry of a map, with where it stands.
func itemAt(list *value.Value, path value.Pointer, n int) at {
	item := at{v: &list.Kids[n], path: path.Index(n), position: strconv.Itoa(n + 1)}
	if list.Kind == value.Object {
		item.name = list.Kids[n].Name
		item.path = path.Key(item.name)
	}
	return item
}

func pointer(p value.Pointer, steps []string) value.Pointer {
	for _, name := range steps {
		p = p.Key(name)
	}
	return p
}

// Told says in a line how many values did not fit, and names the first; a sensitive one without what
// it is, or under which name of a map it stands.
func (m *Misfits) Told(s *schema.Schema) string {
	if m.Count == 0 {
		return ""
	}
	first := m.First[0]
	path, is := string(first.Path), record.Clipped(first.Value)
	if f := s.Holding(first.Path); f == nil || f.IsHidden() || s.IsSensitive(f.Path) {
		is = record.Hidden
		if f != nil {
			path = f.Path
		}
	}
	if m.Count == 1 {
		return fmt.Sprintf("1 value is not what its column holds and is left empty: %s %s %s", first.Document, path, is)
	}
	return fmt.Sprintf("%d values are not what their columns hold and are left empty; the first: %s %s %s", m.Count, first.Document, path, is)
}
