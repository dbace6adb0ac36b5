package evidence

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// A label in a cell with its value in the next is asked about as one with a colon is, whatever parts the
// cells; heads and rows of tables, boxes and what a value came from are not.
func TestFormsWithoutColons(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  pilot: Pilot.
  wind: Wind.
  reported_by: Who reports.
  draught: {number: Draught.}
  total: {number: Total.}
  paid: {boolean: Whether paid.}
  tugs: {list: Tugs., items: {text: Name.}}
  lines: {list: Lines., fields: {item: Item., count: {integer: Count.}}}
`))
	require.NoError(t, err)
	for doc, want := range map[string]string{
		"Ship      Brekka\nWind      SW 5, gusting 7\nPilot     G. Isbister\n":                       "[wind pilot]",
		"1. Wind? SW 5\n(2) Pilot: G. Isbister\nb) Draught?   4.2\n":                                 "[wind pilot draught]",
		"wind=SW; berth=4; pilot=G. Isbister\n":                                                      "[wind pilot]",
		"if wind == SW then\n":                                                                       "[]",
		"Ship  Brekka\nDraught  4.2\nTugs  Hauler\n\nThing   Wind    Berth\nRope    fair    North\n": "[draught tugs]", // a head of another table
		"Ship  Brekka\nDraught  4.2\nPilot   G. Isbister   Wind     fair\n":                          "[draught pilot wind]",
		"| Reported by | J. Corrigall |":                                                             "[reported_by]", // no line behind it
		"Wind? Nobody said.\nWind?\n":                                                                "[wind]",
		"Wind\tSW 5\nPilot\tG. Isbister\n":                                                           "[wind pilot]",
		"Wind      SW 5       Pilot     G. Isbister\nDraught   4.2\n":                                "[wind pilot draught]",
		"| Reported by | J. Corrigall |\n| Tugs | Hauler |\n":                                        "[reported_by tugs]",
		"| Place | North Mole |\n|---|---|\n| Reported by | J. Corrigall |\n":                        "[reported_by]",
		"| Item | Qty | £ |\n|---|---|---|\n| Rope | 2 | 5.00 |\n| Total | | 12.00 |\n":              "[total]",
		"Wind      –\nPilot     _______\nTugs      none\n":                                           "[]", // nobody has filled it in
		"Pilot     Wind     Tugs\nIsbister  SW 5     Hauler\n":                                       "[]", // a head
		"| Pilot | Wind |\n|---|---|\n":                                                              "[]",
		"| Pilot | Ship |\n|---|---|\n":                                                              "[]", // a head whose other cell is of no field
		"Pilot     boarded her\nand left.\n":                                                         "[]", // one alone may be chance
		"[ ] paid  [x] on account\nWind      –\nPilot     –\n":                                       "[]",
		"Draught   deep\nPilot     –\n":                                                              "[]", // no number
		"Wind      SW 5\nPilot     ~~G. Isbister~~\n| ~~Reported by~~ | ~~J. Corrigall~~ |\n":        "[wind]",
	} {
		rec, err := value.Parse(`{"pilot":null,"wind":null,"reported_by":null,"draught":null,"total":null,"paid":null,"tugs":[],"lines":[]}`)
		require.NoError(t, err)
		ix := NewIndex(doc)
		fields := []string{}
		for _, l := range Unread(s, &rec, ix, Of(s, &rec, ix)) {
			fields = append(fields, l.Field)
		}
		assert.Equal(t, want, fmt.Sprint(fields), doc)
	}
	ix := NewIndex("Wind      SW 5\nPilot     G. Isbister\n")
	rec, err := value.Parse(`{"pilot":"G. Isbister","wind":"SW 5"}`)
	require.NoError(t, err)
	assert.Empty(t, Unread(s, &rec, ix, Of(s, &rec, ix)))

	for _, last := range []string{"Wind:", "| Pilot | G. Isbister |", "They wrote:"} { // with no line behind them
		ix := NewIndex(last)
		require.NotPanics(t, func() { Look(s, &rec, ix, Of(s, &rec, ix)) }, last)
	}
	ix = NewIndex("Wind      SW 5       Pilot     G. Isbister\nDraught   4.2\n")
	rec, err = value.Parse(`{"pilot":"G. Isbister","draught":4.2}`)
	require.NoError(t, err)
	lines := Unread(s, &rec, ix, Of(s, &rec, ix))
	require.Len(t, lines, 1, "one of two in a line")
	assert.Equal(t, "Wind      SW 5", lines[0].Text)
}
