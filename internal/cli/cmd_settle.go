package cli

import (
	"bufio"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/gold"
	"filler/internal/place"
	"filler/internal/score"
	"filler/internal/value"
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
	choices, err := readChoices(choiceFile)
	if err != nil {
		return err
	}
	got := score.Agree(w.schema, xs, ys)
	open := 0
	for _, l := range got.Leaves {
		if !chosen(choices[l.Document], l.Path) {
			if open++; open <= firstMisses {
				a.notef("not settled: %s%s  %s | %s\n", l.Document, l.Path, clip(oneLine(shownValue(&l.A)), 40), clip(oneLine(shownValue(&l.B)), 40))
			}
		}
	}
	if open > 0 {
		return fmt.Errorf("%s not settled; `filler gold agree %s %s --choices FILE` writes them down", plural(open, "leaf"), first, second)
	}
	written := 0
	for _, id := range x.Documents() {
		if y[id] == nil {
			a.notef("left out: %s (only the first has it)\n", id)
			continue
		}
		file := gold.FileOf(out, id)
		if _, err := os.Stat(file); err == nil && file != x[id].File && file != y[id].File {
			a.notef("left out: %s (%s is there already; move it away, or say --to FOLDER)\n", id, file)
			continue
		}
		v := settled(w.schema.EachEntry(), x[id], y[id], gold.Settle(w.schema, x[id].Record, choices[id]), choices[id], by)
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

func chosen(choices []gold.Choice, p value.Pointer) bool {
	for _, c := range choices {
		if c.Path == p {
			return true
		}
	}
	return false
}

// settled makes the gold file of a settled record.
func settled(entries bool, a, b *gold.Record, rec value.Value, choices []gold.Choice, by string) value.Value {
	v := value.Obj(value.Str(a.Document).Named("document"))
	if a.Source != "" {
		v.Set("source", value.Str(a.Source))
	}
	if a.Version != "" {
		v.Set("version", value.Str(a.Version))
	}
	v.Set("state", value.Str(gold.Reviewed))
	if a.Part != "" {
		v.Set("part", value.Str(a.Part))
	}
	v.Set("by", value.Str(by))
	v.Set("on", value.Str(time.Now().Format("2006-01-02")))
	leaves := value.List()
	for _, c := range choices {
		leaves.Kids = append(leaves.Kids, value.Obj(value.Str(string(c.Path)).Named("path"), c.Value.Named("value")))
	}
	v.Set("settled", value.Obj(value.Str(a.By).Named("first"), value.Str(b.By).Named("second"), leaves.Named("leaves")))
	name := "record"
	if entries {
		name = "records"
	}
	v.Set(name, rec)
	return v
}

// readChoices reads a file of choices, by document.
func readChoices(file string) (map[string][]gold.Choice, error) {
	all := map[string][]gold.Choice{}
	if file == "" {
		return all, nil
	}
	f, err := os.Open(file)
	if err != nil {
		return nil, place.Faults{{File: file, Msg: "can't be read", Hint: "check the path"}}
	}
	defer f.Close()
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, 16<<20)
	var faults place.Faults
	for n := 1; lines.Scan(); n++ {
		if strings.TrimSpace(lines.Text()) == "" {
			continue
		}
		v, err := value.Parse(lines.Text())
		var c gold.Choice
		made := false
		if err == nil {
			c, made, err = gold.ChoiceFrom(&v)
		}
		if !made && err == nil {
			continue
		}
		if err != nil {
			faults = append(faults, place.Fault{File: file, Line: n, Col: 1, Msg: err.Error(), Hint: "mend the line"})
			continue
		}
		all[c.Document] = append(all[c.Document], c)
	}
	if err := lines.Err(); err != nil {
		faults = append(faults, place.Fault{File: file, Msg: "can't be read to its end", Hint: "check the file"})
	}
	return all, faults.Err()
}
