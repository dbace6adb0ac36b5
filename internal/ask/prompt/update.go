package prompt

import (
	"fmt"
	"strings"

	"filler/internal/ask/exchange"
	"filler/internal/ask/outline"
	"filler/internal/base/value"
)

// Update gives the request that asks what a new document changes in a record.
type Update struct {
	Ask
	Record  *value.Value
	Entries []int    // of a document with several records those that are shown; nil where there is one
	Refused []string // what was not taken of the last answer, and why
}

// Request gives the request.
func (a Update) Request() *exchange.Request {
	r := a.base()
	var b strings.Builder
	b.WriteString(a.section())
	last := ""
	if !a.Schema.EachEntry() {
		b.WriteString("\n" + outline.WriteRecord(a.Record, ""))
	} else {
		b.WriteString("\n" + outline.RecordsSoFar + ", each behind its path\n")
		for _, i := range a.Entries {
			own := a.Record.Kids[i].Named("")
			fmt.Fprintf(&b, "/%d %s\n", i, own.JSON())
		}
		last = " A record for what the document speaks of and none of these is, is added at \"/-\"."
	}
	b.WriteString("\n# Answer\nThe document is newer than the record. Say what it changes: answer with " +
		`{"corrections": [{"at": "/a/0/b", "value": 1, "quote": "b is 1 now"}]}` + " and nothing else. The quote is the words of the document that the correction rests on, letter for letter, with the value in them. " +
		"\"/list/-\" adds an item to a list; \"remove\": true in place of a value takes out what the words take back, and nothing else. " +
		"All paths are those of the record so far. Leave out what the document does not speak of and what the record has already; where it changes nothing, the list is empty." + last + "\n")
	if len(a.Refused) > 0 {
		b.WriteString("\n" + outline.NotTaken + "\n- " + strings.Join(a.Refused, "\n- ") + "\n")
	}
	r.Messages = []exchange.Message{{Role: "system", Content: a.Ask.unheld()}, {Role: "user", Content: b.String(), Images: a.Images}}
	return r
}
