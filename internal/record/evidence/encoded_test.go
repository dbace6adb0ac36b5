package evidence

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/schema"
)

// A text in which a program wants a decimal, a day, a time or a length of time stands where what it
// means does, and nowhere else.
func TestEncoded(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  said: What it says.\n"))
	require.NoError(t, err)
	for doc, values := range map[string][2][]string{
		"Claimed: EUR 1,204.50 in all":      {{"1204.50"}, {"1240.50", "204.50", "1.20"}},
		"Loss on 4 May 2031 at 17:40":       {{"2031-05-04", "17:40:00", "17:40:00Z"}, {"2031-05-14", "17:04:00", "05:40:00"}},
		"Repair takes 3 days, then 2 weeks": {{"P3D", "P2W"}, {"P2D", "P3W", "PT3H", "P3M"}},
		"open for 45 min. Closed 2 hours.":  {{"PT45M", "PT2H"}, {"P45M", "PT2M", "P2Y"}},
	} {
		for i, all := range values {
			for _, v := range all {
				assert.Equal(t, i == 0, len(doubts(t, s, `{"said":"`+v+`"}`, doc)) == 0, "%s in %q", v, doc)
			}
		}
	}
}
