package fill

import (
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/measure/score"
)

// layoutOf tells how a document of the trial is laid out: prose by letters and
// mails, rows where cells stand under heads, and forms of labels elsewhere.
func layoutOf(text string) string {
	rows := len(regexp.MustCompile(`(?m)^\S.*?(?: {2,}|\|)\S.*?(?: {2,}|\|)\S`).FindAllString(text, -1))
	labels := len(regexp.MustCompile(`(?m)(?:^|  )[\pL .]{2,24}: `).FindAllString(text, -1))
	switch {
	case strings.Contains(text, "\n> ") || rows < 2 && labels < 4:
		return "prose"
	case rows >= 3:
		return "tables"
	}
	return "forms"
}

// What is filled with no model at all, from what documents print: what it gives is
// right, on forms and tables.
func TestPrintedAlone(t *testing.T) {
	sums := map[string]*heard{"prose": {}, "tables": {}, "forms": {}}
	for _, name := range trades {
		s, docs := trial(t, name)
		for id, d := range docs {
			layout := layoutOf(d.text)
			set := Setup{Schema: s, Model: &project.Model{Entry: "printed", Name: "printed", At: "printed"}, Settings: prompt.Settings{Layout: "rows"}, Pace: project.Pace{AtOnce: 1, Attempts: 1}}
			line, _ := fillOne(t, set, writeDoc(t, id, d.text))
			gold, err := value.Parse(strings.TrimSpace(d.gold))
			require.NoError(t, err)
			h := sums[layout]
			h.docs++
			score.Walk(s, &gold, &line.Record, score.Visitor{Paths: true, Leaf: func(l score.Leaf) {
				switch l.Outcome {
				case score.Right:
					h.right++
				case score.Missed:
					h.missed++
				case score.Wrong, score.Extra:
					h.wrong++
					t.Logf("%s %s %s %s: %v is %v", name, id, layout, l.FilledPath, l.Filled, l.Gold)
				}
			}})
		}
	}
	for layout, h := range sums {
		t.Logf("%s: %d documents, %d right, %d wrong or extra, %d missed: precision %.3f, recall %.3f", layout, h.docs, h.right, h.wrong, h.missed, float64(h.right)/float64(h.right+h.wrong), float64(h.right)/float64(h.right+h.wrong+h.missed))
	}
	both := sums["tables"].right + sums["forms"].right
	assert.GreaterOrEqual(t, both*100, 98*(both+sums["tables"].wrong+sums["forms"].wrong))
}
