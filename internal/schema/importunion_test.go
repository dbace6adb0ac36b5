package schema

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A union of objects has the fields of all forms: the one that names the form is a choice, and
// each of the others is told where it belongs. Nothing but the exact form is enforced of them.
func TestUnionsOfObjectsBecomeGroups(t *testing.T) {
	s, _, err := Import("x.json", []byte(`{"type":"object","properties":{"p":{"anyOf":[
		{"type":"object","properties":{"kind":{"const":"person"},"name":{"type":"string","description":"Full name."},"born":{"type":"integer"}},"required":["kind","name"],"additionalProperties":false},
		{"type":"object","properties":{"kind":{"const":"firm"},"name":{"type":"string","description":"Full name."},"seat":{"type":"object","properties":{"town":{"type":"string"}}}},"required":["kind"]},
		{"type":"null"}]}}}`))
	require.NoError(t, err)
	p := s.Find("p")
	require.Equal(t, Group, p.Type)
	assert.True(t, p.AllowsNull())
	assert.Equal(t, Choice, s.Find("p.kind").Type)
	assert.Equal(t, "Full name.", s.Find("p.name").About)
	assert.Equal(t, "Only where kind is person.", s.Find("p.born").About)
	assert.Equal(t, "Only where kind is firm.", s.Find("p.seat").About)
	assert.Equal(t, Text, s.Find("p.seat.town").Type)
	full := s.Full()
	assert.Nil(t, full.At("/properties/p/properties/born/type"), "a form without it may have anything there")
	assert.NotNil(t, full.At("/properties/p/allOf"))

	// Forms that are no objects, or one that is: whatever it is.
	s, _, err = Import("x.json", []byte(`{"type":"object","properties":{"a":{"oneOf":[{"type":"string"},{"type":"object","properties":{"b":{"type":"integer"}}}]},"c":{"oneOf":[{"type":"integer"},{"type":"boolean"}]}}}`))
	require.NoError(t, err)
	assert.Equal(t, Any, s.Find("a").Type)
	assert.Equal(t, Any, s.Find("c").Type)
}

// What can't be asked for or can't be a schema is told by its path, with what to do.
func TestImportOfSlips(t *testing.T) {
	_, _, err := Import("x.json", []byte(`{"type":"object","properties":{"a":{"type":"String"},"b":{"type":"array","items":{"type":"intger"}}}}`))
	require.Error(t, err)
	assert.Equal(t, "x.json: a: \"String\" is no type of JSON Schema; did you mean \"string\"?\nx.json: b[]: \"intger\" is no type of JSON Schema; did you mean \"integer\"?", err.Error())
	_, kept, err := Import("x.json", []byte(`{"type":"object","required":["totl"],"properties":{"total":{"type":"number"}}}`))
	require.NoError(t, err)
	assert.Contains(t, kept, Kept{"totl", "required, and no property: it is not asked for, and each record without it is refused"})
}
