package gold

import (
	"errors"
	"math"
	"math/rand/v2"
	"slices"
	"sort"
	"strconv"
	"strings"

	"gonum.org/v1/gonum/stat/distuv"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/record"
)

// Unreviewed is a filled document that may be reviewed.
type Unreviewed struct {
	Document string
	Slice    string  // a value of its metadata; "" where none is asked for
	Values   int     // that were filled
	Risk     float64 // the mean of its values
}

// Known is a document whose record was measured against gold.
type Known struct {
	Values, Wrong int // filled, and wrong or extra among them
	Risk          float64
}

// Wanted is how exactly the share of right values among the filled is to be known.
type Wanted struct {
	Precision float64 // that is expected
	Margin    float64 // how far its 95 % interval may reach below it
	Seed      int64
}

// Plan is which documents to review.
type Plan struct {
	Strata   []Stratum
	Chosen   []Chosen // by document
	Reach    float64  // how far below the precision the interval is expected to reach
	Enough   bool     // whether that is within the margin: with all documents it may not be
	Spread   float64  // by how much the variance is greater than that of as many independent values
	Measured int      // documents from which the spread was measured; 0: it is supposed
}

// Stratum is a part of the documents, of one slice and one band of risk.
type Stratum struct {
	Name      string
	Documents int
	Expected  float64 // share of wrong values
	Review    int     // how many to review
	members   []Unreviewed
	values    float64 // of a document, on average
}

// Weight is how many documents each one that is reviewed stands for.
func (s *Stratum) Weight() float64 { return float64(s.Documents) / float64(max(1, s.Review)) }

// Chosen is a document to review.
type Chosen struct {
	Document, Stratum string
	Weight            float64
}

// supposedSpread is how much greater the variance of a share of values is than that of
// independent values, where nothing is known yet: errors of one document belong together.
const supposedSpread = 4

// fewKnown is from how many erring documents on the spread is measured.
const fewKnown = 5

// bands of risk: half of the documents with the least, then three tenths, then the rest.
var bands = []struct {
	name string
	upTo float64
}{{"low risk", 0.5}, {"middle risk", 0.8}, {"high risk", 1}}

// NewPlan draws documents to review: strata by slice and by band of risk, more of where
// errors are expected to vary more (Neyman 1934), at least two of each, at random within.
// As many as make the interval that `score` will give reach no further below the expected
// precision than is wanted. Same documents and seed, same plan.
func NewPlan(all []Unreviewed, known []Known, w Wanted) Plan {
	var p Plan
	p.Spread, p.Measured = spreadOf(known)
	p.Strata = strataOf(all)
	expect(p.Strata, 1-w.Precision)
	least := 0
	for i := range p.Strata {
		least += min(2, p.Strata[i].Documents)
	}
	low, high := least, len(all)
	if p.reach(high, w) > w.Margin {
		low = high
	}
	for low < high { // the reach falls as more are reviewed
		if middle := (low + high) / 2; p.reach(middle, w) <= w.Margin {
			high = middle
		} else {
			low = middle + 1
		}
	}
	p.Reach = p.reach(low, w)
	p.Enough = p.Reach <= w.Margin
	p.draw(w.Seed)
	return p
}

// spreadOf measures how much more a document's errors vary than independent ones would:
// the variance of the ratio over documents to p (1 − p) / values.
func spreadOf(known []Known) (spread float64, measured int) {
	values, wrong, erring := 0.0, 0.0, 0
	for _, k := range known {
		values, wrong = values+float64(k.Values), wrong+float64(k.Wrong)
		if k.Wrong > 0 {
			erring++
		}
	}
	if erring < fewKnown {
		return supposedSpread, 0
	}
	p, n, two := wrong/values, float64(len(known)), 0.0
	for _, k := range known {
		d := float64(k.Wrong) - p*float64(k.Values)
		two += d * d
	}
	return max(1, n/(n-1)*two/(values*p*(1-p))), len(known)
}

// strataOf parts documents by slice, and within each by risk.
func strataOf(all []Unreviewed) (list []Stratum) {
	bySlice := map[string][]Unreviewed{}
	var names []string
	for _, u := range all {
		if bySlice[u.Slice] == nil {
			names = append(names, u.Slice)
		}
		bySlice[u.Slice] = append(bySlice[u.Slice], u)
	}
	sort.Strings(names)
	for _, name := range names {
		part := bySlice[name]
		slices.SortFunc(part, func(a, b Unreviewed) int {
			if a.Risk != b.Risk {
				if a.Risk < b.Risk {
					return -1
				}
				return 1
			}
			return strings.Compare(a.Document, b.Document)
		})
		from := 0
		for _, b := range bands {
			to := int(math.Round(b.upTo * float64(len(part))))
			if to > from {
				s := Stratum{Name: strings.TrimPrefix(name+" · "+b.name, " · "), Documents: to - from, members: slices.Clone(part[from:to])}
				list = append(list, s)
			}
			from = max(from, to)
		}
	}
	return list
}

// expect shares the expected errors out among the strata by their risk.
func expect(strata []Stratum, wrong float64) {
	values, risky := 0.0, 0.0
	mean := func(s *Stratum) (risk, values float64) {
		for _, u := range s.members {
			risk, values = risk+u.Risk*float64(u.Values), values+float64(u.Values)
		}
		return risk, values
	}
	for i := range strata {
		r, v := mean(&strata[i])
		risky, values = risky+r, values+v
	}
	for i := range strata {
		r, v := mean(&strata[i])
		strata[i].Expected, strata[i].values = wrong, max(1, v/float64(strata[i].Documents))
		if risky > 0 && v > 0 {
			strata[i].Expected = min(0.5, wrong*(r/v)/(risky/values))
		}
	}
}

// deviation is that of a document's share of wrong values, as it is expected.
func (p *Plan) deviation(s *Stratum) float64 {
	return math.Sqrt(min(p.Spread, s.values) * s.Expected * (1 - s.Expected) / s.values)
}

// share gives each stratum its part of n reviews.
func (p *Plan) share(n int) {
	for i := range p.Strata {
		p.Strata[i].Review = min(2, p.Strata[i].Documents)
		n -= p.Strata[i].Review
	}
	for ; n > 0; n-- { // one more where it takes most off the variance
		best, gain := -1, -1.0
		for i := range p.Strata {
			s := &p.Strata[i]
			if s.Review < s.Documents {
				k, d := float64(s.Review), p.deviation(s)*float64(s.Documents)
				if g := d * d / (k * (k + 1)); g > gain {
					best, gain = i, g
				}
			}
		}
		if best < 0 {
			return
		}
		p.Strata[best].Review++
	}
}

// reach gives how far below the precision the interval reaches with n reviews: Student's
// on the scale of log odds, with as many degrees of freedom as documents are expected to
// err, as `score` computes it.
func (p *Plan) reach(n int, w Wanted) float64 {
	p.share(n)
	documents, variance, err := 0.0, 0.0, 0.0
	for i := range p.Strata {
		documents += float64(p.Strata[i].Documents)
	}
	for i := range p.Strata {
		s := &p.Strata[i]
		part, k := float64(s.Documents)/documents, float64(s.Review)
		d := p.deviation(s)
		variance += part * part * d * d / k
		err += k * (1 - math.Pow(1-s.Expected, s.values/min(p.Spread, s.values)))
	}
	q := 1 - w.Precision
	bound := 0.0
	if q > 0 {
		freedom := max(1, math.Sqrt(max(1, float64(n)-1)*max(1, err)))
		t := distuv.StudentsT{Sigma: 1, Nu: freedom}.Quantile(0.975)
		at := math.Log(w.Precision/q) - t*math.Sqrt(variance)/(w.Precision*q)
		bound = w.Precision - 1/(1+math.Exp(-at))
	}
	if err < 1 { // all right is what is to be expected, and that shows no more than this
		bound = max(bound, w.Precision-math.Pow(0.025, 1/float64(n)))
	}
	return bound
}

// draw takes the documents of each stratum at random.
func (p *Plan) draw(seed int64) {
	rng := rand.New(rand.NewPCG(uint64(seed), 0x7a))
	for i := range p.Strata {
		s := &p.Strata[i]
		members := slices.Clone(s.members)
		slices.SortFunc(members, func(a, b Unreviewed) int { return strings.Compare(a.Document, b.Document) })
		rng.Shuffle(len(members), func(i, j int) { members[i], members[j] = members[j], members[i] })
		for _, u := range members[:s.Review] {
			p.Chosen = append(p.Chosen, Chosen{u.Document, s.Name, s.Weight()})
		}
	}
	slices.SortFunc(p.Chosen, func(a, b Chosen) int { return strings.Compare(a.Document, b.Document) })
}

// ReadPlan reads the file of a plan: JSON Lines of `document`, `stratum`, `weight`.
func ReadPlan(file string) ([]Chosen, error) {
	var all []Chosen
	var faults place.Faults
	err := record.ReadValues(file, func(n int, v *value.Value, err error) error {
		c := Chosen{}
		if err == nil {
			c.Document, c.Stratum = strings.Clone(v.Word("document")), strings.Clone(v.Word("stratum"))
			if c.Weight, err = strconv.ParseFloat(v.Word("weight"), 64); err != nil || c.Document == "" || c.Weight < 1 {
				err = errors.New("a line of a plan needs `document`, and `weight`, a number from 1 on")
			}
		}
		if err != nil {
			faults = append(faults, place.Fault{File: file, Line: n, Col: 1, Msg: err.Error(), Hint: "`filler gold plan -o FILE` writes such files"})
			return nil
		}
		all = append(all, c)
		return nil
	})
	if err == nil {
		err = faults.Err()
	}
	return all, err
}

// Into puts weight and stratum into a gold file.
func (c *Chosen) Into(v *value.Value) {
	line := c.JSON()
	setMembers(v, []value.Value{*line.Get("weight"), *line.Get("stratum")})
}

// JSON gives a line of the file of a plan.
func (c *Chosen) JSON() value.Value {
	return value.Obj(value.Str(c.Document).Named("document"), value.Str(c.Stratum).Named("stratum"), value.Num(strconv.FormatFloat(c.Weight, 'f', -1, 64)).Named("weight"))
}
