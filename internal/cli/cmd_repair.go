package cli

import (
	"context"
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"filler/internal/base/project"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/source/document"
	"filler/internal/store"
)

// repairing is what `repair` was asked for.
type repairing struct {
	filling
	judged
	noModel bool
}

func (a *app) repairCmd() *cobra.Command {
	var o repairing
	cmd := &cobra.Command{Use: "repair [RUN]", Short: "Repair existing records: by normalizers, then by the model", Args: cobra.MaximumNArgs(1),
		Long: `Repair the records of a run, or of any file of JSON Lines. Each step handles only what is
still wrong: normalizers; corrections by the model for what a check objects to; single
fields asked again; and with --then a larger model. Right values stay: a correction that
makes anything worse is refused. The repaired records are a run of their own.

Documents are found by their ids. A record whose document is gone is only normalized and
checked against the schema; with --no-model all records are.

Without a project:  filler repair --schema SCHEMA --records FILE --no-model`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.noModel && (o.modelName != "" || o.then != "") {
				a.parsed = false
				return errors.New("--no-model asks no model; leave out --model and --then")
			}
			return a.repair(cmd.Context(), o, first(args))
		}}
	f := cmd.Flags()
	changeFlags(cmd, &o.filling, &o.judged, "repair")
	f.StringVar(&o.then, "then", "", "have this `MODEL` repair what the first one leaves flagged")
	f.BoolVar(&o.noModel, "no-model", false, "normalize and check only; ask no model")
	return cmd
}

// changeFlags are the flags of commands that change existing records.
func changeFlags(cmd *cobra.Command, o *filling, j *judged, what string) {
	j.flags(cmd, false)
	f := cmd.Flags()
	f.StringVar(&o.modelName, "model", "", modelUsage)
	f.StringVarP(&o.output, "output", "o", "", outputUsage)
	f.StringVar(&o.name, "name", "", nameUsage)
	f.Float64Var(&o.budget, "budget", 0, "stop before the "+what+" costs more than this `AMOUNT`")
	f.BoolVar(&o.fresh, "fresh", false, freshUsage)
	f.BoolVar(&o.bare, "bare", false, bareUsage)
	f.BoolVar(&o.asJSON, "json", false, "print JSON Lines on a terminal too")
	o.accepted.flags(cmd)
	o.looking.flags(cmd)
}

func (a *app) repair(ctx context.Context, o repairing, runName string) error {
	w, err := a.open(o.judged.schemaFile)
	if err != nil {
		return err
	}
	lines, broken, err := a.linesToChange(w, o.judged, runName)
	if err == nil && len(lines) == 0 {
		err = errors.New("there are no records to repair; name another run, or --records FILE")
	}
	if err != nil {
		return err
	}
	out, l, r, done, err := a.tools(w, &o.looking, o.output)
	if err != nil {
		return err
	}
	defer done()
	b, err := a.prepareRepair(o, w, l, r, lines)
	if err != nil {
		return err
	}
	if of := lines[0].Run; o.recordsFile == "" && of > 0 {
		a.notef("repairing %s: %s\n", w.covered(of), plural(len(lines), "record"))
	}
	return a.runChange(ctx, o.filling, w.budget(o.budget), b, out, broken, func() { a.tellRepaired(b.work.(*fill.Repair).Done) })
}

// runChange runs what changes existing records and says what it did. amiss counts
// what was left out on the way.
func (a *app) runChange(ctx context.Context, o filling, budget float64, b *begun, out *output, amiss int, tell func()) error {
	defer b.Close()
	if err := b.SetBudget(b.run, budget); err != nil {
		return err
	}
	err := a.runFill(ctx, o, b, out)
	tell()
	var code exit
	if amiss > 0 && (err == nil || errors.As(err, &code)) {
		return exit(codeFlagged)
	}
	return err
}

// linesToChange reads the records of a run or a file. A line that can't be read
// is named, and the rest goes on.
func (a *app) linesToChange(w *work, j judged, runName string) ([]record.Line, int, error) {
	var lines []record.Line
	seen := map[string]bool{}
	broken := 0
	if j.recordsFile == "" {
		l, run, err := a.keptRun(w, runName)
		if err != nil {
			return nil, 0, err
		}
		l.Close()
		if fill.IsOpen(run) {
			return nil, 0, fmt.Errorf("run %d was filled with the open style: its records are not of this schema; name another run, or draft a schema from it with `filler schema draft --from-run %d`", run.ID, run.ID)
		}
		runName = fmt.Sprint(run.ID)
	}
	_, err := a.eachDecided(w, j, runName, func(n int, l record.Line, err error) error {
		switch {
		case err != nil:
			broken++
			a.notef("left out: %s:%d: %s; correct the line\n", j.recordsFile, n, err)
			return nil
		case seen[l.Document]:
			broken++
			a.notef("left out: %s:%d: a second record for %s; keep one\n", j.recordsFile, n, l.Document)
			return nil
		}
		seen[l.Document] = true
		l.Record, l.Evidence, l.History = l.Record.Detach(), l.Evidence.Detach(), l.History.Detach()
		lines = append(lines, l)
		return nil
	})
	return lines, broken, err
}

// prepareRepair starts the run of a repair.
func (a *app) prepareRepair(o repairing, w *work, l store.Store, r *document.Reader, lines []record.Line) (*begun, error) {
	setup, err := w.setup(l, r, &o.looking)
	if err != nil {
		return nil, err
	}
	setup.Fresh, setup.Settings.Style = o.fresh, ""
	setup.Schema = w.schema
	if o.noModel {
		setup.Model, setup.Rounds = &project.Model{Entry: "none", Name: "none", At: "none", Reply: project.DefaultReply}, 0
	} else if setup.Model, err = w.model(o.modelName); err != nil {
		return nil, fmt.Errorf("%w; or say --no-model", err)
	}
	if o.then != "" {
		if setup.Then, err = w.model(o.then); err != nil {
			return nil, err
		}
	}
	if w.budget(o.budget) > 0 && !o.noModel {
		if err := setup.Priced(); err != nil {
			return nil, err
		}
	}
	filler, err := fill.New(setup)
	if err != nil {
		return nil, err
	}
	return w.beginGiven(filler, &fill.Repair{Lines: lines}, o.name, o.recordsFile, lines)
}

// beginGiven starts a run over existing records, from a file or of the run
// database.
func (w *work) beginGiven(f *fill.Filler, do fill.Work, name, from string, lines []record.Line) (*begun, error) {
	b := fill.Beginning{Name: name}
	if w.project != nil && len(lines) > 0 && lines[0].Run > 0 { // it covers what the older run covers
		if old, err := f.Ledger.Find(fmt.Sprint(lines[0].Run)); err == nil {
			b.Scope, b.Of, b.Some = old.Scope, old.Of, fill.IsPartial(old)
		}
	}
	sources := make([]document.Source, len(lines))
	for i := range lines {
		sources[i] = w.sourceOf(lines[i].Document, from)
	}
	return begin(f, do, b, sources)
}

// sourceOf gives the document of a record by its id, as the file with the record
// may name it; "" is the run database, which the user filled. One that is gone keeps its
// id, and reading it says so.
func (w *work) sourceOf(id, file string) document.Source {
	if file != "" {
		return w.byID(id, file)
	}
	if found, err := w.one(id); err == nil && len(found) == 1 {
		return found[0]
	}
	return document.Source{ID: id, File: id}
}

// tellRepaired says what each step fixed.
func (a *app) tellRepaired(c fill.Repairs) {
	if c.Records == 0 {
		return
	}
	a.notef("%s in %s: %d fixed by normalizers, %d by corrections, %d by asking again", plural(c.Problems, "problem"), plural(c.Records, "record"), c.Normalized, c.Patched, c.Again)
	if c.Then > 0 {
		a.notef(", %d by the other model", c.Then)
	}
	remain := "remain"
	if c.Left == 1 {
		remain = "remains"
	}
	a.notef("; %d %s\n", c.Left, remain)
	if c.Unreadable > 0 {
		a.notef("%s could not be read: %s only normalized and checked against the schema\n", plural(c.Unreadable, "document"), map[bool]string{true: "its record was", false: "their records were"}[c.Unreadable == 1])
	}
}
