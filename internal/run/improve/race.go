package improve

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"sort"

	"filler/internal/record/normalize"
	"filler/internal/schema"
)

// free tries each change on the replies that are there: what a normalizer makes of the run's
// values then costs nothing. One that turns values right so need not be asked about.
func (r *Race) free(context.Context) error {
	r.each(func(c *Candidate) {
		if cmp := r.compare(r.Base, r.freely(c), r.tune, nil); cmp.By > 0 {
			c.Free, c.Gain = true, cmp
		}
	})
	return nil
}

// freely gives the run's records as the normalizers of a changed schema make them.
func (r *Race) freely(c *Candidate) Records {
	now := Records{}
	for _, id := range r.tune {
		line := r.Base[id]
		line.Record = line.Record.Clone()
		normalize.Record(c.schema, &line.Record)
		now[id] = line
	}
	return now
}

// sample fills a few documents with each change, and drops those that gain nothing there.
func (r *Race) sample(ctx context.Context) (err error) {
	r.each(func(c *Candidate) {
		ids := r.sampleFor(c)
		if err != nil || c.Free || len(ids) == 0 {
			return
		}
		if err = r.fill(ctx, c, ids, fmt.Sprint(len(ids))); err != nil {
			return
		}
		cmp := r.compare(r.control, c.records, ids, c.Quotes)
		if c.sampleBy = cmp.By; cmp.By <= 0 {
			c.State, c.Sampled, c.Gain = Dropped, true, cmp
			c.Note = fmt.Sprintf("no gain on %d documents", cmp.Documents)
		}
	})
	return err
}

// fill fills documents with a change alone; of says how many those are.
func (r *Race) fill(ctx context.Context, c *Candidate, ids []string, of string) error {
	got, cost, err := r.ask(ctx, fmt.Sprintf("%s at %s, on %s documents", c.Edit, c.Field, of), Trial{Name: c.Field + " " + c.Key[len(c.Key)-1], Schema: c.schema, Documents: ids})
	c.Cost.add(cost)
	c.records = c.records.with(got)
	return err
}

// with gives records with others.
func (r Records) with(more Records) Records {
	if r == nil {
		r = Records{}
	}
	maps.Copy(r, more)
	return r
}

// without gives those of some documents that have no record.
func (r Records) without(ids []string) []string {
	return slices.DeleteFunc(slices.Clone(ids), func(id string) bool { _, done := r[id]; return done })
}

// whole fills all tune documents with what is left, the best on the sample first, and keeps
// what holds.
func (r *Race) whole(ctx context.Context) (err error) {
	var left []*Candidate
	r.each(func(c *Candidate) { left = append(left, c) })
	sort.SliceStable(left, func(i, j int) bool { return left[i].sampleBy > left[j].sampleBy })
	for _, c := range left {
		if c.Free {
			continue
		}
		if err := r.fill(ctx, c, c.records.without(r.tune), fmt.Sprintf("all %d", len(r.tune))); err != nil {
			return err
		}
		c.Gain = r.compare(r.control, c.records, r.tune, c.Quotes)
	}
	r.judge(left)
	return nil
}

// judge corrects the p values for all that was tried, and keeps what holds and gains.
func (r *Race) judge(left []*Candidate) {
	var ps []float64
	for _, c := range left {
		ps = append(ps, c.Gain.P)
	}
	corrected := r.corrected(ps)
	for i, c := range left {
		c.Holm = corrected[i]
		switch {
		case c.Gain.By > 0 && c.Holm < Level:
			c.State = Kept
		case c.Gain.By <= 0:
			c.State, c.Note = Dropped, fmt.Sprintf("no gain on %d documents", c.Gain.Documents)
		}
	}
}

// kept gives the candidates that are kept so far, the best first.
func (r *Race) kept() (all []*Candidate) {
	for i := range r.result.Candidates {
		if c := &r.result.Candidates[i]; c.State == Kept || c.State == Together {
			all = append(all, c)
		}
	}
	sort.SliceStable(all, func(i, j int) bool { return all[i].Gain.By > all[j].Gain.By })
	return all
}

// with gives the schema with some changes.
func (r *Race) with(all []*Candidate) (*schema.Schema, error) {
	var edits []schema.Edit
	for _, c := range all {
		edits = append(edits, c.Edit)
	}
	return r.Schema.Edited(merged(edits)...)
}

// joint is all tune documents filled with several changes at once.
type joint struct {
	records Records
	schema  *schema.Schema
	price   int64 // nano a document
}

func (r *Race) joinedBy(ctx context.Context, all []*Candidate) (j joint, err error) {
	if j.schema, err = r.with(all); err != nil {
		return j, err
	}
	if len(all) == 1 && all[0].records != nil && !all[0].Free {
		j.records, j.price = all[0].records, perDocument(all[0].Cost)
		return j, nil
	}
	doing := fmt.Sprintf("%d changes together", len(all))
	if len(all) == 1 {
		doing = fmt.Sprintf("%s at %s, with new replies", all[0].Edit, all[0].Field)
	}
	var cost Cost
	j.records, cost, err = r.ask(ctx, doing, Trial{Name: "together", Schema: j.schema, Documents: r.tune})
	j.price = perDocument(cost)
	return j, err
}

// take makes what was filled together what is kept.
func (r *Race) take(j joint) {
	r.combined, r.result.Schema, r.result.PriceNow = j.records, j.schema, j.price
}

// combine puts what is kept together, the best first, and leaves out what adds nothing to
// those before it.
func (r *Race) combine(ctx context.Context) error {
	var in []*Candidate
	for _, c := range r.kept() {
		j, err := r.joinedBy(ctx, append(slices.Clone(in), c))
		if err != nil {
			return err
		}
		if len(in) > 0 {
			if cmp := r.compare(r.combined, j.records, r.tune, quotesOf(append(in, c))); cmp.By <= 0 {
				c.State, c.Note = Redundant, fmt.Sprintf("beside %s at %s", in[0].Edit, in[0].Field)
				continue
			}
		}
		in = append(in, c)
		r.take(j)
	}
	return nil
}

func quotesOf(all []*Candidate) (ids []string) {
	for _, c := range all {
		ids = append(ids, c.Quotes...)
	}
	return ids
}

// bundle tries what gained too little alone, all together and beside what is kept.
func (r *Race) bundle(ctx context.Context) error {
	var small []*Candidate
	r.each(func(c *Candidate) { small = append(small, c) })
	drop := func(why string) {
		for _, c := range small {
			c.State, c.Note = Dropped, why
		}
	}
	const chance = "its gain may be chance"
	all := append(r.kept(), small...)
	if len(all) < 2 || len(small) == 0 {
		drop(chance)
		return nil
	}
	before := r.combined
	if before == nil {
		before = r.control
	}
	j, err := r.joinedBy(ctx, all)
	if err != nil {
		return err
	}
	cmp := r.compare(before, j.records, r.tune, quotesOf(all))
	if holm := min(1, cmp.P*float64(r.tried)); cmp.By <= 0 || holm >= Level {
		drop(chance + ", also together with the others")
		return nil
	}
	for _, c := range small {
		c.State, c.Note = Together, fmt.Sprintf("alone its gain may be chance; with the others %+.1f points", 100*cmp.By)
	}
	r.take(j)
	return nil
}

// figure measures what is kept: on the tune split, and once on the test split, or
// cross-fitted where there is none.
func (r *Race) figure(ctx context.Context) error {
	kept := r.kept()
	if len(kept) == 0 {
		return nil
	}
	quotes := quotesOf(kept)
	r.result.OnTune = r.compare(r.control, r.combined, r.tune, quotes)
	if r.unsplit() {
		return r.cross(ctx)
	}
	if len(r.test) == 0 {
		return nil
	}
	var err error
	r.result.OnTest, err = r.tested(ctx, Trial{Schema: r.result.Schema}, quotes)
	return err
}
