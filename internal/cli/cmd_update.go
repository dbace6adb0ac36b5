package cli

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/correct"
	"filler/internal/run/fill"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
)

// updating is what `update` was asked for.
type updating struct {
	filling
	judged
	run, match, of  string
	prefer, newOnes string
	unfilled        bool
}

func (a *app) updateCmd() *cobra.Command {
	var o updating
	cmd := &cobra.Command{Use: "update DOC...", Short: "Bring new documents into existing records",
		Long: `Update the records of a run, or of a file of JSON Lines, by what new documents say. Every
change that the model proposes quotes its words: a value changes only if these words are in
the new document and hold it; an item or value is removed only if they say so. Everything
else stays as it is.

Which records a document is about: with --match FIELD those whose value of FIELD is in the
document; with --of DOC the record of that document; with each: entry the entries whose key
is there. Each change is kept in the record's history, with the old value, the document and
the line.

Every night: --unfilled --match FIELD takes the documents of the project that no run has, and brings
those that continue a record into the newest record of it; what continues none is left for
` + "`filler fill --unfilled`" + `.

Without a project:  filler update NEW --schema SCHEMA --records FILE --model URL -o FILE`,
		RunE: func(cmd *cobra.Command, args []string) error {
			err := o.check()
			switch {
			case err == nil && o.unfilled && (len(args) > 0 || o.recordsFile != "" || o.run != "" || o.of != "" || o.match == ""):
				err = errors.New("--unfilled goes by the documents and records of the project; it needs --match FIELD, and no DOC, --run, --records or --of")
			case err == nil && !o.unfilled && len(args) == 0:
				err = errors.New("the form is `filler update DOC...`, and no document is named")
			}
			if err != nil {
				a.parsed = false
				return err
			}
			return a.update(cmd.Context(), o, args)
		}}
	f := cmd.Flags()
	f.BoolVar(&o.unfilled, "unfilled", false, "the documents of the project that no run has, into its newest records; with --match")
	f.StringVar(&o.run, "run", "", "the `RUN` to update, in place of the last")
	changeFlags(cmd, &o.filling, &o.judged, "update")
	f.StringVar(&o.match, "match", "", "the `FIELD` whose value in a new document tells which record it is about")
	f.StringVar(&o.of, "of", "", "the new documents are about the record of this `DOC`")
	f.StringVar(&o.prefer, "prefer", "newer", "the value to keep if both have evidence, `WHICH`: newer, older or neither")
	f.StringVar(&o.newOnes, "new", "report", "what to do with entries that no record has, `WHAT`: report or keep")
	return cmd
}

func (o *updating) check() error {
	switch {
	case o.prefer != string(correct.Newer) && o.prefer != string(correct.Older) && o.prefer != string(correct.Neither):
		return fmt.Errorf("--prefer is newer, older or neither, not %q", o.prefer)
	case o.newOnes != "report" && o.newOnes != "keep":
		return fmt.Errorf("--new is report or keep, not %q", o.newOnes)
	case o.match != "" && o.of != "":
		return errors.New("--match and --of both say which record is meant; use one of the two")
	}
	return nil
}

func (a *app) update(ctx context.Context, o updating, names []string) error {
	w, err := a.open(o.judged.schemaFile)
	if err != nil {
		return err
	}
	if o.match != "" {
		if f := w.schema.Find(o.match); f == nil || !f.IsLeaf() {
			return fmt.Errorf("--match %s: the schema has no such value; `filler schema outline` shows its fields", o.match)
		}
	}
	if o.unfilled {
		return a.updateUnfilled(ctx, o, w)
	}
	lines, broken, err := a.linesToChange(w, o.judged, o.run)
	if err == nil && len(lines) == 0 {
		err = errors.New("there are no records to update; name another run, or --records FILE")
	}
	if err != nil {
		return err
	}
	out, l, r, done, err := a.tools(w, &o.looking, o.output)
	if err != nil {
		return err
	}
	defer done()
	docs, err := a.newDocuments(ctx, w, r, names)
	if err != nil {
		return err
	}
	of, none, err := matchNews(w.schema, lines, docs, o)
	if err != nil {
		a.parsed = false
		return err
	}
	for _, id := range none {
		a.notef("%s: about none of the %s; fill it separately, or add --of DOC\n", id, plural(len(lines), "record"))
	}
	b, err := a.prepareUpdate(o, w, l, r, &fill.Update{Lines: lines, News: fill.News{Of: of, Prefer: correct.Preference(o.prefer), KeepNew: o.newOnes == "keep"}})
	if err != nil {
		return err
	}
	return a.runChange(ctx, o.filling, w.budget(o.budget), b, out, broken+len(none), func() { a.tellUpdated(b, o) })
}

// newDocuments reads the new documents; one that can't be read ends it, before
// anything is paid for.
func (a *app) newDocuments(ctx context.Context, w *work, r *document.Reader, names []string) ([]*document.Document, error) {
	sources, err := w.sources(names)
	if err != nil {
		return nil, err
	}
	if a.tell(w) && len(sources) == 0 {
		return nil, exit(codeFailed)
	}
	var docs []*document.Document
	for _, s := range sources {
		var d *document.Document
		if s.File == "-" {
			d, err = r.ReadFrom(ctx, s.ID, a.in)
		} else {
			d, err = r.Read(ctx, s)
		}
		if err != nil {
			return nil, err
		}
		docs = append(docs, d)
	}
	return docs, nil
}

// matchNews finds which records the new documents speak of.
func matchNews(s *schema.Schema, lines []record.Line, docs []*document.Document, o updating) (map[int][]*document.Document, []string, error) {
	if o.of != "" {
		for i := range lines {
			if lines[i].Document == o.of {
				return map[int][]*document.Document{i: docs}, nil, nil
			}
		}
		return nil, nil, fmt.Errorf("--of %s: there is no record for this document", o.of)
	}
	if len(lines) > 1 && o.match == "" && !s.EachEntry() {
		hint := ""
		for _, f := range s.Leaves() {
			if f.Required && !strings.Contains(f.Path, "[]") {
				hint = ", such as --match " + f.Path
				break
			}
		}
		return nil, nil, fmt.Errorf("there are %d records, and nothing says which one is meant; add --match FIELD%s, or --of DOC", len(lines), hint)
	}
	of, none := fill.MatchNews(s, lines, docs, o.match)
	return of, none, nil
}

// prepareUpdate starts the run of an update.
func (a *app) prepareUpdate(o updating, w *work, l store.Store, r *document.Reader, do *fill.Update) (*begun, error) {
	setup, err := w.setup(l, r, &o.looking)
	if err != nil {
		return nil, err
	}
	setup.Fresh, setup.Settings.Style, setup.Schema = o.fresh, "", w.schema
	if setup.Model, err = w.model(o.modelName); err != nil {
		return nil, err
	}
	if w.budget(o.budget) > 0 {
		if err := setup.Priced(); err != nil {
			return nil, err
		}
	}
	filler, err := fill.New(setup)
	if err != nil {
		return nil, err
	}
	if o.unfilled {
		sources := make([]document.Source, len(do.Lines))
		for i := range do.Lines {
			sources[i] = w.sourceOf(do.Lines[i].Document, "")
		}
		return begin(filler, do, fill.Beginning{Name: o.name, Scope: store.Unfilled}, sources)
	}
	return w.beginGiven(filler, do, o.name, o.recordsFile, do.Lines)
}

// maxListed bounds how many conflicts are named one by one.
const maxListed = 20

// tellUpdated says what the update did: the changes as a table on a terminal,
// the conflicts always.
func (a *app) tellUpdated(b *begun, o updating) {
	if a.term.out && !o.asJSON {
		a.printUpdates(b.Filler, b.run)
	}
	c := b.work.(*fill.Update).Done
	a.notef("%s changed: %s changed, %s added, %d removed; %d confirmed, %d refused\n", plural(c.Records, "record"), plural(c.Values, "value"), plural(c.Items, "item"), c.TakenBack, c.Confirmed, c.Refused)
	if c.New > 0 {
		a.notef("%s not in the records: reported, not kept; `filler trace DOC` shows them, --new keep adds them\n", plural(c.New, "entry"))
	}
	cover := record.NewCover(b.Schema)
	for i, x := range c.Conflicts {
		if i == maxListed {
			a.notef("%d more conflicts\n", len(c.Conflicts)-i)
			break
		}
		was, now := shownValue(&x.Change.Was), shownValue(&x.Change.Now)
		if cover.Hides(x.Change.Path) {
			was, now = record.Hidden, record.Hidden
		}
		kept := "the new one is kept"
		if x.Change.Kept {
			kept = "the old one is kept"
		}
		a.notef("conflict: %s  %s  %s, and %s says %s; %s\n", x.Document, x.Change.Path, clip(was, 40), x.Change.Place.Document, clip(now, 40), kept)
	}
}

// printUpdates prints what was changed, as a table.
func (a *app) printUpdates(f *fill.Filler, run int64) {
	t := a.newTable("record", "path", "was", "is now", "document", ">line")
	rows, cover := 0, record.NewCover(f.Schema)
	err := linesOf(f.Ledger, run, f.Schema, func(line record.Line) error {
		for i := range line.History.Kids {
			h := &line.History.Kids[i]
			if at := h.Get("run"); at == nil || at.Text != fmt.Sprint(run) {
				continue
			}
			rows++
			was, now := shownValue(h.Get("was")), shownValue(h.Get("now"))
			if cover.Hides(value.Pointer(h.Word("path"))) {
				was, now = record.Hidden, record.Hidden
			}
			t.row(line.Document, h.Word("path"), clip(was, 28), field{clip(now, 28), bold}, h.Word("document"), h.Get("line").Text)
		}
		return nil
	})
	if err != nil {
		a.notef("what changed can't be listed: %s\n", err)
	}
	if rows > 0 {
		a.printf("\n")
		t.print()
		a.printf("\n")
	}
}

// shownValue writes a value in a table: a text bare, nothing as a dash.
func shownValue(v *value.Value) string {
	switch {
	case v.Empty():
		return "–"
	case v.Kind == value.String:
		return v.Text
	}
	if amount := v.Get("amount"); amount != nil && len(v.Kids) == 2 {
		return amount.Text + " " + v.Kids[1].Text
	}
	own := v.Named("")
	return own.String()
}
