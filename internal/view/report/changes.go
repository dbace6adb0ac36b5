package report

import (
	"fmt"

	"filler/internal/measure/suggest"
	"filler/internal/run/improve"
	"filler/internal/view/figures"
)

// mostChanges is how many suggestions are listed.
const mostChanges = 40

// Changes tells what the schema could say otherwise, and what became of the changes that were
// tried. wanted tells which documents have a page; nil: all.
func Changes(all []suggest.Suggestion, tried []improve.Candidate, wanted func(document string) bool) Section {
	s := Section{ID: "changes", Title: "Changes: what the schema could say otherwise"}
	if len(all) > 0 {
		s.Lead = []string{"Worked out from the errors and the lines that they come from. What a model makes of one only filling again tells: filler improve."}
		t := Table{Heads: []string{"field", "write into the schema", ">errors", ">for it", ">against", "for example"}}
		for i, x := range all {
			if i == mostChanges {
				s.Notes = append(s.Notes, figures.Plural(len(all)-i, "more suggestion")+".")
				break
			}
			example := Cell{Text: x.For[0].Document}
			if x.For[0].Line > 0 {
				example.Text = fmt.Sprintf("%s, line %d: %s", x.For[0].Document, x.For[0].Line, x.For[0].Text)
			}
			if wanted == nil || wanted(x.For[0].Document) {
				example.To = x.For[0].Document
			}
			t.Rows = append(t.Rows, []Cell{{Text: x.Field, Link: "field:" + x.Field}, {Text: x.String(), Class: "code"}, count(x.Errors), count(len(x.For)), count(len(x.Against)), example})
		}
		s.Tables = append(s.Tables, t)
	}
	if len(tried) > 0 {
		t := Table{Caption: "Tried by filler improve, against the same schema asked again", Heads: []string{">no", "field", "write into the schema", ">fixed", ">broken", ">documents", ">p", "outcome"}}
		for i := range tried {
			c := &tried[i]
			outcome, class := string(c.State), ""
			if c.IsKept() {
				class = "right"
			}
			if c.Note != "" {
				outcome += ": " + c.Note
			}
			p := "–"
			if c.Gain.Documents > 0 {
				p = fmt.Sprintf("%.3f", c.Holm)
			}
			t.Rows = append(t.Rows, []Cell{cell(fmt.Sprint(i + 1)), {Text: c.Field, Link: "field:" + c.Field}, {Text: c.String(), Class: "code"}, count(c.Gain.Fixed), count(c.Gain.Broken), count(c.Gain.Documents), cell(p), {Text: outcome, Class: class}})
		}
		s.Tables = append(s.Tables, t)
		s.Notes = append(s.Notes, "filler improve --accept writes a schema with those that are kept, or with the numbers that are named.")
	}
	return s
}
