// Package graph joins what records say of the same things: entities across documents,
// and how they belong together.
//
// Rules it keeps:
//
//   - Two mentions are one entity where their keys are equal but for case, accents,
//     punctuation and titles, or where somebody decided so; never because they are alike.
//   - Every edge knows the document and the line that it comes from.
//   - What a key does not name stays by itself, and is told; so is a value of another type
//     than its field's, which names nothing.
//   - The same records give the same graph, in the same order.
package graph

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Mention is a place where an entity is named.
type Mention struct {
	Document string
	Path     value.Pointer // of what names it
	Line     int           // of the source; 0 where it is not known
}

// Node is an entity.
type Node struct {
	Kind     string
	Key      string   // folded
	Name     string   // as it is named first
	Names    []string // other spellings
	Mentions []Mention
	Nameless bool
}

// Edge joins two entities.
type Edge struct {
	From, To int // of Graph.Nodes
	Kind     string
	Mention
	Listed bool // it is an item of a list with `edge`
}

// Loose is an edge whose other end is not there.
type Loose struct {
	From int // -1: neither is
	Kind string
	Said string // what names the other end; "" is nothing
	Mention
}

// Graph is all of it.
type Graph struct {
	Nodes     []Node
	Edges     []Edge
	Loose     []Loose
	Faults    []Fault // of the records: values of another type, kinds that are not allowed
	Documents int
	Failed    int
}

// Builder builds a graph.
type Builder struct {
	schema *schema.Schema
	graph  Graph
	at     map[string]int // nodes by kind and key
	line   *record.Line
	links  []link
	items  map[string]int // of one record: the node of an item, by its list's key field and value
	ends   []listed
	kind   string // of items: the value that says what kind they are; "": none does
}

// link is a link that waits until the record is read.
type link struct {
	from  int
	field *schema.Field
	said  string
	mention
}

type mention = Mention

// listed is an item of a list with `edge`, that waits until all are read.
type listed struct {
	from, to, kind string
	mention        // of what it goes from
	other          Mention
}

// NewBuilder begins a graph of the entities of a schema.
func NewBuilder(s *schema.Schema) *Builder { return &Builder{schema: s, at: map[string]int{}} }

// NewOpenBuilder begins a graph of records of style open: the things that documents name,
// by what kind they are said to be, and what they are said to be to each other.
func NewOpenBuilder() *Builder {
	s := schema.Open()
	s.Find("things").Entity = &schema.Entity{Key: []string{"name"}, Called: "thing"}
	s.Find("relations").Edge = &schema.Edge{From: "from", To: "to", Kind: "says"}
	b := NewBuilder(s)
	b.kind = "kind"
	return b
}

// Add adds the entities of a document's records.
func (b *Builder) Add(l *record.Line) {
	b.line = l
	if l.Status == record.Failed {
		b.graph.Failed++
		return
	}
	b.graph.Documents++
	if !b.schema.EachEntry() {
		b.record(&l.Record, "", l.Document)
		return
	}
	for i := range l.Record.Kids {
		b.record(&l.Record.Kids[i], value.Pointer("").Index(i), l.Document+"#"+strconv.Itoa(i+1))
	}
}

// record adds one record: an entity itself, by its key or by its document.
func (b *Builder) record(rec *value.Value, p value.Pointer, id string) {
	f := b.schema.Record()
	if rec.Kind != value.Object {
		b.odd(f, rec, p)
		return
	}
	kind := b.schema.Name
	b.items, b.links = map[string]int{}, b.links[:0]
	var own int
	if e := f.Entity; e != nil {
		if e.Called != "" {
			kind = e.Called
		}
		own = b.entity(kind, f, rec, e.Key, p)
	} else {
		own = b.keyed(kind, "\x01"+id, id, Mention{Document: strings.Clone(b.line.Document), Path: p})
	}
	b.fields(f, rec, p, own)
	for _, l := range b.links {
		to, there := -1, false
		for _, target := range l.field.To {
			if to, there = b.items[target+"\x00"+l.said]; there {
				break
			}
		}
		if !there {
			b.graph.Loose = append(b.graph.Loose, Loose{l.from, l.field.Name, l.said, l.mention})
			continue
		}
		if to != l.from {
			b.edge(l.from, to, l.field.Name, l.mention)
		}
	}
}

func (b *Builder) edge(from, to int, kind string, m Mention) {
	b.graph.Edges = append(b.graph.Edges, Edge{From: from, To: to, Kind: kind, Mention: m})
}

// entity gives the node of what a key names; a node of its own where nothing does.
func (b *Builder) entity(kind string, of *schema.Field, v *value.Value, key []string, p value.Pointer) int {
	var parts []string
	at := p
	for i, name := range key {
		text, ok := b.named(of.Child(name), v.Get(name), p.Key(name))
		if !ok {
			n := len(b.graph.Nodes)
			b.graph.Nodes = append(b.graph.Nodes, Node{Kind: kind, Name: "(unnamed)", Nameless: true, Mentions: []Mention{b.mention(p)}})
			return n
		}
		parts = append(parts, text)
		if i == 0 {
			at = p.Key(name)
		}
	}
	return b.node(kind, strings.Join(parts, " "), b.mention(at))
}

// named gives how a value names what it is; nothing where it is empty or of another type
// than its field's.
func (b *Builder) named(f *schema.Field, v *value.Value, p value.Pointer) (string, bool) {
	if v.Empty() {
		return "", false
	}
	of := []value.Kind{value.String}
	switch f.Kin().Type {
	case schema.Integer, schema.Number:
		of[0] = value.Number
	case schema.Boolean:
		of[0] = value.Bool
	case schema.Choice:
		of = append(of, value.Number, value.Bool)
	case schema.Money, schema.Quantity:
		of[0] = value.Object
	}
	if !slices.Contains(of, v.Kind) {
		b.odd(f, v, p)
		return "", false
	}
	if v.Kind != value.Object {
		return v.Text, true
	}
	var parts []string
	for i := range v.Kids {
		parts = append(parts, v.Kids[i].Text)
	}
	return strings.Join(parts, " "), true
}

// odd notes a value that is passed over.
func (b *Builder) odd(f *schema.Field, v *value.Value, p value.Pointer) {
	want := string(f.Type)
	if f.Type == schema.Choice {
		want = "single value"
	}
	b.fault("type", fmt.Sprintf("%s where the schema has %s: it names nothing", schema.Article(v.Kind.String()), schema.Article(want)), p)
}

func (b *Builder) fault(code, text string, p value.Pointer) {
	b.graph.Faults = append(b.graph.Faults, Fault{code, text, b.mention(p)})
}

// mention is where a value of the record at hand stands.
func (b *Builder) mention(p value.Pointer) Mention {
	m := Mention{Document: strings.Clone(b.line.Document), Path: value.Pointer(strings.Clone(string(p)))}
	if place := b.line.Evidence.Get(string(p)); place != nil {
		if line := place.Get("line"); line != nil {
			m.Line, _ = strconv.Atoi(line.Text)
		}
	}
	return m
}

// node gives the node of a name.
func (b *Builder) node(kind, name string, m Mention) int {
	return b.keyed(kind, Fold(name), name, m)
}

// keyed gives the node of a key.
func (b *Builder) keyed(kind, key, name string, m Mention) int {
	id := kind + "\x00" + key
	n, known := b.at[id]
	if !known {
		n = len(b.graph.Nodes)
		b.at[id] = n
		b.graph.Nodes = append(b.graph.Nodes, Node{Kind: kind, Key: key, Name: strings.Clone(name)})
	}
	node := &b.graph.Nodes[n]
	node.spelled(name)
	node.Mentions = append(node.Mentions, m)
	return n
}

// spelled notes a spelling.
func (n *Node) spelled(name string) {
	if name == n.Name {
		return
	}
	for _, s := range n.Names {
		if s == name {
			return
		}
	}
	n.Names = append(n.Names, strings.Clone(name))
}

// fields goes through the fields of a group that stands in an entity.
func (b *Builder) fields(g *schema.Field, v *value.Value, p value.Pointer, owner int) {
	for _, f := range g.Fields {
		if kid := v.Get(f.Name); !kid.Empty() {
			b.field(f, kid, p.Key(f.Name), owner)
		}
	}
}

func (b *Builder) field(f *schema.Field, v *value.Value, p value.Pointer, owner int) {
	switch {
	case f.Type == schema.Group && v.Kind != value.Object:
		b.odd(f, v, p)
	case f.Type == schema.Group:
		inner := owner
		if f.Entity != nil && isNamed(v, f.Entity.Key) {
			inner = b.entity(f.KindOf(), f, v, f.Entity.Key, p)
			b.join(owner, inner, f.Name, p, v, f.Entity.Key)
		}
		b.fields(f, v, p, inner)
	case f.Type == schema.List:
		b.list(f, v, p, owner)
	case f.Type == schema.Link && !b.points(f): // to what is no entity
	case f.Type == schema.Link:
		b.links = append(b.links, link{owner, f, strings.Clone(v.Text), b.mention(p)})
	case f.Entity != nil:
		b.leaf(f, f, v, p, owner)
	}
}

// leaf joins what a single value names: of a field, or of the items of a list.
func (b *Builder) leaf(f, of *schema.Field, v *value.Value, p value.Pointer, owner int) {
	if text, ok := b.named(of, v, p); ok {
		b.join(owner, b.node(f.KindOf(), text, b.mention(p)), f.Name, p, nil, nil)
	}
}

// points tells whether a link points to items that are entities.
func (b *Builder) points(f *schema.Field) bool {
	for _, to := range f.To {
		list, _, _ := strings.Cut(to, "[].")
		if i := strings.LastIndex(to, "[]."); i >= 0 {
			list = to[:i]
		}
		if l := b.schema.Find(list); l != nil && l.Entity != nil {
			return true
		}
	}
	return false
}

// isNamed tells whether any part of a key is there: a group in which nothing is names
// nobody.
func isNamed(v *value.Value, key []string) bool {
	for _, name := range key {
		if !v.Get(name).Empty() {
			return true
		}
	}
	return false
}

// join joins an entity to the one that it stands in.
func (b *Builder) join(owner, inner int, kind string, p value.Pointer, v *value.Value, key []string) {
	at := p
	for _, name := range key {
		if !v.Get(name).Empty() {
			at = p.Key(name)
			break
		}
	}
	if owner != inner {
		b.edge(owner, inner, kind, b.mention(at))
	}
}

func (b *Builder) list(f *schema.Field, v *value.Value, p value.Pointer, owner int) {
	if v.Kind != value.Array {
		b.odd(f, v, p)
		return
	}
	for i := range v.Kids {
		item, at := &v.Kids[i], p.Index(i)
		if f.Item.Type != schema.Group {
			if f.Entity != nil {
				b.leaf(f, f.Item, item, at, owner)
			}
			continue
		}
		if item.Kind != value.Object {
			if !item.Empty() {
				b.odd(f.Item, item, at)
			}
			continue
		}
		inner := owner
		if f.Entity != nil && isNamed(item, f.Entity.Key) {
			kind := f.KindOf()
			if own := item.Get(b.kind); b.kind != "" && !own.Empty() {
				kind = strings.ToLower(strings.Clone(own.Text))
			}
			inner = b.entity(kind, f.Item, item, f.Entity.Key, at)
			b.join(owner, inner, f.Name, at, item, f.Entity.Key)
		}
		for _, kid := range f.Item.Fields { // what links may point to
			if k := item.Get(kid.Name); inner != owner && kid.IsLeaf() && !k.Empty() {
				b.items[f.Path+"[]."+kid.Name+"\x00"+k.Text] = inner
			}
		}
		if e := f.Edge; e != nil {
			b.ends = append(b.ends, listed{textOf(item.Get(e.From)), textOf(item.Get(e.To)), kindOf(f, item), b.mention(at.Key(e.From)), b.mention(at.Key(e.To))})
			if kind := b.notAllowed(f, item); kind != "" {
				b.fault("kind", kind+" is not a kind of edge of "+f.Path, at.Key(e.Kind))
			}
			continue
		}
		b.fields(f.Item, item, at, inner)
	}
}

func kindOf(f *schema.Field, item *value.Value) string {
	if f.Edge.Kind == "" {
		return f.Name
	}
	return textOf(item.Get(f.Edge.Kind))
}

// notAllowed gives the kind of an edge that is none of its field's choices.
func (b *Builder) notAllowed(f *schema.Field, item *value.Value) string {
	kind, field := textOf(item.Get(f.Edge.Kind)), f.Item.Child(f.Edge.Kind)
	if kind == "" || field == nil || field.Type != schema.Choice || slices.ContainsFunc(field.Of, func(o schema.Option) bool { return o.Value == kind }) {
		return ""
	}
	return kind
}

func textOf(v *value.Value) string {
	if v.Empty() {
		return ""
	}
	return strings.Clone(v.Text)
}

// Graph gives what was built, once all is added.
func (b *Builder) Graph() *Graph {
	byKey := map[string][]int{}
	for i, n := range b.graph.Nodes {
		if !n.Nameless {
			byKey[n.Key] = append(byKey[n.Key], i)
		}
	}
	end := func(name, document string) int {
		all := byKey[Fold(name)]
		if len(all) > 1 { // of several kinds: the one that the document names
			all = slices.DeleteFunc(slices.Clone(all), func(i int) bool {
				return !slices.ContainsFunc(b.graph.Nodes[i].Mentions, func(m Mention) bool { return m.Document == document })
			})
		}
		if name != "" && len(all) == 1 {
			return all[0]
		}
		return -1
	}
	for _, l := range b.ends {
		from, to := end(l.from, l.Document), end(l.to, l.Document)
		switch {
		case from < 0:
			b.graph.Loose = append(b.graph.Loose, Loose{to, l.kind, l.from, l.mention})
		case to < 0:
			b.graph.Loose = append(b.graph.Loose, Loose{from, l.kind, l.to, l.other})
		default:
			b.graph.Edges = append(b.graph.Edges, Edge{From: from, To: to, Kind: l.kind, Mention: l.mention, Listed: true})
		}
	}
	b.ends = nil
	return &b.graph
}
