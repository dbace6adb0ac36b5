package score

import (
	"filler/internal/base/value"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// step is a field of the schema with where its outcomes are counted.
type step struct {
	field *schema.Field
	at    int // of a leaf, in Report.Fields; -1 where it is not scored
	kids  []*step
}

func (sc *Scorer) planOf(f *schema.Field) *step {
	s := &step{field: f, at: -1}
	switch f.Type {
	case schema.Group:
		for _, kid := range f.Fields {
			s.kids = append(s.kids, sc.planOf(kid))
		}
	case schema.List:
		s.kids = []*step{sc.planOf(f.Item)}
	default:
		if i, ok := sc.index[f]; ok {
			s.at = i
		}
	}
	return s
}

// isShared tells records that were read once for both sides, since their texts
// are the same.
func isShared(gold, filled *value.Value) bool {
	return filled != nil && len(gold.Kids) > 0 && len(gold.Kids) == len(filled.Kids) && &gold.Kids[0] == &filled.Kids[0]
}

// countShared counts a record that is gold itself: what walk would come to.
func (sc *Scorer) countShared(rec *value.Value) (counts Counts) {
	sc.same(sc.plan, rec, &counts)
	n := 1
	if sc.schema.EachEntry() {
		n = len(pair.Items(rec))
	}
	sc.report.RecordsRight, sc.report.RecordsOf = sc.report.RecordsRight+n, sc.report.RecordsOf+n
	return counts
}

func (sc *Scorer) same(s *step, v *value.Value, counts *Counts) {
	switch {
	case s.field.Type == schema.Group:
		for i, kid := range s.kids {
			sc.same(kid, v.GetAt(i, kid.field.Name), counts)
		}
	case s.field.Type == schema.List:
		items := pair.Items(v)
		if len(items) > 0 {
			sc.itemsOf(s.field).Found += len(items)
		}
		for i := range items {
			sc.same(s.kids[0], &items[i], counts)
		}
	case s.at < 0:
	case pair.HasEntries(s.field, v):
		pair.Entries(v, nil, func(_ string, v, _ *value.Value) { sc.same(s, v, counts) })
	case pair.Has(v):
		sc.report.Fields[s.at].Right++
		counts.Right++
	default:
		sc.report.Fields[s.at].Blank++
		counts.Blank++
	}
}
