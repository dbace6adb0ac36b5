package cli

import (
	"errors"
	"fmt"

	"filler/internal/measure/score"
	"filler/internal/record"
)

// straightThrough says what share may skip review at a wanted precision.
func (a *app) straightThrough(w *work, o scoring, runName string) error {
	set, err := w.golds(o.goldPath)
	if err != nil {
		return err
	}
	s := score.NewWith(w.schema, set, score.Options{Straight: true})
	risks := false
	run, err := a.each(w, o.judged, runName, func(n int, l record.Line, err error) error {
		if err == nil {
			risks = risks || len(l.Risk.Kids) > 0
			err = s.Add(l)
		}
		if err != nil {
			return lineFault(o.recordsFile, n, err)
		}
		return nil
	})
	if err != nil {
		return err
	}
	if !risks {
		return errors.New("these records have no risk figures, which this needs; records written by `filler fill` have them")
	}
	got := s.Straight(o.straight)
	if o.asJSON {
		a.printJSON(got.JSON())
		return nil
	}
	a.printf("%s, straight through at %g · %s\n\n", a.paint(bold, w.covered(run)), o.straight, plural(got.Documents, "document"))
	t := a.newTable("", ">risk up to", ">may skip review", ">of", ">share", ">right", ">lower bound (95 %)", "target met")
	for _, x := range []struct {
		name string
		score.Through
	}{{"values", got.Leaves}, {"records", got.Records}} {
		threshold, share, right, low := "–", "–", "–", "–"
		if x.Found {
			threshold = fmt.Sprintf("%.3f", x.Threshold)
		}
		if x.All > 0 {
			share = fmt.Sprintf("%.0f %%", 100*float64(x.Pass)/float64(x.All))
		}
		if x.Pass > 0 {
			right, low = fmt.Sprintf("%.3f", float64(x.Right)/float64(x.Pass)), fmt.Sprintf("%.3f", x.Low)
		}
		met := field{"no", bad}
		if x.Met {
			met = field{"yes", good}
		}
		t.row(x.name, threshold, thousands(x.Pass), thousands(x.All), share, right, low, met)
	}
	t.print()
	a.printf("\nmeasured on %s\n", got.On)
	a.needs("values", "value", got.Leaves)
	a.needs("records", "record", got.Records)
	return nil
}

// needs says how much gold would show a target met that is not yet.
func (a *app) needs(what, one string, t score.Through) {
	switch {
	case t.Met:
	case t.Needed > 0:
		a.printf("%s: with errors as seen, a lower bound of %g needs %s of low risk: gold of about %s\n", what, t.Target, plural(t.Needed, one), plural(t.NeededDocuments, "document"))
	default:
		a.printf("%s: no amount of gold reaches %g: even those of the lowest risk are right less often\n", what, t.Target)
	}
}
