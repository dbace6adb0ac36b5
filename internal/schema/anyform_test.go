package schema

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// Plain forms are held to theirs, and what comes is turned back into what the origin has.
func TestFormsOfAnyValue(t *testing.T) {
	for keywords, want := range map[string]string{
		`{type: object, additionalProperties: {type: number}}`:                                                             `{"type":["array","null"],"items":{"type":"object","properties":{"key":{"type":"string"},"value":{"type":["number","null"]}},"required":["key","value"],"additionalProperties":false}}`,
		`{type: array, items: {type: array, items: {type: integer}}}`:                                                      `{"type":["array","null"],"items":{"type":["array","null"],"items":{"type":["integer","null"]}}}`,
		`{type: array, items: {type: object, additionalProperties: false, properties: {a: {type: string, enum: [x, y]}}}}`: `{"type":["array","null"],"items":{"type":["object","null"],"properties":{"a":{"type":["string","null"],"enum":["x","y",null]}},"required":["a"],"additionalProperties":false}}`,
		`{type: array, items: false, prefixItems: [{type: number}, {type: string, enum: [cm, m]}]}`:                        `{"type":["array","null"],"items":{"type":["number","string","null"]}}`,
		`{type: array, maxItems: 2, prefixItems: [{type: integer}, {type: integer}]}`:                                      `{"type":["array","null"],"items":{"type":["integer","null"]}}`,
		`{type: object}`: "", `{anyOf: [{type: string}]}`: "", `{type: array, prefixItems: [{type: string}]}`: "", `{type: [string, integer]}`: "", `{type: object, properties: {a: {type: string}}}`: `{"type":["object","null"],"properties":{"a":{"type":["string","null"]}},"required":["a"],"additionalProperties":false}`,
	} {
		s, err := Parse("s.yaml", []byte("schema: s\nfields:\n  f: {any: F., keywords: "+keywords+"}\n"))
		require.NoError(t, err, keywords)
		form := s.Find("f").AnyForm()
		if want == "" {
			assert.Nil(t, form, keywords)
			continue
		}
		require.NotNil(t, form, keywords)
		wire := form.Wire()
		assert.Equal(t, want, wire.String(), keywords)
	}
	s, err := Parse("s.yaml", []byte("schema: s\nfields:\n  f: {any: F., keywords: {type: array, items: {type: object, additionalProperties: {type: object, additionalProperties: {type: integer}}}}}\n"))
	require.NoError(t, err)
	for came, want := range map[string]string{
		`[[{"key":"a","value":[{"key":"b","value":1}]}],[]]`: `[{"a":{"b":1}},{}]`,
		`[{"a":{"b":1}}]`: "", `[[{"key":"a","value":[]},{"key":"a","value":[]}]]`: "", `"x"`: "", `null`: "",
	} {
		v, err := value.Parse(came)
		require.NoError(t, err)
		got, turned := s.Find("f").AnyForm().Turned(&v)
		assert.Equal(t, want != "", turned, came)
		if turned {
			assert.Equal(t, want, got.String())
		}
	}
}
