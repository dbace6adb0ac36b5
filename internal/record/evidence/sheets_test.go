package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// Timetables, minutes, messages, price lists, logs and lists with ranges: no right value of theirs is
// doubted, no line of theirs is asked for, and few of their spoilt values pass.
func TestSheets(t *testing.T) {
	docs := tradesIn(t, "sheets")
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
