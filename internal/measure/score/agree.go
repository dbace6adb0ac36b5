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
	Same      int // leaves that both have, with the same value
	Differ    int // leaves that differ, or that one alone has
	Leaves    []LeafPair
}

// FieldAgreement is the agreement in one field: right is the same in both, missed
// is in the first alone, extra in the second alone. Leaves that neither has take
// no part, but in Kappa, where "none" is a choice like another.
type FieldAgreement struct {
	Path string
	Counts
	Kappa    float64
	HasKappa bool // a choice, and not all of it by chance
}

// Differ counts the leaves that differ, or that one alone has.
func (f FieldAgreement) Differ() int { return f.Wrong + f.Missed + f.Extra }

// Agree compares two sets of records, by document.
func Agree(s *schema.Schema, a, b Records) Agreement {
	var out Agreement
	index := map[*schema.Field]int{}
	tables := map[*schema.Field]*Confusion{}
	for _, f := range s.Leaves() {
		if !f.Scored() {
			continue
		}
		index[f] = len(out.Fields)
		out.Fields = append(out.Fields, FieldAgreement{Path: f.Path})
		if f.Type == schema.Choice {
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
		Walk(s, x, y, Visitor{Paths: true, Beyond: true, Leaf: func(l Leaf) {
			f := &out.Fields[index[l.Field]]
			if t := tables[l.Field]; t != nil {
				if l.Outcome == Blank {
					t.plus([2]string{None, None}, 1)
				} else {
					t.add(l)
				}
			}
			f.Add(l.Outcome)
			switch l.Outcome {
			case Blank:
				return
			case Right:
				out.Same++
				return
			}
			out.Differ++
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
			out.Leaves = append(out.Leaves, p)
		}})
	}
	for f, t := range tables {
		t.finish(f)
		at := &out.Fields[index[f]]
		at.Kappa, at.HasKappa = Kappa(t.Table)
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
	fields, leaves := value.List(), value.List()
	for _, f := range a.Fields {
		fields.Kids = append(fields.Kids, value.Obj(value.Str(f.Path).Named("field"), count("same", f.Right), count("differ", f.Differ()), f.Accuracy().json("agreement"), Ratio{f.Kappa, f.HasKappa}.json("kappa")))
	}
	for i := range a.Leaves {
		leaves.Kids = append(leaves.Kids, a.Leaves[i].choice())
	}
	return value.Obj(count("documents", a.Documents), apartJSON(a.Apart), count("same", a.Same), count("differ", a.Differ), fields.Named("fields"), leaves.Named("values"))
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
	return value.Obj(count("documents", a.Documents), count("same", a.Same), count("differ", a.Differ), apartJSON(a.Apart), leaves.Named("values"))
}
