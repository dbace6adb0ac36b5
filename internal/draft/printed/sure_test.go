package printed

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/schema"
)

// What is beyond doubt is taken, typed; what is not, is null: another label,
// running text, a value with more around it, a label that says two things.
func TestSure(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  no: {text: Number., printed_as: [Order no.]}
  on: {date: Day., written: [D.M.YYYY], printed_as: [Date]}
  sum: {money: Sum., currency: EUR, written: {decimal: ",", group: "."}, printed_as: [Total]}
  paid: {boolean: Paid., printed_as: [Paid]}
  way: {choice: Way., of: {rail: {about: By train.}, road: {also: [lorry]}}, printed_as: [Sent by]}
  lines: {list: Lines., fields: {what: {text: What., printed_as: [Article]}, count: {integer: How many., printed_as: [Pieces]}}}
`))
	require.NoError(t, err)
	table := "Article      Pieces\noak plank    4\nbolt         12\n"
	for text, want := range map[string]string{
		"Order no.: K-7\nDate: 3.4.2031\nTotal: 1.204,50 EUR\nPaid: yes\nSent by: lorry\n\n" + table: `{"no":"K-7","on":"2031-04-03","sum":{"amount":1204.50,"currency":"EUR"},"paid":true,"way":"road","lines":[{"what":"oak plank","count":4},{"what":"bolt","count":12}]}`,
		"Ordered as K-7 on 3.4.2031, paid, by rail.\n":                                               `{"no":null,"on":null,"sum":null,"paid":null,"way":null,"lines":[]}`,
		"Date of order: 3.4.2031\nDate: about 3.4.2031 or 5.4.2031\nTotal: 20,00 or 30,00 EUR\n":     `{"no":null,"on":null,"sum":null,"paid":null,"way":null,"lines":[]}`,
		"Date: 3.4.2031\nDate: 5.4.2031\n":                                                           `{"no":null,"on":null,"sum":null,"paid":null,"way":null,"lines":[]}`,
		"Date: 3.4.2031\nDate: 3.4.2031\nPaid: perhaps\nSent by: rail or lorry\n":                    `{"no":null,"on":"2031-04-03","sum":null,"paid":null,"way":null,"lines":[]}`,
		"Date: 3.4.2031 (Thursday)\nTotal: 20 USD\n":                                                 `{"no":null,"on":"2031-04-03","sum":null,"paid":null,"way":null,"lines":[]}`,
	} {
		got := Sure(s, text)
		assert.JSONEq(t, want, got.String(), text)
		assert.Equal(t, fmt.Sprint(got), fmt.Sprint(Sure(s, text)))
	}
}

// Numbers whose field says what they are in are read from what documents print, in that; where they
// print something else, there is no value.
func TestMeasuresOfPlainNumbers(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  no: {text: Number.}\n  total: {number: Total.}\n  weight_kg: {number: Weight.}\n  fee_eur: {number: Fee.}\n  price_pence: {integer: Price.}\n"))
	require.NoError(t, err)
	for doc, want := range map[string]string{
		"No: 7\nTotal: £41.00\nWeight: 400 g\nFee: 12 EUR\nPrice: £3.50\n":  `{"no":"7","total":41.00,"weight_kg":0.4,"fee_eur":12,"price_pence":350}`,
		"No: 7\nTotal: 41 kg\nWeight: 400 ml\nFee: 12 USD\nPrice: 3.50 m\n": `{"no":"7","total":null,"weight_kg":null,"fee_eur":null,"price_pence":null}`,
	} {
		got := Sure(s, doc)
		assert.Equal(t, want, got.String(), doc)
	}
}
