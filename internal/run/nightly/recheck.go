package nightly

import (
	"fmt"
	"math/rand/v2"
	"slices"

	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// FewestRechecked is how many documents a recheck takes at least: of fewer, no difference is beyond
// chance at Alarm.
const FewestRechecked = 8

// Alarm is the p value below which a recheck names the model: at most one night in a hundred does so
// where nothing has changed.
const Alarm = 0.01

// Recheck is gold documents filled again past the cache, held against the approved run.
type Recheck struct {
	Run, Approved  int64
	Model          string
	Documents      int // counted in both
	Was, Now       score.Ratio
	Low, High      float64 // 95 % interval of the difference in F1
	HasInterval    bool
	P              float64 // of no difference, by flipping the signs of documents' differences
	Fixed, Broken  int     // values of gold
	FieldsFurthest []string
}

// Worse tells whether the model is worse beyond chance.
func (r *Recheck) Worse() bool { return r.P < Alarm && r.Now.Value < r.Was.Value }

// Better tells whether it is better beyond chance: then too it is another model.
func (r *Recheck) Better() bool { return r.P < Alarm && r.Now.Value > r.Was.Value }

// Difference is how far F1 is from what it was.
func (r *Recheck) Difference() float64 { return r.Now.Value - r.Was.Value }

// ToRecheck draws n of the reviewed documents that the approved run has filled. The seed is the
// night's, so that each night draws others.
func ToRecheck(l store.Store, approved store.Run, set gold.Set, sources []document.Source, n int, seed int64) ([]document.Source, error) {
	has := map[string]bool{}
	err := l.Outcomes(approved.ID, func(r store.Record) error {
		has[r.Document] = r.Status != string(record.Failed)
		return nil
	})
	if err != nil {
		return nil, err
	}
	shown := fill.Shown(approved) // solved examples say nothing of the model
	var fit []document.Source
	for _, s := range sources {
		if g := set[s.ID]; g != nil && g.State == gold.Reviewed && has[s.ID] && !slices.Contains(shown, s.ID) {
			fit = append(fit, s)
		}
	}
	if len(fit) < FewestRechecked {
		return nil, fmt.Errorf("%d documents are reviewed and in the approved run %d; a recheck needs %d or more", len(fit), approved.ID, FewestRechecked)
	}
	r := rand.New(rand.NewPCG(uint64(seed), 11))
	r.Shuffle(len(fit), func(i, j int) { fit[i], fit[j] = fit[j], fit[i] })
	fit = fit[:min(n, len(fit))]
	order := map[string]int{}
	for i, s := range sources {
		order[s.ID] = i
	}
	slices.SortFunc(fit, func(a, b document.Source) int { return order[a.ID] - order[b.ID] })
	return fit, nil
}

// Compared holds a recheck's run against the approved one, on the documents of both.
func Compared(l store.Store, s *schema.Schema, shelf *gold.Shelf, approved, run store.Run) (*Recheck, error) {
	in := map[string]bool{}
	c := score.NewComparer(s, shelf, "", 2)
	err := l.Records(run.ID, 0, func(r store.Record) error {
		in[r.Document] = true
		line, err := fill.ToLine(run.ID, r, s)
		if err != nil {
			return err
		}
		return c.To(1)(line)
	})
	if err == nil {
		err = l.Records(approved.ID, 0, func(r store.Record) error {
			if !in[r.Document] {
				return nil
			}
			line, err := fill.ToLine(approved.ID, r, s)
			if err != nil {
				return err
			}
			return c.To(0)(line)
		})
	}
	if err != nil {
		return nil, err
	}
	got := c.Compare()
	out := &Recheck{Run: run.ID, Approved: approved.ID, Model: run.Model, Documents: got.Documents, Was: got.A.F1(), Now: got.B.F1(), P: got.P, Fixed: got.Fixed, Broken: got.Broken,
		Low: got.Difference.Low, High: got.Difference.High, HasInterval: got.Difference.Exists}
	fields := slices.Clone(got.Fields)
	slices.SortStableFunc(fields, func(x, y score.FieldPair) int { return (y.Broken - y.Fixed) - (x.Broken - x.Fixed) })
	for _, f := range fields[:min(3, len(fields))] {
		if f.Broken > f.Fixed {
			out.FieldsFurthest = append(out.FieldsFurthest, fmt.Sprintf("%s (%d lost, %d gained)", f.Path, f.Broken, f.Fixed))
		}
	}
	return out, nil
}
