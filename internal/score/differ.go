package score

import (
	"slices"
	"sort"

	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/value"
)

// Differences are the leaves in which two sets of records differ.
type Differences struct {
	Documents    int // in both
	Same, Differ int
	Fields       []Field // right is the same; missed is only in the first, extra only in the second
	Leaves       []LeafPair
	Apart        []LeftOut
}

// Differ finds where two sets of records differ, without saying who is right.
type Differ struct {
	schema *schema.Schema
	a, b   map[string]value.Value
}

// NewDiffer gives a Differ for a schema.
func NewDiffer(s *schema.Schema) *Differ {
	return &Differ{s, map[string]value.Value{}, map[string]value.Value{}}
}

// AddA adds a record of the first set, AddB one of the second.
func (d *Differ) AddA(l record.Line) error { return add(d.a, l) }

// AddB adds a record of the second set.
func (d *Differ) AddB(l record.Line) error { return add(d.b, l) }

func add(to map[string]value.Value, l record.Line) error {
	if _, twice := to[l.Document]; twice {
		return &Twice{l.Document}
	}
	to[l.Document] = l.Record.Detach()
	return nil
}

// Differences gives all differences, in the order of documents.
func (d *Differ) Differences() Differences {
	var out Differences
	index := map[*schema.Field]int{}
	for _, f := range d.schema.Leaves() {
		if f.Scored() {
			index[f] = len(out.Fields)
			out.Fields = append(out.Fields, Field{Path: f.Path})
		}
	}
	var ids []string
	for id := range d.a {
		ids = append(ids, id)
	}
	for id := range d.b {
		if _, both := d.a[id]; !both {
			ids = append(ids, id)
		}
	}
	sort.Strings(ids)
	for _, id := range slices.Compact(ids) {
		a, inA := d.a[id]
		b, inB := d.b[id]
		switch {
		case !inA:
			out.Apart = append(out.Apart, LeftOut{id, "only the second has it"})
			continue
		case !inB:
			out.Apart = append(out.Apart, LeftOut{id, "only the first has it"})
			continue
		}
		out.Documents++
		Walk(d.schema, &a, &b, Visitor{Paths: true, Leaf: func(l Leaf) {
			out.Fields[index[l.Field]].Add(l.Outcome)
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
				p.A = l.Gold.Named("")
			}
			if !l.Filled.Empty() {
				p.B = l.Filled.Named("")
			}
			out.Leaves = append(out.Leaves, p)
		}})
	}
	return out
}

// JSON gives the machine form.
func (d *Differences) JSON() value.Value {
	leaves := value.List()
	for _, x := range d.Leaves {
		leaves.Kids = append(leaves.Kids, value.Obj(value.Str(x.Document).Named("document"), value.Str(string(x.Path)).Named("path"), value.Str(x.Field).Named("field"), x.A.Named("first"), x.B.Named("second")))
	}
	return value.Obj(count("documents", d.Documents), count("same", d.Same), count("differ", d.Differ), apartJSON(d.Apart), leaves.Named("leaves"))
}

func apartJSON(apart []LeftOut) value.Value {
	left := value.List()
	for _, l := range apart {
		left.Kids = append(left.Kids, value.Obj(value.Str(l.Document).Named("document"), value.Str(l.Why).Named("why")))
	}
	return left.Named("left_out")
}

// JSON gives the machine form of docs/formats.md.
func (c *Comparison) JSON() value.Value {
	fields, leaves := value.List(), value.List()
	for _, f := range c.Fields {
		fields.Kids = append(fields.Kids, value.Obj(value.Str(f.Path).Named("field"), f.A.F1().json("f1_first"), f.B.F1().json("f1_second"),
			count("fixed", f.Fixed), count("broken", f.Broken), count("both_right", f.BothRight), count("both_wrong", f.BothWrong), count("extra_first", f.A.Extra), count("extra_second", f.B.Extra)))
	}
	for _, x := range c.Leaves {
		leaves.Kids = append(leaves.Kids, value.Obj(value.Str(x.Document).Named("document"), value.Str(string(x.Path)).Named("path"), value.Str(x.Field).Named("field"),
			x.Gold.Named("gold"), x.A.Named("first"), x.B.Named("second"), value.Boolean(x.Fixed).Named("fixed")))
	}
	return value.Obj(count("documents", c.Documents), apartJSON(c.Apart), value.Str(c.Words("the first", "the second")).Named("words"),
		c.A.F1().json("f1_first"), c.B.F1().json("f1_second"), figure("difference", c.By), Ratio{c.Difference.Low, c.Difference.Exists}.json("difference_low"), Ratio{c.Difference.High, c.Difference.Exists}.json("difference_high"),
		figure("p", c.P), count("fixed", c.Fixed), count("broken", c.Broken), count("both_right", c.BothRight), count("both_wrong", c.BothWrong),
		value.Obj(count("first", c.RecordsA), count("second", c.RecordsB), count("of", c.RecordsOf), count("only_first", c.OnlyA), count("only_second", c.OnlyB), figure("p", c.McNemar)).Named("records"),
		fields.Named("fields"), leaves.Named("leaves"))
}
