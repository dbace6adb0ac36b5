package cli

import (
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/measure/gold"
	"filler/internal/measure/score"
)

func (a *app) goldAdjudicateCmd() *cobra.Command {
	var reviewer, choices, out string
	cmd := &cobra.Command{Use: "adjudicate A B", Short: "Write gold from two reviewers' records", Args: cobra.ExactArgs(2),
		Long: "Write reviewed gold from two reviewers' records: the values on which they agree, and for\nthose that differ what the choices file says (`filler gold agreement A B --choices FILE`).\nEach record keeps the two reviewers, the adjudicator, and each value that was adjudicated.",
		RunE: func(_ *cobra.Command, args []string) error {
			if strings.TrimSpace(reviewer) == "" {
				a.parsed = false
				return errors.New("no adjudicator is named; add --reviewer NAME")
			}
			return a.goldAdjudicate(args[0], args[1], reviewer, choices, out)
		}}
	cmd.Flags().StringVar(&reviewer, "reviewer", "", "the `NAME` of who adjudicates, kept in the gold files")
	cmd.Flags().StringVar(&choices, "choices", "", "the `FILE` of choices; not needed if nothing differs")
	cmd.Flags().StringVar(&out, "to", "", "write below this `DIR`, in place of the project's gold")
	return cmd
}

func (a *app) goldAdjudicate(first, second, reviewer, choiceFile, out string) error {
	w, err := a.open("")
	if err != nil {
		return err
	}
	if out == "" {
		if out, err = w.goldFolder(); err != nil {
			return err
		}
	}
	x, xs, err := w.reviewersRecords(first)
	if err != nil {
		return err
	}
	y, ys, err := w.reviewersRecords(second)
	if err != nil {
		return err
	}
	choices, err := gold.ReadChoices(choiceFile)
	if err != nil {
		return err
	}
	got := score.Agree(w.schema, xs, ys)
	open := 0
	for _, l := range got.Leaves {
		if !choices.Has(l.Document, l.Path) {
			if open++; open <= firstErrors {
				a.notef("no choice for: %s%s  %s\n", l.Document, l.Path, w.beside(&l, " | "))
			}
		}
	}
	if open > 0 {
		return fmt.Errorf("%s differ and have no choice; `filler gold agreement %s %s --choices FILE` writes them to a file", plural(open, "value"), first, second)
	}
	written := 0
	for _, id := range x.Documents() {
		if why := gold.NotAdjudicable(x[id], y[id]); why != "" {
			a.notef("left out: %s (%s)\n", id, why)
			continue
		}
		file := gold.FileOf(out, id)
		if _, err := os.Stat(file); err == nil && file != x[id].File && file != y[id].File {
			a.notef("left out: %s (%s exists; move it away, or add --to DIR)\n", id, file)
			continue
		}
		v := gold.NewAdjudicated(w.schema, x[id], y[id], choices[id], reviewer, time.Now())
		if err := gold.Write(file, &v); err != nil {
			return err
		}
		written++
	}
	for _, id := range y.Documents() {
		if x[id] == nil {
			a.notef("left out: %s (only B has it)\n", id)
		}
	}
	a.notef("%s written below %s, adjudicated by %s\n", plural(written, "gold record"), out, reviewer)
	return nil
}
