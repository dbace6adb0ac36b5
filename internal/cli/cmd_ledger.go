package cli

import (
	"errors"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/run/nightly"
	"filler/internal/run/scores"
	"filler/internal/store"
	"filler/internal/store/postgres"
)

func (a *app) ledgerCmd() *cobra.Command {
	cmd := &cobra.Command{Use: "ledger", Short: "Where runs and exchanges are kept: a file, or a database", Args: noSuch,
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
		Long: "Look after the ledger: .filler/ledger.db, or the PostgreSQL database that `ledger:` in filler.yaml or\nFILLER_LEDGER names. `copy` copies it, also between the two and to hand on; `merge` puts the parts of a pile\ntogether that were filled on several machines; `rights` lets workers in.\n\nRead more: filler help formats, \"The ledger\"; filler help machines."}
	cmd.AddCommand(a.pruneCmd(), a.copyCmd(), a.mergeCmd(), a.rightsCmd())
	return cmd
}

func (a *app) pruneCmd() *cobra.Command {
	var trial, asJSON, byRules bool
	var older string
	cmd := &cobra.Command{Use: "prune [RUN...]", Short: "Drop runs, and exchanges that no run uses",
		Long: `Drop the named runs with their records, then all exchanges and texts that no other run
uses, and give the space back. Without RUN only what belongs to no run goes, such as the
exchanges of probe and of pictures read by a model. What is dropped would have to be paid
again; --dry-run says how much it is and drops nothing.

--older 90d drops the runs that began before; --by-rules those that the rules under keep: in
filler.yaml no longer keep. The approved run, a run that is going, and the newest run stay. A record
that is the newest of its document goes with its run: the next night fills it again.

  keep: {unnamed: 90d, named: ever, last: 30}`,
		RunE: func(_ *cobra.Command, args []string) error {
			w, err := a.anywhere()
			if err != nil {
				return err
			}
			there, err := w.keptRuns() // none is made for this
			if err != nil {
				return err
			}
			there.Close()
			l, err := w.openRuns()
			if err != nil {
				return err
			}
			defer l.Close()
			pruner, ok := l.(store.Pruner)
			if !ok {
				return errors.New("this store can't be pruned")
			}
			runs, err := a.tooOld(w, l, older, byRules)
			if err != nil {
				return err
			}
			for _, name := range args {
				run, err := l.Find(name)
				if err != nil {
					return err
				}
				runs = append(runs, run.ID)
			}
			p, err := pruner.Prune(runs, trial)
			if err != nil {
				return err
			}
			a.tellPruned(p, trial, asJSON)
			return nil
		}}
	cmd.Flags().StringVar(&older, "older", "", "drop the runs that began longer ago than this `AGE`, such as 90d")
	cmd.Flags().BoolVar(&byRules, "by-rules", false, "drop the runs that keep: in filler.yaml no longer keeps")
	cmd.Flags().BoolVar(&trial, "dry-run", false, "say what would be dropped, and drop nothing")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
}

// tooOld gives the runs that an age or the project's rules let go.
func (a *app) tooOld(w *work, l store.Store, older string, byRules bool) ([]int64, error) {
	var rules []project.Keep
	if older != "" {
		age, err := project.Age(older)
		if err != nil {
			a.parsed = false
			return nil, fmt.Errorf("--older is a length of time such as 90d, not %q", older)
		}
		rules = append(rules, project.Keep{Runs: "all", For: age})
	}
	if byRules {
		if w.project == nil || len(w.project.Keep) == 0 {
			return nil, errors.New("--by-rules follows `keep:` in filler.yaml, and none is there; write `keep: {unnamed: 90d, named: ever}`")
		}
		rules = append(rules, w.project.Keep...)
	}
	if len(rules) == 0 {
		return nil, nil
	}
	runs, err := l.Runs()
	if err != nil {
		return nil, err
	}
	approved, err := scores.AllApproved(w.keepsIn())
	if err != nil {
		return nil, err
	}
	old, kept := nightly.TooOld(runs, rules, approved, time.Now())
	if kept > 0 {
		a.notef("%s older than that stay: approved, going, or the newest\n", plural(kept, "run"))
	}
	return old, nil
}

func (a *app) tellPruned(p store.Pruned, trial, asJSON bool) {
	if asJSON {
		n := func(name string, n int64) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
		a.printJSON(value.Obj(n("runs", int64(p.Runs)), n("records", int64(p.Records)), n("exchanges", int64(p.Exchanges)), n("bodies", int64(p.Bodies)),
			n("bytes_before", p.Before), n("bytes_after", p.After), value.Boolean(trial).Named("dry_run")))
		return
	}
	what := fmt.Sprintf("%s, %s, %s", plural(p.Runs, "run"), plural(p.Records, "record"), plural(p.Exchanges, "exchange"))
	if trial {
		a.printf("would drop %s; the ledger has %s\n", what, megabytes(p.Before))
		return
	}
	a.printf("dropped %s; the ledger had %s and has %s\n", what, megabytes(p.Before), megabytes(p.After))
}

func (a *app) rightsCmd() *cobra.Command {
	return &cobra.Command{Use: "rights ROLE", Short: "The statements that let a role of the database work on the ledger", Args: one("a role"),
		Long: "Print the statements by which whoever owns a ledger in PostgreSQL lets another role read and write its\nrows, and nothing else: what workers need. They are to be run again after an upgrade that brings new tables.\n\n  filler ledger rights worker | psql postgres://owner@db.example/filler",
		RunE: func(_ *cobra.Command, args []string) error {
			a.printf("%s\n", postgres.Rights(args[0]))
			return nil
		}}
}

func megabytes(n int64) string { return fmt.Sprintf("%.2f MB", float64(n)/1e6) }
