package fill

import (
	"encoding/json"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/schema"
)

// A normalizer weighs on the leaf that it was done to, also where that leaf moved
// when the parts of a long document were put together, and on no other.
func TestRiskFollowsAMovedLeaf(t *testing.T) {
	const rows = 100
	var text strings.Builder
	text.WriteString("# Visits\n\n| No. | Visited |\n|---|---|\n")
	for i := range rows {
		fmt.Fprintf(&text, "| V-%03d | %d.%d.2031 |\n", i, 1+i%28, 3+i/28)
	}
	file := filepath.Join(t.TempDir(), "visits.md")
	require.NoError(t, os.WriteFile(file, []byte(text.String()), 0o644))
	sch := "schema: visits\nfields:\n  visits: {list: Visits., fields: {no: Number., visited: {date: Day., written: [D.M.YYYY]}}}\n"
	requests := 0
	line, _ := answering(t, sch, file, prompt.Settings{Layout: "rows", Chunk: 200, Overlap: 1}, project.Model{Shape: "plain"}, func(w http.ResponseWriter, body string) {
		requests++
		var visits []string
		for i := range rows { // only what is shown; day 7 of each month comes as the document writes it
			if row := fmt.Sprintf("V-%03d", i); strings.Contains(body, row) {
				on := fmt.Sprintf("2031-%02d-%02d", 3+i/28, 1+i%28)
				if i%28 == 6 {
					on = fmt.Sprintf("7.%d.2031", 3+i/28)
				}
				visits = append(visits, fmt.Sprintf(`{"no":%q,"visited":%q}`, row, on))
			}
		}
		out, _ := json.Marshal(`{"visits":[` + strings.Join(visits, ",") + `]}`)
		fmt.Fprintf(w, `{"choices":[{"message":{"content":%s},"finish_reason":"stop"}]}`, out)
	})
	require.Greater(t, requests, 2, "the document should go into several requests")
	require.Len(t, line.Record.Get("visits").Kids, rows)
	risk := func(i int) float64 {
		v := line.Risk.Get(fmt.Sprintf("/visits/%d/visited", i))
		require.NotNil(t, v, i)
		f, err := strconv.ParseFloat(v.Text, 64)
		require.NoError(t, err)
		return f
	}
	for i := range rows {
		if i%28 == 6 {
			assert.InDelta(t, 1-(1-risk(i-1))*(1-riskNormalized), risk(i), 0.0011, "row %d was normalized", i)
		} else {
			assert.InDelta(t, risk(0), risk(i), 0.0001, "row %d was not", i)
		}
	}
}

// A null that an unread line speaks of is riskier than one that nothing speaks
// of, whatever the words of the problem are.
func TestRiskOfUnreadField(t *testing.T) {
	line, _ := fixture(t, `{"name":"Heron Plank","grade":null,"on":"2031-04-03","open":{"value":null,"basis":null}}`, `{}`, `{}`)
	grade, open := line.Risk.Get("/grade"), line.Risk.Get("/open")
	require.NotNil(t, grade)
	require.NotNil(t, open)
	assert.Greater(t, grade.Text, open.Text)
	assert.GreaterOrEqual(t, grade.Text, fmt.Sprintf("%.3f", riskUnread))
}

// However many requests are under way at once, the same document gives the same
// record, evidence, problems and risk.
func TestSameLineEveryTime(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of short runs; `make long` runs it")
	}
	data, err := os.ReadFile("../../demo/project/register/documents/register.txt")
	require.NoError(t, err)
	s, err := schema.Load("../../demo/project/register/schemas/register.yaml")
	require.NoError(t, err)
	first := ""
	for range 4 {
		line := longFill(t, s, string(data), "hasty", 400, 2)
		said := line.Record.String() + line.Evidence.String() + line.Risk.String() + fmt.Sprint(line.Problems)
		if first == "" {
			first = said
		}
		assert.True(t, first == said, "another time the line differs")
	}
}
