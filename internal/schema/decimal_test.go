package schema

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// A number that a program also writes as a text, to keep its decimals, is asked for, read and
// compared as a number; either is legal. One whose texts may be words is no number.
func TestDecimals(t *testing.T) {
	s, _, err := Import("s", []byte(`{"type": "object", "properties": {
		"total": {"anyOf": [{"type": "number"}, {"type": "string", "pattern": "^(?!^[-+.]*$)[+-]?0*\\d*\\.?\\d*$"}], "description": "Sum."},
		"rate": {"oneOf": [{"type": "string", "pattern": "^\\d+(\\.\\d+)?$"}, {"type": "null"}, {"type": "number"}]},
		"size": {"anyOf": [{"type": "number"}, {"type": "string"}]},
		"code": {"anyOf": [{"type": "number"}, {"type": "string", "pattern": "^[A-Z]?\\d+$"}]}}}`))
	require.NoError(t, err)
	s, err = Parse("s.yaml", []byte(s.YAML()))
	require.NoError(t, err)
	text := value.Str("12.50")
	for name, of := range map[string]Type{"total": Number, "rate": Number, "size": Any, "code": Any} {
		f := s.Root.Child(name)
		assert.Equal(t, of, f.Type, name)
		kind := value.String
		if of == Number {
			kind = value.Number
		}
		assert.Equal(t, kind, f.Figure(&text).Kind, name)
	}
	words := value.Str("twelve")
	assert.Equal(t, value.String, s.Root.Child("total").Figure(&words).Kind)
}
