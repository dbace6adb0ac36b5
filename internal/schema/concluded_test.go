package schema

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What no document prints may be inferred in a schema that a program wrote, and is named; a schema of our
// own says it itself, and is told where it does not.
func TestConcluded(t *testing.T) {
	s, _, err := Import("s.json", []byte(`{"type":"object","properties":{
		"total":{"type":"number"},"confidence":{"type":"number"},
		"lines":{"type":"array","items":{"type":"object","properties":{"what":{"type":"string"},"match_confidence":{"type":"integer"}}}},
		"tags":{"type":"array","items":{"type":"string"}},"tag_number":{"type":"string"},"summary":{"type":"object","properties":{"a":{"type":"string"}}}}}`))
	require.NoError(t, err)
	assert.Equal(t, []string{"confidence", "lines[].match_confidence", "tags"}, s.Concluded)
	inferred := []string{}
	for _, f := range s.Leaves() {
		if f.AllowsInferred() {
			inferred = append(inferred, f.Path)
		}
	}
	assert.Equal(t, []string{"confidence", "lines[].match_confidence", "tags[]"}, inferred)

	sql, _, err := ImportSQL("s.sql", []byte("CREATE TABLE claim (id VARCHAR(9) PRIMARY KEY, summary TEXT);"))
	require.NoError(t, err)
	assert.Equal(t, []string{"summary"}, sql.Concluded)

	own, err := Parse("s.yaml", []byte("schema: s\nfields:\n  summary: What happened, in short.\n  mood: {choice: C., of: [a, b]}\n"))
	require.NoError(t, err)
	assert.Empty(t, own.Concluded)
	assert.Contains(t, own.Advice.Error(), "documents seldom print \"summary\"")
}
