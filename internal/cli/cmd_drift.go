package cli

import (
	"fmt"
	"math"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/value"
	"filler/internal/measure/score"
	"filler/internal/run/scores"
	"filler/internal/store"
)

func (a *app) approveCmd() *cobra.Command {
	return &cobra.Command{Use: "approve RUN", Short: "Say which run later ones are held against", Args: one("a run"),
		Long: "Keep a run as the approved one of its schema: `filler runs --drift` holds later runs against it.\nApprove the run whose figures you released.",
		RunE: func(_ *cobra.Command, args []string) error {
			w, err := a.open("")
			if err != nil {
				return err
			}
			l, run, err := a.keptRun(w, args[0])
			if err != nil {
				return err
			}
			defer l.Close()
			if err := scores.Approve(w.keepsIn(), w.schema.Name, run.ID, time.Now()); err != nil {
				return err
			}
			a.notef("%s is the approved run of %s; `filler runs --drift` holds later ones against it\n", w.covered(run.ID), w.schema.Name)
			return nil
		}}
}

// keepsIn gives the folder that the ledger lies in.
func (w *work) keepsIn() string { return filepath.Join(w.root, ".filler") }

// drift shows how runs differ from the approved one in what can be seen without gold.
func (a *app) drift(runName string, asJSON bool) error {
	w, err := a.open("")
	if err != nil {
		return err
	}
	l, err := w.keptRuns()
	if err != nil {
		return err
	}
	defer l.Close()
	approved, err := scores.ApprovedOf(l, w.keepsIn(), w.schema.Name)
	if err != nil {
		return err
	}
	base, all, err := scores.Since(l, approved, w.schema)
	if err != nil {
		return err
	}
	if runName != "" {
		run, err := l.Find(runName)
		if err != nil {
			return err
		}
		p, err := scores.ProfileOf(l, run, w.schema)
		if err != nil {
			return err
		}
		all = []scores.Drifted{{Run: run, Profile: p, Drifts: score.DriftOf(base, p)}}
	}
	if asJSON {
		for i := range all {
			a.printJSON(driftJSON(&all[i], approved.ID))
		}
		return nil
	}
	if len(all) == 0 {
		a.notef("no run came after the approved %s\n", w.covered(approved.ID))
		return nil
	}
	a.printDriftTable(approved, base, all)
	a.printDrift(w, &all[len(all)-1])
	return nil
}

// printDriftTable lists the runs.
func (a *app) printDriftTable(approved store.Run, base *score.Profile, all []scores.Drifted) {
	t := a.newTable(">run", "name", ">documents", ">without evidence", ">uncovered lines", ">flagged", ">failed", ">risk", ">changed", "began").giveWay("risk", "failed", "began", "uncovered lines", "flagged")
	share := func(p *score.Profile, name string) string { r, _ := p.Of(name); return percentText(r) }
	mean := func(p *score.Profile, name string) string { r, _ := p.Of(name); return ratioText(r) }
	row := func(run store.Run, name string, p *score.Profile, changed field) {
		t.row(run.ID, name, p.Documents, share(p, score.WithoutEvidence), mean(p, score.UncoveredLines), share(p, score.FlaggedRecords), share(p, score.FailedRecords), mean(p, score.MeanRisk), changed, run.Began.Local().Format("2006-01-02 15:04"))
	}
	row(approved, "(approved)", base, field{})
	for i := range all {
		changed := field{dash(len(all[i].Changed())), plain}
		if changed.text != dash(0) {
			changed.tone = bad
		}
		row(all[i].Run, all[i].Name, all[i].Profile, changed)
	}
	t.print()
	a.printf("%s\n\n", a.paint(faint, "changed: measures that differ from the approved run beyond chance (`filler help scoring`)"))
}

func percentText(r score.Ratio) string {
	if !r.Exists {
		return "–"
	}
	return fmt.Sprintf("%.1f %%", 100*r.Value)
}

// printDrift shows what changed in one run.
func (a *app) printDrift(w *work, d *scores.Drifted) {
	changed := d.Changed()
	if len(changed) == 0 {
		a.printf("%s: nothing differs from the approved run beyond chance, of %s\n", a.paint(bold, w.covered(d.ID)), plural(len(d.Drifts), "measure"))
		return
	}
	a.printf("%s: %d of %s differ from the approved run beyond chance\n\n", a.paint(bold, w.covered(d.ID)), len(changed), plural(len(d.Drifts), "measure"))
	t := a.newTable("measure", ">approved", ">now", ">p")
	for i := range changed {
		x := &changed[i]
		t.row(w.driftName(x), driftText(x.Unit, x.Was), driftText(x.Unit, x.Now), strings.TrimPrefix(pText(x.P), "= "))
	}
	t.print()
	for i := range changed {
		if f := changed[i].Field(); f != "" && w.schema.Find(f) != nil {
			a.notef("next: look at %s in some documents; `filler review %d --field '%s'` shows its values beside their source\n", f, d.ID, f)
			return
		}
	}
}

// driftName masks the value of a sensitive choice.
func (w *work) driftName(d *score.Drift) string {
	if f := d.Field(); f != "" && w.schema.IsSensitive(f) {
		if name, _, is := strings.Cut(d.Measure, " = "); is {
			return name + " = (hidden)"
		}
	}
	return d.Measure
}

// driftText shows a figure in its unit.
func driftText(unit string, x float64) string {
	switch unit {
	case "share":
		return fmt.Sprintf("%.1f %%", 100*x)
	case "log":
		return fmt.Sprintf("%.4g", math.Copysign(math.Expm1(math.Abs(x)), x))
	}
	return fmt.Sprintf("%.2f", x)
}

func driftJSON(d *scores.Drifted, approved int64) value.Value {
	n := func(name string, x float64) value.Value {
		return value.Num(fmt.Sprint(x)).Named(name)
	}
	list := value.List()
	for _, x := range d.Drifts {
		list.Kids = append(list.Kids, value.Obj(value.Str(x.Measure).Named("measure"), value.Str(x.Unit).Named("unit"), n("approved", x.Was), n("now", x.Now), n("approved_documents", float64(x.WasOf)), n("documents", float64(x.NowOf)), n("p_holm", x.P), value.Boolean(x.Changed()).Named("changed")))
	}
	return value.Obj(n("run", float64(d.ID)), n("approved_run", float64(approved)), n("documents", float64(d.Profile.Documents)), n("changed", float64(len(d.Changed()))), list.Named("measures"))
}

// curve shows F1 by the number of examples or the prompts that were tried.
func (a *app) curve(w *work, o scoring, runName string) error {
	set, err := w.golds(o.goldPath)
	if err != nil {
		return err
	}
	l, run, err := a.keptRun(w, runName)
	if err != nil {
		return err
	}
	defer l.Close()
	c, err := (&scores.Ruler{Schema: w.schema, Gold: set, Split: o.split}).CurveOf(l, run)
	if err != nil {
		return err
	}
	for _, p := range c.Points {
		a.looked(w, o.goldPath, "score", fmt.Sprintf("run %d", p.ID), o.split)
	}
	if o.asJSON {
		list := value.List()
		for i := range c.Points {
			p := &c.Points[i]
			v := value.Obj(value.Num(fmt.Sprint(p.At)).Named("at"), value.Num(fmt.Sprint(p.ID)).Named("run"), value.Str(p.Name).Named("name"))
			v.Kids = append(v.Kids, p.Score.JSON().Kids...)
			list.Kids = append(list.Kids, v)
		}
		a.printJSON(value.Obj(value.Str(c.By).Named("by"), value.Num(fmt.Sprint(c.Documents)).Named("documents"), list.Named("points")))
		return nil
	}
	a.printCurve(c)
	a.printLeftOut(c.Apart, o.all)
	return nil
}

func (a *app) printCurve(c *scores.Curve) {
	a.printf("%s, on the %s that count in all of these runs\n\n", a.paint(bold, "F1 by "+c.By), plural(c.Documents, "document"))
	scale := newScale(len(c.Points), func(i int) (score.Ratio, score.Interval) { return c.Points[i].Score.B.F1(), c.Points[i].Score.F1 })
	t := a.newTable(">"+c.By, "run", ">F1", ">points", ">p (Holm)", scale.head()).giveWay("p (Holm)", "points")
	for i := range c.Points {
		p := &c.Points[i]
		points, chance := "", ""
		if i > 0 {
			points, chance = fmt.Sprintf("%+.1f", 100*p.Score.By), strings.TrimPrefix(pText(p.Score.Holm), "= ")
		}
		name := fmt.Sprint(p.ID)
		if p.Name != "" {
			name += " " + p.Name
		}
		t.row(p.At, name, field{ratioText(p.Score.B.F1()), bold}, points, chance, scale.bar(p.Score.B.F1(), p.Score.F1))
	}
	t.print()
	a.printf("%s\n", a.paint(faint, "● F1 over all values   ─ its 95 % interval over documents   points: to the first of them"))
}
