package record

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// A group that a JSON Schema need not have is not there where nothing of it is: else what it
// needs would be missing. One of our own language stays, and says what is missing.
func TestBlankGroupsOfImportedSchemas(t *testing.T) {
	s, _, err := schema.Import("s.json", []byte(`{"type":"object","required":["b"],"properties":{
		"a":{"anyOf":[{"type":"object","required":["n"],"properties":{"n":{"type":"string"},"up":{"anyOf":[{"type":"object","required":["m"],"properties":{"m":{"type":"string"}}},{"type":"null"}]}}},{"type":"null"}]},
		"o":{"type":"object","required":["n"],"properties":{"n":{"type":"string"}}},
		"b":{"type":"object","required":["n"],"properties":{"n":{"type":"string"}}}}}`))
	require.NoError(t, err)
	va, err := NewValidator(s)
	require.NoError(t, err)
	for text, want := range map[string]string{
		`{"a":{"n":null,"up":{"m":null}},"o":{"n":null},"b":{"n":"x"}}`: `{"a":null,"b":{"n":"x"}}`,
		`{"a":{"n":"y","up":{"m":null}},"o":{"n":"z"},"b":{"n":"x"}}`:   `{"a":{"n":"y","up":null},"o":{"n":"z"},"b":{"n":"x"}}`,
	} {
		rec, err := value.Parse(text)
		require.NoError(t, err)
		got := Arrange(s, &rec)
		assert.Equal(t, want, got.String())
		assert.Empty(t, va.Check(&got))
	}
	rec, _ := value.Parse(`{"b":{"n":null}}`)
	got := Arrange(s, &rec)
	assert.NotEmpty(t, va.Check(&got), "what has to be there is missed")

	own, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  g: {group: G., fields: {n: {text: N., required: true}}}\n"))
	require.NoError(t, err)
	rec, _ = value.Parse(`{"g":{"n":null}}`)
	got = Arrange(own, &rec)
	assert.Equal(t, `{"g":{"n":null}}`, got.String())
}
