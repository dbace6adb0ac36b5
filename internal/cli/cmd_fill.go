package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/chat"
	"filler/internal/document"
	"filler/internal/fill"
	"filler/internal/ledger"
	"filler/internal/model"
	"filler/internal/project"
	"filler/internal/schema"
)

// filling is what `fill` was asked for.
type filling struct {
	schemaFile, modelName, label, output, resume, asRun string
	fresh, bare, asJSON                                 bool
	asked                                               []schema.Asked
	only                                                []string
	where, again                                        string
	sample                                              int
	seed                                                int64
	budget                                              float64
	dry                                                 bool
	record, replay, then                                string
	looking
}

// askedFlag gathers the fields that are asked for on the command line, in the
// order in which they are typed.
type askedFlag struct {
	t    schema.Type
	list *[]schema.Asked
}

func (f askedFlag) String() string { return "" }
func (f askedFlag) Type() string   { return "path" }
func (f askedFlag) Set(spec string) error {
	*f.list = append(*f.list, schema.Asked{Type: f.t, Spec: spec})
	return nil
}

func (a *app) fillCmd() *cobra.Command {
	var o filling
	cmd := &cobra.Command{Use: "fill [DOC...]", Short: "Fill records from documents",
		Long: `Fill records from the documents named, or from all of the project. DOC is a file, a
folder, or - for standard input. Records come out as JSON Lines in document order,
with -o into a file, or on standard output when that is no terminal. One document on
a terminal prints its record as a tree.

Without a project:  filler fill FILE --schema SCHEMA --model URL

Without a schema file, fields are asked for one by one, nested through dots and []:

  filler fill FILE --model URL --text report_no --date visited=D.M.YYYY \
    --integer 'bays[].number' --choice weather=dry,wet

What was answered before is not asked again (--fresh does). A run that was stopped
goes on with --resume; --as-run N fills again with the schema, model and documents
of run N.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if cmd.Flags().Changed("resume") && len(args) > 0 {
				a.parsed = false
				return errors.New("--resume goes on with the documents of its run; name none (write --resume=RUN for another run than the last)")
			}
			if len(o.asked) > 0 && (o.schemaFile != "" || o.resume != "" || o.asRun != "") {
				a.parsed = false
				return errors.New("fields are asked for by flag and a schema is named as well; keep one of the two")
			}
			if o.asRun != "" && (o.resume != "" || o.schemaFile != "" || o.modelName != "") {
				a.parsed = false
				return errors.New("--as-run takes schema and model from its run; leave --schema, --model and --resume out")
			}
			if o.resume != "" && (o.where != "" || o.refetch) {
				a.parsed = false
				return errors.New("--resume goes on with the documents of its run as they were; leave --where and --refetch out")
			}
			if err := o.check(cmd, args); err != nil {
				a.parsed = false
				return err
			}
			return a.fill(cmd.Context(), o, args)
		}}
	f := cmd.Flags()
	f.StringVar(&o.schemaFile, "schema", "", "a schema file, in place of the project's")
	f.StringVar(&o.modelName, "model", "", "a model of filler.yaml, a base URL, or standin:CHARACTER")
	f.StringVarP(&o.output, "output", "o", "", "write the records to this file")
	f.StringVar(&o.label, "label", "", "a name for the run")
	f.StringVar(&o.resume, "resume", "", "go on with a run that was stopped: `RUN` or the last")
	f.Lookup("resume").NoOptDefVal = "last"
	f.StringVar(&o.asRun, "as-run", "", "fill again with everything as in this run")
	f.StringArrayVar(&o.only, "only", nil, "ask for this part of the schema only; repeatable")
	for _, t := range []schema.Type{schema.Text, schema.Integer, schema.Number, schema.Boolean, schema.Date, schema.Time, schema.DateTime, schema.Choice, schema.Money, schema.Quantity} {
		f.Var(askedFlag{t, &o.asked}, string(t), "ask for a field of this type; repeatable")
	}
	o.looking.flags(cmd)
	o.looking.asking(cmd)
	f.StringVar(&o.where, "where", "", "only documents whose facts fulfil this `condition`, such as 'year > 2030'")
	f.IntVar(&o.sample, "sample", 0, "only so many documents, picked by chance")
	f.Int64Var(&o.seed, "seed", 1, "rules the chance of --sample")
	f.StringVar(&o.again, "again", "", "only the documents of the last run that ended so: `flawed` or failed")
	f.Float64Var(&o.budget, "budget", 0, "stop before the run costs more than this `amount`")
	f.StringVar(&o.then, "then", "", "have this `model` mend what the first one leaves flawed, and fill what it fails")
	f.StringVar(&o.record, "record", "", "keep all exchanges of the run in this `file`, without keys")
	f.StringVar(&o.replay, "replay", "", "answer from such a `file`; fail on a request that is not in it")
	f.BoolVar(&o.dry, "dry", false, "price the run; send nothing")
	f.BoolVar(&o.fresh, "fresh", false, "ask anew what was answered before")
	f.BoolVar(&o.bare, "bare", false, "print the records alone, without status and evidence")
	f.BoolVar(&o.asJSON, "json", false, "print JSON Lines also on a terminal")
	return cmd
}

func (a *app) fill(ctx context.Context, o filling, names []string) error {
	w, err := a.openFor(o)
	var none *project.NotFound
	switch {
	case (o.resume != "" || o.asRun != "") && errors.As(err, &none):
		w = &work{root: "."}
	case (o.resume != "" || o.asRun != "") && w != nil: // the run has kept its own schema
	case err != nil:
		return err
	}
	out, l, r, done, err := a.tools(w, &o.looking, o.output)
	if err != nil {
		return err
	}
	defer done()
	if o.dry {
		return a.dryRun(ctx, o, w, l, r, names)
	}
	filler, run, err := a.prepare(o, w, l, r, names)
	if err != nil {
		return err
	}
	defer filler.Close()
	if err := filler.SetBudget(run, w.budget(o.budget)); err != nil {
		return err
	}
	if err := a.runFill(ctx, o, filler, run, out); err != nil || len(w.leftOut) == 0 {
		return err
	}
	return exit(codeFlawed)
}

// tools opens what a filling works with: the file that records go to, the
// ledger, and what reads documents; and gives what closes them.
func (a *app) tools(w *work, look *looking, file string) (*output, *ledger.Ledger, *document.Reader, func(), error) {
	out, err := openOutput(file)
	if err != nil {
		return nil, nil, nil, nil, err
	}
	l, err := w.openRuns()
	if err != nil {
		out.abandon()
		return nil, nil, nil, nil, err
	}
	r, done, err := a.reader(w, look)
	if err != nil {
		out.abandon()
		l.Close()
		return nil, nil, nil, nil, err
	}
	return out, l, r, func() { done(); l.Close(); out.abandon() }, nil
}

// prepare starts a new run, or finds the one to go on with.
func (a *app) prepare(o filling, w *work, l *ledger.Ledger, r *document.Reader, names []string) (*fill.Filler, int64, error) {
	setup, err := w.setup(l, r, &o.looking)
	if err != nil {
		return nil, 0, err
	}
	setup.Fresh, setup.Stdin = o.fresh, a.in
	modelName := o.modelName
	var old ledger.Run
	var sources []document.Source
	if o.replay != "" {
		if setup.Replay, err = chat.LoadRecording(o.replay); err != nil {
			return nil, 0, err
		}
	}
	if o.resume != "" {
		if old, err = l.Find(o.resume); err != nil {
			return nil, 0, err
		}
		if by := fill.MadeBy(old); by != "" {
			return nil, 0, fmt.Errorf("run %d changed existing records; to go on with it, run `filler %s` again: what was answered is not paid twice", old.ID, by)
		}
		if setup.Schema, err = schema.Parse(old.SchemaFile, old.Schema); err != nil {
			return nil, 0, err
		}
		modelName, setup.Rounds = old.Model, old.Rounds
		var then string
		if setup.Settings, then = fill.SettingsOf(old); o.then == "" {
			o.then = then
		}
	} else if o.asRun != "" {
		if old, err = l.Find(o.asRun); err != nil {
			return nil, 0, err
		}
		if setup.Schema, err = schema.Parse(old.SchemaFile, old.Schema); err != nil {
			return nil, 0, err
		}
		modelName, setup.Rounds = old.Model, old.Rounds
		var then string
		if setup.Settings, then = fill.SettingsOf(old); o.then == "" {
			o.then = then
		}
		if sources, err = sourcesOf(w, l, old.ID, names); err != nil {
			return nil, 0, err
		}
	} else if sources, err = w.sources(names); err != nil {
		return nil, 0, err
	}
	if a.tell(w) && len(sources) == 0 {
		return nil, 0, exit(codeFailed)
	}
	if sources, err = a.picked(o, l, sources); err != nil {
		return nil, 0, err
	}
	if len(o.only) > 0 {
		if setup.Schema, err = setup.Schema.Only(o.only); err != nil {
			return nil, 0, err
		}
	}
	if setup.Model, err = w.model(modelName); err != nil {
		return nil, 0, err
	}
	if o.then != "" {
		if setup.Then, err = w.model(o.then); err != nil {
			return nil, 0, err
		}
	}
	if w.budget(o.budget) > 0 && setup.Replay == nil {
		if err := setup.Priced(); err != nil {
			return nil, 0, err
		}
	}
	filler, err := fill.New(setup)
	if err != nil || o.resume != "" {
		return filler, old.ID, err
	}
	if n := len(setup.Settings.Solved); n > 0 {
		a.notef("%s shown solved; they, and any that is nearly the same, don't count in the score of this run\n", plural(n, "document"))
	}
	run, err := filler.Start(o.label, sources)
	if err != nil {
		filler.Close()
	}
	return filler, run, err
}

// openFor finds what a filling works with: a project, a schema file, or fields
// asked for by flag.
func (a *app) openFor(o filling) (*work, error) {
	if len(o.asked) == 0 {
		return a.open(o.schemaFile)
	}
	s, err := schema.FromAsked(o.asked)
	if err != nil {
		return nil, err
	}
	w, err := a.anywhere()
	if err != nil {
		return nil, err
	}
	w.schema = s
	return w, nil
}

// sourcesOf gives the documents of an older run, or those named.
func sourcesOf(w *work, l *ledger.Ledger, run int64, names []string) ([]document.Source, error) {
	if len(names) > 0 {
		return w.sources(names)
	}
	tasks, err := l.Tasks(run)
	if err != nil {
		return nil, err
	}
	var sources []document.Source
	for _, t := range tasks {
		s := document.Source{ID: t.Document, File: t.File}
		if t.File == "" { // a row, whose text the older run has kept
			text, err := l.Blob(t.Source)
			if err != nil {
				return nil, err
			}
			s.Text = string(text)
		}
		sources = append(sources, s)
	}
	return sources, nil
}

func (a *app) runFill(ctx context.Context, o filling, filler *fill.Filler, run int64, out *output) error {
	began := time.Now()
	bar := a.newProgress()
	hooks := fill.Hooks{Progress: bar.show, Waiting: bar.waiting}
	stream := o.output == "" && (!a.term.out || o.asJSON)
	pipe := bufio.NewWriter(a.out)
	if stream {
		hooks.Record = func(r ledger.Record) error {
			if err := writeLine(pipe, filler.Schema, run, r, o.bare); err != nil {
				return err
			}
			return pipe.Flush()
		}
	}
	err := filler.Run(ctx, run, hooks)
	bar.end()
	if o.output != "" {
		if werr := out.write(filler, run, o.bare); werr != nil && err == nil {
			err = werr
		}
	}
	if o.record != "" {
		if rerr := writeRecording(filler, run, o.record); rerr != nil && err == nil {
			err = rerr
		}
	}
	totals, terr := filler.Ledger.Totals(run)
	if terr != nil {
		return terr
	}
	if err == nil && a.term.out && !stream && o.output == "" && totals.Documents == 1 {
		if terr := a.printOne(filler, run); terr != nil {
			return terr
		}
	}
	a.summary(run, totals, time.Since(began), err)
	var fail *model.Failure
	if errors.As(err, &fail) && fail.Budget {
		a.notef("stopped at the budget: %s spent, and the next request might pass the limit; raise --budget and go on with --resume=%d\n", money(filler.Client.Purse.Spent()), run)
		return exit(codeBudget)
	}
	if err != nil && !errors.Is(err, fill.ErrStopped) {
		return err
	}
	if err == nil && totals.Flawed+totals.Failed > 0 {
		return exit(codeFlawed)
	}
	return err
}

func writeLine(to io.Writer, s *schema.Schema, run int64, r ledger.Record, bare bool) error {
	line, err := fill.ToLine(run, r)
	if err != nil {
		return err
	}
	v := line.JSON(s.EachEntry())
	if bare {
		v = line.Record
	}
	if _, err = fmt.Fprintf(to, "%s\n", v.JSON()); err != nil {
		return &document.Error{File: "standard output", Msg: "can't be written", Hint: "the records are kept; `filler fill --resume` prints them again"}
	}
	return nil
}

// summary says how a run ended, on standard error.
func (a *app) summary(run int64, t ledger.Totals, took time.Duration, err error) {
	a.notef("run %d: %s · %d clean · %d repaired · %d flawed · %d failed\n", run, plural(t.Documents, "document"), t.Clean, t.Repaired, t.Flawed, t.Failed)
	guess := ""
	if t.Estimated {
		guess = " (partly estimated)"
	}
	cached := ""
	if t.Cached > 0 {
		cached = fmt.Sprintf(" and %s from the ledger", thousands(t.Cached))
	}
	a.notef("%s%s · %s tokens in, %s out · cost %s%s · %s\n", plural(t.Exchanges, "exchange"), cached, thousands(t.TokensIn), thousands(t.TokensOut), money(t.CostNano), guess, seconds(took))
	switch {
	case err != nil:
		a.notef("stopped with %s still to fill; go on with `filler fill --resume=%d`\n", plural(t.Waiting, "document"), run)
	case t.Failed > 0:
		a.notef("`filler trace DOC` shows why one failed; `filler fill --resume=%d --fresh` asks for the failed ones anew\n", run)
	case t.Flawed > 0:
		a.notef("`filler trace DOC` shows what is wrong with a flawed record\n")
	}
}

func (a *app) printOne(f *fill.Filler, run int64) error {
	return f.Ledger.Records(run, 0, func(r ledger.Record) error {
		line, err := fill.ToLine(run, r)
		if err == nil {
			a.printRecord(f.Schema, &line, false)
		}
		return err
	})
}

// output is the file that records go to: written beside it and put in its
// place when whole, so that what was there is never half overwritten.
type output struct {
	path string
	temp *os.File
	bare bool // temp is the file itself: a device or a pipe
}

func openOutput(path string) (*output, error) {
	if path == "" {
		return &output{}, nil
	}
	if info, err := os.Stat(path); err == nil && info.IsDir() {
		return nil, &document.Error{File: path, Msg: "this is a folder", Hint: "name a file for the records"}
	}
	if info, err := os.Stat(path); err == nil && !info.Mode().IsRegular() {
		file, err := os.OpenFile(path, os.O_WRONLY, 0)
		if err != nil {
			return nil, &document.Error{File: path, Msg: "can't be written", Hint: "check its permissions"}
		}
		return &output{path, file, true}, nil
	}
	if target, err := filepath.EvalSymlinks(path); err == nil {
		path = target
	}
	temp, err := os.CreateTemp(filepath.Dir(path), ".records-*")
	if err != nil {
		return nil, &document.Error{File: path, Msg: "can't be written", Hint: "check that its folder is there and may be written"}
	}
	return &output{path, temp, false}, nil
}

// write writes the records of a run in document order.
func (o *output) write(f *fill.Filler, run int64, bare bool) error {
	w := bufio.NewWriter(o.temp)
	err := f.Ledger.Records(run, 0, func(r ledger.Record) error { return writeLine(w, f.Schema, run, r, bare) })
	if err == nil {
		err = w.Flush()
	}
	if err == nil && !o.bare {
		err = o.temp.Chmod(0o644)
	}
	if cerr := o.temp.Close(); err == nil {
		err = cerr
	}
	if err == nil && !o.bare {
		err = os.Rename(o.temp.Name(), o.path)
	}
	if err != nil {
		return &document.Error{File: o.path, Msg: "can't be written (is the disk full?)", Hint: fmt.Sprintf("the records are kept; `filler fill --resume=%d -o FILE` writes them again", run)}
	}
	return nil
}

// abandon takes away what was not put in place.
func (o *output) abandon() {
	if o.temp == nil {
		return
	}
	o.temp.Close()
	if !o.bare {
		os.Remove(o.temp.Name())
	}
}
