package score

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/measure/gold"
	"filler/internal/record"
	"filler/internal/schema"
)

// What validation refuses is never fully correct: whatever stands in the place of a value of
// a right record, and whatever is added to it.
func TestRefusedIsNeverCorrect(t *testing.T) {
	for _, c := range []struct{ schema, good string }{
		{"schema: s\nfields:\n  a: A.\n  g: {group: G., fields: {x: X.}}\n  l: {list: L., key: [k], fields: {k: K., v: {money: V.}}}\n  t: {list: T., items: {text: One.}}\n",
			`{"a":"A","g":{"x":"X"},"l":[{"k":"1","v":{"amount":2,"currency":"EUR"}},{"k":"2","v":null}],"t":["p","q"]}`},
		{"schema: s\neach: entry\nfields:\n  a: A.\n  t: {list: T., items: {text: One.}}\n", `[{"a":"A","t":["p"]},{"a":"B","t":[]}]`},
	} {
		s, err := schema.Parse("s.yaml", []byte(c.schema))
		require.NoError(t, err)
		check, err := record.NewValidator(s)
		require.NoError(t, err)
		root, err := value.Parse(c.good)
		require.NoError(t, err)
		right := root.Clone()
		tried, refused := 0, 0
		judge := func() {
			filled := root.Clone()
			sc := New(s, gold.Set{"d": {Document: "d", State: gold.Reviewed, Record: right.Clone()}}.Shelf())
			require.NoError(t, sc.Add(record.Line{Document: "d", Record: filled}))
			r := sc.Report()
			tried++
			if len(check.Check(&filled)) > 0 {
				refused++
				assert.Less(t, r.RecordsRight, r.RecordsOf, filled.String())
			}
		}
		var change func(v *value.Value)
		change = func(v *value.Value) {
			if v.Kind == value.Object {
				v.Kids = append(v.Kids, value.Str("?").Named("zz"))
				judge()
				if v.Kids = v.Kids[:len(v.Kids)-1]; len(v.Kids) > 0 {
					v.Kids = append(v.Kids, v.Kids[0].Clone())
					judge()
					v.Kids = v.Kids[:len(v.Kids)-1]
				}
			}
			if v.Kind == value.Array {
				v.Kids = append(v.Kids, value.Value{})
				judge()
				v.Kids = v.Kids[:len(v.Kids)-1]
			}
			for i := range v.Kids {
				kept := v.Kids[i]
				for _, other := range []value.Value{value.Num("7"), value.Str("other"), value.Boolean(true), value.List(value.Str("A")), value.Obj(value.Num("1").Named("x")), {}} {
					v.Kids[i] = other.Named(kept.Name)
					judge()
				}
				v.Kids[i] = kept
				change(&v.Kids[i])
			}
		}
		judge()
		change(&root)
		assert.Greater(t, refused, 20)
		assert.Greater(t, tried, refused)
	}
}
