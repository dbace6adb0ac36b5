package score

import (
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// Paired is how one item of a list was paired: with whom, how alike the two are, and by
// what. An item without a pair has the item of the other side that it is most like.
type Paired struct {
	List         *schema.Field
	Gold, Filled value.Pointer // "" where a side has none
	G, D         *value.Value
	Alike        float64
	By           string        // BySame, ByKey, ByOrder or ByLikeness; Missed or Extra
	Nearest      value.Pointer // of an item without a pair; "" where it is like none
}

// What items are paired by.
const (
	BySame     = "the same"
	ByKey      = "key"
	ByOrder    = "order" // in an ordered list: what comes before and after counts too
	ByLikeness = "likeness"
)

// Pairings gives how the items of all lists of a record were paired, list by list; of
// items that are paired their own lists follow them.
func Pairings(s *schema.Schema, gold, filled *value.Value) []Paired {
	var p pairings
	p.field(s.Root, gold, filled, "", "")
	return p.all
}

type pairings struct{ all []Paired }

func (p *pairings) field(f *schema.Field, gold, filled *value.Value, gp, fp value.Pointer) {
	switch f.Type {
	case schema.Group:
		for _, kid := range f.Fields {
			p.field(kid, gold.Get(kid.Name), filled.Get(kid.Name), gp.Key(kid.Name), fp.Key(kid.Name))
		}
	case schema.List:
		p.list(f, pair.Items(gold), pair.Items(filled), gp, fp)
	}
}

func (p *pairings) list(f *schema.Field, g, d []value.Value, gp, fp value.Pointer) {
	pairs := pair.Lists(f, g, d)
	for _, x := range pairs {
		one := Paired{List: f, G: at(g, x.Gold), D: at(d, x.Filled)}
		if x.Gold >= 0 {
			one.Gold = gp.Index(x.Gold)
		}
		if x.Filled >= 0 {
			one.Filled = fp.Index(x.Filled)
		}
		switch {
		case x.Filled < 0:
			one.By = Missed.String()
			one.Nearest, one.Alike = nearest(f, one.G, d, fp)
		case x.Gold < 0:
			one.By = Extra.String()
			one.Nearest, one.Alike = nearest(f, one.D, g, gp)
		default:
			one.Alike = pair.Similarity(f.Item, one.G, one.D)
			one.By = pairedBy(f, one.G, one.D)
		}
		p.all = append(p.all, one)
		if x.Gold >= 0 && x.Filled >= 0 {
			p.field(f.Item, one.G, one.D, one.Gold, one.Filled)
		}
	}
}

// nearest gives the item that one is most like, and how much; none where it is like none.
func nearest(f *schema.Field, v *value.Value, others []value.Value, at value.Pointer) (best value.Pointer, alike float64) {
	for i := range others {
		if w := pair.Similarity(f.Item, v, &others[i]); w > alike {
			best, alike = at.Index(i), w
		}
	}
	return best, alike
}

func pairedBy(f *schema.Field, g, d *value.Value) string {
	switch {
	case pair.Canonical(f.Item, g) == pair.Canonical(f.Item, d):
		return BySame
	case f.Ordered:
		return ByOrder
	case len(f.Key) > 0 && sameKey(f, g, d):
		return ByKey
	}
	return ByLikeness
}

func sameKey(f *schema.Field, g, d *value.Value) bool {
	for _, name := range f.Key {
		x, y := g.Get(name), d.Get(name)
		if !pair.Has(x) || !pair.Has(y) || pair.Canonical(f.Item.Child(name), x) != pair.Canonical(f.Item.Child(name), y) {
			return false
		}
	}
	return true
}

// JSON gives one pairing.
func (p *Paired) JSON() value.Value {
	v := value.Obj(value.Str(p.List.Path).Named("list"))
	for _, m := range [][2]string{{"gold", string(p.Gold)}, {"filled", string(p.Filled)}} {
		if m[1] != "" {
			v.Set(m[0], value.Str(m[1]))
		}
	}
	v.Set("by", value.Str(p.By))
	if p.Nearest != "" {
		v.Set("nearest", value.Str(string(p.Nearest)))
	}
	if p.Nearest != "" || p.Gold != "" && p.Filled != "" {
		v.Set("alike", figure("", p.Alike).Named(""))
	}
	return v
}

// Countable gives the gold that a line counts against, or why it doesn't count.
func (sc *Scorer) Countable(l *record.Line) (g *value.Value, filled *value.Value, why string) {
	of, filled, why := sc.judge(l)
	if why != "" {
		return nil, nil, why
	}
	return &of.Record, filled, ""
}
