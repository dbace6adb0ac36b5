package merge

import (
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Answers about lines that were asked again often say of an entry no more than these lines
// do: the item of a table, without the number above it. Such an entry is the one that its
// lines stand in.

// enclosing gives the entry in whose part of the document an item stands, unless both have
// a value of their own for some field.
func (m *merger) enclosing(f *schema.Field, clusters []*cluster, it *item) *cluster {
	if it.start < 0 {
		return nil
	}
	var before, first *cluster
	at, least := -1, -1
	for _, c := range clusters {
		begin := c.begin()
		if begin < 0 {
			continue
		}
		if begin <= it.start && begin > at {
			before, at = c, begin
		}
		if least < 0 || begin < least {
			first, least = c, begin
		}
	}
	if before == nil {
		before = first // what stands above the first entry may be of it
	}
	if before == nil || before.says(f, it) || before.hasElsewhere(it) {
		return nil
	}
	return before
}

// ofRow gives the one item that values of a line belong to, where all of another stand in that
// line and the two contradict each other in no field: who is asked about a cell of a row may
// answer with that cell alone.
func ofRow(f *schema.Field, rows map[int][]*cluster, it *item) *cluster {
	if f.Item.Type != schema.Group || len(it.marks) == 0 {
		return nil
	}
	line := it.marks[0].line
	for _, k := range it.marks {
		if k.line != line {
			return nil
		}
	}
	if of := rows[line]; len(of) == 1 && !of[0].has(it.part) && !of[0].says(f, it) {
		return of[0]
	}
	return nil
}

// words gives what an item of a plain list says, if the list names it once, wherever it stands: a text
// or a choice. Of others, as of readings that may be equal, it gives nothing.
func (it *item) words(list *schema.Field) string {
	if k := list.Item.Kin().Type; !list.Item.IsLeaf() || k != schema.Text && k != schema.Choice && k != schema.Any {
		return ""
	}
	own := it.v.Clone().Named("")
	return own.String()
}

// hasElsewhere tells whether a field of an item, and of none in it, stands elsewhere than
// in the entry: then it is another entry, which may say the same.
func (c *cluster) hasElsewhere(it *item) bool {
	for _, k := range it.marks {
		there, meets := false, false
		for _, other := range c.items {
			for _, o := range other.marks {
				if o.f == k.f && !strings.Contains(k.f.Path, "[]") {
					there, meets = true, meets || overlap(o.Span, k.Span)
				}
			}
		}
		if there && !meets {
			return true
		}
	}
	return false
}

// begin gives where the first value of an entry stands; -1 for nowhere.
func (c *cluster) begin() int {
	begin := -1
	for _, it := range c.items {
		for _, k := range it.marks {
			if begin < 0 || k.Start < begin {
				begin = k.Start
			}
		}
	}
	return begin
}

// says tells whether an entry and an item have other values for a field.
func (c *cluster) says(f *schema.Field, it *item) bool {
	for _, other := range c.items {
		if others(f.Item, other.v, it.v) {
			return true
		}
	}
	return false
}

func others(f *schema.Field, a, b *value.Value) bool {
	if f.Type != schema.Group || a == nil || b == nil || a.Kind != value.Object || b.Kind != value.Object {
		return f.IsLeaf() && !a.Empty() && !b.Empty() && !value.Equal(a, b)
	}
	for _, kid := range f.Fields {
		if kid.Type != schema.List && others(kid, a.Get(kid.Name), b.Get(kid.Name)) {
			return true
		}
	}
	return false
}
