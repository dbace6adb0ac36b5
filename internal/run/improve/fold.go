package improve

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"sort"

	"filler/internal/measure/score"
	"filler/internal/schema"
)

// Fold is one part: what the documents outside would have kept.
type Fold struct {
	Documents int
	Kept      []string // as they are written
}

// cross measures each fold with the changes that the documents outside of it suggest and would
// have kept, going by the trials that are there.
func (r *Race) cross(ctx context.Context) error {
	after := Records{}
	var quotes []string
	for fold := range score.Folds {
		var in, out []string
		for _, id := range r.tune {
			if score.FoldOf(id) == fold {
				in = append(in, id)
			} else {
				out = append(out, id)
			}
		}
		if len(in) == 0 {
			continue
		}
		kept := r.keptBy(out)
		one := Fold{Documents: len(in)}
		for _, c := range kept {
			one.Kept = append(one.Kept, c.Field+" "+c.String())
		}
		r.result.Folds = append(r.result.Folds, one)
		quotes = append(quotes, quotesOf(kept)...)
		if len(kept) == 0 {
			for _, id := range in {
				after[id] = r.control[id]
			}
			continue
		}
		s, err := r.with(kept)
		if err != nil {
			return err
		}
		got, _, err := r.ask(ctx, fmt.Sprintf("fold %d of %d, with what the others keep", fold+1, score.Folds), Trial{Name: fmt.Sprintf("fold %d", fold+1), Schema: s, Documents: in})
		if err != nil {
			return err
		}
		maps.Copy(after, got)
	}
	cmp := r.compare(r.control, after, r.tune, quotes)
	r.result.Crossed = &cmp
	return nil
}

// keptBy gives the changes that some of the documents would have kept.
func (r *Race) keptBy(ids []string) (kept []*Candidate) {
	suggested := map[string]bool{}
	for _, c := range r.suggested(ids) {
		suggested[key(c.Edit)] = true
	}
	var tried []*Candidate
	var ps []float64
	gains := map[*Candidate]score.Comparison{}
	for i := range r.result.Candidates {
		c := &r.result.Candidates[i]
		if c.State == Refused || c.State == Untried || c.By == "" && !suggested[key(c.Edit)] {
			continue
		}
		before, now := r.control, c.records
		if c.Free {
			before, now = r.Base, r.freely(c)
		}
		gains[c] = r.compare(before, now, ids, c.Quotes)
		tried, ps = append(tried, c), append(ps, gains[c].P)
	}
	for i, p := range r.corrected(ps) {
		if i < len(tried) && p < Level && gains[tried[i]].By > 0 {
			kept = append(kept, tried[i])
		}
	}
	if all := r.kept(); len(kept) < len(all) && slices.ContainsFunc(all, func(c *Candidate) bool { return c.State == Together }) {
		if cmp := r.compare(r.control, r.combined, ids, quotesOf(all)); cmp.By > 0 && min(1, cmp.P*float64(r.tried)) < Level {
			return all
		}
	}
	sort.SliceStable(kept, func(i, j int) bool { return gains[kept[i]].By > gains[kept[j]].By })
	return kept
}

func key(e schema.Edit) string { return e.Field + "\x00" + e.String() }
