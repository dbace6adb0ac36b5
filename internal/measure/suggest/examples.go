package suggest

import (
	"slices"
	"strings"
	"unicode/utf8"

	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/schema"
)

// mostShown is how many snippets are shown for a field, and longestShown how long a line may
// be to be one.
const (
	mostShown    = 2
	longestShown = 200
)

// examples suggests snippets that show what goes wrong, for fields of which nothing else is
// suggested: lines of different documents with what gold reads there. Of plain items a line
// often has several, and one of them alone would teach to leave out the others. A line of an
// item that was missed is shown for one field of its list, if for none something else is
// suggested. Under a schema
// with sensitive fields there are none: nobody knows what else stands on a line.
func (c *Collector) examples(errors map[*schema.Field]int, others []Suggestion) (all []Suggestion) {
	if record.NewCover(c.schema) != nil {
		return nil
	}
	shown := map[string]bool{} // the lists of which something is suggested
	for _, s := range others {
		shown[listOf(s.Field)] = true
	}
	for _, f := range c.schema.Leaves() {
		if strings.HasSuffix(f.Path, "[]") || errors[f] < least || len(f.Examples) > 0 || slices.ContainsFunc(others, func(s Suggestion) bool { return s.Field == f.Path }) {
			continue
		}
		s := Suggestion{Errors: errors[f]}
		var texts []string
		for i := range c.cases {
			g := &c.cases[i]
			for j := range g.Errors {
				e := &g.Errors[j]
				line := strings.TrimSpace(e.GoldLine.Text)
				if e.Field != f || e.Outcome == score.Extra || e.Type == score.ItemMissed && shown[listOf(f.Path)] || e.GoldLine.N == 0 || utf8.RuneCountInString(line) > longestShown {
					continue
				}
				s.For = append(s.For, Where{e.Document, e.GoldLine.N, line})
				gives := e.Gold.Named("").Detach()
				text := "{text: " + schema.Quote(line) + ", gives: " + string(gives.JSON()) + "}"
				if len(texts) < mostShown && !slices.Contains(s.Quotes, e.Document) && !slices.Contains(texts, text) {
					texts = append(texts, text)
					s.Quotes = append(s.Quotes, e.Document)
				}
			}
		}
		if documentsIn(s.For) >= least {
			s.Edit = schema.Edit{Field: f.Path, Key: []string{"examples"}, Write: "[" + strings.Join(texts, ", ") + "]"}
			order(s.For)
			all = append(all, s)
			shown[listOf(f.Path)] = true
		}
	}
	return all
}

// listOf gives the path of the list that a field is in; "" for none.
func listOf(path string) string { return path[:strings.LastIndex(path, "[]")+1] }
