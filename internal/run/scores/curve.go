package scores

import (
	"errors"
	"fmt"
	"sort"

	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/run/fill"
	"filler/internal/store"
)

// Point is one run of a learning curve.
type Point struct {
	store.Run
	At    int // examples in its prompt, or the how-manieth prompt it tried, from 1
	Score score.Against
}

// Curve is F1 by what runs differ in alone, on the documents that count in all of them.
type Curve struct {
	By        string // Examples or Prompts
	Documents int
	Apart     []score.LeftOut
	Points    []Point
}

// What runs of a curve differ in.
const (
	Examples = "examples"
	Prompts  = "prompts tried"
)

// CurveOf gives the curve that a run belongs to: of runs that differ from it in the number of
// examples alone, where there are any, the newest of each number; else of those of the
// same model with other prompts or descriptions, in the order in which they were tried.
func (r *Ruler) CurveOf(l store.Store, run store.Run) (*Curve, error) {
	runs, err := l.Runs()
	if err != nil {
		return nil, err
	}
	byExamples, byPrompt := map[int]store.Run{}, map[string]store.Run{}
	for i := len(runs) - 1; i >= 0; i-- { // the oldest first
		other := runs[i]
		if fill.IsOpen(other) || fill.MadeBy(other) != "" || other.State != store.Done || other.Scope == store.Named || other.Scope == store.Again || other.Identity != run.Identity || fill.IsPartial(other) != fill.IsPartial(run) {
			continue
		}
		if sameBut(other, run) {
			byExamples[examplesOf(other)] = other
		}
		if first, known := byPrompt[other.PromptHash]; !known || first.ID > other.ID {
			byPrompt[other.PromptHash] = other
		}
	}
	c := &Curve{By: Examples}
	for n, one := range byExamples {
		c.Points = append(c.Points, Point{Run: one, At: n})
	}
	sort.Slice(c.Points, func(i, j int) bool { return c.Points[i].At < c.Points[j].At })
	if len(c.Points) < 2 {
		c.By, c.Points = Prompts, nil
		for _, one := range byPrompt {
			c.Points = append(c.Points, Point{Run: one})
		}
		sort.Slice(c.Points, func(i, j int) bool { return c.Points[i].ID < c.Points[j].ID })
		for i := range c.Points {
			c.Points[i].At = i + 1
		}
	}
	if len(c.Points) < 2 {
		return nil, errors.New("a curve needs two runs of the same model that differ in the number of examples (`filler fill --examples N`), or in their prompts")
	}
	return c, r.measure(l, c)
}

// measure scores the runs of a curve on what counts in all.
func (r *Ruler) measure(l store.Store, c *Curve) error {
	compare := score.NewComparer(r.Schema, r.Gold, r.Split, len(c.Points))
	for i, p := range c.Points {
		add := compare.To(i)
		if err := l.Records(p.ID, 0, func(rec store.Record) error {
			line, err := fill.ToLine(p.ID, rec, r.Schema)
			if err == nil {
				err = add(line)
			}
			return err
		}); err != nil {
			return err
		}
	}
	all, apart := compare.CompareAll()
	c.Apart, c.Documents = apart, all[0].Documents
	for i := range all {
		c.Points[i].Score = all[i]
	}
	if c.Documents == 0 {
		return errors.New("no document counts in all of these runs; `filler gold status` shows the gold set")
	}
	return nil
}

// examplesOf counts the examples in the prompt of a run.
func examplesOf(r store.Run) int {
	s, _ := fill.SettingsOf(r)
	return len(s.Solved)
}

// sameBut tells whether two runs differ in their examples alone.
func sameBut(a, b store.Run) bool {
	return a.SchemaHash == b.SchemaHash && a.Rounds == b.Rounds && withoutExamples(a.Settings) == withoutExamples(b.Settings)
}

func withoutExamples(settings []byte) string {
	v, err := value.ParseBytes(settings)
	if err != nil {
		return string(settings)
	}
	v.Drop("examples")
	return v.String()
}

// Label says where on the curve a point is.
func (c *Curve) Label(p *Point) string {
	name := fmt.Sprintf("run %d", p.ID)
	if p.Name != "" {
		name += " " + p.Name
	}
	if c.By == Examples {
		if p.At == 1 {
			return "1 example · " + name
		}
		return fmt.Sprintf("%d examples · %s", p.At, name)
	}
	return fmt.Sprintf("prompt %d · %s", p.At, name)
}
