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

// Four figures are a time where others in their line are, too; telephone numbers and years are none.
func TestFourFiguresAmongTimes(t *testing.T) {
	for text, want := range map[string]map[string]int{
		"HW 0512 5.4   LW 1131 1.0   HW 1738 5.6": {"05:12": 1, "11:31": 1, "17:38": 1, "05:04": 0},
		"call 0555 1234 or 0555 010 2233":         {"05:55": 0, "12:34": 0, "22:33": 0},
		"in 2031 and 2032 it was 1131":            {"20:31": 0, "11:31": 0},
		"Lifted 1915, down again 1940":            {"19:15": 1, "19:40": 1},
		"Lifted 1940, down again 1915":            {"19:15": 0},
		"code 0512":                               {"05:12": 0},
		"3 May 2031 0512-1131":                    {"05:12": 1},
	} {
		tx := New(text)
		for at, n := range want {
			assert.Len(t, tx.FourFigures(at), n, "%s: %s", text, at)
		}
	}
}

// Days without a gap.
func TestDaysWithoutGaps(t *testing.T) {
	for text, day := range map[string]string{"27SEP31 0600Z": "2031-09-27", "ETA 05may2031": "2031-05-05", "le 3août2031": "2031-08-03"} {
		tx := New(text)
		tx.findDays()
		assert.NotEmpty(t, tx.days.at[day], text)
	}
	for _, text := range []string{"12abc34", "40MAY31", "5min30"} {
		tx := New(text)
		tx.findDays()
		assert.Empty(t, tx.days.at, text)
	}
}
