package merge

import (
	"fmt"
	"math/rand"
	"testing"

	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record/evidence"
	"filler/internal/schema"
)

// What parts say of a map is put together name by name, of an array item by item; each place that is
// kept is that of a value in the record, and a name that any part has is there.
func TestAnyFormOfParts(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(`schema: s
fields:
  m: {map: M., values: {number: N.}}
  a: {any: A.}
  l: {any: L., keywords: {type: array, items: {type: array, items: {type: number}}}}
  t: {tuple: T., of: [{number: N.}, {text: T.}]}
  n: {any: N., keywords: {type: object, additionalProperties: {type: object, additionalProperties: {type: number}}}}
`))
	require.NoError(t, err)
	ix := evidence.NewIndex("Lead 18.2\nZinc 77\nTin 4.4\nNickel 31\n1 2 3\n4 5 6\n7 oak\n")
	r := rand.New(rand.NewSource(3))
	names := []string{"Lead", "Zinc", "Tin", "Nickel"}
	number := func() value.Value { return value.Num([]string{"18.2", "77", "4.4", "31", "1", "5"}[r.Intn(6)]) }
	object := func(of func() value.Value) value.Value {
		out := value.Obj()
		for _, i := range r.Perm(4)[:r.Intn(4)] {
			out.Set(names[i], of())
		}
		return out
	}
	rows := func() value.Value {
		out := value.List()
		for range r.Intn(3) {
			out.Kids = append(out.Kids, value.List(number(), number()))
		}
		return out
	}
	for range 1000 {
		var parts []Part
		seen := map[string]bool{}
		for i := range 1 + r.Intn(3) {
			m := object(number)
			rec := value.Obj(m.Named("m"), []value.Value{number(), object(number), rows(), value.Str("oak"), {}}[r.Intn(5)].Named("a"), rows().Named("l"), value.List(number(), value.Str("oak")).Named("t"),
				object(func() value.Value { return object(number) }).Named("n"))
			part := Part{Record: rec, Places: evidence.Of(s, &rec, ix)}
			if part.Gaps = i > 0 && r.Intn(4) == 0; !part.Gaps {
				for _, kid := range m.Kids {
					seen[kid.Name] = true
				}
			}
			parts = append(parts, part)
		}
		got := Parts(s, parts, nil)
		for p := range got.Places {
			require.NotNil(t, got.Record.At(p), "%s of %s", p, got.Record.String())
		}
		for name := range seen {
			require.NotNil(t, got.Record.At(value.Pointer("/m").Key(name)), fmt.Sprint(name, " ", got.Record.String()))
		}
	}
}
