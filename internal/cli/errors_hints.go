package cli

import (
	"fmt"

	"filler/internal/measure/score"
	"filler/internal/measure/suggest"
)

// widestHint is how many letters of a suggestion a table shows; --json has it whole.
const widestHint = 90

// firstHints is how many suggestions are listed unless all are asked for.
const firstHints = 10

// printHints prints what the schema could say otherwise, and the cheapest thing to try.
func (a *app) printHints(hints []suggest.Suggestion, fixes *score.Fixes, run int64, o finding) {
	if len(hints) == 0 {
		return
	}
	a.printf("\n%s\n", a.paint(bold, "What the schema could say otherwise, by the lines around gold's values"))
	t := a.newTable("field", "write into the schema", ">for it", ">against", "for example").giveWay("for example")
	for i, h := range hints {
		if i == firstHints && !o.all {
			break
		}
		example := h.For[0].Document
		if h.For[0].Line > 0 {
			example += fmt.Sprintf(":%d", h.For[0].Line)
		}
		if h.For[0].Text != "" {
			example += "  " + clip(oneLine(h.For[0].Text), 40)
		}
		t.row(h.Field, clip(h.String(), widestHint), len(h.For), field{dash(len(h.Against)), soft}, field{example, faint})
	}
	t.print()
	if len(hints) > firstHints && !o.all {
		a.printf("%s\n", a.paint(soft, fmt.Sprintf("%d more; --all lists them", len(hints)-firstHints)))
	}
	if fixes == nil || len(fixes.Chosen) == 0 {
		then := "fill again"
		if run > 0 {
			then = fmt.Sprintf("`filler fill --name tried` and `filler compare %d tried`; or `filler improve %d --dry-run` to have all of them tried", run, run)
		}
		a.notef("next: write `%s` at %s, then %s\n", hints[0].Edit, hints[0].Field, then)
	}
}
