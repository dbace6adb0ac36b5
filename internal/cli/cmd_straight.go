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
	got, whole := s.Straight(o.straight), s.Report()
	got.Unfilled = whole.NeverFilled()
	if o.asJSON {
		a.printJSON(got.JSON())
		return nil
	}
	a.printf("%s, straight through at %g · %s\n\n", a.paint(bold, w.covered(run)), o.straight, plural(got.Documents, "document"))
	t := a.newTable("", ">risk up to", ">may skip review", ">of", ">share", ">right", ">at least (95 %)", ">right, held back")
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
		t.row(x.name, threshold, thousands(x.Pass), thousands(x.All), share, right, low, thousands(x.Missed))
	}
	t.print()
	a.printf("\nmeasured on %s\n", got.On)
	a.claims("values", got.Leaves)
	a.claims("records", got.Records)
	if n := got.Unfilled; n > 0 {
		a.printf("%s\n", a.paint(soft, "gold has "+plural(n, "value")+" of items and documents that were never filled: they are in no share above, and no rule on risk finds them"))
	}
	return nil
}

// claims says what is shown of a target, and how much gold would show one that is not yet.
func (a *app) claims(what string, t score.Through) {
	switch {
	case t.Met:
		a.printf("%s: %s\n", what, a.paint(good, fmt.Sprintf("lower bound %.3f (95 %%): target %g met, for documents like these", t.Low, t.Target)))
	case t.NeededDocuments > 0:
		between := fmt.Sprintf("; in eight of ten cases between %s and %s", thousands(t.NeededFrom), thousands(t.NeededTo))
		if t.NeededTo == 0 {
			between = fmt.Sprintf("; at least %s, and perhaps no number would", thousands(t.NeededFrom))
		}
		a.printf("%s: %s\n", what, a.paint(bad, fmt.Sprintf("target %g not shown", t.Target))+fmt.Sprintf("; with errors as seen it takes gold of about %s%s", plural(t.NeededDocuments, "document"), between))
	default:
		a.printf("%s: %s\n", what, a.paint(bad, fmt.Sprintf("target %g not shown", t.Target))+", and no amount of gold would: even those of the lowest risk are right less often")
	}
}
