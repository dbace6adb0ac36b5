package standin

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

const kilnTables = `table firing: one row for each document
  document: text; The document's id.
  no: integer; Number of the firing.
  potter_name: text; Who fired it.
  cooled: 0 or 1; Whether it has cooled.
  no_line: integer; The line of no.
table pots: one row for each item of pots; its document is document of a row of firing
  document: text; The document's id.
  position: integer; Which item of its list, from 1.
  glaze: text, one of ash, salt; Glaze.
  height_amount: number; Height.
  height_unit: text; The unit of pots[].height.
table pots_cracks: one row for each item of pots[].cracks; its document, pots_position are document, position of a row of pots
  document: text; The document's id.
  pots_position: integer; Which item it stands in.
  position: integer; Which item of its list, from 1.
  depth: integer; How deep.
  "order": integer; Which came first.
`

// Simple questions become statements from the tables' own names; all others none.
func TestStatements(t *testing.T) {
	tables := readTables(kilnTables)
	for question, want := range map[string]string{
		"How many firings are there?":            "SELECT count(*) AS n FROM firing",
		"How many pots per glaze?":               "SELECT pots.glaze, count(*) AS n FROM pots GROUP BY pots.glaze",
		"How many pots are in salt?":             "SELECT count(*) AS n FROM pots WHERE pots.glaze = 'salt'",
		"Which glaze has the most cracks?":       "SELECT pots.glaze, count(*) AS n FROM pots_cracks JOIN pots ON pots.document = pots_cracks.document AND pots.position = pots_cracks.pots_position GROUP BY pots.glaze ORDER BY 2 DESC",
		"Which potter has the fewest cracks?":    "SELECT firing.potter_name, count(*) AS n FROM pots_cracks JOIN pots ON pots.document = pots_cracks.document AND pots.position = pots_cracks.pots_position JOIN firing ON firing.document = pots.document GROUP BY firing.potter_name ORDER BY 2",
		"What is the largest height per glaze?":  "SELECT pots.glaze, max(pots.height_amount) AS largest FROM pots GROUP BY pots.glaze",
		"Which potters have not cooled firings?": "SELECT DISTINCT firing.potter_name, firing.document FROM firing WHERE firing.cooled = 0",
		"What is the highest order?":             `SELECT max(pots_cracks."order") AS highest FROM pots_cracks`,
		"Why did it crack?":                      "",
		"":                                       "",
	} {
		assert.Equal(t, want, statement(question, tables), question)
	}
	assert.Empty(t, statement("How many?", nil))
}
