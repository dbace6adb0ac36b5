package reading

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/schema"
)

// What a field of plain numbers is in, by its name and what it is about; names whose last word only looks
// like a unit or a code name none.
func TestWhatAFieldIsIn(t *testing.T) {
	for field, want := range map[string][3]string{
		"weight_kg: Weight.":             {"kg"},
		"massKg: Mass.":                  {"kg"},
		"length_cm: Length.":             {"cm"},
		"area_sq_m: Area.":               {"m2"},
		"energy_kwh: Energy.":            {"kWh"},
		"size_mb: Size.":                 {"MB"},
		"dose_mg_per_l: Dose.":           {"mg/l"},
		"duration: Duration in minutes.": {"min"},
		"temp_f: Temperature.":           {"°F"},
		"height_in: Height.":             {"in"},
		"mass: Mass (kg)":                {"kg"},
		"total_eur: Total.":              {"", "EUR"},
		"amountUSD: Amount.":             {"", "USD"},
		"price: Price in Swiss francs":   {""},
		"fee: Fee in CHF.":               {"", "CHF"},
		"price_cents: Price.":            {"", "", "hundredths"},
		"amount_minor: Amount.":          {"", "", "hundredths"},
		"amount: Amount in minor units.": {"", "", "hundredths"},
		"discount_per_cent: Discount.":   {"%"},
		"count_all: How many.":           {""},
		"matches_won: How many.":         {""},
		"durationMin: Duration min.":     {"min"},
		"grade_min: The least grade.":    {""},
		"team_a: Points.":                {""},
		"vitamin_c: How much.":           {""},
		"plan_b: Plan.":                  {""},
		"check_no: Number.":              {""},
		"times_a_day: How often.":        {""},
		"m: Male ones.":                  {""},
		"in: How many came in a day.":    {""},
	} {
		s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  "+field[:len(field)-len(after(field))]+"{number: \""+after(field)+"\"}\n"))
		require.NoError(t, err, field)
		f := s.Root.Fields[0]
		hundredths := ""
		if CountsHundredths(f) {
			hundredths = "hundredths"
		}
		assert.Equal(t, want, [3]string{FieldUnit(f), FieldCurrency(f), hundredths}, field)
	}
}

// after gives what stands behind a colon.
func after(field string) string {
	for i := range field {
		if field[i] == ':' {
			return field[i+2:]
		}
	}
	return field
}

// What documents call a field is its name without its unit.
func TestBareName(t *testing.T) {
	for name, want := range map[string]string{"weight_kg": "weight", "flow_mg_per_l": "flow", "total_eur": "total", "priceCents": "price", "weight": "", "kg": "", "report_no": "", "net_weight_g": "net weight"} {
		assert.Equal(t, want, BareName(&schema.Field{Name: name, Type: schema.Number}), name)
	}
}
