package evidence

import (
	"math/big"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record/normalize"
	"filler/internal/schema"
	"filler/internal/source/reading"
)

// apart are values whose place alone does not say them: what stands elsewhere does.
var apart = map[string]string{
	"accessions b /height":       "the unit stands at the second side",
	"bills a /change":            "less says the sign",
	"claims b /injured":          "no number: none is null by itself",
	"crashes a /killed":          "no number: nil is null by itself",
	"expenses a /advance":        "no sum: none is null by itself",
	"lots b /height":             "the unit stands at the second side",
	"marks b /unexcused":         "no number: none is null by itself",
	"meetings a /began":          "the half of the day stands at the end of the range",
	"races a /results/0/born":    "two figures of a year",
	"races a /results/1/born":    "two figures of a year",
	"races a /results/2/born":    "two figures of a year",
	"races a /results/3/born":    "two figures of a year",
	"visits a /medicines/0/dose": "the stop of an abbreviation is none of a unit",
	"waters b /received":         "the zone stands behind",
	"waters c /depth":            "8 m 40",
}

// A value as the document prints it, given as a text, is normalized to the right value, or
// left as it is: never to another one; so is what is left, by where it stands. Converted ones have all their decimals.
func TestValuesAsPrinted(t *testing.T) {
	same, left, placed := 0, 0, 0
	used := map[string]bool{}
	for _, of := range trades(t) {
		rec, err := value.Parse(of.rec)
		require.NoError(t, err)
		ix := NewIndex(of.doc)
		for p, place := range Of(of.schema, &rec, ix) {
			f := of.schema.At(p)
			if k := f.Kin().Type; !place.Found() || place.Kind != Quoted && place.Kind != Restated || k == schema.Text || k == schema.Boolean || k == schema.Choice {
				continue
			}
			printed := of.doc[place.Start:place.End]
			said := value.Str(printed)
			normalize.Field(f, p, &said)
			want, key := rec.At(p).Named(""), of.key()+" "+string(p)
			switch got := said.Named(""); {
			case comesTo(&got, &want):
				same++
			case got.Kind == value.String && want.Kind != value.String, got.Kind == value.String && got.Text == strings.Join(strings.Fields(printed), " "):
				left++
				if own, ok := ix.InPlace(of.schema, f, reading.Span{Start: place.Start, End: place.End}); ok {
					placed++
					assert.True(t, comesTo(&own, &want), "%s, %q in its place: %s, not %s", key, printed, own.String(), want.String())
				}
			case apart[key] != "":
				used[key] = true
			default:
				assert.Equal(t, want.String(), got.String(), "%s, printed %q", key, printed)
			}
		}
	}
	t.Logf("%d values as printed are normalized, %d left as they are, of which %d are read in their place", same, left, placed)
	assert.Greater(t, same, 850)
	assert.Greater(t, placed, left/2)
	for key := range apart {
		assert.True(t, used[key], "%s is said by its place", key)
	}
}

// comesTo tells whether a value is another but for decimals that the other has not.
func comesTo(got, want *value.Value) bool {
	if value.Equal(got, want) {
		return true
	}
	if got.Kind != value.Object || want.Kind != value.Object || got.Get("amount") == nil || got.Get("unit") == nil || want.Get("unit") == nil {
		return false
	}
	a, okA := new(big.Rat).SetString(got.Get("amount").Text)
	_, decimals, _ := strings.Cut(want.Get("amount").Text, ".")
	// A unit that does not come out even stays the document's own.
	if got.Get("unit").Text != want.Get("unit").Text {
		return a != nil && slices.Contains(reading.Kindred(want.Get("unit").Text), reading.UnitOf(got.Get("unit").Text))
	}
	return okA && a.FloatString(len(decimals)) == want.Get("amount").Text
}
