package evidence

import (
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

const forms = `schema: form
fields:
  lift_out: {boolean: Lift out.}
  antifouling: {boolean: Antifouling.}
  smoker: {boolean: Whether they smoke.}
  payment: {choice: How it is paid., of: {cash: {}, card: {also: [debit card]}, transfer: {}}}
  method: {text: How it is paid.}
  extras: {list: Extras., items: {choice: One., of: [saddle, rug, halter]}}
  rooms:
    list: Rooms.
    key: room
    fields:
      room: {text: Which one.}
      clean: {boolean: Clean.}
      state: {choice: State., of: [good, fair, poor]}
`

// What boxes say is evidence, in each of the ways in which forms have them, and what is not ticked contradicts;
// each wrong value is told by its own path, and a form that nobody filled in says nothing.
func TestBoxesOfForms(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(forms))
	require.NoError(t, err)
	const table = "Room      clean   good   fair   poor\nStable 1  [x]     [ ]    [x]    [ ]\nStable 2  [ ]     [ ]    [ ]    [x]\n"
	for _, c := range []struct{ doc, right, wrong, told string }{
		{"Work: [X] lift out [ ] antifouling [x] other", `{"lift_out":true,"antifouling":false}`, `{"lift_out":false,"antifouling":true}`, "/antifouling /lift_out"},
		{"Lift out [X]  antifouling [ ]", `{"lift_out":true,"antifouling":false}`, `{"lift_out":false,"antifouling":true}`, "/antifouling /lift_out"},
		{"Smoker: ☐ yes ☒ no   Paid: ☐ cash ☑ card ☐ transfer", `{"smoker":false,"payment":"card"}`, `{"smoker":true,"payment":"transfer"}`, "/payment /smoker"},
		{"Payment\n( ) cash\n( ) debit card\n(x) transfer", `{"payment":"transfer","method":"transfer"}`, `{"payment":"card","method":"cash"}`, "/method /payment"},
		{"Extras: [x] saddle [ ] rug [x] halter", `{"extras":["saddle","halter"]}`, `{"extras":["saddle","rug"]}`, "/extras/1"},
		{table, `{"rooms":[{"room":"Stable 1","clean":true,"state":"fair"},{"room":"Stable 2","clean":false,"state":"poor"}]}`, `{"rooms":[{"room":"Stable 1","clean":false,"state":"good"},{"room":"Stable 2","clean":true,"state":"fair"}]}`,
			"/rooms/0/clean /rooms/0/state /rooms/1/clean /rooms/1/state"},
		{"Antifouling: [ ] Lift out: [x]", `{"lift_out":true,"antifouling":false}`, `{"lift_out":false,"antifouling":true}`, "/antifouling /lift_out"},
		{"Antifouling: [ ] Lift out: [ ]", `{"lift_out":false,"antifouling":false}`, `{"lift_out":true,"antifouling":true}`, "/antifouling /lift_out"},
		{"Smoker: [ ] yes [ ] no   Lift out: [x]", `{"lift_out":true}`, `{"smoker":false}`, "/smoker"},
		{"Smoker: [ ] yes [ ] no", `{}`, `{"smoker":true}`, "/smoker"},
		{"Work: [x] no antifouling", `{}`, `{}`, ""},
		{"Work: [ ] lift out [ ] antifouling. Lift out is wanted.", `{"lift_out":true}`, `{}`, ""},
	} {
		assert.Empty(t, doubts(t, s, c.right, c.doc), c.doc)
		told := doubts(t, s, c.wrong, c.doc)
		paths := slices.Sorted(maps.Keys(told))
		assert.Equal(t, c.told, strings.Join(asStrings(paths), " "), c.doc)
		for p, what := range told {
			assert.IsType(t, record.SaysOpposite{}, what, p)
		}
	}
}

func asStrings(all []value.Pointer) (s []string) {
	for _, p := range all {
		s = append(s, string(p))
	}
	return s
}

// A box behind its own label covers it, and labels with boxes of which nobody ticked one ask for nothing.
func TestBoxesCover(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(forms))
	require.NoError(t, err)
	for _, c := range [][3]string{
		{"Antifouling: [ ] Lift out: [x]", `{"lift_out":true,"antifouling":false}`, ""},
		{"Antifouling: [x] Lift out: [ ]", `{"antifouling":null}`, "antifouling"},
		{"Antifouling: [ ] Lift out: [ ]", `{}`, ""},
		{"Smoker: [ ] yes [ ] no", `{}`, ""},
		{"Smoker: [x] yes [ ] no", `{}`, "smoker"},
	} {
		v, err := value.Parse(c[1])
		require.NoError(t, err)
		ix, said := NewIndex(c[0]), ""
		for _, l := range Unread(s, &v, ix, With(s, &v, ix, nil)) {
			said += l.Field
		}
		assert.Equal(t, c[2], said, c[0])
	}
}

// A ticked box of which the record has nothing is asked about.
func TestBoxesLeft(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(forms))
	require.NoError(t, err)
	doc := "Order 12 of Mrs Crake\n[X] lift out [ ] antifouling\nPaid by [ ] cash [x] card\nExtras: [x] saddle [ ] rug\n"
	v, err := value.Parse(`{"lift_out":null,"antifouling":null,"smoker":null,"payment":null,"method":null,"extras":[],"rooms":[]}`)
	require.NoError(t, err)
	ix := NewIndex(doc)
	says := map[string]string{}
	_, left := Look(s, &v, ix, With(s, &v, ix, nil))
	for _, line := range left {
		says[line.Field] += line.Says
	}
	assert.Equal(t, "true", says["lift_out"])
	assert.Equal(t, "card", says["payment"])
	assert.Contains(t, says, "extras")
	assert.NotContains(t, says, "antifouling")
}

// Boxes of one entry say nothing of another, and of two groups that may both be meant neither says
// anything, each time.
func TestBoxesOfOthers(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\neach: entry\nkey: [pitch]\nfields:\n  pitch: {text: Pitch.}\n  awning: {boolean: Awning.}\n  paid: {choice: How it was paid., of: [cash, card]}\n"))
	require.NoError(t, err)
	entries := []string{"Pitch C14\nAwning: [x] yes [ ] no\nPaid: [ ] cash [x] card\n", "Pitch D2\nAwning: [ ] yes [x] no\nPaid: [x] cash [ ] card\n"}
	ix := NewIndex(strings.Join(entries, "\n"))
	for i, right := range []string{`{"pitch":"C14","awning":true,"paid":"card"}`, `{"pitch":"D2","awning":false,"paid":"cash"}`} {
		start := i * (len(entries[0]) + 1)
		part := ix.Within([][2]int{{start, start + len(entries[i])}})
		assert.Len(t, part.Boxes(), 4)
		v, err := value.Parse("[" + right + "]")
		require.NoError(t, err)
		for p, place := range Of(s, &v, part) {
			assert.Nil(t, part.Doubt(s.Holding(p), v.At(p), place, false), p)
		}
	}
	s, err = schema.Parse("s.yaml", []byte(forms))
	require.NoError(t, err)
	two := "Deposit: [x] cash [ ] card\nBalance: [ ] cash [x] card\nSomething else\n"
	named := two + "Payment: [ ] cash [ ] card [x] transfer\n"
	for range 30 { // whichever is come upon first
		assert.Empty(t, doubts(t, s, `{"payment":"cash"}`, two))
		assert.Empty(t, doubts(t, s, `{"payment":"transfer"}`, named))
		assert.Len(t, doubts(t, s, `{"payment":"cash"}`, named), 1)
	}
}
