package cli

import (
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/gold"
	"filler/internal/score"
)

func (a *app) goldSettleCmd() *cobra.Command {
	var by, choices, out string
	cmd := &cobra.Command{Use: "settle A B", Short: "Write the gold that two reviewers' records come to", Args: cobra.ExactArgs(2),
		Long: "Write reviewed gold from two reviewers' records: what both say, and for the leaves in which\nthey differ what the file of choices says (`filler gold agree A B --choices FILE`). Each\nrecord keeps who the two were, who settled it, and each leaf that was settled.",
		RunE: func(_ *cobra.Command, args []string) error {
			if strings.TrimSpace(by) == "" {
				a.parsed = false
				return errors.New("who settles it? say --by NAME")
			}
			return a.goldSettle(args[0], args[1], by, choices, out)
		}}
	cmd.Flags().StringVar(&by, "by", "", "who settles it")
	cmd.Flags().StringVar(&choices, "choices", "", "the `file` of choices; none is needed where nothing differs")
	cmd.Flags().StringVar(&out, "to", "", "write below this `folder`, in place of the project's gold")
	return cmd
}

func (a *app) goldSettle(first, second, by, choiceFile, out string) error {
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
			if open++; open <= firstMisses {
				a.notef("not settled: %s%s  %s\n", l.Document, l.Path, w.beside(&l, " | "))
			}
		}
	}
	if open > 0 {
		return fmt.Errorf("%s not settled; `filler gold agree %s %s --choices FILE` writes them down", plural(open, "leaf"), first, second)
	}
	written := 0
	for _, id := range x.Documents() {
		if why := gold.Unsettled(x[id], y[id]); why != "" {
			a.notef("left out: %s (%s)\n", id, why)
			continue
		}
		file := gold.FileOf(out, id)
		if _, err := os.Stat(file); err == nil && file != x[id].File && file != y[id].File {
			a.notef("left out: %s (%s is there already; move it away, or say --to FOLDER)\n", id, file)
			continue
		}
		v := gold.NewSettled(w.schema, x[id], y[id], choices[id], by, time.Now())
		if err := gold.Write(file, &v); err != nil {
			return err
		}
		written++
	}
	for _, id := range y.Documents() {
		if x[id] == nil {
			a.notef("left out: %s (only the second has it)\n", id)
		}
	}
	a.notef("%s written below %s, settled by %s\n", plural(written, "gold record"), out, by)
	return nil
}
