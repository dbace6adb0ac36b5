package cli

import (
	"errors"
	"fmt"

	"filler/internal/record"
	"filler/internal/score"
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
		return errors.New("these records come without risk, which says what to review first; records that `filler fill` prints have it")
	}
	got := s.Straight(o.straight)
	if o.asJSON {
		a.printJSON(got.JSON())
		return nil
	}
	a.printf("%s, straight through at %g · %s\n\n", a.paint(bold, measured(run)), o.straight, plural(got.Documents, "document"))
	t := a.newTable("", ">risk up to", ">may skip review", ">of", ">share", ">right", ">at least (95 %)", "proven")
	for _, x := range []struct {
		name string
		score.Through
	}{{"leaves", got.Leaves}, {"records", got.Records}} {
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
		proven := field{"no", bad}
		if x.Proven {
			proven = field{"yes", good}
		}
		t.row(x.name, threshold, thousands(x.Pass), thousands(x.All), share, right, low, proven)
	}
	t.print()
	a.printf("\nmeasured on %s\n", got.On)
	a.needs("leaves", "leaf", got.Leaves)
	a.needs("records", "record", got.Records)
	return nil
}

// needs says how much gold would prove what is not proven.
func (a *app) needs(what, one string, t score.Through) {
	switch {
	case t.Proven:
	case t.Needed > 0:
		a.printf("%s: to prove %g, with errors as seen, %s of low risk would do: about %s of gold\n", what, t.Target, plural(t.Needed, one), plural(t.NeededDocuments, "document"))
	default:
		a.printf("%s: no amount of gold proves %g: even those of the lowest risk are right less often\n", what, t.Target)
	}
}
