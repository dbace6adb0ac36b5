package answer

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// Who is asked about one value, and gives all that holds it, is taken at what he says of that
// value, and no more.
func TestWholeInPlaceOfWhatIsWrong(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  bays: {list: Bays., fields: {number: {integer: Number.}, deck: Deck.}}
  sums: {map: Sums., values: {number: One.}}
`))
	require.NoError(t, err)
	rec, err := value.Parse(`{"bays": [{"number": 1, "deck": "oak"}, {"number": 7, "deck": "elm"}], "sums": {"a": 1, "b": 2, "x": 9}}`)
	require.NoError(t, err)
	for reply, want := range map[string]string{
		`[{"at": "/bays/1", "value": {"number": 2, "deck": "stone"}, "quote": "Bay 2"}]`:                  `[{"op":"replace","path":"/bays/1/number","value":2,"quote":"Bay 2"}]`,
		`[{"at": "/bays", "value": [{"number": 1, "deck": "oak"}, {"number": 2, "deck": "elm"}]}]`:        `[{"op":"replace","path":"/bays/1/number","value":2}]`,
		`[{"at": "/sums", "value": {"a": 5, "b": 3}}]`:                                                    `[{"op":"replace","path":"/sums/b","value":3},{"op":"remove","path":"/sums/x"}]`,
		`[{"at": "/sums", "value": [{"key": "a", "value": 1}, {"key": "b", "value": 3}]}]`:                `[{"op":"replace","path":"/sums/b","value":3},{"op":"remove","path":"/sums/x"}]`,
		`[{"at": "/sums/x", "value": null}]`:                                                              `[{"op":"remove","path":"/sums/x"}]`,
		`[{"at": "/bays/1/deck", "value": "ash"}, {"at": "/bays/1", "value": {"number": 7, "deck": ""}}]`: `[{"op":"replace","path":"/bays/1/deck","value":"ash"},{"op":"replace","path":"/bays/1","value":{"number":7,"deck":""}}]`,
	} {
		r, err := Read(reply, value.Array)
		require.NoError(t, err)
		ops, _ := Patch(s, &rec, []value.Pointer{"/bays/1/number", "/sums/b", "/sums/x"}, r)
		assert.Equal(t, want, ops.String(), reply)
	}
}
