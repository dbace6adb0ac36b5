package cli

import (
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/store"
)

// comparing is what `compare` was asked for.
type comparing struct {
	schemaFile, goldPath, split string
	asJSON, all, noGold         bool
}

func (a *app) compareCmd() *cobra.Command {
	var o comparing
	cmd := &cobra.Command{Use: "compare A B...", Short: "Two or more runs, or files of records, value by value", Args: cobra.MinimumNArgs(2),
		Long: `Compare two runs (numbers, names, or last) or two files of JSON Lines against gold, on the
documents counted in both and by the project's schema as it is now: the values that B fixes
and those it breaks, the difference in F1 with its 95 % interval, and a paired permutation
test. Without gold it shows where the two differ.

Of more than two, each is compared with the first, on the documents counted in all, with p
values corrected for their number (Holm). Where nothing is shown, it says how many documents
would show a difference as large as the one seen.

Without a project:  filler compare OLD.jsonl NEW.jsonl --schema SCHEMA --gold FILE`,
		RunE: func(_ *cobra.Command, args []string) error { return a.compare(o, args) }}
	f := cmd.Flags()
	f.StringVar(&o.schemaFile, "schema", "", schemaUsage)
	f.StringVar(&o.goldPath, "gold", "", goldUsage)
	f.StringVar(&o.split, "split", "", splitUsage)
	f.BoolVar(&o.noGold, "no-gold", false, "show where the two differ, without asking which is right")
	f.BoolVar(&o.all, "all", false, "list all values that differ, not only the first")
	f.BoolVar(&o.asJSON, "json", false, "print the comparison as JSON")
	return cmd
}

// set is one of those that are compared.
type set struct {
	name     string
	argument string // as it was given
	file     string
	run      *store.Run
	totals   store.Totals
}

func (a *app) compare(o comparing, names []string) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	sets := make([]set, len(names))
	var l store.Store
	for i, name := range names {
		sets[i] = set{name: name, argument: name}
		if info, err := os.Stat(name); err == nil && !info.IsDir() {
			sets[i].file = name
			continue
		}
		if strings.HasSuffix(name, ".jsonl") || strings.ContainsAny(name, "/\\") {
			return place.Faults{{File: name, Msg: "there is no such file", Hint: "name a file of records, a run's number, or its name"}}
		}
		if l == nil {
			if l, err = w.keptRuns(); err != nil {
				return err
			}
			defer l.Close()
		}
		run, err := l.Find(name)
		if err != nil {
			return err
		}
		sets[i].run, sets[i].name = &run, fmt.Sprintf("run %d", run.ID)
		if run.Name != "" {
			sets[i].name += " (" + run.Name + ")"
		}
		if sets[i].totals, err = l.Totals(run.ID); err != nil {
			return err
		}
	}
	if err := a.namedOnce(sets); err != nil {
		return err
	}
	golds, err := w.golds(o.goldPath)
	if o.noGold || o.goldPath == "" && (w.project == nil || w.project.Gold == "") {
		if len(sets) > 2 {
			a.parsed = false
			return errors.New("without gold two are compared, not more; name two, or --gold")
		}
		return a.differ(w, sets, l, o)
	}
	if err != nil {
		return err
	}
	return a.compareWith(w, golds, sets, l, o)
}

// lines reads the records of a set.
func (s *set) lines(w *work, l store.Store, do func(record.Line) error) error {
	if s.file != "" {
		return record.ReadLines(s.file, w.schema, func(n int, line record.Line, err error) error {
			if err == nil {
				err = do(line)
			}
			if err != nil {
				return lineFault(s.file, n, err)
			}
			return nil
		})
	}
	return linesOf(l, s.run.ID, w.schema, do)
}

func (a *app) compareWith(w *work, golds *gold.Shelf, sets []set, l store.Store, o comparing) error {
	c := score.NewComparer(w.schema, golds, o.split, len(sets))
	for i := range sets {
		err := error(nil)
		if file := sets[i].file; file != "" {
			err = inFile(file, c.AddFile(i, file))
		} else {
			err = sets[i].lines(w, l, c.To(i))
		}
		if err != nil {
			return err
		}
	}
	for i := range sets {
		a.looked(w, o.goldPath, "compare", sets[i].looked(), o.split)
	}
	if len(sets) > 2 {
		return a.compareAll(c, sets, o)
	}
	got := c.Compare()
	if o.asJSON {
		score.CoverLeaves(w.schema, got.Leaves)
		v := got.JSON()
		for i, name := range []string{"first", "second"} {
			v.Set(name, sets[i].json())
		}
		a.printJSON(v)
		return nil
	}
	a.printComparison(w, &got, sets, o)
	return nil
}

// namedOnce refuses a run or file that is named twice among several.
func (a *app) namedOnce(sets []set) error {
	seen := map[string]string{}
	for i := range sets {
		what := sets[i].looked()
		if first, twice := seen[what]; twice && len(sets) > 2 {
			a.parsed = false
			return fmt.Errorf("%s and %s are the same, %s; name it once", first, sets[i].argument, what)
		}
		seen[what] = sets[i].argument
	}
	return nil
}

// looked is what a look at the set is kept as.
func (s *set) looked() string {
	if s.run != nil {
		return fmt.Sprintf("run %d", s.run.ID)
	}
	return s.file
}

func (s *set) json() value.Value {
	v := value.Obj(value.Str(s.name).Named("name"))
	if s.run != nil {
		v.Set("run", value.Num(fmt.Sprint(s.run.ID)))
		v.Set("cost", value.Num(fmt.Sprintf("%.9f", float64(s.totals.CostNano)/1e9)))
		v.Set("seconds", value.Num(fmt.Sprintf("%.3f", s.run.Seconds)))
	}
	return v
}

func (a *app) printComparison(w *work, c *score.Comparison, sets []set, o comparing) {
	a.printf("%s\n\n", a.paint(bold, c.Words(sets[0].name, sets[1].name)))
	if c.Documents == 0 {
		a.printLeftOut(c.Apart, o.all)
		return
	}
	a.printf("A: %s · B: %s · %s counted in both\n\n", sets[0].name, sets[1].name, plural(c.Documents, "document"))
	t := a.newTable("field", ">F1 of A", ">F1 of B", ">fixed by B", ">broken by B", ">wrong in both", ">extra in A", ">extra in B").giveWay("wrong in both", "extra in A", "extra in B", "F1 of A")
	row := func(name string, x, y score.Counts, fixed, broken, wrong int) {
		t.row(name, ratioText(x.F1()), ratioText(y.F1()), toned(fixed, good), toned(broken, bad), dash(wrong), dash(x.Extra), dash(y.Extra))
	}
	rows := 0
	for _, f := range c.Fields {
		if f.A != f.B || f.Fixed+f.Broken > 0 {
			row(f.Path, f.A, f.B, f.Fixed, f.Broken, f.BothWrong)
			rows++
		}
	}
	if rows > 0 {
		t.rule()
	}
	row("all values", c.A, c.B, c.Fixed, c.Broken, c.BothWrong)
	t.print()
	a.printf("\nfully correct records: %d → %d of %d", c.RecordsA, c.RecordsB, c.RecordsOf)
	if c.OnlyA+c.OnlyB > 0 {
		a.printf(" (%d lost, %d gained; McNemar p %s)", c.OnlyA, c.OnlyB, pText(c.McNemar))
	}
	a.printf("\n")
	if sets[0].run != nil && sets[1].run != nil {
		a.printf("cost: %s → %s\n", a.cost(sets[0].totals.CostNano), a.cost(sets[1].totals.CostNano))
	}
	if rows > 0 {
		a.printf("%s\n", a.paint(faint, "paired permutation test over documents: p "+pText(c.P)))
	}
	if c.Needed > 0 {
		a.printf("about %s would show such a difference four times in five; there are %d\n", plural(c.Needed, "document"), c.Documents)
	}
	a.printLeftOut(c.Apart, o.all)
	if len(c.Leaves) == 0 {
		return
	}
	a.printf("\n")
	for i, x := range c.Leaves {
		if i == firstErrors && !o.all {
			a.printf("%s\n", a.paint(soft, fmt.Sprintf("%d more values; --all lists them", len(c.Leaves)-i)))
			break
		}
		word, tn := "fixed ", good
		if !x.Fixed {
			word, tn = "broken", bad
		}
		a.printf("%s  %s%s  %s\n", a.paint(tn, word), x.Document, x.Path, w.beside(&x, " → "))
	}
}

// compareAll shows what each set is beside the first.
func (a *app) compareAll(c *score.Comparer, sets []set, o comparing) error {
	all, apart := c.CompareAll()
	if o.asJSON {
		a.printJSON(severalJSON(all, apart, sets))
		return nil
	}
	documents := all[0].Documents
	if documents == 0 {
		a.printf("%s\n", a.paint(bold, "nothing to compare: no document counts in all of them"))
		a.printLeftOut(apart, o.all)
		return nil
	}
	a.printf("%s\n", a.paint(bold, severalWords(all, sets)))
	a.printf("%s counted in all, each compared with %s\n\n", plural(documents, "document"), sets[0].name)
	t := a.newTable("", ">F1", ">its 95 %", ">points", ">their 95 %", ">p (Holm)", ">fixed", ">broken", ">cost", ">time").giveWay("time", "its 95 %", "cost", "their 95 %", "broken", "fixed")
	for i, x := range all {
		row := []any{sets[i].name, field{ratioText(x.B.F1()), bold}, boundsText(x.F1, 1, "%.3f")}
		if i == 0 {
			row = append(row, "", "", "", "", "")
		} else {
			tn := plain
			if x.Holm < 0.05 {
				tn = map[bool]tone{true: good, false: bad}[x.By > 0]
			}
			row = append(row, field{fmt.Sprintf("%+.1f", 100*x.By), tn}, boundsText(x.Difference, 100, "%+.1f"), strings.TrimPrefix(pText(x.Holm), "= "), toned(x.Fixed, good), toned(x.Broken, bad))
		}
		cost, took := "", ""
		if run := sets[i].run; run != nil {
			cost, took = money(sets[i].totals.CostNano), (time.Duration(run.Seconds * float64(time.Second))).Round(100*time.Millisecond).String()
		}
		t.row(append(row, cost, took)...)
	}
	t.print()
	a.printf("%s\n", a.paint(faint, "p: paired permutation tests over documents, corrected for "+plural(len(all)-1, "comparison")))
	for i, x := range all {
		if x.Needed > 0 {
			a.printf("%s: about %s would show such a difference four times in five\n", sets[i].name, plural(x.Needed, "document"))
		}
	}
	a.printf("`filler compare %s %s` shows the values\n", sets[0].argument, sets[len(sets)-1].argument)
	a.printLeftOut(apart, o.all)
	return nil
}

// severalWords says in one sentence what is shown.
func severalWords(all []score.Against, sets []set) string {
	var better, worse []string
	for i, x := range all {
		switch {
		case x.Holm >= 0.05:
		case x.By > 0:
			better = append(better, fmt.Sprintf("%s (%+.1f points)", sets[i].name, 100*x.By))
		case x.By < 0:
			worse = append(worse, fmt.Sprintf("%s (%+.1f points)", sets[i].name, 100*x.By))
		}
	}
	var parts []string
	if len(better) > 0 {
		parts = append(parts, "better than "+sets[0].name+": "+strings.Join(better, ", "))
	}
	if len(worse) > 0 {
		parts = append(parts, "worse than "+sets[0].name+": "+strings.Join(worse, ", "))
	}
	if len(parts) == 0 {
		return "none differs from " + sets[0].name + " beyond chance"
	}
	return strings.Join(parts, "; ")
}

func boundsText(i score.Interval, times float64, form string) string {
	if !i.Exists {
		return "–"
	}
	return fmt.Sprintf(form+" to "+form, times*i.Low, times*i.High)
}

func severalJSON(all []score.Against, apart []score.LeftOut, sets []set) value.Value {
	list := value.List()
	for i := range all {
		v := sets[i].json()
		v.Kids = append(v.Kids, all[i].JSON().Kids...)
		list.Kids = append(list.Kids, v)
	}
	return value.Obj(value.Num(fmt.Sprint(all[0].Documents)).Named("documents"), score.ApartJSON(apart), list.Named("sets"))
}

// beside gives the two values of a leaf with a sign between them; what is
// sensitive is masked.
func (w *work) beside(x *score.LeafPair, sign string) string {
	if w.schema.IsSensitive(x.Field) {
		return record.Hidden + sign + record.Hidden
	}
	return clip(oneLine(shownValue(&x.A)), 40) + sign + clip(oneLine(shownValue(&x.B)), 40)
}

// printLeftOut counts the documents that do not count, by reason; with all it
// names them. One or two of a reason are named either way.
func (a *app) printLeftOut(out []score.LeftOut, all bool) {
	var reasons []string
	by := map[string][]string{}
	for _, l := range out {
		if by[l.Why] == nil {
			reasons = append(reasons, l.Why)
		}
		by[l.Why] = append(by[l.Why], l.Document)
	}
	hidden := false
	for _, why := range reasons {
		names := by[why]
		list := ""
		if all || len(names) <= 2 {
			list = ": " + strings.Join(names, ", ")
		} else {
			hidden = true
		}
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("left out, %s: %s%s", why, plural(len(names), "document"), list)))
	}
	if hidden {
		a.printf("%s\n", a.paint(soft, "--all names the documents left out"))
	}
}

// differ shows where two sets differ, without gold.
func (a *app) differ(w *work, sets []set, l store.Store, o comparing) error {
	first, second := score.Records{}, score.Records{}
	if err := sets[0].lines(w, l, first.Add); err != nil {
		return err
	}
	if err := sets[1].lines(w, l, second.Add); err != nil {
		return err
	}
	got := score.Agree(w.schema, first, second)
	if o.asJSON {
		score.CoverLeaves(w.schema, got.Leaves)
		a.printJSON(got.Differences())
		return nil
	}
	a.printf("%s: %s of %s differ, in %s\n\n", a.paint(bold, sets[0].name+" and "+sets[1].name), thousands(got.Differ), plural(got.Same+got.Differ, "value"), plural(got.Documents, "document"))
	t := a.newTable("field", ">same", ">differ", ">only in A", ">only in B")
	for _, f := range got.Fields {
		if f.Differ() > 0 {
			t.row(f.Path, f.Right, dash(f.Wrong), dash(f.Missed), dash(f.Extra))
		}
	}
	if got.Differ > 0 {
		t.print()
	}
	a.printItems(&got)
	if len(got.Leaves) > 0 {
		a.printf("\n")
	}
	for i, x := range got.Leaves {
		if i == firstErrors && !o.all {
			a.printf("%s\n", a.paint(soft, fmt.Sprintf("%d more values; --all lists them", len(got.Leaves)-i)))
			break
		}
		a.printf("%s%s  %s\n", x.Document, x.Path, w.beside(&x, " → "))
	}
	a.printLeftOut(got.Apart, o.all)
	if got.Documents == 0 {
		return errors.New("the two have no document in common")
	}
	return nil
}

func pText(p float64) string {
	if p < 0.001 {
		return "< 0.001"
	}
	return fmt.Sprintf("= %.3f", p)
}
