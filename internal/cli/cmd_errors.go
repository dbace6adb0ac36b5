package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/measure/score"
	"filler/internal/measure/suggest"
	"filler/internal/record"
	"filler/internal/source/document"
)

// finding is what `errors` was asked for.
type finding struct {
	judged
	asJSON, all, types      bool
	sensitive               bool
	split, field, errorType string
	noDocuments, noFixes    bool
	looking
}

func (a *app) errorsCmd() *cobra.Command {
	var o finding
	cmd := &cobra.Command{Use: "errors [RUN]", Short: "Each wrong, missed or extra value, with its error type and suggested fixes", Args: cobra.MaximumNArgs(1),
		Long: `List the errors of a run, or of a file of JSON Lines: every value that is wrong, missed or
extra, with what gold has, what was filled, how the two differ, and the lines of the source.
Then the suggested fixes: normalizers and changes of the schema that turn errors right
without a model, tried on these records one by one and together. Looser comparisons are
listed apart: they change the measure, not the record. At the end what the schema could say
otherwise, by the lines around gold's values (of the tune split alone, if gold is split); what a
model makes of that only filling again tells.

  filler errors --field 'bays[].length' --type unit
  filler errors --types             what the error types mean

Without a project:  filler errors --schema SCHEMA --records FILE --gold FILE

Read more: filler help scoring, "Error types".`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if o.types {
				a.printErrorTypes()
				return nil
			}
			return a.errors(cmd.Context(), o, first(args))
		}}
	o.judged.flags(cmd, true)
	f := cmd.Flags()
	f.StringVar(&o.split, "split", "", splitUsage)
	f.StringVar(&o.field, "field", "", "only errors of this `FIELD`")
	f.StringVar(&o.errorType, "type", "", "only errors of this `TYPE`; --types lists them")
	f.BoolVar(&o.all, "all", false, "list all errors, not only the first")
	f.BoolVar(&o.types, "types", false, "explain the error types")
	f.BoolVar(&o.noDocuments, "no-documents", false, "do not read the documents; types that need them are not told apart")
	f.BoolVar(&o.noFixes, "no-fixes", false, "do not try fixes")
	f.BoolVar(&o.asJSON, "json", false, "print one error a line as JSON, then the fixes")
	f.BoolVar(&o.sensitive, "sensitive", false, sensitiveUsage)
	o.looking.flags(cmd)
	return cmd
}

func (a *app) printErrorTypes() {
	t := a.newTable("error type", "the value is")
	for _, c := range score.ErrorTypes() {
		t.row(c[0], c[1])
	}
	t.print()
}

func (o *finding) check(w *work) error {
	if o.errorType != "" && !slices.ContainsFunc(score.ErrorTypes(), func(c [2]string) bool { return c[0] == o.errorType }) {
		var names []string
		for _, c := range score.ErrorTypes() {
			names = append(names, c[0])
		}
		return fmt.Errorf("--type %s: there is no such error type; %s", o.errorType, place.Suggest(o.errorType, names))
	}
	if o.field != "" && w.schema.Find(o.field) == nil {
		return fmt.Errorf("--field %s: the schema has no such field; `filler schema outline` shows them", o.field)
	}
	return nil
}

func (a *app) errors(ctx context.Context, o finding, runName string) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	if err := o.check(w); err != nil {
		return err
	}
	set, err := w.golds(o.goldPath)
	if err != nil {
		return err
	}
	finder := &score.Finder{Schema: w.schema, Gold: set, Split: o.split, Keep: !o.noFixes}
	if !o.noDocuments {
		r, done, err := a.reader(w, &o.looking)
		if err != nil {
			return err
		}
		defer done()
		finder.Source = a.sourceReader(ctx, w, r, o.recordsFile)
	}
	fixer, collector := score.NewFixer(w.schema), suggest.New(w.schema)
	var all []score.LeafError
	cases := 0
	run, err := a.found(w, o, runName, finder, func(f score.Found) error {
		if f.Gold != nil {
			fixer.Add(f.Document, f.Gold, f.Filled, f.Errors)
			collector.Add(suggest.CaseOf(&f, cases, finder.Source))
			cases++
		}
		all = append(all, f.Errors...)
		return nil
	})
	if err != nil {
		return err
	}
	report := finder.Report()
	a.looked(w, o.goldPath, "errors", w.nameOf(run, o.recordsFile), o.split)
	shown := slices.DeleteFunc(slices.Clone(all), func(m score.LeafError) bool {
		return o.field != "" && m.Field.Path != o.field || o.errorType != "" && string(m.Type) != o.errorType
	})
	var fixes *score.Fixes
	if !o.noFixes && len(all) > 0 {
		c := fixer.Try()
		fixes = &c
	}
	var hints []suggest.Suggestion
	if !o.noFixes && !o.noDocuments && len(all) > 0 {
		hints = collector.Suggest()
	}
	if !o.sensitive {
		w.coverErrors(shown, fixes)
		hints = suggest.Cover(w.schema, hints)
	}
	if o.asJSON {
		a.errorsJSON(shown, fixes)
		if hints != nil {
			a.printJSON(suggest.JSON(hints))
		}
		return nil
	}
	a.printErrors(w.covered(run), &report, shown, o)
	if !o.sensitive && len(shown) > 0 && record.NewCover(w.schema) != nil {
		a.notef("values of sensitive fields and all lines of documents are hidden; --sensitive shows them\n")
	}
	if fixes != nil {
		a.printFixes(fixes)
	}
	a.printHints(hints, fixes, run, o)
	return nil
}

// coverErrors hides what is sensitive in errors, and in what fixes would write.
func (w *work) coverErrors(all []score.LeafError, fixes *score.Fixes) {
	score.CoverErrors(w.schema, all)
	if fixes != nil {
		fixes.Cover(w.schema)
	}
}

// found finds the errors of a run or a file.
func (a *app) found(w *work, o finding, runName string, finder *score.Finder, do func(score.Found) error) (run int64, err error) {
	if o.recordsFile != "" && runName == "" {
		return 0, inFile(o.recordsFile, finder.AddFile(o.recordsFile, do))
	}
	return a.each(w, o.judged, runName, func(_ int, l record.Line, err error) error {
		if err != nil {
			return err
		}
		f, err := finder.Add(l)
		if err != nil {
			return err
		}
		return do(f)
	})
}

// sourceReader reads the documents of records by their ids, for several at a time.
// from is the file that names them, or what stands in its place.
func (a *app) sourceReader(ctx context.Context, w *work, r *document.Reader, from string) func(id string) (*document.Document, error) {
	var mu sync.Mutex // of the project's tables, which are read when first asked for
	return func(id string) (*document.Document, error) {
		mu.Lock()
		found := w.sourceOf(id, from)
		mu.Unlock()
		return r.Read(ctx, found)
	}
}

// firstErrors is how many errors are listed unless all are asked for.
const firstErrors = 8

// firstGroups is how many pairs of field and error type are.
const firstGroups = 12

func (a *app) printErrors(run string, r *score.Report, all []score.LeafError, o finding) {
	c := r.Overall
	a.printf("%s: %s in %s\n", a.paint(bold, run), errorsOf(c), plural(r.Documents, "document"))
	if len(all) < c.Errors() {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("%s selected by --field or --type", plural(len(all), "error"))))
	}
	if len(all) > 0 {
		a.printf("\n")
		a.listErrors(all, o)
	}
	a.printLeftOut(r.LeftOut, o.all)
}

// errorsOf says how many errors there are, of which kinds, and of what.
func errorsOf(c score.Counts) string {
	return fmt.Sprintf("%s (%d wrong, %d missed, %d extra) among %s", plural(c.Errors(), "error"), c.Wrong, c.Missed, c.Extra, plural(c.Right+c.Errors(), "value"))
}

// listErrors prints errors, by field and type and one by one.
func (a *app) listErrors(all []score.LeafError, o finding) {
	t := a.newTable(">errors", "field", "error type")
	groups := score.Group(all)
	for i, g := range groups {
		if i < firstGroups || o.all {
			t.row(g.Times, g.Field, string(g.Type))
		}
	}
	t.print()
	if len(groups) > firstGroups && !o.all {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("%d more rows; --all lists them", len(groups)-firstGroups)))
	}
	a.printf("\n")
	for i := range all {
		if i == firstErrors && !o.all {
			a.printf("%s\n", a.paint(soft, fmt.Sprintf("%d more errors; --all lists them, --field and --type select", len(all)-i)))
			break
		}
		a.printError(&all[i], i == 0 || all[i-1].Document != all[i].Document)
	}
}

func (a *app) printError(m *score.LeafError, fresh bool) {
	if fresh {
		a.printf("%s\n", a.paint(bold, m.Document))
	}
	kind := string(m.Type)
	if m.Detail != "" {
		kind += " with " + m.Detail
	}
	gold, filled := shownValue(&m.Gold), shownValue(&m.Filled)
	a.printf("  %s  %s: gold %s, filled %s  %s\n", m.Path(), m.Outcome, a.paint(good, clip(oneLine(gold), 50)), a.paint(bad, clip(oneLine(filled), 50)), a.paint(soft, kind))
	if m.GoldLine.N > 0 {
		a.printf("%s\n", a.paint(faint, fmt.Sprintf("      gold, line %d: %s", m.GoldLine.N, clip(strings.TrimSpace(m.GoldLine.Text), 90))))
	}
	if m.FilledLine.N > 0 && m.FilledLine.N != m.GoldLine.N {
		a.printf("%s\n", a.paint(faint, fmt.Sprintf("      filled, line %d: %s", m.FilledLine.N, clip(strings.TrimSpace(m.FilledLine.Text), 90))))
	}
}

func (a *app) printFixes(c *score.Fixes) {
	a.printf("\n%s\n", a.paint(bold, "Suggested fixes, best first, each on top of those above"))
	if len(c.Chosen) == 0 {
		a.printf("none: no normalizer, synonym or format turns an error right; try descriptions, examples or another model\n")
	} else {
		t := a.newTable("field", "write into the schema", ">fixed", ">broken", ">F1 then")
		for _, x := range c.Chosen {
			t.row(x.Field, x.Write, x.Fixed, dash(x.Broken), ratioText(x.F1))
		}
		t.print()
		a.printf("F1 now: %s · on %s: %s before, %s after\n", ratioText(c.Before), c.On, ratioText(c.HonestFrom), ratioText(c.Honest))
	}
	if len(c.Rulers) > 0 {
		a.printf("\n%s\n", a.paint(bold, "Looser comparisons (they change what counts as right, not the records)"))
		t := a.newTable("field", "write into the schema", ">counted right then")
		for _, r := range c.Rulers {
			t.row(r.Field, r.Write, r.Fixed)
		}
		t.print()
	}
}

func (a *app) errorsJSON(all []score.LeafError, fixes *score.Fixes) {
	for i := range all {
		a.printJSON(all[i].JSON())
	}
	if fixes != nil {
		a.printJSON(fixes.JSON())
	}
}
