package cli

import (
	"errors"
	"fmt"
	"io"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"filler/internal/base/place"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/measure/values"
	"filler/internal/record"
	"filler/internal/run/fill"
	"filler/internal/run/scores"
	"filler/internal/schema"
	"filler/internal/view/plot"
)

// plotting is the flags of plot.
type plotting struct {
	judged
	ask                         values.Ask
	field, output, where, split string
	bands, csv, sensitive       bool
}

// plotted are the figures that have names.
var plotted = []string{"score", "history", "risk", "steps", "confusion", "cost", "straight-through", "curve", "drift"}

func (a *app) plotCmd() *cobra.Command {
	var o plotting
	cmd := &cobra.Command{Use: "plot WHAT [RUN]", Short: "Draw a figure, or the values of records",
		Long: `Draw a figure in the terminal, or with -o as a picture (FILE.png or FILE.svg). WHAT is one of

  score, history, risk, steps, cost, straight-through, curve, drift, confusion FIELD

or a field, whose values are drawn: how often each comes, by time, set apart, or beside those
of another field. What is unknown is shown as unknown.

  filler plot score
  filler plot confusion 'bays[].deck' -o deck.png
  filler plot 'bays[].deck'
  filler plot closed --over visited:month
  filler plot 'bays[].length' --slice 'bays[].deck'
  filler plot 'actions[].cost.amount' --sum --slice inspector.name --over visited:year
  filler plot 'bays[].deck' --with 'bays[].defects[].kind' --bands -o flow.svg

A field that is called as a figure is: --field score.`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := o.check(args); err != nil {
				a.parsed = false
				return err
			}
			return a.plot(&o, args)
		}}
	cmd.Args = func(_ *cobra.Command, args []string) error {
		switch {
		case len(args) == 0 && o.field == "":
			return fmt.Errorf("WHAT is missing: one of %s, or a field", strings.Join(plotted, ", "))
		case len(args) > 3:
			return fmt.Errorf("%d words are given, and this takes WHAT, a FIELD for confusion, and a RUN", len(args))
		}
		return nil
	}
	o.judged.flags(cmd, true)
	f := cmd.Flags()
	f.StringVarP(&o.output, "output", "o", "", "draw into this `FILE`, .png or .svg")
	f.StringVar(&o.field, "field", "", "draw the values of this `FIELD`")
	f.StringVar(&o.ask.Over, "over", "", "by time: a date `FIELD`, or FIELD:STEP with "+strings.Join(values.Units, ", "))
	f.StringVar(&o.ask.Slice, "slice", "", "set apart by the values of this `FIELD`")
	f.StringVar(&o.ask.Metadata, "metadata", "", "set apart by this metadata `NAME` of the documents")
	f.StringVar(&o.ask.With, "with", "", "count beside the values of this `FIELD`")
	f.BoolVar(&o.ask.Sum, "sum", false, "add figures, in place of showing how they lie")
	f.BoolVar(&o.bands, "bands", false, "draw counts as bands from one field to the other")
	f.StringVar(&o.where, "where", "", "only documents whose metadata meet this `CONDITION`, such as 'year > 2030'")
	f.StringVar(&o.split, "split", "", splitUsage)
	f.BoolVar(&o.csv, "csv", false, "print the figures that are drawn, as CSV")
	f.BoolVar(&o.sensitive, "sensitive", false, sensitiveUsage)
	return cmd
}

func (o *plotting) isFigure(args []string) bool {
	return o.field == "" && len(args) > 0 && slices.Contains(plotted, args[0])
}

func (o *plotting) check(args []string) error {
	own := o.ask.Over + o.ask.Slice + o.ask.Metadata + o.ask.With + o.where
	switch {
	case o.output != "" && o.csv:
		return errors.New("-o draws a picture and --csv prints figures; use one of the two")
	case o.output != "" && plotFormat(o.output) == "":
		return fmt.Errorf("-o %s: a picture is a .png or an .svg", o.output)
	case o.recordsFile != "" && len(o.runName(args)) > 0:
		return errors.New("a run and --records are both given; use one of the two")
	case o.isFigure(args) && (own != "" || o.ask.Sum || o.bands):
		return fmt.Errorf("--over, --slice, --metadata, --with, --sum, --bands and --where are for the values of a field, not for %s", args[0])
	case o.isFigure(args) && o.recordsFile != "" && args[0] != "score" && args[0] != "risk" && args[0] != "confusion" && args[0] != "straight-through":
		return fmt.Errorf("plot %s is about runs; a file of records has none", args[0])
	case !o.isFigure(args) && (o.split != "" || o.goldPath != ""):
		return errors.New("--split and --gold are for figures against gold")
	case o.bands && o.ask.With == "" && o.ask.Slice == "" && o.ask.Metadata == "":
		return errors.New("--bands goes from one field to another; add --with FIELD")
	case o.split != "" && o.split != gold.Tune && o.split != gold.Test:
		return fmt.Errorf("--split is tune or test, not %q", o.split)
	}
	return nil
}

// runName gives the run that is named.
func (o *plotting) runName(args []string) string {
	n := 1
	switch {
	case o.field != "":
		n = 0
	case len(args) > 0 && args[0] == "confusion":
		n = 2
	}
	if len(args) > n {
		return args[n]
	}
	return ""
}

func plotFormat(file string) plot.Format {
	switch strings.ToLower(filepath.Ext(file)) {
	case ".png":
		return plot.PNG
	case ".svg":
		return plot.SVG
	}
	return ""
}

func (a *app) plot(o *plotting, args []string) error {
	w, err := a.open(o.schemaFile)
	if err != nil {
		return err
	}
	var p *plot.Picture
	if o.isFigure(args) {
		if w.schema.Find(args[0]) != nil {
			a.notef("%s is a field too; --field %s draws its values\n", args[0], args[0])
		}
		p, err = a.figure(w, o, args)
	} else {
		p, err = a.ownValues(w, o, args)
	}
	if err != nil {
		return err
	}
	switch {
	case o.csv:
		return p.CSV(a.out)
	case o.output != "":
		if err := written(o.output, func(to io.Writer) error { return p.Write(to, plotFormat(o.output)) }); err != nil {
			return err
		}
		a.notef("%s: %s\n", o.output, p.Title)
		return nil
	}
	for i, l := range p.Terminal(a.term.width, a.term.unicode) {
		if i == 0 {
			l = a.paint(bold, l)
		}
		a.printf("%s\n", l)
	}
	return nil
}

// ownValues draws the values of a field.
func (a *app) ownValues(w *work, o *plotting, args []string) (*plot.Picture, error) {
	o.ask.Field = o.field
	if o.field == "" {
		o.ask.Field = args[0]
	}
	metadata, wanted, err := a.aboutPlot(w, o)
	if err != nil {
		return nil, err
	}
	t, err := values.NewTally(w.schema, o.ask, func(id string) map[string]string { return metadata[id] })
	var none *values.NoField
	if errors.As(err, &none) && none.Path == o.ask.Field && o.field == "" {
		return nil, fmt.Errorf("plot %s: it is no figure (%s), and %w", args[0], strings.Join(plotted, ", "), err)
	}
	if err != nil {
		return nil, err
	}
	for _, path := range o.ask.Fields() {
		if w.schema.IsSensitive(path) && !o.sensitive {
			return nil, fmt.Errorf("%s is sensitive; --sensitive draws its values", path)
		}
	}
	run, err := a.eachDecided(w, o.judged, o.runName(args), func(n int, l record.Line, err error) error {
		switch {
		case err != nil:
			return lineFault(o.recordsFile, n, err)
		case wanted != nil && !wanted[l.Document]:
			return nil
		}
		t.Add(&l)
		return nil
	})
	if err != nil {
		return nil, err
	}
	r, err := t.Result()
	if err != nil {
		return nil, err
	}
	return plot.Values(r, w.covered(run), o.bands), nil
}

// aboutPlot gives what is known of documents besides their text, where it is asked for,
// and which are wanted; nil for all.
func (a *app) aboutPlot(w *work, o *plotting) (metadata map[string]map[string]string, wanted map[string]bool, err error) {
	if o.where == "" && o.ask.Metadata == "" {
		return nil, nil, nil
	}
	if w.project == nil {
		return nil, nil, errors.New("--where and --metadata go by metadata, which a project declares; there is none here")
	}
	sources, err := w.sources(nil)
	if err != nil {
		return nil, nil, err
	}
	metadata = map[string]map[string]string{}
	names := map[string]bool{}
	for _, s := range sources {
		metadata[s.ID] = s.Metadata
		for name := range s.Metadata {
			names[name] = true
		}
	}
	if o.ask.Metadata != "" && !names[o.ask.Metadata] {
		var all []string
		for name := range names {
			all = append(all, name)
		}
		slices.Sort(all)
		return nil, nil, fmt.Errorf("--metadata %s: no document has this metadata; %s", o.ask.Metadata, place.Suggest(o.ask.Metadata, all))
	}
	if o.where == "" {
		return metadata, nil, nil
	}
	wanted, err = a.meeting(sources, o.where)
	return metadata, wanted, err
}

// figure draws a figure of runs against gold.
func (a *app) figure(w *work, o *plotting, args []string) (*plot.Picture, error) {
	if args[0] == "drift" { // it needs no gold
		return a.figureOfDrift(w)
	}
	set, err := w.golds(o.goldPath)
	if err != nil {
		return nil, err
	}
	switch args[0] {
	case "history", "cost", "steps", "curve":
		return a.figureOfRuns(w, o, args, &scores.Ruler{Schema: w.schema, Gold: set, Split: o.split})
	}
	options := score.Options{Split: o.split, Straight: true, Intervals: true}
	if args[0] == "confusion" {
		if len(args) < 2 {
			return nil, errors.New("plot confusion: name a choice, such as plot confusion 'bays[].deck'")
		}
		if err := w.isChoice("plot confusion", args[1]); err != nil {
			return nil, err
		}
		if w.schema.IsSensitive(args[1]) && !o.sensitive {
			return nil, fmt.Errorf("%s is sensitive; --sensitive draws its values", args[1])
		}
		options.Confusion = args[1:2]
	}
	s := score.NewWith(w.schema, set, options)
	run, err := a.each(w, o.judged, o.runName(args), func(n int, l record.Line, err error) error {
		if err == nil {
			err = s.Add(l)
		}
		if err != nil && o.recordsFile != "" {
			return lineFault(o.recordsFile, n, err)
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	r, name := s.Report(), w.covered(run)
	if r.Documents == 0 {
		return nil, fmt.Errorf("%s: no document has gold that counts; `filler gold status` shows what there is", name)
	}
	switch args[0] {
	case "score":
		return plot.Score(&r, name), nil
	case "confusion":
		return plot.Confusion(&r.Confusions[0], name), nil
	}
	bands := s.Calibration()
	if len(bands) == 0 {
		return nil, errors.New("these records have no risk figures, which this needs; records written by `filler fill` have them")
	}
	if args[0] == "risk" {
		return plot.Risk(bands, r.NeverFilled(), name), nil
	}
	var all []plot.Through
	for _, target := range []float64{0.8, 0.85, 0.9, 0.925, 0.95, 0.96, 0.97, 0.98, 0.99, 0.995} {
		all = append(all, plot.Through{Target: target, StraightThrough: s.Straight(target)})
	}
	return plot.Straight(all, name), nil
}

func (a *app) figureOfRuns(w *work, o *plotting, args []string, ruler *scores.Ruler) (*plot.Picture, error) {
	l, run, err := a.keptRun(w, o.runName(args))
	if err != nil {
		return nil, err
	}
	defer l.Close()
	if args[0] == "steps" {
		if by := fill.MadeBy(run); by != "" {
			return nil, fmt.Errorf("run %d is of `filler %s`, which has no first replies; name the run that filled its records", run.ID, by)
		}
		steps, several, err := ruler.Steps(l, run)
		if err != nil {
			return nil, err
		}
		return plot.Steps(steps, several, w.covered(run.ID)), nil
	}
	if args[0] == "curve" {
		c, err := ruler.CurveOf(l, run)
		if err != nil {
			return nil, err
		}
		return plot.Curve(c), nil
	}
	all, err := ruler.History(l)
	if err != nil {
		return nil, err
	}
	comparable := scores.Comparable(all, run.ID)
	if len(comparable) == 0 {
		return nil, errors.New("no run has a document with reviewed gold; `filler gold status` shows the gold set")
	}
	if args[0] == "history" {
		return plot.History(comparable, len(all)-len(comparable)), nil
	}
	costs := map[int64]int64{}
	for _, one := range comparable {
		t, err := l.Totals(one.ID)
		if err != nil {
			return nil, err
		}
		costs[one.ID] = t.CostNano
	}
	return plot.Cost(comparable, costs, a.currency), nil
}

func (a *app) figureOfDrift(w *work) (*plot.Picture, error) {
	l, err := w.keptRuns()
	if err != nil {
		return nil, err
	}
	defer l.Close()
	approved, err := scores.ApprovedOf(l, w.keepsIn(), w.schema.Name)
	if err != nil {
		return nil, err
	}
	base, all, err := scores.Since(l, approved, w.schema)
	if err != nil {
		return nil, err
	}
	return plot.Drift(approved.ID, base, all), nil
}

// isChoice says what is wrong with a path that names no choice.
func (w *work) isChoice(what, path string) error {
	if f := w.schema.Find(path); f != nil && f.Type == schema.Choice {
		return nil
	}
	var choices []string
	for _, f := range w.schema.Leaves() {
		if f.Type == schema.Choice {
			choices = append(choices, f.Path)
		}
	}
	return fmt.Errorf("%s %s: the schema has no such choice; %s", what, path, place.Suggest(path, choices))
}
