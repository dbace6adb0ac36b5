package prompt

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/tokens"
	"filler/internal/source/layout"
)

// The cores of a plan are the document, each byte once and no line cut; what is
// shown holds the core; and no chunk is larger than its room, unless one line
// alone is.
func TestPlanCoversTheDocument(t *testing.T) {
	r := rand.New(rand.NewPCG(81, 82))
	for range 300 {
		var text strings.Builder
		for range 1 + r.IntN(120) {
			switch r.IntN(6) {
			case 0:
				text.WriteString("\n")
			case 1:
				fmt.Fprintf(&text, "Entry %d\n", r.IntN(50))
			case 2:
				fmt.Fprintf(&text, "Report no.: %d   Visited: %d\n", r.IntN(99), r.IntN(9))
			case 3:
				text.WriteString(strings.Repeat("a longer line of prose ", 1+r.IntN(30)) + "\n")
			default:
				text.WriteString("A line.\n")
			}
		}
		d := doc(t, text.String()+"end")
		room := Room{Tokens: 20 + r.IntN(400), Overlap: r.IntN(6)}
		chunks := NewPlanner(d).Plan(room)
		at := 0
		for i, c := range chunks {
			require.Equal(t, at, c.Core.Start)
			require.True(t, c.Core.Start == 0 || d.Text[c.Core.Start-1] == '\n', "a cut within a line")
			at = c.Core.End
			require.Equal(t, []int{i + 1, len(chunks)}, []int{c.N, c.Of})
			last := 0
			for _, s := range c.Shown {
				require.True(t, s.Start >= last && s.End > s.Start)
				last = s.End
			}
			require.Equal(t, c.Core.End, last)
			if lines := strings.Count(strings.TrimRight(d.Text[c.Core.Start:c.Core.End], "\n"), "\n"); lines > 0 {
				require.LessOrEqual(t, tokens.Estimate(d.Part("flow", c.Shown)), room.Tokens+20+lines+leadLines, "%d tokens of room", room.Tokens)
			}
			for _, half := range NewPlanner(d).Split(c, room) {
				require.True(t, half.Core.Start >= c.Core.Start && half.Core.End <= c.Core.End && half.Core != c.Core)
			}
		}
		require.Equal(t, len(d.Text), at)
	}
}

// Cuts fall where entries begin, and a part that begins within one is shown its
// opening.
func TestCutsFallAtEntries(t *testing.T) {
	var text strings.Builder
	text.WriteString("Register of the valley\n\nKept since 2031.\n\n")
	for i := range 12 {
		fmt.Fprintf(&text, "Entry %d\nReport no.: FB-%02d\nBridge: Plank %d\n\nRemarks\n%s\n\n", i, i, i, strings.Repeat("Moss had come over the edges.\n", 6))
	}
	d := doc(t, text.String())
	starts := NewPlanner(d).Entries()
	require.Len(t, starts, 12)
	whole := map[int]bool{}
	for _, s := range starts {
		whole[s] = true
	}
	for _, c := range NewPlanner(d).Plan(Room{Tokens: 200})[1:] {
		assert.True(t, whole[c.Core.Start], "%q", d.Text[c.Core.Start:c.Core.Start+20])
		assert.False(t, c.Inside)
	}
	for _, c := range NewPlanner(d).Plan(Room{Tokens: 45, Overlap: 1}) {
		if c.Inside {
			n := strings.LastIndex(d.Text[:c.Core.Start], "Entry ")
			shown := d.Part("flow", c.Shown)
			assert.Contains(t, shown, strings.SplitAfter(d.Text[n:], "\n")[0], "at %d", c.Core.Start)
		}
	}
	assert.Nil(t, NewPlanner(doc(t, "A letter.\n\nIt has no entries.\n\nYours\n")).Entries())
	about := NewPlanner(d).Around([]layout.Span{{Start: starts[5] + 9, End: starts[5] + 20}})
	assert.Contains(t, d.Part("flow", about.Shown), "Entry 5\nReport no.: FB-05\nBridge: Plank 5")
	assert.NotContains(t, d.Part("flow", about.Shown), "FB-06")
}

func TestTemplates(t *testing.T) {
	for source, want := range map[string]string{
		"{{.Fields}}{{.Document}}":                 "t.tmpl:1:1: the template does not use .Answer; add {{.Answer}}",
		"a\nb {{.Feilds}}{{.Document}}{{.Answer}}": "t.tmpl:2:5: there is no .Feilds; a template may use .Schema, .About",
		"{{.Fields}}{{.Document}}{{.Answer}}{{if gt .Chunk 3}}{{index .Fields 99999}}{{end}}": "this fails for some documents",
		"{{if}}": "t.tmpl:1:1: missing value for if",
		`{{define "system"}}{{.Document}}{{end}}{{.Fields}}{{.Answer}}`: `stands in "system"; move it out`,
	} {
		_, err := ParseTemplate("t.tmpl", source)
		require.Error(t, err, source)
		assert.Contains(t, err.Error(), want, source)
	}
	own, err := ParseTemplate("t.tmpl", `{{define "system"}}Read.{{end}}F:{{.Fields}}D:{{.Document}}A:{{.Answer}}{{if gt .Chunks 1}}P{{.Chunk}}{{end}}`)
	require.NoError(t, err)
	r := Fill(m, load(t), doc(t, "Report no.: FB-2031-01\n"), "plain", Settings{Template: own})
	require.Len(t, r.Messages, 2)
	assert.Equal(t, "Read.", r.Messages[0].Content)
	for _, part := range []string{"F:- report_no", "FB-2031-01", "A:Answer with", `"bays": [`} {
		assert.Contains(t, r.Messages[1].Content, part)
	}
	assert.NotContains(t, r.Messages[1].Content, "P1")
}

// A question asks for one field; pointers ask for ids; solved documents show
// the part that is asked for and no more.
func TestStyles(t *testing.T) {
	s := load(t)
	d := doc(t, "Report no.: FB-2031-01\nLic. QL-2\n")
	set := Settings{Layout: "rows", Solved: []Solved{{Document: "x.txt", Text: "Report no.: FB-2031-09", Record: `{"report_no":"FB-2031-09","inspector":{"name":"Piet Osk","licence":"QL-058"}}`}}}
	ask := func(style, shape string, paths ...string) string {
		r := Ask{Model: m, Schema: s.Part(paths), Doc: d, Style: style, Shape: shape, Set: set}.Request()
		return r.Messages[0].Content + r.Messages[1].Content + string(r.Format)
	}
	q := ask(ByField, "schema", "inspector.licence")
	assert.Contains(t, q, "- inspector: Who made the visit.\n  - licence: Licence number.")
	assert.Contains(t, q, "state it: not stated")
	assert.NotContains(t, q, "report_no (")
	assert.NotContains(t, q, "json_schema")
	p := ask(ByPointer, "schema", "report_no", "visited", "weather")
	assert.Contains(t, p, "L1 Report no.: FB-2031-01")
	assert.Contains(t, p, `"visited":{"type":["string","null"]`)
	assert.Contains(t, p, `"enum"`)
	assert.NotContains(t, p, "FB-2031-09")
	w := ask(Record, "plain", "inspector")
	assert.Contains(t, w, "# Solved documents")
	assert.Contains(t, w, `{"inspector":{"name":"Piet Osk","licence":"QL-058"}}`)
	assert.NotContains(t, w, `"report_no":"FB-2031-09"`)
}

// A part that begins within a table is shown the table's head again.
func TestTablesKeepTheirHead(t *testing.T) {
	for _, c := range []struct{ head, row string }{{"| Visit | Bridge | Grade |\n|---|---|---|\n", "| V-%02d | Plank %d | 2 |\n"}, {"Visit    Bridge      Grade\n", "V-%02d     Plank %d     2\n"}} {
		var text strings.Builder
		text.WriteString("Visits\n\nOf the year.\n\n" + strings.Repeat("A line of prose before the table, of no use to anybody.\n", 20) + "\n" + c.head)
		for i := range 60 {
			fmt.Fprintf(&text, c.row, i, i)
		}
		d := doc(t, text.String())
		later := 0
		for _, k := range NewPlanner(d).Plan(Room{Tokens: 160, Overlap: 1}) {
			if shown := d.Part("flow", k.Shown); k.Core.Start > strings.Index(d.Text, "V-01") {
				later++
				assert.Contains(t, shown, strings.SplitAfter(c.head, "\n")[0])
			}
		}
		assert.Greater(t, later, 2)
	}
}
