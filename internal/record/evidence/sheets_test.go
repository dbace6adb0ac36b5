package evidence

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// Timetables, minutes, messages, price lists, logs and lists with ranges: no right value of theirs is
// doubted, no line of theirs is asked for, and few of their spoilt values pass.
func TestSheets(t *testing.T) {
	docs := some(tradesIn(t, "sheets"))
	_, wrong, passed := spoilAll(t, docs, 11)
	t.Logf("%d of %d spoilt values pass: %q", len(passed), wrong, passed)
	assert.LessOrEqual(t, len(passed)*100, wrong*3)
	for _, of := range docs {
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		ix := NewIndex(of.doc)
		assert.Empty(t, Unread(of.schema, &rec, ix, Of(of.schema, &rec, ix)), of.key())
	}
}

// A document that breaks off anywhere, also in the middle of a line, is looked at like any other.
func TestBrokenOffAnywhere(t *testing.T) {
	cuts := 12
	if testing.Short() {
		cuts = 3
	}
	for i, of := range some(tradesIn(t, "sheets")) {
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		for cut := 5 + 11*(i%9); cut < len(of.doc); cut += max(7, len(of.doc)/cuts) {
			for _, doc := range []string{strings.ToValidUTF8(of.doc[:cut], ""), strings.TrimRight(of.doc[:cut], " \n") + ":", strings.TrimRight(of.doc[:cut], " \n")} {
				require.NotPanics(t, func() {
					ix := NewIndex(doc)
					Look(of.schema, &rec, ix, Of(of.schema, &rec, ix))
				}, "%s cut at %d", of.key(), cut)
			}
		}
	}
}
