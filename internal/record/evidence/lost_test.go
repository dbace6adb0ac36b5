package evidence

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// partly are documents of whose lists a record rightly has a part: what else is printed there
// is no such item by its meaning alone.
var partly = map[string]int{
	"rooms b":  1, // the dog is no room
	"waters a": 1, // a limit that is a range, which the field can't hold
	"wages b":  1, // the basic pay is a field of its own
}

// Of right records no line is unread; of those that lost an item most say where it was.
func TestLostItems(t *testing.T) {
	lost, seen := 0, 0
	for _, of := range trades(t) {
		ix := NewIndex(of.doc)
		unread := func(rec *value.Value) []Line { return Unread(of.schema, rec, ix, Of(of.schema, rec, ix)) }
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		whole := unread(&rec)
		assert.Len(t, whole, partly[of.key()], "%s: %v", of.key(), whole)
		for i := range rec.Kids {
			if list := rec.Kids[i]; list.Kind != value.Array || len(list.Kids) < 2 || list.Kids[0].Kind != value.Object {
				continue
			}
			for j := range rec.Kids[i].Kids {
				less := rec.Clone()
				items := &less.Kids[i].Kids
				*items = append((*items)[:j:j], (*items)[j+1:]...)
				if lost++; len(unread(&less)) > len(whole) {
					seen++
				}
			}
		}
	}
	t.Logf("%d of %d lost items are seen", seen, lost)
	assert.Greater(t, float64(seen)/float64(lost), 0.6)
}

// A cell that was passed over is told with the value that is missing, but for one that says
// that nobody knows. Lists without a table: what begins, or stands between commas, as the items do that were
// read, and was not read.
func TestListsWithoutTables(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  name: Name.\n  keys:\n    list: Keys.\n    fields: {kind: What for., count: {integer: How many.}}\n"))
	require.NoError(t, err)
	cells := "name     count    made by\ndoor     2        Ott\ncellar   3        (unbekannt)\ngate     1        Pell\n"
	m, err := schema.Parse("m.yaml", []byte("schema: m\nfields:\n  keys:\n    list: Keys.\n    fields: {name: What for., count: {integer: How many.}, maker: Who made it.}\n"))
	require.NoError(t, err)
	for _, c := range []struct {
		text string
		want int
	}{{cells, 0}, {strings.Replace(cells, "(unbekannt)", "Ott & Co", 1), 1}} {
		rec, err := value.Parse(`{"keys":[{"name":"door","count":2,"maker":"Ott"},{"name":"cellar","count":3,"maker":null},{"name":"gate","count":1,"maker":"Pell"}]}`)
		require.NoError(t, err)
		ix := NewIndex(c.text)
		lines := Unread(m, &rec, ix, Of(m, &rec, ix))
		require.Len(t, lines, c.want, "%v", lines)
		if c.want > 0 {
			assert.Equal(t, value.Pointer("/keys/1/maker"), lines[0].At)
		}
	}
	two := `{"name":"Pell","keys":[{"kind":"door","count":2},{"kind":"gate","count":1}]}`
	for _, c := range []struct{ text, record, want string }{
		{"Keys of Pell\n- 2 door\n- 3 cellar\n- 1 gate\n", two, "- 3 cellar"},
		{"1) door (2)\n2) cellar (3)\n3) gate (1)\nPell", two, "2) cellar (3)"},
		{"Pell\n2 door\n3 cellar\n1 gate\n", two, "3 cellar"},
		{"door ....... 2\ncellar ..... 3\ngate ....... 1\n\nPell", two, "cellar ..... 3"},
		{"Keys: 2 door, 3 cellar, 1 gate. Signed Pell", two, "3 cellar"},
		{"Keys: 2 door; 1 gate; 3 cellar\nPell", two, "3 cellar"},
		{"Keys: 2 door, all of brass, 1 gate\nPell", two, ""},                     // has no figure
		{"- 2 door\n- 1 gate\n\n\n- come again in May\n- 4 weeks\nPell", two, ""}, // another list
		{"- 2 door\n   of brass\n- 1 gate\nPell", two, ""},                        // goes on
		{"Keys: 2 door, 1 gate, Pell", two, ""},
		{"1. The keys are 2 door and 1 gate.\n2. Pell signs for them.\n3. They stay with the house for ever.\n", two, ""}, // paragraphs
		{"Keys: 2 door, 3 cellar, 1 gate", `{"keys":[]}`, "2 door, 3 cellar, 1 gate"},                                     // by its label
	} {
		rec, err := value.Parse(c.record)
		require.NoError(t, err)
		ix := NewIndex(c.text)
		var got []string
		for _, l := range Unread(s, &rec, ix, Of(s, &rec, ix)) {
			got = append(got, l.Text)
		}
		if c.want == "" {
			assert.Empty(t, got, c.text)
			continue
		}
		require.Len(t, got, 1, "%q: %v", c.text, got)
		assert.Contains(t, got[0], c.want, c.text)
	}
}

// Of records that lost a field, in one place or in all items of a list, about half are asked about; of
// right records hardly any.
func TestLostValues(t *testing.T) {
	asked, columns, columnsSeen, values, valuesSeen := 0, 0, 0, 0, 0
	for _, of := range trades(t) {
		ix := NewIndex(of.doc)
		look := func(rec *value.Value) int {
			lines, left := Look(of.schema, rec, ix, Of(of.schema, rec, ix))
			return len(lines) + len(left)
		}
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		whole := look(&rec)
		if whole > 0 {
			asked++
		}
		places := map[*schema.Field][]value.Pointer{}
		rec.Walk(func(p value.Pointer, v *value.Value) bool {
			if f := of.schema.At(p); f != nil && f.IsLeaf() && f.Name != "" && !v.Empty() {
				places[f] = append(places[f], p)
			}
			return true
		})
		seen := func(lost ...value.Pointer) (n int) {
			less := rec.Clone()
			for _, p := range lost {
				*less.At(p) = value.Value{Name: p.Last()}
			}
			if look(&less) > whole {
				return 1
			}
			return 0
		}
		for _, at := range places {
			values, valuesSeen = values+1, valuesSeen+seen(at[0])
			if len(at) > 1 {
				columns, columnsSeen = columns+1, columnsSeen+seen(at...)
			}
		}
	}
	t.Logf("asked about: %d of 100 right records, %d of %d lost values, %d of %d lost in all items", asked, valuesSeen, values, columnsSeen, columns)
	assert.LessOrEqual(t, asked, 11)
	assert.Greater(t, float64(valuesSeen)/float64(values), 0.55)
	assert.Greater(t, float64(columnsSeen)/float64(columns), 0.55)
}
