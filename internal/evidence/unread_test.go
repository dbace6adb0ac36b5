package evidence

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/schema"
	"filler/internal/value"
)

func TestUnread(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  no: {text: Number., labels: [Report no.]}
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
		`{"no":null,"visited":null,"weather":null,"defects":[]}`:                                                               `[no: Report no.: FB-1 visited: Visited: 3.4.2031 weather: Weather: rain]`,
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
	for _, blank := range []string{"none", "n/a", "–", ""} {
		v := value.Obj()
		ix := NewIndex("Report no.: " + blank + "\n")
		assert.Empty(t, Unread(s, &v, ix, Places{}), blank)
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
