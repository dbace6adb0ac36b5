package cli

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"filler/internal/run/fill"
	"filler/internal/run/improve"
	"filler/internal/run/job"
	"filler/internal/view/plot"
)

// settingsOf gives what is raced: every value of what was asked for but the one that is.
func (a *app) settingsOf(w *work, t *trials, o improving) (all []improve.Setting, err error) {
	var models []string
	if w.project != nil {
		models = slices.Sorted(maps.Keys(w.project.Models))
	}
	for _, over := range o.over {
		found := improve.Settings(over, t.Setup, models)
		if len(found) == 0 {
			return nil, fmt.Errorf("--over %s: there is nothing to choose from; name another model in filler.yaml", over)
		}
		all = append(all, found...)
	}
	for _, one := range all {
		if one.Of != improve.OverModel {
			continue
		}
		m, err := w.model(one.Value)
		if err != nil {
			return nil, err
		}
		if t.Budget > 0 && !o.dry {
			if err := (fill.Setup{Model: m}).Priced(); err != nil {
				return nil, err
			}
		}
	}
	return all, nil
}

// improveOver races settings.
func (a *app) improveOver(ctx context.Context, w *work, t *trials, o improving) error {
	all, err := a.settingsOf(w, t, o)
	if err != nil {
		return err
	}
	if o.dry {
		return a.priceSettings(ctx, t, all, o)
	}
	got, err := improve.Over(ctx, t.setup, all)
	if errors.Is(err, job.ErrStopped) {
		a.notef("stopped; `filler improve` goes on: what was answered is kept\n")
	}
	if err != nil {
		return err
	}
	looks := 0
	if got.OnTest != nil {
		if looks, err = a.lookedAtTest(w, o, t.setup.Gold, t.run.ID); err != nil {
			return err
		}
	}
	if o.asJSON {
		v := got.JSON()
		if got.OnTest != nil && looks != unknownLooks {
			v.Set("looks_before", number(looks))
		}
		a.printJSON(v)
	} else {
		a.printSettled(got, looks)
	}
	if got.Budget {
		a.notef("stopped at the budget: %s spent; the same command with a higher --budget goes on: what was answered is kept\n", a.cost(got.Cost.Nano))
		return exit(codeBudget)
	}
	return nil
}

func (a *app) printSettled(s *improve.Settled, looks int) {
	a.printf("%s\n", a.paint(bold, fmt.Sprintf("Settings tried on %s, against the ones that are", plural(s.Tune, "document"))))
	a.printf("\n")
	t := a.newTable("setting", ">F1", ">95 % from", ">to", ">points", ">p", ">price of 1,000", "").giveWay("95 % from", "to", "p")
	row := func(name string, o *improve.Option, verdict string, tn tone) {
		f1, low, high, points, p := "–", "–", "–", "–", "–"
		if o.F1.Exists {
			low, high = fmt.Sprintf("%.3f", o.F1.Low), fmt.Sprintf("%.3f", o.F1.High)
		}
		if o.Gain.Documents > 0 {
			f1, points, p = ratioText(o.Gain.B.F1()), signed(100*o.Gain.By), pCell(o.Holm)
		}
		if o.Sampled {
			p = "–"
		}
		t.row(name, f1, low, high, points, p, a.cost(1000*o.Price()), field{verdict, tn})
	}
	now := s.Now
	for i := range s.Options {
		if s.Options[i].Gain.Documents > 0 && !s.Options[i].Sampled {
			now.Gain.A, now.Gain.B = s.Options[i].Gain.A, s.Options[i].Gain.A
		}
	}
	t.row("as it is", ratioText(now.Gain.B.F1()), boundText(now.F1.Low, now.F1.Exists), boundText(now.F1.High, now.F1.Exists), "–", "–", a.cost(1000*now.Price()), field{"", faint})
	for i := range s.Options {
		o := &s.Options[i]
		verdict, tn := verdictOf(o, &now)
		row(o.String(), o, verdict, tn)
	}
	t.print()
	a.printf("%s\n", a.paint(faint, "points: of F1; p: by flipping signs of documents, corrected for all that was tried (Holm); price: of all requests, those from the cache too"))
	a.printf("\n")
	for _, line := range settingsPicture(s, &now, a.currency).Terminal(a.term.width, a.term.unicode) {
		a.printf("%s\n", line)
	}
	if len(s.Together) > 0 {
		var write []string
		for _, one := range s.Together {
			write = append(write, "`"+one.Write()+"`")
		}
		a.printf("\nbetter beyond chance: write %s into filler.yaml\n", strings.Join(write, " and "))
	} else if !s.Budget {
		a.printf("\nno setting is better beyond chance\n")
	}
	if s.OnTest != nil {
		a.printFigure("test", s.OnTest)
		a.printf("%s\n", a.paint(faint, "the test split was filled once with that; "+timesBefore(looks)))
	}
	a.printf("%s and %s from the cache · cost %s\n", plural(s.Cost.Requests, "request"), thousands(s.Cost.Cached), a.cost(s.Cost.Nano))
}

func boundText(x float64, exists bool) string {
	if !exists {
		return "–"
	}
	return fmt.Sprintf("%.3f", x)
}

func timesBefore(n int) string {
	if n == unknownLooks {
		return "how often it was looked at before is kept for the project's own gold alone"
	}
	if n == 0 {
		return "it had not been looked at before"
	}
	if n == 1 {
		return "it was looked at once before"
	}
	return "it was looked at " + plural(n, "time") + " before"
}

// verdictOf says what a setting is worth beside the ones that are.
func verdictOf(o, now *improve.Option) (string, tone) {
	cheaper := ""
	if was, is := now.Price(), o.Price(); was > 0 && o.Gain.Documents > 0 {
		if by := fmt.Sprintf("%+.0f", 100*(float64(is)/float64(was)-1)); by != "+0" && by != "-0" {
			cheaper = ", " + by + " % in price"
		}
	}
	switch {
	case o.Note != "" && o.Note != "worse":
		return string(o.State) + ": " + o.Note, faint
	case o.State == improve.Kept:
		return "better" + cheaper, good
	case o.State == improve.Dropped:
		return "worse" + cheaper, bad
	}
	return "not told apart" + cheaper, faint
}

// settingsPicture draws F1 against price.
func settingsPicture(s *improve.Settled, now *improve.Option, currency string) *plot.Picture {
	p := &plot.Picture{Kind: plot.Scatter, Title: "F1 against the price of a thousand documents", Scale: "F1", Across: "price of 1,000", Along: "setting", Low: 1, High: 1}
	if currency != "" {
		p.Across += " in " + currency
	}
	add := func(name string, o *improve.Option) {
		f1 := o.Gain.B.F1()
		if !f1.Exists || o.Sampled {
			return
		}
		p.Marks = append(p.Marks, plot.Mark{Label: name, At: f1.Value, Has: true, Low: o.F1.Low, High: o.F1.High, Bounded: o.F1.Exists, Text: ratioText(f1), N: s.Tune, X: float64(1000*o.Price()) / 1e9})
		p.Low = min(p.Low, f1.Value-0.1)
		if o.F1.Exists {
			p.Low = min(p.Low, o.F1.Low)
		}
	}
	add("as it is", now)
	for i := range s.Options {
		add(s.Options[i].String(), &s.Options[i])
	}
	p.Low = max(0, float64(int(p.Low*10))/10)
	p.Foot = []string{"bars: 95 % intervals over documents"}
	return p
}

// priceSettings lists what would be raced, with its price.
func (a *app) priceSettings(ctx context.Context, t *trials, all []improve.Setting, o improving) error {
	plan, err := improve.PlanOf(t.setup)
	if err != nil {
		return err
	}
	tb := a.newTable("setting", ">documents", ">requests", ">cost from", ">to")
	var least, most int64
	for i, one := range append([]improve.Setting{{}}, all...) {
		trial := improve.Trial{Schema: t.setup.Schema, Settings: []improve.Setting{one}, Spaced: i == 0, Documents: plan.Documents}
		p, err := t.Price(ctx, trial)
		if err != nil {
			return err
		}
		least, most = least+p.LeastNano, most+p.MostNano
		tb.row(one.String(), p.Documents, p.Requests, a.cost(p.LeastNano), a.cost(p.MostNano))
	}
	if o.asJSON {
		a.printJSON(raceJSON(plan.Tune, len(all), least, most))
		return nil
	}
	tb.print()
	a.printUnpriced(t)
	a.printf("cost %s to %s at most, without repairs; a setting that is worse on a sample, and not cheaper, is not tried on all\n%s\n", a.cost(least), a.cost(most), a.paint(faint, "nothing was sent; what is in the cache costs nothing"))
	return nil
}
