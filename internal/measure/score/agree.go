package score

import (
	"maps"
	"slices"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// Records are records by document.
type Records map[string]*value.Value

// Add adds a record, as a copy of its own.
func (r Records) Add(l record.Line) error {
	if r[l.Document] != nil {
		return &Twice{l.Document}
	}
	own := l.Record.Detach()
	r[l.Document] = &own
	return nil
}

// Agreement is how far two sets of records of the same documents agree: those of
// two reviewers, or of two runs of which nobody says who is right.
type Agreement struct {
	Documents int
	Apart     []LeftOut
	Fields    []FieldAgreement
	Items     []ItemAgreement // by list, those with items on either side
	Same      int             // leaves that both have, with the same value
	Differ    int             // leaves that differ, or that one alone has, within items that both have
	Lone      int             // leaves of items that one alone has: they are told by item, not by leaf
	Leaves    []LeafPair      // that differ or are lone
}

// FieldAgreement is the agreement in one field: right is the same in both, missed
// is in the first alone, extra in the second alone. Share and kappa are over the same
// leaves: those that at least one of the two has, within items that both have.
type FieldAgreement struct {
	Path string
	Counts
	Kappa    float64
	HasKappa bool // a choice or a boolean, and not all of it by chance
}

// ItemAgreement is the agreement on which items a list has.
type ItemAgreement struct {
	Path                string
	Both, First, Second int // in both, in the first alone, in the second alone
}

// Differ counts the leaves that differ, or that one alone has.
func (f FieldAgreement) Differ() int { return f.Wrong + f.Missed + f.Extra }

// Agree compares two sets of records, by document.
func Agree(s *schema.Schema, a, b Records) Agreement {
	var out Agreement
	index := map[*schema.Field]int{}
	tables := map[*schema.Field]*Confusion{}
	items := agreedItems{}
	for _, f := range s.Leaves() {
		if !f.Scored() {
			continue
		}
		index[f] = len(out.Fields)
		out.Fields = append(out.Fields, FieldAgreement{Path: f.Path})
		if f.Type == schema.Choice || f.Type == schema.Boolean {
			tables[f] = &Confusion{counts: map[[2]string]*int{}}
		}
	}
	for _, id := range unionOf(a, b) {
		x, y := a[id], b[id]
		if why := alone(x != nil, y != nil); why != "" {
			out.Apart = append(out.Apart, LeftOut{id, why})
			continue
		}
		out.Documents++
		Walk(s, x, y, Visitor{Paths: true, Beyond: true, Item: items.add, Leaf: func(l Leaf) {
			switch {
			case l.Outcome == Blank:
				return
			case l.Lone:
				out.Lone++
			default:
				f := &out.Fields[index[l.Field]]
				if t := tables[l.Field]; t != nil {
					t.add(l)
				}
				f.Add(l.Outcome)
				if l.Outcome == Right {
					out.Same++
					return
				}
				out.Differ++
			}
			out.Leaves = append(out.Leaves, leafPair(id, &l))
		}})
	}
	out.Items = items.list(s.Root)
	for f, t := range tables {
		t.finish(f)
		at := &out.Fields[index[f]]
		at.Kappa, at.HasKappa = Kappa(t.Table)
	}
	return out
}

// leafPair gives both values of a leaf.
func leafPair(id string, l *Leaf) LeafPair {
	p := LeafPair{Document: id, Path: l.GoldPath, Field: l.Field.Path}
	if p.Path == "" {
		p.Path = l.FilledPath
	}
	if !l.Gold.Empty() {
		p.A = l.Gold.Clone().Named("")
	}
	if !l.Filled.Empty() {
		p.B = l.Filled.Clone().Named("")
	}
	return p
}

// agreedItems counts items by list.
type agreedItems map[*schema.Field]*ItemAgreement

func (m agreedItems) add(list *schema.Field, first, second bool) {
	n := m[list]
	if n == nil {
		n = &ItemAgreement{Path: list.Path}
		m[list] = n
	}
	switch {
	case first && second:
		n.Both++
	case first:
		n.First++
	default:
		n.Second++
	}
}

// list gives the counts in the order of the schema.
func (m agreedItems) list(f *schema.Field) (out []ItemAgreement) {
	if n := m[f]; n != nil {
		out = append(out, *n)
	}
	if f.Item != nil {
		return append(out, m.list(f.Item)...)
	}
	for _, kid := range f.Fields {
		out = append(out, m.list(kid)...)
	}
	return out
}

func unionOf(a, b Records) []string {
	seen := map[string]bool{}
	for _, m := range []Records{a, b} {
		for id := range m {
			seen[id] = true
		}
	}
	return slices.Sorted(maps.Keys(seen))
}

// JSON gives the machine form of docs/formats.md.
func (a *Agreement) JSON() value.Value {
	fields, items, leaves := value.List(), value.List(), value.List()
	for _, x := range a.Items {
		items.Kids = append(items.Kids, value.Obj(value.Str(x.Path).Named("list"), count("both", x.Both), count("first_only", x.First), count("second_only", x.Second)))
	}
	for _, f := range a.Fields {
		fields.Kids = append(fields.Kids, value.Obj(value.Str(f.Path).Named("field"), count("same", f.Right), count("differ", f.Differ()), f.Accuracy().json("agreement"), Ratio{f.Kappa, f.HasKappa}.json("kappa")))
	}
	for i := range a.Leaves {
		leaves.Kids = append(leaves.Kids, a.Leaves[i].choice())
	}
	return value.Obj(count("documents", a.Documents), ApartJSON(a.Apart), count("same", a.Same), count("differ", a.Differ), count("in_items_of_one", a.Lone), fields.Named("fields"), items.Named("items"), leaves.Named("values"))
}

// choice gives a leaf that differs as a line for `gold adjudicate`.
func (x *LeafPair) choice() value.Value {
	return value.Obj(value.Str(x.Document).Named("document"), value.Str(string(x.Path)).Named("path"), x.A.Named("first"), x.B.Named("second"), value.Value{Name: "choose"})
}

// Differences gives the machine form of docs/formats.md for two runs without
// gold.
func (a *Agreement) Differences() value.Value {
	leaves := value.List()
	for _, x := range a.Leaves {
		leaves.Kids = append(leaves.Kids, value.Obj(value.Str(x.Document).Named("document"), value.Str(string(x.Path)).Named("path"), value.Str(x.Field).Named("field"), x.A.Named("first"), x.B.Named("second")))
	}
	return value.Obj(count("documents", a.Documents), count("same", a.Same), count("differ", a.Differ), count("in_items_of_one", a.Lone), ApartJSON(a.Apart), leaves.Named("values"))
}
