package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"filler/internal/document"
	"filler/internal/place"
	"filler/internal/record"
	"filler/internal/score"
	"filler/internal/value"
)

// missing is what `misses` was asked for.
type missing struct {
	judged
	asJSON, all, causes  bool
	part, field, cause   string
	noDocuments, noCures bool
	looking
}

func (a *app) missesCmd() *cobra.Command {
	var o missing
	cmd := &cobra.Command{Use: "misses [RUN]", Short: "Each leaf that is not right, why, and what would cure it", Args: cobra.MaximumNArgs(1),
		Long: `Every leaf that is not right in the records of a run (the last if left out), or of a file
of JSON Lines: what gold has, what was filled, why they differ, and the lines of the source
that they stand in. Then the cures: changes of the schema that turn leaves right without a
model, tried on these records, alone and in combination. Looser comparisons are listed
apart: they change the ruler, not the record.

  filler misses --field 'bays[].length' --cause unit
  filler misses --causes            what the causes mean

Without a project:  filler misses --schema SCHEMA --records FILE --gold FILE`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.causes {
				a.printCauses()
				return nil
			}
			return a.misses(cmd.Context(), o, first(args))
		}}
	o.judged.flags(cmd, true)
	f := cmd.Flags()
	f.StringVar(&o.part, "part", "", "this `part` of the gold set alone: tune or test")
	f.StringVar(&o.field, "field", "", "the misses of this field alone")
	f.StringVar(&o.cause, "cause", "", "the misses of this cause alone")
	f.BoolVar(&o.all, "all", false, "list all misses, not the first few")
	f.BoolVar(&o.causes, "causes", false, "what the causes mean")
	f.BoolVar(&o.noDocuments, "no-documents", false, "read no documents; causes that need them are not told apart")
	f.BoolVar(&o.noCures, "no-cures", false, "try no cures")
	f.BoolVar(&o.asJSON, "json", false, "print one miss a line as JSON, then the cures")
	o.looking.flags(cmd)
	return cmd
}

func (a *app) printCauses() {
	t := a.newTable("cause", "the leaf is not right since it is")
	for _, c := range score.Causes() {
		t.row(c[0], c[1])
	}
	t.print()
}

func (o *missing) check(w *work) error {
	if o.cause != "" && !slices.ContainsFunc(score.Causes(), func(c [2]string) bool { return c[0] == o.cause }) {
		var names []string
		for _, c := range score.Causes() {
			names = append(names, c[0])
		}
		return fmt.Errorf("--cause %s: no cause is called so; %s", o.cause, place.Suggest(o.cause, names))
	}
	if o.field != "" && w.schema.Find(o.field) == nil {
		return fmt.Errorf("--field %s: the schema has no such field; `filler schema outline` shows them", o.field)
	}
	return nil
}

func (a *app) misses(ctx context.Context, o missing, runName string) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	if err := o.check(w); err != nil {
		return err
	}
	set, err := w.golds(o.goldPath)
	if err != nil {
		return err
	}
	finder := &score.Finder{Schema: w.schema, Gold: set, Part: o.part, Keep: !o.noCures}
	if !o.noDocuments {
		r, done, err := a.reader(w, &o.looking)
		if err != nil {
			return err
		}
		defer done()
		finder.Source = a.sourceReader(ctx, w, r)
	}
	curer := score.NewCurer(w.schema)
	var all []score.Miss
	run, err := a.found(w, o, runName, finder, func(f score.Found) error {
		if f.Gold != nil {
			curer.Add(f.Document, f.Gold, f.Filled, f.Misses)
		}
		all = append(all, f.Misses...)
		return nil
	})
	if err != nil {
		return err
	}
	report := finder.Report()
	shown := slices.DeleteFunc(slices.Clone(all), func(m score.Miss) bool {
		return o.field != "" && m.Field.Path != o.field || o.cause != "" && string(m.Cause) != o.cause
	})
	var cures *score.Cures
	if !o.noCures && len(all) > 0 {
		c := curer.Try()
		cures = &c
	}
	if o.asJSON {
		a.missesJSON(shown, cures)
		return nil
	}
	a.printMisses(run, &report, shown, o)
	if cures != nil {
		a.printCures(cures)
	}
	return nil
}

// found finds the misses of a run or a file.
func (a *app) found(w *work, o missing, runName string, finder *score.Finder, do func(score.Found) error) (run int64, err error) {
	if o.recordsFile != "" && runName == "" {
		return 0, inFile(o.recordsFile, finder.AddFile(o.recordsFile, do))
	}
	return a.each(w, o.judged, runName, func(_ int, l record.Line, err error) error {
		if err != nil {
			return err
		}
		f, err := finder.Add(l)
		if err != nil {
			return err
		}
		return do(f)
	})
}

// sourceReader reads the documents of records by their ids, for several at a time.
func (a *app) sourceReader(ctx context.Context, w *work, r *document.Reader) func(id string) (*document.Document, error) {
	var mu sync.Mutex // of the project's tables, which are read when first asked for
	return func(id string) (*document.Document, error) {
		mu.Lock()
		found, err := w.one(id)
		mu.Unlock()
		if err != nil || len(found) != 1 {
			return nil, errors.Join(err, errors.New("not found"))
		}
		return r.Read(ctx, found[0])
	}
}

// firstMisses is how many misses are listed unless all are asked for.
const firstMisses = 8

// firstGroups is how many kinds of misses are.
const firstGroups = 12

func (a *app) printMisses(run int64, r *score.Report, all []score.Miss, o missing) {
	a.printf("%s: %s not right of %s, in %s\n", a.paint(bold, measured(run)), plural(len(all), "leaf"), thousands(r.Overall.Right+r.Overall.Wrong+r.Overall.Missed+r.Overall.Extra), plural(r.Documents, "document"))
	if len(all) > 0 {
		a.printf("\n")
		a.printMissed(all, o)
	}
	a.printApart(r.LeftOut)
}

// printMissed prints what is not right, by kinds and one by one.
func (a *app) printMissed(all []score.Miss, o missing) {
	t := a.newTable(">times", "field", "cause")
	groups := score.Group(all)
	for i, g := range groups {
		if i < firstGroups || o.all {
			t.row(g.Times, g.Field, string(g.Cause))
		}
	}
	t.print()
	if len(groups) > firstGroups && !o.all {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("%d more kinds of miss; --all lists them", len(groups)-firstGroups)))
	}
	a.printf("\n")
	for i := range all {
		if i == firstMisses && !o.all {
			a.printf("%s\n", a.paint(soft, fmt.Sprintf("%d more; --all lists them, --field and --cause pick", len(all)-i)))
			break
		}
		a.printMiss(&all[i], i == 0 || all[i-1].Document != all[i].Document)
	}
}

func (a *app) printMiss(m *score.Miss, fresh bool) {
	if fresh {
		a.printf("%s\n", a.paint(bold, m.Document))
	}
	cause := string(m.Cause)
	if m.Detail != "" {
		cause += " with " + m.Detail
	}
	gold, filled := shownValue(&m.Gold), shownValue(&m.Filled)
	if m.Field.Sensitive {
		gold, filled = hidden, hidden
	}
	a.printf("  %s  gold %s, filled %s  %s\n", m.Path(), a.paint(good, clip(oneLine(gold), 50)), a.paint(bad, clip(oneLine(filled), 50)), a.paint(soft, cause))
	if m.Field.Sensitive {
		return
	}
	if m.GoldLine.N > 0 {
		a.printf("%s\n", a.paint(faint, fmt.Sprintf("      gold, line %d: %s", m.GoldLine.N, clip(strings.TrimSpace(m.GoldLine.Text), 90))))
	}
	if m.FilledLine.N > 0 && m.FilledLine.N != m.GoldLine.N {
		a.printf("%s\n", a.paint(faint, fmt.Sprintf("      filled, line %d: %s", m.FilledLine.N, clip(strings.TrimSpace(m.FilledLine.Text), 90))))
	}
}

func (a *app) printCures(c *score.Cures) {
	a.printf("\n%s\n", a.paint(bold, "Cures"))
	if len(c.Chosen) == 0 {
		a.printf("no tidy turns any of these leaves right; look at descriptions, examples, or another model\n")
	} else {
		t := a.newTable("field", "write", ">fixes", ">breaks", ">F1 then")
		for _, x := range c.Chosen {
			t.row(x.Field, x.Write, x.Fixed, dash(x.Broken), ratioText(x.F1))
		}
		t.print()
		a.printf("F1 %s before; on %s: %s before, %s after\n", ratioText(c.Before), c.On, ratioText(c.HonestFrom), ratioText(c.Honest))
	}
	if len(c.Rulers) > 0 {
		a.printf("\n%s\n", a.paint(bold, "Looser rulers (they change what counts as right, not the records)"))
		t := a.newTable("field", "write", ">counted right then")
		for _, r := range c.Rulers {
			t.row(r.Field, r.Write, r.Fixed)
		}
		t.print()
	}
}

func (a *app) missesJSON(all []score.Miss, cures *score.Cures) {
	for i := range all {
		m := &all[i]
		if m.Field.Sensitive {
			m.Gold, m.Filled, m.GoldLine, m.FilledLine = value.Str(hidden), value.Str(hidden), score.Line{}, score.Line{}
		}
		a.printJSON(m.JSON())
	}
	if cures != nil {
		a.printJSON(cures.JSON())
	}
}
