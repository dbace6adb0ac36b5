package reading

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"filler/internal/schema"
)

// How often something is done is a number; once is one only where it says of what.
func TestHowOften(t *testing.T) {
	for text, want := range map[string]map[string]bool{
		"oats twice a day, hay thrice": {"2": true, "3": true},
		"once daily, carrots":          {"1": true},
		"carrots once in the evening":  {"1": true},
		"once more, and at once":       {"1": false},
		"dreimal täglich":              {"3": true},
		"noch einmal":                  {"1": false},
		"einmal pro Woche":             {"1": true},
	} {
		tx := New(text)
		for n, stands := range want {
			found, _ := tx.Numbers(&schema.Field{Type: schema.Integer}, canonical(n))
			assert.Equal(t, stands, len(found) > 0, "%s: %s", text, n)
		}
	}
	assert.Equal(t, []string{"2"}, Whole("Twice", schema.NumberFormat{}, true))
	assert.Equal(t, []string{"1"}, Whole("once", schema.NumberFormat{}, true))
	assert.Empty(t, Whole("once more", schema.NumberFormat{}, true))
}
