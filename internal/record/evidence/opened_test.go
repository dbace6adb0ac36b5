package evidence

import (
	"fmt"
	"math/rand"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/schema"
)

// kindred gives a field of the type that a value within one of any form looks like.
func kindred(f *schema.Field, v *value.Value) *schema.Field {
	if f.Type != schema.Any {
		return f
	}
	types := map[value.Kind]schema.Type{value.String: schema.Text, value.Number: schema.Number, value.Object: schema.Quantity}
	of := &schema.Field{Type: types[v.Kind]}
	switch {
	case v.Kind == value.Object && v.Get("currency") != nil:
		of.Type = schema.Money
	case v.Kind == value.String && len(v.Text) == 10 && strings.Count(v.Text, "-") == 2:
		of.Type = schema.Date
	}
	return of
}

// Values of maps, tuples and of any other form are found one by one: nothing is doubted of a right
// record, and of wrong values nearly all are.
func TestAnyForm(t *testing.T) {
	_, wrong, passed := spoilAll(t, tradesIn(t, "anyform"), 43)
	assert.Greater(t, wrong, 250)
	assert.Less(t, float64(len(passed))/float64(wrong), 0.03)
}

// A map with one wrong name, where the names of the others are printed beside their values, is told
// of. With two entries, in prose, or under heads of columns nothing tells.
func TestNamesOfEntries(t *testing.T) {
	all, told := 0, 0
	for _, of := range tradesIn(t, "anyform") {
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		ix := NewIndex(of.doc)
		rec.Walk(func(p value.Pointer, v *value.Value) bool {
			f := of.schema.At(p)
			if f == nil || !f.IsMap() || !f.Inside().Free() || v.Kind != value.Object {
				return true
			}
			for i := range v.Kids {
				was := v.Kids[i].Name
				v.Kids[i].Name = "Brackwater"
				all++
				for q, place := range Of(of.schema, &rec, ix) {
					if q.Within(p.Key("Brackwater")) && ix.Doubt(of.schema.Holding(q), rec.At(q), place, false) != nil {
						told++
						break
					}
				}
				v.Kids[i].Name = was
			}
			return false
		})
	}
	t.Logf("%d of %d wrong names are told", told, all)
	assert.Greater(t, told*100, all*40)
}

// Whatever a value of any form holds, and however values of it differ: each place is that of a value in
// the record, of each single value there is one, and known places change nothing.
func TestAnythingWithin(t *testing.T) {
	r := rand.New(rand.NewSource(7))
	words := []string{"Lead", "Zinc", "top", "18.2", "77", "2031-03-04", "oak; ash", "a/b", "~", "", "0", "true", "Lead 18.2"}
	var random func(deep int) value.Value
	random = func(deep int) value.Value {
		switch n := r.Intn(8); {
		case n < 2 && deep > 0:
			out := value.Obj()
			for range r.Intn(4) {
				out.Set(words[r.Intn(len(words))], random(deep-1))
			}
			return out
		case n < 4 && deep > 0:
			out := value.List()
			for range r.Intn(4) {
				out.Kids = append(out.Kids, random(deep-1))
			}
			return out
		case n == 4:
			return value.Value{}
		case n == 5:
			return value.Boolean(r.Intn(2) == 0)
		case n == 6:
			return value.Num(fmt.Sprint(r.Intn(100)))
		}
		return value.Str(words[r.Intn(len(words))])
	}
	fields := []string{"{any: A.}", "{map: M., values: {number: N.}}", "{map: M., values: {text: T.}}", "{tuple: T., of: [{number: N.}, {text: T.}]}",
		"{any: A., keywords: {type: object, additionalProperties: {type: array, items: {type: string}}}}", "{any: A., keywords: {type: array, items: {type: array, items: {type: number}}}}",
		"{any: A., keywords: {anyOf: [{type: string}, {type: array, items: {type: string}}]}}", "{any: A., sensitive: true}", "{list: L., fields: {x: {map: M., values: {integer: N.}}}}", "{list: L., items: {any: A.}}"}
	ix := NewIndex("Lead 18.2\nZinc 77\ntop: oak; ash, 4 March 2031\n40 0 2 a/b\n")
	for range 3000 {
		of := fields[r.Intn(len(fields))]
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  f: "+of+"\n  g: {map: M., values: {number: N.}}\n"))
		require.NoError(t, err)
		v := random(3)
		if strings.HasPrefix(of, "{list") {
			v = value.List(random(2), value.Obj(random(2).Named("x")), value.Obj(random(2).Named("x")))
		}
		rec := value.Obj(v.Named("f"), random(1).Named("g"))
		places := Of(s, &rec, ix)
		for p := range places {
			require.NotNil(t, rec.At(p), "%s of %s", p, rec.String())
		}
		for p := range Wholes(s, &rec, places) {
			require.NotNil(t, rec.At(p), "%s of %s", p, rec.String())
		}
		lines, left := Look(s, &rec, ix, places)
		for _, l := range append(lines, left...) {
			require.NotNil(t, s.Find(strings.TrimSuffix(l.Field, "[]")), "%+v of %s", l, rec.String())
		}
		require.Equal(t, places, With(s, &rec, ix, places), "%s in %s", rec.String(), of)
	}
}

// What is wrong with a sensitive map is told of the whole, without a name that is in it.
func TestHiddenNames(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  f: {map: M., values: {number: N.}, sensitive: true}\n"))
	require.NoError(t, err)
	said := doubts(t, s, `{"f":{"Lead":18.2,"Zinc":77,"Brackwater":4.4}}`, "Lead 18.2\nZinc 77\nTin 4.4\n")
	require.Len(t, said, 1)
	assert.Equal(t, "its name is nowhere in the document", said["/f"].Text())
}
