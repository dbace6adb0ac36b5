package cli

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/gold"
	"filler/internal/place"
	"filler/internal/score"
	"filler/internal/value"
)

func (a *app) goldStatusCmd() *cobra.Command {
	var asJSON bool
	cmd := &cobra.Command{Use: "status", Short: "What the gold set holds, and what it lacks", Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			w, err := a.open("")
			if err != nil {
				return err
			}
			set, err := w.goldSet("")
			if err != nil {
				return err
			}
			sources, err := w.sources(nil)
			if err != nil {
				return err
			}
			without := 0
			for _, s := range sources {
				if set[s.ID] == nil {
					without++
				}
			}
			st := gold.StatusOf(w.schema, set)
			if asJSON {
				a.printJSON(statusJSON(st, without))
				return nil
			}
			a.printStatus(st, set, without)
			return nil
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the status as JSON")
	return cmd
}

func (a *app) printStatus(st gold.Status, set gold.Set, without int) {
	t := a.newTable("gold", ">reviewed", ">draft", ">disputed", ">faulty")
	row := func(name string, r gold.Row) {
		t.row(name, dash(r.Reviewed), dash(r.Draft), dash(r.Disputed), field{dash(r.Faulty), bad})
	}
	for _, r := range st.Reviewers {
		name := r.Name
		if name == "" {
			name = "(nobody)"
		}
		row("by "+name, r)
	}
	if len(st.Parts) > 1 || len(st.Parts) == 1 && st.Parts[0].Name != "" {
		t.rule()
		for _, r := range st.Parts {
			name := "to " + r.Name
			if r.Name == "" {
				name = "in no part"
			}
			row(name, r)
		}
	}
	t.rule()
	row("all", st.All)
	t.print()
	if without > 0 {
		a.printf("%s without gold; `filler gold take` makes drafts\n", plural(without, "document"))
	}
	if len(st.Empty) > 0 {
		a.printf("no reviewed record has a value of: %s\n", strings.Join(st.Empty, ", "))
	}
	for _, u := range st.Unseen {
		a.printf("never seen in %s: %s\n", u.Field, strings.Join(u.Options, ", "))
	}
	for _, id := range set.Documents() {
		if f := set[id].Fault; f != "" {
			a.printf("%s\n", a.paint(bad, fmt.Sprintf("can't count: %s: %s", set[id].File, f)))
		}
	}
}

func statusJSON(st gold.Status, without int) value.Value {
	n := func(name string, n int) value.Value { return value.Num(fmt.Sprint(n)).Named(name) }
	row := func(r gold.Row) value.Value {
		return value.Obj(value.Str(r.Name).Named("name"), n("reviewed", r.Reviewed), n("draft", r.Draft), n("disputed", r.Disputed), n("faulty", r.Faulty))
	}
	rows := func(list []gold.Row) value.Value {
		out := value.List()
		for _, r := range list {
			out.Kids = append(out.Kids, row(r))
		}
		return out
	}
	unseen := value.List()
	for _, u := range st.Unseen {
		unseen.Kids = append(unseen.Kids, value.Obj(value.Str(u.Field).Named("field"), texts(u.Options).Named("options")))
	}
	return value.Obj(row(st.All).Named("all"), rows(st.Reviewers).Named("reviewers"), rows(st.Parts).Named("parts"), n("documents_without", without), texts(st.Empty).Named("fields_without_value"), unseen.Named("options_never_seen"))
}

// texts gives texts as a list.
func texts(list []string) value.Value {
	out := value.List()
	for _, s := range list {
		out.Kids = append(out.Kids, value.Str(s))
	}
	return out
}

func (a *app) goldSplitCmd() *cobra.Command {
	var share string
	var by string
	var seed int64
	cmd := &cobra.Command{Use: "split --test 30%", Short: "Split the gold set into a part to tune and a part to test", Args: cobra.NoArgs,
		Long: "Split the gold set, by document: what is chosen on the part to tune is reported on the part\nto test. Documents that are nearly the same fall on one side. The same seed gives the same\nsplit; `part` in each gold file keeps it.",
		RunE: func(cmd *cobra.Command, _ []string) error {
			part, err := percent(share)
			if err != nil {
				a.parsed = false
				return err
			}
			return a.goldSplit(cmd.Context(), part, by, seed)
		}}
	cmd.Flags().StringVar(&share, "test", "30%", "the `share` of the part to test")
	cmd.Flags().StringVar(&by, "by", "", "keep the share within each value of this `fact` of the documents")
	cmd.Flags().Int64Var(&seed, "seed", 1, "rules the chance")
	return cmd
}

// percent reads a share: 30% or 0.3.
func percent(text string) (float64, error) {
	var x float64
	figure, isPercent := strings.CutSuffix(strings.TrimSpace(text), "%")
	if _, err := fmt.Sscanf(figure, "%g", &x); err == nil {
		if isPercent {
			x /= 100
		}
		if x > 0 && x < 1 {
			return x, nil
		}
	}
	return 0, fmt.Errorf("--test is a share such as 30%%, not %q", text)
}

func (a *app) goldSplit(ctx context.Context, share float64, by string, seed int64) error {
	w, set, source, done, err := a.goldDesk(ctx)
	if err != nil {
		return err
	}
	defer done()
	facts := map[string]map[string]string{}
	if by != "" {
		sources, err := w.sources(nil)
		if err != nil {
			return err
		}
		known := false
		for _, s := range sources {
			facts[s.ID] = s.Facts
			_, has := s.Facts[by]
			known = known || has
		}
		if !known {
			return fmt.Errorf("--by %s: no document has such a fact; see `facts` in docs/formats.md", by)
		}
	}
	texts := map[string]string{}
	for _, id := range set.Documents() {
		if doc, err := source(id); err == nil {
			texts[id] = doc.Text
		} else {
			a.notef("%s can't be read, so that its likeness to others is unknown: %s\n", id, err)
		}
	}
	s := gold.Divide(set.Documents(), texts, func(id string) string { return facts[id][by] }, share, seed)
	for _, id := range set.Documents() {
		if set[id].Part == s.Part[id] {
			continue
		}
		if err := gold.Change(set[id].File, value.Str(s.Part[id]).Named("part")); err != nil {
			return err
		}
	}
	for _, group := range s.Alike {
		a.notef("nearly the same, and so in one part: %s\n", strings.Join(group, ", "))
	}
	a.notef("%s; `filler score --part test` counts the part to test alone\n", s)
	return nil
}

func (a *app) goldAgreeCmd() *cobra.Command {
	var asJSON, all bool
	var choices string
	cmd := &cobra.Command{Use: "agree A B", Short: "How far two reviewers agree", Args: cobra.ExactArgs(2),
		Long: "Compare two reviewers' records of the same documents: two gold folders, or two files of\nJSON Lines. Agreement per field, Cohen's kappa for choices, and the leaves that differ.\n--choices FILE writes those, one a line; fill in `take` and hand the file to `gold settle`.",
		RunE: func(_ *cobra.Command, args []string) error {
			return a.goldAgree(args[0], args[1], asJSON, all, choices)
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the agreement as JSON")
	cmd.Flags().BoolVar(&all, "all", false, "list all leaves that differ, not the first few")
	cmd.Flags().StringVar(&choices, "choices", "", "write the leaves that differ to this `file`")
	return cmd
}

// reviewersRecords loads both reviewers' records, whatever their states.
func (w *work) reviewersRecords(path string) (gold.Set, score.Records, error) {
	set, err := gold.Load(path, w.schema)
	if err != nil {
		return nil, nil, err
	}
	records := score.Records{}
	for id, g := range set {
		records[id] = &g.Record
	}
	return set, records, nil
}

func (a *app) goldAgree(first, second string, asJSON, all bool, choices string) error {
	w, err := a.open("")
	if err != nil {
		return err
	}
	_, x, err := w.reviewersRecords(first)
	if err != nil {
		return err
	}
	_, y, err := w.reviewersRecords(second)
	if err != nil {
		return err
	}
	got := score.Agree(w.schema, x, y)
	if choices != "" {
		if err := writeChoices(choices, &got); err != nil {
			return err
		}
		a.notef("%s to settle in %s: fill in `take` with first, second, or value beside a member `value`\n", plural(len(got.Leaves), "leaf"), choices)
	}
	if asJSON {
		w.maskLeaves(got.Leaves)
		a.printJSON(got.JSON())
		return nil
	}
	a.printAgreement(w, &got, all)
	return nil
}

func (a *app) printAgreement(w *work, g *score.Agreement, all bool) {
	a.printf("%s of %s agree, in %s\n\n", a.paint(bold, thousands(g.Same)), plural(g.Same+g.Differ, "leaf"), plural(g.Documents, "document"))
	t := a.newTable("field", ">agree", ">differ", ">share", ">kappa")
	for _, f := range g.Fields {
		kappa := ""
		if f.HasKappa {
			kappa = fmt.Sprintf("%.2f", f.Kappa)
		}
		t.row(f.Path, f.Right, dash(f.Differ()), field{ratioText(f.Accuracy()), ratioTone(f.Accuracy())}, kappa)
	}
	t.print()
	if len(g.Leaves) > 0 {
		a.printf("\n")
	}
	for i, x := range g.Leaves {
		if i == firstMisses && !all {
			a.printf("%s\n", a.paint(soft, fmt.Sprintf("%d more; --all lists them", len(g.Leaves)-i)))
			break
		}
		a.printf("%s%s  %s\n", x.Document, x.Path, w.beside(&x, " | "))
	}
	a.printApart(g.Apart)
}

func writeChoices(file string, g *score.Agreement) error {
	f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return place.Faults{{File: file, Msg: "can't be written, or is there already", Hint: "name a new file; nothing is overwritten"}}
	}
	w := bufio.NewWriter(f)
	v := g.JSON()
	leaves := v.Get("leaves")
	for i := range leaves.Kids {
		fmt.Fprintf(w, "%s\n", leaves.Kids[i].JSON())
	}
	err = w.Flush()
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	return err
}
