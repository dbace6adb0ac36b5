package cli

import (
	"bufio"
	"context"
	"errors"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/ask/model"
	"filler/internal/base/project"
	"filler/internal/run/fill"
	"filler/internal/run/job"
	"filler/internal/run/nightly"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// filling is what `fill` was asked for.
type filling struct {
	schemaFile, modelName, name, output, resume, asRun string
	fresh, bare, asJSON                                bool
	asked                                              []schema.Asked
	only                                               []string
	where, again                                       string
	sample                                             int
	seed                                               int64
	budget                                             float64
	dry                                                bool
	saveExchanges, replay, then                        string
	accepted                                           accepted
	files                                              byFile
	night                                              nightFlags
	routed                                             []document.Source // of a job, where documents are routed
	isRouted                                           bool
	pile                                               *nightly.Pile // that they come from
	shard                                              shardFlag
	looking
}

// askedFlag gathers the fields that are asked for on the command line, in the
// order in which they are typed.
type askedFlag struct {
	t    schema.Type
	list *[]schema.Asked
}

func (f askedFlag) String() string { return "" }
func (f askedFlag) Type() string   { return "PATH" }
func (f askedFlag) Set(spec string) error {
	*f.list = append(*f.list, schema.Asked{Type: f.t, Spec: spec})
	return nil
}

func (a *app) fillCmd() *cobra.Command {
	var o filling
	cmd := &cobra.Command{Use: "fill [DOC...]", Short: "Fill records from documents",
		Long: `Fill records from the documents named, or from all documents of the project. DOC is a
file, a folder, an address, a row of a table, or - for standard input. Records are written
as JSON Lines in document order: to the file of -o, or to standard output when it is not a
terminal. One document on a terminal prints its record as a tree.

Without a project:  filler fill FILE --schema SCHEMA --model URL

Without a schema file, name the fields by flag. A PATH nests through dots and []; some
types take a setting behind an equals sign:

  filler fill FILE --model URL --text report_no --date visited=D.M.YYYY \
    --integer 'bays[].number' --quantity 'bays[].length=m' --choice weather=dry,wet

Where a server works through files of requests, or an engine runs offline, --requests-out
writes the requests in place of sending them, and --replies-in takes the replies and goes
on, round after round, until --requests-out leaves an empty file.

A request that was answered in an earlier run is answered from the cache (--fresh asks
again). --resume continues a run that was stopped or interrupted, with its budget unless
--budget gives another, and shares in one that is still going; --as-run RUN fills again with
the schema, model and documents of that run.

Every night: --unfilled takes the documents that no run of this schema and prompt has,
--changed those whose files changed since; --recheck N fills N gold documents again past the
cache and holds them against the approved run (exit code 5 where the model is worse);
--summary FILE.md or FILE.json says what happened, and ` + "`notify:`" + ` in filler.yaml sends it on.

  filler fill --unfilled --changed --recheck 20 --max-flagged 2% -o night.jsonl --summary night.json

Exit code 3: some records are flagged or failed. --max-flagged and --max-failed say how
many a nightly job accepts; within both, the exit code is 0.

Read more: filler help guide, filler help asking, filler help nightly.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if cmd.Flags().Changed("resume") && len(args) > 0 {
				a.parsed = false
				return errors.New("--resume continues with the documents of its run, so name none; for another run than the last, write --resume=RUN")
			}
			if len(o.asked) > 0 && (o.schemaFile != "" || o.resume != "" || o.asRun != "") {
				a.parsed = false
				return errors.New("fields are named by flag and by a schema; use one of the two")
			}
			if o.asRun != "" && (o.resume != "" || o.schemaFile != "" || o.modelName != "") {
				a.parsed = false
				return errors.New("--as-run takes schema and model from its run; leave out --schema, --model and --resume")
			}
			if o.resume != "" && (o.where != "" || o.refetch) {
				a.parsed = false
				return errors.New("--resume continues with the documents of its run as they were; leave out --where and --refetch")
			}
			if err := o.check(cmd, args); err != nil {
				a.parsed = false
				return err
			}
			return a.fill(cmd.Context(), o, args)
		}}
	f := cmd.Flags()
	f.StringVar(&o.schemaFile, "schema", "", schemaUsage)
	f.StringVar(&o.modelName, "model", "", modelUsage)
	f.StringVarP(&o.output, "output", "o", "", "write the records to this `FILE`")
	f.StringVar(&o.name, "name", "", "the run's `NAME`")
	f.StringVar(&o.resume, "resume", "", "go on with a run: --resume for the newest that is not done, --resume=`RUN` for another")
	f.Lookup("resume").NoOptDefVal = "last"
	f.StringVar(&o.asRun, "as-run", "", "fill again with the schema, model, settings and documents of this `RUN`")
	f.StringArrayVar(&o.only, "only", nil, "ask for this `FIELD` of the schema only; repeatable")
	for _, t := range askedTypes {
		f.Var(askedFlag{t.of, &o.asked}, string(t.of), t.usage)
	}
	o.looking.flags(cmd)
	o.looking.asking(cmd)
	f.StringVar(&o.where, "where", "", "only documents whose metadata meet this `CONDITION`, such as 'year > 2030'")
	f.IntVar(&o.sample, "sample", 0, "only `N` documents, picked at random")
	f.Var(&o.shard, "shard", "only this `PART` of the documents, such as 3/64, by their names; see filler help machines")
	f.Int64Var(&o.seed, "seed", 1, "`SEED` of the random pick of --sample")
	f.StringVar(&o.again, "again", "", "only the documents with this `STATUS` in the last run: flagged or failed")
	f.Float64Var(&o.budget, "budget", 0, "stop before the run costs more than this `AMOUNT`")
	f.StringVar(&o.then, "then", "", "have this `MODEL` repair what the first one leaves flagged, and fill what it fails")
	f.StringVar(&o.saveExchanges, "save-exchanges", "", "save all exchanges of the run to this `FILE`, without keys")
	f.StringVar(&o.replay, "replay", "", "answer from this `FILE` of saved exchanges; fail on a request that is not in it")
	o.files.flags(cmd)
	f.BoolVar(&o.dry, "dry-run", false, "price the run and send nothing")
	f.BoolVar(&o.fresh, "fresh", false, freshUsage)
	f.BoolVar(&o.bare, "bare", false, bareUsage)
	f.BoolVar(&o.asJSON, "json", false, "print JSON Lines on a terminal too")
	o.accepted.flags(cmd)
	o.night.flags(cmd)
	return cmd
}

func (a *app) fill(ctx context.Context, o filling, names []string) error {
	if !o.isRouted && o.resume == "" && o.asRun == "" && o.schemaFile == "" && len(o.asked) == 0 && o.files.in == "" {
		if p := a.several(); p != nil && p.Routed {
			return a.fillRouted(ctx, o, names)
		}
	}
	if o.night.log != "" && !o.isRouted {
		done, err := a.logTo(o.night.log)
		if err != nil {
			return err
		}
		defer done()
	}
	began := time.Now()
	err := a.fillJob(ctx, &o, names)
	if err != nil && a.parsed && o.night.is() && !o.night.ended && !o.dry {
		a.neverBegan(&o, began, err)
	}
	return err
}

// fillJob does what a call asks for, within one job.
func (a *app) fillJob(ctx context.Context, o *filling, names []string) error {
	w, err := a.openFor(*o)
	var none *project.NotFound
	goesOn := o.resume != "" || o.asRun != "" || o.files.in != ""
	switch {
	case goesOn && errors.As(err, &none):
		w = &work{root: "."}
	case goesOn && w != nil: // the run has kept its own schema
	case err != nil:
		return err
	}
	a.noteConcluded(w.schema)
	if o.files.is() && w.project != nil && w.project.Reading.OCR.Model != "" {
		return errors.New("with requests in files nothing is sent, and `ocr: {model: …}` would ask a server for the words of pictures; use another engine (`ocr: {languages: [eng]}`)")
	}
	if o.night.watch != "" {
		return a.watch(ctx, *o, w)
	}
	if o.night.picks() && !o.dry {
		if w.project == nil {
			return errors.New("--unfilled and --changed go by the documents of a project, and none is here; run in a project or name one (-C DIR)")
		}
		unlock, err := w.oneNight()
		if err != nil {
			return err
		}
		defer unlock()
	}
	out, l, r, done, err := a.tools(w, &o.looking, o.output)
	if err != nil {
		return err
	}
	defer done()
	defer func() { o.files.end() }()
	if err := o.files.begin(); err != nil {
		return err
	}
	if o.files.in != "" {
		if o.resume, err = a.takeIn(&o.files, w, l, o.resume); err != nil {
			return err
		}
	}
	if o.dry {
		return a.dryRun(ctx, *o, w, l, r, names)
	}
	b, err := a.prepare(*o, w, l, r, names)
	if err != nil {
		return err
	}
	defer b.Close()
	began := time.Now()
	if err = a.filled(ctx, *o, w, b, out); err == nil && len(w.leftOut) > 0 {
		err = exit(codeFlagged)
	}
	if o.night.is() {
		err = a.endNight(ctx, o, w, b, began, err)
	}
	return err
}

// filled fills the documents of a run, where there are any.
func (a *app) filled(ctx context.Context, o filling, w *work, b *begun, out *output) error {
	if b.run == 0 {
		a.notef("nothing to fill: %s\n", pickedText(b.picked))
		return out.none()
	}
	if err := b.Learn(b.run, o.files.taken); err != nil {
		return err
	}
	var err error
	if b.budget > 0 && o.budget == 0 {
		a.notef("run %d keeps its budget of %s; --budget gives it another\n", b.run, a.cost(b.budget))
		err = b.KeepBudget(b.run, b.budget)
	} else {
		err = b.SetBudget(b.run, w.budget(o.budget))
	}
	if err != nil {
		return err
	}
	return a.runFill(ctx, o, b, out)
}

// tools opens what a filling works with: the file that records go to, the
// ledger, and what reads documents; and gives what closes them.
func (a *app) tools(w *work, look *looking, file string) (*output, store.Store, *document.Reader, func(), error) {
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

// begun is a run that can go on: what it does, with what.
type begun struct {
	*fill.Filler
	work   fill.Work
	budget int64           // that a run which goes on has, in billionths
	run    int64           // 0: a night that has nothing to fill
	picked *nightly.Picked // of a night
	setup  fill.Setup      // what it was made of
}

func (a *app) runFill(ctx context.Context, o filling, b *begun, out *output) error {
	began := time.Now()
	bar := a.newProgress()
	bar.run = b.Filler
	if purse := b.First().Client.Purse; purse != nil {
		bar.budget = purse.Left()
	}
	hooks := a.logged(b.run, fill.Hooks{Hooks: job.Hooks{Progress: bar.show}, Waiting: bar.waiting})
	stream := o.output == "" && (!a.term.out || o.asJSON)
	pipe := bufio.NewWriter(a.out)
	print := func(r store.Record) error {
		if err := writeLine(pipe, b.Schema, b.run, r, o.bare); err != nil {
			return err
		}
		return pipe.Flush()
	}
	if stream && !o.files.is() {
		hooks.Record = print
	}
	err := b.Run(ctx, b.work, b.run, hooks)
	bar.end()
	sent, serr := o.files.sendOut(b.Filler, b.run, began)
	if err == nil {
		err = serr
	}
	if o.output != "" {
		if werr := out.write(b.Filler, b.run, o.bare); werr != nil && err == nil {
			err = werr
		}
	}
	if o.saveExchanges != "" {
		if rerr := writeRecording(b.Filler, b.run, o.saveExchanges); rerr != nil && err == nil {
			err = rerr
		}
	}
	totals, terr := b.Ledger.Totals(b.run)
	if terr != nil {
		return terr
	}
	if err == nil && stream && o.files.is() && totals.Waiting == 0 { // once, and not a part with each file
		if err = b.Ledger.Records(b.run, 0, print); err != nil {
			return err
		}
	}
	if err == nil && a.term.out && !stream && o.output == "" && totals.Documents == 1 {
		if terr := a.printOne(b.Filler, b.run); terr != nil {
			return terr
		}
	}
	a.summary(b.run, totals, time.Since(began), err)
	a.noteEmpty(b.Filler)
	var fail *model.Failure
	budget := errors.As(err, &fail) && fail.Budget
	if o.files.is() && (err == nil || budget || errors.Is(err, job.ErrStopped)) {
		a.tellWaiting(&o.files, b.run, sent, totals.Waiting)
	}
	for _, m := range b.Models {
		if said := m.Client.Adapted(); said != "" {
			a.notef("note: %s; it is remembered\n", said)
		}
	}
	if budget {
		a.notef("stopped at the budget: %s spent, and the next request might exceed it; continue with a higher --budget and --resume=%d\n", a.cost(b.First().Client.Purse.Spent()), b.run)
		return exit(codeBudget)
	}
	if err != nil && !errors.Is(err, job.ErrStopped) {
		return err
	}
	if err == nil && totals.Waiting == 0 {
		return o.accepted.verdict(a, totals)
	}
	return err
}
