package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// The two ends of a range in each other's fields are told, and the right ones are not, however the
// range is printed; without words in the fields' names nothing is.
func TestEndsOfRanges(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  opens: {time: When it opens.}
  closes: {time: When it closes.}
  low: {number: Lower limit.}
  high: {number: Upper limit.}
  start_date: {date: First day., written: [D.M.YYYY]}
  end_date: {date: Last day., written: [D.M.YYYY]}
  from: {text: Where it sets out.}
  to: {text: Where it goes.}
  weight_min: {quantity: Least., unit: kg}
  weight_max: {quantity: Most., unit: kg}
  first_name: {text: First name.}
  last_name: {text: Last name.}
  one: {integer: One.}
  other: {integer: Another.}
`))
	require.NoError(t, err)
	told := func(text, record string) int {
		rec, err := value.Parse(record)
		require.NoError(t, err)
		ix := NewIndex(text)
		n := 0
		for _, p := range Of(s, &rec, ix) {
			if p.Range != "" {
				n++
			}
		}
		return n
	}
	for _, c := range []struct{ text, right, swapped string }{
		{"Open 9:15 - 17:30 Uhr", `{"opens":"09:15","closes":"17:30"}`, `{"opens":"17:30","closes":"09:15"}`},
		{"night shift 22:00–06:00", `{"opens":"22:00","closes":"06:00"}`, `{"opens":"06:00","closes":"22:00"}`},
		{"open 9 am to 5 pm", `{"opens":"09:00","closes":"17:00"}`, `{"opens":"17:00","closes":"09:00"}`},
		{"Platelets 212   (150 - 450)", `{"low":150,"high":450}`, `{"low":450,"high":150}`},
		{"limits 4,0 bis 10,0", `{"low":4,"high":10}`, `{"low":10,"high":4}`},
		{"3.4.2031 bis 7.4.2031", `{"start_date":"2031-04-03","end_date":"2031-04-07"}`, `{"start_date":"2031-04-07","end_date":"2031-04-03"}`},
		{"Ferry from Oskevik to Lund", `{"from":"Oskevik","to":"Lund"}`, `{"from":"Lund","to":"Oskevik"}`},
		{"takes 3 kg to 8 kg", `{"weight_min":{"amount":3,"unit":"kg"},"weight_max":{"amount":8,"unit":"kg"}}`, `{"weight_min":{"amount":8,"unit":"kg"},"weight_max":{"amount":3,"unit":"kg"}}`},
	} {
		assert.Zero(t, told(c.text, c.right), c.text)
		assert.Equal(t, 2, told(c.text, c.swapped), c.text)
	}
	for text, record := range map[string]string{
		"from 450 down to 150":       `{"low":150,"high":450}`, // it prints the upper end first
		"max - min: 450 - 150":       `{"low":450,"high":150}`,
		"12 - 7":                     `{"one":7,"other":12}`,
		"Adeyo - Robert":             `{"first_name":"Robert","last_name":"Adeyo"}`,
		"Bergen, Oskevik":            `{"from":"Oskevik","to":"Bergen"}`,
		"closes 17:30, opens 9:15":   `{"opens":"09:15","closes":"17:30"}`,
		"450 was read\n- 150 before": `{"low":450,"high":150}`,
	} {
		assert.Zero(t, told(text, record), text)
	}
}

// A range whose unit stands behind its last end alone, or in the row above: the edge that two rows
// share stands in each. Classes beside a figure are no units, and a head that has figures in its
// unit is a head.
func TestEdgesInTables(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  samples:
    list: Samples.
    key: [no]
    fields:
      no: {text: Number.}
      top: {quantity: Upper edge., unit: cm}
      bottom: {quantity: Lower edge., unit: cm}
      p: {quantity: Phosphorus., unit: mg/100 g, written: {decimal: ","}}
      class: {choice: Class., of: [A, B, C]}
`))
	require.NoError(t, err)
	text := "Probe   Tiefe      P (mg/100 g)  Klasse\nS1      0-30 cm    5,2           C\nS2      30-60 cm   2,9           B\nS3      60-90      0,8           A\n"
	rec, err := value.Parse(`{"samples":[{"no":"S1","top":{"amount":0,"unit":"cm"},"bottom":{"amount":30,"unit":"cm"},"p":{"amount":5.2,"unit":"mg/100 g"},"class":"C"},{"no":"S2","top":{"amount":30,"unit":"cm"},"bottom":{"amount":60,"unit":"cm"},"p":{"amount":2.9,"unit":"mg/100 g"},"class":"B"},{"no":"S3","top":{"amount":60,"unit":"cm"},"bottom":{"amount":90,"unit":"cm"},"p":{"amount":0.8,"unit":"mg/100 g"},"class":"A"}]}`)
	require.NoError(t, err)
	ix := NewIndex(text)
	places := Of(s, &rec, ix)
	for p, at := range places {
		assert.True(t, at.Found(), p)
		assert.Equal(t, int(p.Steps()[1][0]-'0')+2, at.Line, p)
	}
	assert.Empty(t, Unread(s, &rec, ix, places))
}
