package gold

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
)

const small = "schema: s\nversion: \"3\"\nfields:\n  a: {integer: A.}\n  b: B.\n  k: {choice: K., of: [x, y]}\n  l: {list: L., fields: {n: {integer: N.}, t: T.}}\n"

func parse(t testing.TB, text string) value.Value {
	v, err := value.Parse(text)
	require.NoError(t, err, text)
	return v
}

// A draft is made, corrected by hand, checked by line, signed, and read back.
func TestFromDraftToGold(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(small))
	require.NoError(t, err)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	dir := t.TempDir()
	doc, err := (&document.Reader{}).Read(t.Context(), document.Source{ID: "documents/x/a.txt", Text: "Oak 7\nelm 3\n"})
	require.NoError(t, err)
	line := record.Line{Document: doc.ID, Run: 4, Hashes: record.Hashes{Text: doc.Hash}, Record: parse(t, `{"a":7,"b":"Oak","k":null,"l":[{"n":3,"t":"elm"}]}`), Evidence: parse(t, `{"/a":{"kind":"quoted","start":4,"end":5}}`)}
	file := FileOf(dir, line.Document)
	assert.Equal(t, filepath.Join(dir, "documents/x/a.txt.json"), file)
	v := NewDraft(s, &line, "steady", false)
	require.NoError(t, Write(file, &v))
	load := func() *Record {
		set, err := Load(dir, s)
		require.NoError(t, err)
		require.Len(t, set, 1)
		return set[doc.ID]
	}
	g := load()
	assert.Equal(t, []string{Draft, "steady", "4", "3", doc.Hash}, []string{g.State, g.Model, g.Run, g.Version, g.Hashes.Text})
	assert.True(t, g.AsDrafted())
	assert.Equal(t, line.Record.String(), g.Record.String())
	kinds := func(doc *document.Document, unread error) (kinds []string) {
		for _, f := range Check(s, check, load(), doc, unread) {
			kinds = append(kinds, fmt.Sprintf("%s %d %s", f.Kind, f.Line, f.Path))
		}
		return kinds
	}
	assert.Equal(t, []string{"untouched 0 "}, kinds(doc, nil))

	text, err := os.ReadFile(file)
	require.NoError(t, err)
	corrected := strings.NewReplacer(`"b": "Oak"`, `"b": "Ash"`, `"k": null`, `"k": "z"`, `"t": "elm"`, `"t": "elm", "colour": "red"`).Replace(string(text))
	require.NoError(t, os.WriteFile(file, []byte(corrected), 0o644))
	at := func(part string) int { return 1 + strings.Count(corrected[:strings.Index(corrected, part)], "\n") }
	assert.Equal(t, []string{fmt.Sprintf("no-evidence %d /b", at(`"b": "Ash"`)), fmt.Sprintf("schema %d /k", at(`"k": "z"`)), fmt.Sprintf("unexpected %d /l/0/colour", at(`"colour"`))}, kinds(doc, nil))
	other := *doc
	other.Hash = "another"
	assert.Contains(t, kinds(&other, nil), "changed 0 ")
	assert.Contains(t, kinds(nil, os.ErrNotExist), "gone 0 ")

	require.NoError(t, os.WriteFile(file, []byte(strings.NewReplacer(`"b": "Ash"`, `"b": null`, `"k": "z"`, `"k": "x"`, `, "colour": "red"`, "").Replace(corrected)), 0o644))
	require.NoError(t, Sign(s, load(), "T. Brill", time.Date(2031, 3, 4, 0, 0, 0, 0, time.UTC)))
	g = load()
	assert.Equal(t, []string{Reviewed, "T. Brill", "2031-03-04", ""}, []string{g.State, g.Reviewer, g.On, g.Fault})
	assert.False(t, g.AsDrafted())
	assert.Equal(t, `{"/a":{"kind":"quoted","start":4,"end":5}}`, g.Places.String(), "what the file says besides is kept")

	st := StatusOf(s, Set{doc.ID: g})
	assert.Equal(t, []Row{{Name: "T. Brill", Reviewed: 1}}, st.Reviewers)
	assert.Equal(t, []string{"b"}, st.Empty)
	assert.Equal(t, []Unseen{{"k", []string{"y"}}}, st.Unseen)

	blind := NewDraft(s, &line, "steady", true)
	assert.Equal(t, `{"a":null,"b":null,"k":null,"l":[]}`, blind.Get("record").Named("").String())
	assert.Nil(t, blind.Get("drafted"), "nobody drafted it")
}

// A split keeps documents that are nearly the same together, the share within
// each stratum, and is the same for the same seed.
func TestDivide(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 9))
	words := strings.Fields("oak elm ash pier deck rail bolt span bank weir reed moss plank rope stone iron gate path mill barn")
	texts := map[string]string{}
	var ids []string
	for i := range 120 {
		var b strings.Builder
		for range 60 {
			b.WriteString(words[r.IntN(len(words))] + " ")
		}
		id := fmt.Sprintf("d%03d", i)
		ids, texts[id] = append(ids, id), b.String()
		if i%10 == 0 { // a copy with one word changed
			twin := id + "-again"
			ids, texts[twin] = append(ids, twin), b.String()+"indeed"
		}
	}
	for i := range 5 { // a form that all three offices use
		form := ""
		for range 60 {
			form += words[r.IntN(len(words))] + " "
		}
		for k := range 4 + i {
			id := fmt.Sprintf("f%d%d-form", i, k)
			ids, texts[id] = append(ids, id), form+fmt.Sprint(k)
		}
	}
	stratum := func(id string) string { return []string{"north", "south", "east"}[int(id[2]+id[3])%3] }
	s := Divide(ids, texts, stratum, 0.3, 1)
	require.Len(t, s.Of, len(ids))
	assert.Len(t, s.Alike, 17)
	for _, group := range s.Alike {
		for _, id := range group {
			assert.Equal(t, s.Of[group[0]], s.Of[id], "%v on both sides", group)
		}
	}
	_, test := s.Counted()
	assert.InDelta(t, 0.3*float64(len(ids)), test, 1)
	per := map[string][2]int{}
	for id, part := range s.Of {
		c := per[stratum(id)]
		c[0]++
		if part == Test {
			c[1]++
		}
		per[stratum(id)] = c
	}
	for name, c := range per {
		assert.InDelta(t, 0.3*float64(c[0]), c[1], 1.5, name)
	}
	r.Shuffle(len(ids), func(i, j int) { ids[i], ids[j] = ids[j], ids[i] })
	assert.Equal(t, s.Of, Divide(ids, texts, stratum, 0.3, 1).Of, "the order makes no difference")
	assert.NotEqual(t, s.Of, Divide(ids, texts, stratum, 0.3, 2).Of)
}

// Choices are put into the first record: leaves, new items, items that go.
func TestSettle(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(small))
	require.NoError(t, err)
	var choices []Choice
	for _, text := range []string{
		`{"document":"d","path":"/a","first":1,"second":2,"choose":"second"}`,
		`{"document":"d","path":"/b","first":"x","second":"y","choose":"value","value":"z"}`,
		`{"document":"d","path":"/l/0/n","first":5,"second":null,"choose":"second"}`,
		`{"document":"d","path":"/l/0/t","first":"five","second":null,"choose":"second"}`,
		`{"document":"d","path":"/l/1/n","first":null,"second":7,"choose":"second"}`,
		`{"document":"d","path":"/l/2/n","first":null,"second":8,"choose":"first"}`,
	} {
		v := parse(t, text)
		c, made, err := choiceFrom(&v)
		require.NoError(t, err)
		require.True(t, made)
		choices = append(choices, c)
	}
	got := Adjudicate(s, parse(t, `{"a":1,"b":"x","k":"x","l":[{"n":5,"t":"five"}]}`), choices)
	assert.Equal(t, `{"a":2,"b":"z","k":"x","l":[{"n":7}]}`, got.String())
	for text, says := range map[string]string{`{"path":"/a","choose":"first"}`: "needs `document`", `{"document":"d","path":"/a","choose":"third"}`: "`choose` is"} {
		v := parse(t, text)
		_, _, err := choiceFrom(&v)
		assert.ErrorContains(t, err, says)
	}
	v := parse(t, `{"document":"d","path":"/a","choose":null}`)
	_, made, err := choiceFrom(&v)
	require.NoError(t, err)
	assert.False(t, made)
}

// A seal holds through what changes nothing: other wording of the schema, other
// order and layout of the file; and no longer once a value or the document is
// another.
func TestSeals(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(small))
	require.NoError(t, err)
	check, err := record.NewValidator(s)
	require.NoError(t, err)
	dir := t.TempDir()
	line := record.Line{Document: "a.txt", Hashes: record.Hashes{Text: strings.Repeat("a", 64)}, Record: parse(t, `{"a":7,"b":"Oak","l":[{"n":3,"t":"elm"}]}`)}
	v := NewDraft(s, &line, "steady", false)
	file := FileOf(dir, "a.txt")
	require.NoError(t, Write(file, &v))
	edited := func(from, to string) bool {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		require.Contains(t, string(data), from)
		require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(data), from, to, 1)), 0o600))
		set, err := Load(dir, s)
		require.NoError(t, err)
		for _, f := range Check(s, check, set["a.txt"], nil, nil) {
			if f.Kind == Edited {
				assert.Contains(t, f.Msg, "ann")
				return true
			}
		}
		return false
	}
	assert.False(t, edited(`"a": 7`, `"a": 8`), "a draft is for editing")
	set, err := Load(dir, s)
	require.NoError(t, err)
	require.NoError(t, Sign(s, set["a.txt"], "ann", time.Now()))
	for _, same := range [][2]string{{`"a": 8`, `"a":   8.0`}, {"\"b\": \"Oak\",\n", ""}, {`"a":   8.0`, `"b": "Oak", "a": 8`}, {`"notes": {}`, `"notes": {"/a": "checked twice"}`}} {
		if same[1] == "" {
			assert.True(t, edited(same[0], same[1]), "a value is gone")
			continue
		}
		assert.False(t, edited(same[0], same[1]), same)
	}
	assert.True(t, edited(`"t": "elm"`, `"t": "ash"`))
	assert.False(t, edited(`"t": "ash"`, `"t": "elm"`), "put back")
	assert.True(t, edited(strings.Repeat("a", 64), strings.Repeat("b", 64)), "another text")
}
