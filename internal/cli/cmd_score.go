package cli

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/source/document"
	"filler/internal/store"
)

// scoring is what `score` was asked for.
type scoring struct {
	judged
	asJSON, history, steps, places bool
	curve                          bool
	all, made                      bool
	split, slice, pairing          string
	frozen, statement              string
	set                            *gold.Frozen // that frozen names
	counted                        func(g *gold.Record)
	confusion, atLeast             []string
	straight                       float64
}

func (a *app) scoreCmd() *cobra.Command {
	var o scoring
	cmd := &cobra.Command{Use: "score [RUN]", Short: "Field accuracy against gold", Args: cobra.MaximumNArgs(1),
		Long: `Measure the records of a run, or of any file of JSON Lines, against gold, field by field.
RUN is a number, a name, or last; left out, it is last: the newest run that was not begun
for documents named one by one. filler help scoring defines every figure.

  filler score --slice office --confusion 'bays[].defects[].kind'
  filler score --split test --at-least 0.95 --at-least 'bays[].number=0.99'
  filler score --straight-through 0.99
  filler score --history

Without a project:  filler score --schema SCHEMA --records FILE --gold FILE`,
		RunE: func(_ *cobra.Command, args []string) error {
			if err := o.check(); err != nil {
				a.parsed = false
				return err
			}
			return a.scoreRun(o, first(args))
		}}
	o.judged.flags(cmd, true)
	f := cmd.Flags()
	f.BoolVar(&o.asJSON, "json", false, "print the score as JSON")
	f.StringVar(&o.split, "split", "", splitUsage)
	f.StringVar(&o.slice, "slice", "", "score the documents apart by this `FIELD` of their metadata, or by format")
	f.StringArrayVar(&o.confusion, "confusion", nil, "show which choices of this `FIELD` were confused; repeatable")
	f.BoolVar(&o.made, "made", false, "count made-up documents too, beside those that people reviewed")
	f.BoolVar(&o.places, "places", false, "check whether right values have the same place as in gold")
	f.StringArrayVar(&o.atLeast, "at-least", nil, "exit with code 5 if F1 is below this `BOUND`: 0.95, or FIELD=0.99; repeatable")
	f.Float64Var(&o.straight, "straight-through", 0, "the share that may skip review at this `PRECISION`, such as 0.99")
	f.BoolVar(&o.history, "history", false, "plot the scores of all runs")
	f.BoolVar(&o.curve, "curve", false, "F1 by the number of examples, or by the prompts tried, of runs that differ in that")
	f.BoolVar(&o.steps, "steps", false, "the score after each step: as it came, parsed leniently, normalized, repaired")
	f.StringVar(&o.frozen, "frozen", "", "count the documents of the frozen set `NAME` alone, if their gold is what it was")
	f.StringVar(&o.statement, "statement", "", "write to this `FILE` what a person can sign: the figures, and all they rest on")
	f.StringVar(&o.pairing, "pairing", "", "show how the items of the lists of this `DOC` were paired, and how alike they are")
	f.BoolVar(&o.all, "all", false, "list every document left out by name")
	return cmd
}

func (o *scoring) check() error {
	switch {
	case o.split != "" && o.split != gold.Tune && o.split != gold.Test:
		return fmt.Errorf("--split is tune or test, not %q", o.split)
	case o.straight != 0 && (o.straight <= 0 || o.straight >= 1):
		return errors.New("--straight-through is a precision between 0 and 1, such as 0.99")
	}
	for _, text := range o.atLeast {
		if _, _, err := bound(text); err != nil {
			return err
		}
	}
	return nil
}

// bound reads `0.95` or `FIELD=0.99`.
func bound(text string) (field string, least float64, err error) {
	field, figure, named := strings.Cut(text, "=")
	if !named {
		field, figure = "", text
	}
	if least, err = strconv.ParseFloat(figure, 64); err != nil || least < 0 || least > 1 || named && field == "" {
		return "", 0, fmt.Errorf("--at-least is a number from 0 to 1, or FIELD=NUMBER, not %q", text)
	}
	return field, least, nil
}

func (a *app) scoreRun(o scoring, runName string) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	switch {
	case o.history:
		return a.history(w, o)
	case o.curve:
		return a.curve(w, o, runName)
	case o.steps:
		return a.scoreSteps(w, o, runName)
	case o.pairing != "":
		return a.pairing(w, o, runName)
	case o.straight > 0:
		return a.straightThrough(w, o, runName)
	}
	if err := w.thaw(&o); err != nil {
		return err
	}
	var signed *signing
	if o.statement != "" {
		if signed, err = a.beginStatement(&o); err != nil {
			return err
		}
	}
	r, err := a.score(w, o, runName)
	if err != nil {
		return err
	}
	if signed != nil {
		if err := a.writeStatement(w, o, signed, r); err != nil {
			return err
		}
	}
	a.looked(w, o.goldPath, "score", w.nameOf(r.Run, o.recordsFile), o.split)
	if o.asJSON {
		a.printJSON(r.JSON())
	} else {
		a.printScore(r, w.covered(r.Run), o.all)
		a.printMore(r, o)
		a.printNext(r, o, runName)
	}
	return a.below(r, o.atLeast)
}

// printNext says what to look at next: the field that costs most, and how.
func (a *app) printNext(r *score.Report, o scoring, runName string) {
	f, ok := r.Costliest()
	if !ok {
		return
	}
	command := "filler errors"
	if o.recordsFile != "" {
		command += " --records " + o.recordsFile
	} else if runName != "" && runName != "last" {
		command += " " + runName
	}
	if o.schemaFile != "" {
		command += " --schema " + o.schemaFile
	}
	if o.goldPath != "" {
		command += " --gold " + o.goldPath
	}
	a.notef("next: %s has %d of %s; `%s --field '%s'`\n", f.Path, f.Errors(), plural(r.Overall.Errors(), "error"), command, f.Path)
}

// below says which bounds a score does not reach.
func (a *app) below(r *score.Report, bounds []string) error {
	low := false
	for _, text := range bounds {
		field, least, _ := bound(text)
		got, name := r.RatiosOf("").F1(), "all values"
		if field != "" {
			f := r.Field(field)
			if f == nil {
				return fmt.Errorf("--at-least %s: the schema has no scored field %s", text, field)
			}
			got, name = r.RatiosOf(field).F1(), field
		}
		if !got.Exists || got.Value < least {
			low = true
			a.notef("%s: F1 is %s, below %s\n", name, ratioText(got), strconv.FormatFloat(least, 'f', -1, 64))
		}
	}
	if low {
		return exit(codeBelow)
	}
	return nil
}

func (w *work) goldPath(named string) (string, error) {
	switch {
	case named != "":
		return named, nil
	case w.project == nil:
		return "", errors.New("no gold is named; add --gold FILE")
	case w.project.Gold == "":
		return "", fmt.Errorf("%s: no gold is named; add `gold: gold`, or say --gold", w.project.File)
	}
	return w.project.Gold, nil
}

// golds opens the gold that is meant, to measure by.
func (w *work) golds(named string) (*gold.Shelf, error) {
	path, err := w.goldPath(named)
	if err != nil {
		return nil, err
	}
	w.shelf, err = gold.Open(path, w.schema)
	return w.shelf, err
}

// goldSet loads the gold that is meant.
func (w *work) goldSet(named string) (gold.Set, error) {
	path, err := w.goldPath(named)
	if err != nil {
		return nil, err
	}
	return gold.Load(path, w.schema)
}

// options gives what a score is to tell, by what is known of the run.
func (a *app) options(w *work, o scoring, run *store.Run, l store.Store) (score.Options, error) {
	out := score.Options{Split: o.split, Frozen: o.set, Counted: o.counted, Intervals: o.statement != "", Made: o.made, Confusion: o.confusion, Places: o.places}
	if run != nil {
		out.Model = run.Model
	}
	for _, path := range o.confusion {
		if err := w.isChoice("--confusion", path); err != nil {
			return out, err
		}
	}
	if o.slice == "" {
		return out, nil
	}
	metadata := map[string]map[string]string{}
	if run != nil {
		var err error
		if metadata, err = l.Metadata(run.ID); err != nil {
			return out, err
		}
	}
	if w.project != nil && o.slice != "format" { // runs of repaired records have none of their own
		sources, err := w.sources(nil)
		if err != nil {
			return out, err
		}
		for _, s := range sources {
			if metadata[s.ID] == nil {
				metadata[s.ID] = s.Metadata
			}
		}
	}
	known := o.slice == "format"
	for _, f := range metadata {
		_, has := f[o.slice]
		known = known || has
	}
	if !known {
		return out, fmt.Errorf("--slice %s: no document has this metadata; declare it with `metadata:` in filler.yaml, or use --slice format", o.slice)
	}
	out.Slice = func(l record.Line) string {
		if o.slice == "format" {
			return document.FormatName(l.Document)
		}
		if v := metadata[l.Document][o.slice]; v != "" {
			return v
		}
		return "(none)"
	}
	return out, nil
}

// inFile says where in a file a line is at fault.
func inFile(file string, err error) error {
	var bad *score.LineError
	if errors.As(err, &bad) {
		return lineFault(file, bad.N, bad.Err)
	}
	return err
}

// score measures the records of a run or a file.
func (a *app) score(w *work, o scoring, runName string) (*score.Report, error) {
	set, err := w.golds(o.goldPath)
	if err != nil {
		return nil, err
	}
	var run *store.Run
	var l store.Store
	if o.recordsFile != "" && runName != "" {
		a.parsed = false
		return nil, errors.New("a run and --records are both given; use one of the two")
	}
	if o.recordsFile == "" {
		var found store.Run
		if l, found, err = a.keptRun(w, runName); err != nil {
			return nil, err
		}
		defer l.Close()
		run = &found
	}
	options, err := a.options(w, o, run, l)
	if err != nil {
		return nil, err
	}
	s := score.NewWith(w.schema, set, options)
	if run == nil && o.counted == nil {
		err = inFile(o.recordsFile, s.AddFile(o.recordsFile))
	} else {
		_, err = a.each(w, o.judged, runName, func(n int, l record.Line, err error) error {
			if err == nil {
				err = s.Add(l)
			}
			if err != nil && n > 0 {
				err = lineFault(o.recordsFile, n, err)
			}
			return err
		})
	}
	if err != nil {
		return nil, err
	}
	r := s.Report()
	if run != nil {
		r.Run = run.ID
		totals, err := l.Totals(run.ID)
		if err != nil {
			return nil, err
		}
		r.Spent = &score.Spending{CostNano: totals.CostNano}
	}
	return &r, nil
}
