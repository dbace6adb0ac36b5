package answer

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Answers to one question as models give them where they keep no form: what is around them goes,
// and what may be thinking aloud is no answer.
func TestBareReplies(t *testing.T) {
	for text, want := range map[string]string{
		"Here is the query:\n\n```sql\nSELECT a\nFROM t;\n```\nIt counts.": "SELECT a\nFROM t",
		"<think>SELECT x?</think>\nwith w as (select 1)\nselect * from w":  "with w as (select 1)\nselect * from w",
		"I select nothing.\n\nSELECT a FROM t WHERE b = 'x;y'\n\nDone.":    "SELECT a FROM t WHERE b = 'x;y'",
		"select a from t```":  "select a from t",
		"There is no answer.": "",
	} {
		r, ok := BareStatement(text, "statement")
		assert.Equal(t, want != "", ok, text)
		if ok {
			assert.Equal(t, want, r.Value.Get("statement").Text, text)
			assert.Equal(t, Plain, r.Deviations[0].Kind)
		}
	}
	for text, want := range map[string]string{
		"  Kit Sallow, in 3:58.71.\n":                  "Kit Sallow, in 3:58.71.",
		"<think>Let me see.</think>Yes":                "Yes",
		"Let me think.\n\nThe first row says 3.":       "",
		"{\"answer\": ":                                "",
		"Well " + string(make([]byte, mostBare)) + ".": "",
	} {
		r, ok := BareAnswer(text, "answer")
		assert.Equal(t, want != "", ok, text)
		if ok {
			assert.Equal(t, want, r.Value.Get("answer").Text)
		}
	}
}
