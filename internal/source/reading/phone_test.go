package reading

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"filler/internal/schema"
)

// A number of E.164 stands where it is written with the code of its country, in any groups, or with a
// nought in its place; one with another figure stands nowhere.
func TestPhonesInE164(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	groups := func(digits string) string {
		var b strings.Builder
		for i, d := range digits {
			if i > 0 && i%(2+r.IntN(2)) == 0 && i < len(digits)-1 {
				b.WriteString([]string{" ", "-", " "}[r.IntN(3)])
			}
			b.WriteRune(d)
		}
		return b.String()
	}
	for range 2000 {
		code := []string{"44", "49", "33", "351", "48", "39"}[r.IntN(6)]
		national := fmt.Sprint(2+r.IntN(8)) + fmt.Sprintf("%08d", r.IntN(100_000_000))
		full := "+" + code + national
		at := r.IntN(len(national))
		other := "+" + code + national[:at] + string('0'+(national[at]-'0'+1)%10) + national[at+1:]
		area, rest := national[:3], national[3:]
		for _, said := range []string{"+" + code + " " + area + " " + groups(rest), "00" + code + " " + area + " " + groups(rest), "+" + code + " (0)" + area + " " + groups(rest), "0" + area + " " + groups(rest), "0" + area + "/" + rest} {
			tx := New("Call Ida Marsh, tel. " + said + ", before noon.")
			assert.NotEmpty(t, tx.Phones(full), "%s in %q", full, said)
			assert.Empty(t, tx.Phones(other), "%s in %q", other, said)
		}
	}
	american := New("Call (555) 010-4477.")
	assert.NotEmpty(t, american.Phones("+15550104477"))
	assert.Empty(t, american.Phones("+495550104477"))
	assert.NotEmpty(t, New("fone (47) 99911-2020").Phones("+5547999112020"))
}

// The minutes of an hour begin no telephone number: what stands behind them counts.
func TestFiguresBehindAnHour(t *testing.T) {
	for minute := range 60 {
		for _, said := range []string{"19:%02d 139/88", "at 7:%02d 139-88 was read", "[19:%02d] 139 88 kg"} {
			tx := New(fmt.Sprintf(said, minute))
			assert.Empty(t, tx.phones(), tx.Source)
		}
		tx := New(fmt.Sprintf("19:%02d 139/88 pulse 68", minute))
		for _, n := range []string{"139", "88", "68"} {
			found, _ := tx.Numbers(&schema.Field{Type: schema.Integer}, canonical(n))
			assert.NotEmpty(t, found, "%s in %q", n, tx.Source)
		}
	}
	assert.NotEmpty(t, New("Tel:0555 010 223").phones())
}
