package schema

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const edited = `schema: boats # the hire book
shared:
  person:
    group: Somebody.
    fields:
      name: Full name.
fields:
  hirer: {uses: person}
  boat: "The boat, by its name."
  kind: {choice: What it is., of: [punt, skiff]}
  state:
    choice: How it came back.
    of:
      sound:
      worn: {also: [scuffed]}
      holed: Below the water line.
  days:
    list: The days out.
    fields:
      day: {date: The day.}
      paid: {list: What was paid., items: {money: One sum.}}
`

// What is written is read back in the field that was meant, and nothing else of the file
// is changed.
func TestEdited(t *testing.T) {
	s, err := Parse("boats.yaml", []byte(edited))
	require.NoError(t, err)
	now, err := s.Edited(
		Edit{"hirer.name", []string{"printed_as"}, "[Hirer]", "12 errors fixed"},
		Edit{"boat", []string{"avoid"}, "[hirer name]", ""},
		Edit{"boat", []string{"text"}, Quote("Its name, as painted: not the owner's"), ""},
		Edit{"kind", []string{"of", "punt", "also"}, "[pole boat]", ""},
		Edit{"state", []string{"of", "worn", "also"}, "[scuffed, chafed]", ""},
		Edit{"days", []string{"key"}, "[day]", "two"},
		Edit{"days[].day", []string{"written"}, "[D.M.YYYY]", ""},
		Edit{"days[].paid[]", []string{"currency"}, "EUR", ""},
		Edit{"state", []string{"of", "holed", "also"}, "[leaking]", ""},
	)
	require.NoError(t, err)
	assert.Equal(t, `schema: boats # the hire book
shared:
  person:
    group: Somebody.
    fields:
      # 12 errors fixed
      name: {text: Full name., printed_as: [Hirer]}
fields:
  hirer: {uses: person}
  boat: {text: "Its name, as painted: not the owner's", avoid: [hirer name]}
  kind: {choice: What it is., of: {punt: {also: [pole boat]}, skiff: {}}}
  state:
    choice: How it came back.
    of: {sound: {}, worn: {also: [scuffed, chafed]}, holed: {about: Below the water line., also: [leaking]}}
  days:
    list: The days out.
    # two
    key: [day]
    fields:
      day: {date: The day., written: [D.M.YYYY]}
      paid: {list: What was paid., items: {money: One sum., currency: EUR}}
`, string(now.Source))
	assert.Equal(t, []string{"Hirer"}, now.Find("hirer.name").PrintedAs)
	assert.Equal(t, edited, string(s.Source))

	for _, bad := range []Edit{{"hirer.age", []string{"min"}, "1", ""}, {"boat", []string{"min"}, "one", ""}, {"boat", []string{"pattern"}, "'['", ""}, {"kind", []string{"printed_as"}, "[x", ""}} {
		_, err := s.Edited(bad)
		assert.Error(t, err, "%s", bad)
	}
	assert.Equal(t, "of: {punt: {also: [pole boat]}}", Edit{"kind", []string{"of", "punt", "also"}, "[pole boat]", ""}.String())
}

// Every field of the demo's schema can be given another description.
func TestEveryFieldCanBeEdited(t *testing.T) {
	for _, file := range []string{"../demo/project/schemas/inspection.yaml", "../demo/project/register/schemas/register.yaml", "../demo/start/schemas/visit.yaml"} {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		s, err := Parse(file, data)
		require.NoError(t, err)
		for _, f := range s.Leaves() {
			now, err := s.Edited(Edit{f.Path, []string{string(f.Type)}, `"As it stands there: so."`, "because"})
			require.NoError(t, err, f.Path)
			assert.Equal(t, "As it stands there: so.", now.Find(f.Path).About)
		}
	}
}
