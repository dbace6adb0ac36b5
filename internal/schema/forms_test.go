package schema

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const formed3 = `schema: s
fields:
  tags: {map: Marks on the crate., values: {number: One mark.}, keys: '^[a-z]+$', required: true}
  size: {tuple: Width and unit., of: [{number: Width., min: 0}, {choice: Unit., of: [cm, m]}]}
  party:
    one of: Who gets it.
    forms:
      person: {fields: {name: {text: Full name., required: true}, born: {integer: Year of birth.}}}
      firm: {about: A company., fields: {name: Its name., sites: {list: Places., items: {text: One.}}}}
      nobody:
`

// What the three forms say is what records are held to.
func TestMapsTuplesAndForms(t *testing.T) {
	s, err := Parse("s.yaml", []byte(formed3))
	require.NoError(t, err)
	full := s.Full()
	judge := compileSchema(t, full.JSON())
	accepts := func(text string) bool {
		v := decoded(t, text)
		return judge.Validate(v) == nil
	}
	for text, want := range map[string]bool{
		`{"tags":{"a":1,"b":2.5},"size":[1.5,"cm"],"party":{"kind":"person","name":"Ada","born":1990,"sites":[]}}`: true,
		`{"tags":{"a":"x"}}`: false, `{"tags":{"A":1}}`: false, `{"tags":null}`: false, `{"tags":{}}`: true,
		`{"tags":{},"size":[1]}`: false, `{"tags":{},"size":[1,"km"]}`: false, `{"tags":{},"size":[-1,"m"]}`: false, `{"tags":{},"size":[1,"m",2]}`: false, `{"tags":{},"size":null}`: true,
		`{"tags":{},"party":{"kind":"person","born":1990}}`:                               false, // without its name
		`{"tags":{},"party":{"kind":"firm","name":"Brade","born":1990}}`:                  false, // of another form
		`{"tags":{},"party":{"kind":"firm","name":"Brade","born":null,"sites":["Wend"]}}`: true,
		`{"tags":{},"party":{"kind":"person","name":"Ada","sites":["Wend"]}}`:             false,
		`{"tags":{},"party":{"kind":"nobody","name":null,"sites":[]}}`:                    true,
		`{"tags":{},"party":{"kind":"nobody","name":"x"}}`:                                false,
		`{"tags":{},"party":{"kind":null,"name":null,"born":null,"sites":[]}}`:            true,
		`{"tags":{},"party":{"kind":null,"name":"Ada"}}`:                                  false,
		`{"tags":{},"party":{"kind":"ship"}}`:                                             false,
	} {
		assert.Equal(t, want, accepts(text), text)
	}
	assert.Equal(t, Choice, s.Find("party.kind").Type)
	assert.Equal(t, "Year of birth. Only where kind is person.", s.Find("party.born").About)
	assert.Equal(t, "Full name. Only where kind is person or firm.", s.Find("party.name").About)
	roundTrip(t, s)
	editor := Language()
	_ = compileSchema(t, editor.JSON())
	now, err := s.Edited(Edit{"party.sites", []string{"printed_as"}, "[Seat]", ""})
	require.NoError(t, err)
	assert.Equal(t, []string{"Seat"}, now.Find("party.sites").PrintedAs)
}

func TestFormsThatAreWrong(t *testing.T) {
	for fields, says := range map[string]string{
		"{map: M.}": "does not say what its values are", "{map: M., values: {group: G., fields: {a: A.}}}": "a type that holds one value", "{map: M., values: {text: V.}, keys: '['}": "does not compile",
		"{tuple: T.}": "does not say what it is of", "{tuple: T., of: [{text: A.}]}": "two values or more", "{map: M., values: {text: V.}, fields: {a: A.}}": "has no key \"fields\"",
		"{one of: O.}": "has no forms", "{one of: O., forms: {a: {fields: {x: X.}}}}": "two forms or more", "{one of: O., forms: {a: {fields: {x: X.}}, b: {fields: {x: {integer: X.}}}}}": "of type text in another form",
		"{one of: O., forms: {a: {fields: {kind: X.}}, b: }}": "says which form it is", "{one of: O., by: 'a b', forms: {a: , b: }}": "is not a field name", "{map: M., tuple: T.}": "has 2 types",
	} {
		_, err := Parse("s.yaml", []byte("schema: s\nfields:\n  f: "+fields+"\n"))
		require.Error(t, err, fields)
		assert.Contains(t, strings.ReplaceAll(err.Error(), "\n", " "), says, fields)
	}
}
