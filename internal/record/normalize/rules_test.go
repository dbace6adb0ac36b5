package normalize

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/shopspring/decimal"
	"github.com/stretchr/testify/assert"

	"filler/internal/source/reading"

	"github.com/stretchr/testify/require"
)

// Converting there and back gives the amount again, to the last digit, and what
// does not come out even is not converted.
func TestConvert(t *testing.T) {
	r := rand.New(rand.NewPCG(101, 102))
	names := []string{"mm", "cm", "m", "km", "in", "ft", "yd", "g", "kg", "t", "lb", "s", "min", "h", "ml", "l", "m3"}
	there := 0
	for range 3000 {
		amount := fmt.Sprintf("%d.%d", r.IntN(5000), r.IntN(100))
		from, to := names[r.IntN(len(names))], names[r.IntN(len(names))]
		out := reading.Convert(amount, from, to)
		if out == "" {
			continue
		}
		there++
		back := reading.Convert(out, to, from)
		require.NotEmpty(t, back, "%s %s in %s", amount, from, to)
		require.True(t, decimal.RequireFromString(back).Equal(decimal.RequireFromString(amount)), "%s %s -> %s %s -> %s", amount, from, out, to, back)
	}
	assert.Greater(t, there, 300)
	assert.Equal(t, "9.8", reading.Convert("980", "cm", "metres"))
	assert.Equal(t, "", reading.Convert("1", "m", "ft"), "3.28083… has no end")
	assert.Equal(t, "", reading.Convert("1", "m", "kg"))
	assert.Equal(t, "", reading.Convert("1", "EUR", "USD"))
	assert.Equal(t, "62000", reading.Convert("62", "mg/l", "µg/l"))
	assert.Equal(t, "0.062", reading.Convert("62", "milligrams a litre", "g/l"))
	assert.Equal(t, "10", reading.Convert("1", "t/ha", "kg/a"))
	assert.Equal(t, "", reading.Convert("1", "mg/l", "mg/kg"))
	assert.Equal(t, "", reading.Convert("1", "K/min", "°C/min"), "what has another nought is no ratio")
}

// Every normalizer that changes a value is listed, and has an example.
func TestRulesAreListed(t *testing.T) {
	listed := map[string]bool{}
	for _, r := range Rules {
		assert.NotEmpty(t, r.Example, r.Name)
		assert.False(t, listed[r.Name], "%s is listed twice", r.Name)
		listed[r.Name] = true
	}
	for _, name := range []string{RuleSpaces, RuleBlank, RuleAsText, RuleDigits, RuleWhole, RuleYesNo, RuleDate, RuleChoice, RuleListOne, RuleListed, RuleNumber, RuleTime, RuleAmount, RuleKey, RuleMeasure, RuleUnit, RuleUnknown, RuleSentence, RuleLookalikes} {
		assert.True(t, listed[name], name)
	}
}
