package cli

import (
	"bufio"
	"context"
	"fmt"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
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
			path, err := w.goldPath("")
			if err != nil {
				return err
			}
			frozen, err := gold.AllFrozen(path)
			if err != nil {
				return err
			}
			if asJSON {
				v := statusJSON(st, without, begunIn(set))
				v.Set("frozen", frozenJSON(frozen, set))
				a.printJSON(v)
				return nil
			}
			a.printStatus(st, set, without)
			a.printFrozen(frozen, set)
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
			name = "(none)"
		}
		row("reviewer "+name, r)
	}
	if len(st.Splits) > 1 || len(st.Splits) == 1 && st.Splits[0].Name != "" {
		t.rule()
		for _, r := range st.Splits {
			name := "split " + r.Name
			if r.Name == "" {
				name = "in no split"
			}
			row(name, r)
		}
	}
	t.rule()
	row("all", st.All)
	t.print()
	if without > 0 {
		a.printf("%s without gold; `filler gold draft` writes drafts\n", plural(without, "document"))
	}
	if n, seconds := paceOf(set); n > 0 {
		a.printf("%s reviewed on the screen in %s: %.0f s each\n", plural(n, "record"), time.Duration(seconds*float64(time.Second)).Round(time.Second), seconds/float64(n))
	}
	if begun := begunIn(set); begun > 0 {
		a.printf("%s begun, not decided to the end; `filler gold review --reviewer NAME` goes on\n", plural(begun, "draft"))
	}
	if len(st.Empty) > 0 {
		a.printf("fields without a value in reviewed gold: %s\n", strings.Join(st.Empty, ", "))
	}
	for _, u := range st.Unseen {
		a.printf("choices of %s that reviewed gold never has: %s\n", u.Field, strings.Join(u.Options, ", "))
	}
	for _, id := range set.Documents() {
		if f := set[id].Fault; f != "" {
			a.printf("%s\n", a.paint(bad, fmt.Sprintf("does not count: %s: %s", set[id].File, f)))
		}
	}
}

// paceOf gives how many records were reviewed in how many seconds, where that is kept.
func paceOf(set gold.Set) (n int, seconds float64) {
	for _, g := range set {
		if g.State == gold.Reviewed && g.Seconds > 0 {
			n, seconds = n+1, seconds+g.Seconds
		}
	}
	return n, seconds
}

// begunIn counts the drafts of which something is decided.
func begunIn(set gold.Set) (n int) {
	for _, g := range set {
		if g.State == gold.Draft && g.Decided > 0 {
			n++
		}
	}
	return n
}

func statusJSON(st gold.Status, without, begun int) value.Value {
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
	return value.Obj(row(st.All).Named("all"), rows(st.Reviewers).Named("reviewers"), rows(st.Splits).Named("splits"), n("documents_without", without), n("drafts_begun", begun), texts(st.Empty).Named("fields_without_value"), unseen.Named("options_never_seen"))
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
	var stratum string
	var seed int64
	cmd := &cobra.Command{Use: "split", Short: "Split the gold set into tune and test", Args: cobra.NoArgs,
		Long: "Split the gold set by document: what is chosen on the tune split is reported on the test\nsplit. Near-duplicates stay together. The same seed gives the same split; the key `split`\nin each gold file keeps it.\n\n  filler gold split --test 30% --stratify office",
		RunE: func(cmd *cobra.Command, _ []string) error {
			test, err := percent(share)
			if err != nil {
				a.parsed = false
				return err
			}
			return a.goldSplit(cmd.Context(), test, stratum, seed)
		}}
	cmd.Flags().StringVar(&share, "test", "30%", "the `SHARE` of the test split")
	cmd.Flags().StringVar(&stratum, "stratify", "", "keep the share within each value of this `FIELD` of the metadata")
	cmd.Flags().Int64Var(&seed, "seed", 1, "`SEED` of the random split")
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

func (a *app) goldSplit(ctx context.Context, share float64, stratum string, seed int64) error {
	w, set, source, done, err := a.goldDesk(ctx)
	if err != nil {
		return err
	}
	defer done()
	metadata := map[string]map[string]string{}
	if stratum != "" {
		sources, err := w.sources(nil)
		if err != nil {
			return err
		}
		known := false
		for _, s := range sources {
			metadata[s.ID] = s.Metadata
			_, has := s.Metadata[stratum]
			known = known || has
		}
		if !known {
			return fmt.Errorf("--stratify %s: no document has this metadata; declare it with `metadata:` in filler.yaml", stratum)
		}
	}
	texts := map[string]string{}
	for _, id := range set.Documents() {
		if doc, err := source(id); err == nil {
			texts[id] = doc.Text
		} else {
			a.notef("%s can't be read, so near-duplicates of it are not found: %s\n", id, err)
		}
	}
	s := gold.Divide(set.Documents(), texts, func(id string) string { return metadata[id][stratum] }, share, seed)
	for _, id := range set.Documents() {
		if set[id].Split == s.Of[id] {
			continue
		}
		if err := gold.Change(set[id].File, value.Str(s.Of[id]).Named("split")); err != nil {
			return err
		}
	}
	for _, group := range s.Alike {
		a.notef("near-duplicates, kept in one split: %s\n", strings.Join(group, ", "))
	}
	a.notef("%s; `filler score --split test` counts the test split only\n", s)
	return nil
}

func (a *app) goldAgreementCmd() *cobra.Command {
	var asJSON, all bool
	var choices string
	cmd := &cobra.Command{Use: "agreement A B", Short: "How far two reviewers agree", Args: cobra.ExactArgs(2),
		Long: "Compare two reviewers' records of the same documents: two gold folders, or two files of\nJSON Lines. Shows agreement by field, Cohen's kappa for choices, and the values that differ.\n--choices FILE writes these, one a line; fill in `choose` and pass the file to\n`gold adjudicate`.",
		RunE: func(_ *cobra.Command, args []string) error {
			return a.goldAgreement(args[0], args[1], asJSON, all, choices)
		}}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print the agreement as JSON")
	cmd.Flags().BoolVar(&all, "all", false, "list all values that differ, not only the first")
	cmd.Flags().StringVar(&choices, "choices", "", "write the values that differ to this `FILE`")
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

func (a *app) goldAgreement(first, second string, asJSON, all bool, choices string) error {
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
		a.notef("%s to adjudicate in %s: set `choose` to first or second, or to value and add a member `value`\n", plural(len(got.Leaves), "value"), choices)
	}
	if asJSON {
		score.CoverLeaves(w.schema, got.Leaves)
		a.printJSON(got.JSON())
		return nil
	}
	a.printAgreement(w, &got, all)
	return nil
}

func (a *app) printAgreement(w *work, g *score.Agreement, all bool) {
	a.printf("%s of %s agree, in %s\n\n", a.paint(bold, thousands(g.Same)), plural(g.Same+g.Differ, "value"), plural(g.Documents, "document"))
	t := a.newTable("field", ">agree", ">differ", ">share", ">kappa")
	for _, f := range g.Fields {
		kappa := ""
		if f.HasKappa {
			kappa = fmt.Sprintf("%.2f", f.Kappa)
		}
		t.row(f.Path, f.Right, dash(f.Differ()), field{ratioText(f.Accuracy()), ratioTone(f.Accuracy())}, kappa)
	}
	t.print()
	a.printItems(g)
	if len(g.Leaves) > 0 {
		a.printf("\n")
	}
	for i, x := range g.Leaves {
		if i == firstErrors && !all {
			a.printf("%s\n", a.paint(soft, fmt.Sprintf("%d more values; --all lists them", len(g.Leaves)-i)))
			break
		}
		a.printf("%s%s  %s\n", x.Document, x.Path, w.beside(&x, " | "))
	}
	a.printLeftOut(g.Apart, all)
}

// printItems says which items only one side has: their values are in no share.
func (a *app) printItems(g *score.Agreement) {
	if g.Lone == 0 {
		return
	}
	a.printf("\nitems that only one side has, with %s:\n\n", plural(g.Lone, "value"))
	t := a.newTable("list", ">in both", ">only in A", ">only in B")
	for _, x := range g.Items {
		if x.First+x.Second > 0 {
			t.row(x.Path+"[]", x.Both, dash(x.First), dash(x.Second))
		}
	}
	t.print()
}

func writeChoices(file string, g *score.Agreement) error {
	f, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return place.Faults{{File: file, Msg: "can't be written, or exists already", Hint: "name a new file; nothing is overwritten"}}
	}
	w := bufio.NewWriter(f)
	v := g.JSON()
	leaves := v.Get("values")
	for i := range leaves.Kids {
		fmt.Fprintf(w, "%s\n", leaves.Kids[i].JSON())
	}
	err = w.Flush()
	if cerr := f.Close(); err == nil {
		err = cerr
	}
	return err
}
