package schema

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A description that is no more than a label is one, and no other is.
func TestBareLabels(t *testing.T) {
	s, err := Parse("s.yaml", []byte(`schema: s
fields:
  due: {date: Förfallodatum.}
  net: {money: Summa exklusive moms., printed_as: [Netto]}
  vessel: {text: Name of the vessel.}
  paid: {boolean: Betald.}
  kind: {text: Kind.}
  note: {text: "Remark, if any."}
  of: {text: What it is of.}
`))
	require.NoError(t, err)
	for name, want := range map[string][]string{
		"due":    {"due", "Förfallodatum"},
		"net":    {"net", "Summa exklusive moms", "Netto"},
		"vessel": {"vessel"},
		"paid":   {"paid"},
		"kind":   {"kind"},
		"note":   {"note"},
		"of":     {"of"},
	} {
		assert.Equal(t, want, s.Find(name).Labels(), name)
	}
}
