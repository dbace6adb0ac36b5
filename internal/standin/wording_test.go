package standin

import (
	"bytes"
	"fmt"
	"io"
	"net/http"
	"os"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/chat"
	"filler/internal/ask/exchange"
	"filler/internal/ask/outline"
	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/layout"
)

var (
	keptLine = regexp.MustCompile(`^(# .*| *- [a-z_0-9]+(?: \(.*|: .*)|[{\[/].*|<.*|[a-z_0-9.\[\]]+: ".*")$`)
	faulty   = regexp.MustCompile(`^(\d+\. (?:/\S*|the record) \([a-z-]+\): ).*?(\.(?: It speaks of .*)?(?: Its value now: .*)?)$`)
	word     = regexp.MustCompile(`\pL+`)
)

// reworded gives a prompt with other words in every sentence that ask/outline
// neither writes nor reads. The document stays.
func reworded(text string) string {
	before, doc, after, fenced := outline.FindDocument(text)
	other := func(text string) string {
		lines := strings.Split(text, "\n")
		for i, l := range lines {
			if m := faulty.FindStringSubmatch(l); m != nil {
				lines[i] = m[1] + "Quux" + m[2]
			} else if l != outline.ByIDs && !keptLine.MatchString(l) {
				lines[i] = word.ReplaceAllString(l, "quux")
			}
		}
		return strings.Join(lines, "\n")
	}
	if !fenced {
		return other(text)
	}
	mark := outline.Fence(doc)
	return other(before) + mark + "\n" + doc + "\n" + mark + "\n" + other(after)
}

// The stand-in takes the fields, the form and the document from the request,
// and nothing from its sentences: all of them reworded, every character gives
// the same reply, in every style and shape, and to repairs and updates.
func TestWordingChangesNothing(t *testing.T) {
	s, err := schema.Load("../demo/project/schemas/inspection.yaml")
	require.NoError(t, err)
	entries, err := schema.Parse("seals.yaml", []byte("schema: seals\neach: entry\nfields:\n  seal: {text: The number of the seal.}\n  set: {date: When it was set.}\n"))
	require.NoError(t, err)
	server, err := Start("127.0.0.1:0", Options{})
	require.NoError(t, err)
	defer server.Close()
	read := func(path string) *document.Document {
		data, err := os.ReadFile(path)
		require.NoError(t, err)
		d, err := document.Parse(path, data)
		require.NoError(t, err)
		return d
	}
	post := func(r *exchange.Request) string {
		resp, err := http.Post(server.URL+"/chat/completions", "application/json", bytes.NewReader(chat.Body(r)))
		require.NoError(t, err)
		defer resp.Body.Close()
		body, _ := io.ReadAll(resp.Body)
		reply, err := chat.ReadReply(body)
		require.NoError(t, err, string(body))
		return reply.Text
	}
	replies := map[string]bool{}
	same := func(what string, r *exchange.Request) {
		first := post(r)
		replies[first] = true
		for i := range r.Messages {
			was := r.Messages[i].Content
			r.Messages[i].Content = reworded(was)
			require.NotEqual(t, was, r.Messages[i].Content, what)
		}
		assert.Equal(t, first, post(r), what)
	}
	report := read("../demo/project/documents/forms/FB-2031-04.txt")
	register, err := document.Parse("seals.txt", []byte("Seal: A-71\nSet: 2031-04-03\n\nSeal: A-72\nSet: 2031-05-09\n\nSeal: A-73\nSet: 2031-06-11\n"))
	require.NoError(t, err)
	now := value.Obj(value.Str("FB-2031-99").Named("report_no"), value.Str("3rd of April").Named("visited"))
	rows := value.List(value.Obj(value.Str("A-71").Named("seal"), value.Value{}.Named("set")))
	visited := now.Get("visited")
	for _, name := range []string{"hasty", "steady", "careful"} {
		m := &project.Model{Name: name, Reply: 4096}
		for _, shape := range []string{"schema", "tool", "object", "plain"} {
			for _, style := range []string{prompt.Record, prompt.ByPointer, prompt.ByField} {
				a := prompt.Ask{Model: m, Schema: s, Doc: report, Shape: shape, Style: style, Set: prompt.Settings{Layout: "rows", Instructions: "Write names as printed."}}
				if style == prompt.ByField {
					a.Schema = s.Part([]string{"visited"})
				}
				same(name+" "+style+" "+shape, a.Request())
			}
			same(name+" entries "+shape, prompt.Fill(m, entries, register, shape, prompt.Settings{Layout: "rows"}))
		}
		shown := *m
		shown.SeesSchema = true
		for _, style := range []string{prompt.Record, prompt.ByPointer} {
			a := prompt.Ask{Model: &shown, Schema: s, Doc: report, Shape: "schema", Style: style, Set: prompt.Settings{Layout: "rows"}}
			r := a.Request()
			assert.NotContains(t, r.Messages[0].Content, "- report_no")
			a.Model = m
			assert.Equal(t, post(a.Request()), post(r), "%s %s: what the fields are may stand in the schema", name, style)
			same(name+" sees schema "+style, r)
		}
		for time := 1; time <= 2; time++ {
			missing := []outline.Missed{{Field: "visited", Line: "Visited: 3 March"}, {Field: "bays[]", Line: "Bay 3 | steel"}}
			lines := &prompt.Chunk{N: 1, Of: 1, Only: true, Time: time, Missing: missing, Shown: []layout.Span{{End: len(report.Text)}}}
			same(fmt.Sprint(name, " again ", time), prompt.Ask{Model: m, Schema: s, Doc: report, Chunk: lines, Set: prompt.Settings{Layout: "rows"}}.Request())
		}
		one := prompt.Ask{Model: m, Schema: s, Doc: report, Set: prompt.Settings{Layout: "rows"}}
		many := prompt.Ask{Model: m, Schema: entries, Doc: register, Set: prompt.Settings{Layout: "rows"}}
		problems := []record.Problem{{Path: "/visited", What: record.Told{Kind: record.Format, Says: "not a date"}, Value: visited}, {Path: "", What: record.Told{Kind: record.Rule, Says: "the report number is that of the file"}, Fields: []value.Pointer{"/report_no"}}}
		same(name+" repair", prompt.Repair{Ask: one, Record: &now, Problems: problems}.Request())
		same(name+" repair of an entry", prompt.Repair{Ask: many, Record: &rows, At: "/0", Problems: []record.Problem{{Path: "/0/set", What: record.Told{Kind: record.Missing, Says: "it is required"}}}}.Request())
		same(name+" update", prompt.Update{Ask: one, Record: &now}.Request())
		same(name+" update of entries", prompt.Update{Ask: many, Record: &rows, Entries: []int{0}, Refused: []string{"/0/set: the words are not in the document"}}.Request())
	}
	assert.Greater(t, len(replies), 20, "replies should differ by what is asked")
}
