package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"

	"github.com/spf13/cobra"

	"filler/internal/base/secret"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/store"
	"filler/internal/store/postgres"
)

func (a *app) copyCmd() *cobra.Command {
	var redact bool
	cmd := &cobra.Command{Use: "copy [FROM] TO", Short: "Copy the ledger, into a file or a database, whole or to hand on", Args: cobra.RangeArgs(1, 2),
		Long: `Copy the ledger of this project, or the one named FROM. Each is a file, or a database such as
postgres://filler@db.example/filler.

A file is copied into a new file as it is at one moment, also while runs go on. From or into a
database copying goes run by run, the oldest first: each is
given a new number, read back and held against what was copied. What is there already is not copied
twice, so that a copy that was cut short goes on.

With --redact the copy can be handed on: it holds no documents, requests, raw replies or
solved examples, the steps of a trace without the words that they quote, and random tokens in
the place of sensitive values (the same for the same value). Names of documents, metadata,
schemas with their lists of choices, and values that are not sensitive stay.`,
		RunE: func(_ *cobra.Command, args []string) error {
			from, to := "", args[len(args)-1]
			if len(args) == 2 {
				from = args[0]
			}
			return a.copyLedger(from, to, redact)
		}}
	cmd.Flags().BoolVar(&redact, "redact", false, "leave out documents, requests and replies, and hide sensitive values")
	return cmd
}

func (a *app) copyLedger(from, to string, redact bool) error {
	var l store.Store
	var err error
	if from == "" {
		l, _, err = a.kept()
	} else if l, err = openToRead(from, ""); errors.Is(err, store.ErrNone) {
		err = fmt.Errorf("%s: there is no ledger", secret.Address(from))
	}
	if err != nil {
		return err
	}
	defer l.Close()
	copier, is := l.(store.Copier)
	if !postgres.Is(to) {
		if err := noSuchPlace(to); err != nil {
			return err
		}
	}
	switch {
	case redact && postgres.Is(to):
		return errors.New("--redact makes a file; name one")
	case is && !postgres.Is(to):
		return a.copyFile(copier, to, redact)
	case redact:
		return a.redacted(l, to)
	}
	return a.copyRuns(l, to, true)
}

// copyFile copies a file into a new one.
func (a *app) copyFile(l store.Copier, to string, redact bool) error {
	var redo *store.Redo
	if redact {
		redo = fill.Redaction()
	}
	if err := l.Copy(to, redo); err != nil {
		return err
	}
	info, err := os.Stat(to)
	if err == nil {
		a.notef("%s: %s\n", to, megabytes(info.Size()))
	}
	return err
}

// redacted copies a database into a file for others, by way of a file that is not.
func (a *app) redacted(l store.Store, to string) error {
	dir, err := os.MkdirTemp("", "filler-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	whole := filepath.Join(dir, "ledger.db")
	if err := a.copyRuns(l, whole, false); err != nil {
		return err
	}
	c, err := openToRead(whole, "")
	if err != nil {
		return err
	}
	defer c.Close()
	return a.copyFile(c.(store.Copier), to, true)
}

// copyRuns copies run by run, and tells of each where that is wanted.
func (a *app) copyRuns(l store.Store, at string, tell bool) error {
	to, err := openLedger(at, "")
	if err != nil {
		return err
	}
	defer to.Close()
	n, was := 0, 0
	numbers, err := store.CopyRuns(l, to, func(c store.Copied) {
		if c.Was {
			was++
			return
		}
		if n++; !tell {
			return
		}
		a.notef("run %d is run %d there: %s, %s, cost %s\n", c.From, c.To, plural(c.Totals.Documents, "document"), plural(c.Totals.Exchanges+c.Totals.Cached, "exchange"), a.cost(c.Totals.CostNano))
	})
	if err != nil {
		return err
	}
	names, err := schemaNames(l)
	if err != nil {
		return err
	}
	reviews, err := store.CopyReviews(l, to, names, numbers)
	if err != nil {
		return err
	}
	there := ""
	switch {
	case !tell:
		return nil
	case was == 1:
		there = "; 1 run was there already"
	case was > 1:
		there = fmt.Sprintf("; %d runs were there already", was)
	}
	a.notef("%s: %s copied and read back, %s%s\n", secret.Address(at), plural(n, "run"), plural(reviews, "review"), there)
	return nil
}

// schemaNames gives the names of the schemas of all runs.
func schemaNames(l store.Store) (names []string, err error) {
	runs, err := l.Runs()
	if err != nil {
		return nil, err
	}
	seen := map[string]bool{}
	for _, r := range runs {
		if seen[r.SchemaHash] {
			continue
		}
		seen[r.SchemaHash] = true
		source, err := l.Blob(r.SchemaHash)
		if err != nil {
			return nil, err
		}
		if s, err := schema.Parse(r.SchemaFile, source); err == nil && !slices.Contains(names, s.Name) {
			names = append(names, s.Name)
		}
	}
	return names, nil
}
