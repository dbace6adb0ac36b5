package cli

import (
	"context"
	"fmt"
	"strings"

	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/run/improve"
)

func number(n int) value.Value { return value.Num(fmt.Sprint(n)) }

// printImproved tells what was tried, the schema with what is kept, and the figures.
func (a *app) printImproved(w *work, t *trials, r *improve.Result, looks int) error {
	if len(r.Near) > 0 {
		a.notef("left out as near-duplicates of test documents: %s\n", strings.Join(r.Near, ", "))
	}
	if len(r.Candidates) == 0 {
		a.printf("nothing to try: the errors of run %d on %s suggest no change; `filler errors` lists them, and --with MODEL has a model propose some\n", t.run.ID, plural(r.Tune, "document"))
		return nil
	}
	of := "gold set"
	if r.Test > 0 {
		of = "tune split"
	}
	a.printf("%s\n", a.paint(bold, fmt.Sprintf("Changes tried on %s of the %s, against the same schema asked again", plural(r.Tune, "document"), of)))
	switch b := &r.Before; {
	case b.Documents > 0 && b.Fixed+b.Broken == 0:
		a.printf("%s\n", a.paint(faint, "asked again, the same schema fills the same values right"))
	case b.Documents > 0:
		a.printf("%s\n", a.paint(faint, fmt.Sprintf("asked again, the same schema fills %s right that were not, and %d not that were: so far goes chance", plural(b.Fixed, "value"), b.Broken)))
	}
	a.printf("\n")
	a.printTried(r)
	for _, x := range r.Advice {
		a.printf("%s advises for %s: %s\n", x.By, x.Field, oneLine(x.Text))
	}
	if r.Schema == nil {
		if !r.Budget {
			a.printf("\nno change is kept: none gains beyond chance on %s. The schema stays as it is.\n", plural(r.Tune, "document"))
		}
		a.printTook(r)
		return nil
	}
	now, err := improve.With(w.schema, r.Candidates, improve.Numbers(r.Candidates))
	if err != nil {
		return err
	}
	a.printf("\n%s\n", a.paint(bold, "The schema with what is kept"))
	a.printDiff(w.schema, now)
	a.printf("\n")
	a.printFigure("tune", &r.OnTune)
	switch {
	case r.OnTest != nil:
		a.printFigure("test", r.OnTest)
		a.printf("%s\n", a.paint(faint, "the test split was filled once with what is kept; "+timesBefore(looks)))
		if r.OnTest.By <= 0 || r.OnTest.P >= improve.Level {
			a.printf("%s\n", a.paint(bad, "on the test split the gain is not shown: what is kept may fit the tune documents alone, or too few documents were tested"))
		}
	case r.Crossed != nil:
		a.printFigure("cross-fitted", r.Crossed)
		a.printf("%s\n", a.paint(faint, "there is no test split: each fifth of the documents is measured with what the others would have kept. `filler gold split` makes one"))
	}
	if r.OnTest == nil && r.Crossed == nil {
		a.printf("%s\n", a.paint(bad, fmt.Sprintf("run %d has no document of the test split, so that nothing says what is left of this gain elsewhere: fill all documents, and improve that run", t.run.ID)))
	}
	a.printTook(r)
	a.notef("next: `filler improve --accept all` writes this schema beside the old one; --accept 1,3 only those\n")
	return nil
}

// widestChange is how many letters of a change a table shows; the schema below has it whole.
const widestChange = 48

// fewUntried is how many changes that were not tried are listed.
const fewUntried = 2

// printTried lists what was tried.
func (a *app) printTried(r *improve.Result) {
	t := a.newTable(">no", "field", "write into the schema", ">fixed", ">broken", ">points", ">p", ">requests", ">cost", "").giveWay("requests", "cost", "p")
	untried := 0
	for i := range r.Candidates {
		c := &r.Candidates[i]
		if c.State == improve.Untried {
			if untried++; untried > fewUntried {
				continue
			}
		}
		fixed, broken, points, p := "–", "–", "–", "–"
		if c.Gain.Documents > 0 {
			fixed, broken, points = thousands(c.Gain.Fixed), thousands(c.Gain.Broken), signed(100*c.Gain.By)
			if !c.Sampled {
				p = pCell(c.Holm)
			}
		}
		tn, verdict := faint, string(c.State)
		if c.IsKept() {
			tn = good
		}
		if c.Note != "" {
			verdict += ": " + c.Note
		}
		requests, cost := "–", "–"
		if n := c.Cost.Requests + c.Cost.Cached; n > 0 {
			requests, cost = thousands(n), a.cost(c.Cost.Nano)
		}
		if c.Free {
			requests, cost = "none", "free"
		}
		t.row(i+1, c.Field, clip(c.String(), widestChange), fixed, broken, points, p, requests, cost, field{verdict, tn})
	}
	t.print()
	if untried > fewUntried {
		a.printf("%s\n", a.paint(faint, fmt.Sprintf("%d more are not tried; --dry-run lists them, --up-to %d tries all", untried-fewUntried, len(r.Candidates))))
	}
	a.printf("%s\n", a.paint(faint, "points: of F1; p: by flipping signs of documents, corrected for all that was tried (Holm)"))
}

// printFigure prints F1 before and after.
func (a *app) printFigure(on string, c *score.Comparison) {
	name := "F1 on the " + on + " split"
	if on == "cross-fitted" {
		name = "F1, cross-fitted"
	}
	interval := ""
	if c.Difference.Exists {
		interval = fmt.Sprintf(" (95 %% interval %s to %s, p %s)", signed(100*c.Difference.Low), signed(100*c.Difference.High), pText(c.P))
	}
	a.printf("%s, %s: %s before, %s after, %s points%s\n", name, plural(c.Documents, "document"), ratioText(c.A.F1()), ratioText(c.B.F1()), signed(100*c.By), interval)
}

// printTook tells what the trials took, and what documents cost before and after.
func (a *app) printTook(r *improve.Result) {
	if r.PriceWas > 0 && r.PriceNow > 0 {
		a.printf("a thousand documents cost %s before and %s after\n", a.cost(1000*r.PriceWas), a.cost(1000*r.PriceNow))
	}
	a.printf("%s and %s from the cache · cost %s\n", plural(r.Cost.Requests, "request"), thousands(r.Cost.Cached), a.cost(r.Cost.Nano))
}

// priceTrials lists what would be tried, with its price.
func (a *app) priceTrials(ctx context.Context, t *trials, o improving) error {
	plan, err := improve.PlanOf(t.setup)
	if err != nil {
		return err
	}
	if len(plan.Candidates) == 0 {
		a.printf("nothing to try: the errors of run %d on %s suggest no change\n", t.run.ID, plural(plan.Tune, "document"))
		return nil
	}
	priced, err := t.Price(ctx, improve.Trial{Schema: t.setup.Schema, Spaced: true, Documents: plan.Documents})
	if err != nil {
		return err
	}
	least, most := plan.Fillings()
	share := func(nano int64, documents int) int64 { return nano * int64(documents) / int64(max(1, plan.Tune)) }
	if o.asJSON {
		v := plan.JSON()
		v.Set("documents_least", number(least))
		v.Set("documents_most", number(most))
		v.Set("cost_least", value.Num(fmt.Sprintf("%.9f", float64(share(priced.LeastNano, least))/1e9)))
		v.Set("cost_most", value.Num(fmt.Sprintf("%.9f", float64(share(priced.MostNano, most))/1e9)))
		a.printJSON(v)
		return nil
	}
	tb := a.newTable(">no", "field", "write into the schema", ">errors", ">first on", ">then on", "why").giveWay("why")
	for i := range plan.Candidates {
		c := &plan.Candidates[i]
		sample, all := fmt.Sprint(plan.Sample[i]), fmt.Sprint(plan.Tune)
		if plan.Sample[i] == 0 {
			sample = "–"
		}
		why := c.Why
		switch {
		case c.State != "":
			sample, all, why = "–", "–", string(c.State)+": "+c.Note
		case c.Free:
			sample, all, why = "–", "free", "on the replies that are there"
		}
		tb.row(i+1, c.Field, clip(c.String(), widestChange), c.Errors, sample, all, why)
	}
	tb.print()
	test := ""
	if plan.Test > 0 {
		test = fmt.Sprintf(", the %d of the test split once among them", plan.Test)
	}
	a.printf("%s are filled again at least, %s at most%s: cost %s to %s, without repairs\n",
		plural(least, "document"), thousands(most), test, a.cost(share(priced.LeastNano, least)), a.cost(share(priced.MostNano, most)))
	a.printUnpriced(t)
	a.printf("%s\n", a.paint(faint, "nothing was sent; what is in the cache costs nothing"))
	return nil
}

// printUnpriced says where a model has no price, so that 0 is not taken for one.
func (a *app) printUnpriced(t *trials) {
	if err := t.Setup.Priced(); err != nil {
		a.notef("note: %s\n", strings.Replace(err.Error(), ", which a budget needs", ", so that the cost is not known", 1))
	}
}

// pCell writes a p value where its column says what it is.
func pCell(p float64) string { return strings.TrimPrefix(pText(p), "= ") }

func raceJSON(documents, settings int, least, most int64) value.Value {
	return value.Obj(number(documents).Named("tune"), number(settings).Named("settings"), value.Num(fmt.Sprintf("%.9f", float64(least)/1e9)).Named("cost_least"), value.Num(fmt.Sprintf("%.9f", float64(most)/1e9)).Named("cost_most"))
}
