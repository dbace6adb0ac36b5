package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/secret"
	"filler/internal/base/value"
	"filler/internal/run/fill"
	"filler/internal/run/job"
	"filler/internal/run/worker"
	"filler/internal/store"
	"filler/internal/store/postgres"
)

func (a *app) workerCmd() *cobra.Command {
	var until bool
	var runName string
	cmd := &cobra.Command{Use: "worker", Short: "Work on runs that other machines began", Args: cobra.NoArgs,
		Long: `Take part in the runs of a ledger that machines share, a PostgreSQL database. No project is
needed here: the schema, the prompt, the settings and (unless copy_documents: false) what is in
the documents come with the run. Keys of models come from this machine's environment, or from
.env in the folder at hand.

  export FILLER_LEDGER=postgres://filler@db.example/filler
  filler worker                  # until Ctrl-C: works, and waits for more
  filler worker --until-done     # ends when nothing is left to do

All workers together keep one pace and one budget. A worker may be started and ended at any
time; what one that is gone was at is done by others.

Read more: filler help machines.`,
		RunE: func(cmd *cobra.Command, _ []string) error { return a.work(cmd.Context(), runName, until) }}
	cmd.Flags().BoolVar(&until, "until-done", false, "end when nothing is left to do")
	cmd.Flags().StringVar(&runName, "run", "", "work on this `RUN` only")
	return cmd
}

func (a *app) work(ctx context.Context, runName string, until bool) error {
	w, err := a.anywhere()
	if err != nil {
		return err
	}
	at, err := w.ledgerAt()
	if err != nil {
		return err
	}
	if !postgres.Is(at) {
		return worker.ErrNotShared
	}
	l, err := openLedger(at, "")
	if err != nil {
		return err
	}
	defer l.Close()
	here := fill.Here{Ledger: l, Dir: w.root, Project: w.project}
	if dir, err := os.UserCacheDir(); err == nil {
		here.Keep = filepath.Join(dir, "filler")
	}
	hand := &worker.Worker{Here: here, Until: until}
	if runName != "" {
		run, err := l.Find(runName)
		if err != nil {
			return err
		}
		hand.Only = run.ID
	}
	var bar *progress
	worked := false
	var began time.Time
	var done int
	hand.Begins = func(run store.Run, currency string, f *fill.Filler) fill.Hooks {
		a.currency, began, done, worked = currency, time.Now(), 0, true
		a.notef("run %d%s: at work\n", run.ID, nameOf(run))
		bar = a.newProgress()
		bar.run = f
		return a.logged(run.ID, fill.Hooks{Hooks: job.Hooks{Progress: func(now job.Progress) { done++; bar.show(now) }}, Waiting: bar.waiting})
	}
	hand.Ends = func(run store.Run, f *fill.Filler, err error) {
		bar.end()
		a.notef("run %d%s: %s filled here, cost %s, %s\n", run.ID, nameOf(run), plural(done, "document"), a.cost(f.SpentNano()), seconds(time.Since(began)))
		if err != nil && !errors.Is(err, job.ErrStopped) {
			a.notef("run %d: %s\n", run.ID, visible(err.Error()))
		}
	}
	hand.Cant = func(run store.Run, err error) {
		a.notef("run %d%s is left to others: %s\n", run.ID, nameOf(run), visible(strings.TrimPrefix(err.Error(), fmt.Sprintf("run %d: ", run.ID))))
	}
	if !until {
		a.notef("waiting for runs in %s; Ctrl-C ends\n", secret.Address(at))
	}
	err = hand.Work(ctx)
	if err == nil && until && !worked {
		a.notef("nothing is left to do in %s\n", secret.Address(at))
	}
	return err
}

// nameOf gives the name of a run in brackets, behind its number.
func nameOf(run store.Run) string {
	if run.Name == "" {
		return ""
	}
	return " (" + run.Name + ")"
}

// shared gives the ledger that machines share, and a run of it.
func (a *app) shared(name string) (store.Store, store.Shared, store.Run, error) {
	l, _, err := a.kept()
	if err != nil {
		return nil, nil, store.Run{}, err
	}
	sh, is := l.(store.Shared)
	if !is {
		l.Close()
		return nil, nil, store.Run{}, errors.New("the runs here are one machine's (Ctrl-C stops one, `filler fill --resume` goes on); with `ledger: postgres://…` in filler.yaml several machines share them")
	}
	var run store.Run
	if name != "" {
		if run, err = l.Find(name); err != nil {
			l.Close()
		}
	}
	return l, sh, run, err
}

func (a *app) stopCmd() *cobra.Command {
	return &cobra.Command{Use: "stop RUN", Short: "Have all workers of a shared run stop", Args: one("a run"),
		Long: "Have all workers of a run stop, on whatever machine: what they are at comes to its end, and nothing\nnew begins. `filler runs resume RUN` has them go on.",
		RunE: func(_ *cobra.Command, args []string) error {
			l, sh, run, err := a.shared(args[0])
			if err != nil {
				return err
			}
			defer l.Close()
			if run.State != store.Going && run.State != store.Interrupted {
				return fmt.Errorf("run %d is %s; there is nothing to stop", run.ID, run.State)
			}
			if err := sh.Halt(run.ID); err != nil {
				return err
			}
			a.notef("run %d: its workers stop; `filler runs resume %d` has them go on\n", run.ID, run.ID)
			return nil
		}}
}

func (a *app) resumeCmd() *cobra.Command {
	return &cobra.Command{Use: "resume RUN", Short: "Have workers go on with a shared run", Args: one("a run"),
		Long: "Have workers go on with a run that was stopped. Those that wait (`filler worker`) take it up at once;\n`filler fill --resume=RUN` takes part in it here.",
		RunE: func(_ *cobra.Command, args []string) error {
			l, sh, run, err := a.shared(args[0])
			if err != nil {
				return err
			}
			defer l.Close()
			all, left, err := l.Left(run.ID)
			if err != nil {
				return err
			}
			if left == 0 {
				return fmt.Errorf("run %d is %s: all of its %s are done; those that failed are tried again by `filler fill --resume=%d`", run.ID, run.State, plural(all, "document"), run.ID)
			}
			if err := sh.Resume(run.ID); err != nil {
				return err
			}
			a.notef("run %d: %s of %s left; workers that wait take it up\n", run.ID, thousands(left), plural(all, "document"))
			return nil
		}}
}

func (a *app) workersCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{Use: "workers", Short: "Who works on shared runs, and how fast", Args: cobra.NoArgs,
		Long: "List the processes that take part in the runs of a shared ledger: their machine, since when, how many\ndocuments they have filled and how fast. One that is not heard of is thought dead after 15 seconds; what\nit was at is free again then.",
		RunE: func(_ *cobra.Command, _ []string) error {
			l, sh, _, err := a.shared("")
			if err != nil {
				return err
			}
			defer l.Close()
			all, err := sh.Workers()
			if err != nil {
				return err
			}
			return a.printWorkers(all, asJSON)
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the workers as JSON Lines")
	return cmd
}

func (a *app) printWorkers(all []store.Worker, asJSON bool) error {
	t := a.newTable(">run", "machine", ">process", "state", "since", ">documents", ">a second", ">spent").giveWay("process", "since", "spent")
	atRun := map[string]bool{} // processes that have a run have a row beside, for what they ask
	for _, w := range all {
		atRun[w.Process] = atRun[w.Process] || w.Run > 0
	}
	for _, w := range all {
		if w.Run == 0 && atRun[w.Process] {
			continue
		}
		rate := perSecond(w)
		if asJSON {
			a.printJSON(value.Obj(value.Num(fmt.Sprint(w.Run)).Named("run"), value.Str(w.Host).Named("machine"), value.Str(w.Process).Named("process"), value.Boolean(w.Alive).Named("alive"),
				value.Str(w.Since.UTC().Format(time.RFC3339)).Named("since"), value.Num(fmt.Sprint(w.Done)).Named("documents"), value.Num(fmt.Sprintf("%.2f", rate)).Named("per_second"), value.Num(fmt.Sprintf("%.6f", float64(w.Spent)/1e9)).Named("spent")))
			continue
		}
		state, run := "at work", any(w.Run)
		switch {
		case !w.Alive:
			state = "not heard of"
		case w.Run == 0:
			state, run = "waits", "–"
		}
		_, number, _ := strings.Cut(w.Process, "/")
		t.row(run, w.Host, number, state, w.Since.Local().Format("15:04:05"), w.Done, fmt.Sprintf("%.1f", rate), a.cost(w.Spent))
	}
	if !asJSON {
		if len(all) == 0 {
			a.notef("nobody is at work\n")
			return nil
		}
		t.print()
	}
	return nil
}

// perSecond gives how many documents a worker fills.
func perSecond(w store.Worker) float64 {
	took := time.Since(w.Since).Seconds()
	if took <= 0 {
		return 0
	}
	return float64(w.Done) / took
}

func (a *app) progressCmd() *cobra.Command {
	var asJSON, follow bool
	cmd := &cobra.Command{Use: "progress RUN", Short: "How far a run is, on all machines", Args: one("a run"),
		Long: "Say how far a run is, whoever works on it: documents done, what came of them, how fast, time left,\ncost, and how many workers are at it. --follow goes on until it has ended.",
		RunE: func(cmd *cobra.Command, args []string) error {
			l, p, err := a.kept()
			if err != nil {
				return err
			}
			defer l.Close()
			if p != nil {
				a.currency = p.Currency
			}
			for {
				run, err := l.Find(args[0])
				if err != nil {
					return err
				}
				if err := a.printProgress(l, run, asJSON); err != nil {
					return err
				}
				if !follow || run.State != store.Going && run.State != store.Interrupted {
					return nil
				}
				select {
				case <-cmd.Context().Done():
					return nil
				case <-time.After(lineEvery):
				}
			}
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	cmd.Flags().BoolVar(&follow, "follow", false, "a line every few seconds, until the run has ended")
	return cmd
}

func (a *app) printProgress(l store.Store, run store.Run, asJSON bool) error {
	t, err := l.Totals(run.ID)
	if err != nil {
		return err
	}
	var hands int
	var rate float64
	if sh, is := l.(store.Shared); is {
		all, err := sh.Workers()
		if err != nil {
			return err
		}
		for _, w := range all {
			if w.Run == run.ID && w.Alive {
				hands, rate = hands+1, rate+perSecond(w)
			}
		}
	} else if run.State == store.Going {
		hands, rate = 1, float64(t.Documents-t.Waiting)/max(time.Since(run.Began).Seconds(), 1)
	}
	if asJSON {
		n := func(name string, n int) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
		a.printJSON(value.Obj(n("run", int(run.ID)), value.Str(run.State).Named("state"), n("documents", t.Documents), n("done", t.Documents-t.Waiting), n("unflagged", t.Unflagged), n("repaired", t.Repaired), n("flagged", t.Flagged), n("failed", t.Failed),
			n("workers", hands), value.Num(fmt.Sprintf("%.2f", rate)).Named("per_second"), value.Num(fmt.Sprintf("%.6f", float64(t.CostNano)/1e9)).Named("cost")))
		return nil
	}
	pace := ""
	if rate > 0 {
		pace = fmt.Sprintf(" · %.1f a second", rate)
	}
	if rate > 0 && t.Waiting > 0 {
		pace += " · " + seconds(time.Duration(float64(t.Waiting)/rate*float64(time.Second))) + " left"
	}
	a.printf("run %d%s is %s: %s of %s%s · %d flagged · %d failed · cost %s%s · %s\n", run.ID, nameOf(run), run.State, thousands(t.Documents-t.Waiting), plural(t.Documents, "document"), pace, t.Flagged, t.Failed, a.cost(t.CostNano), a.estimated(t), plural(hands, "worker"))
	return nil
}
