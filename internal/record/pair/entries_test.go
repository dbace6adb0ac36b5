package pair

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Items are paired by what their maps hold, name by name, whatever the order of the names.
func TestItemsPairByTheirMaps(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  crates: {list: Crates., fields: {marks: {map: Marks., values: {number: One.}}, of: {any: Any.}}}\n"))
	require.NoError(t, err)
	f := s.Root.Fields[0]
	for _, c := range []struct {
		a, b string
		want float64
	}{
		{`{"marks":{"x":1,"y":2}}`, `{"marks":{"y":2.0,"x":1}}`, 1},
		{`{"marks":{"x":1,"y":2}}`, `{"marks":{"x":1,"y":3}}`, 0.5},
		{`{"marks":{"x":1,"y":2}}`, `{"marks":{"x":1,"z":2}}`, 1.0 / 3},
		{`{"marks":{"x":1,"y":{"a":1,"b":2}}}`, `{"marks":{"x":1,"y":{"b":2,"a":4}}}`, 2.0 / 3},
		{`{"marks":{"x":1},"of":{"a":1,"b":2}}`, `{"marks":{"x":1},"of":{"a":1,"b":3}}`, 0.5},
		{`{"marks":{"x":1}}`, `{"marks":"x"}`, 0},
		{`{"marks":{}}`, `{"marks":null}`, 1},
	} {
		a, b := parsed(t, c.a), parsed(t, c.b)
		assert.InDelta(t, c.want, Similarity(f.Item, a, b), 1e-9, "%s %s", c.a, c.b)
		assert.InDelta(t, c.want, Similarity(f.Item, b, a), 1e-9, "%s %s", c.b, c.a)
	}
	g := parsed(t, `[{"marks":{"x":1,"y":2,"z":3}},{"marks":{"x":7,"y":8,"z":9}}]`)
	d := parsed(t, `[{"marks":{"z":9,"y":8,"x":0}},{"marks":{"z":3,"x":1,"y":5}}]`)
	assert.Equal(t, "[{0 1} {1 0}]", fmt.Sprint(Lists(f, g.Kids, d.Kids)))
}

func parsed(t *testing.T, text string) *value.Value {
	t.Helper()
	v, err := value.Parse(text)
	require.NoError(t, err)
	return &v
}
