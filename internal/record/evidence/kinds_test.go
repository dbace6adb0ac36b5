package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

const kindsSchema = `
schema: s
fields:
  cost: {money: Cost., currency: EUR}
  price: {money: Price.}
  length: {quantity: Length., unit: m}
  at: {time: When.}
  began: {datetime: When it began., zone: Europe/Vienna}
  built: {date: When it was built., precision: year}
  month: {date: Month of it., precision: month}
  deck: {choice: Deck., of: {steel: {also: [steel plate]}, open_grating: }}
  bays: {list: Bays., key: [no], fields: {no: {integer: Number.}}}
  next: {link: The next bay., to: 'bays[].no'}
  tags: {list: Tags., items: {text: One tag.}}
`

const kindsSource = "Built in 1883, opened May 1884. At 9.30 h on 3 April 2031 we saw bay 1 and bay 2.\n" +
	"Cost: EUR 1.250,00 or 99 €; price $12.50, 3 USD. Length 12,4 m (40 ft). Deck of steel plate, open grating.\nTags: wet, cold\n"

// Values of every type are found in the spelling of the document, and where
// the measure stands beside an amount the place holds both.
func TestKindsOfValues(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(kindsSchema))
	require.NoError(t, err)
	ix := NewIndex(kindsSource)
	for _, c := range []struct{ record, path, kind, at string }{
		{`{"cost":{"amount":1250.00,"currency":"EUR"}}`, "/cost", "restated", "EUR 1.250,00"},
		{`{"cost":{"amount":99,"currency":"EUR"}}`, "/cost", "restated", "99 €"},
		{`{"cost":{"amount":98,"currency":"EUR"}}`, "/cost", "none", ""},
		{`{"price":{"amount":12.5,"currency":"USD"}}`, "/price", "restated", "$12.50"},
		{`{"price":{"amount":3,"currency":"USD"}}`, "/price", "quoted", "3 USD"},
		{`{"length":{"amount":12.4,"unit":"m"}}`, "/length", "restated", "12,4 m"},
		{`{"length":{"amount":40,"unit":"ft"}}`, "/length", "quoted", "40 ft"},
		{`{"at":"09:30"}`, "/at", "restated", "9.30"},
		{`{"at":"09:31"}`, "/at", "none", ""},
		{`{"began":"2031-04-03T09:30:00+02:00"}`, "/began", "restated", "9.30 h on 3 April 2031"},
		{`{"began":"2031-04-03T09:45:00+02:00"}`, "/began", "none", ""},
		{`{"built":"1883"}`, "/built", "quoted", "1883"},
		{`{"built":"1893"}`, "/built", "none", ""},
		{`{"month":"1884-05"}`, "/month", "restated", "May 1884"},
		{`{"deck":"steel"}`, "/deck", "restated", "steel plate"},
		{`{"deck":"open_grating"}`, "/deck", "restated", "open grating"},
		{`{"next":2,"bays":[{"no":2}]}`, "/next", "quoted", "2"},
		{`{"tags":["wet","cold"]}`, "/tags/1", "quoted", "cold"},
	} {
		v, err := value.Parse(c.record)
		require.NoError(t, err)
		place, ok := Of(s, &v, ix)[value.Pointer(c.path)]
		require.True(t, ok, c.record)
		assert.Equal(t, c.kind, string(place.Kind), c.record)
		assert.Equal(t, c.at, kindsSource[place.Start:place.End], c.record)
		if place.Found() {
			assert.Contains(t, place.JSON().String(), `"line":`)
		}
	}
	at, ok := ix.Words("we saw  bay 1")
	assert.True(t, ok)
	assert.Equal(t, "we saw bay 1", kindsSource[at.Start:at.End])
	_, ok = ix.Words("we saw bay 3")
	assert.False(t, ok)
	_, ok = ix.Words(" ")
	assert.False(t, ok)
}

// A choice is not what another field is called by; behind its own label, or without a
// colon, it is.
func TestChoiceIsNoLabel(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: stay\nfields:\n  dog: Name of the dog.\n  sex: {choice: Its sex., of: [dog, bitch]}\n"))
	require.NoError(t, err)
	for doc, want := range map[string]Kind{"Dog: Moss": Inferred, "Dog : Moss, a bitch": Inferred, "Moss, a dog": Restated, "Dog: Moss\nSex: Dog: entire": Restated, "Dog: Moss (dog)": Restated} {
		v, err := value.Parse(`{"dog":"Moss","sex":"dog"}`)
		require.NoError(t, err)
		got := Of(s, &v, NewIndex(doc))["/sex"]
		if want == Restated && got.Kind == Quoted {
			got.Kind = Restated
		}
		assert.Equal(t, want, got.Kind, doc)
	}
}
