package invent

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Maps and tuples stand in documents as people write them, in every style, and each value in them
// is found where it was written.
func TestMapsInDocuments(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: cheeses
fields:
  no: {text: Number of the wheel., pattern: '^W-\d{3}$'}
  rates: {map: "Salt and the like, by what it is.", values: {quantity: One figure., unit: g}, keys: '^[a-z]{5,9}$'}
  size: {tuple: Width and make., of: [{number: Width., min: 0}, {choice: Make., of: [round, square]}]}
`))
	require.NoError(t, err)
	m, err := NewMaker(s, 3)
	require.NoError(t, err)
	j := &Job{Maker: m, Styles: Styles}
	within, found := 0, 0
	for n := range 80 {
		made, err := j.Make(n)
		require.NoError(t, err)
		if made == nil {
			continue
		}
		assert.NotContains(t, made.Text, "{")
		assert.NotContains(t, made.Text, "[")
		for p, at := range made.Places {
			if s.At(p) != nil {
				continue
			}
			within++
			v := made.Record.At(p)
			require.NotNil(t, v, p)
			if v.Kind != value.Object {
				assert.Equal(t, v.Text, made.Text[at.Start:at.End])
			}
		}
		found += made.Found
		assert.Equal(t, made.Values, made.There)
	}
	assert.Greater(t, within, 100)
	assert.Greater(t, found, within)
}
