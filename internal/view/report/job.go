package report

import (
	"context"
	"fmt"
	"image"
	"maps"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/review"
	"filler/internal/measure/score"
	"filler/internal/measure/suggest"
	"filler/internal/record"
	"filler/internal/record/trace"
	"filler/internal/run/fill"
	"filler/internal/run/improve"
	"filler/internal/run/scores"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/store"
	"filler/internal/view/figures"
)

// Job is a report that is to be written: of a run of a store, or of records from
// elsewhere.
type Job struct {
	Schema *schema.Schema
	Name   string // of what is shown
	Store  store.Store
	Run    store.Run
	// Lines gives records from elsewhere, in place of a run's.
	Lines func(do func(l record.Line) error) error
	Gold  *gold.Shelf // nil: nothing is measured
	Split string
	// Against is the run that this one is set beside; nil for none.
	Against  *store.Run
	Metadata map[string]map[string]string // by document
	Show     bool                         // what is sensitive too
	Wanted   func(document string) bool   // nil: all documents have a page
	Source   func(id string) (*document.Document, error)
	// Pictures draws pages of a document, from 1; nil: none are drawn.
	Pictures func(d *document.Document, first, last int) ([]image.Image, error)
	Step     func(done int)      // hears of each document
	Tried    []improve.Candidate // changes of the schema as it is that were tried
}

// Made is what a report came to.
type Made struct{ Documents, Unread int }

// maker makes one report.
type maker struct {
	*Job
	sheets  Maker
	check   *record.Validator
	scorer  *score.Scorer
	slices  map[string]*score.Scorer
	finder  *score.Finder
	fixer   *score.Fixer
	changes *suggest.Collector
	errors  map[string][]score.LeafError
	judged  map[string]bool
	leftOut map[string]string
	all     []score.LeafError
	others  map[string]int // places of documents in the other run
	made    Made
	totals  store.Totals
}

// Write writes the report. It reads the records twice: to measure them, and to show them.
func (j *Job) Write(ctx context.Context, path string) (Made, error) {
	m := &maker{Job: j, errors: map[string][]score.LeafError{}, judged: map[string]bool{}, leftOut: map[string]string{}, slices: map[string]*score.Scorer{}}
	m.sheets.Schema = j.Schema
	if !j.Show {
		m.sheets.Cover = record.NewCover(j.Schema)
	}
	var err error
	if m.check, err = record.NewValidator(j.Schema); err != nil {
		return m.made, err
	}
	if err := m.measure(ctx); err != nil {
		return m.made, err
	}
	r, err := m.run()
	if err != nil {
		return m.made, err
	}
	w, err := Begin(path, j.Name)
	if err != nil {
		return m.made, err
	}
	if err := m.each(func(l record.Line, steps trace.Steps) error {
		if err := ctx.Err(); err != nil {
			return err
		}
		if j.Wanted != nil && !j.Wanted(l.Document) {
			return nil
		}
		return m.document(w, l, steps)
	}); err != nil {
		w.Abandon()
		return m.made, err
	}
	return m.made, w.Close(r)
}

// each calls do for each record.
func (m *maker) each(do func(l record.Line, steps trace.Steps) error) error {
	if m.Lines != nil {
		return m.Lines(func(l record.Line) error { return do(l, nil) })
	}
	return m.Store.Records(m.Run.ID, 0, func(r store.Record) error {
		line, err := fill.ToLine(m.Run.ID, r, m.Schema)
		if err != nil {
			return err
		}
		steps, err := trace.Parse(r.Trace)
		if err != nil {
			return err
		}
		return do(line, steps)
	})
}

// measure sets the records beside gold.
func (m *maker) measure(ctx context.Context) error {
	if m.Gold == nil {
		return nil
	}
	options := score.Options{Split: m.Split, Straight: true, Intervals: true, Model: m.Run.Model}
	for _, f := range m.Schema.Leaves() {
		if f.Type == schema.Choice && !(m.sheets.Cover != nil && m.Schema.IsSensitive(f.Path)) {
			options.Confusion = append(options.Confusion, f.Path)
		}
	}
	m.scorer = score.NewWith(m.Schema, m.Gold, options)
	for name, of := range m.slicers() {
		m.slices[name] = score.NewWith(m.Schema, m.Gold, score.Options{Split: m.Split, Slice: func(l record.Line) string { return of(l.Document) }})
	}
	m.finder = &score.Finder{Schema: m.Schema, Gold: m.Gold, Split: m.Split, Keep: true, Source: func(id string) (*document.Document, error) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		return m.Source(id)
	}}
	m.fixer, m.changes = score.NewFixer(m.Schema), suggest.New(m.Schema)
	read := 0
	err := m.each(func(l record.Line, _ trace.Steps) error {
		for _, s := range m.slices {
			if err := s.Add(l); err != nil {
				return err
			}
		}
		if err := m.scorer.Add(l); err != nil {
			return err
		}
		f, err := m.finder.Add(l)
		if err != nil || f.Gold == nil {
			return err
		}
		m.judged[l.Document] = true
		m.fixer.Add(f.Document, f.Gold, f.Filled, f.Errors)
		m.changes.Add(suggest.CaseOf(&f, read, m.finder.Source))
		read++
		m.errors[l.Document] = f.Errors
		m.all = append(m.all, f.Errors...)
		return nil
	})
	if err != nil {
		return err
	}
	return ctx.Err()
}

// mostSlices is how many different values of metadata still are slices.
const mostSlices = 12

// slicers gives the ways in which documents fall into slices: by format, and by each
// metadata field of few values.
func (m *maker) slicers() map[string]func(document string) string {
	values := map[string]map[string]bool{"format": {}}
	for id, fields := range m.Metadata {
		values["format"][document.FormatName(id)] = true
		for name, v := range fields {
			if values[name] == nil {
				values[name] = map[string]bool{}
			}
			values[name][v] = true
		}
	}
	out := map[string]func(string) string{}
	for name, all := range values {
		if len(all) < 2 || len(all) > mostSlices {
			continue
		}
		out[name] = func(id string) string {
			if name == "format" {
				return document.FormatName(id)
			}
			if v := m.Metadata[id][name]; v != "" {
				return v
			}
			return "(none)"
		}
	}
	return out
}

// run gathers what the first page shows.
func (m *maker) run() (*Run, error) {
	r := &Run{Title: m.Name}
	if m.Lines == nil {
		var err error
		if m.totals, err = m.Store.Totals(m.Run.ID); err != nil {
			return nil, err
		}
		r.Facts = facts(m.Run, m.totals)
	}
	r.Facts = append(r.Facts, [2]string{"schema", fmt.Sprintf("%s, %.12s", m.Schema.Name, m.Schema.Hash())})
	if m.Against != nil {
		s, err := m.against()
		if err != nil {
			return nil, err
		}
		r.Sections = append(r.Sections, s)
	}
	named, any, err := m.entities()
	if err != nil {
		return nil, err
	}
	if any {
		defer func() { r.Sections = append(r.Sections, named) }()
	}
	if m.Gold == nil {
		return r, nil
	}
	report := m.scorer.Report()
	for _, l := range report.LeftOut {
		m.leftOut[l.Document] = l.Why
	}
	if m.Lines == nil {
		report.Spent = &score.Spending{CostNano: m.totals.CostNano}
	}
	r.Sections = append(r.Sections, Accuracy(&report))
	if report.Documents > 0 {
		if err := m.measured(r, &report); err != nil {
			return nil, err
		}
	}
	if len(report.LeftOut) > 0 {
		r.Sections = append(r.Sections, LeftOut(report.LeftOut))
	}
	return r, nil
}

// measured adds what is known where documents have gold.
func (m *maker) measured(r *Run, report *score.Report) error {
	by := map[string][]score.Slice{}
	for name, s := range m.slices {
		if one := s.Report(); len(one.Slices) > 1 {
			by[name] = one.Slices
		}
	}
	if len(by) > 0 {
		r.Sections = append(r.Sections, Slices(by))
	}
	if len(m.all) > 0 {
		fixes := m.fixer.Try()
		if m.sheets.Cover != nil {
			fixes.Cover(m.Schema)
		}
		m.sheets.Suggest(&fixes)
		r.Sections = append(r.Sections, Errors(m.all, &fixes))
		said := m.changes.Suggest()
		if m.sheets.Cover != nil {
			said = suggest.Cover(m.Schema, said)
		}
		if c := Changes(said, m.Tried, m.Wanted); len(c.Tables) > 0 {
			r.Sections = append(r.Sections, c)
		}
	}
	if c := Confusions(report.Confusions); len(c.Tables) > 0 {
		r.Sections = append(r.Sections, c)
	}
	if bands := m.scorer.Calibration(); len(bands) > 0 {
		r.Sections = append(r.Sections, Risk(report, bands))
		var through []score.StraightThrough
		for _, target := range []float64{0.9, 0.95, 0.98, 0.99} {
			through = append(through, m.scorer.Straight(target))
		}
		r.Sections = append(r.Sections, Straight(through))
	}
	if m.Lines != nil {
		return nil
	}
	ruler := &scores.Ruler{Schema: m.Schema, Gold: m.Gold, Split: m.Split}
	if fill.MadeBy(m.Run) == "" && !fill.IsOpen(m.Run) {
		steps, several, err := ruler.Steps(m.Store, m.Run)
		if err != nil {
			return err
		}
		if len(steps) > 0 && steps[0].Score.Documents > 0 {
			r.Sections = append(r.Sections, Steps(steps, several))
		}
	}
	all, err := ruler.History(m.Store)
	if err != nil {
		return err
	}
	comparable := scores.Comparable(all, m.Run.ID)
	if len(comparable) > 1 {
		costs := map[int64]int64{}
		for _, one := range comparable {
			t, err := m.Store.Totals(one.ID)
			if err != nil {
				return err
			}
			costs[one.ID] = t.CostNano
		}
		r.Sections = append(r.Sections, History(comparable, costs, m.Run.ID, len(all)-len(comparable)))
	}
	return nil
}

// facts tells what a run is.
func facts(run store.Run, t store.Totals) [][2]string {
	out := [][2]string{{"model", run.Model}, {"state", run.State}, {"begun", run.Began.Local().Format("2006-01-02 15:04")}}
	documents := figures.Thousands(t.Documents)
	if run.Of > t.Documents {
		documents += " of the project's " + figures.Thousands(run.Of)
	}
	out = append(out, [2]string{"documents", documents}, [2]string{"records", fmt.Sprintf("%s unflagged (no check objected, which is not accuracy), %s repaired, %s flagged, %s failed", figures.Thousands(t.Unflagged), figures.Thousands(t.Repaired), figures.Thousands(t.Flagged), figures.Thousands(t.Failed))})
	guess := ""
	if t.Estimated {
		guess = ", in part estimated"
	}
	out = append(out, [2]string{"cost", figures.Money(t.CostNano) + guess}, [2]string{"tokens", fmt.Sprintf("%s in, %s out, over %s", figures.Thousands(t.TokensIn), figures.Thousands(t.TokensOut), figures.Plural(t.Exchanges, "exchange"))})
	if t.Cached > 0 {
		out[len(out)-1][1] += fmt.Sprintf("; %s more from the cache", figures.Thousands(t.Cached))
	}
	return append(out, [2]string{"time", fmt.Sprintf("%.1f s", run.Seconds)}, [2]string{"prompt", fmt.Sprintf("%.12s", run.PromptHash)})
}

// document adds the page of a document.
func (m *maker) document(w *Writer, l record.Line, steps trace.Steps) error {
	g := &Given{Line: l, Steps: steps, Metadata: maps.Clone(m.Metadata[l.Document]), Judged: m.judged[l.Document], Errors: m.errors[l.Document], LeftOut: m.leftOut[l.Document]}
	source, err := m.Source(l.Document)
	switch {
	case err != nil:
		g.Unread = err.Error()
	case l.Hashes.Text != "" && l.Hashes.Text != source.Hash:
		g.Unread = "its text is another now than when its record was made"
	default:
		g.Source = source
	}
	if l.Status == "" && len(l.Problems) == 0 { // nobody has held it against anything yet
		g.Line.Problems, _ = fill.Judge(m.check, m.Schema, &l.Record, g.Source)
	}
	m.made.Documents++
	if g.Unread != "" {
		m.made.Unread++
	}
	if m.Pictures != nil && g.Source != nil && source.Layout != nil {
		g.Pictures = func(first, last int) ([]image.Image, error) { return m.Pictures(source, first, last) }
	}
	if m.Store != nil && m.Lines == nil {
		if d, err := review.DecidedOf(m.Store, m.Schema, l.Document, l.Hashes.Text); err == nil && d != nil && d.TextHash == l.Hashes.Text && l.Status != record.Failed {
			g.Decided = d.Over(m.Schema, &l.Record).Changes
		}
	}
	if m.Against != nil {
		if g.Other, err = m.other(&l); err != nil {
			return err
		}
	}
	if m.Step != nil {
		m.Step(m.made.Documents)
	}
	return w.Document(m.sheets.Sheet(g))
}

// other gives what the other run has where it differs.
func (m *maker) other(l *record.Line) (map[value.Pointer]Other, error) {
	n, has := m.others[l.Document]
	if !has {
		return nil, nil
	}
	kept, ok, err := m.Store.RecordAt(m.Against.ID, n)
	if err != nil || !ok {
		return nil, err
	}
	line, err := fill.ToLine(m.Against.ID, kept, m.Schema)
	if err != nil || line.Status == record.Failed {
		return nil, err
	}
	out := map[value.Pointer]Other{}
	name := fmt.Sprintf("run %d", m.Against.ID)
	score.Walk(m.Schema, &line.Record, &l.Record, score.Visitor{Paths: true, Leaf: func(leaf score.Leaf) {
		if leaf.FilledPath != "" && leaf.Outcome != score.Right && leaf.Outcome != score.Blank {
			out[leaf.FilledPath] = Other{Name: name, Value: review.Shown(m.sheets.Cover.Value(leaf.GoldPath, leaf.Gold))}
		}
	}})
	return out, nil
}

// against tells this run and the other apart.
func (m *maker) against() (Section, error) {
	tasks, err := m.Store.Tasks(m.Against.ID)
	if err != nil {
		return Section{}, err
	}
	m.others = map[string]int{}
	for _, t := range tasks {
		m.others[t.Document] = t.N
	}
	lines := func(run int64, add func(record.Line) error) error {
		return m.Store.Records(run, 0, func(r store.Record) error {
			line, err := fill.ToLine(run, r, m.Schema)
			if err == nil {
				err = add(line)
			}
			return err
		})
	}
	a, b := figures.RunName(m.Against.ID, m.Against.Name), figures.RunName(m.Run.ID, m.Run.Name)
	if m.Gold == nil {
		first, second := score.Records{}, score.Records{}
		if err := lines(m.Against.ID, first.Add); err != nil {
			return Section{}, err
		}
		if err := lines(m.Run.ID, second.Add); err != nil {
			return Section{}, err
		}
		got := score.Agree(m.Schema, first, second)
		return Differing(&got, a, b), nil
	}
	c := score.NewComparer(m.Schema, m.Gold, m.Split, 2)
	if err := lines(m.Against.ID, c.To(0)); err != nil {
		return Section{}, err
	}
	if err := lines(m.Run.ID, c.To(1)); err != nil {
		return Section{}, err
	}
	got := c.Compare()
	if m.sheets.Cover != nil {
		score.CoverLeaves(m.Schema, got.Leaves)
	}
	return Compared(&got, a, b), nil
}
