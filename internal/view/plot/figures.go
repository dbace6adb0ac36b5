package plot

import (
	"fmt"
	"math"

	"filler/internal/measure/score"
	"filler/internal/run/scores"
	"filler/internal/view/figures"
)

func f1(label string, r score.Ratio, i score.Interval, n int) Mark {
	return Mark{Label: label, At: r.Value, Has: r.Exists, Low: i.Low, High: i.High, Bounded: i.Exists && r.Exists, Text: figures.Ratio(r), N: n}
}

// allValues is the row of all fields together.
const allValues = "all values"

// floor gives where a scale that ends at 1 begins: at a tenth below all marks.
func floor(marks []Mark) float64 {
	low := 1.0
	for _, m := range marks {
		if m.Has {
			low = min(low, m.At)
		}
		if m.Bounded {
			low = min(low, m.Low)
		}
	}
	return max(0, math.Min(math.Floor(low*10)/10, 0.9))
}

// Score draws the F1 of each field. name is what was measured.
func Score(r *score.Report, name string) *Picture {
	p := &Picture{Kind: Dots, Title: "F1 by field, " + name, Scale: "F1", Along: "field", High: 1}
	for _, f := range r.Fields {
		p.Marks = append(p.Marks, f1(f.Path, f.F1(), f.Interval, f.Right+f.Errors()))
	}
	p.Marks = append(p.Marks, f1(allValues, r.Overall.F1(), r.F1, r.Overall.Right+r.Overall.Errors()))
	p.Low = floor(p.Marks)
	p.Foot = []string{fmt.Sprintf("bars: 95 %% intervals over %s with reviewed gold", figures.Plural(r.Documents, "document"))}
	return p
}

// History draws the F1 of runs that compare. apart is how many others there are.
func History(all []scores.Run, apart int) *Picture {
	p := &Picture{Kind: Dots, Title: "F1 of comparable runs", Scale: "F1", Along: "run", High: 1}
	for _, r := range all {
		p.Marks = append(p.Marks, f1(runLabel(r), r.Score.Overall.F1(), r.Score.F1, r.Score.Documents))
	}
	p.Low = floor(p.Marks)
	p.Foot = []string{"bars: 95 % intervals over documents; all measured with the schema and gold as they are now"}
	if apart > 0 {
		p.Foot = append(p.Foot, fmt.Sprintf("left out, over other documents or fields: %s", figures.Plural(apart, "run")))
	}
	return p
}

// Curve draws F1 by the number of examples, or by the prompts that were tried.
func Curve(c *scores.Curve) *Picture {
	p := &Picture{Kind: Dots, Title: "F1 by " + c.By, Scale: "F1", Along: c.By, High: 1}
	for i := range c.Points {
		one := &c.Points[i]
		p.Marks = append(p.Marks, f1(c.Label(one), one.Score.B.F1(), one.Score.F1, c.Documents))
	}
	p.Low = floor(p.Marks)
	p.Foot = []string{fmt.Sprintf("bars: 95 %% intervals over the %s that count in all of these runs", figures.Plural(c.Documents, "document"))}
	return p
}

// Drift draws the share of values without evidence in the approved run and those after it.
func Drift(approved int64, base *score.Profile, all []scores.Drifted) *Picture {
	p := &Picture{Kind: Dots, Title: "values without evidence since the approved run", Scale: "share of values", Along: "run"}
	mark := func(label string, of *score.Profile) {
		r, i := of.Of(score.WithoutEvidence)
		m := Mark{Label: label, At: r.Value, Has: r.Exists, Low: i.Low, High: i.High, Bounded: i.Exists, N: of.Documents, Text: "–"}
		if r.Exists {
			m.Text = fmt.Sprintf("%.3f", r.Value)
		}
		p.High = max(p.High, m.At, m.High)
		p.Marks = append(p.Marks, m)
	}
	mark(fmt.Sprintf("%d (approved)", approved), base)
	for i := range all {
		label := fmt.Sprint(all[i].ID)
		if all[i].Name != "" {
			label += " " + all[i].Name
		}
		if n := len(all[i].Changed()); n > 0 {
			label += fmt.Sprintf(" · %d changed", n)
		}
		mark(label, all[i].Profile)
	}
	p.High = max(0.01, math.Ceil(p.High*50)/50)
	p.Foot = []string{"bars: 95 % intervals over documents; changed: measures that differ from the approved run beyond chance (runs --drift)"}
	return p
}

func runLabel(r scores.Run) string {
	label := fmt.Sprint(r.ID)
	if r.Name != "" {
		label += " " + r.Name
	}
	return label + " · " + r.Model
}

// Cost draws the F1 of runs against their price.
func Cost(all []scores.Run, costs map[int64]int64, currency string) *Picture {
	p := &Picture{Kind: Scatter, Title: "F1 against the price of a run", Scale: "F1", Across: "cost", Along: "run", High: 1}
	if currency != "" {
		p.Across += " in " + currency
	}
	for _, r := range all {
		m := f1(runLabel(r), r.Score.Overall.F1(), r.Score.F1, r.Score.Documents)
		m.X = float64(costs[r.ID]) / 1e9
		p.Marks = append(p.Marks, m)
	}
	p.Low = floor(p.Marks)
	p.Foot = []string{"bars: 95 % intervals over documents"}
	return p
}

// Steps draws what each step was worth.
func Steps(all []scores.Step, several int, name string) *Picture {
	p := &Picture{Kind: Dots, Title: "F1 after each step, " + name, Scale: "F1", Along: "after", High: 1}
	for _, s := range all {
		p.Marks = append(p.Marks, f1(s.Name, s.Score.Overall.F1(), s.Score.F1, s.Score.Documents))
	}
	p.Low = floor(p.Marks)
	p.Foot = []string{"bars: 95 % intervals over documents"}
	if several > 0 {
		p.Foot = append(p.Foot, figures.Plural(several, "document")+" took several requests, and are not in it")
	}
	return p
}

// Risk draws what risks foretold beside what came.
func Risk(bands []score.Band, never int, name string) *Picture {
	p := &Picture{Kind: Dots, Title: "Share of values in error by risk, " + name, Scale: "share in error", Along: "risk", Apart: "share"}
	for _, b := range bands {
		label := fmt.Sprintf("%.2f to %.2f", b.From, b.To)
		came := float64(b.Errors) / float64(b.Values)
		p.Marks = append(p.Marks, Mark{Series: "came", Label: label, At: came, Has: true, Low: b.Came.Low, High: b.Came.High, Bounded: b.Came.Exists, N: b.Values, Text: fmt.Sprintf("%.3f", came)},
			Mark{Series: "foretold", Label: label, At: b.Foretold, Has: true, N: b.Values, Text: fmt.Sprintf("%.3f", b.Foretold)})
	}
	_, high := p.ends()
	p.High = math.Ceil(high*10) / 10
	p.Foot = []string{"bars: 95 % intervals; values of one document err together"}
	if never > 0 {
		p.Foot = append(p.Foot, fmt.Sprintf("%s more errors are values of items or documents that were never filled; they have no risk", figures.Thousands(never)))
	}
	return p
}

// Confusion draws which choices came out as which.
func Confusion(c *score.Confusion, name string) *Picture {
	p := &Picture{Kind: Shades, Title: c.Field + ": gold in rows, filled in columns, " + name, Along: "gold", Apart: "filled"}
	used := make([]bool, len(c.Options))
	for i := range c.Options {
		for j, n := range c.Table[i] {
			if n > 0 {
				used[i], used[j] = true, true
			}
		}
	}
	for i, o := range c.Options {
		if !used[i] {
			continue
		}
		if o == score.None {
			o = "(none)"
		}
		p.Rows = append(p.Rows, o)
		var row []int
		for j, n := range c.Table[i] {
			if used[j] {
				row = append(row, n)
			}
		}
		p.Cells = append(p.Cells, row)
	}
	p.Columns = p.Rows
	return p
}

// Through is what may skip review at a precision.
type Through struct {
	Target float64
	score.StraightThrough
}

// Straight draws what share may skip review, by the precision that is asked for.
func Straight(all []Through, name string) *Picture {
	p := &Picture{Kind: Lines, Title: "Share that may skip review, " + name, Scale: "share", Along: "precision asked for", Apart: "of", High: 1}
	for _, series := range []string{"values", "records"} {
		for _, x := range all {
			one := x.Leaves
			if series == "records" {
				one = x.Records
			}
			m := Mark{Series: series, Label: fmt.Sprintf("%g", x.Target), Has: one.All > 0, N: one.All, Text: figures.Share(one.Pass, one.All)}
			if one.All > 0 {
				m.At = float64(one.Pass) / float64(one.All)
			}
			if one.Pass > 0 && !one.Met {
				m.Text += " (not shown)"
			}
			p.Marks = append(p.Marks, m)
		}
	}
	if len(all) > 0 {
		p.Foot = []string{"measured on " + all[0].On, "0 %, or (not shown): with the gold there is, the lower bound of what is right does not reach the precision"}
	}
	return p
}
