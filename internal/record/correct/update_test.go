package correct

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

const visit = `
schema: visit
fields:
  report_no: {text: Number of the report., printed_as: [Report]}
  bridge: Name of the bridge.
  visited: {date: Day., written: [D.M.YYYY]}
  closed: {boolean: Whether it is closed., evidence: inferred}
  inspector: {group: Who., fields: {name: "Full name."}}
  bays:
    list: The bays.
    key: [number]
    fields:
      number: {integer: Bay number., printed_as: [Bay]}
      length: {quantity: Clear length., unit: m, printed_as: [length]}
      defects:
        list: What is wrong.
        fields:
          kind: {choice: Kind., of: {rot: {also: [decay]}, rust: {also: [corrosion]}, crack: {}}}
          grade: {integer: Grade., min: 0, max: 3}
  actions: {list: Work., items: {text: One action., min: 4}}
`

const old = "Report: FB-2031-05\nBridge: Heron Plank\nVisited: 13.3.2031\nThe bridge stays open.\nInspector: Sefa Thornby\nBay 1, length 7.9 m\n- corrosion, grade 0\nBay 2, length 13.6 m\n- crack, grade 2\nActions: renew the handrail post; tighten the rail bolts\n"

const was = `{"report_no":"FB-2031-05","bridge":"Heron Plank","visited":"2031-03-13","closed":false,"inspector":{"name":"Sefa Thornby"},"bays":[{"number":1,"length":{"amount":7.9,"unit":"m"},"defects":[{"kind":"rust","grade":0}]},{"number":2,"length":{"amount":13.6,"unit":"m"},"defects":[{"kind":"crack","grade":2}]}],"actions":["renew the handrail post","tighten the rail bolts"]}`

const later = "Report: FB-2031-05\nBay 2 has a length of 13.9 m, and a crack of grade 3.\nThere is decay of grade 1 in bay 1.\nBay 3, length 4.1 m\nThe action to tighten the rail bolts is withdrawn.\nThe bridge is closed.\nInspector: Sefa Thornby\n"

func updater(t testing.TB, text string) (*Updater, value.Value, evidence.Places) {
	s, err := schema.Parse("s.yaml", []byte(visit))
	require.NoError(t, err)
	v, err := record.NewValidator(s)
	require.NoError(t, err)
	rec, err := value.Parse(was)
	require.NoError(t, err)
	return &Updater{Schema: s, Check: v.Check, Index: evidence.NewIndex(text), Document: "later.txt", Prefer: Newer}, rec, evidence.Of(s, &rec, evidence.NewIndex(old))
}

func parsed(t testing.TB, text string) value.Value {
	v, err := value.Parse(text)
	require.NoError(t, err, text)
	return v
}

func TestApply(t *testing.T) {
	for _, c := range []struct{ name, op, path, now, refused string }{
		{"a value", `{"op":"replace","path":"/bays/1/length","value":{"amount":13.9,"unit":"m"},"quote":"Bay 2 has a length of 13.9 m"}`, "/bays/1/length", `{"amount":13.9,"unit":"m"}`, ""},
		{"as the document has it", `{"op":"replace","path":"/bays/1/length","value":"13.9 m","quote":"a length of 13.9 m"}`, "/bays/1/length", `{"amount":13.9,"unit":"m"}`, ""},
		{"a grade", `{"op":"replace","path":"/bays/1/defects/0/grade","value":3,"quote":"a crack of grade 3"}`, "/bays/1/defects/0/grade", "3", ""},
		{"what is concluded", `{"op":"replace","path":"/closed","value":true,"quote":"The bridge is closed."}`, "/closed", "true", ""},
		{"a further item", `{"op":"add","path":"/bays/0/defects/-","value":{"kind":"decay","grade":1},"quote":"decay of grade 1 in bay 1"}`, "/bays/0/defects/1", `{"kind":"rot","grade":1}`, ""},
		{"by its key it is one that is there", `{"op":"add","path":"/bays/-","value":{"number":2,"length":{"amount":13.9,"unit":"m"}},"quote":"Bay 2 has a length of 13.9 m"}`, "/bays/1/length", `{"amount":13.9,"unit":"m"}`, ""},
		{"a new key", `{"op":"add","path":"/bays/-","value":{"number":3,"length":{"amount":4.1,"unit":"m"}},"quote":"Bay 3, length 4.1 m"}`, "/bays/2", `{"number":3,"length":{"amount":4.1,"unit":"m"},"defects":[]}`, ""},
		{"of an item what the words hold", `{"op":"add","path":"/bays/-","value":{"number":3,"length":{"amount":5.5,"unit":"m"}},"quote":"Bay 3, length 4.1 m"}`, "/bays/2", `{"number":3,"length":null,"defects":[]}`, "do not hold"},
		{"an item taken back", `{"op":"remove","path":"/actions/1","quote":"to tighten the rail bolts is withdrawn"}`, "/actions", `["renew the handrail post"]`, ""},
		{"a list whole", `{"op":"replace","path":"/bays","value":[{"number":2,"length":{"amount":13.9,"unit":"m"}}],"quote":"Bay 2 has a length of 13.9 m"}`, "/bays/1/length", `{"amount":13.9,"unit":"m"}`, ""},
		{"no words", `{"op":"replace","path":"/closed","value":true}`, "", "", "quotes nothing"},
		{"words that stand nowhere", `{"op":"replace","path":"/closed","value":true,"quote":"the gate is shut"}`, "", "", "are not in the new document"},
		{"a value not in its words", `{"op":"replace","path":"/bays/1/length","value":{"amount":12,"unit":"m"},"quote":"a length of 13.9 m"}`, "", "", "do not hold"},
		{"what the document still says", `{"op":"replace","path":"/inspector/name","value":"is withdrawn","quote":"is withdrawn"}`, "", "", "still says"},
		{"what breaks the schema", `{"op":"replace","path":"/bays/0/defects/0/grade","value":9,"quote":"13.9 m"}`, "", "", "do not hold"},
		{"a removal of something else", `{"op":"remove","path":"/actions/0","quote":"The bridge is closed."}`, "", "", "do not name it"},
		{"a removal where nothing is taken back", `{"op":"remove","path":"/bays/1","quote":"Bay 2 has a length of 13.9 m"}`, "", "", "no word of removal"},
		{"taken back in another sentence", `{"op":"remove","path":"/bays/0","quote":"grade 1 in bay 1"}`, "", "", "no word of removal"},
		{"a list taken away", `{"op":"remove","path":"/bays","quote":"is withdrawn"}`, "", "", "name the values or items"},
		{"no field", `{"op":"add","path":"/colour","value":"red","quote":"Bay 3"}`, "", "", "not a field of the schema"},
		{"a move", `{"op":"move","from":"/bridge","path":"/report_no","quote":"Bay 3"}`, "", "", "an update uses"},
		{"what is there", `{"op":"replace","path":"/inspector/name","value":"Sefa Thornby","quote":"Inspector: Sefa Thornby"}`, "", "", ""},
	} {
		u, rec, places := updater(t, later)
		ops := parsed(t, "["+c.op+"]")
		got := u.Apply(&rec, places, &ops)
		assert.Equal(t, was, rec.String(), "the record itself is never changed")
		if c.refused == "" {
			assert.Empty(t, got.Refused, c.name)
		} else if assert.NotEmpty(t, got.Refused, c.name) {
			assert.Contains(t, got.Refused[0].String(), c.refused, c.name)
		}
		if c.path == "" {
			assert.Equal(t, was, got.Record.String(), c.name)
			assert.Empty(t, got.Changes, c.name)
			continue
		}
		require.NotNil(t, got.Record.At(value.Pointer(c.path)), c.name)
		at := got.Record.At(value.Pointer(c.path)).Named("")
		assert.Equal(t, c.now, at.String(), c.name)
		require.Len(t, got.Changes, 1, c.name)
		assert.Equal(t, "later.txt", got.Changes[0].Place.Document, c.name)
	}
}

// Where both values have evidence the preference says which is kept.
func TestPreference(t *testing.T) {
	ops := parsed(t, `[{"op":"replace","path":"/bays/1/length","value":{"amount":13.9,"unit":"m"},"quote":"a length of 13.9 m"},{"op":"add","path":"/bays/-","value":{"number":3},"quote":"Bay 3, length"}]`)
	for prefer, want := range map[Preference]string{Newer: "13.9", Older: "13.6", Neither: "13.6"} {
		u, rec, places := updater(t, later)
		u.Prefer = prefer
		got := u.Apply(&rec, places, &ops)
		assert.Equal(t, want, got.Record.At("/bays/1/length/amount").Text, prefer)
		require.Len(t, got.Changes, 2)
		assert.Equal(t, []bool{true, prefer != Newer}, []bool{got.Changes[0].Conflict, got.Changes[0].Kept}, prefer)
		assert.Equal(t, prefer == Neither, len(got.Conflicts) == 1, prefer)
		assert.Len(t, got.Record.Get("bays").Kids, 3, "what is no conflict comes in")
	}
	u, rec, _ := updater(t, later)
	// What came first of an item without a key is completed, not doubled.
	part := parsed(t, `[{"op":"add","path":"/bays/0/defects/-","value":{"grade":1},"quote":"decay of grade 1 in bay 1"}]`)
	whole := parsed(t, `[{"op":"add","path":"/bays/0/defects/-","value":{"kind":"decay","grade":1},"quote":"decay of grade 1 in bay 1"}]`)
	first := u.Apply(&rec, evidence.Places{}, &part)
	second := u.Apply(&first.Record, first.Places, &whole)
	assert.Equal(t, `[{"kind":"rust","grade":0},{"kind":"rot","grade":1}]`, second.Record.At("/bays/0/defects").Named("").String())

	got := u.Apply(&rec, evidence.Places{}, &ops)
	assert.False(t, got.Changes[0].Conflict, "a value without evidence gives way")
}

// Places of what stands behind an item that goes move with it.
func TestPlacesMove(t *testing.T) {
	u, rec, places := updater(t, strings.ReplaceAll(later, "Bay 3, length 4.1 m", "Bay 1, length 7.9 m, no longer exists"))
	ops := parsed(t, `[{"op":"remove","path":"/bays/0","quote":"Bay 1, length 7.9 m, no longer exists"}]`)
	got := u.Apply(&rec, places, &ops)
	require.Len(t, got.Record.Get("bays").Kids, 1)
	assert.Equal(t, places["/bays/1/length"], got.Places["/bays/0/length"])
	for p := range got.Places {
		assert.NotNil(t, got.Record.At(p), "%s has a place and is gone", p)
	}
}

// A document that says nothing new changes nothing, whatever the patch: neither
// one about something else, nor the record's own.
func TestNothingNew(t *testing.T) {
	r := rand.New(rand.NewPCG(81, 82))
	words := strings.Fields(old + " The gardens of Vanmouth are lovely in spring, and the ferry runs at 7 and at 9")
	values := []string{`3`, `"A"`, `null`, `{"amount":9,"unit":"m"}`, `"2031-03-13"`, `true`, `{"number":1,"length":{"amount":13.6,"unit":"m"}}`, `{"kind":"crack","grade":0}`, `"crack"`, `"rust"`, `[{"number":2}]`, `{"name":"Heron Plank"}`, `0`, `2`, `13.6`}
	for name, text := range map[string]string{"another": "The gardens of Vanmouth are lovely in spring, and the ferry runs at noon.", "its own": old} {
		u, rec, places := updater(t, text)
		var paths []string
		rec.Walk(func(p value.Pointer, _ *value.Value) bool {
			paths = append(paths, string(p))
			return true
		})
		for range 1200 {
			var ops []string
			for range 1 + r.IntN(3) {
				from := r.IntN(len(words))
				said := strings.Join(words[from:min(from+1+r.IntN(8), len(words))], " ")
				op := []string{"add", "replace", "remove", "move", "copy"}[r.IntN(3+2*r.IntN(2))]
				if op == "remove" { // whether words take something back is for people to judge
					op = "replace"
				}
				path := paths[r.IntN(len(paths))] + []string{"", "", "", "/zz", "/9"}[r.IntN(5)]
				ops = append(ops, fmt.Sprintf(`{"op":%q,"path":%q,"from":"/bridge","value":%s,"quote":%q}`, op, path, strings.Replace(values[r.IntN(len(values))], "null", "7", 1), said))
			}
			patch := parsed(t, "["+strings.Join(ops, ",")+"]")
			got := u.Apply(&rec, places, &patch)
			require.Equal(t, was, got.Record.String(), "%s: %s", name, patch.String())
		}
	}
}

// Under random patches nothing changes but what is listed as changed, and that
// with words that stand in the new document and hold it.
func TestOnlyWhatIsListed(t *testing.T) {
	r := rand.New(rand.NewPCG(83, 84))
	said := strings.Split(later, "\n")
	values := []string{`3`, `1`, `{"amount":13.9,"unit":"m"}`, `true`, `{"number":3}`, `{"kind":"crack","grade":3}`, `"rot"`, `null`}
	changed := 0
	u, rec, places := updater(t, later)
	var paths []string
	rec.Walk(func(p value.Pointer, _ *value.Value) bool {
		paths = append(paths, string(p), string(p)+"/-")
		return true
	})
	for range 2000 {
		var ops []string
		for range 1 + r.IntN(3) {
			ops = append(ops, fmt.Sprintf(`{"op":%q,"path":%q,"value":%s,"quote":%q}`, []string{"add", "replace"}[r.IntN(2)], paths[r.IntN(len(paths))], values[r.IntN(len(values)-1)], said[r.IntN(len(said))]))
		}
		patch := parsed(t, "["+strings.Join(ops, ",")+"]")
		got := u.Apply(&rec, places, &patch)
		listed := map[value.Pointer]Change{}
		for _, c := range got.Changes {
			listed[c.Path] = c
			_, found := u.Index.Words(c.Words)
			require.True(t, found)
		}
		changed += len(got.Changes)
		got.Record.Walk(func(p value.Pointer, v *value.Value) bool {
			if _, ok := listed[p]; ok {
				return false
			}
			if before := rec.At(p); len(v.Kids) == 0 && v.Kind != value.Array {
				require.NotNil(t, before, "%s came in unlisted: %s", p, patch)
				require.Equal(t, before.Text, v.Text, "%s changed unlisted: %s", p, patch)
			}
			return true
		})
		rec.Walk(func(p value.Pointer, _ *value.Value) bool {
			require.NotNil(t, got.Record.At(p), "%s is gone: %s", p, patch)
			return true
		})
	}
	assert.Greater(t, changed, 40, "some changes should be let through")
}

// What people have decided stays whatever a newer document says of it, which is a
// problem; what they have not decided is brought up to date.
func TestDecidedByPeopleStays(t *testing.T) {
	u, rec, places := updater(t, later)
	u.Decided = map[value.Pointer]bool{"/bays/1/length": true, "/actions/1": true}
	ops := parsed(t, `[{"op": "replace", "path": "/bays/1/length", "value": {"amount": 13.9, "unit": "m"}, "quote": "Bay 2 has a length of 13.9 m"},
		{"op": "replace", "path": "/bays/1/defects/0/grade", "value": 3, "quote": "a crack of grade 3"},
		{"op": "remove", "path": "/actions/1", "quote": "The action to tighten the rail bolts is withdrawn"}]`)
	got := u.Apply(&rec, places, &ops)
	assert.Equal(t, `{"amount":13.6,"unit":"m"}`, got.Record.At("/bays/1/length").Named("").String())
	assert.Equal(t, "3", got.Record.At("/bays/1/defects/0/grade").Text)
	assert.Len(t, got.Record.Get("actions").Kids, 2)
	require.Len(t, got.Conflicts, 1)
	assert.Equal(t, value.Pointer("/bays/1/length"), got.Conflicts[0].Path)
	require.Len(t, got.Refused, 1)
	assert.Contains(t, got.Refused[0].String(), "a reviewer has decided")
}
