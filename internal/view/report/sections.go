package report

import (
	"fmt"
	"math"
	"strings"

	"filler/internal/measure/score"
	"filler/internal/view/figures"
)

// Run is what the first page of a report shows.
type Run struct {
	Title    string
	Facts    [][2]string
	Sections []Section
}

// Section is a part of that page.
type Section struct {
	ID, Title string
	Lead      []string
	Tables    []Table
	Notes     []string
}

// Short is the title without what explains it.
func (s *Section) Short() string {
	short, _, _ := strings.Cut(s.Title, ":")
	return short
}

// Table is a table of figures.
type Table struct {
	Caption string
	Heads   []string // a head that begins with ">" is of a column of figures
	Rows    [][]Cell
	Foot    []Cell
}

// Cell is one cell.
type Cell struct {
	Text  string
	Link  string // field: or type: and what the documents are filtered by; or ""
	To    string // a document, or a value of one; or ""
	Class string
	Graph *Graph
}

// Graph is a small drawing in a cell, on a scale from 0 to 1.
type Graph struct {
	At, Low, High float64
	Has           bool // the interval exists
	Beside        bool // Low is where another stands
}

// Wide is how many units a graph is wide.
const Wide = 120

// X gives a place on the scale of a graph.
func (g *Graph) X(at float64) string {
	return fmt.Sprintf("%.1f", 3+(Wide-6)*min(max(at, 0), 1))
}

// IntervalWidth gives how wide an interval is.
func (g *Graph) IntervalWidth() string {
	return fmt.Sprintf("%.1f", math.Max((Wide-6)*(min(g.High, 1)-max(g.Low, 0)), 0.5))
}

func cell(text string) Cell { return Cell{Text: text} }

func count(n int) Cell {
	if n == 0 {
		return Cell{Text: "·", Class: "nil"}
	}
	return Cell{Text: figures.Thousands(n)}
}

func ratio(r score.Ratio) Cell { return Cell{Text: figures.Ratio(r)} }

// interval gives the cells of an interval and its drawing.
func interval(r score.Ratio, i score.Interval) []Cell {
	text := "–"
	if i.Exists {
		text = fmt.Sprintf("%.3f to %.3f", i.Low, i.High)
	}
	if !r.Exists {
		return []Cell{cell(text), {}}
	}
	return []Cell{cell(text), {Graph: &Graph{At: r.Value, Low: i.Low, High: i.High, Has: i.Exists}}}
}

// counts gives the cells of outcomes.
func counts(c score.Counts) []Cell {
	return []Cell{count(c.Right), count(c.Wrong), count(c.Missed), count(c.Extra), ratio(c.Precision()), ratio(c.Recall()), ratio(c.F1())}
}

var countHeads = []string{">right", ">wrong", ">missed", ">extra", ">precision", ">recall", ">F1", "95 % interval", "0 to 1"}

// Accuracy tells a score.
func Accuracy(r *score.Report) Section {
	s := Section{ID: "accuracy", Title: "Accuracy"}
	c := r.Overall
	if r.Documents == 0 {
		s.Lead = []string{"No document of these has reviewed gold, so that nothing is known of accuracy."}
		return s
	}
	lead := fmt.Sprintf("F1 %s", figures.Ratio(c.F1()))
	if r.F1.Exists {
		lead += fmt.Sprintf(" (95 %% interval over documents %.3f to %.3f)", r.F1.Low, r.F1.High)
	}
	lead += fmt.Sprintf(": of %s, %s right, %d wrong, %d missed, %d extra, in %s with reviewed gold.", figures.Plural(c.Right+c.Errors(), "value"), figures.Thousands(c.Right), c.Wrong, c.Missed, c.Extra, figures.Plural(r.Documents, "document"))
	s.Lead = []string{lead, fmt.Sprintf("%s of %s fully correct.", figures.Thousands(r.RecordsRight), figures.Plural(r.RecordsOf, "record"))}
	if r.Split != "" {
		s.Lead = append(s.Lead, "Only documents of the "+r.Split+" split.")
	}
	t := Table{Caption: "By field", Heads: append([]string{"field"}, countHeads...)}
	for _, f := range r.Fields {
		t.Rows = append(t.Rows, append(append([]Cell{{Text: f.Path, Link: "field:" + f.Path}}, counts(f.Counts)...), interval(f.F1(), f.Interval)...))
	}
	t.Foot = append(append([]Cell{cell("all values")}, counts(c)...), interval(c.F1(), r.F1)...)
	s.Tables = append(s.Tables, t)
	if len(r.Lists) > 0 {
		items := Table{Caption: "Items of lists", Heads: []string{"list", ">found", ">missed", ">extra"}}
		for _, l := range r.Lists {
			items.Rows = append(items.Rows, []Cell{cell(l.Path), count(l.Found), count(l.Missed), count(l.Extra)})
		}
		s.Tables = append(s.Tables, items)
	}
	s.Notes = notes(r)
	return s
}

// notes tells what limits the figures of a score.
func notes(r *score.Report) (all []string) {
	if e := r.Evident; e.Known {
		all = append(all, fmt.Sprintf("Evidence: %s of %s right values stand in the source as they are, and %s of %s wrong or extra ones.", figures.Thousands(e.RightWith), figures.Thousands(e.RightWith+e.RightWithout), figures.Thousands(e.WrongWith), figures.Thousands(e.WrongWith+e.WrongWithout)))
	}
	if nano, ok := r.PerRight(); ok && nano > 0 {
		all = append(all, fmt.Sprintf("Cost of one right value: %s.", figures.Money(int64(nano))))
	}
	for _, n := range []struct {
		of   int
		says string
	}{{r.Reread, "read differently since review"}, {r.ByPeople, "values decided by people in production are in no figure"}, {r.Untouched, "documents have gold as a model drafted it, with no value changed"},
		{r.Drafted, "documents have gold that this same model drafted, which flatters it"}, {r.Unseen.Counted + r.Unseen.Apart, "values of gold were accepted unseen"}, {r.TooLong, "lists are too long for a table of all similarities and were paired on candidates"}} {
		if n.of > 0 {
			all = append(all, fmt.Sprintf("%s %s.", figures.Thousands(n.of), n.says))
		}
	}
	return all
}

// Slices tells the score of documents that share a value of their metadata.
func Slices(by map[string][]score.Slice) Section {
	s := Section{ID: "slices", Title: "By metadata"}
	for _, name := range sorted(by) {
		t := Table{Caption: "By " + name, Heads: append([]string{name, ">documents"}, countHeads...)}
		for _, x := range by[name] {
			t.Rows = append(t.Rows, append(append([]Cell{cell(x.Name), count(x.Documents)}, counts(x.Counts)...), interval(x.F1(), x.F1Interval)...))
		}
		s.Tables = append(s.Tables, t)
	}
	return s
}

// Confusions tells which choices came out as which.
func Confusions(all []score.Confusion) Section {
	s := Section{ID: "confusion", Title: "Choices: gold in rows, filled in columns"}
	for _, c := range all {
		used, most := make([]bool, len(c.Options)), 1
		for i := range c.Options {
			for j, n := range c.Table[i] {
				if n > 0 {
					used[i], used[j] = true, true
				}
				if i != j {
					most = max(most, n)
				}
			}
		}
		name := func(o string) string {
			if o == score.None {
				return "(none)"
			}
			return o
		}
		t := Table{Caption: c.Field, Heads: []string{"gold"}}
		for i, o := range c.Options {
			if !used[i] {
				continue
			}
			t.Heads = append(t.Heads, ">"+name(o))
			row := []Cell{cell(name(o))}
			for j, n := range c.Table[i] {
				if !used[j] {
					continue
				}
				x := count(n)
				switch {
				case i == j && n > 0:
					x.Class = "same"
				case n > 0:
					x.Class = fmt.Sprintf("other heat%d", 1+3*n/(most+1))
				}
				row = append(row, x)
			}
			t.Rows = append(t.Rows, row)
		}
		if len(t.Rows) > 0 {
			s.Tables = append(s.Tables, t)
		}
	}
	return s
}

// Risk tells what risks foretold, and what came.
func Risk(r *score.Report, bands []score.Band) Section {
	s := Section{ID: "risk", Title: "Risk: what was foretold, and what came"}
	if v := r.Review; v.Errors > 0 {
		s.Lead = []string{fmt.Sprintf("The riskiest fifth of %s holds %.0f of their %s.", figures.Plural(v.Leaves, "value"), v.TopErrors, figures.Plural(v.Errors, "error"))}
		if n := r.NeverFilled(); n > 0 {
			s.Lead = append(s.Lead, fmt.Sprintf("%s more errors are values of items or documents that were never filled; they have no risk.", figures.Thousands(n)))
		}
	}
	t := Table{Heads: []string{"risk", ">values", ">foretold in error", ">in error", ">share", "95 % interval", "0 to 1"}}
	for _, b := range bands {
		share := float64(b.Errors) / float64(b.Values)
		row := []Cell{cell(fmt.Sprintf("%.2f to %.2f", b.From, b.To)), count(b.Values), cell(fmt.Sprintf("%.1f", b.Foretold*float64(b.Values))), count(b.Errors), cell(fmt.Sprintf("%.3f", share))}
		t.Rows = append(t.Rows, append(row, interval(score.Ratio{Value: share, Exists: true}, b.Came)...))
	}
	s.Tables = []Table{t}
	return s
}

// Straight tells what share could skip review, for several precisions.
func Straight(all []score.StraightThrough) Section {
	s := Section{ID: "straight-through", Title: "Straight through: what may skip review"}
	t := Table{Heads: []string{"at precision", "of", ">risk up to", ">may skip", ">all", ">share", ">right", ">lower bound (95 %)", "shown"}}
	for _, x := range all {
		for _, one := range []struct {
			name string
			score.Through
		}{{"values", x.Leaves}, {"records", x.Records}} {
			threshold, right, low := "–", "–", "–"
			if one.Found {
				threshold = fmt.Sprintf("%.3f", one.Threshold)
			}
			if one.Pass > 0 {
				right, low = fmt.Sprintf("%.3f", float64(one.Right)/float64(one.Pass)), fmt.Sprintf("%.3f", one.Low)
			}
			shown := Cell{Text: "no", Class: "against"}
			switch {
			case one.Met:
				shown = Cell{Text: "yes", Class: "right"}
			case one.NeededDocuments > 0:
				shown.Text = fmt.Sprintf("no; gold of about %s would", figures.Plural(one.NeededDocuments, "document"))
			}
			t.Rows = append(t.Rows, []Cell{cell(fmt.Sprintf("%g", one.Target)), cell(one.name), cell(threshold), count(one.Pass), count(one.All), cell(figures.Share(one.Pass, one.All)), cell(right), cell(low), shown})
		}
		s.Notes = []string{"Measured on " + x.On + "."}
	}
	s.Tables = []Table{t}
	return s
}
