package evidence

import (
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
			if f == nil || !f.IsMap() || !of.schema.Inside(f).Free() || v.Kind != value.Object {
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
