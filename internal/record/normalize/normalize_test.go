package normalize

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

const text = `
schema: s
fields:
  t: A text.
  i: {integer: A number.}
  n: {number: A number.}
  b: {boolean: Yes or no.}
  closed: {boolean: Whether it is closed.}
  d: {date: A day., written: [D.M.YYYY]}
  two: {date: A day with two readings., written: [D/M/YYYY, M/D/YYYY]}
  began: {datetime: When it began., zone: Europe/Lisbon}
  short: {date: A day., written: [D.M.YY], pivot: 1950}
  c: {choice: A choice., of: {loose_rail: {also: [handrail off]}, rot: {also: [decay]}, rust: {also: [decay of iron]}}}
  grade: {choice: A grade., of: ["1", "2", "10"]}
  at: {time: A time.}
  m: {money: Money., currency: EUR, written: {decimal: ",", group: "."}}
  any: {money: Money of any currency.}
  q: {quantity: A length., unit: m}
  g: {number: A number., written: {decimal: ",", group: "."}}
  u: {text: Upper., normalize: [upper, no-end-stop]}
  raw: {integer: Left as it is., normalize: none}
  k: {link: A link., to: 'l[].n'}
  l: {list: A list., fields: {x: A text., n: {integer: N.}}}
  p: {list: A list., items: {integer: A number.}}
  h: {list: Hours., items: {time: One.}}
  tc: {text: A code., pattern: "^TC-[0-9]+$"}
  country: {text: Country., pattern: "^[A-Z]{2}$"}
  currency: {choice: Currency., of: [EUR, GBP]}
  weight_kg: {number: Weight.}
  price_pence: {integer: Price.}
  share: {number: Share., min: 0, max: 1}
  fee: {group: Fee., fields: {amount: {number: How much.}, currency: {text: Currency.}}}
  more: {any: What else is said.}
  map: {any: Names and figures., keywords: {type: object, additionalProperties: {type: integer}}}
  keyed: {list: Lamps., key: [no], fields: {no: {integer: Number.}, on: {boolean: On.}}}
`

func TestNormalizers(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(text))
	require.NoError(t, err)
	for _, c := range []struct{ in, out, rule string }{
		{`{"t":"  a \n b "}`, `{"t":"a b"}`, RuleSpaces},
		{`{"t":""}`, `{"t":null}`, RuleBlank},
		{`{"t":4411}`, `{"t":"4411"}`, RuleAsText},
		{`{"i":"007"}`, `{"i":7}`, RuleDigits},
		{`{"i":"-3.0"}`, `{"i":-3}`, RuleDigits},
		{`{"i":3.00}`, `{"i":3}`, RuleWhole},
		{`{"i":"3.5"}`, `{"i":"3.5"}`, ""},
		{`{"i":3.5}`, `{"i":3.5}`, ""},
		{`{"i":"about 3"}`, `{"i":"about 3"}`, ""},
		{`{"n":"12.50"}`, `{"n":12.50}`, RuleDigits},
		{`{"p":"1, 2 and 4"}`, `{"p":[1,2,4]}`, RuleListed},
		{`{"p":"1, 2 und 4"}`, `{"p":[1,2,4]}`, RuleListed},
		{`{"h":"08:00 et 5.30 pm"}`, `{"h":["08:00","17:30"]}`, RuleListed},
		{`{"h":"08:00 & 17:30"}`, `{"h":["08:00","17:30"]}`, RuleListed},
		{`{"p":"1 to 4"}`, `{"p":["1 to 4"]}`, RuleListOne},
		{`{"p":"none"}`, `{"p":[]}`, RuleUnknown},
		{`{"l":"n/a"}`, `{"l":[]}`, RuleUnknown},
		{`{"d":"2031-04-03T00:00:00Z"}`, `{"d":"2031-04-03"}`, RuleDate},
		{`{"d":"2031-04-03T10:30:00Z"}`, `{"d":"2031-04-03T10:30:00Z"}`, ""}, // a time is more than a day
		{`{"grade":2}`, `{"grade":"2"}`, RuleChoice},
		{`{"grade":3}`, `{"grade":3}`, ""},
		{`{"c":"rot (decayed timber)"}`, `{"c":"rot"}`, RuleChoice},
		{`{"m":{"amount":"1.250,00 EUR","currency":"EUR"}}`, `{"m":{"amount":1250.00,"currency":"EUR"}}`, RuleAmount},
		{`{"m":{"amount":"5 USD","currency":"EUR"}}`, `{"m":{"amount":"5 USD","currency":"EUR"}}`, ""}, // which?
		{`{"n":"1,250"}`, `{"n":"1,250"}`, ""},                                                         // two readings
		{`{"n":"1,5"}`, `{"n":1.5}`, RuleNumber},
		{`{"n":"1.250,00"}`, `{"n":1250.00}`, RuleNumber},
		{`{"n":"1 250"}`, `{"n":1250}`, RuleNumber},
		{`{"n":"1,250,000"}`, `{"n":1250000}`, RuleNumber},
		{`{"n":"1O.5"}`, `{"n":10.5}`, RuleLookalikes},
		{`{"n":"SOS"}`, `{"n":"SOS"}`, ""}, // a word
		{`{"n":"The n is 12."}`, `{"n":12}`, RuleSentence},
		{`{"t":"The t is FB-7."}`, `{"t":"FB-7"}`, RuleSentence},
		{`{"t":"The bridge is shut."}`, `{"t":"The bridge is shut."}`, ""}, // of something else
		{`{"t":"N/A"}`, `{"t":null}`, RuleUnknown},
		{`{"t":"none"}`, `{"t":"none"}`, ""}, // a text may say so
		{`{"i":"none"}`, `{"i":null}`, RuleUnknown},
		{`{"c":"not stated"}`, `{"c":null}`, RuleUnknown},
		{`{"d":"–"}`, `{"d":null}`, RuleUnknown},
		{`{"short":"3.4.31"}`, `{"short":"2031-04-03"}`, RuleDate},
		{`{"short":"3.4.71"}`, `{"short":"1971-04-03"}`, RuleDate},
		{`{"short":"3.4.2031"}`, `{"short":"3.4.2031"}`, ""},
		{`{"d":"3.4.31"}`, `{"d":"3.4.31"}`, ""},
		{`{"d":"3. März 2031"}`, `{"d":"2031-03-03"}`, RuleDate},
		{`{"d":"1 août 2031"}`, `{"d":"2031-08-01"}`, RuleDate},
		{`{"d":"3.4.2O31"}`, `{"d":"2031-04-03"}`, RuleLookalikes},
		{`{"b":"Ja"}`, `{"b":true}`, RuleYesNo},
		{`{"closed":"Closed."}`, `{"closed":true}`, RuleYesNo},
		{`{"closed":"open"}`, `{"closed":false}`, RuleYesNo},
		{`{"closed":"not closed"}`, `{"closed":false}`, RuleYesNo},
		{`{"closed":"walkers"}`, `{"closed":"walkers"}`, ""},
		{`{"p":[1,null,2]}`, `{"p":[1,2]}`, RuleBlank},
		{`{"l":[null]}`, `{"l":[]}`, RuleBlank},
		{`{"q":"980 cm"}`, `{"q":{"amount":9.8,"unit":"m"}}`, RuleAmount},
		{`{"q":{"amount":9.8,"unit":"metres"}}`, `{"q":{"amount":9.8,"unit":"m"}}`, RuleMeasure},
		{`{"q":{"amount":980,"unit":"cm"}}`, `{"q":{"amount":9.8,"unit":"m"}}`, RuleUnit},
		{`{"q":{"amount":9,"unit":"kg"}}`, `{"q":{"amount":9,"unit":"kg"}}`, ""},
		{`{"n":"99999999999999999999.1"}`, `{"n":99999999999999999999.1}`, RuleDigits},
		{`{"b":"Yes"}`, `{"b":true}`, RuleYesNo},
		{`{"b":"maybe"}`, `{"b":"maybe"}`, ""},
		{`{"d":"3.4.2031"}`, `{"d":"2031-04-03"}`, RuleDate},
		{`{"d":"3 April 2031"}`, `{"d":"2031-04-03"}`, RuleDate},
		{`{"d":"03.04.31"}`, `{"d":"03.04.31"}`, ""},
		{`{"d":"3/4/2031"}`, `{"d":"3/4/2031"}`, ""},
		{`{"two":"3/4/2031"}`, `{"two":"3/4/2031"}`, ""},
		{`{"two":"4/4/2031"}`, `{"two":"2031-04-04"}`, RuleDate},
		{`{"c":"Loose Rail"}`, `{"c":"loose_rail"}`, RuleChoice},
		{`{"c":"handrail off."}`, `{"c":"loose_rail"}`, RuleChoice},
		{`{"c":"gone"}`, `{"c":"gone"}`, ""},
		{`{"l":{"x":"a"}}`, `{"l":[{"x":"a"}]}`, RuleListOne},
		{`{"l":[{"x":" a"}],"p":["2"]}`, `{"l":[{"x":"a"}],"p":[2]}`, RuleSpaces},
		{`{"at":"9.30 h"}`, `{"at":"09:30"}`, RuleTime},
		{`{"at":"25:10"}`, `{"at":"25:10"}`, ""},
		{`{"m":"EUR 1.250,00"}`, `{"m":{"amount":1250.00,"currency":"EUR"}}`, RuleAmount},
		{`{"m":"1.250,5 €"}`, `{"m":{"amount":1250.5,"currency":"EUR"}}`, RuleAmount},
		{`{"m":"1.25,00"}`, `{"m":"1.25,00"}`, ""},
		{`{"m":99}`, `{"m":{"amount":99,"currency":"EUR"}}`, RuleMeasure},
		{`{"m":{"amount":"1.250,00","currency":null}}`, `{"m":{"amount":1250.00,"currency":"EUR"}}`, RuleMeasure},
		{`{"m":{"amount":null,"currency":"EUR"}}`, `{"m":null}`, RuleBlank},
		{`{"m":{"amount":5,"currency":"USD"}}`, `{"m":{"amount":5,"currency":"USD"}}`, ""}, // never relabelled
		{`{"any":"5 usd"}`, `{"any":{"amount":5,"currency":"USD"}}`, RuleAmount},
		{`{"any":"$5"}`, `{"any":"$5"}`, ""}, // whose dollar?
		{`{"any":5}`, `{"any":5}`, ""},
		{`{"q":"12.4 m"}`, `{"q":{"amount":12.4,"unit":"m"}}`, RuleAmount},
		{`{"q":"12.4"}`, `{"q":{"amount":12.4,"unit":"m"}}`, RuleAmount},
		{`{"q":"12.4 ft"}`, `{"q":{"amount":3.77952,"unit":"m"}}`, RuleAmount},
		{`{"g":"1.250,5"}`, `{"g":1250.5}`, RuleNumber},
		{`{"g":"1,250.5"}`, `{"g":"1,250.5"}`, ""},
		{`{"g":"12.50"}`, `{"g":"12.50"}`, ""},
		{`{"u":"fb-1."}`, `{"u":"FB-1"}`, "upper"},
		{`{"raw":"3"}`, `{"raw":"3"}`, ""},
		{`{"k":"3"}`, `{"k":3}`, RuleDigits},
		{`{"At":"09:30","U ":"FB"}`, `{"at":"09:30","u":"FB"}`, RuleKey},
		{`{"at":"09:30","At":"10:30"}`, `{"at":"09:30","At":"10:30"}`, ""},
		{`{"unknown":" a "}`, `{"unknown":" a "}`, ""},
		{`[1]`, `[1]`, ""},
	} {
		v, err := value.Parse(c.in)
		require.NoError(t, err, c.in)
		changes := Record(s, &v)
		assert.Equal(t, c.out, v.String())
		if c.rule == "" {
			assert.Empty(t, changes, c.in)
		} else {
			require.NotEmpty(t, changes, c.in)
			assert.Equal(t, c.rule, changes[0].Rule)
		}
		assert.Empty(t, Record(s, &v), "normalizing twice changes nothing more: %s", c.in)
	}
}
