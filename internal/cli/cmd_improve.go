package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/ask/prompt"
	"filler/internal/base/place"
	"filler/internal/base/process"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/run/improve"
	"filler/internal/run/job"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// improving is what `improve` was asked for.
type improving struct {
	schemaFile, goldPath, with, accept, output string
	over                                       []string
	upTo, candidates                           int
	seed                                       uint64
	budget                                     float64
	dry, asJSON                                bool
}

func (a *app) improveCmd() *cobra.Command {
	var o improving
	cmd := &cobra.Command{Use: "improve [RUN]", Short: "Changes of the schema, tried and kept where they help beyond chance", Args: cobra.MaximumNArgs(1),
		Long: `Take the errors of a run on the tune split and the lines they come from, work out changes of
the schema (printed labels, other words for choices, formats, signs, bounds, what to leave out,
examples), fill the tune documents again with each, and keep those whose gain holds. What
turns values right on the replies that are there costs nothing; of the rest each is tried on
eight documents, and those that gain there on all.

A change is measured against the same schema asked again in other white space, so that what a
model answers otherwise by chance is no gain; paired by document, with p values corrected for
all that was tried (Holm). What is kept is put together, the best first, and filled once on the
test split: that figure is the one to report. Without a test split it is cross-fitted.

  filler improve --dry-run            what would be tried, and what it would cost
  filler improve --budget 2.00
  filler improve --with large         a model proposes changes too, descriptions among them
  filler improve --accept 1,3         write a schema with changes 1 and 3; nothing is asked
  filler improve --over style,model   settings in place of changes of the schema

The model of --with sees errors and the lines around them, of tune documents alone and of no
sensitive field. The schema file stays as it is: --accept writes another. What was answered is kept, so that work
that was stopped goes on with the same command.

Read more: filler help scoring, "Improving a schema".`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := o.check(cmd, args); err != nil {
				a.parsed = false
				return err
			}
			if o.accept != "" {
				return a.accept(o)
			}
			return a.improve(cmd.Context(), o, first(args))
		}}
	f := cmd.Flags()
	f.StringVar(&o.schemaFile, "schema", "", schemaUsage)
	f.StringVar(&o.goldPath, "gold", "", goldUsage)
	f.StringVar(&o.with, "with", "", "have this `MODEL` propose changes too, for the fields with most errors")
	f.IntVar(&o.candidates, "candidates", 4, "at most `N` changes a field from that model")
	f.IntVar(&o.upTo, "up-to", improve.MostTried, "try up to `N` changes, those for most errors first")
	f.StringSliceVar(&o.over, "over", nil, "try `SETTINGS` and not changes: "+strings.Join(improve.Overs, ", "))
	f.Float64Var(&o.budget, "budget", 0, "stop before all trials together cost more than this `AMOUNT`")
	f.BoolVar(&o.dry, "dry-run", false, "list and price what would be tried, and send nothing")
	f.StringVar(&o.accept, "accept", "", "write a schema with these `CHANGES`, by their numbers, or all that are kept: 1,3 or all")
	f.StringVarP(&o.output, "output", "o", "", "with --accept: write the schema to this `FILE`")
	f.Uint64Var(&o.seed, "seed", 1, "`SEED` of all that is random")
	f.BoolVar(&o.asJSON, "json", false, "print what was tried as JSON")
	return cmd
}

func (o *improving) check(cmd *cobra.Command, args []string) error {
	set := cmd.Flags().Changed
	switch {
	case set("budget") && o.budget <= 0:
		return errors.New("--budget is an amount above 0")
	case o.upTo < 1:
		return fmt.Errorf("--up-to is 1 or more, not %d", o.upTo)
	case o.candidates < 1:
		return fmt.Errorf("--candidates is 1 or more, not %d", o.candidates)
	case set("candidates") && o.with == "":
		return errors.New("--candidates is for what a model proposes; add --with MODEL")
	case o.output != "" && o.accept == "":
		return errors.New("-o names the schema that --accept writes; add --accept all, or the numbers of changes")
	case o.accept != "" && (len(args) > 0 || o.dry || len(o.over) > 0 || o.with != ""):
		return errors.New("--accept writes changes that were tried before; leave out the run and other flags")
	case o.dry && o.with != "":
		return errors.New("--dry-run sends nothing, and --with asks a model for changes; use one of the two")
	case len(o.over) > 0 && o.with != "":
		return errors.New("--with proposes changes of the schema, and --over tries settings; use one of the two")
	}
	for i, over := range o.over {
		o.over[i] = strings.TrimSpace(over)
		if !slices.Contains(improve.Overs, o.over[i]) {
			return fmt.Errorf("--over %s: settings are not told apart by it; %s", over, place.Suggest(o.over[i], improve.Overs))
		}
	}
	return nil
}

// trials is what changes or settings are tried with.
type trials struct {
	*improve.Filling
	setup improve.Setup
	run   store.Run
	close func()
}

// begin opens what trials need: the run, its documents and settings, and gold.
func (a *app) beginTrials(ctx context.Context, w *work, o improving, runName string) (*trials, error) {
	set, err := w.goldSet(o.goldPath)
	if err != nil {
		return nil, err
	}
	look := &looking{examples: -1}
	_, l, r, done, err := a.tools(w, look, "")
	if err != nil {
		return nil, err
	}
	t := &trials{close: done}
	fail := func(err error) (*trials, error) { done(); return nil, err }
	if t.run, err = l.Find(runName); err != nil {
		return fail(err)
	}
	if fill.IsOpen(t.run) || fill.MadeBy(t.run) != "" || fill.IsPartial(t.run) {
		return fail(fmt.Errorf("run %d was not filled with the whole schema; name one that was", t.run.ID))
	}
	if t.run.SchemaHash != w.schema.Hash() {
		a.notef("run %d was filled with another version of the schema; changes are measured against the schema as it is now\n", t.run.ID)
	}
	setup, err := w.setup(l, r, look)
	if err != nil {
		return fail(err)
	}
	solved := func(n int) ([]prompt.Solved, error) { return w.solved(setup, &looking{examples: n}) }
	var then string
	setup.Settings, then = fill.SettingsOf(t.run)
	setup.Rounds, setup.Stdin = t.run.Rounds, a.in
	if setup.Model, err = w.model(t.run.Model); err != nil {
		return fail(err)
	}
	if then != "" {
		if setup.Then, err = w.model(then); err != nil {
			return fail(err)
		}
	}
	if w.budget(o.budget) > 0 && !o.dry {
		if err := setup.Priced(); err != nil {
			return fail(err)
		}
	}
	sources, err := sourcesOf(w, l, t.run.ID, nil)
	if err != nil {
		return fail(err)
	}
	t.Filling = &improve.Filling{Setup: setup, Sources: map[string]document.Source{}, Budget: w.budget(o.budget), Model: w.model, Solved: solved, Hooks: a.trialHooks}
	for _, s := range sources {
		t.Sources[s.ID] = s
	}
	base := improve.Records{}
	if err := linesOf(l, t.run.ID, w.schema, func(line record.Line) error { base[line.Document] = line; return nil }); err != nil {
		return fail(err)
	}
	t.setup = improve.Setup{Schema: w.schema, Gold: set, Base: base, Asker: t.Filling, Source: a.sourceReader(ctx, w, r, ""), Most: o.upTo, Seed: o.seed,
		Tell: func(doing string) { a.notef("trying %s\n", doing) }}
	return t, nil
}

// trialHooks shows how far a trial is.
func (a *app) trialHooks(f *fill.Filler) fill.Hooks {
	bar := a.newProgress()
	bar.run = f
	return fill.Hooks{Hooks: job.Hooks{Progress: func(p job.Progress) {
		if bar.show(p); p.Done == p.All {
			bar.end()
		}
	}}, Waiting: bar.waiting}
}

func (a *app) improve(ctx context.Context, o improving, runName string) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	t, err := a.beginTrials(ctx, w, o, runName)
	if err != nil {
		return err
	}
	defer t.close()
	if len(o.over) > 0 {
		return a.improveOver(ctx, w, t, o)
	}
	if o.dry {
		return a.priceTrials(ctx, t, o)
	}
	if o.with != "" {
		if t.With, err = w.model(o.with); err != nil {
			return err
		}
		if t.Budget > 0 {
			if err := (fill.Setup{Model: t.With}).Priced(); err != nil {
				return err
			}
		}
		t.setup.More = func(ctx context.Context, r *improve.Race) ([]improve.Candidate, error) {
			return r.Proposed(ctx, t.Filling, t.With.Entry, o.candidates)
		}
	}
	result, err := improve.Run(ctx, t.setup)
	if errors.Is(err, job.ErrStopped) {
		a.notef("stopped; `filler improve` goes on: what was answered is kept\n")
	}
	if err != nil {
		return err
	}
	if err := result.Keep(w.improvedFile(), w.schema); err != nil {
		return place.Faults{{File: w.improvedFile(), Msg: "can't be written", Hint: "check its folder and permissions, and that the disk is not full"}}
	}
	looks := 0
	if result.OnTest != nil {
		if looks, err = a.lookedAtTest(w, o, t.setup.Gold, t.run.ID); err != nil {
			return err
		}
	}
	if o.asJSON {
		v := result.JSON()
		if result.OnTest != nil && looks != unknownLooks {
			v.Set("looks_before", number(looks))
		}
		a.printJSON(v)
	} else if err := a.printImproved(w, t, result, looks); err != nil {
		return err
	}
	if result.Budget {
		a.notef("stopped at the budget: %s spent; `filler improve` with a higher --budget goes on: what was answered is kept\n", a.cost(result.Cost.Nano))
		return exit(codeBudget)
	}
	return nil
}

func (w *work) improvedFile() string { return filepath.Join(w.root, ".filler", "improve.json") }

// unknownLooks stands for how often gold from elsewhere was looked at.
const unknownLooks = -1

// lookedAtTest keeps that the test split was looked at, and gives how often it had been.
func (a *app) lookedAtTest(w *work, o improving, set gold.Set, run int64) (int, error) {
	if o.goldPath != "" { // not the project's own
		return unknownLooks, nil
	}
	mark, _ := gold.TestMark(set)
	before, err := gold.Looks(w.looksFile(), mark)
	if err != nil {
		return 0, err
	}
	look := gold.Look{On: time.Now().UTC().Format(time.RFC3339), Command: "improve", Records: fmt.Sprintf("run %d, improved", run), Split: gold.Test, Mark: mark}
	if err := look.Keep(w.looksFile()); err != nil {
		a.notef("that the test split was looked at could not be kept: %s\n", err)
	}
	return len(before), nil
}

// accept writes a schema with changes that were tried before.
func (a *app) accept(o improving) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	all, err := improve.Load(w.improvedFile(), w.schema)
	if err != nil {
		return err
	}
	numbers := improve.Numbers(all)
	if o.accept != "all" {
		if numbers, err = numbersOf(o.accept); err != nil {
			a.parsed = false
			return err
		}
	}
	if len(numbers) == 0 {
		return errors.New("no change was kept; name the numbers of those that you want all the same, such as --accept 2")
	}
	now, err := improve.With(w.schema, all, numbers)
	if err != nil {
		return err
	}
	for _, n := range numbers {
		if c := &all[n-1]; !c.IsKept() {
			a.notef("note: change %d (%s at %s) is not one of those that are kept: %s, %s\n", n, c.Edit, c.Field, c.State, c.Note)
		}
	}
	file := o.output
	if file == "" {
		ext := filepath.Ext(w.schema.File)
		file = strings.TrimSuffix(w.schema.File, ext) + ".improved.yaml" // a JSON Schema too: what it became
	}
	if _, err := os.Stat(file); err == nil {
		return place.Faults{{File: file, Msg: "exists already", Hint: "name another with -o; nothing is overwritten"}}
	}
	if err := process.WriteFile(file, now.Written(), false); err != nil {
		return place.Faults{{File: file, Msg: "can't be written", Hint: "check its folder and permissions"}}
	}
	a.printDiff(w.schema, now)
	a.notef("written: %s, with %s\nnext: `filler fill --schema %s --name improved`\n", relative(file), plural(len(numbers), "change"), relative(file))
	return nil
}

func numbersOf(text string) (numbers []int, err error) {
	for _, part := range strings.Split(text, ",") {
		n, err := strconv.Atoi(strings.TrimSpace(part))
		if err != nil {
			return nil, fmt.Errorf("--accept %s: %q is not the number of a change; write --accept 1,3 or --accept all", text, part)
		}
		numbers = append(numbers, n)
	}
	return numbers, nil
}

func (a *app) printDiff(old, now *schema.Schema) {
	for _, line := range improve.Diff(old, now) {
		switch {
		case strings.HasPrefix(line, "+"):
			a.printf("%s\n", a.paint(good, line))
		case strings.HasPrefix(line, "-"):
			a.printf("%s\n", a.paint(bad, line))
		default:
			a.printf("%s\n", a.paint(faint, line))
		}
	}
}
