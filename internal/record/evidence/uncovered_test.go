package evidence

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

func TestUnread(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  no: {text: Number., printed_as: [Report no.]}
  visited: {date: Day., written: [D.M.YYYY]}
  weather: {choice: Weather., of: [dry, rain]}
  defects: {list: Defects., fields: {kind: Kind., grade: {integer: Grade.}}}
`))
	require.NoError(t, err)
	text := "Report no.: FB-1   Visited: 3.4.2031\nWeather: rain\nInspector: Dana Quill\n\nKind          Grade\nrot           2\nrust          1\n\nWe spoke of the weather: it was mild.\n"
	for record, want := range map[string]string{
		`{"no":"FB-1","visited":"2031-04-03","weather":"rain","defects":[{"kind":"rot","grade":2},{"kind":"rust","grade":1}]}`: `[]`,
		`{"no":"FB-1","visited":null,"weather":"rain","defects":[{"kind":"rot","grade":2},{"kind":"rust","grade":1}]}`:         `[visited: Visited: 3.4.2031]`,
		`{"no":"FB-1","visited":"2031-04-03","weather":null,"defects":[{"kind":"rot","grade":2}]}`:                             `[weather: Weather: rain defects: rust 1]`,
		`{"no":"FB-1","visited":"2031-04-09","weather":"dry","defects":[{"kind":"rot","grade":2},{"kind":"rust","grade":1}]}`:  `[]`, // wrong values are problems of their own
		`{"no":null,"visited":null,"weather":null,"defects":[]}`:                                                               `[no: Report no.: FB-1 visited: Visited: 3.4.2031 weather: Weather: rain defects: rot 2 defects: rust 1]`,
	} {
		v, err := value.Parse(record)
		require.NoError(t, err)
		ix := NewIndex(text)
		var got []string
		for _, l := range Unread(s, &v, ix, Of(s, &v, ix)) {
			got = append(got, l.Field+": "+l.Text)
		}
		assert.Equal(t, want, fmt.Sprint(got), record)
	}
	// A cell behind a wide gap does not speak for the labelled one before it.
	wide := "Weather: rain         seen - yes!\n"
	seen, err := value.Parse(`{"no":"yes!"}`)
	require.NoError(t, err)
	ix := NewIndex(wide)
	left := Unread(s, &seen, ix, Of(s, &seen, ix))
	require.Len(t, left, 1)
	assert.Equal(t, "weather", left[0].Field)
	for _, blank := range []string{"none", "n/a", "–", ""} {
		v := value.Obj()
		ix := NewIndex("Report no.: " + blank + "\n")
		assert.Empty(t, Unread(s, &v, ix, Places{}), blank)
	}
}

// What is struck out is not asked about: of three rows the one that nobody struck out, and no label of one.
func TestStruckOutIsCovered(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  weather: Weather.\n  works: {list: Work., fields: {what: What., parts: {integer: Parts.}, price: {number: Price.}}}\n"))
	require.NoError(t, err)
	for _, c := range [][2]string{
		{"| ~~Call-out~~ | ~~1~~ | ~~30.00~~ |", "[]"},
		{"~~| Call-out | 1 | 30.00 |~~", "[]"},
		{"| Call-out | 1 | 30.00 |", "[works]"},
		{"| Call-out | 1 | ~~30.00~~ 20.00 |", "[works]"},
		{"~~Weather: rain~~", "[]"},
	} {
		rec, err := value.Parse(`{"weather":null,"works":[{"what":"Tuning","parts":1,"price":120.00},{"what":"Strings","parts":2,"price":72.50}]}`)
		require.NoError(t, err)
		ix := NewIndex("| Job | Qty | Sum |\n|---|---|---|\n| Tuning | 1 | 120.00 |\n" + c[0] + "\n| Strings | 2 | 72.50 |\n")
		fields := []string{}
		for _, l := range Unread(s, &rec, ix, Of(s, &rec, ix)) {
			fields = append(fields, l.Field)
		}
		assert.Equal(t, c[1], fmt.Sprint(fields), c[0])
	}
}

// A value that the document takes back is told with its line, and one that stands elsewhere too is right.
func TestTakenBackIsTold(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  honey: {quantity: How much., unit: kg}\n  who: {text: Who came.}\n  seen: {date: When.}\n"))
	require.NoError(t, err)
	const doc = "Honey: ~~9 kg~~ 4.4 kg\nSeen: ~~3 May 2031~~ 4 May 2031\n~~Ida Marsh~~ Ada Quill came\n"
	line := func(n int, said string) record.What { return record.TakenBack{Line: n, Said: said} }
	assert.Equal(t, map[value.Pointer]record.What{
		"/honey": line(1, "Honey: ~~9 kg~~ 4.4 kg"), "/seen": line(2, "Seen: ~~3 May 2031~~ 4 May 2031"), "/who": line(3, "~~Ida Marsh~~ Ada Quill came"),
	}, doubts(t, s, `{"honey":{"amount":9,"unit":"kg"},"seen":"2031-05-03","who":"Ida Marsh"}`, doc))
	assert.Empty(t, doubts(t, s, `{"honey":{"amount":4.4,"unit":"kg"},"seen":"2031-05-04","who":"Ada Quill"}`, doc))
	assert.Empty(t, doubts(t, s, `{"who":"Ida Marsh"}`, doc+"Signed: Ida Marsh\n"))
}

// A row of which nothing but the values of other rows' items stand is a row that
// was not read, though half of its cells are somebody's.
func TestRowsOfOthers(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\neach: entry\nfields:\n  no: {text: Number of the visit., printed_as: [Visit no.]}\n  bridge: Bridge.\n  visited: {date: Day., written: [D.M.YYYY]}\n  grade: {integer: Grade.}\n"))
	require.NoError(t, err)
	text := "| Visit no. | Bridge | Visited | Grade |\n|---|---|---|---|\n| V-1 | Pipit Gill | 1.1.2031 | 2 |\n| V-2 | Rushy Ford | 2.2.2031 | 3 |\n| V-3 | Nine Alders | 3.3.2031 | 0 |\n| V-4 | Pipit Gill | 4.4.2031 | 1 |\n"
	ix := NewIndex(text)
	for _, c := range []struct{ record, want string }{
		{`[{"no":"V-1","bridge":"Pipit Gill","visited":"2031-01-01","grade":2},{"no":"V-2","bridge":"Rushy Ford","visited":"2031-02-02","grade":3},{"no":"V-3","bridge":"Nine Alders","visited":"2031-03-03","grade":0},{"no":"V-4","bridge":"Pipit Gill","visited":"2031-04-04","grade":1}]`, `[]`},
		{`[{"no":"V-2","bridge":"Rushy Ford","visited":"2031-02-02","grade":3},{"no":"V-3","bridge":"Nine Alders","visited":"2031-03-03","grade":0},{"no":"V-4","bridge":"Pipit Gill","visited":"2031-01-01","grade":2}]`, `[3]`},
		{`[{"no":"V-2","bridge":"Rushy Ford","visited":"2031-01-01","grade":3},{"no":"V-3","bridge":"Nine Alders","visited":"2031-03-03","grade":2},{"no":"V-4","bridge":"Pipit Gill","visited":"2031-04-04","grade":1}]`, `[3]`},
	} {
		v, err := value.Parse(c.record)
		require.NoError(t, err)
		var got []int
		for _, l := range Unread(s, &v, ix, Of(s, &v, ix)) {
			got = append(got, l.Line)
		}
		assert.Equal(t, c.want, fmt.Sprint(got), c.record)
	}
}

// Values that stand in several places go to the one in the region of their item,
// also where a neighbour begins the same way.
func TestRegions(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  visits: {list: Visits., fields: {no: Number., bridge: Bridge., grade: {integer: Grade.}}}\n"))
	require.NoError(t, err)
	text := "V-2, Plank\ngrade 2\nV-2, Plank\ngrade 0\nV-4, Plank\ngrade 0\n"
	v, err := value.Parse(`{"visits":[{"no":"V-2","bridge":"Plank","grade":2},{"no":"V-2","bridge":"Plank","grade":0},{"no":"V-4","bridge":"Plank","grade":0}]}`)
	require.NoError(t, err)
	places := Of(s, &v, NewIndex(text))
	for i, line := range []int{1, 3, 5} {
		assert.Equal(t, line, places[value.Pointer(fmt.Sprintf("/visits/%d/no", i))].Line)
		assert.Equal(t, line, places[value.Pointer(fmt.Sprintf("/visits/%d/bridge", i))].Line)
		assert.Equal(t, line+1, places[value.Pointer(fmt.Sprintf("/visits/%d/grade", i))].Line)
	}
}

// A label within another, or one whose last words stand in the next line, is no
// place to fall over.
func TestUnreadLabelsRunOver(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  length: {text: Length., printed_as: [Clear length, length]}\n  next: {text: Next., printed_as: [next visit]}\n"))
	require.NoError(t, err)
	for text, want := range map[string]int{"Clear  length: 14.3 m\n": 1, "see the next\nvisit: tomorrow\n": 0, "next  next visit: x  length: \n": 1, "length: Clear  length:\n": 1} {
		v, err := value.Parse("{}")
		require.NoError(t, err)
		ix := NewIndex(text)
		assert.Len(t, Unread(s, &v, ix, Of(s, &v, ix)), want, text)
	}
}

// BenchmarkLarge places 5,000 values in a source text of 1 MB, and half of both:
// the growth should be about two.
func BenchmarkLarge(b *testing.B) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\neach: entry\nfields:\n  no: {text: Number., printed_as: [Report no.]}\n  bridge: {text: Bridge., printed_as: [Bridge]}\n  visited: {date: Day., written: [D.M.YYYY]}\n  bays: {list: Bays., fields: {number: {integer: Number.}, length: {quantity: Length., unit: m}}}\n"))
	require.NoError(b, err)
	for _, n := range []int{360, 720} {
		var text strings.Builder
		list := value.List()
		for i := range n {
			fmt.Fprintf(&text, "Report no.: FB-%05d\nBridge: Plank %d\nVisited: %d.%d.2031\n", i, i%40, 1+i%28, 1+i%12)
			bays := value.List()
			for j := range 3 {
				fmt.Fprintf(&text, "Bay %d: %d.%d m\n", j+1, 5+i%9, j)
				if j < 2 {
					bays.Kids = append(bays.Kids, value.Obj(value.Num(fmt.Sprint(j+1)).Named("number"), value.Obj(value.Num(fmt.Sprintf("%d.%d", 5+i%9, j)).Named("amount"), value.Str("m").Named("unit")).Named("length")))
				}
			}
			text.WriteString(strings.Repeat("The steps on the far side are of another make than those on the near side, and both are sound.\n", 13))
			list.Kids = append(list.Kids, value.Obj(value.Str(fmt.Sprintf("FB-%05d", i)).Named("no"), value.Str(fmt.Sprintf("Plank %d", i%40)).Named("bridge"),
				value.Str(fmt.Sprintf("2031-%02d-%02d", 1+i%12, 1+i%28)).Named("visited"), bays.Named("bays")))
		}
		b.Run(fmt.Sprintf("%d-values-%d-kB", 7*n, text.Len()>>10), func(b *testing.B) {
			for b.Loop() {
				Of(s, &list, NewIndex(text.String()))
			}
		})
	}
}
