package cli

import (
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/schema"
)

func (a *app) repeatCmd() *cobra.Command {
	var schemaFile, modelName string
	var times int
	var seed int64
	var asJSON, all, sensitive bool
	look := &looking{}
	cmd := &cobra.Command{Use: "repeat DOC", Short: "Fill one document many times, and see which values stay the same", Args: documents(1, 1),
		Long: `Fill one document N times without the cache, each time with the next seed, and show how
often each value is the same. A value that changes is one that the model guesses. No record
is kept; the exchanges are in the ledger, and cost.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if times < 2 {
				a.parsed = false
				return errors.New("--times is 2 or more")
			}
			w, m, sources, err := a.chosen(schemaFile, modelName, args)
			if err != nil {
				return err
			}
			if len(sources) != 1 || sources[0].ID == "-" {
				return fmt.Errorf("%s: repeat takes one document that can be read again; name a file, an address or a row", args[0])
			}
			r, done, err := a.reader(w, look)
			if err != nil {
				return err
			}
			defer done()
			l, err := w.openRuns()
			if err != nil {
				return err
			}
			defer l.Close()
			setup, err := w.setup(l, r, look)
			if err != nil {
				return err
			}
			setup.Model = m
			f, err := fill.New(setup)
			if err != nil {
				return err
			}
			defer f.Close()
			if b := w.budget(0); b > 0 {
				a.notef("the project's budget of %s applies to runs, not to repeat\n", money(int64(b*1e9)))
			}
			out, err := f.Repeat(cmd.Context(), sources[0], times, seed)
			if err != nil {
				return err
			}
			if !sensitive {
				hide(w.schema, out)
			}
			if asJSON {
				a.printJSON(repeatedJSON(out))
				return nil
			}
			a.printRepeated(out, f.First().Client.SpentNano(), all)
			return nil
		}}
	look.flags(cmd)
	look.asking(cmd)
	f := cmd.Flags()
	f.IntVarP(&times, "times", "n", 5, "fill it `N` times")
	f.Int64Var(&seed, "seed", 1, "the first `SEED`; each time uses the next")
	f.StringVar(&schemaFile, "schema", "", schemaUsage)
	f.StringVar(&modelName, "model", "", modelUsage)
	f.BoolVar(&all, "all", false, "also show the values that were always the same")
	f.BoolVar(&sensitive, "sensitive", false, sensitiveUsage)
	f.BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

// hide takes the values of sensitive fields out of what is shown. How often the
// same came stays.
func hide(s *schema.Schema, r *fill.Repeated) {
	cover := record.NewCover(s)
	for i := range r.Leaves {
		if !cover.Hides(r.Leaves[i].Path) {
			continue
		}
		for j := range r.Leaves[i].Values {
			if v := &r.Leaves[i].Values[j]; v.Value != "null" {
				v.Value = value.Str(record.Hidden).String()
			}
		}
	}
}

func (a *app) printRepeated(r *fill.Repeated, spent int64, all bool) {
	t := a.newTable("value of", ">same", "values, and how often")
	steady := 0
	for i := range r.Leaves {
		l := &r.Leaves[i]
		if l.Same() == r.Times {
			if steady++; !all {
				continue
			}
		}
		var values []string
		for _, v := range l.Values {
			values = append(values, fmt.Sprintf("%s ×%d", v.Value, v.Times))
		}
		tone := plain
		if l.Same()*2 < r.Times {
			tone = bad
		} else if l.Same() < r.Times {
			tone = soft
		}
		t.row(string(l.Path), field{fmt.Sprintf("%d of %d", l.Same(), r.Times), tone}, strings.Join(values, "  "))
	}
	if len(t.rows) > 0 {
		t.print()
		a.printf("\n")
	}
	a.sayf("%d of %s identical in all %d replies · same structure in %d of %d", steady, plural(len(r.Leaves), "value"), r.Times, r.Form, r.Times)
	var ends []string
	for _, s := range []string{"unflagged", "repaired", "flagged", "failed"} {
		if n := r.Status[record.Status(s)]; n > 0 {
			ends = append(ends, fmt.Sprintf("%d %s", n, s))
		}
	}
	a.printf("%s · cost %s\n", strings.Join(ends, " · "), a.cost(spent))
}

func repeatedJSON(r *fill.Repeated) value.Value {
	num := func(n int, name string) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
	leaves := value.List()
	for i := range r.Leaves {
		l := &r.Leaves[i]
		values := value.List()
		for _, v := range l.Values {
			parsed, err := value.Parse(v.Value)
			if err != nil {
				parsed = value.Str(v.Value)
			}
			values.Kids = append(values.Kids, value.Obj(parsed.Named("value"), num(v.Times, "times")))
		}
		leaves.Kids = append(leaves.Kids, value.Obj(value.Str(string(l.Path)).Named("path"), num(l.Same(), "same"), values.Named("values")))
	}
	status := value.Obj()
	for _, s := range []string{"unflagged", "repaired", "flagged", "failed"} {
		status.Kids = append(status.Kids, num(r.Status[record.Status(s)], s))
	}
	return value.Obj(num(r.Times, "times"), num(r.Form, "same_structure"), status.Named("status"), leaves.Named("values"))
}
