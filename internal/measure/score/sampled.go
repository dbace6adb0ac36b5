package score

import (
	"filler/internal/base/value"
)

// Sampled is the score of all documents that those which counted were drawn from: every
// outcome counts as often as its document stands for others (Horvitz and Thompson 1952), so
// that documents which were drawn more often because errors were expected there don't
// make the figures worse than they are.
type Sampled struct {
	Documents int     // that have a weight
	StandFor  float64 // how many these stand for, those without a weight included
	Overall   Sums
	Fields    []Sums // in the order of the report's fields
	F1        Interval
	each      []weighed
}

// Sums are outcomes, each as often as its document stands for others.
type Sums struct{ Right, Wrong, Missed, Extra float64 }

type weighed struct {
	weight float64
	Tally
}

func (s *Sums) add(c Counts, weight float64) {
	s.Right, s.Wrong, s.Missed, s.Extra = s.Right+weight*float64(c.Right), s.Wrong+weight*float64(c.Wrong), s.Missed+weight*float64(c.Missed), s.Extra+weight*float64(c.Extra)
}

func quotient(over, under float64) Ratio {
	if under == 0 {
		return Ratio{}
	}
	return Ratio{over / under, true}
}

// Precision is that of Counts; so are Recall and F1.
func (s Sums) Precision() Ratio { return quotient(s.Right, s.Right+s.Wrong+s.Extra) }

// Recall is right / (right + wrong + missed).
func (s Sums) Recall() Ratio { return quotient(s.Right, s.Right+s.Wrong+s.Missed) }

// F1 is 2 right / (2 right + 2 wrong + extra + missed).
func (s Sums) F1() Ratio {
	return quotient(2*s.Right, 2*s.Right+2*s.Wrong+s.Extra+s.Missed)
}

// add counts a document.
func (s *Sampled) add(weight float64, all Counts, fields []Counts) {
	if weight > 0 {
		s.Documents++
	}
	w := max(1, weight)
	s.StandFor += w
	s.Overall.add(all, w)
	for i, c := range fields {
		s.Fields[i].add(c, w)
	}
	s.each = append(s.each, weighed{w, all.tally()})
}

func (s *Sampled) plus(o *Sampled) {
	s.Documents, s.StandFor = s.Documents+o.Documents, s.StandFor+o.StandFor
	s.Overall.sum(o.Overall)
	for i := range o.Fields {
		s.Fields[i].sum(o.Fields[i])
	}
	s.each = append(s.each, o.each...)
}

func (s *Sums) sum(o Sums) {
	s.Right, s.Wrong, s.Missed, s.Extra = s.Right+o.Right, s.Wrong+o.Wrong, s.Missed+o.Missed, s.Extra+o.Extra
}

// interval is F1Interval of documents with weights. That documents were drawn by stratum is
// left aside, which makes it wider rather than narrower.
func (s *Sampled) interval() Interval {
	f := s.Overall.F1()
	n := float64(len(s.each))
	if n < 2 || !f.Exists {
		return Interval{}
	}
	even := Tallies{whole: true}
	two, four, under := 0.0, 0.0, 2*s.Overall.Right+2*s.Overall.Wrong+s.Overall.Extra+s.Overall.Missed
	for _, one := range s.each {
		even.Add(one.Tally)
		right := 2 * float64(one.Right)
		d := one.weight * (right - f.Value*(right+2*float64(one.Wrong)+float64(one.Missed)+float64(one.Extra)))
		two, four = two+d*d, four+d*d*d*d
	}
	if f.Value <= 0 || f.Value >= 1 {
		return even.F1Interval()
	}
	leaves := 0.0
	for _, one := range s.each {
		leaves += float64(one.Right + one.Wrong + one.Missed + one.Extra)
	}
	return ofRatio(f.Value, n, leaves, two/(under*under), four/(under*under*under*under))
}

// json gives the machine form; fields are named by the report.
func (s *Sampled) json(fields []Field) value.Value {
	list := value.List()
	for i, f := range fields {
		list.Kids = append(list.Kids, value.Obj(value.Str(f.Path).Named("field"), s.Fields[i].Precision().json("precision"), s.Fields[i].Recall().json("recall"), s.Fields[i].F1().json("f1")))
	}
	return value.Obj(count("documents", s.Documents), figure("stand_for", s.StandFor), s.Overall.Precision().json("precision"), s.Overall.Recall().json("recall"), s.Overall.F1().json("f1"),
		Ratio{s.F1.Low, s.F1.Exists}.json("f1_low"), Ratio{s.F1.High, s.F1.Exists}.json("f1_high"), list.Named("fields"))
}

// beginSampled begins to count by weight; documents that counted before had none.
func (sc *Scorer) beginSampled() {
	s := &Sampled{Fields: make([]Sums, len(sc.report.Fields))}
	for i, f := range sc.report.Fields {
		s.Fields[i].add(f.Counts, 1)
		s.Overall.add(f.Counts, 1)
	}
	sc.tallies.every(func(one Tally, times float64) {
		for range int(times) {
			s.each = append(s.each, weighed{1, one})
		}
	})
	s.StandFor = float64(len(s.each))
	sc.report.Sampled = s
}

// joinSampled adds what a batch came to, before its other counts are added.
func (sc *Scorer) joinSampled(o *Scorer) {
	if sc.report.Sampled == nil && o.report.Sampled == nil {
		return
	}
	for _, x := range []*Scorer{sc, o} {
		if x.report.Sampled == nil {
			x.beginSampled()
		}
	}
	sc.report.Sampled.plus(o.report.Sampled)
}

// Ratios are those of counts, or of sums.
type Ratios interface {
	Precision() Ratio
	Recall() Ratio
	F1() Ratio
}

// RatiosOf gives the ratios of a field, or with "" of all values: weighted where documents
// were drawn by a plan.
func (r *Report) RatiosOf(path string) Ratios {
	for i := range r.Fields {
		if r.Fields[i].Path == path && path != "" {
			return r.ratiosAt(i)
		}
	}
	if r.Sampled != nil {
		return r.Sampled.Overall
	}
	return r.Overall
}

func (r *Report) ratiosAt(field int) Ratios {
	if r.Sampled != nil {
		return r.Sampled.Fields[field]
	}
	return r.Fields[field].Counts
}

// Bounds gives the interval of F1 over all values, of that of RatiosOf.
func (r *Report) Bounds() Interval {
	if r.Sampled != nil {
		return r.Sampled.F1
	}
	return r.F1
}
