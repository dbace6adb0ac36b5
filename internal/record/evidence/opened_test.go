package evidence

import (
	"fmt"
	"maps"
	"math/rand"
	"slices"
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
	r := rand.New(rand.NewSource(43))
	values, wrong := 0, 0
	var passed []string
	for _, of := range tradesIn(t, "anyform") {
		for p, what := range doubts(t, of.schema, of.rec, of.doc) {
			assert.Contains(t, of.concluded, string(p), "%s %s: %s", of.key(), p, what.Text())
		}
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		ix := NewIndex(of.doc)
		for _, p := range slices.Sorted(maps.Keys(Of(of.schema, &rec, ix))) {
			if values++; slices.Contains(of.concluded, string(p)) {
				continue
			}
			was := *rec.At(p)
			for _, to := range spoilt(r, kindred(of.schema.Holding(p), &was), &was) {
				at := rec.At(p)
				name := at.Name
				*at = to
				at.Name = name
				if wrong++; ix.Doubt(of.schema.Holding(p), at, Of(of.schema, &rec, ix)[p], false) == nil {
					passed = append(passed, fmt.Sprintf("%s %s: %s for %s", of.key(), p, to.String(), was.String()))
				}
			}
			*rec.At(p) = was
		}
	}
	t.Logf("%d right values; %d of %d wrong ones pass\n%s", values, len(passed), wrong, strings.Join(passed, "\n"))
	assert.Greater(t, wrong, 180)
	assert.Less(t, float64(len(passed))/float64(wrong), 0.03)
}
