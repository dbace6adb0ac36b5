package night

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"filler/internal/measure/score"
	"filler/internal/run/nightly"
	"filler/internal/store"
)

// What a pile calls its documents does nothing to the page: no link, no tag, no row of its own, no
// sign that is not seen.
func TestHostileNames(t *testing.T) {
	n := &nightly.Night{Picks: true, Project: "a|b", Schema: "s", Began: time.Date(2031, 3, 1, 2, 30, 0, 0, time.UTC), Run: 4, Model: "m`x`", Totals: store.Totals{Documents: 3, Flagged: 3},
		Look: []nightly.Look{{Document: "x | y\n| z", Status: "flagged", Codes: []string{"pattern"}}, {Document: "<img src=x>", Status: "flagged"}, {Document: "[win](http://a.example)\u202e", Status: "failed"}}}
	page := Page(n)
	assert.Contains(t, page, "# a\\|b: 3 flagged, 0 failed\n")
	for _, bad := range []string{"<img", " [win", "\u202e", "\n| z"} {
		assert.NotContains(t, page, bad)
	}
	assert.Contains(t, page, `\[win\](`)
	assert.Contains(t, page, "| flagged | pattern |")
}

// The page says in its first line what is to be known, the worst first.
func TestVerdicts(t *testing.T) {
	worse := &nightly.Recheck{Approved: 2, Model: "m", Was: ratio(0.9), Now: ratio(0.6), P: 0.001}
	for want, n := range map[string]*nightly.Night{
		"nothing to fill":    {},
		"nothing to look at": {Run: 3},
		"stopped: at the budget · model m is worse than when run 2 was approved · 1 flagged, 0 failed": {Run: 3, Ended: "at the budget", Recheck: worse, Totals: store.Totals{Flagged: 1}},
	} {
		assert.Equal(t, want, n.Verdict())
		assert.Contains(t, Page(n), want)
	}
	assert.Contains(t, Page(&nightly.Night{Recheck: worse}), "**Model m is worse than it was**")
}

func ratio(v float64) score.Ratio { return score.Ratio{Value: v, Exists: true} }
