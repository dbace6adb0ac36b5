package merge

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
	"filler/internal/source/layout"
)

const visits = `schema: s
each: entry
fields:
  no: {text: Number., printed_as: [No.]}
  bridge: Name of the bridge.
  grade: {integer: Grade.}
  bays: {list: Bays., key: [n], fields: {n: {integer: Number.}, deck: Deck.}}
`

// parts reads what each of some stretches of a text was filled with.
func parts(t *testing.T, s *schema.Schema, text string, chunks ...string) []Part {
	t.Helper()
	ix := evidence.NewIndex(text)
	var out []Part
	for _, c := range chunks {
		shown, record, _ := strings.Cut(c, "=>")
		var from, to int
		_, err := fmt.Sscanf(shown, "%d-%d", &from, &to)
		require.NoError(t, err)
		v, err := value.Parse(record)
		require.NoError(t, err)
		lines := strings.SplitAfter(text, "\n")
		at := layout.Span{Start: len(strings.Join(lines[:from-1], "")), End: len(strings.Join(lines[:to], ""))}
		out = append(out, Part{Record: v, Inside: from > 1, Places: evidence.Of(s, &v, ix.Within([][2]int{{at.Start, at.End}}))})
	}
	return out
}

const register = `No.: V-1   Bridge: Heron Plank
Grade: 2
Bay 1, deck: oak
Bay 2, deck: steel
No.: V-1   Bridge: Heron Plank
Grade: 2
Bay 1, deck: oak
No.: V-3   Bridge: Rushy Ford
Grade: 1
`

func TestParts(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(visits))
	require.NoError(t, err)
	first := `{"no":"V-1","bridge":"Heron Plank","grade":2,"bays":[{"n":1,"deck":"oak"},{"n":2,"deck":"steel"}]}`
	for _, c := range []struct {
		name   string
		chunks []string
		want   string
	}{
		{"an overlap is said once", []string{`1-4=>[{"no":"V-1","bridge":"Heron Plank"}]`, `1-4=>[{"no":"V-1","bridge":"Heron Plank","grade":2}]`}, `[{"no":"V-1","bridge":"Heron Plank","grade":2}]`},
		{"neighbours that are the same stay two", []string{`1-4=>[` + first + `]`, `5-7=>[{"no":"V-1","bridge":"Heron Plank","grade":2,"bays":[{"n":1,"deck":"oak"}]}]`}, `[` + first + `,{"no":"V-1","bridge":"Heron Plank","grade":2,"bays":[{"n":1,"deck":"oak"}]}]`},
		{"cut in the middle, with the opening shown again", []string{`1-2=>[{"no":"V-1","bridge":"Heron Plank","grade":2,"bays":[]}]`, `1-4=>[{"no":"V-1","bridge":"Heron Plank","bays":[{"n":1,"deck":"oak"},{"n":2,"deck":"steel"}]}]`}, `[` + first + `]`},
		{"cut in the middle, without it", []string{`1-2=>[{"no":"V-1","bridge":"Heron Plank","grade":2,"bays":[]}]`, `3-4=>[{"no":null,"bays":[{"n":1,"deck":"oak"},{"n":2,"deck":"steel"}]}]`}, `[` + first + `]`},
		{"the value that stands there wins", []string{`8-9=>[{"no":"V-3","bridge":"Rushy Fort","grade":1}]`, `8-9=>[{"no":"V-3","bridge":"Rushy Ford"}]`}, `[{"no":"V-3","bridge":"Rushy Ford","grade":1}]`},
		{"an entry that stands nowhere is left out", []string{`8-9=>[{"no":"V-3","bridge":"Rushy Ford","grade":1}]`, `3-4=>[{"no":"V-9","bridge":"Nine Alders"}]`}, `[{"no":"V-3","bridge":"Rushy Ford","grade":1}]`},
	} {
		r := Parts(s, parts(t, s, register, c.chunks...), nil)
		assert.Equal(t, c.want, r.Record.String(), c.name)
	}
}

// Two values with equal right are a conflict, and both are told; a part that
// fills gaps changes nothing that is there.
func TestConflictsAndGaps(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  grade: {integer: Grade.}\n  bridge: Name.\n  river: River.\n"))
	require.NoError(t, err)
	text := "Grade: 2\nBridge: Heron Plank\nGrade: 3\nRiver: Lirr\n"
	ps := parts(t, s, text, `1-2=>{"grade":2,"bridge":"Heron Plank"}`, `3-4=>{"grade":3}`, `3-4=>{"grade":3,"bridge":"Lirr","river":"Lirr"}`)
	ps[2].Gaps, ps[2].Asked = true, []layout.Span{{Start: strings.Index(text, "River"), End: len(text)}}
	r := Parts(s, ps, nil)
	assert.Equal(t, `{"grade":2,"bridge":"Heron Plank","river":"Lirr"}`, r.Record.String())
	require.Len(t, r.Conflicts, 1)
	assert.Equal(t, []string{"2", "3"}, []string{r.Conflicts[0].Values[0].Text, r.Conflicts[0].Values[1].Text})
	assert.True(t, r.Places["/river"].Found())
}

// An item that only the lines which were asked again give comes whole, with what
// is inferred; of items that are there it changes only what stands in those lines.
func TestAnItemFromAGap(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  gates:\n    list: Gates.\n    fields:\n      no: Number.\n      greased: {boolean: Whether it was greased.}\n"))
	require.NoError(t, err)
	text := "G-31 dripping, well greased\nG-32 dry\nG-33 tight, and greased\n"
	ps := parts(t, s, text, `1-3=>{"gates":[{"no":"G-31","greased":true},{"no":"G-32","greased":null}]}`, `1-3=>{"gates":[{"no":"G-32","greased":true},{"no":"G-33","greased":true}]}`)
	ps[1].Gaps, ps[1].Asked = true, []layout.Span{{Start: strings.Index(text, "G-33"), End: len(text)}}
	r := Parts(s, ps, nil)
	assert.Equal(t, `{"gates":[{"no":"G-31","greased":true},{"no":"G-32","greased":null},{"no":"G-33","greased":true}]}`, r.Record.String())
}

// A cell that comes alone, as it was asked about, is of the item that its row is of; one that
// contradicts it, and one in a row of several items, is not.
func TestACellOfARow(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  gates:\n    list: Gates.\n    key: no\n    fields:\n      no: Number.\n      state: State.\n      seen: {date: Seen.}\n"))
	require.NoError(t, err)
	text := "G-31  dry    3 May 2031\nG-32  leaks  4 May 2031\nG-33  dry  G-34  leaks  6 May 2031\n"
	first := `1-3=>{"gates":[{"no":"G-31","state":"dry"},{"no":"G-32","state":"leaks"},{"no":"G-33","state":"dry"},{"no":"G-34","state":"leaks"}]}`
	for _, c := range []struct{ cell, want string }{
		{`{"seen":"2031-05-04"}`, `[{"no":"G-31","state":"dry"},{"no":"G-32","state":"leaks","seen":"2031-05-04"},{"no":"G-33","state":"dry"},{"no":"G-34","state":"leaks"}]`},
		{`{"no":null,"state":"rusted","seen":"2031-05-04"}`, `[{"no":"G-31","state":"dry"},{"no":"G-32","state":"leaks"},{"no":null,"state":"rusted","seen":"2031-05-04"},{"no":"G-33","state":"dry"},{"no":"G-34","state":"leaks"}]`},
		{`{"seen":"2031-05-06"}`, `[{"no":"G-31","state":"dry"},{"no":"G-32","state":"leaks"},{"no":"G-33","state":"dry"},{"no":"G-34","state":"leaks"},{"seen":"2031-05-06"}]`},
	} {
		ps := parts(t, s, text, first, `1-3=>{"gates":[`+c.cell+`]}`)
		ps[1].Gaps, ps[1].Asked = true, []layout.Span{{Start: 0, End: len(text)}}
		r := Parts(s, ps, nil)
		assert.Equal(t, c.want, r.Record.Get("gates").Named("").String(), c.cell)
	}
}

// What a plain list says already is not said twice by an answer that fills gaps, wherever it stands; a
// reading that equals another may be one more.
func TestSameWordsOfAGap(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  tags: {list: Tags., items: {choice: Tag., of: [race, training]}}\n  levels: {list: Levels., items: {number: Level.}}\n"))
	require.NoError(t, err)
	text := "Race report, level 4.5\nKettle Cup race, level 4.5\n"
	ps := parts(t, s, text, `1-1=>{"tags":["race"],"levels":[4.5]}`, `2-2=>{"tags":["race","race"],"levels":[4.5]}`)
	ps[1].Gaps, ps[1].Asked = true, []layout.Span{{Start: strings.Index(text, "Kettle"), End: len(text)}}
	r := Parts(s, ps, nil)
	assert.Equal(t, `{"tags":["race"],"levels":[4.5,4.5]}`, r.Record.String())
}

// However a document is cut and whichever parts overlap, merging what was read
// right gives what the document holds; merging it with itself changes nothing.
func TestAnyCut(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(visits))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(71, 72))
	for range 300 {
		var text strings.Builder
		var entries []string
		var begins []int
		for i := range 2 + r.IntN(6) {
			begins = append(begins, strings.Count(text.String(), "\n")+1)
			grade := r.IntN(4)
			no := i
			if i > 0 && r.IntN(4) == 0 {
				no = i - 1 // a twin of the one before, by number
			}
			fmt.Fprintf(&text, "No.: V-%d\nBridge: Plank %d\nGrade: %d\n", no, no, grade)
			entries = append(entries, fmt.Sprintf(`{"no":"V-%d","bridge":"Plank %d","grade":%d}`, no, no, grade))
		}
		all := "[" + strings.Join(entries, ",") + "]"
		last := strings.Count(text.String(), "\n")
		var chunks []string
		for from := 0; from < len(entries); {
			to := min(from+1+r.IntN(3), len(entries))
			end := last
			if to < len(entries) {
				end = begins[to] - 1
			}
			chunks = append(chunks, fmt.Sprintf("%d-%d=>[%s]", begins[from], end, strings.Join(entries[from:to], ",")))
			if to == len(entries) {
				break
			}
			from = max(from+1, to-r.IntN(2))
		}
		got := Parts(s, parts(t, s, text.String(), chunks...), nil)
		require.Equal(t, all, got.Record.String(), "%v\n%s", chunks, text.String())
		twice := Parts(s, parts(t, s, text.String(), fmt.Sprintf("1-%d=>%s", last, all), fmt.Sprintf("1-%d=>%s", last, all)), nil)
		require.Equal(t, all, twice.Record.String())
		require.Empty(t, twice.Conflicts)
	}
}

// An entry of which every value stands where another entry's stands is that
// entry once more, whether the one that says less comes before it or behind.
func TestEchoes(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\neach: entry\nfields:\n  no: {text: Number.}\n  bridge: Bridge.\n  grade: {integer: Grade.}\n"))
	require.NoError(t, err)
	text := "V-1 | Pipit Gill | 4\nV-2 | Rushy Ford | 3\nV-3 | Pipit Gill | 4\n"
	full := `{"no":"V-1","bridge":"Pipit Gill","grade":4},{"no":"V-2","bridge":"Rushy Ford","grade":3},{"no":"V-3","bridge":"Pipit Gill","grade":4}`
	for _, more := range []string{`[{"no":"V-1","bridge":null,"grade":null},` + full + `]`, `[` + full + `,{"no":"V-3","bridge":null,"grade":4}]`, `[` + full + `]`} {
		v, err := value.Parse(more)
		require.NoError(t, err)
		r := Parts(s, []Part{{Record: v, Places: evidence.Of(s, &v, evidence.NewIndex(text))}}, nil)
		assert.Equal(t, "["+full+"]", r.Record.String(), more)
	}
}

// A value that stands nowhere gives way to what a part that was asked about it read in the lines
// that contest it, and to nothing else.
func TestContested(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  name: Name.\n  kind: {choice: Kind., of: [upright, grand, square]}\n"))
	require.NoError(t, err)
	text := "Brandel, an upright\nno. 4\n"
	line := []layout.Span{{Start: 0, End: len("Brandel, an upright")}}
	for _, c := range []struct {
		asked     string
		contested map[value.Pointer]string
		want      string
	}{
		{`{"name":null,"kind":"upright"}`, map[value.Pointer]string{"/kind": "", "/name": ""}, "upright"},
		{`{"name":null,"kind":"upright"}`, nil, "grand"},
		{`{"name":null,"kind":"square"}`, map[value.Pointer]string{"/kind": "upright"}, "grand"},
		{`{"name":null,"kind":"square"}`, map[value.Pointer]string{"/kind": "square"}, "square"},
		{`{"name":null,"kind":null}`, map[value.Pointer]string{"/kind": "upright"}, "grand"},
		{`{"name":"Nobody","kind":"grand"}`, map[value.Pointer]string{"/kind": "upright"}, "grand"},
	} {
		all := parts(t, s, text, `1-2=>{"name":"Brandel","kind":"grand"}`, "1-2=>"+c.asked)
		all[0].Contested = c.contested
		all[1].Gaps, all[1].Asked = true, line
		got := Parts(s, all, nil).Record
		assert.Equal(t, `{"name":"Brandel","kind":"`+c.want+`"}`, got.String(), c.asked)
	}
}
