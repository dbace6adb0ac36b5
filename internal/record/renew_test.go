package record

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

const renamed = `schema: s
fields:
  bridge: {text: Its name., was: [name, /visit/site]}
  visit: {group: V., fields: {day: {text: Day., was: [date, /day_of_visit]}}}
  bays:
    list: B.
    was: spans
    fields:
      number: {integer: N., was: no}
      deck: {group: D., fields: {of: {text: T., was: /timber}}}
`

func TestRenewByHand(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(renamed))
	require.NoError(t, err)
	for before, after := range map[string]string{
		`{"name":"A","spans":[{"no":1,"timber":"oak"},{"number":2}]}`: `{"bridge":"A","bays":[{"number":1,"deck":{"of":"oak"}},{"number":2}]}`,
		`{"visit":{"site":"A","date":"x"}}`:                           `{"visit":{"day":"x"},"bridge":"A"}`,
		`{"visit":{"site":"A"}}`:                                      `{"bridge":"A"}`, // a group without anything left goes
		`{"name":"A","bridge":"B"}`:                                   `{"name":"A","bridge":"B"}`,
		`{"day_of_visit":"x","visit":null}`:                           `{"visit":{"day":"x"}}`,
		`{"day_of_visit":"x","visit":"none"}`:                         `{"day_of_visit":"x","visit":"none"}`, // a text is no group to put it into
		`{"name":"A","bridge":null}`:                                  `{"bridge":"A"}`,
		`{"name":null,"bridge":"B"}`:                                  `{"bridge":"B"}`,
		`{"day_of_visit":"x","other":1}`:                              `{"other":1,"visit":{"day":"x"}}`,
		`{"bays":"none","name":1}`:                                    `{"bays":"none","bridge":1}`,
		`[1]`:                                                         `[1]`,
	} {
		v, err := value.Parse(before)
		require.NoError(t, err)
		Renew(s, &v, nil)
		assert.Equal(t, after, v.String(), before)
		Renew(s, &v, nil)
		assert.Equal(t, after, v.String(), "renewing twice changes nothing more: %s", before)
	}
	for path, now := range map[string]string{"spans[].no": "bays[].number", "spans[].timber": "bays[].deck.of", "bays[].number": "bays[].number", "visit.date": "visit.day", "name": "bridge", "other.x": "other.x"} {
		assert.Equal(t, now, s.PathNow(path))
	}
}

// Every value stands after renewing where NowAt says that its place is, and a line's
// evidence, risk, problems and history go with it.
func TestRenewKeepsEveryValue(t *testing.T) {
	for _, each := range []string{"", "each: entry\n"} {
		s, err := schema.Parse("s.yaml", []byte(strings.Replace(renamed, "fields:", each+"fields:", 1)))
		require.NoError(t, err)
		text := `{"name":"A","visit":{"date":"d","who":"w"},"spans":[{"no":1,"timber":"oak"},{"no":2,"more":[3]}],"extra":{"name":"E"}}`
		if s.EachEntry() {
			text = "[" + text + "," + text + "]"
		}
		before, err := value.Parse(text)
		require.NoError(t, err)
		line := Line{Record: before.Clone(), Evidence: value.Obj(), Risk: value.Obj(), History: value.List()}
		n := 0
		before.Walk(func(p value.Pointer, v *value.Value) bool {
			if len(v.Kids) == 0 {
				n++
				line.Evidence.Kids = append(line.Evidence.Kids, v.Named(string(p)))
				line.Problems = append(line.Problems, Problem{Path: p})
				line.History.Kids = append(line.History.Kids, value.Obj(value.Str(string(p)).Named("path")))
			}
			return true
		})
		line.Renew(s)
		for i := range line.Evidence.Kids {
			e := line.Evidence.Kids[i]
			at := line.Record.At(value.Pointer(e.Name))
			require.NotNil(t, at, e.Name)
			assert.Equal(t, e.Text, at.Text)
			assert.Equal(t, e.Name, string(line.Problems[i].Path))
			assert.Equal(t, e.Name, line.History.Kids[i].Get("path").Text)
		}
		after := 0
		line.Record.Walk(func(_ value.Pointer, v *value.Value) bool {
			if len(v.Kids) == 0 {
				after++
			}
			return true
		})
		assert.Equal(t, n, after)
		assert.NotContains(t, strings.ReplaceAll(line.Record.String(), `"extra":{"name"`, ""), `"name"`)
	}
}
