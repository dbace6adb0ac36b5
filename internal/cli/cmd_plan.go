package cli

import (
	"bufio"
	"errors"
	"fmt"
	"os"
	"strconv"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record"
)

// planning is what a plan was asked for.
type planning struct {
	precision, margin float64
	slice, out        string
	seed              int64
	asJSON            bool
}

func (a *app) goldPlanCmd() *cobra.Command {
	var o planning
	cmd := &cobra.Command{Use: "plan [RUN]", Short: "How many documents to review, and which", Args: cobra.MaximumNArgs(1),
		Long: `Say how many documents of a run to review, so that the precision (the share of right values
among those filled) is known to within a margin, and draw them: at random within strata by
risk, and by --slice, more of where errors are expected to vary more. What gold there is already
tells how errors lie together; without any it is supposed.

-o writes the documents with their weights, and ` + "`filler gold draft --plan FILE`" + ` makes drafts of
them. ` + "`filler score`" + ` uses the weights: its ratios are those of all documents of the run, whichever
strata were reviewed more.

  filler gold plan --precision 0.97 --margin 0.02 --slice office -o plan.jsonl
  filler gold draft --plan plan.jsonl`,
		RunE: func(_ *cobra.Command, args []string) error {
			if o.precision < 0 || o.precision >= 1 || o.margin <= 0 || o.margin >= 1 {
				a.parsed = false
				return errors.New("--precision and --margin are numbers between 0 and 1, such as 0.97 and 0.02")
			}
			return a.goldPlan(&o, first(args))
		}}
	f := cmd.Flags()
	f.Float64Var(&o.precision, "precision", 0, "the `PRECISION` that is expected; left out, that of the gold there is, or 0.95")
	f.Float64Var(&o.margin, "margin", 0.02, "how far its 95 % interval may reach below it: a `SHARE`")
	f.StringVar(&o.slice, "slice", "", "a stratum for each value of this `FIELD` of the metadata")
	f.StringVarP(&o.out, "output", "o", "", "write the documents to this `FILE`, one a line")
	f.Int64Var(&o.seed, "seed", 1, "`SEED` of the draw")
	f.BoolVar(&o.asJSON, "json", false, "print the plan as JSON")
	return cmd
}

func (a *app) goldPlan(o *planning, runName string) error {
	w, _, set, err := a.draftsGoTo()
	if err != nil {
		return err
	}
	if o.out != "" {
		if _, err := os.Stat(o.out); err == nil {
			return place.Faults{{File: o.out, Msg: "exists already", Hint: "name a new file; nothing is overwritten"}}
		}
	}
	slice, err := a.sliceOf(w, o.slice)
	if err != nil {
		return err
	}
	l, run, err := a.keptRun(w, runName)
	if err != nil {
		return err
	}
	defer l.Close()
	var open []gold.Unreviewed
	var known []gold.Known
	err = linesOf(l, run.ID, w.schema, func(line record.Line) error {
		if line.Status == record.Failed {
			return nil
		}
		values, risk := filledIn(&line)
		if g := set[line.Document]; g != nil && g.State == gold.Reviewed && g.Fault == "" {
			k := gold.Known{Values: values, Risk: risk}
			score.Walk(w.schema, &g.Record, &line.Record, score.Visitor{Leaf: func(leaf score.Leaf) {
				if leaf.Outcome == score.Wrong || leaf.Outcome == score.Extra {
					k.Wrong++
				}
			}})
			known = append(known, k)
			return nil
		}
		open = append(open, gold.Unreviewed{Document: line.Document, Slice: slice(line.Document), Values: values, Risk: risk})
		return nil
	})
	if err != nil {
		return err
	}
	if len(open) == 0 {
		return fmt.Errorf("run %d has no record of a document without reviewed gold; fill more documents first", run.ID)
	}
	if o.precision == 0 {
		o.precision = expected(known)
	}
	p := gold.NewPlan(open, known, gold.Wanted{Precision: o.precision, Margin: o.margin, Seed: o.seed})
	if o.out != "" {
		if err := writePlan(o.out, p.Chosen); err != nil {
			return err
		}
	}
	if o.asJSON {
		a.printJSON(planJSON(&p, o))
		return nil
	}
	a.printPlan(&p, o, len(open))
	return nil
}

// filledIn counts the values of a record, and gives their mean risk.
func filledIn(line *record.Line) (values int, risk float64) {
	n := 0
	for i := range line.Risk.Kids {
		if x, err := strconv.ParseFloat(line.Risk.Kids[i].Text, 64); err == nil {
			risk, n = risk+x, n+1
		}
	}
	line.Record.Scan(func(v *value.Value) bool {
		if v.Kind != value.Object && v.Kind != value.Array && !v.Empty() {
			values++
		}
		return v.Get("amount") == nil // one value
	})
	return max(1, values), risk / float64(max(1, n))
}

// expected gives the precision of what is known.
func expected(known []gold.Known) float64 {
	values, wrong := 0, 0
	for _, k := range known {
		values, wrong = values+k.Values, wrong+k.Wrong
	}
	if values == 0 {
		return 0.95
	}
	return min(0.995, max(0.5, 1-float64(wrong)/float64(values)))
}

// sliceOf gives the value of a field of the metadata by document.
func (a *app) sliceOf(w *work, name string) (func(document string) string, error) {
	if name == "" {
		return func(string) string { return "" }, nil
	}
	sources, err := w.sources(nil)
	if err != nil {
		return nil, err
	}
	of, known := map[string]string{}, false
	for _, s := range sources {
		v, has := s.Metadata[name]
		known = known || has
		if v == "" {
			v = "(none)"
		}
		of[s.ID] = v
	}
	if !known {
		return nil, fmt.Errorf("--slice %s: no document has this metadata; declare it with `metadata:` in filler.yaml", name)
	}
	return func(document string) string { return of[document] }, nil
}

func writePlan(file string, chosen []gold.Chosen) error {
	f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return place.Faults{{File: file, Msg: "can't be written", Hint: "check its folder and permissions"}}
	}
	out := bufio.NewWriter(f)
	for i := range chosen {
		v := chosen[i].JSON()
		fmt.Fprintf(out, "%s\n", v.JSON())
	}
	err = out.Flush()
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	return err
}

func (a *app) printPlan(p *gold.Plan, o *planning, open int) {
	a.printf("%s of %s without reviewed gold\n\n", a.paint(bold, "review "+plural(len(p.Chosen), "document")), plural(open, "document"))
	t := a.newTable("stratum", ">documents", ">expected wrong", ">to review", ">weight")
	for i := range p.Strata {
		s := &p.Strata[i]
		t.row(s.Name, s.Documents, fmt.Sprintf("%.1f %%", 100*s.Expected), s.Review, fmt.Sprintf("%.2f", s.Weight()))
	}
	t.print()
	a.printf("\n")
	a.sayf("if the precision is %.3f, its 95 %% interval will reach about %.3f below it", o.precision, p.Reach)
	if !p.Enough {
		a.painted(soft, fmt.Sprintf("! that is more than the margin of %s, even with all of them; fill more documents, or take a wider margin", strconv.FormatFloat(o.margin, 'f', -1, 64)))
	}
	if p.Measured > 0 {
		a.sayf("errors lie together: the variance is %.1f times that of independent values, as in %s with gold", p.Spread, plural(p.Measured, "document"))
	} else {
		a.sayf("errors are supposed to lie together, with %.0f times the variance of independent values: fewer than five documents with gold err", p.Spread)
	}
	if o.out != "" {
		a.notef("%s; `filler gold draft --plan %s` makes the drafts\n", o.out, o.out)
	} else {
		a.notef("-o FILE writes which documents, with their weights\n")
	}
}

func planJSON(p *gold.Plan, o *planning) value.Value {
	n := func(name string, x float64) value.Value {
		return value.Num(strconv.FormatFloat(x, 'f', -1, 64)).Named(name)
	}
	strata, chosen := value.List(), value.List()
	for i := range p.Strata {
		s := &p.Strata[i]
		strata.Kids = append(strata.Kids, value.Obj(value.Str(s.Name).Named("stratum"), n("documents", float64(s.Documents)), n("expected_wrong", s.Expected), n("review", float64(s.Review)), n("weight", s.Weight())))
	}
	for i := range p.Chosen {
		chosen.Kids = append(chosen.Kids, p.Chosen[i].JSON())
	}
	return value.Obj(n("precision", o.precision), n("margin", o.margin), n("review", float64(len(p.Chosen))), n("interval_reaches_below", p.Reach), value.Boolean(p.Enough).Named("within_margin"), n("spread", p.Spread), n("measured_on", float64(p.Measured)), strata.Named("strata"), chosen.Named("documents"))
}
