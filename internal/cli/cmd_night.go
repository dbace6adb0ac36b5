package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/ask/model"
	"filler/internal/base/process"
	"filler/internal/base/project"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/record/correct"
	"filler/internal/run/fill"
	"filler/internal/run/job"
	"filler/internal/run/nightly"
	"filler/internal/run/scores"
	"filler/internal/source/document"
	"filler/internal/store"
	"filler/internal/view/night"
)

// nightFlags is what a night was asked for.
type nightFlags struct {
	unfilled, changed bool
	recheck           int
	watch, moveTo     string
	every             time.Duration
	summary           string
	metrics, log      string
	ended             bool // what happened was told
}

func (o *nightFlags) flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.BoolVar(&o.unfilled, "unfilled", false, "only the documents that no run of this schema and prompt has")
	f.BoolVar(&o.changed, "changed", false, "only the documents whose files have changed since such a run; with --unfilled both")
	f.StringVar(&o.watch, "watch", "", "fill the files that are put into this `FOLDER`, as they come, until stopped")
	f.StringVar(&o.moveTo, "move-to", "", "with --watch: move files that are filled to this `FOLDER`")
	f.DurationVar(&o.every, "every", 2*time.Second, "with --watch: how long a file has to stay as it is to be whole: a `TIME`")
	f.IntVar(&o.recheck, "recheck", 0, "fill `N` gold documents again past the cache, and hold them against the approved run")
	f.StringVar(&o.metrics, "metrics", "", "write the figures of this call to this `FILE` as OpenMetrics text")
	f.StringVar(&o.log, "log", "", "add what happens to this `FILE`, a line of JSON each")
	f.StringVar(&o.summary, "summary", "", "write what happened to this `FILE`: a page (.md) or data (.json)")
}

// picks tells whether documents are picked by what earlier runs have.
func (o *nightFlags) picks() bool { return o.unfilled || o.changed }

// is tells whether a night has an end: a summary, a recheck, somebody to tell.
func (o *nightFlags) is() bool {
	return o.picks() || o.recheck > 0 || o.summary != "" || o.metrics != ""
}

func (o *nightFlags) check(cmd *cobra.Command, all *filling, args []string) error {
	switch {
	case o.watch != "" && (o.is() || len(args) > 0 || all.resume != "" || all.asRun != "" || all.again != "" || all.dry || all.sample > 0 || all.where != "" || all.files.is() || all.replay != "" || all.saveExchanges != "" || all.bare):
		return errors.New("--watch fills what is put into its folder; it goes with --schema, --model, --then, --name, --budget, -o, --move-to and --every")
	case o.watch != "" && all.output == "":
		return errors.New("--watch needs -o: the file to which each record is added")
	case o.watch == "" && (o.moveTo != "" || cmd.Flags().Changed("every")):
		return errors.New("--move-to and --every go with --watch")
	case o.every < 10*time.Millisecond:
		return errors.New("--every is 10ms or more")
	case o.picks() && (len(args) > 0 || all.resume != "" || all.asRun != "" || all.again != "" || all.files.is()):
		return errors.New("--unfilled and --changed pick from all documents of the project; name none, and leave out --resume, --as-run, --again and files of requests")
	case o.picks() && (len(all.only) > 0 || all.sample > 0):
		return errors.New("--unfilled and --changed take whole records of all documents that are meant; leave out --only and --sample")
	case cmd.Flags().Changed("recheck") && o.recheck < nightly.FewestRechecked:
		return fmt.Errorf("--recheck takes %d documents or more: of fewer, no difference is beyond chance", nightly.FewestRechecked)
	case o.recheck > 0 && (all.dry || all.files.is() || len(all.only) > 0):
		return errors.New("--recheck asks the model; leave out --dry-run, --only and files of requests")
	case (o.summary != "" || o.metrics != "") && all.dry:
		return errors.New("--dry-run fills nothing; leave out --summary and --metrics")
	case o.summary != "" && !strings.HasSuffix(o.summary, ".md") && !strings.HasSuffix(o.summary, ".json"):
		return fmt.Errorf("--summary ends in .md or .json, not %q", filepath.Base(o.summary))
	}
	return nil
}

// oneNight keeps two nights of a project apart.
func (w *work) oneNight() (func(), error) {
	dir := filepath.Dir(w.ledgerFile())
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, &document.Error{File: dir, Msg: "can't be made", Hint: "check the permissions of the project's folder"}
	}
	unlock, err := process.Lock(filepath.Join(dir, "night.lock"))
	var held *process.Held
	if errors.As(err, &held) {
		return nil, fmt.Errorf("another night or watch of this project is at work (process %s); wait until it has ended", held.By)
	}
	return unlock, err
}

// tonight picks the documents of a night.
func tonight(f *fill.Filler, o *nightFlags, l store.Store, r *document.Reader, sources []document.Source) (*nightly.Picked, error) {
	seen, err := nightly.SeenBy(l, nightly.MarkOf(f))
	if err != nil {
		return nil, err
	}
	p := seen.Pick(sources, nightly.Wanted{Unfilled: o.unfilled, Changed: o.changed}, nightly.Hasher(context.Background(), r))
	return &p, nil
}

// updateUnfilled brings the documents that no run has, and that continue a record, into the newest
// record of it.
func (a *app) updateUnfilled(ctx context.Context, o updating, w *work) error {
	if w.project == nil {
		return errors.New("--unfilled goes by the documents of a project, and none is here; run in a project or name one (-C DIR)")
	}
	unlock, err := w.oneNight()
	if err != nil {
		return err
	}
	defer unlock()
	var lines []record.Line
	var unseen []document.Source
	err = a.eachNewest(w, func(_ int, l record.Line, err error) error {
		if err == nil && l.Status != record.Failed {
			l.Record, l.Evidence, l.History = l.Record.Detach(), l.Evidence.Detach(), l.History.Detach()
			lines = append(lines, l)
		}
		return err
	}, func(s []document.Source) { unseen = s })
	if errors.Is(err, store.ErrNone) {
		a.notef("there are no records yet to be continued\n")
		return nil
	}
	if err != nil {
		return err
	}
	out, l, r, done, err := a.tools(w, &o.looking, o.output)
	if err != nil {
		return err
	}
	defer done()
	var docs []*document.Document
	unread := 0
	for _, s := range unseen {
		d, err := r.Read(ctx, s)
		if ctx.Err() != nil {
			return job.ErrStopped
		}
		if err != nil {
			unread++
			a.notef("left out: %s\n", err)
			continue
		}
		docs = append(docs, d)
	}
	all, none := fill.MatchNews(w.schema, lines, docs, o.match)
	of := map[int][]*document.Document{}
	var changed []record.Line
	for i := range lines {
		if len(all[i]) > 0 {
			of[len(changed)] = all[i]
			changed = append(changed, lines[i])
		}
	}
	a.notef("%d new · %d continue a record · %d continue none\n", len(docs), len(docs)-len(none), len(none))
	if len(changed) == 0 {
		return out.none()
	}
	b, err := a.prepareUpdate(o, w, l, r, &fill.Update{Lines: changed, News: fill.News{Of: of, Prefer: correct.Preference(o.prefer), KeepNew: o.newOnes == "keep"}})
	if err != nil {
		return err
	}
	return a.runChange(ctx, o.filling, w.budget(o.budget), b, out, unread, func() { a.tellUpdated(b, o) })
}

// eachNewest calls do for the newest record of each document of the project, over all runs of its
// schema and prompt, with what people decided about it; and unseen, which may be nil, with the documents
// that no run has.
func (a *app) eachNewest(w *work, do func(n int, l record.Line, err error) error, unseen func([]document.Source)) error {
	if w.project == nil {
		return errors.New("--newest goes by the documents of a project, and none is here; run in a project or name one (-C DIR)")
	}
	l, err := w.keptRuns()
	if err != nil {
		return err
	}
	defer l.Close()
	r, done, err := a.reader(w, &looking{})
	if err != nil {
		return err
	}
	defer done()
	setup, err := w.setup(l, r, &looking{examples: -1})
	if err != nil {
		return err
	}
	if setup.Model, err = w.model(""); err != nil {
		return err
	}
	f, err := fill.New(setup)
	if err != nil {
		return err
	}
	defer f.Close()
	seen, err := nightly.SeenBy(l, nightly.MarkOf(f))
	if err != nil {
		return err
	}
	sources, err := w.sources(nil)
	if err != nil {
		return err
	}
	a.tell(w)
	if unseen != nil {
		unseen(seen.Unseen(sources))
	}
	n := 0
	return seen.Newest(l, sources, func(run int64, rec store.Record) error {
		n++
		line, err := fill.ToLine(run, rec, w.schema)
		if err == nil {
			err = heed(l, w.schema, &line)
		}
		return do(n, line, err)
	})
}

func pickedText(p *nightly.Picked) string {
	var parts []string
	add := func(n int, what string) {
		if n > 0 {
			parts = append(parts, fmt.Sprintf("%s %s", thousands(n), what))
		}
	}
	add(p.New, "new")
	add(p.Again, "failed before")
	add(p.Changed, "changed")
	add(p.Left, "changed and not asked for (--changed)")
	add(p.Same, "filled and as they were")
	add(len(p.Gone), "gone")
	add(len(p.Renamed), "renamed")
	if len(parts) == 0 {
		return "the project has no documents"
	}
	return strings.Join(parts, " · ")
}

// endNight rechecks, writes the summary, and tells who is to be told. It gives how the night
// ended: by err, where that is something.
func (a *app) endNight(ctx context.Context, o *filling, w *work, b *begun, began time.Time, err error) error {
	n := a.newNight(w.project, began)
	n.Schema, n.Run, n.Model = b.Schema.Name, b.run, b.First().Entry
	if b.picked != nil {
		n.Picks, n.Picked = true, *b.picked
	}
	n.Ended = endedBy(err)
	if nerr := a.gather(ctx, o, w, b, n); nerr != nil && err == nil {
		err = nerr
		n.Ended = nerr.Error()
	}
	if r := n.Recheck; r != nil {
		a.tellRecheck(r)
		if r.Worse() && (err == nil || isExit(err, codeFlagged)) {
			err = exit(codeBelow)
		}
	}
	if terr := a.closeNight(o, w.project, n, err); terr != nil && (err == nil || isExit(err, codeFlagged)) {
		err = terr
	}
	return err
}

// newNight gives what is known of a night before it has a run; p is nil without a project.
func (a *app) newNight(p *project.Project, began time.Time) *nightly.Night {
	n := &nightly.Night{Project: "filler", Job: a.job, Began: began, Currency: a.currency}
	if p != nil {
		if dir, err := filepath.Abs(p.Dir); err == nil {
			n.Project = filepath.Base(dir)
		}
	}
	return n
}

// closeNight says how a night ended: in its files, in the log, and to who is to be told.
func (a *app) closeNight(o *filling, p *project.Project, n *nightly.Night, err error) error {
	o.night.ended = true
	n.Took, n.Exit, n.Pile = time.Since(n.Began), codeOf(err), o.pile
	a.events.Info("ended", "run", n.Run, "verdict", n.Verdict(), "exit", n.Exit, "cost", float64(n.Spent)/1e9, "seconds", n.Took.Seconds())
	return a.tellNight(o, p, n)
}

// neverBegan tells of a night that failed before it had a run, such as by a fault of the schema: a page of
// the night before must not be taken for this one's.
func (a *app) neverBegan(o *filling, began time.Time, err error) {
	p, perr := project.Find(".")
	if perr != nil {
		p = nil
	}
	n := a.newNight(p, began)
	n.Unbegun, n.Ended = true, endedBy(err)
	if terr := a.closeNight(o, p, n, err); terr != nil {
		a.notef("%s\n", terr)
	}
}

func isExit(err error, code int) bool {
	var e exit
	return errors.As(err, &e) && int(e) == code
}

func codeOf(err error) int {
	var e exit
	switch {
	case err == nil:
		return codeDone
	case errors.As(err, &e):
		return int(e)
	}
	return codeFailed
}

// endedBy says what ended a night early, or "".
func endedBy(err error) string {
	switch {
	case err == nil || isExit(err, codeFlagged):
		return ""
	case isExit(err, codeBudget):
		return "at the budget"
	case errors.Is(err, job.ErrStopped):
		return "by a signal"
	}
	return err.Error()
}

// gather fills in what a summary says of the run, of drift and of the recheck.
func (a *app) gather(ctx context.Context, o *filling, w *work, b *begun, n *nightly.Night) error {
	if b.run > 0 {
		t, err := b.Ledger.Totals(b.run)
		if err == nil {
			n.Totals, n.Spent = t, t.CostNano
			err = n.LookAt(b.Ledger, b.run, b.Schema)
		}
		if err != nil {
			return err
		}
	}
	approved, err := scores.ApprovedOf(b.Ledger, w.keepsIn(), b.Schema.Name)
	switch {
	case errors.Is(err, scores.ErrNoneApproved):
		if o.night.recheck > 0 {
			n.Skipped = err.Error()
			a.notef("no recheck: %s\n", n.Skipped)
		}
		return nil
	case err != nil:
		return err
	}
	n.Approved = approved.ID
	if b.run > 0 {
		was, err := scores.ProfileOf(b.Ledger, approved, b.Schema)
		if err != nil {
			return err
		}
		now, err := scores.ProfileOf(b.Ledger, store.Run{ID: b.run}, b.Schema)
		if err != nil {
			return err
		}
		n.Drifts = score.DriftOf(was, now)
	}
	if o.night.recheck == 0 {
		return nil
	}
	if n.Ended != "" {
		n.Skipped = "the night was stopped before"
		return nil
	}
	return a.recheck(ctx, o, w, b, approved, n)
}

// recheck fills gold documents again past the cache.
func (a *app) recheck(ctx context.Context, o *filling, w *work, b *begun, approved store.Run, n *nightly.Night) error {
	skip := func(why string) error {
		n.Skipped = why
		a.notef("no recheck: %s\n", why)
		return nil
	}
	shelf, err := w.golds("")
	if err != nil {
		return skip(err.Error())
	}
	set, err := w.goldSet("")
	if err != nil {
		return skip(err.Error())
	}
	was := w.leftOut
	sources, err := w.sources(nil)
	w.leftOut = was
	if err != nil {
		return err
	}
	seed := o.seed*1_000_003 + int64(n.Began.YearDay()) + 1000*int64(n.Began.Year())
	if sources, err = nightly.ToRecheck(b.Ledger, approved, set, sources, o.night.recheck, seed); err != nil {
		return skip(err.Error())
	}
	left := w.budget(o.budget)
	if left > 0 {
		if left -= float64(n.Spent) / 1e9; left <= 0 {
			return skip("the budget is spent")
		}
	}
	setup := b.setup
	setup.Fresh = true
	f, err := fill.New(setup)
	if err != nil {
		return err
	}
	defer f.Close()
	again, err := begin(f, fill.Fill{}, fill.Beginning{Scope: store.Named, Aside: "recheck"}, sources)
	if err != nil {
		return err
	}
	if err := again.SetBudget(again.run, left); err != nil {
		return err
	}
	bar := a.newProgress()
	bar.run = f
	err = again.Run(ctx, again.work, again.run, fill.Hooks{Hooks: job.Hooks{Progress: bar.show}, Waiting: bar.waiting})
	bar.end()
	t, terr := b.Ledger.Totals(again.run)
	if terr != nil {
		return terr
	}
	n.Spent, n.RecheckSpent = n.Spent+t.CostNano, t.CostNano
	var fail *model.Failure
	if errors.As(err, &fail) && fail.Budget {
		return skip("the budget ended it")
	}
	if err != nil {
		return err
	}
	run, err := b.Ledger.Find(fmt.Sprint(again.run))
	if err == nil {
		n.Recheck, err = nightly.Compared(b.Ledger, b.Schema, shelf, approved, run)
	}
	return err
}

func (a *app) tellRecheck(r *nightly.Recheck) {
	how := "no difference beyond chance"
	switch {
	case r.Worse():
		how = fmt.Sprintf("model %s is worse than it was", r.Model)
	case r.Better():
		how = fmt.Sprintf("model %s is better than it was: it is another one", r.Model)
	}
	a.notef("recheck: %s against run %d: F1 %s then, %s now, p = %.4f: %s\n", plural(r.Documents, "document"), r.Approved, ratioText(r.Was), ratioText(r.Now), r.P, how)
}

// notifyFor is how long a command that is told may take.
const notifyFor = time.Minute

// tellNight writes the summary, and gives it to the command that is to be told.
func (a *app) tellNight(o *filling, p *project.Project, n *nightly.Night) error {
	page := func(asJSON bool) []byte {
		if asJSON {
			v := n.JSON()
			return append(v.JSON(), '\n')
		}
		return []byte(night.Page(n))
	}
	if file := o.night.summary; file != "" {
		if err := process.WriteFile(file, page(strings.HasSuffix(file, ".json")), false); err != nil {
			return &document.Error{File: file, Msg: "can't be written", Hint: "check that its folder is there and may be written; the records are in the ledger"}
		}
	}
	if file := o.night.metrics; file != "" {
		if err := process.WriteFile(file, []byte(n.Metrics()), false); err != nil {
			return &document.Error{File: file, Msg: "can't be written", Hint: "check that its folder is there and may be written; the records are in the ledger"}
		}
	}
	if p == nil || len(p.Notify.Command) == 0 || !o.night.picks() {
		return nil
	}
	ctx, cancel := context.WithTimeout(context.Background(), notifyFor)
	defer cancel()
	args := p.Notify.Command
	cmd := exec.CommandContext(ctx, args[0], args[1:]...)
	cmd.Dir, cmd.Stdin = p.Dir, bytes.NewReader(page(p.Notify.JSON))
	cmd.WaitDelay = time.Second
	if said, err := cmd.CombinedOutput(); err != nil {
		why := firstLine(strings.TrimSpace(string(said)))
		if ctx.Err() != nil {
			why = "it did not end within a minute"
		} else if why == "" {
			why = err.Error()
		}
		complete := "the run is complete, and "
		if n.Unbegun {
			complete = ""
		}
		return fmt.Errorf("%s: notify: %s: %s; %snobody was told", p.File, args[0], why, complete)
	}
	return nil
}
