package evidence

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/process"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/pdf"
)

const text = `
schema: s
fields:
  name: A name.
  on: {date: Day., written: [D.M.YYYY]}
  open: {boolean: Open.}
  bays:
    list: Bays.
    printed_as: [Bay]
    fields:
      no: {integer: Number., printed_as: [Bay]}
      length: {number: Length.}
      kind: {choice: Kind., of: {rot: {also: [decayed timber]}, loose_rail: }}
`

const source = `Report 3 of 13.4.2031, FB-3-2031
Name: Heron  Plank
open: yes
Bay 1 is 3.5 m, decayed
timber. Loose rail.
Bay 3 is 1,250.00 m, rot on bay three.
`

func places(t *testing.T, record string) (Places, *Index) {
	t.Helper()
	s, err := schema.Parse("s.yaml", []byte(text))
	require.NoError(t, err)
	v, err := value.Parse(record)
	require.NoError(t, err)
	ix := NewIndex(source)
	return Of(s, &v, ix), ix
}

func TestPlaces(t *testing.T) {
	for _, c := range []struct{ record, path, kind, at string }{
		{`{"name":"Heron  Plank"}`, "/name", "quoted", "Heron  Plank"},
		{`{"name":"Heron Plank"}`, "/name", "restated", "Heron  Plank"},
		{`{"name":"heron plank"}`, "/name", "restated", "Heron  Plank"},
		{`{"name":"Heron"}`, "/name", "quoted", "Heron"},
		{`{"name":"Her"}`, "/name", "none", ""},
		{`{"name":"Plank open"}`, "/name", "restated", "Plank\nopen"},
		{`{"name":"FB-3-2031"}`, "/name", "quoted", "FB-3-2031"},
		{`{"name":"1,250.00"}`, "/name", "quoted", "1,250.00"},
		{`{"on":"2031-04-13"}`, "/on", "restated", "13.4.2031"},
		{`{"on":"2031-04-12"}`, "/on", "none", ""},
		{`{"open":true}`, "/open", "restated", "yes"},
		{`{"open":false}`, "/open", "inferred", ""},
		{`{"bays":[{"no":3}]}`, "/bays/0/no", "quoted", "3"},
		{`{"bays":[{"no":13}]}`, "/bays/0/no", "none", ""},
		{`{"bays":[{"no":2031}]}`, "/bays/0/no", "none", ""},
		{`{"bays":[{"length":1250}]}`, "/bays/0/length", "restated", "1,250.00"},
		{`{"bays":[{"length":3.50}]}`, "/bays/0/length", "restated", "3.5"},
		{`{"bays":[{"kind":"rot"}]}`, "/bays/0/kind", "quoted", "rot"},
		{`{"bays":[{"no":1,"kind":"rot"}]}`, "/bays/0/kind", "restated", "decayed\ntimber"},
		{`{"bays":[{"kind":"loose_rail"}]}`, "/bays/0/kind", "restated", "Loose rail"},
	} {
		ps, ix := places(t, c.record)
		p, ok := ps[value.Pointer(c.path)]
		require.True(t, ok, c.record)
		assert.Equal(t, c.kind, string(p.Kind), c.record)
		assert.Equal(t, c.at, ix.Source[p.Start:p.End], c.record)
	}
}

// The values of an item stand together: the 3 of bay 3 is the one behind
// "Bay", and each kind is the one of its own bay.
func TestItemsStandTogether(t *testing.T) {
	ps, ix := places(t, `{"bays":[{"no":1,"length":3.5,"kind":"rot"},{"no":3,"length":1250,"kind":"rot"}]}`)
	third := strings.Index(source, "Bay 3")
	assert.Equal(t, third+4, ps["/bays/1/no"].Start)
	assert.Equal(t, "rot", ix.Source[ps["/bays/1/kind"].Start:ps["/bays/1/kind"].End])
	assert.Less(t, ps["/bays/0/kind"].End, third)
	assert.Equal(t, 1, ps["/bays/1/kind"].Rivals)
}

// Some of the demo's documents are PDF, which a child process reads.
func TestMain(m *testing.M) {
	pdf.Main()
	process.Garbage(process.Usual()) // as the program does
	m.Run()
}

// Every gold value of the demo that stands in its document is found, and on
// the line where a reader would point.
func TestDemoGoldIsFound(t *testing.T) {
	root := "../../demo/project/"
	s, err := schema.Load(root + "schemas/inspection.yaml")
	require.NoError(t, err)
	files, err := filepath.Glob(root + "gold/documents/*/*.json")
	require.NoError(t, err)
	notes, _, err := document.Table{File: root + "notes.csv", ID: "ref", Text: []string{"note"}}.Rows(root)
	require.NoError(t, err)
	found, all := 0, 0
	for _, file := range files {
		data, err := os.ReadFile(file)
		require.NoError(t, err)
		g, err := value.ParseBytes(data)
		require.NoError(t, err)
		id := g.Get("document").Text
		from := document.Source{ID: id, File: root + id}
		if mark, isRow := strings.CutPrefix(id, "notes.csv#"); isRow {
			from = notes[slices.IndexFunc(notes, func(n document.Source) bool { return strings.HasSuffix(n.ID, "#"+mark) })]
		}
		doc, err := from.Read()
		require.NoError(t, err)
		for p, place := range Of(s, g.Get("record"), NewIndex(doc.Text)) {
			if s.At(p).Type == schema.Boolean {
				continue // "open" and "closed" are inferred
			}
			all++
			if place.Found() {
				found++
			} else {
				t.Logf("%s %s %s", filepath.Base(file), p, g.Get("record").At(p))
			}
		}
	}
	t.Logf("%d of %d gold values found", found, all)
	assert.Greater(t, float64(found), 0.97*float64(all))
}

func FuzzOf(f *testing.F) {
	s, err := schema.Parse("s.yaml", []byte(text))
	require.NoError(f, err)
	f.Add(source, "Heron Plank", "3.5")
	f.Add("1.2.3,4 -5 a1b2", "é", "12345678901234567890")
	f.Add("FB-3-2;0#1\nName: Hero 13.4.2k", "Hero", "2k")
	f.Fuzz(func(t *testing.T, source, name, number string) {
		record := value.Obj(value.Str(name).Named("name"), value.List(value.Obj(value.Str(number).Named("kind"), value.Str(name).Named("no"))).Named("bays"))
		if v, err := value.Parse(number); err == nil && v.Kind == value.Number {
			record.Get("bays").Kids[0].Set("length", v)
		}
		ix := NewIndex(source)
		for p, place := range Of(s, &record, ix) {
			require.True(t, place.Start >= 0 && place.Start <= place.End && place.End <= len(source), "%s %v", p, place)
			if place.Kind == Quoted {
				require.Equal(t, record.At(p).Text, source[place.Start:place.End])
			}
		}
	})
}

func BenchmarkOf(b *testing.B) {
	s, _ := schema.Parse("s.yaml", []byte(text))
	var doc strings.Builder
	bays := value.List()
	for i := range 400 {
		fmt.Fprintf(&doc, "Bay %d is %d.5 m, decayed timber.\nNothing else of note was seen on this bay, and the path to it is dry.\n", i, i%30)
		bays.Kids = append(bays.Kids, value.Obj(value.Num(fmt.Sprint(i)).Named("no"), value.Num(fmt.Sprintf("%d.5", i%30)).Named("length"), value.Str("rot").Named("kind")))
	}
	record := value.Obj(bays.Named("bays"))
	source := doc.String()
	b.SetBytes(int64(len(source)))
	for b.Loop() {
		Of(s, &record, NewIndex(source))
	}
}
