package evidence

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// What sentences say of a boolean, by the words of its name in any order and with other endings, is
// where its value stands, and contradicts the other one. Labels, heads, wishes, questions and
// conditions say nothing.
func TestMentions(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  rind_washed: {boolean: Whether the rinds were washed.}
  delivery_included: {boolean: Whether delivery is in the price.}
  deposit_paid: {boolean: Whether the deposit has been paid.}
  fitting: {boolean: Whether it is fitted.}
  montage: {boolean: Ob die Montage dabei ist.}
`))
	require.NoError(t, err)
	place := func(text, name string, is bool) Place {
		rec, err := value.Parse(fmt.Sprintf(`{%q:%t}`, name, is))
		require.NoError(t, err)
		return Of(s, &rec, NewIndex(text))[value.Pointer("").Key(name)]
	}
	for _, c := range []struct {
		text, name string
		is         bool
	}{
		{"Rinds washed.", "rind_washed", true},
		{"We washed the rinds today.", "rind_washed", true},
		{"The rinds were washed twice.", "rind_washed", true},
		{"I did not wash the rinds.", "rind_washed", false},
		{"The rinds were not washed.", "rind_washed", false},
		{"No rinds washed today.", "rind_washed", false},
		{"Rinds: washed", "rind_washed", true},
		{"Rinds: not washed", "rind_washed", false},
		{"Rinds washed: no", "rind_washed", false},
		{"| Rinds washed | ☑ yes ☐ no |", "rind_washed", true},
		{"Price is 40 pounds, delivery included.", "delivery_included", true},
		{"Delivery is not included.", "delivery_included", false},
		{"The price includes delivery.", "delivery_included", true},
		{"The price does not include delivery.", "delivery_included", false},
		{"Deposit paid 3 May.", "deposit_paid", true},
		{"They have paid the deposit.", "deposit_paid", true},
		{"Deposit not yet paid.", "deposit_paid", false},
		{"No deposit paid.", "deposit_paid", false},
		{"Die Montage ist inbegriffen.", "montage", true},
		{"Die Montage ist nicht inbegriffen.", "montage", false},
		{"Fitting included", "fitting", true},
	} {
		assert.True(t, place(c.text, c.name, c.is).Found(), "%s: %t", c.text, c.is)
		assert.NotZero(t, place(c.text, c.name, !c.is).Opposed, "%s: not %t", c.text, !c.is)
	}
	often := strings.Repeat("Deposit paid. ", mostMentions+1)
	assert.Zero(t, place(often, "deposit_paid", false).Opposed, "a word that stands everywhere says nothing")
	for text, name := range map[string]string{
		"Rinds washed":                            "rind_washed", // a head, perhaps
		"| Cheese | Rind washed |\n|--|--|":       "rind_washed",
		"Are the rinds washed?":                   "rind_washed",
		"Deposit to be paid by Friday.":           "deposit_paid",
		"If the deposit is paid, we begin.":       "deposit_paid",
		"Fitting costs 40 pounds.":                "fitting",
		"We paid the driver. The deposit is 20.":  "deposit_paid",
		"Rinds washed. Later: rinds not washed.":  "rind_washed", // it says both
		"The paid invoice names a deposit of 20.": "delivery_included",
	} {
		for _, is := range []bool{true, false} {
			at := place(text, name, is)
			assert.Zero(t, at.Opposed, "%s: %t", text, is)
		}
	}
}
