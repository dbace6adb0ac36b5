package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"filler/internal/base/value"
	"filler/internal/store"
)

func (a *app) ledgerCmd() *cobra.Command {
	cmd := &cobra.Command{Use: "ledger", Short: "The file that runs and exchanges are kept in", Args: noSuch,
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
		Long: "Look after the ledger, .filler/ledger.db. `copy` makes a copy, also one to hand on.\n\nRead more: docs/formats.md, \"The ledger\"."}
	cmd.AddCommand(a.pruneCmd(), a.copyCmd())
	return cmd
}

func (a *app) pruneCmd() *cobra.Command {
	var trial, asJSON bool
	cmd := &cobra.Command{Use: "prune [RUN...]", Short: "Drop runs, and exchanges that no run uses",
		Long: `Drop the named runs with their records, then all exchanges and texts that no other run
uses, and give the space back. Without RUN only what belongs to no run goes, such as the
exchanges of probe and of pictures read by a model. What is dropped would have to be paid
again; --dry-run says how much it is and drops nothing.`,
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
			var runs []int64
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
	cmd.Flags().BoolVar(&trial, "dry-run", false, "say what would be dropped, and drop nothing")
	cmd.Flags().BoolVar(&asJSON, "json", false, "print JSON")
	return cmd
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

func megabytes(n int64) string { return fmt.Sprintf("%.2f MB", float64(n)/1e6) }
