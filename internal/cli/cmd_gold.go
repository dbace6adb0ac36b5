package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/source/document"
)

func (a *app) goldCmd() *cobra.Command {
	cmd := &cobra.Command{Use: "gold", Short: "The reviewed records that filled ones are measured against", Args: noSuch,
		RunE: func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
		Long: "Make, check and keep the gold set: reviewed records, one JSON file a document. The usual\norder is draft, review, check; status shows what is there.\n\nRead more: filler help guide, filler help formats."}
	cmd.AddCommand(a.goldDraftCmd(), a.goldReviewCmd(), a.goldCheckCmd(), a.goldSignCmd(), a.goldStatusCmd(), a.goldSplitCmd(), a.goldAgreementCmd(), a.goldAdjudicateCmd(), a.goldPlanCmd(), a.goldFreezeCmd())
	return cmd
}

// goldFolder gives the folder of the project's gold.
func (w *work) goldFolder() (string, error) {
	path, err := w.goldPath("")
	if err != nil {
		return "", err
	}
	if info, err := os.Stat(path); err == nil && !info.IsDir() {
		return "", place.Faults{{File: path, Msg: "gold is one file here; this command needs a folder with one file a document", Hint: "name a folder under `gold:` in filler.yaml"}}
	}
	return path, nil
}

// goldDesk opens what changing gold works with: the project, its gold by file,
// what reads the documents, and what closes it all.
func (a *app) goldDesk(ctx context.Context) (*work, gold.Set, func(id string) (*document.Document, error), func(), error) {
	w, err := a.open("")
	if err != nil {
		return nil, nil, nil, nil, err
	}
	dir, err := w.goldFolder()
	if err != nil {
		return nil, nil, nil, nil, err
	}
	set, err := gold.Load(dir, w.schema)
	if err != nil {
		return nil, nil, nil, nil, err
	}
	r, done, err := a.reader(w, &looking{})
	if err != nil {
		return nil, nil, nil, nil, err
	}
	return w, set, a.sourceReader(ctx, w, r, dir), done, nil
}

// draftsGoTo opens what drafts are written to: the project, the folder of its gold, and
// the gold that is there.
func (a *app) draftsGoTo() (w *work, dir string, set gold.Set, err error) {
	if w, err = a.open(""); err != nil {
		return nil, "", nil, err
	}
	if dir, err = w.goldFolder(); err != nil {
		return nil, "", nil, err
	}
	if _, err := os.Stat(dir); err != nil { // none is no fault
		return w, dir, gold.Set{}, nil
	}
	set, err = gold.Load(dir, w.schema)
	return w, dir, set, err
}

func (a *app) goldDraftCmd() *cobra.Command {
	var blind, fromReview, renew bool
	var run, plan string
	cmd := &cobra.Command{Use: "draft [RUN] [DOC...]", Short: "Write drafts for review from the records of a run",
		Long: `Write a draft of each record of a run, one JSON file a document below the gold folder, to
be reviewed on the screen (` + "`filler gold review`" + `) or in an editor. Files that exist stay as
they are; documents that can't be read get none, since nobody could sign it. With --blind
the drafts are empty, so that the reviewer is not led by the model.

In an editor correct what is wrong, remove what the document does not say, and run
` + "`filler gold check`" + ` and ` + "`filler gold sign DOC... --reviewer NAME`" + `.

With --renew the gold of documents that have changed since review, or of those named, becomes a
draft again: values that the document still says keep their decision, and ` + "`filler gold review`" + `
asks for the others, empty ones among them.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if renew {
				return a.goldRenew(cmd.Context(), args)
			}
			if len(args) > 0 && run == "" && !strings.ContainsAny(args[0], "./#") {
				run, args = args[0], args[1:]
			}
			if fromReview {
				return a.goldFromReview(args)
			}
			return a.goldDraft(run, plan, args, blind)
		}}
	cmd.Flags().BoolVar(&blind, "blind", false, "write empty drafts")
	cmd.Flags().StringVar(&run, "run", "", "the `RUN`, in place of the last")
	cmd.Flags().StringVar(&plan, "plan", "", "drafts of the documents of this `FILE` alone, with their weights (gold plan)")
	cmd.Flags().BoolVar(&renew, "renew", false, "make drafts of gold whose document has changed, with what still stands")
	cmd.Flags().BoolVar(&fromReview, "from-review", false, "write what people decided in production (filler review), marked as such")
	return cmd
}

func (a *app) goldDraft(runName, plan string, documents []string, blind bool) error {
	w, dir, set, err := a.draftsGoTo()
	if err != nil {
		return err
	}
	l, run, err := a.keptRun(w, runName)
	if err != nil {
		return err
	}
	defer l.Close()
	wanted, chosen := map[string]bool{}, map[string]*gold.Chosen{}
	if plan != "" {
		all, err := gold.ReadPlan(plan)
		if err != nil {
			return err
		}
		for i := range all {
			chosen[all[i].Document] = &all[i]
			documents = append(documents, all[i].Document)
		}
	}
	for _, d := range documents {
		wanted[d] = true
	}
	written, there, unread := 0, 0, 0
	err = linesOf(l, run.ID, w.schema, func(line record.Line) error {
		if len(wanted) > 0 && !wanted[line.Document] {
			return nil
		}
		delete(wanted, line.Document)
		if len(documents) > 0 {
			wanted[""] = true // so that what is left are names that no record has
		}
		file := gold.FileOf(dir, line.Document)
		if _, err := os.Stat(file); err == nil || set[line.Document] != nil {
			there++
			return nil
		}
		if slices.ContainsFunc(line.Problems, func(p record.Problem) bool { return p.Code() == record.Unreadable }) { // nobody could sign it
			unread++
			return nil
		}
		v := gold.NewDraft(w.schema, &line, run.Model, blind)
		if c := chosen[line.Document]; c != nil {
			c.Into(&v)
		}
		written++
		return gold.Write(file, &v)
	})
	if err != nil {
		return err
	}
	delete(wanted, "")
	for _, d := range sortedKeys(wanted) {
		a.notef("%s: run %d has no record of it\n", d, run.ID)
	}
	kind := "drafts of " + run.Model
	if blind {
		kind = "empty drafts"
	}
	a.notef("%s from %s: %d written below %s, %d there already\n", kind, w.covered(run.ID), written, dir, there)
	if unread > 0 {
		a.notef("%s left out: what can't be read can't be signed\n", plural(unread, "document"))
	}
	if written > 0 {
		a.notef("`filler gold review --reviewer NAME` shows them one after another\n")
	}
	if len(wanted) > 0 {
		return exit(codeFailed)
	}
	return nil
}

// goldRenew makes drafts of the gold of documents that have changed since review.
func (a *app) goldRenew(ctx context.Context, names []string) error {
	w, set, source, done, err := a.goldDesk(ctx)
	if err != nil {
		return err
	}
	defer done()
	ids := set.Documents()
	if len(names) > 0 {
		if ids, err = named(set, names); err != nil {
			return err
		}
	}
	check, err := record.NewValidator(w.schema)
	if err != nil {
		return err
	}
	renewed, failed := 0, 0
	for _, id := range ids {
		g := set[id]
		doc, err := source(id)
		if err != nil {
			if len(names) > 0 || g.Hashes.Text != "" {
				failed++
				a.notef("not renewed: %s: %s\n", id, err)
			}
			continue
		}
		if g.Hashes.Since(record.Hashes{Text: doc.Hash, File: doc.FileHash}) != record.Changed {
			if len(names) > 0 {
				a.notef("%s has not changed since review; its gold stays as it is\n", id)
			}
			continue
		}
		page, err := gold.OpenPage(g.File, w.schema, check)
		if err != nil {
			return err
		}
		came, err := page.RenewFor(w.schema, doc)
		if err != nil {
			return fmt.Errorf("%s: %w", g.File, err)
		}
		renewed++
		a.printRenewed(id, &came)
	}
	a.notef("%s renewed\n", plural(renewed, "gold record"))
	if renewed > 0 {
		a.notef("`filler gold review --reviewer NAME` asks for what is open\n")
	}
	if failed > 0 {
		return exit(codeFailed)
	}
	return nil
}

// printRenewed says what of a record still stands, and what does not.
func (a *app) printRenewed(id string, came *gold.Renewal) {
	open := make([]string, len(came.Open))
	for i, p := range came.Open {
		open[i] = string(p)
	}
	a.printf("%s: %s still stand, %d to decide", id, plural(came.Stands, "value"), len(open))
	if len(open) > 0 {
		a.printf(": %s", clip(strings.Join(open, ", "), 200))
	}
	a.printf("\n")
}

func sortedKeys(m map[string]bool) []string {
	var keys []string
	for k := range m {
		keys = append(keys, k)
	}
	sort.Strings(keys)
	return keys
}

func (a *app) goldCheckCmd() *cobra.Command {
	var asJSON bool
	var o looking
	cmd := &cobra.Command{Use: "check [DOC...]", Short: "Faults of the gold set, by file and line",
		Long: "Check every gold record, or those named: faults of the file, fields that the schema does not\nhave, values that break the schema or have no evidence in the document, documents that\nchanged since, untouched drafts. Exit code 3: something was found.",
		RunE: func(cmd *cobra.Command, args []string) error { return a.goldCheck(cmd.Context(), args, o, asJSON) }}
	cmd.Flags().BoolVar(&asJSON, "json", false, "print one finding a line as JSON")
	o.flags(cmd)
	return cmd
}

func (a *app) goldCheck(ctx context.Context, names []string, o looking, asJSON bool) error {
	w, err := a.open("")
	if err != nil {
		return err
	}
	path, err := w.goldPath("")
	if err != nil {
		return err
	}
	set, err := gold.Load(path, w.schema)
	if err != nil {
		return err
	}
	check, err := record.NewValidator(w.schema)
	if err != nil {
		return err
	}
	r, done, err := a.reader(w, &o)
	if err != nil {
		return err
	}
	defer done()
	source := a.sourceReader(ctx, w, r, path)
	ids, err := named(set, names)
	if err != nil {
		return err
	}
	found := 0
	cover := record.NewCover(w.schema)
	for _, id := range ids {
		doc, unread := source(id)
		if unread != nil {
			doc = nil
		}
		for _, f := range gold.Check(w.schema, check, set[id], doc, unread) {
			if found++; cover.Hides(f.Path) && f.Path != "" {
				f.Msg = cover.Text(f.Msg)
			}
			a.printFinding(f, asJSON)
		}
	}
	a.notef("%s checked, %s\n", plural(len(ids), "gold record"), plural(found, "finding"))
	if found > 0 {
		return exit(codeFlagged)
	}
	return nil
}

func (a *app) printFinding(f gold.Finding, asJSON bool) {
	if asJSON {
		v := value.Obj(value.Str(f.File).Named("file"), value.Str(string(f.Kind)).Named("kind"), value.Str(string(f.Path)).Named("path"), value.Str(f.Msg).Named("message"))
		if f.Line > 0 {
			v.Set("line", value.Num(fmt.Sprint(f.Line)))
		}
		a.printJSON(v)
		return
	}
	at := f.File
	if f.Line > 0 {
		at += fmt.Sprintf(":%d", f.Line)
	}
	path := ""
	if f.Path != "" {
		path = string(f.Path) + "  "
	}
	tn := soft
	if f.Kind == gold.Breaks || f.Kind == gold.Unexpected {
		tn = bad
	}
	a.printf("%s  %s  %s%s\n", at, a.paint(tn, string(f.Kind)), path, f.Msg)
}

// named gives the documents of a gold set that are meant; all without names. A
// name may be a document, a gold file, a folder of either, or the end of a path.
func named(set gold.Set, names []string) ([]string, error) {
	all := set.Documents()
	if len(names) == 0 {
		return all, nil
	}
	var ids []string
	for _, n := range names {
		before := len(ids)
		for _, id := range all {
			if (isMeant(id, n) || isMeant(set[id].File, n)) && !slices.Contains(ids, id) {
				ids = append(ids, id)
			}
		}
		if len(ids) == before {
			hint := "`filler gold status` shows what there is, `filler gold draft` writes drafts"
			if near := place.Nearest(n, all); near != "" {
				hint = fmt.Sprintf("did you mean %s?", near)
			}
			return nil, fmt.Errorf("%s: there is no gold record for it; %s", n, hint)
		}
	}
	return ids, nil
}

// isMeant tells whether a name is a path, its end, with or without the ending of
// its last part, or a folder that it lies in.
func isMeant(path, name string) bool {
	bare := strings.TrimSuffix(path, filepath.Ext(path))
	for _, p := range []string{path, bare} {
		if p == name || strings.HasSuffix(p, "/"+name) {
			return true
		}
	}
	return strings.HasPrefix(path, strings.TrimSuffix(name, "/")+"/")
}

func (a *app) goldSignCmd() *cobra.Command {
	var reviewer string
	var disputed bool
	cmd := &cobra.Command{Use: "sign DOC...", Short: "Mark gold records as reviewed", Args: cobra.MinimumNArgs(1),
		Long: "Mark gold records as reviewed, with the reviewer and the day. A record that breaks its\nschema, or whose document has changed, is not signed. --disputed marks them as disputed\ninstead: then they do not count, and --reviewer may be left out.",
		RunE: func(cmd *cobra.Command, args []string) error {
			if strings.TrimSpace(reviewer) == "" && !disputed {
				a.parsed = false
				return errors.New("no reviewer is named; add --reviewer NAME")
			}
			return a.goldSign(cmd.Context(), args, reviewer, disputed)
		}}
	cmd.Flags().StringVar(&reviewer, "reviewer", "", reviewerUsage)
	cmd.Flags().BoolVar(&disputed, "disputed", false, "mark them as disputed")
	return cmd
}

func (a *app) goldSign(ctx context.Context, names []string, reviewer string, disputed bool) error {
	w, set, source, done, err := a.goldDesk(ctx)
	if err != nil {
		return err
	}
	defer done()
	ids, err := named(set, names)
	if err != nil {
		return err
	}
	signed, refused, asDrafted := 0, 0, 0
	for _, id := range ids {
		g := set[id]
		if why := g.Unsignable(func() (record.Hashes, error) {
			doc, err := source(id)
			if err != nil {
				return record.Hashes{}, err
			}
			return record.Hashes{Text: doc.Hash, File: doc.FileHash}, nil
		}); why != "" && !disputed {
			refused++
			a.notef("not signed: %s: %s\n", g.File, why)
			continue
		}
		if disputed {
			err = gold.Dispute(g, reviewer)
		} else {
			if g.AsDrafted() {
				asDrafted++
			}
			err = gold.Sign(w.schema, g, reviewer, time.Now())
		}
		if err != nil {
			return err
		}
		signed++
	}
	word := "signed"
	if disputed {
		word = "marked as disputed"
	}
	if reviewer != "" {
		word += " by " + reviewer
	}
	a.notef("%s %s\n", plural(signed, "gold record"), word)
	if asDrafted > 0 {
		a.notef("%d of them unchanged since the model drafted them\n", asDrafted)
	}
	if refused > 0 {
		return exit(codeFlagged)
	}
	return nil
}
