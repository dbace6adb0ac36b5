package evidence

import (
	"maps"
	"slices"
	"strings"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// A value of any form is looked at from within: what it holds is looked for as if fields of the
// schema had it. An object whose names are free is a list of items, each with its name and its
// value, so that the name tells where in the document the value should stand; one whose names the
// schema writes out is a group; an array is a list.

// What an entry of a map, and a row of a list of lists, is made of, under names that no document
// prints.
const (
	entryName  = ""
	entryValue = "="
	rowOf      = "="
)

// opening is a schema and a record that were opened so, and the way back.
type opening struct {
	ix     *Index
	s      *schema.Schema
	record value.Value
	own    map[value.Pointer]value.Pointer // of values within those of any form
	within map[value.Pointer]value.Pointer // the way there; names of a map have none
	fields map[string]string               // paths of fields that were made: the field of any form
}

// opened is a value in both records.
type opened struct {
	own, at value.Pointer
	v       *value.Value
	alone   bool // it was made a list of one item
}

// open gives nil where no value is of any form.
func open(s *schema.Schema, record *value.Value, ix *Index) *opening {
	if s == nil || !s.HoldsAny() {
		return nil
	}
	o := &opening{ix: ix, own: map[value.Pointer]value.Pointer{}, within: map[value.Pointer]value.Pointer{}, fields: map[string]string{}}
	copied := *s
	o.s = &copied
	root, out := o.field(s.Root, []opened{{v: record}})
	o.s.Root, o.record = root, out[0]
	return o
}

// field opens the values that one field has, each with what became of it.
func (o *opening) field(f *schema.Field, nodes []opened) (*schema.Field, []value.Value) {
	out := make([]value.Value, len(nodes))
	for i, n := range nodes {
		out[i] = *n.v
	}
	switch {
	case !f.HoldsAny():
		return f, out
	case f.Type == schema.Any:
		return o.inner(f, f.Inside(), f.Path, nodes, out)
	case f.Type == schema.Group:
		return o.group(f, nodes, out)
	}
	copied := *f
	copied.Item, out = o.items(nodes, out, func(below []opened) (*schema.Field, []value.Value) { return o.field(f.Item, below) })
	return &copied, out
}

func (o *opening) group(f *schema.Field, nodes []opened, out []value.Value) (*schema.Field, []value.Value) {
	copied := *f
	copied.Fields = nil
	for _, kid := range f.Fields {
		made, values, at := o.member(nodes, kid.Name, func(below []opened) (*schema.Field, []value.Value) { return o.field(kid, below) })
		copied.Fields = append(copied.Fields, made)
		put(out, at, kid.Name, values)
	}
	return &copied, out
}

// member opens the values that stand under a name, and tells whose they are.
func (o *opening) member(nodes []opened, name string, open func([]opened) (*schema.Field, []value.Value)) (*schema.Field, []value.Value, []int) {
	var below []opened
	var at []int
	for i, n := range nodes {
		if kid := n.v.Get(name); kid != nil {
			below, at = append(below, o.below(n, n.own.Key(name), n.at.Key(name), kid)), append(at, i)
		}
	}
	f, values := open(below)
	return f, values, at
}

// put writes values of a name back into the objects that have them, which are copied first.
func put(out []value.Value, at []int, name string, values []value.Value) {
	for i, whose := range at {
		v := &out[whose]
		v.Kids = slices.Clone(v.Kids)
		*v.Get(name) = values[i].Named(name)
	}
}

func (o *opening) items(nodes []opened, out []value.Value, open func([]opened) (*schema.Field, []value.Value)) (*schema.Field, []value.Value) {
	var below []opened
	for _, n := range nodes {
		if n.v.Kind != value.Array {
			continue
		}
		for i := range n.v.Kids {
			own := n.own.Index(i)
			if n.alone {
				own = n.own
			}
			below = append(below, o.below(n, own, n.at.Index(i), &n.v.Kids[i]))
		}
	}
	f, values := open(below)
	for i, n := range nodes {
		if n.v.Kind == value.Array {
			out[i].Kids, values = values[:len(n.v.Kids):len(n.v.Kids)], values[len(n.v.Kids):]
		}
	}
	return f, out
}

// below gives a value within another, whose places are noted where they differ or where a value
// of any form begins above them.
func (o *opening) below(parent opened, own, at value.Pointer, v *value.Value) opened {
	_, in := o.own[parent.at]
	if in || own != at {
		o.own[at], o.within[own] = own, at
	}
	return opened{own: own, at: at, v: v}
}

// inner opens values of any form, or those within them.
func (o *opening) inner(f *schema.Field, in schema.Inner, path string, nodes []opened, out []value.Value) (*schema.Field, []value.Value) {
	for _, n := range nodes {
		o.own[n.at], o.within[n.own] = n.own, n.at
	}
	o.fields[path] = f.Path
	var objects, arrays, scalars []*value.Value
	for _, n := range nodes {
		switch {
		case n.v.Empty():
		case n.v.Kind == value.Object && !schema.IsAmount(n.v):
			objects = append(objects, n.v)
		case n.v.Kind == value.Array:
			arrays = append(arrays, n.v)
		default:
			scalars = append(scalars, n.v)
		}
	}
	made := &schema.Field{Name: f.Name, Path: path, PrintedAs: f.PrintedAs, Required: f.Required, Sensitive: f.Sensitive, Evidence: f.Evidence}
	none := len(objects)+len(arrays)+len(scalars) == 0
	switch {
	case (len(objects) > 0 || none) && len(arrays)+len(scalars) == 0 && in.Free() && !o.areHeads(objects):
		return o.entries(f, in, made, nodes, out)
	case len(objects) > 0 && len(arrays)+len(scalars) == 0:
		return o.members(f, in, made, nodes, out)
	case len(arrays) > 0 && len(objects)+len(scalars) == 0 && (in.IsTuple() || f.Name == rowOf && isTable(arrays)):
		return o.places(f, in, made, nodes, out)
	case len(arrays) > 0 && len(objects) == 0:
		return o.elements(f, in, made, nodes, out)
	case len(objects)+len(arrays) > 0 || none: // of several kinds, or of none that is known
		made.Type, made.Evidence = schema.Any, "inferred"
		return made, out
	}
	return o.scalar(f, in, made, scalars, out)
}

// areHeads tells whether the names of several maps are printed once for all of them, as the heads of
// columns are.
func (o *opening) areHeads(maps []*value.Value) bool {
	if len(maps) < 2 {
		return false
	}
	times := map[string]int{}
	for _, v := range maps {
		for i := range v.Kids {
			times[v.Kids[i].Name]++
		}
	}
	once, shared := 0, 0
	for name, n := range times {
		if n < 2 {
			continue
		}
		shared++
		if found := len(o.ix.find(name)); found > 0 && found < n {
			once++
		}
	}
	return once > 0 && 2*once >= shared
}

func (o *opening) scalar(f *schema.Field, in schema.Inner, made *schema.Field, scalars []*value.Value, out []value.Value) (*schema.Field, []value.Value) {
	for i := range out {
		if v := &out[i]; v.Kind == value.String && in.Counts(v.Text) {
			*v = value.Num(v.Text).Named(v.Name)
		}
	}
	leaf := in.Leaf(scalars)
	leaf.Name, leaf.Path, leaf.PrintedAs, leaf.Required, leaf.Sensitive = made.Name, made.Path, slices.Concat(leaf.PrintedAs, made.PrintedAs), made.Required, made.Sensitive
	if f.Evidence != "restated" {
		leaf.Evidence = f.Evidence
	}
	return leaf, out
}

// members opens objects as groups of the names that any of them has.
func (o *opening) members(f *schema.Field, in schema.Inner, made *schema.Field, nodes []opened, out []value.Value) (*schema.Field, []value.Value) {
	made.Type = schema.Group
	var names []string
	for _, n := range nodes {
		for i := range n.v.Kids {
			if !slices.Contains(names, n.v.Kids[i].Name) {
				names = append(names, n.v.Kids[i].Name)
			}
		}
	}
	for _, name := range names {
		kid, values, at := o.member(nodes, name, func(below []opened) (*schema.Field, []value.Value) {
			return o.inner(&schema.Field{Name: name, Path: f.Path, Evidence: f.Evidence, Sensitive: f.Sensitive}, in.Member(name), made.Path+"."+name, below, values(below))
		})
		made.Fields = append(made.Fields, kid)
		put(out, at, name, values)
	}
	return made, out
}

func values(nodes []opened) []value.Value {
	out := make([]value.Value, len(nodes))
	for i, n := range nodes {
		out[i] = *n.v
	}
	return out
}

// isTable tells arrays that have as many values each, which then mean the same from one to the
// other.
func isTable(arrays []*value.Value) bool {
	n := len(arrays[0].Kids)
	return n > 1 && n <= mostCells && !slices.ContainsFunc(arrays, func(v *value.Value) bool { return len(v.Kids) != n })
}

// places opens arrays as groups, in which each place is a field.
func (o *opening) places(f *schema.Field, in schema.Inner, made *schema.Field, nodes []opened, out []value.Value) (*schema.Field, []value.Value) {
	made.Type = schema.Group
	most := 0
	for i, n := range nodes {
		if n.v.Kind == value.Array {
			out[i].Kind, out[i].Kids = value.Object, nil
			most = max(most, len(n.v.Kids))
		}
	}
	for k := range most {
		name := strings.Repeat(rowOf, k+1)
		var below []opened
		var at []int
		for i, n := range nodes {
			if n.v.Kind == value.Array && k < len(n.v.Kids) {
				below, at = append(below, opened{own: n.own.Index(k), at: n.at.Key(name), v: &n.v.Kids[k]}), append(at, i)
			}
		}
		of := &schema.Field{Name: name, Path: f.Path, Evidence: f.Evidence, Sensitive: f.Sensitive}
		kid, values := o.inner(of, in.Item(k), made.Path+"."+name, below, values(below))
		made.Fields = append(made.Fields, kid)
		for i, whose := range at {
			out[whose].Kids = append(out[whose].Kids, values[i].Named(name))
		}
	}
	return made, out
}

// elements opens arrays as lists; a lone value beside them is one of one item.
func (o *opening) elements(f *schema.Field, in schema.Inner, made *schema.Field, nodes []opened, out []value.Value) (*schema.Field, []value.Value) {
	made.Type = schema.List
	for i := range nodes {
		n := &nodes[i]
		if n.v.Kind != value.Array && n.v.Kind != value.Null {
			alone := value.List(n.v.Named("")).Named(n.v.Name)
			n.v, n.alone, out[i] = &alone, true, alone
		}
	}
	kid := &schema.Field{Name: rowOf, Path: f.Path, Evidence: f.Evidence, Sensitive: f.Sensitive}
	made.Item, out = o.items(nodes, out, func(below []opened) (*schema.Field, []value.Value) {
		return o.inner(kid, in.Item(0), made.Path+"[]", below, values(below))
	})
	return made, out
}

// entries opens maps as lists of items with a name and a value; one that is an object itself
// stands in its item.
func (o *opening) entries(f *schema.Field, in schema.Inner, made *schema.Field, nodes []opened, out []value.Value) (*schema.Field, []value.Value) {
	made.Type, made.Key = schema.List, []string{entryName}
	name := &schema.Field{Name: entryName, Path: made.Path + "[]." + entryName, Type: schema.Text, Evidence: "inferred"}
	o.fields[name.Path] = f.Path
	flat := !in.Member("").Free() && !slices.ContainsFunc(nodes, func(n opened) bool { return slices.ContainsFunc(n.v.Kids, isNoGroup) })
	var below []opened
	for _, n := range nodes {
		if n.v.Kind != value.Object {
			continue
		}
		for j := range n.v.Kids {
			own, at := n.own.Key(n.v.Kids[j].Name), n.at.Index(j)
			if o.own[at] = own; !flat {
				at = at.Key(entryValue)
			}
			below = append(below, opened{own: own, at: at, v: &n.v.Kids[j]})
		}
	}
	path := made.Path + "[]"
	if !flat {
		path += "." + entryValue
	}
	kid, values := o.inner(&schema.Field{Name: entryValue, Path: f.Path, Evidence: f.Evidence, Sensitive: f.Sensitive}, in.Member(""), path, below, values(below))
	made.Item = &schema.Field{Path: made.Path + "[]", Type: schema.Group, Fields: []*schema.Field{name, kid}, Evidence: "restated"}
	if flat = flat && kid.Type == schema.Group; flat {
		made.Item.Fields = append([]*schema.Field{name}, kid.Fields...)
	}
	for i := range out {
		if nodes[i].v.Kind != value.Object {
			continue
		}
		names := out[i].Kids
		out[i].Kind, out[i].Kids = value.Array, nil
		for _, k := range names {
			item := value.Obj(value.Str(k.Name).Named(entryName))
			if flat {
				item.Kids = append(item.Kids, values[0].Kids...)
			} else {
				item.Kids = append(item.Kids, values[0].Named(entryValue))
			}
			out[i].Kids, values = append(out[i].Kids, item), values[1:]
		}
	}
	return made, out
}

// isNoGroup tells a value that has no names, or is one that a field has.
func isNoGroup(v value.Value) bool { return v.Kind != value.Object || schema.IsAmount(&v) }

// back takes places back to the record as it is. What is sensitive is told as a whole, since
// the names in it may be what must not be seen: by the loosest of its places.
func (o *opening) back(s *schema.Schema, places Places) Places {
	out := Places{}
	for _, p := range slices.Sorted(maps.Keys(places)) {
		place := places[p]
		own, ok := o.own[p]
		if !ok {
			if _, name := o.own[p.Parent()]; name {
				continue
			}
			own = p
		}
		if place.Again != "" {
			place.Again = o.backFrom(place.Again)
		}
		if f := s.Holding(own); f != nil && f.Type == schema.Any && f.IsHidden() {
			for s.At(own) == nil {
				own = own.Parent()
			}
			if had, ok := out[own]; ok && !looser(place, had) {
				continue
			}
		}
		out[own] = place
	}
	return out
}

// backFrom takes the place of a value, a name or an item back.
func (o *opening) backFrom(p value.Pointer) value.Pointer {
	if own, ok := o.own[p]; ok {
		return own
	}
	if own, ok := o.own[p.Parent()]; ok {
		return own
	}
	return p
}

// forth takes known places there; those of values that were opened say nothing.
func (o *opening) forth(s *schema.Schema, record *value.Value, places Places) Places {
	if places == nil {
		return nil
	}
	out := Places{}
	for own, place := range places {
		if v := record.At(own); v == nil || IsWhole(s, own, v) {
			continue
		}
		if at, ok := o.within[own]; ok {
			own = at
		}
		out[own] = place
	}
	return out
}

// lines takes lines that speak of fields back.
func (o *opening) lines(lines []Line) []Line {
	for i := range lines {
		l := &lines[i]
		if field, ok := o.fields[l.Field]; ok {
			l.Field = field
		}
		l.At = o.backFrom(l.At)
	}
	return lines
}

// IsWhole tells whether a value is of any form and holds others, which are looked at each by
// itself.
func IsWhole(s *schema.Schema, p value.Pointer, v *value.Value) bool {
	f := s.Holding(p)
	return f != nil && f.Type == schema.Any && !(f.IsHidden() && s.At(p) != nil) && (v.Kind == value.Array || v.Kind == value.Object && !schema.IsAmount(v))
}

var looseness = map[Kind]int{Quoted: 1, Restated: 2, Lookalike: 3, Pictured: 4, Inferred: 5, None: 6}

// looser tells which of two places says less; of equals the later one in the source.
func looser(a, b Place) bool {
	if looseness[a.Kind] != looseness[b.Kind] {
		return looseness[a.Kind] > looseness[b.Kind]
	}
	return a.Start > b.Start
}

// Full is With, and gives the places of Wholes as well.
func Full(s *schema.Schema, record *value.Value, ix *Index, known Places) Places {
	return Wholes(s, record, With(s, record, ix, known))
}

// Wholes gives, beside the places of single values, those of values of any form that hold others:
// by the loosest of what is in them. Records are kept with them.
func Wholes(s *schema.Schema, record *value.Value, places Places) Places {
	if !s.HoldsAny() {
		return places
	}
	out := Places{}
	for _, p := range slices.Sorted(maps.Keys(places)) {
		place, v := places[p], record.At(p)
		if v == nil || IsWhole(s, p, v) {
			continue
		}
		out[p] = place
		for at := p; s.At(at) == nil && at != ""; {
			at = at.Parent()
			if s.At(at) == nil {
				continue
			}
			if had, ok := out[at]; !ok || looser(place, had) {
				out[at] = Place{Kind: place.Kind, Start: place.Start, End: place.End, Line: place.Line, Page: place.Page, Box: place.Box, Document: place.Document}
			}
		}
	}
	return out
}
