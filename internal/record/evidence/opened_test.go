package evidence

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

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
