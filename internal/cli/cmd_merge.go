package cli

import (
	"cmp"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/run/fill"
	"filler/internal/source/document"
	"filler/internal/store"
)

// shardFlag is a part of a pile, as it is typed.
type shardFlag struct{ document.Shard }

func (s *shardFlag) Type() string { return "PART" }
func (s *shardFlag) Set(text string) (err error) {
	s.Shard, err = document.ParseShard(text)
	return err
}

func (a *app) mergeCmd() *cobra.Command {
	return &cobra.Command{Use: "merge LEDGER...", Short: "Put the parts of a pile together that were filled apart", Args: cobra.MinimumNArgs(2),
		Long: `Put the newest runs that were filled with --shard into one run of this project, out of the
ledgers of the machines that filled them: records, exchanges and cost, in the order of the
project's documents. All parts have to be there, done, and of one schema, prompt and model. The
ledgers stay as they are.

  filler fill --shard 1/3           on the first machine, and so on
  filler ledger merge one.db two.db three.db`,
		RunE: func(_ *cobra.Command, args []string) error { return a.merge(args) }}
}

func (a *app) merge(files []string) error {
	w, err := a.open("")
	if err != nil {
		return err
	}
	var parts []store.Part
	seen := map[string]string{}
	of := ""
	for _, file := range files {
		p, err := partIn(w, file)
		if err != nil {
			return err
		}
		defer p.Store.Close()
		own := fill.ShardOf(p.Run)
		_, n, _ := strings.Cut(own, "/")
		switch other, twice := seen[own]; {
		case twice:
			return fmt.Errorf("%s and %s are both part %s; name each part once", other, file, own)
		case of != "" && n != of:
			return fmt.Errorf("%s: it is part %s, and the others are of %s", file, own, of)
		}
		seen[own], of = file, n
		parts = append(parts, p)
	}
	n, _ := strconv.Atoi(of)
	for k := 1; k <= n; k++ {
		if seen[fmt.Sprintf("%d/%d", k, n)] == "" {
			return fmt.Errorf("part %d/%d is missing: %d of %d parts are named", k, n, len(parts), n)
		}
	}
	sources, err := w.sources(nil)
	if err != nil {
		return err
	}
	place := map[string]int{}
	for i, s := range sources {
		place[s.ID] = i + 1
	}
	at := func(id string) int { return cmp.Or(place[id], len(sources)+1) }
	first := parts[0].Run
	whole := store.Run{Name: first.Name, Scope: store.All, Of: first.Of, Schema: first.Schema, SchemaFile: first.SchemaFile, Prompt: first.Prompt, Model: first.Model, Identity: first.Identity, Rounds: first.Rounds, Settings: fill.WithoutShard(first.Settings)}
	to, err := w.openRuns()
	if err != nil {
		return err
	}
	defer to.Close()
	run, err := store.Merge(to, whole, parts, func(x, y string) int { return cmp.Compare(at(x), at(y)) })
	if err != nil {
		if pruner, ok := to.(store.Pruner); ok && run > 0 {
			_, perr := pruner.Prune([]int64{run}, false)
			err = errors.Join(err, perr)
		}
		return err
	}
	t, err := to.Totals(run)
	if err != nil {
		return err
	}
	a.notef("run %d: %s of %s · %d unflagged · %d repaired · %d flagged · %d failed · %s, cost %s\n", run, plural(t.Documents, "document"), plural(len(parts), "part"), t.Unflagged, t.Repaired, t.Flagged, t.Failed, plural(t.Exchanges, "exchange"), a.cost(t.CostNano))
	return nil
}

// partIn gives the newest run of a ledger that filled a part.
func partIn(w *work, file string) (store.Part, error) {
	l, err := openToRead(file, w.job())
	if err != nil {
		return store.Part{}, fmt.Errorf("%s: %w", file, err)
	}
	runs, err := l.Runs()
	if err != nil {
		l.Close()
		return store.Part{}, err
	}
	for _, r := range runs {
		if fill.ShardOf(r) == "" {
			continue
		}
		run, err := l.Find(fmt.Sprint(r.ID))
		if err == nil && run.State != store.Done {
			err = fmt.Errorf("run %d is %s; `filler fill --resume` there first", run.ID, run.State)
		}
		if err != nil {
			l.Close()
			return store.Part{}, fmt.Errorf("%s: %w", file, err)
		}
		return store.Part{Name: file, Store: l, Run: run}, nil
	}
	l.Close()
	return store.Part{}, fmt.Errorf("%s: no run in it was filled with --shard", file)
}
