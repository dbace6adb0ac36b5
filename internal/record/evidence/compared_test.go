package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/record"
	"filler/internal/schema"
)

// Whether a figure is but a limit, as a boolean or by its sign, is what the sign before it says; one before
// the limit behind it says nothing of it.
func TestCompared(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  rows:\n    list: Rows.\n    fields:\n      name: What.\n      value: {number: How much.}\n      comparator: {choice: Sign., of: [<, '>', <=, '>=']}\n      is_below: {boolean: Whether it is less.}\n      limit: {number: Limit.}\n"))
	require.NoError(t, err)
	doc := "Nitrate   48.2   50\nNitrite   < 0.02   0.5\nColonies   >300   100\nLead   7   < 10\n"
	row := func(name, value, sign, below, limit string) string {
		return `{"name":"` + name + `","value":` + value + `,"comparator":` + sign + `,"is_below":` + below + `,"limit":` + limit + `}`
	}
	for _, c := range []struct{ rows, told string }{
		{row("Nitrate", "48.2", "null", "false", "50") + "," + row("Nitrite", "0.02", `"<"`, "true", "0.5") + "," + row("Colonies", "300", `">"`, "false", "100") + "," + row("Lead", "7", "null", "false", "10"), ""},
		{row("Nitrate", "48.2", "null", "true", "50"), "/rows/0/is_below"},
		{row("Nitrite", "0.02", `">"`, "true", "0.5"), "/rows/0/comparator"},
		{row("Nitrite", "0.02", `"<="`, "true", "0.5"), "/rows/0/comparator"},
		{row("Nitrite", "0.02", `"<"`, "false", "0.5"), "/rows/0/is_below"},
		{row("Colonies", "300", `">"`, "true", "100"), "/rows/0/is_below"},
	} {
		told := ""
		for p, what := range doubts(t, s, `{"rows":[`+c.rows+`]}`, doc) {
			told += string(p)
			assert.IsType(t, record.SaysOpposite{}, what)
		}
		assert.Equal(t, c.told, told, c.rows)
	}
}
