package report

import (
	"filler/internal/base/value"
	"fmt"

	"filler/internal/measure/review"
	"filler/internal/measure/score"
	"filler/internal/run/scores"
	"filler/internal/view/figures"
)

// mostGroups is how many pairs of field and error type are listed.
const mostGroups = 60

// Errors tells what is wrong, by field and type, and what would put it right without a
// model. fixes may be nil: none were tried.
func Errors(all []score.LeafError, fixes *score.Fixes) Section {
	s := Section{ID: "errors", Title: "Errors by field and type"}
	t := Table{Heads: []string{">errors", "field", "error type"}}
	groups := score.Group(all)
	for i, g := range groups {
		if i == mostGroups {
			s.Notes = append(s.Notes, fmt.Sprintf("%s more of field and type.", figures.Plural(len(groups)-i, "pair")))
			break
		}
		t.Rows = append(t.Rows, []Cell{count(g.Times), {Text: g.Field, Link: "field:" + g.Field}, {Text: string(g.Type), Link: "type:" + string(g.Type)}})
	}
	s.Tables = append(s.Tables, t)
	if fixes == nil {
		return s
	}
	if len(fixes.Chosen) == 0 {
		s.Notes = append(s.Notes, "No normalizer, synonym or format turns an error right.")
	} else {
		f := Table{Caption: "Suggested fixes, best first, each on top of those above", Heads: []string{"field", "write into the schema", ">fixed", ">broken", ">F1 then"}}
		for _, x := range fixes.Chosen {
			f.Rows = append(f.Rows, []Cell{cell(x.Field), {Text: x.Write, Class: "code"}, count(x.Fixed), count(x.Broken), ratio(x.F1)})
		}
		s.Tables = append(s.Tables, f)
		s.Notes = append(s.Notes, fmt.Sprintf("F1 now %s; on %s %s before the fixes and %s after.", figures.Ratio(fixes.Before), fixes.On, figures.Ratio(fixes.HonestFrom), figures.Ratio(fixes.Honest)))
	}
	if len(fixes.Rulers) > 0 {
		f := Table{Caption: "Looser comparisons: they change what counts as right, not the records", Heads: []string{"field", "write into the schema", ">counted right then"}}
		for _, x := range fixes.Rulers {
			f.Rows = append(f.Rows, []Cell{cell(x.Field), {Text: x.Write, Class: "code"}, count(x.Fixed)})
		}
		s.Tables = append(s.Tables, f)
	}
	return s
}

// Steps tells what each step was worth. apart is how many documents took several
// requests, and are not in it.
func Steps(all []scores.Step, apart int) Section {
	s := Section{ID: "steps", Title: "What each step was worth"}
	t := Table{Heads: append([]string{"after"}, append(countHeads[:len(countHeads)-2:len(countHeads)-2], ">gained", ">fully correct", "0 to 1")...)}
	before := score.Ratio{}
	for _, x := range all {
		f1 := x.Score.Overall.F1()
		gained := ""
		if before.Exists && f1.Exists {
			gained = fmt.Sprintf("%+.3f", f1.Value-before.Value)
		}
		before = f1
		row := append([]Cell{cell(x.Name)}, counts(x.Score.Overall)...)
		row = append(row, cell(gained), cell(fmt.Sprintf("%d of %d", x.Score.RecordsRight, x.Score.RecordsOf)))
		t.Rows = append(t.Rows, append(row, interval(f1, score.Interval{})[1]))
	}
	s.Tables = []Table{t}
	if apart > 0 {
		s.Notes = []string{fmt.Sprintf("%s took several requests, and are not in it.", figures.Plural(apart, "document"))}
	}
	return s
}

// History tells the scores of comparable runs. this is the run of the
// report, apart how many others there are.
func History(all []scores.Run, costs map[int64]int64, this int64, apart int) Section {
	s := Section{ID: "history", Title: "Runs that compare with this one"}
	t := Table{Heads: []string{">run", "name", "model", "began", ">documents", ">cost", ">F1", "95 % interval", "0 to 1"}}
	for _, x := range all {
		id := Cell{Text: fmt.Sprint(x.ID)}
		if x.ID == this {
			id.Class = "this"
		}
		f1 := x.Score.Overall.F1()
		t.Rows = append(t.Rows, append([]Cell{id, cell(x.Name), cell(x.Model), cell(x.Began.Local().Format("2006-01-02 15:04")), count(x.Score.Documents), cell(figures.Money(costs[x.ID])), ratio(f1)}, interval(f1, x.Score.F1)...))
	}
	s.Tables = []Table{t}
	s.Notes = []string{"All measured with the schema and the gold as they are now."}
	if apart > 0 {
		s.Notes = append(s.Notes, fmt.Sprintf("%s over other documents or fields do not compare.", figures.Plural(apart, "run")))
	}
	return s
}

// mostPairs is how many values are listed that one run has right and the other has not.
const mostPairs = 500

// Compared tells two runs apart, against gold.
func Compared(c *score.Comparison, a, b string) Section {
	s := Section{ID: "compare", Title: fmt.Sprintf("Compared: A is %s, B is %s", a, b), Lead: []string{c.Words(a, b) + "."}}
	if c.Documents == 0 {
		return s
	}
	t := Table{Heads: []string{"field", ">F1 of A", ">F1 of B", ">fixed by B", ">broken by B", ">wrong in both", ">extra in A", ">extra in B", "A ○ and B ●, 0 to 1"}}
	row := func(name Cell, x, y score.Counts, fixed, broken, both int) []Cell {
		return []Cell{name, ratio(x.F1()), ratio(y.F1()), count(fixed), count(broken), count(both), count(x.Extra), count(y.Extra), {Graph: &Graph{At: y.F1().Value, Low: x.F1().Value, Beside: true}}}
	}
	for _, f := range c.Fields {
		t.Rows = append(t.Rows, row(Cell{Text: f.Path, Link: "field:" + f.Path}, f.A, f.B, f.Fixed, f.Broken, f.BothWrong))
	}
	t.Foot = row(cell("all values"), c.A, c.B, c.Fixed, c.Broken, c.BothWrong)
	s.Tables = []Table{t}
	s.Notes = []string{fmt.Sprintf("Fully correct records: %d in A, %d in B, of %d (McNemar p %.3f). Paired permutation test over %s: p %.3f.", c.RecordsA, c.RecordsB, c.RecordsOf, c.McNemar, figures.Plural(c.Documents, "document"), c.P)}
	if len(c.Leaves) == 0 {
		return s
	}
	v := Table{Caption: "Values that one has right and the other has not", Heads: []string{"", "value", "gold", "A", "B"}}
	for i := range c.Leaves {
		if i == mostPairs {
			s.Notes = append(s.Notes, fmt.Sprintf("%s more such values.", figures.Thousands(len(c.Leaves)-i)))
			break
		}
		x := &c.Leaves[i]
		word := Cell{Text: "fixed", Class: "right"}
		if !x.Fixed {
			word = Cell{Text: "broken", Class: "wrong"}
		}
		v.Rows = append(v.Rows, []Cell{word, {Text: x.Document + " " + string(x.Path), To: x.Document + string(x.Path)}, cell(shownOrNone(&x.Gold)), cell(shownOrNone(&x.A)), cell(shownOrNone(&x.B))})
	}
	s.Tables = append(s.Tables, v)
	return s
}

// Differing tells where two sets of records differ, where gold does not say who is right.
func Differing(g *score.Agreement, a, b string) Section {
	s := Section{ID: "compare", Title: fmt.Sprintf("Compared: A is %s, B is %s", a, b), Lead: []string{fmt.Sprintf("%s of %s differ, in %s.", figures.Thousands(g.Differ), figures.Plural(g.Same+g.Differ, "value"), figures.Plural(g.Documents, "document"))}}
	t := Table{Heads: []string{"field", ">same", ">differ", ">only in A", ">only in B"}}
	for _, f := range g.Fields {
		t.Rows = append(t.Rows, []Cell{{Text: f.Path, Link: "field:" + f.Path}, count(f.Right), count(f.Wrong), count(f.Missed), count(f.Extra)})
	}
	s.Tables = []Table{t}
	if g.Lone > 0 {
		items := Table{Caption: fmt.Sprintf("Items that only one side has, with %s", figures.Plural(g.Lone, "value")), Heads: []string{"list", ">in both", ">only in A", ">only in B"}}
		for _, x := range g.Items {
			items.Rows = append(items.Rows, []Cell{cell(x.Path + "[]"), count(x.Both), count(x.First), count(x.Second)})
		}
		s.Tables = append(s.Tables, items)
	}
	return s
}

// LeftOut tells which documents do not count in the score, and why.
func LeftOut(all []score.LeftOut) Section {
	s := Section{ID: "left-out", Title: "Documents that do not count in the score"}
	t := Table{Heads: []string{"why", ">documents", "the first of them"}}
	at := map[string]int{}
	var times []int
	for _, l := range all {
		i, known := at[l.Why]
		if !known {
			i = len(t.Rows)
			at[l.Why] = i
			t.Rows, times = append(t.Rows, []Cell{cell(l.Why), {}, {Text: l.Document, To: l.Document}}), append(times, 0)
		}
		times[i]++
	}
	for i, n := range times {
		t.Rows[i][1] = count(n)
	}
	s.Tables = []Table{t}
	return s
}

func shownOrNone(v *value.Value) string {
	if text := review.Shown(v); text != "" {
		return text
	}
	return "–"
}
