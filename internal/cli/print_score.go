package cli

import (
	"errors"
	"fmt"
	"math"
	"strings"

	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/run/fill"
	"filler/internal/run/scores"
)

func ratioTone(r score.Ratio) tone {
	switch {
	case !r.Exists || r.Value >= 0.95:
		return plain
	case r.Value >= 0.8:
		return soft
	}
	return bad
}

func (a *app) printScore(r *score.Report, run string, all bool) {
	split := ""
	if r.Split != "" {
		split = ", " + r.Split + " split"
	}
	a.printf("%s against gold%s · %s counted\n\n", a.paint(bold, run), split, plural(r.Documents, "document"))
	if r.Documents == 0 { // a table would say nothing
		a.printLeftOut(r.LeftOut, all)
		a.sayf("nothing is measured: `filler gold draft` and `filler gold review --reviewer NAME` make reviewed gold of these documents")
		return
	}
	t := a.newTable("field", ">right", ">wrong", ">missed", ">extra", ">precision", ">recall", ">F1").giveWay("precision", "recall", "right")
	row := func(name string, c score.Counts, of score.Ratios) {
		t.row(name, c.Right, dash(c.Wrong), dash(c.Missed), dash(c.Extra), ratioText(of.Precision()), ratioText(of.Recall()), field{ratioText(of.F1()), ratioTone(of.F1())})
	}
	for _, f := range r.WorstFirst() {
		row(f.Path, f.Counts, r.RatiosOf(f.Path))
	}
	t.rule()
	row("all values (micro)", r.Overall, r.RatiosOf(""))
	p, q, f := r.Macro()
	t.row("mean of fields (macro)", "", "", "", "", ratioText(p), ratioText(q), ratioText(f))
	if w, any := r.Weighted(); any {
		t.row("weighted", "", "", "", "", "", "", ratioText(w))
	}
	t.print()
	interval, bounds := "", r.Bounds()
	if s := r.Sampled; s != nil {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("ratios are weighted: %s of gold were drawn by a plan, and with the others stand for %.0f; counts are as they are", plural(s.Documents, "document"), s.StandFor)))
	}
	if bounds.Exists {
		interval = fmt.Sprintf(", 95 %% interval %.3f to %.3f", bounds.Low, bounds.High)
	}
	a.printf("\n")
	a.sayf("F1 %s%s · %s · %d of %s fully correct", ratioText(r.RatiosOf("").F1()), interval, errorsOf(r.Overall), r.RecordsRight, plural(r.RecordsOf, "record"))
	if r.FewErr && r.F1.Exists {
		a.printf("%s\n", a.paint(soft, "note: fewer than five documents hold all errors: the interval may be too narrow"))
	}
	for _, l := range r.Lists {
		a.printf("%s: %d items found, %d missed, %d extra\n", l.Path, l.Found, l.Missed, l.Extra)
	}
	for _, e := range r.Edges {
		a.printf("%s: %d edges right (both ends and the kind), %d missed, %d extra\n", e.Path, e.Right, e.Missed, e.Extra)
	}
	if v := r.Review; v.Errors > 0 {
		never := ""
		if n := r.NeverFilled(); n > 0 {
			verb := "are values"
			if n == 1 {
				verb = "is a value"
			}
			never = fmt.Sprintf("; %s %s of items or documents that were never filled", plural(n, "more error"), verb)
		}
		a.sayf("risk: the riskiest fifth of %s filled or left empty holds %.0f of their %s (%.0f %%)%s", plural(v.Leaves, "value"), v.TopErrors, plural(v.Errors, "error"), 100*v.TopErrors/float64(v.Errors), never)
	}
	a.printLeftOut(r.LeftOut, all)
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
		others := ""
		if wrong := e.WrongWith + e.WrongWithout; wrong > 0 {
			others = fmt.Sprintf(", and for %d of %d wrong or extra ones: evidence alone catches %d", e.WrongWith, wrong, e.WrongWithout)
		}
		a.sayf("evidence found for %s of %s right values%s", thousands(e.RightWith), thousands(e.RightWith+e.RightWithout), others)
		if e.SamePlace+e.OtherPlace > 0 {
			a.printf("places: %s of %s right values have the same place as in gold\n", thousands(e.SamePlace), thousands(e.SamePlace+e.OtherPlace))
		} else if o.places {
			a.printf("places: no gold record has places; `filler gold draft` keeps them\n")
		}
	}
	if nano, ok := r.PerRight(); ok && nano > 0 {
		a.printf("cost: %s in total, %s per right value\n", a.cost(r.Spent.CostNano), a.cost(int64(nano)))
	}
	if r.TooLong > 0 {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("note: %s too long for a table of all similarities and paired on candidates (`filler help scoring`)", plural(r.TooLong, "list"))))
	}
	if r.Reread > 0 {
		a.printf("%s\n", a.paint(soft, "note: read differently since review: "+plural(r.Reread, "document")))
	}
	if r.ByPeople > 0 {
		a.printf("%s\n", a.paint(soft, "note: decided by people in production, and in no figure: "+plural(r.ByPeople, "value")))
	}
	if r.Untouched > 0 {
		a.printf("%s\n", a.paint(soft, "note: the gold is as a model drafted it, with no value changed: "+plural(r.Untouched, "document")))
	}
	if r.Misfits > 0 {
		a.printf("%s\n", a.paint(bad, "! misfit values (fields that are not in the schema, texts where lists or groups belong): "+thousands(r.Misfits)+"; no record with one is fully correct"))
	}
	if r.Invented > 0 {
		a.printf("%s\n", a.paint(soft, "note: made up, with gold that nobody reviewed: "+plural(r.Invented, "document")+"; how well this tells of real ones: filler invent --against-gold"))
	}
	if u := r.Unseen; u.Counted+u.Apart > 0 {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("note: %s of gold accepted unseen: %d count above, %d of the test split do not; none counts for evidence or straight-through", plural(u.Counted+u.Apart, "value"), u.Counted, u.Apart)))
	}
	if r.Drafted > 0 {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("note: the gold of %d of these documents was drafted by this same model, which flatters it; blind drafts (`gold draft --blind`) do not", r.Drafted)))
	}
	if len(r.Slices) > 0 {
		a.printf("\n")
		t := a.newTable(o.slice, ">documents", ">right", ">wrong", ">missed", ">extra", ">F1", ">95 % from", ">to").giveWay("right", "95 % from", "to")
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

// printConfusion prints the confusion of a choice: a row for each value of gold.
func (a *app) printConfusion(c score.Confusion) {
	a.printf("\n%s: rows are gold, columns are what was filled\n", a.paint(bold, c.Field))
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
	last, err := l.Find("last")
	if err != nil {
		return err
	}
	all, err := (&scores.Ruler{Schema: w.schema, Gold: set, Split: o.split}).History(l)
	if err != nil {
		return err
	}
	if o.asJSON {
		for _, d := range all {
			v := d.Score.JSON()
			v.Set("name", value.Str(d.Name))
			v.Set("model", value.Str(d.Model))
			a.printJSON(v)
		}
		return nil
	}
	comparable := scores.Comparable(all, last.ID)
	a.plotHistory(comparable)
	if n := len(all) - len(comparable); n > 0 {
		a.printf("%s\n", a.paint(faint, fmt.Sprintf("left out, other documents or fields than run %d: %s", last.ID, plural(n, "run"))))
	}
	return nil
}

// scale is that of points with bars in a row: from a twentieth below all of them to 1.
type scale struct{ low float64 }

func newScale(n int, at func(i int) (score.Ratio, score.Interval)) scale {
	low := 1.0
	for i := range n {
		f1, bounds := at(i)
		low = min(low, f1.Value)
		if bounds.Exists {
			low = min(low, bounds.Low)
		}
	}
	return scale{min(math.Floor(low*20)/20, 0.95)}
}

func (s scale) head() string {
	return fmt.Sprintf("%.2f%s1.00", s.low, strings.Repeat(" ", plotWidth-8))
}

// bar draws a point with its interval.
func (s scale) bar(f1 score.Ratio, i score.Interval) string {
	at := func(x float64) int { return int(math.Round((x - s.low) / (1 - s.low) * (plotWidth - 1))) }
	bar := []rune(strings.Repeat(" ", plotWidth))
	if i.Exists {
		for x := at(i.Low); x <= at(i.High); x++ {
			bar[x] = '─'
		}
	}
	bar[at(f1.Value)] = '●'
	return string(bar)
}

// plotHistory draws a line a run: its F1 as a point, its interval as a bar.
func (a *app) plotHistory(all []scores.Run) {
	if len(all) == 0 {
		a.notef("no run has a document with reviewed gold; `filler gold status` shows the gold set\n")
		return
	}
	scale := newScale(len(all), func(i int) (score.Ratio, score.Interval) { return all[i].Score.Overall.F1(), all[i].Score.F1 })
	t := a.newTable(">run", "name", "model", ">documents", ">F1", scale.head())
	for _, d := range all {
		f1 := d.Score.Overall.F1()
		t.row(d.ID, d.Name, d.Model, d.Score.Documents, field{ratioText(f1), bold}, scale.bar(f1, d.Score.F1))
	}
	t.print()
	a.printf("%s\n", a.paint(faint, "● F1 over all values   ─ its 95 % interval over documents; all runs measured with the schema and gold as they are now"))
}

// scoreSteps prints the score after each step that led from a reply to a record.
func (a *app) scoreSteps(w *work, o scoring, runName string) error {
	if o.recordsFile != "" {
		return errors.New("--steps reads the replies of a run again; a file of records has none, so name a run")
	}
	set, err := w.golds(o.goldPath)
	if err != nil {
		return err
	}
	l, run, err := a.keptRun(w, runName)
	if err != nil {
		return err
	}
	defer l.Close()
	if by := fill.MadeBy(run); by != "" {
		return fmt.Errorf("run %d is of `filler %s`, which has no first replies; name the run that filled its records", run.ID, by)
	}
	steps, several, err := (&scores.Ruler{Schema: w.schema, Gold: set, Split: o.split}).Steps(l, run)
	if err != nil {
		return err
	}
	a.printSteps(run.ID, steps, several, o.asJSON)
	return nil
}

func (a *app) printSteps(run int64, steps []scores.Step, several int, asJSON bool) {
	t := a.newTable("after", ">right", ">wrong", ">missed", ">extra", ">F1", ">gained", ">fully correct").giveWay("extra", "fully correct")
	before := math.NaN()
	list := value.List()
	documents := 0
	for _, s := range steps {
		r := s.Score
		f1 := r.Overall.F1()
		gained := ""
		if !math.IsNaN(before) && f1.Exists {
			gained = fmt.Sprintf("%+.3f", f1.Value-before)
		}
		before, documents = f1.Value, r.Documents
		t.row(s.Name, r.Overall.Right, dash(r.Overall.Wrong), dash(r.Overall.Missed), dash(r.Overall.Extra), field{ratioText(f1), ratioTone(f1)}, gained, fmt.Sprintf("%d of %d", r.RecordsRight, r.RecordsOf))
		v := r.JSON()
		v.Kids = append([]value.Value{value.Str(s.Name).Named("after")}, v.Kids...)
		list.Kids = append(list.Kids, v)
	}
	if asJSON {
		a.printJSON(list)
		return
	}
	a.printf("%s, step by step · %s\n\n", a.paint(bold, fmt.Sprintf("run %d", run)), plural(documents, "document"))
	t.print()
	if several > 0 {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("left out, asked about in several requests: %s", plural(several, "document"))))
	}
}

// toned gives a figure its colour where it is not zero.
func toned(n int, t tone) field {
	if n == 0 {
		t = plain
	}
	return field{dash(n), t}
}
