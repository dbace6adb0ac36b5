package improve

import (
	"context"

	"filler/internal/base/value"
)

// Plan is what would be tried.
type Plan struct {
	Tune, Test int
	Documents  []string // of the tune split
	Candidates []Candidate
	Sample     []int // documents that each is tried on first; 0: on all at once
	crossed    bool
}

// PlanOf gives what would be tried. Nothing is asked.
func PlanOf(s Setup) (*Plan, error) {
	r, err := newRace(s)
	if err != nil {
		return nil, err
	}
	if r.result.Candidates, err = r.candidates(context.Background()); err != nil {
		return nil, err
	}
	if err := r.free(context.Background()); err != nil {
		return nil, err
	}
	p := &Plan{Tune: len(r.tune), Test: len(r.test), Documents: r.tune, Candidates: r.result.Candidates, crossed: r.unsplit()}
	for i := range p.Candidates {
		n := 0
		if c := &p.Candidates[i]; c.State == "" && !c.Free {
			n = len(r.sampleFor(c))
		}
		p.Sample = append(p.Sample, n)
	}
	return p, nil
}

// Fillings gives how many documents would be filled, at least and at most: the same schema
// asked again, the samples, all documents with what is left, the changes put together one by
// one, and the test split or the folds.
func (p *Plan) Fillings() (least, most int) {
	open := 0
	for i := range p.Candidates {
		switch c := &p.Candidates[i]; {
		case c.State != "":
			continue
		case c.Free:
		case p.Sample[i] == 0:
			least, most = least+p.Tune, most+p.Tune
		default:
			least, most = least+p.Sample[i], most+p.Tune
		}
		open++
	}
	if open == 0 {
		return 0, 0
	}
	least, most = least+p.Tune, most+p.Tune+open*p.Tune+p.Test
	if p.crossed {
		most += p.Tune
	}
	return least, most
}

// JSON gives the machine form of docs/formats.md.
func (p *Plan) JSON() value.Value {
	changes := value.List()
	for i := range p.Candidates {
		c := &p.Candidates[i]
		v := c.json(i + 1)
		v.Kids = append(v.Kids, number("errors", c.Errors), number("sample", p.Sample[i]))
		changes.Kids = append(changes.Kids, v)
	}
	return value.Obj(number("tune", p.Tune), number("test", p.Test), changes.Named("changes"))
}
