package cli

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"filler/internal/fill"
	"filler/internal/ledger"
	"filler/internal/record"
	"filler/internal/score"
	"filler/internal/value"
)

func ratioText(r score.Ratio) string {
	if !r.Exists {
		return "–"
	}
	return fmt.Sprintf("%.3f", r.Value)
}

func ratioTone(r score.Ratio) tone {
	switch {
	case !r.Exists || r.Value >= 0.95:
		return plain
	case r.Value >= 0.8:
		return soft
	}
	return bad
}

func (a *app) printScore(r *score.Report) {
	part := ""
	if r.Part != "" {
		part = ", the part to " + r.Part
	}
	a.printf("%s against gold%s · %s counted\n\n", a.paint(bold, measured(r.Run)), part, plural(r.Documents, "document"))
	t := a.newTable("field", ">right", ">wrong", ">missed", ">extra", ">precision", ">recall", ">F1")
	row := func(name string, c score.Counts) {
		t.row(name, c.Right, dash(c.Wrong), dash(c.Missed), dash(c.Extra), ratioText(c.Precision()), ratioText(c.Recall()), field{ratioText(c.F1()), ratioTone(c.F1())})
	}
	for _, f := range r.WorstFirst() {
		row(f.Path, f.Counts)
	}
	t.rule()
	row("all leaves", r.Overall)
	p, q, f := r.Macro()
	t.row("mean of fields", "", "", "", "", ratioText(p), ratioText(q), ratioText(f))
	if w, any := r.Weighted(); any {
		t.row("weighted", "", "", "", "", "", "", ratioText(w))
	}
	t.print()
	a.printf("\n%d of %s exact", r.RecordsRight, plural(r.RecordsOf, "record"))
	if r.F1.Exists {
		a.printf(" · F1 %s, 95 %% between %.3f and %.3f", ratioText(r.Overall.F1()), r.F1.Low, r.F1.High)
	}
	a.printf("\n")
	for _, l := range r.Lists {
		a.printf("%s: %d items found, %d missed, %d invented\n", l.Path, l.Found, l.Missed, l.Invented)
	}
	if v := r.Review; v.NotRight > 0 {
		a.printf("by risk: the riskiest fifth of %s holds %.0f of the %d that are not right (%.0f %%)\n", thousands(v.Leaves)+" leaves", v.TopNot, v.NotRight, 100*v.TopNot/float64(v.NotRight))
	}
	a.printApart(r.LeftOut)
}

// dash keeps zeros quiet.
func dash(n int) string {
	if n == 0 {
		return "·"
	}
	return fmt.Sprint(n)
}

// printMore prints what was asked for beyond fields and records.
func (a *app) printMore(r *score.Report, o scoring) {
	if e := r.Evident; e.Known {
		a.printf("evidence: of right values %s stand in the source and %d do not; of wrong ones %d and %d\n", thousands(e.RightWith), e.RightWithout, e.WrongWith, e.WrongWithout)
		if e.SamePlace+e.OtherPlace > 0 {
			a.printf("places: %s of %s right values stand where gold's do\n", thousands(e.SamePlace), thousands(e.SamePlace+e.OtherPlace))
		} else if o.places {
			a.printf("places: no gold record has places; `filler gold take` keeps them\n")
		}
	}
	if nano, ok := r.PerRight(); ok && nano > 0 {
		a.printf("cost: %s in all, %s for a right leaf\n", money(r.Spent.CostNano), money(int64(nano)))
	}
	if r.TooLong > 0 {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("note: %s too long for the best pairing; items that are the same were paired, the rest in the order in which they stand", plural(r.TooLong, "list"))))
	}
	if r.Drafted > 0 {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("note: the gold of %d of these documents was drafted by this very model, which flatters it; --blind drafts don't", r.Drafted)))
	}
	if len(r.Slices) > 0 {
		a.printf("\n")
		t := a.newTable(o.by, ">documents", ">right", ">wrong", ">missed", ">extra", ">F1", ">95 % from", ">to")
		for _, s := range r.Slices {
			low, high := "–", "–"
			if s.F1Interval.Exists {
				low, high = fmt.Sprintf("%.3f", s.F1Interval.Low), fmt.Sprintf("%.3f", s.F1Interval.High)
			}
			t.row(s.Name, s.Documents, s.Right, dash(s.Wrong), dash(s.Missed), dash(s.Extra), field{ratioText(s.F1()), ratioTone(s.F1())}, low, high)
		}
		t.print()
	}
	for _, c := range r.Confusions {
		a.printConfusion(c)
	}
}

// printConfusion prints what was taken for what: a row for each choice of gold.
func (a *app) printConfusion(c score.Confusion) {
	a.printf("\n%s: rows are gold's, columns the records'\n", a.paint(bold, c.Field))
	name := func(o string) string {
		if o == score.None {
			return "(none)"
		}
		return o
	}
	heads := []string{"gold"}
	for _, o := range c.Options {
		heads = append(heads, ">"+name(o))
	}
	t := a.newTable(heads...)
	for i, o := range c.Options {
		cells := []any{name(o)}
		for j, n := range c.Table[i] {
			cell := field{text: dash(n)}
			if i != j && n > 0 {
				cell.tone = bad
			}
			cells = append(cells, cell)
		}
		t.row(cells...)
	}
	t.print()
}

// plotWidth is how many columns the plot of the history has.
const plotWidth = 48

// history plots the scores of all runs that can be measured.
func (a *app) history(w *work, o scoring) error {
	set, err := w.golds(o.goldPath)
	if err != nil {
		return err
	}
	l, err := w.keptRuns()
	if err != nil {
		return err
	}
	defer l.Close()
	runs, err := l.Runs()
	if err != nil {
		return err
	}
	var all []dated
	for i := len(runs) - 1; i >= 0; i-- {
		if fill.IsOpen(runs[i]) {
			continue
		}
		s := score.NewWith(w.schema, set, score.Options{Part: o.part})
		if err := linesOf(l, runs[i].ID, s.Add); err != nil {
			return err
		}
		if r := s.Report(); r.Overall.F1().Exists {
			all = append(all, dated{runs[i], r})
		}
	}
	if o.asJSON {
		for _, d := range all {
			d.report.Run = d.run.ID
			v := d.report.JSON()
			v.Set("label", value.Str(d.run.Label))
			v.Set("model", value.Str(d.run.Model))
			a.printJSON(v)
		}
		return nil
	}
	a.plotHistory(all)
	return nil
}

// dated is the score of a run.
type dated struct {
	run    ledger.Run
	report score.Report
}

// plotHistory draws a line a run: its F1 as a point, its interval as a bar.
func (a *app) plotHistory(all []dated) {
	if len(all) == 0 {
		a.notef("no run has documents with reviewed gold; `filler gold status` shows what there is\n")
		return
	}
	low := 1.0
	for _, d := range all {
		f1 := d.report.Overall.F1().Value
		if d.report.F1.Exists {
			f1 = min(f1, d.report.F1.Low)
		}
		low = min(low, f1)
	}
	low = math.Floor(low*20) / 20 // a scale that begins at a twentieth
	if low >= 1 {
		low = 0.95
	}
	at := func(x float64) int { return int(math.Round((x - low) / (1 - low) * (plotWidth - 1))) }
	t := a.newTable(">run", "label", "model", ">documents", ">F1", fmt.Sprintf("%.2f%s1.00", low, strings.Repeat(" ", plotWidth-8)))
	for _, d := range all {
		f1 := d.report.Overall.F1().Value
		bar := []rune(strings.Repeat(" ", plotWidth))
		if i := d.report.F1; i.Exists {
			for x := at(i.Low); x <= at(i.High); x++ {
				bar[x] = '─'
			}
		}
		bar[at(f1)] = '●'
		t.row(d.run.ID, d.run.Label, d.run.Model, d.report.Documents, field{fmt.Sprintf("%.3f", f1), bold}, string(bar))
	}
	t.print()
	a.printf("%s\n", a.paint(faint, "● F1 over all leaves   ─ its 95 % interval over documents; all runs by the schema and gold as they are now"))
}

// scoreSteps prints the score after each step that led from a reply to a record.
func (a *app) scoreSteps(w *work, o scoring, runName string) error {
	if o.recordsFile != "" {
		return errors.New("--steps reads a run's replies again, and a file of records has none; name a run")
	}
	set, err := w.golds(o.goldPath)
	if err != nil {
		return err
	}
	l, run, err := w.keptRun(runName)
	if err != nil {
		return err
	}
	defer l.Close()
	if by := fill.MadeBy(run); by != "" {
		return fmt.Errorf("run %d is of `filler %s`, which had no first replies; name the run that filled its records", run.ID, by)
	}
	names := []string{"as it came", "mended", "tidied", "repaired"}
	scorers := make([]*score.Scorer, len(names))
	for i := range scorers {
		scorers[i] = score.NewWith(w.schema, set, score.Options{Part: o.part})
	}
	settings, _ := fill.SettingsOf(run)
	several := 0
	err = l.Records(run.ID, 0, func(rec ledger.Record) error {
		line, err := fill.ToLine(run.ID, rec)
		if err != nil {
			return err
		}
		exchanges, err := l.Exchanges(run.ID, rec.N)
		if err != nil {
			return err
		}
		steps, one := fill.StepsOf(w.schema, settings, exchanges)
		if !one {
			several++
			return nil
		}
		for i, v := range []value.Value{steps.Came, steps.Mended, steps.Tidied} {
			of := record.Line{Document: line.Document, Source: line.Source, Example: line.Example, Record: v}
			if v.Kind == value.Null {
				of.Status = record.Failed
			}
			if err := scorers[i].Add(of); err != nil {
				return err
			}
		}
		return scorers[3].Add(line)
	})
	if err != nil {
		return err
	}
	a.printSteps(run.ID, names, scorers, several, o.asJSON)
	return nil
}

func (a *app) printSteps(run int64, names []string, scorers []*score.Scorer, several int, asJSON bool) {
	t := a.newTable("after", ">right", ">wrong", ">missed", ">extra", ">F1", ">gained", ">exact records")
	before := math.NaN()
	list := value.List()
	documents := 0
	for i, s := range scorers {
		r := s.Report()
		f1 := r.Overall.F1()
		gained := ""
		if !math.IsNaN(before) && f1.Exists {
			gained = fmt.Sprintf("%+.3f", f1.Value-before)
		}
		before, documents = f1.Value, r.Documents
		t.row(names[i], r.Overall.Right, dash(r.Overall.Wrong), dash(r.Overall.Missed), dash(r.Overall.Extra), field{ratioText(f1), ratioTone(f1)}, gained, fmt.Sprintf("%d of %d", r.RecordsRight, r.RecordsOf))
		v := r.JSON()
		v.Kids = append([]value.Value{value.Str(names[i]).Named("after")}, v.Kids...)
		list.Kids = append(list.Kids, v)
	}
	if asJSON {
		a.printJSON(list)
		return
	}
	a.printf("%s, step by step · %s\n\n", a.paint(bold, fmt.Sprintf("run %d", run)), plural(documents, "document"))
	t.print()
	if several > 0 {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("left out: %s asked about in several requests, of which no one reply is the record", plural(several, "document"))))
	}
}

// toned gives a figure its colour where it is not zero.
func toned(n int, t tone) field {
	if n == 0 {
		t = plain
	}
	return field{dash(n), t}
}
