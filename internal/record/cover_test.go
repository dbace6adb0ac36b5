package record

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// What a problem repeats of a document or of a sensitive value is hidden; what
// there is to do about it is not.
func TestCoveredProblems(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  who: {group: Who., sensitive: true, fields: {name: Name of it.}}\n  weight: {number: Weight.}\n"))
	require.NoError(t, err)
	c, four := NewCover(s), value.Num("4.25")
	for _, p := range []struct {
		is    Problem
		says  string
		value string
	}{
		{Problem{Path: "/weight", What: Told{Against, `line 3 has the figure with another unit ("Ada Quint 4.25 kg")`}, Value: &four}, `line 3 has the figure with another unit (•••)`, "4.25"},
		{Problem{Path: "/weight", What: Told{Range, "4.25 is out of bounds (at most 4)"}, Value: &four}, "4.25 is out of bounds (at most 4)", "4.25"},
		{Problem{Path: "/who/name", What: Told{Type, `expected a text, got 4.25`}, Value: &four}, "expected a text, got •••", `"•••"`},
		{Problem{Path: "/unknown", What: Told{Unexpected, "the schema has no such field"}, Value: &four}, "the schema has no such field", `"•••"`},
	} {
		got := c.Problem(p.is)
		assert.Equal(t, p.says, got.Message())
		assert.Equal(t, p.value, got.Value.String())
		assert.Equal(t, p.is.Code(), got.Code())
	}
	open, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  weight: {number: Weight.}\n"))
	require.NoError(t, err)
	assert.Nil(t, NewCover(open))
	assert.Equal(t, "said 4", NewCover(open).Text("said 4"))
}
