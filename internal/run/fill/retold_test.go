package fill

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Noughts that JSON drops from a code, and a list given as one text, come back from the document, where
// it has them so and in no other way.
func TestRetold(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  zip: Zip.\n  account: Account.\n  paid_by: {list: Means., items: {text: One.}}\n  cap: {group: Most., fields: {value: {number: How much.}, currency: {text: Currency.}}}\n"))
	require.NoError(t, err)
	doc := "Zip 01099, account 00772 and 0772.\nPay by F24 or by card. Marsh, Fenn & Co. At most 250.000 Euro.\n"
	for first, want := range map[string]string{
		`{"zip":1099,"account":null,"paid_by":["F24, card"],"cap":"250.000 Euro"}`: `{"zip":"01099","account":null,"paid_by":["F24","card"],"cap":{"value":250000,"currency":"EUR"}}`,
		`{"zip":"01099","account":772,"paid_by":"F24; card","cap":null}`:           `{"zip":"01099","account":"772","paid_by":["F24","card"],"cap":null}`,
		`{"zip":1099,"account":null,"paid_by":["Marsh, Fenn"],"cap":null}`:         `{"zip":"01099","account":null,"paid_by":["Marsh, Fenn"],"cap":null}`,
		`{"zip":1099,"account":null,"paid_by":["F24, transfer"],"cap":null}`:       `{"zip":"01099","account":null,"paid_by":["F24, transfer"],"cap":null}`,
	} {
		reply, err := value.Parse(first)
		require.NoError(t, err)
		c := &careless{first: reply, right: reply, only: everything}
		line, _ := fillTraced(t, c.setup(t, s), writeDoc(t, "a", doc))
		assert.Equal(t, want, line.Record.String(), first)
	}
}
