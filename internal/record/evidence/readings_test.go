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

// exam is sentences with values that they state and values that they do not: the
// same figure with another unit, currency, sign or day, figures that are parts of
// others, and what is taken back.
var exam = []struct{ field, text, right, wrong string }{
	{"{number: N.}", "It rose by minus 4 degrees, −7 at night.", `-7`, `7.5`},
	{"{number: N.}", "The gap is 3 1/2 wide.", `3.5`, `3`},
	{"{number: N.}", "We used 2½ sacks.", `2.5`, `2`},
	{"{number: N.}", "It took two and a half hours.", `2.5`, `3.5`},
	{"{number: N.}", "Es dauerte zweieinhalb Stunden.", `2.5`, `2`},
	{"{integer: N.}", "Twenty-three of them came.", `23`, `20`},
	{"{integer: N.}", "A dozen eggs.", `12`, `2`},
	{"{integer: N.}", "Es waren dreiundzwanzig Stück.", `23`, `3`},
	{"{integer: N.}", "Länge hundertfünfzig, Breite zwölf.", `150`, `50`},
	{"{integer: N.}", "1'240 were counted.", `1240`, `240`},
	{"{integer: N.}", "1,240 were counted at 3.50 each and 2.75 each.", `1240`, `124`},
	{"{number: N.}", "1,240 at 3.50 and 2.75.", `1240`, `1.24`},
	{"{number: N.}", "1.240 zu 3,50 und 2,75.", `1240`, `1.24`},
	{"{integer: N.}", "On 12 May 2031 we saw 9 of them.", `9`, `12`},
	{"{integer: N.}", "Seen on 3.4.2031: 8 boats.", `8`, `4`},
	{"{integer: N.}", "Marlow of 0undle sent 6.", `6`, `0`},
	{"{number: Rate., signs: {minus: [loses], plus: [gains]}}", "It loses 40 seconds a day.", `-40`, `40`},
	{"{number: Rate., signs: {minus: [loses], plus: [gains]}}", "It gains 16 seconds a day.", `16`, `-16`},
	{"{money: M., signs: {minus: [credit]}}", "There is a credit of EUR 24,50 on it.", `{"amount":-24.5,"currency":"EUR"}`, `{"amount":24.5,"currency":"EUR"}`},
	{"{money: M.}", "It costs EUR 12.50 in all.", `{"amount":12.5,"currency":"EUR"}`, `{"amount":12.5,"currency":"USD"}`},
	{"{money: M.}", "It costs 12.50 euros in all.", `{"amount":12.5,"currency":"EUR"}`, `{"amount":12.5,"currency":"CHF"}`},
	{"{money: M.}", "Screws at 50 cents each.", `{"amount":0.5,"currency":"EUR"}`, `{"amount":50,"currency":"EUR"}`},
	{"{money: M.}", "Total: 75,- EUR", `{"amount":75,"currency":"EUR"}`, `{"amount":75,"currency":"GBP"}`},
	{"{money: M.}", "Fee $ 80.", `{"amount":80,"currency":"CAD"}`, `{"amount":80,"currency":"EUR"}`},
	{"{money: M.}", "thirty euros on account", `{"amount":30,"currency":"EUR"}`, `{"amount":3,"currency":"EUR"}`},
	{"{quantity: Q., unit: cm}", "It is 41 cm high.", `{"amount":41,"unit":"cm"}`, `{"amount":41,"unit":"mm"}`},
	{"{quantity: Q., unit: cm}", "It is 1.2 m high.", `{"amount":120,"unit":"cm"}`, `{"amount":1.2,"unit":"cm"}`},
	{"{quantity: Q., unit: g}", "The movement weighs 2 1/2 kg.", `{"amount":2500,"unit":"g"}`, `{"amount":2.5,"unit":"g"}`},
	{"{quantity: Q., unit: g}", "The letter weighs 20 g and cost 20 EUR.", `{"amount":20,"unit":"g"}`, `{"amount":20,"unit":"kg"}`},
	{"{quantity: Q., unit: m}", "Clear length: 9 Meter", `{"amount":9,"unit":"m"}`, `{"amount":9,"unit":"km"}`},
	{"{date: D.}", "He came on the 3rd of April 2032.", `"2032-04-03"`, `"2032-04-30"`},
	{"{date: D.}", "Reçu le 1er avril 2032.", `"2032-04-01"`, `"2032-04-11"`},
	{"{date: D.}", "on the seventeenth of August 2032", `"2032-08-17"`, `"2032-08-16"`},
	{"{date: D.}", "the twenty-first of May 2032", `"2032-05-21"`, `"2032-05-01"`},
	{"{date: D.}", "recibido el 3 de abril de 2031", `"2031-04-03"`, `"2031-03-04"`},
	{"{date: D.}", "dated April 3, 2032", `"2032-04-03"`, `"2032-03-04"`},
	{"{date: D.}", "Filed 2032/04/03.", `"2032-04-03"`, `"2032-03-04"`},
	{"{date: D., precision: month}", "Prochain relevé : avril 2035", `"2035-04"`, `"2035-05"`},
	{"{date: D., precision: month}", "Due 8/2034.", `"2034-08"`, `"2034-07"`},
	{"{integer: N.}", "I had written that it gains 16; it is not 16 but 18.", `18`, `16`},
	{"{number: N.}", "The price is ~~40.00~~ 38.00.", `38`, `40`},
	{"{text: T.}", "By Marlow of 0undle.", `"Marlow of Oundle"`, `"Marlow of Arundel"`},
}

// What a sentence states is found where it stands, and what it does not state is
// found nowhere.
func TestExam(t *testing.T) {
	for _, c := range exam {
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  f: "+c.field+"\n"))
		require.NoError(t, err, c.field)
		for want, text := range map[bool]string{true: c.right, false: c.wrong} {
			rec, err := value.Parse(`{"f":` + text + `}`)
			require.NoError(t, err)
			place := Of(s, &rec, NewIndex(c.text))["/f"]
			assert.Equal(t, want, place.Found(), "%s in %q", text, c.text)
		}
	}
}

// A right value is found, and a wrong one is not, whatever stands around the
// sentence: the same again in a long text of others' figures.
func TestExamInCompany(t *testing.T) {
	for i, c := range exam {
		text := strings.Repeat("No figures stand here, and nothing of note.\n", 1+i%5) + "\n" + c.text + "\n\n" + strings.Repeat("Nor here.\n", i%7)
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  f: "+c.field+"\n"))
		require.NoError(t, err)
		rec, err := value.Parse(fmt.Sprintf(`{"f":%s}`, c.right))
		require.NoError(t, err)
		place := Of(s, &rec, NewIndex(text))["/f"]
		require.True(t, place.Found(), c.text)
		at := strings.Index(text, c.text)
		assert.True(t, place.Start >= at && place.End <= at+len(c.text), "%s: found at %q", c.text, text[place.Start:place.End])
	}
}
