package score

import (
	"math"
	"strconv"
	"strings"
	"unicode/utf8"

	"gonum.org/v1/gonum/stat/distuv"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/pair"
	"filler/internal/schema"
)

// Profile is what can be said of records without gold: how many of their values have no
// evidence, what no value came from, and how values and lists lie. Two profiles are
// compared for drift. All is kept by document, since what a document holds belongs together.
type Profile struct {
	Documents int
	measures  map[string]*measure
	order     []string // of the measures, in the order of the schema
	schema    *schema.Schema
}

// measure is a ratio of sums over documents, such as values without evidence to values.
type measure struct {
	name string
	unit string // "share", or what the mean is of
	each []ratioOfDoc
}

type ratioOfDoc struct{ over, under float64 }

// NewProfile begins a profile of records under a schema.
func NewProfile(s *schema.Schema) *Profile {
	return &Profile{schema: s, measures: map[string]*measure{}}
}

// The measures of a whole record.
const (
	WithoutEvidence = "values without evidence"
	UncoveredLines  = "uncovered lines"
	FlaggedRecords  = "records flagged"
	FailedRecords   = "records failed"
	MeanRisk        = "risk of a value"
)

func (p *Profile) add(name, unit string, over, under float64) {
	m := p.measures[name]
	if m == nil {
		m = &measure{name: name, unit: unit}
		p.measures[name] = m
		p.order = append(p.order, name)
	}
	for len(m.each) < p.Documents {
		m.each = append(m.each, ratioOfDoc{})
	}
	m.each[p.Documents-1].over += over
	m.each[p.Documents-1].under += under
}

// Add adds a record.
func (p *Profile) Add(l *record.Line) {
	p.Documents++
	one := map[bool]float64{true: 1}
	p.add(FailedRecords, "share", one[l.Status == record.Failed], 1)
	if l.Status == record.Failed {
		return
	}
	p.add(FlaggedRecords, "share", one[l.Status == record.Flagged], 1)
	without, uncovered := 0, 0
	for i := range l.Evidence.Kids {
		if l.Evidence.Kids[i].Word("kind") == "none" {
			without++
		}
	}
	for _, x := range l.Problems {
		if x.Code() == record.Uncovered {
			uncovered++
		}
	}
	p.add(WithoutEvidence, "share", float64(without), float64(len(l.Evidence.Kids)))
	p.add(UncoveredLines, "a record", float64(uncovered), 1)
	for i := range l.Risk.Kids {
		if x, ok := number(l.Risk.Kids[i].Text); ok {
			p.add(MeanRisk, "mean", x, 1)
		}
	}
	p.field(p.schema.Root, &l.Record)
}

func number(text string) (float64, bool) {
	x, err := strconv.ParseFloat(text, 64)
	return x, err == nil
}

// field adds what is to be said of a field and all below it.
func (p *Profile) field(f *schema.Field, v *value.Value) {
	switch f.Type {
	case schema.Group:
		for _, kid := range f.Fields {
			p.field(kid, v.Get(kid.Name))
		}
		return
	case schema.List:
		items := pair.Items(v)
		name := f.Path
		if f == p.schema.Root {
			name = schema.Wrapper
		}
		p.add(name+": items", "mean", float64(len(items)), 1)
		for i := range items {
			p.field(f.Item, &items[i])
		}
		return
	}
	filled := 0.0
	if pair.Has(v) {
		filled = 1
	}
	p.add(f.Path+": filled", "share", filled, 1)
	if filled == 0 {
		return
	}
	switch {
	case f.Type == schema.Choice || f.Type == schema.Boolean:
		says := named(v)
		for _, o := range optionsOf(f) {
			n := 0.0
			if o == says {
				n = 1
			}
			p.add(f.Path+" = "+o, "share", n, 1)
		}
	case v.Kind == value.String:
		p.add(f.Path+": length", "letters", float64(utf8.RuneCountInString(v.Text)), 1)
	case v.Kind == value.Number || v.Get("amount") != nil:
		at := v
		if amount := v.Get("amount"); amount != nil {
			at = amount
		}
		if x, ok := number(at.Text); ok { // so that a few large ones don't decide alone
			p.add(f.Path+": size", "log", math.Copysign(math.Log1p(math.Abs(x)), x), 1)
		}
	}
}

func optionsOf(f *schema.Field) (names []string) {
	if f.Type == schema.Boolean {
		return []string{"true", "false"}
	}
	for _, o := range f.Of {
		names = append(names, o.Value)
	}
	return names
}

// Drift is how one measure is in one set of records and in another.
type Drift struct {
	Measure, Unit string
	Was, Now      float64
	WasOf, NowOf  int     // documents that have it
	P             float64 // of no difference, corrected for the number of measures (Holm 1979)
}

// Changed tells whether it differs beyond chance.
func (d *Drift) Changed() bool { return d.P < 0.05 }

// Field gives the field that a measure is of; "" where it is of whole records.
func (d *Drift) Field() string {
	if name, _, found := strings.Cut(d.Measure, ": "); found {
		return name
	}
	if name, _, found := strings.Cut(d.Measure, " = "); found {
		return name
	}
	return ""
}

// DriftOf compares two profiles, measure by measure, the least likely by chance first.
// Each measure is a ratio of sums over documents; two differ by Welch's test (1947) on the
// documents' parts in them. A measure that fewer than five documents have on either side is
// passed over: nothing can be said of it.
func DriftOf(was, now *Profile) []Drift {
	var all []Drift
	for _, name := range was.order {
		a, b := was.measures[name], now.measures[name]
		if b == nil {
			continue
		}
		x, y := a.sum(), b.sum()
		if x.n < few || y.n < few {
			continue
		}
		all = append(all, Drift{Measure: name, Unit: a.unit, Was: x.ratio, Now: y.ratio, WasOf: x.n, NowOf: y.n, P: welch(x, y)})
	}
	ps := make([]float64, len(all))
	for i := range all {
		ps[i] = all[i].P
	}
	corrected, sorted := Holm(ps), make([]Drift, 0, len(all))
	for _, i := range byP(ps) {
		all[i].P = corrected[i]
		sorted = append(sorted, all[i])
	}
	return sorted
}

// summed is a ratio of sums with its variance.
type summed struct {
	ratio, variance float64
	n               int
	least           float64 // of the variance: what as many independent units would have, for a share
}

func (m *measure) sum() (s summed) {
	over, under := 0.0, 0.0
	for _, d := range m.each {
		if d.under > 0 {
			over, under, s.n = over+d.over, under+d.under, s.n+1
		}
	}
	if s.n == 0 {
		return s
	}
	s.ratio = over / under
	two := 0.0
	for _, d := range m.each {
		x := d.over - s.ratio*d.under
		two += x * x
	}
	n := float64(s.n)
	if n > 1 {
		s.variance = n / (n - 1) * two / (under * under)
	}
	if m.unit == "share" {
		s.least = 1 / under
	}
	return s
}

// welch gives the two-sided p of no difference. A share that is the same in all documents
// still varies: at least as that of both together would, of as many independent units.
func welch(x, y summed) float64 {
	pooled := (x.ratio*float64(x.n) + y.ratio*float64(y.n)) / float64(x.n+y.n)
	floor := math.Max(0, pooled*(1-pooled))
	vx, vy := max(x.variance, floor*x.least), max(y.variance, floor*y.least)
	if vx+vy == 0 {
		if x.ratio == y.ratio {
			return 1
		}
		return 0
	}
	t := math.Abs(x.ratio-y.ratio) / math.Sqrt(vx+vy)
	freedom := (vx + vy) * (vx + vy) / (vx*vx/math.Max(1, float64(x.n-1)) + vy*vy/math.Max(1, float64(y.n-1)))
	return 2 * distuv.StudentsT{Sigma: 1, Nu: math.Max(1, freedom)}.Survival(t)
}

// Of gives a measure of a profile with its 95 % interval: a ratio of sums over documents.
func (p *Profile) Of(name string) (Ratio, Interval) {
	m := p.measures[name]
	if m == nil {
		return Ratio{}, Interval{}
	}
	s := m.sum()
	if s.n == 0 {
		return Ratio{}, Interval{}
	}
	r := Ratio{s.ratio, true}
	if s.n < 2 {
		return r, Interval{}
	}
	v := max(s.variance, s.ratio*(1-s.ratio)*s.least)
	reach := studentQuantile(float64(s.n-1)) * math.Sqrt(max(0, v))
	low := max(0, s.ratio-reach)
	high := s.ratio + reach
	if m.unit == "share" {
		high = min(1, high)
	}
	return r, Interval{low, high, true}
}
