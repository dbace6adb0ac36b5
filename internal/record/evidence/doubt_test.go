package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// What speaks against a value of a sensitive group is told without the line, as of a sensitive field.
func TestDoubtsHideWhatIsSensitive(t *testing.T) {
	for fields, hides := range map[string]bool{
		"f: {group: F., sensitive: true, fields: {chipped: {boolean: B.}, fee: {money: M., currency: EUR}}}": true,
		"f: {group: F., fields: {chipped: {boolean: B.}, fee: {money: M., currency: EUR}}}":                  false,
	} {
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  "+fields+"\n"))
		require.NoError(t, err)
		rec, err := value.Parse(`{"f":{"chipped":true,"fee":{"amount":40,"currency":"EUR"}}}`)
		require.NoError(t, err)
		ix := NewIndex("Moss is not chipped, fee 40 USD")
		for p, at := range Of(s, &rec, ix) {
			what := ix.Doubt(s.At(p), rec.At(p), at, false)
			require.NotNil(t, what, p)
			if hides {
				assert.NotContains(t, what.Text(), "Moss", p)
			} else {
				assert.Contains(t, what.Text(), "Moss", p)
			}
		}
	}
}
