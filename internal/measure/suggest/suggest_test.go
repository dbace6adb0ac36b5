package suggest

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/measure/score"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

const notes = `schema: notes
fields:
  number: {text: Number of the note., printed_as: [No]}
  bridge: {text: Name of the footbridge., printed_as: [Bridge]}
  river: {text: The water below., printed_as: [River]}
  deck: {choice: What the deck is of., of: [timber, steel], printed_as: [Deck]}
  grade: {integer: Its grade., printed_as: [Grade]}
  seen: {text: Who saw it., required: true, printed_as: [Seen by]}
  bays: {list: The bays., fields: {no: {integer: Its number.}, state: {text: How it is.}}}
`

// collect makes cases of notes as they are printed, with gold and what was filled.
func collect(t *testing.T, splits func(i int) string, fill func(i int, rec map[string]string)) []Suggestion {
	s, err := schema.Parse("s.yaml", []byte(notes))
	require.NoError(t, err)
	set, docs, records := gold.Set{}, map[string]*document.Document{}, map[string]value.Value{}
	bridges, rivers := []string{"Heron Plank", "Otter Steps", "Mill Plank", "Weir Walk", "Alder Span"}, []string{"Lirr", "Ossel", "Brade"}
	json := func(rec map[string]string) value.Value {
		out := "{"
		for i, f := range s.Root.Fields {
			if i > 0 {
				out += ","
			}
			text := rec[f.Name]
			if text == "" {
				text = "null"
			}
			out += fmt.Sprintf("%q:%s", f.Name, text)
		}
		v, err := value.Parse(out + "}")
		require.NoError(t, err)
		return v
	}
	for i := range 10 {
		id, bridge, river, timber := fmt.Sprintf("d%d.txt", i), bridges[i%5], rivers[i%3], i%2 == 0
		deck, planks := `"steel"`, "girders"
		if timber {
			deck, planks = `"timber"`, "planking"
		}
		text := fmt.Sprintf("No: FB-20%02d\nStructure: %s\nRiver: %s\nDeck: %s\nGrade: %d\nBay 1 sound, bay 2 worn\n", i, bridge, river, planks, i%4)
		doc, err := (&document.Reader{}).Read(t.Context(), document.Source{ID: id, Text: text})
		require.NoError(t, err)
		docs[id] = doc
		rec := map[string]string{"number": fmt.Sprintf(`"FB-20%02d"`, i), "bridge": fmt.Sprintf("%q", bridge), "river": fmt.Sprintf("%q", river), "deck": deck, "grade": fmt.Sprint(i % 4), "bays": `[{"no":1,"state":"sound"},{"no":2,"state":"worn"}]`}
		set[id] = &gold.Record{Document: id, State: gold.Reviewed, Split: splits(i), Record: json(rec), Hashes: record.Hashes{Text: doc.Hash}}
		fill(i, rec)
		records[id] = json(rec)
	}
	finder := &score.Finder{Schema: s, Gold: set.Shelf(), Keep: true, Source: func(id string) (*document.Document, error) { return docs[id], nil }}
	c := New(s)
	for i := range 10 {
		id := fmt.Sprintf("d%d.txt", i)
		found, err := finder.Add(record.Line{Document: id, Record: records[id], Hashes: record.Hashes{Text: docs[id].Hash}})
		require.NoError(t, err)
		require.NotNil(t, found.Gold, "%v", finder.Report().LeftOut)
		c.Add(Case{Gold: found.Gold, Filled: found.Filled, Errors: found.Errors, Doc: docs[id]})
	}
	return c.Suggest()
}

func texts(all []Suggestion) (list []string) {
	for _, s := range all {
		list = append(list, s.Field+" "+s.String())
	}
	return list
}

func unsplit(int) string { return "" }

// What is planted is found: a label that the schema does not have, words for a choice, values
// of another field, a field that documents don't have, a shape that a wrong value breaks, and what
// tells items apart.
func TestPlantedWeaknessesAreFound(t *testing.T) {
	plant := func(i int, rec map[string]string) {
		if i < 6 {
			rec["bridge"], rec["deck"] = "", ""
		}
		if i > 6 {
			rec["river"] = rec["bridge"]
			rec["number"] = fmt.Sprintf(`"20%02d"`, i)
		}
		rec["bays"] = `[{"no":2,"state":"worn"}]`
	}
	all := collect(t, unsplit, plant)
	assert.ElementsMatch(t, []string{
		"bridge printed_as: [Bridge, Structure]", "deck of: {timber: {also: [planking]}}", "deck of: {steel: {also: [girders]}}", "river avoid: [bridge]",
		"seen required: false", `number pattern: '^[A-Z]{2}-\d{4}$'`, `bays key: ["no"]`,
	}, without(texts(all), "bays[].no", "bays[].state"))
	for range 5 {
		require.Equal(t, all, collect(t, unsplit, plant), "the same every time")
	}
	for _, s := range all {
		if s.Key[0] == "printed_as" && s.Field == "bridge" {
			assert.Len(t, s.For, 10)
			assert.Equal(t, Where{"d0.txt", 2, "Structure: Heron Plank"}, s.For[0])
			assert.Empty(t, s.Against)
			assert.Equal(t, 6, s.Errors)
		}
	}
}

func without(list []string, fields ...string) (out []string) {
	for _, s := range list {
		if !strings.HasPrefix(s, fields[0]) && !strings.HasPrefix(s, fields[1]) {
			out = append(out, s)
		}
	}
	return out
}

// Where nothing is wrong nothing is suggested but what gold itself contradicts or shows.
func TestNothingWrongNothingSaid(t *testing.T) {
	all := collect(t, unsplit, func(int, map[string]string) {})
	assert.ElementsMatch(t, []string{"seen required: false", `bays key: ["no"]`}, without(texts(all), "bays[].state", "-"))
}

// Nothing of a document of the test split is said, nor counted.
func TestTestDocumentsAreNotQuoted(t *testing.T) {
	all := collect(t, func(i int) string {
		if i < 5 {
			return gold.Test
		}
		return gold.Tune
	}, func(i int, rec map[string]string) { rec["bridge"] = "" })
	require.NotEmpty(t, all)
	for _, s := range all {
		for _, w := range append(append([]Where(nil), s.For...), s.Against...) {
			assert.GreaterOrEqual(t, w.Document, "d5.txt", "%s", s)
		}
	}
	assert.Contains(t, texts(all), "bridge printed_as: [Bridge, Structure]")
}

func TestLabelBefore(t *testing.T) {
	for line, want := range map[string]string{"Deck: ": "Deck", "  Name of bridge = ": "Name of bridge", "seen on the ": "", "A; Lic. no: ": "Lic. no", "Grade\t": "Grade", "He said: that it is ": "", "| Deck | ": "Deck", "1. Deck: ": "Deck", "Tuned it. Again on: ": "Again on", "Total .... ": "Total"} {
		assert.Equal(t, want, labelBefore(line), "%q", line)
	}
}

// What stands for a choice is the whole phrase behind a colon, where that is the same each time.
func TestPhraseOfAChoice(t *testing.T) {
	for _, c := range []struct {
		lines []string
		want  string
	}{
		{[]string{"Befund: in Ordnung", "Befund:  in Ordnung."}, "in Ordnung"},
		{[]string{"Befund: in Ordnung", "Befund: alles in Ordnung"}, "ordnung"},
		{[]string{"Es ist in Ordnung", "Befund: in Ordnung"}, "ordnung"},
		{[]string{"In Ordnung: die Leiter", "In Ordnung: der Gurt"}, "ordnung"},
		{[]string{"Note: it was all in Ordnung then"}, "ordnung"},
	} {
		var all []Where
		for _, l := range c.lines {
			all = append(all, Where{Text: l})
		}
		assert.Equal(t, c.want, phraseOf(all, "ordnung"), "%q", c.lines)
	}
}
