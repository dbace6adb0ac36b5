package cli

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"

	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/out/invent"
	"filler/internal/run/scores"
	"filler/internal/schema"
)

// apart is from how many points on made documents are told to be easier, or harder.
const apart = 0.05

// side is one half of a comparison: real documents or made ones.
type side struct {
	report score.Report
	run    int64
	texts  invent.Texts
}

// inventAgainst puts the score on made documents beside that on real ones.
func (a *app) inventAgainst(ctx context.Context, o *inventing) error {
	w, err := a.open("")
	if err != nil {
		return err
	}
	if w.project == nil {
		return errors.New("--against-gold needs a project with gold")
	}
	p, err := project.Load(filepath.Join(o.output, project.FileName))
	if err != nil {
		return fmt.Errorf("-o %s: no made documents are there; make them first: filler invent -o %s", o.output, o.output)
	}
	made := &work{project: p, root: p.Dir}
	if made.schema, err = schema.Load(p.Schema); err != nil {
		return err
	}
	real, err := a.sideOf(ctx, w, "real", "filler fill")
	if err != nil {
		return err
	}
	other, err := a.sideOf(ctx, made, "made", "filler -C "+o.output+" fill")
	if err != nil {
		return err
	}
	a.printAgainst(o, real, other)
	return nil
}

func (a *app) sideOf(ctx context.Context, w *work, name, how string) (*side, error) {
	golds, err := w.golds("")
	if err != nil {
		return nil, err
	}
	l, run, err := a.keptRun(w, "last")
	if err != nil {
		return nil, fmt.Errorf("there is no run over the %s documents; `%s`", name, how)
	}
	defer l.Close()
	one, ok, err := (&scores.Ruler{Schema: w.schema, Gold: golds}).Of(l, run)
	if err != nil {
		return nil, err
	}
	if !ok || one.Score.Documents == 0 {
		return nil, fmt.Errorf("no document of run %d over the %s documents has gold that counts", run.ID, name)
	}
	s := &side{report: one.Score, run: run.ID}
	r, done, err := a.reader(w, &looking{})
	if err != nil {
		return nil, err
	}
	defer done()
	set, err := w.goldSet("")
	if err != nil {
		return nil, err
	}
	for _, id := range set.Documents() {
		if d, err := r.Read(ctx, w.sourceOf(id, "")); err == nil {
			s.texts.Add(d.Text)
		}
	}
	return s, nil
}

func (a *app) printAgainst(o *inventing, real, made *side) {
	f1 := func(c score.Counts) string {
		if r := c.F1(); r.Exists {
			return fmt.Sprintf("%.3f", r.Value)
		}
		return "–"
	}
	by := map[string]score.Counts{}
	for _, f := range made.report.Fields {
		by[f.Path] = f.Counts
	}
	all := [2]score.Counts{real.report.Overall, made.report.Overall}
	difference := all[1].F1().Value - all[0].F1().Value
	if o.asJSON {
		fields := value.Obj()
		for _, f := range real.report.Fields {
			fields.Set(f.Path, value.Obj(ratioJSON(f.Counts.F1()).Named("real"), ratioJSON(by[f.Path].F1()).Named("made")))
		}
		brief := func(s *side) value.Value {
			v := s.report.Brief()
			v.Set("run", value.Num(fmt.Sprint(s.run)))
			v.Set("words", value.Num(fmt.Sprint(s.texts.Words)))
			v.Set("distinct_words", value.Num(fmt.Sprint(s.texts.Distinct())))
			return v
		}
		a.printJSON(value.Obj(brief(real).Named("real"), brief(made).Named("made"), value.Num(fmt.Sprintf("%.6f", difference)).Named("difference"), fields.Named("f1")))
		return
	}
	t := a.newTable("field", ">F1 real", ">F1 made", ">difference")
	for _, f := range real.report.Fields {
		gap := "–"
		if x, y := f.Counts.F1(), by[f.Path].F1(); x.Exists && y.Exists {
			gap = fmt.Sprintf("%+.3f", y.Value-x.Value)
		}
		t.row(f.Path, f1(f.Counts), f1(by[f.Path]), gap)
	}
	t.rule()
	t.row("all values (micro)", f1(all[0]), f1(all[1]), fmt.Sprintf("%+.3f", difference))
	t.print()
	a.printf("\nreal: 95 %% interval %.3f to %.3f, %s, run %d · made: %.3f to %.3f, %s, run %d\n", real.report.F1.Low, real.report.F1.High, plural(real.report.Documents, "document"), real.run, made.report.F1.Low, made.report.F1.High, plural(made.report.Documents, "document"), made.run)
	switch {
	case difference > apart:
		a.printf("%s\n", a.paint(bad, fmt.Sprintf("! made documents are easier by %.1f points: what does well on them may not on real ones", 100*difference)))
	case difference < -apart:
		a.printf("%s\n", a.paint(bad, fmt.Sprintf("! made documents are harder by %.1f points: they fail where real ones would not", -100*difference)))
	}
	a.printf("\n")
	t = a.newTable("texts", ">real", ">made")
	each := func(n int, s *side) string { return fmt.Sprintf("%.1f", float64(n)/float64(max(s.texts.Documents, 1))) }
	share := func(n, of int) string { return fmt.Sprintf("%.1f %%", 100*float64(n)/float64(max(of, 1))) }
	t.row("words a document", each(real.texts.Words, real), each(made.texts.Words, made))
	t.row("lines a document", each(real.texts.Lines, real), each(made.texts.Lines, made))
	t.row("lines in columns", share(real.texts.Columns, real.texts.Lines), share(made.texts.Columns, made.texts.Lines))
	t.row("words with figures", share(real.texts.Figures, real.texts.Words), share(made.texts.Figures, made.texts.Words))
	t.row("distinct words", thousands(real.texts.Distinct()), thousands(made.texts.Distinct()))
	t.row("of them in both", thousands(real.texts.Shared(&made.texts)), "")
	t.print()
}

func ratioJSON(r score.Ratio) value.Value {
	if !r.Exists {
		return value.Value{}
	}
	return value.Num(fmt.Sprintf("%.6f", r.Value))
}
