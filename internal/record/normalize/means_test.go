package normalize

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/lang"
	"filler/internal/schema"
)

// What words mean for a boolean by its name: a form of it, what denies it, or how a test went.
func TestMeans(t *testing.T) {
	for _, c := range []struct {
		name, text  string
		want, known bool
	}{
		{"passed", "Pass", true, true},
		{"passed", "passes", true, true},
		{"passed", "FAIL", false, true},
		{"passed", "not passed", false, true},
		{"passed", "rejected", false, true},
		{"passed", "n.i.O.", false, true},
		{"failed", "OK", false, true},
		{"failed", "fails", true, true},
		{"paid", "unpaid", false, true},
		{"paid", "not unpaid", true, true},
		{"compliant", "non-compliant", false, true},
		{"open", "closed", false, true},
		{"open", "offen", false, false},
		{"closed", "not closed", false, true},
		{"abierta", "cerrado", false, true},
		{"pagada", "pagado", true, true},
		{"bestanden", "nicht bestanden", false, true},
		{"signed", "by Ott", false, false},
		{"passed", "3 passes", false, false},
		{"dry", "try", false, false},
		{"", "closed", false, false},
		{"closed", "", false, false},
	} {
		got, known := Means(c.name, c.text)
		assert.Equal(t, c.known, known, "%s for %s", c.text, c.name)
		assert.Equal(t, c.want, got && known, "%s for %s", c.text, c.name)
	}
}

// Words deny each other both ways, none denies itself, and what denies a word means false for it and true for none.
func TestOpposites(t *testing.T) {
	n := 0
	for _, l := range lang.Languages() {
		for _, pair := range l.Meanings(lang.Opposite) {
			a, b := pair[0], pair[1]
			n++
			assert.True(t, Opposite(a, b) && Opposite(b, a), "%s, %s", a, b)
			assert.False(t, Opposite(a, a), a)
			assert.False(t, Opposite(b, b), b)
			for _, of := range [][2]string{{a, b}, {b, a}} {
				says, known := Means(of[0], strings.ToUpper(of[1]))
				assert.True(t, known && !says, "%s for %s", of[1], of[0])
				if says, known = Means(of[0], "not "+of[1]); known {
					assert.True(t, says, "not %s for %s", of[1], of[0])
				}
			}
		}
	}
	require.Greater(t, n, 60)
	for _, good := range lang.Verdict.Names("good") {
		for _, bad := range lang.Verdict.Names("bad") {
			if strings.ContainsAny(good+bad, " .") {
				continue
			}
			says, known := Means(good, bad)
			assert.True(t, known && !says, "%s for %s", bad, good)
		}
	}
}

// A reply is read by the same words, after those that the field declares.
func TestSaysByName(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  passed: {boolean: P., false: {also: [pass mark missed]}}\n  is_paid: {boolean: P.}\n"))
	require.NoError(t, err)
	says := func(field, text string) any {
		if b, known := Says(s.Find(field), text); known {
			return b
		}
		return nil
	}
	assert.Equal(t, true, says("passed", "Pass"))
	assert.Equal(t, false, says("passed", "pass mark missed"))
	assert.Equal(t, false, says("is_paid", "Unpaid."))
	assert.Equal(t, true, says("is_paid", "paid"))
	assert.Nil(t, says("is_paid", "perhaps"))
}
