package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/measure/gold"
	"filler/internal/measure/review"
	"filler/internal/measure/score"
	"filler/internal/record"
)

func (a *app) goldAdjudicateCmd() *cobra.Command {
	var reviewer, choices, out string
	var onScreen, inBrowser bool
	cmd := &cobra.Command{Use: "adjudicate A B", Short: "Write gold from two reviewers' records", Args: cobra.ExactArgs(2),
		Long: "Write reviewed gold from two reviewers' records: the values on which they agree, and for\nthose that differ what the choices file says (`filler gold agreement A B --choices FILE`).\nEach record keeps the two reviewers, the adjudicator, and each value that was adjudicated.\n\nWith --review the values that differ are shown one after another, with the source beside them:\nenter says that the first is right, 2 the second; what is decided is kept in the file of choices.\n\n  filler gold adjudicate gold gold-second --review --choices differ.jsonl --reviewer 'M. Harrow'",
		RunE: func(cmd *cobra.Command, args []string) error {
			if strings.TrimSpace(reviewer) == "" {
				a.parsed = false
				return errors.New("no adjudicator is named; add --reviewer NAME")
			}
			if onScreen || inBrowser {
				if choices == "" {
					a.parsed = false
					return errors.New("no file is named in which the choices are kept; add --choices FILE")
				}
				o := &reviewing{reviewer: reviewer, browser: inBrowser, below: 0}
				if err := a.reviewPairs(cmd.Context(), o, args[0], args[1], choices); err != nil {
					return err
				}
			}
			return a.goldAdjudicate(args[0], args[1], reviewer, choices, out)
		}}
	cmd.Flags().StringVar(&reviewer, "reviewer", "", "the `NAME` of who adjudicates, kept in the gold files")
	cmd.Flags().StringVar(&choices, "choices", "", "the `FILE` of choices; not needed if nothing differs")
	cmd.Flags().BoolVar(&onScreen, "review", false, "decide on the screen")
	cmd.Flags().BoolVar(&inBrowser, "browser", false, "decide in a browser")
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
		if info, err := os.Stat(file); err == nil && !isFile(info, x[id].File) && !isFile(info, y[id].File) {
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

// isFile tells whether a path, however it is written, leads to a file.
func isFile(info os.FileInfo, path string) bool {
	other, err := os.Stat(path)
	return err == nil && os.SameFile(info, other)
}

// reviewPairs shows the values in which two reviewers differ, until the adjudicator
// stops.
func (a *app) reviewPairs(ctx context.Context, o *reviewing, first, second, choiceFile string) error {
	w, err := a.open("")
	if err != nil {
		return err
	}
	x, xs, err := w.reviewersRecords(first)
	if err != nil {
		return err
	}
	_, ys, err := w.reviewersRecords(second)
	if err != nil {
		return err
	}
	made := gold.Choices{}
	if _, err := os.Stat(choiceFile); err == nil {
		if made, err = gold.ReadChoices(choiceFile); err != nil {
			return err
		}
	}
	check, err := record.NewValidator(w.schema)
	if err != nil {
		return err
	}
	var differ []review.Difference
	got := score.Agree(w.schema, xs, ys)
	for _, l := range got.Leaves {
		differ = append(differ, review.Difference{Document: l.Document, Path: l.Path, First: l.A, Second: l.B})
	}
	return a.atDesk(ctx, w, o, laid{check, review.NewPairs(w.schema, x, differ, made, choiceFile), first})
}
