package cli

import (
	"context"
	"errors"
	"filler/internal/record"
	"filler/internal/run/job"
	"fmt"
	"slices"
	"sort"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/run/fill"
	"filler/internal/run/vary"
	"filler/internal/source/document"
)

// varying is what `vary` was asked for.
type varying struct {
	schemaFile, goldPath, modelName, name string
	changes                               []string
	sample                                int
	seed                                  int64
	budget                                float64
	asJSON, fresh, list                   bool
	looking
}

func (a *app) varyCmd() *cobra.Command {
	var o varying
	cmd := &cobra.Command{Use: "vary [DOC...]", Short: "Changed documents: how much accuracy depends on how things are written",
		Long: `Fill documents of the gold set as they are, and changed in ways that must not change their
records (other date styles, units, labels, spacing, letter case, order of sections, misread
letters) or must change them in a known way (a value substituted in text and gold), and
measure both. Each change fills each document once more; --sample limits the documents.

  filler vary --sample 20 --changes units,dates
  filler vary --list`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.list {
				t := a.newTable("change", "what it does")
				for _, c := range vary.Changes() {
					t.row(c.Name, c.Does)
				}
				t.print()
				return nil
			}
			changes, err := chosenChanges(o.changes)
			if err != nil {
				a.parsed = false
				return err
			}
			return a.vary(cmd.Context(), o, changes, args)
		}}
	f := cmd.Flags()
	f.StringVar(&o.schemaFile, "schema", "", schemaUsage)
	f.StringVar(&o.goldPath, "gold", "", goldUsage)
	f.StringVar(&o.modelName, "model", "", modelUsage)
	f.StringSliceVar(&o.changes, "changes", nil, "only these `CHANGES`, such as units,case")
	f.BoolVar(&o.list, "list", false, "list the changes")
	f.IntVar(&o.sample, "sample", 0, "only `N` documents, picked at random")
	f.Int64Var(&o.seed, "seed", 1, "`SEED` of all that is random")
	f.StringVar(&o.name, "name", "vary", nameUsage)
	f.Float64Var(&o.budget, "budget", 0, "stop before the run costs more than this `AMOUNT`")
	f.BoolVar(&o.fresh, "fresh", false, freshUsage)
	f.BoolVar(&o.asJSON, "json", false, "print the result as JSON")
	o.looking.flags(cmd)
	return cmd
}

func chosenChanges(names []string) ([]vary.Change, error) {
	all := vary.Changes()
	if len(names) == 0 {
		return all, nil
	}
	var known []string
	for _, c := range all {
		known = append(known, c.Name)
	}
	var out []vary.Change
	for _, n := range names {
		i := slices.Index(known, strings.TrimSpace(n))
		if i < 0 {
			return nil, fmt.Errorf("--changes %s: there is no such change; %s", n, place.Suggest(n, known))
		}
		out = append(out, all[i])
	}
	return out, nil
}

func (a *app) vary(ctx context.Context, o varying, changes []vary.Change, names []string) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	set, err := w.goldSet(o.goldPath)
	if err != nil {
		return err
	}
	_, l, r, done, err := a.tools(w, &o.looking, "")
	if err != nil {
		return err
	}
	defer done()
	docs, err := a.varied(ctx, w, r, set, o, names)
	if err != nil {
		return err
	}
	setup, err := w.setup(l, r, &o.looking)
	if err != nil {
		return err
	}
	setup.Fresh, setup.Schema = o.fresh, w.schema
	setup.Settings.Solved, setup.Settings.Images = nil, ""
	if setup.Model, err = w.model(o.modelName); err != nil {
		return err
	}
	if w.budget(o.budget) > 0 {
		if err := setup.Priced(); err != nil {
			return err
		}
	}
	filler, err := fill.New(setup)
	if err != nil {
		return err
	}
	defer filler.Close()
	if err := filler.SetBudget(0, w.budget(o.budget)); err != nil {
		return err
	}
	bar := a.newProgress()
	got, err := filler.Vary(ctx, docs, set, changes, o.seed, o.name, fill.Hooks{Hooks: job.Hooks{Progress: bar.show}, Waiting: bar.waiting})
	bar.end()
	if err != nil {
		return err
	}
	if totals, terr := l.Totals(got.Run); terr == nil {
		a.notef("run %d: %s and %s of them filled · cost %s\n", got.Run, plural(got.Documents, "document"), plural(totals.Documents-got.Documents, "changed copy"), a.cost(totals.CostNano))
	}
	if o.asJSON {
		a.printJSON(robustnessJSON(got))
		return nil
	}
	a.printRobustness(got)
	return nil
}

// varied reads the documents that have reviewed gold of the text as it is.
func (a *app) varied(ctx context.Context, w *work, r *document.Reader, set gold.Set, o varying, names []string) ([]*document.Document, error) {
	sources, err := w.sources(names)
	if err != nil {
		return nil, err
	}
	var counted []document.Source
	for _, s := range sources {
		if g := set[s.ID]; g != nil && g.State == gold.Reviewed && g.Fault == "" {
			counted = append(counted, s)
		}
	}
	counted = sampled(counted, o.sample, o.seed)
	var docs []*document.Document
	for _, s := range counted {
		d, err := r.Read(ctx, s)
		if err != nil {
			a.notef("left out: %s\n", err)
			continue
		}
		if g := set[s.ID]; g.Hashes.Since(record.Hashes{Text: d.Hash, File: d.FileHash}) == record.Changed {
			a.notef("left out: %s (document changed since review)\n", s.ID)
			continue
		}
		docs = append(docs, d)
	}
	if len(docs) == 0 {
		return nil, errors.New("none of these documents has reviewed gold; `filler gold status` shows the gold set")
	}
	return docs, nil
}

func (a *app) printRobustness(r *fill.Robustness) {
	a.printf("%s\n\n", a.paint(bold, plural(r.Documents, "document")+", unchanged and changed"))
	t := a.newTable("change", ">documents", ">F1 before", ">F1 changed", ">points", ">95 % from", ">to", "fields that lose most").giveWay("F1 before", "F1 changed", "95 % from", "to")
	for _, c := range r.Changes {
		before, after := c.Before.Overall.F1(), c.After.Overall.F1()
		drop := 100 * (after.Value - before.Value)
		low, high, tn := "–", "–", plain
		if c.Drop.Exists {
			low, high = signed(100*c.Drop.Low), signed(100*c.Drop.High)
			if c.Drop.High < 0 {
				tn = bad
			}
		}
		t.row(c.Name, c.Documents, ratioText(before), ratioText(after), field{signed(drop), tn}, low, high, losers(c))
	}
	t.print()
	if len(r.Idle) > 0 {
		a.printf("%s\n", a.paint(soft, "nothing to change for: "+strings.Join(r.Idle, ", ")))
	}
	a.printf("%s\n", a.paint(faint, "points: F1 of the changed documents minus F1 of the same documents unchanged; `filler vary --list` explains each change"))
}

// signed writes points with their sign; none has none.
func signed(x float64) string {
	if text := fmt.Sprintf("%+.1f", x); text != "-0.0" && text != "+0.0" {
		return text
	}
	return "0.0"
}

// losers names the fields whose F1 falls most.
func losers(c fill.Varied) string {
	type loss struct {
		path string
		by   float64
	}
	var all []loss
	for i, f := range c.Before.Fields {
		a, b := f.F1(), c.After.Fields[i].F1()
		if a.Exists && b.Exists && a.Value-b.Value > 0.005 {
			all = append(all, loss{f.Path, a.Value - b.Value})
		}
	}
	sort.SliceStable(all, func(i, j int) bool { return all[i].by > all[j].by })
	var texts []string
	for i, l := range all {
		if i == 3 {
			break
		}
		texts = append(texts, fmt.Sprintf("%s %+.0f", l.path, -100*l.by))
	}
	return strings.Join(texts, ", ")
}

func robustnessJSON(r *fill.Robustness) value.Value {
	list := value.List()
	n := func(name string, x float64) value.Value { return value.Num(fmt.Sprintf("%.6f", x)).Named(name) }
	for _, c := range r.Changes {
		v := value.Obj(value.Str(c.Name).Named("change"), value.Num(fmt.Sprint(c.Documents)).Named("documents"), n("f1_before", c.Before.Overall.F1().Value), n("f1_changed", c.After.Overall.F1().Value))
		if c.Drop.Exists {
			v.Kids = append(v.Kids, n("difference_low", c.Drop.Low), n("difference_high", c.Drop.High))
		}
		fields := value.List()
		for i, f := range c.Before.Fields {
			if a, b := f.F1(), c.After.Fields[i].F1(); a.Exists && b.Exists && a != b {
				fields.Kids = append(fields.Kids, value.Obj(value.Str(f.Path).Named("field"), n("f1_before", a.Value), n("f1_changed", b.Value)))
			}
		}
		list.Kids = append(list.Kids, value.Obj(append(v.Kids, fields.Named("fields"))...))
	}
	return value.Obj(value.Num(fmt.Sprint(r.Run)).Named("run"), value.Num(fmt.Sprint(r.Documents)).Named("documents"), list.Named("changes"), texts(r.Idle).Named("nothing_to_change"))
}
