package reading

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// A dash apart from its figure is a sign in a column of amounts, and a mark of a list, a range or a pause
// elsewhere.
func TestDashInColumn(t *testing.T) {
	for text, minus := range map[string]bool{
		"Discount      - 7.33":            true,
		"Discount      – 7.33\nSum 90.67": true,
		"Discount  -  £  7.33":            true,
		"Discount      £ - 7.33":          true,
		"| Discount | - 7.33 |":           true,
		"Discount\t- 7,33 €":              true,
		"Discount    - 1.007.33   VAT":    false, // no figure at all
		"- 7.33 for the tea":              false,
		"Tea\n  - 7.33 each":              false,
		"Discount - 7.33":                 false,
		"Screws      - 7 boxes":           false,
		"from 5.00  - 7.33 net":           false,
		"Discount      - 7.33 or so":      false,
		"on sale - 7.33":                  false,
	} {
		tx := New(text)
		assert.Equal(t, minus, len(tx.Every("-7.33")) > 0 || len(tx.Every("-733e-2")) > 0, text)
	}
}
