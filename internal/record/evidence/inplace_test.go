package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// What a reply says in the document's own words becomes the value that they mean there, and
// nothing where they may mean two.
func TestReadInPlace(t *testing.T) {
	for _, c := range []struct{ field, doc, said, want string }{
		{"{money: M.}", "Total £12.50", `"£12.50"`, `{"amount":12.5,"currency":"GBP"}`},
		{"{money: M.}", "Total £12.50, in EGP", `"£12.50"`, `{"amount":12.5,"currency":"EGP"}`},
		{"{money: M.}", "Total $12.50", `"$12.50"`, ""},
		{"{money: M.}", "Total $12.50, all prices in CAD", `"$12.50"`, `{"amount":12.5,"currency":"CAD"}`},
		{"{money: M.}", "Total £12.50", `{"amount":12.5,"currency":"£"}`, `{"amount":12.5,"currency":"GBP"}`},
		{"{money: M.}", "Total £12.50", `{"amount":12.5,"currency":"$"}`, ""},
		{"{money: M.}", "net      71,62\npaid     3,00 EUR", `"71,62"`, `{"amount":71.62,"currency":"EUR"}`},
		{"{money: M.}", "net      71,62\npaid     3,00 EUR, 4,00 CHF", `"71,62"`, ""},
		{"{quantity: Q., unit: cm}", "Size 2.40 x 1.85 m", `"2.40"`, `{"amount":240,"unit":"cm"}`},
		{"{quantity: Q., unit: km}", "Drove 84 miles", `"135.185 km"`, `{"amount":135.185,"unit":"km"}`},
		{"{quantity: Q., unit: km}", "Drove home", `"135.185 km"`, ""},
		{"{date: D.}", "Seen 1 Apr. Printed 3 May 2031", `"1 Apr"`, `"2031-04-01"`},
		{"{date: D.}", "fired 1 apr, cone 6 -- printed 3 May 2031. next 19 May 2031", `"1 apr"`, `"2031-04-01"`},
		{"{money: M.}", "Paid 1,204 in all", `"1,204 euros"`, ""},
		{"{date: D.}", "Born 3 May 1990. Seen 1 Apr. Printed 3 May 2031", `"1 Apr"`, ""},
		{"{integer: N.}", "Meter 41,207, was 12,345,000", `"41,207"`, "41207"},
		{"{integer: N.}", "41 or 42", `"41 or 42"`, ""},
		{"{integer: N.}", "41 seals", `"forty-one"`, ""},
	} {
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  f: "+c.field+"\n"))
		require.NoError(t, err)
		said, err := value.Parse(c.said)
		require.NoError(t, err)
		got, ok := NewIndex(c.doc).Read(s, s.Root.Fields[0], &said)
		if c.want == "" {
			assert.False(t, ok, "%s in %q: %s", c.said, c.doc, got.String())
			continue
		}
		want, err := value.Parse(c.want)
		require.NoError(t, err)
		assert.True(t, ok && value.Equal(&want, &got), "%s in %q: %s", c.said, c.doc, got.String())
	}
}
