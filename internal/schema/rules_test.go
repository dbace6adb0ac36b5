package schema

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

const ruled = `
schema: s
fields:
  a: {number: A.}
  b: {number: B.}
  from: {date: From.}
  upto: {date: Up to.}
  sum: {integer: A field called like a function.}
  name: A name.
  open: {boolean: Open.}
  cost: {money: Cost., currency: EUR}
  parts: {list: Parts., fields: {fee: {money: Fee in any currency.}}}
  bays:
    list: Bays.
    fields:
      no: {integer: Number.}
      price: {number: Price.}
      finds: {list: Finds., fields: {kind: Kind., grade: {integer: Grade.}}}
rules:
`

func TestRules(t *testing.T) {
	for _, c := range []struct {
		rule, record string
		broken       string // the places, with the fields spoken of
	}{
		{"{holds: upto > from}", `{"from":"2031-01-02","upto":"2031-01-03"}`, ""},
		{"{holds: upto > from}", `{"from":"2031-01-02","upto":"2031-01-01"}`, " [/from /upto]"},
		{"{holds: upto > from}", `{"from":"2031-01-02"}`, ""},
		{"{holds: not (upto > from)}", `{"from":"2031-01-02","upto":null}`, ""},
		{"{holds: a + b == 0.3}", `{"a":0.1,"b":0.2}`, ""},
		{"{holds: a + b == 0.3}", `{"a":0.1,"b":0.20000000000000001}`, " [/a /b]"},
		{"{holds: \"sum(bays, .price) == a\"}", `{"a":0.3,"bays":[{"price":0.1},{"price":0.2}]}`, ""},
		{"{holds: \"sum(bays, .price) == a\"}", `{"a":0.4,"bays":[{"price":0.1},{"price":0.2}]}`, " [/a /bays]"},
		{"{holds: \"sum(bays, .price) == a\"}", `{"a":0.4,"bays":[{"price":0.1},{"price":null}]}`, ""},
		{"{holds: sum == len(bays)}", `{"sum":2,"bays":[{},{}]}`, ""},
		{"{holds: sum == len(bays)}", `{"sum":3,"bays":[{},{}]}`, " [/bays /sum]"},
		{"{holds: \"all(bays, .no > 0)\"}", `{"bays":[{"no":1},{"no":0}]}`, " [/bays]"},
		{"{holds: \"all(bays, .no > 0)\"}", `{"bays":[{"no":1},{"no":null}]}`, ""},
		{"{holds: \"any(bays, .no == 2) or not open\"}", `{"open":true,"bays":[{"no":1}]}`, " [/bays /open]"},
		{"{holds: \"any(bays, .no == 2) or not open\"}", `{"open":false,"bays":[{"no":1}]}`, ""},
		{"{holds: \"count(bays, .no > 1) <= 1\"}", `{"bays":[{"no":3},{"no":2}]}`, " [/bays]"},
		{"{holds: \"none(bays, any(.finds, .grade == 3)) or open == false\"}", `{"open":true,"bays":[{"finds":[{"grade":3}]}]}`, " [/bays /open]"},
		{"{for: 'bays[]', holds: price < a}", `{"a":2,"bays":[{"price":1},{"price":5},{"price":null}]}`, "/bays/1 [/a /bays/1/price]"},
		{"{for: 'bays[].finds[]', holds: 'grade <= 3 and kind != \"\"'}", `{"bays":[{"finds":[{"kind":"x","grade":4}]}]}`, "/bays/0/finds/0 [/bays/0/finds/0/grade /bays/0/finds/0/kind]"},
		{"{for: 'bays[]', holds: no <= record.sum}", `{"sum":1,"bays":[{"no":2}]}`, "/bays/0 [/bays/0/no /sum]"},
		{"{holds: cost.amount < 100}", `{"cost":{"amount":100.0,"currency":"EUR"}}`, " [/cost]"},
		{"{holds: 'name matches \"^A\" and name contains \"b\"'}", `{"name":"Acb"}`, ""},
		{"{holds: 'name in [\"x\", \"y\"]'}", `{"name":"z"}`, " [/name]"},
		{"{holds: 'stated(name) or stated(a)'}", `{}`, " [/a /name]"},
		{"{holds: 'days(from, upto) <= 30'}", `{"from":"2031-01-01","upto":"2031-02-15"}`, " [/from /upto]"},
		{"{holds: 'bays[0].no == 1'}", `{"bays":[]}`, ""},
		{"{holds: a / b > 1}", `{"a":1,"b":0}`, ""},
		{"{holds: 'max(a, b) < 3 and -a < 0'}", `{"a":1,"b":3}`, " [/a /b]"},
		{"{holds: 'open ? a > 0 : b > 0'}", `{"open":true,"a":1}`, ""},
		{"{holds: cost < 100}", `{"cost":{"amount":100.0,"currency":"EUR"}}`, " [/cost]"},
		{"{holds: cost < 100}", `{"cost":{"amount":100.0,"currency":"USD"}}`, ""}, // not of its type
		{"{holds: 'sum(parts, .fee) == cost'}", `{"cost":{"amount":3,"currency":"EUR"},"parts":[{"fee":{"amount":1,"currency":"EUR"}},{"fee":{"amount":2.00,"currency":"EUR"}}]}`, ""},
		{"{holds: 'sum(parts, .fee) == cost'}", `{"cost":{"amount":4,"currency":"EUR"},"parts":[{"fee":{"amount":1,"currency":"EUR"}},{"fee":{"amount":2.00,"currency":"EUR"}}]}`, " [/cost /parts]"},
		{"{holds: 'sum(parts, .fee.amount) == cost.amount'}", `{"cost":{"amount":4,"currency":"EUR"},"parts":[{"fee":{"amount":1,"currency":"EUR"}}]}`, " [/cost /parts]"},
		{"{holds: 'sum(parts, .fee) == cost'}", `{"cost":{"amount":3,"currency":"EUR"},"parts":[{"fee":{"amount":1,"currency":"CHF"}},{"fee":{"amount":2.00,"currency":"EUR"}}]}`, " [/cost /parts] CHF with EUR"},
		{"{holds: 'cost + 1 > a or sum(parts, .fee) == cost'}", `{"a":0,"cost":{"amount":3,"currency":"EUR"},"parts":[{"fee":{"amount":1,"currency":"CHF"}}]}`, ""},
		{"{holds: 'not (sum(parts, .fee) > cost)'}", `{"cost":{"amount":3,"currency":"EUR"},"parts":[{"fee":{"amount":1,"currency":"CHF"}}]}`, " [/cost /parts] CHF with EUR"},
		{"{holds: 'max(map(parts, .fee)) <= cost * 2'}", `{"cost":{"amount":3,"currency":"EUR"},"parts":[{"fee":{"amount":7,"currency":"EUR"}}]}`, " [/cost /parts]"},
		{"{holds: 'round(cost) == 3'}", `{"cost":{"amount":3.2,"currency":"EUR"}}`, ""},
		{"{holds: 'upto > from'}", `{"from":"2031-01-02","upto":"1.1.31"}`, ""}, // no date
		{"{holds: 'a < 3'}", `{"a":"seven"}`, ""},
	} {
		s, err := Parse("s.yaml", []byte(ruled+"  - "+c.rule+"\n"))
		require.NoError(t, err, c.rule)
		rec, err := value.Parse(c.record)
		require.NoError(t, err)
		var got []string
		for _, b := range s.Rules[0].Check(s, &rec, Operands(s, &rec), "") {
			said := fmt.Sprintf("%s %v", b.At, b.Fields)
			if len(b.Mixed) > 0 {
				said += " " + strings.Join(b.Mixed, " with ")
			}
			got = append(got, said)
		}
		assert.Equal(t, c.broken, strings.Join(got, "; "), "%s over %s", c.rule, c.record)
	}
	for rule, says := range map[string]string{
		"{holds: c > 1}": "unknown name c", "{holds: a > from}": "mismatched types", "{holds: a + 1}": "a condition, such as", "{holds: 'a >'}": "ends too early", "{for: 'bays', holds: a > 1}": "not a list of items",
		"{for: 'bays[]', holds: nothing > 1}": "unknown name nothing", "{holds: cost > name}": "mismatched types", "{holds: 'sum(parts, .amount) == 1'}": "unknown field amount", "{holds: 'sum(bays, .finds) > 1'}": "", "{holds: 'cost.unit == \"m\"'}": "unknown field unit",
		"{say: x}": "needs `holds`", "{holds: a = 1}": "write `a == 1`", "{holds: name.first == 1}": "",
	} {
		_, err := Parse("s.yaml", []byte(ruled+"  - "+rule+"\n"))
		require.Error(t, err, rule)
		assert.Contains(t, err.Error(), says, rule)
		assert.Regexp(t, `^s.yaml:\d+:\d+: `, err.Error())
	}
}

// What is often written otherwise elsewhere is told as it is written here, and what is told can be read.
func TestRuleHints(t *testing.T) {
	base := "schema: s\nfields:\n  vat: {integer: Vat.}\n  total: {quantity: Total., unit: kg}\n  made_on: {date: Day.}\n  cut_at: {time: Time.}\n  cellar: {text: Cellar.}\n  washed: {boolean: Washed.}\n  lot:\n    group: Lot.\n    fields:\n      parts: {list: Parts., fields: {size: {number: Size.}}}\n  cheeses: {list: Cheeses., fields: {name: Name., weight: {quantity: Weight., unit: kg}}}\nrules:\n  - holds: '"
	for rule, hint := range map[string]string{
		"total = vat":                                "write `total == vat`",
		"sum(cheeses.weight) == total":               "write `sum(cheeses, .weight) == total`",
		"sum(cheeses[].weight) == total":             "write `sum(cheeses, .weight) == total`",
		"sum(cheeses, weight) == total":              "`sum(cheeses, .weight)`",
		"sum(c.weight for c in cheeses)>1":           "`sum(cheeses, .weight)`",
		"max(lot.parts.size) > 1":                    "write `max(map(lot.parts, .size)) > 1`",
		"cheeses.length > 1":                         "`len(cheeses)`",
		"total is not null":                          "`stated(total)`",
		"total IS NULL":                              "`not stated(total)`",
		"exists(total)":                              "`stated(total)`",
		"vat > 1 AND vat < 3":                        "write `vat > 1 and vat < 3`",
		"SUM(cheeses, .weight) == total":             "write `sum(cheeses, .weight) == total`",
		"Sum(cheeses, .weight) == total":             "write `sum(cheeses, .weight) == total`",
		"cellar = \"A AND  B\" OR cellar <> \"1=2\"": "write `cellar == \"A AND  B\" or cellar != \"1=2\"`",
		"IF total <> null THEN vat > 0":              "write `not ( stated(total) ) or vat > 0`",
		"SUM(cheeses.weight) = total AND vat <> 1":   "write `sum(cheeses, .weight) == total and vat != 1`",
		"IF washed = yes THEN total IS NOT NULL":     "write `not ( washed == true ) or stated(total)`",
		"vat <> 1":                                   "`vat != 1`",
		"vat between 1 and 3":                        "`vat >= 1 and vat <= 3`",
		"if vat == 1 then washed":                    "write `not ( vat == 1 ) or washed`",
		"vat == 1 implies washed":                    "write `not (vat == 1) or washed`",
		"cellar =~ \"B\"":                            "`cellar matches \"pattern\"`",
		"total > 3 kg":                               "write the figure alone",
		"made_on < today()":                          "knows no day of its own",
		"washed == yes":                              "write `washed == true`",
		"cellar == B":                                "a text stands in quotes: \"B\"",
		"vat == \"1\"":                               "only a text stands in quotes",
		"made_on - made_on > 3":                      "`days(a, b)`",
		"vat":                                        "a rule is a condition",
	} {
		_, err := Parse("s.yaml", []byte(base+rule+"'\n"))
		require.Error(t, err, rule)
		assert.Contains(t, err.Error(), hint, rule)
		assert.NotRegexp(t, "float64|interface|token|\\bint\\b|bool\\b", err.Error(), rule)
	}
	for _, rule := range []string{"sum(cheeses, .weight) == total", "max(map(lot.parts, .size)) > 1", "len(cheeses) > 1", "not stated(total)", "vat >= 1 and vat <= 3", "not (vat == 1) or washed", "minutes(cut_at, cut_at) == 0"} {
		_, err := Parse("s.yaml", []byte(base+rule+"'\n"))
		assert.NoError(t, err, rule)
	}
}

// A broken rule tells what its sides come to, but for constants and what is sensitive.
func TestRuleSides(t *testing.T) {
	for _, c := range []struct{ rule, more, record, sides string }{
		{"total == sum(parts, .fee)", "", `{"total":{"amount":4,"currency":"EUR"},"parts":[{"fee":{"amount":1,"currency":"EUR"}},{"fee":{"amount":2.50,"currency":"EUR"}}]}`, "total is 4 EUR, sum(parts, .fee) comes to 3.5 EUR"},
		{"days(from, upto) <= 30", "", `{"from":"2031-01-01","upto":"2031-02-15"}`, "days(from, upto) comes to 45"},
		{"minutes(starts, ends) <= 90", "", `{"starts":"06:50","ends":"09:20"}`, "minutes(starts, ends) comes to 150"},
		{"minutes(starts, ends) > 0", "", `{"starts":"23:00","ends":"01:00"}`, "minutes(starts, ends) comes to -1320"},
		{"from < upto and len(parts) > 1", "", `{"from":"2031-01-01","upto":"2031-02-15","parts":[]}`, "len(parts) comes to 0"},
		{"from > upto", "", `{"from":"2031-01-01","upto":"2031-02-15"}`, "from is 2031-01-01, upto is 2031-02-15"},
		{"none(parts, .fee > 3)", "", `{"parts":[{"fee":{"amount":4,"currency":"EUR"}}]}`, ""},
		{"total == sum(parts, .fee)", ", sensitive: true", `{"total":{"amount":4,"currency":"EUR"},"parts":[{"fee":{"amount":1,"currency":"EUR"}}]}`, ""},
	} {
		s, err := Parse("s.yaml", []byte("schema: s\nfields:\n  total: {money: Total.}\n  from: {date: From.}\n  upto: {date: To.}\n  starts: {time: Start.}\n  ends: {time: End.}\n  parts: {list: Parts., fields: {fee: {money: Fee."+c.more+"}}}\nrules:\n  - {holds: '"+c.rule+"'}\n"))
		require.NoError(t, err, c.rule)
		rec, err := value.Parse(c.record)
		require.NoError(t, err)
		broken := s.Rules[0].Check(s, &rec, Operands(s, &rec), "")
		require.Len(t, broken, 1, c.rule)
		assert.Equal(t, c.sides, strings.Join(broken[0].Sides, ", "), c.rule)
	}
}
