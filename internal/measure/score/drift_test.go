package score

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
	"filler/internal/schema"
)

// pile makes records as they come in: documents of their own habits, so that what is in
// one belongs together. spoil changes some of them.
func pile(t *testing.T, r *rand.Rand, s *schema.Schema, n int, spoil func(r *rand.Rand, kinds *[]string, filled *float64)) *Profile {
	p := NewProfile(s)
	for range n {
		kinds, filled := []string{"rot", "rust", "rust", "scour"}, 0.9
		if r.IntN(3) == 0 { // a writer who sees rot everywhere
			kinds = []string{"rot", "rot", "rot", "rust"}
		}
		spoil(r, &kinds, &filled)
		text := `{"name":"Heron Plank","finds":[`
		for i := range 1 + r.IntN(6) {
			if i > 0 {
				text += ","
			}
			kind := fmt.Sprintf("%q", kinds[r.IntN(len(kinds))])
			if r.Float64() > filled {
				kind = "null"
			}
			text += fmt.Sprintf(`{"kind":%s,"cost":%d}`, kind, 10+r.IntN(500))
		}
		v, err := value.Parse(text + `]}`)
		require.NoError(t, err)
		l := record.Line{Status: record.Unflagged, Record: v, Evidence: value.Obj()}
		for i := range 8 {
			kind := "quoted"
			if r.IntN(40) == 0 {
				kind = "none"
			}
			l.Evidence.Kids = append(l.Evidence.Kids, value.Obj(value.Str(kind).Named("kind")).Named(fmt.Sprint("/", i)))
		}
		p.Add(&l)
	}
	return p
}

// Two piles of the same kind are called different in at most one of twenty pairs, whatever
// their sizes; a choice that goes out of use, and a field that is left empty more often, are
// found, and named.
func TestDriftIsFoundAndNotMadeUp(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of short runs; `make long` runs it")
	}
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  name: N.\n  finds: {list: F., fields: {kind: {choice: K., of: [rot, rust, scour]}, cost: {integer: C.}}}\n"))
	require.NoError(t, err)
	r := rand.New(rand.NewPCG(12, 7))
	same := func(*rand.Rand, *[]string, *float64) {}
	const trials = 200
	for _, sizes := range [][2]int{{20, 20}, {200, 40}, {300, 300}} {
		alarms := 0
		for range trials {
			for _, d := range DriftOf(pile(t, r, s, sizes[0], same), pile(t, r, s, sizes[1], same)) {
				if d.Changed() {
					alarms++
					break
				}
			}
		}
		t.Logf("%v documents: %d of %d pairs called different", sizes, alarms, trials)
		assert.LessOrEqual(t, alarms, trials*8/100, "%v", sizes)
	}
	found := func(spoil func(*rand.Rand, *[]string, *float64)) map[string]int {
		times := map[string]int{}
		for range 50 {
			for _, d := range DriftOf(pile(t, r, s, 200, same), pile(t, r, s, 200, spoil)) {
				if d.Changed() {
					times[d.Measure]++
				}
			}
		}
		return times
	}
	gone := found(func(_ *rand.Rand, kinds *[]string, _ *float64) {
		for i := range *kinds {
			if (*kinds)[i] == "scour" {
				(*kinds)[i] = "rust"
			}
		}
	})
	assert.GreaterOrEqual(t, gone["finds[].kind = scour"], 45, "%v", gone)
	empty := found(func(_ *rand.Rand, _ *[]string, filled *float64) { *filled = 0.7 })
	assert.GreaterOrEqual(t, empty["finds[].kind: filled"], 45, "%v", empty)
	assert.LessOrEqual(t, empty["finds[].cost: size"]+empty["name: length"], 5, "%v", empty)
}

// The test by hand: 3 of 10 and 8 of 10 values in documents of one value each, and figures
// without spread that are the same or not.
func TestWelchByHand(t *testing.T) {
	m := func(unit string, ones, n int) summed {
		x := measure{unit: unit}
		for i := range n {
			d := ratioOfDoc{0, 1}
			if i < ones {
				d.over = 1
			}
			x.each = append(x.each, d)
		}
		return x.sum()
	}
	// Ratios 0.3 and 0.8; pooled 0.55, floor 0.2475 / 10; own variances 0.21/9 and 0.16/9, so
	// the floor counts in both: t = 0.5 / √0.0495 = 2.247 at 18 degrees of freedom.
	assert.InDelta(t, 0.0374, welch(m("share", 3, 10), m("share", 8, 10)), 0.0005)
	assert.Equal(t, 1.0, welch(m("letters", 0, 10), m("letters", 0, 10)))
	assert.Equal(t, 0.0, welch(m("letters", 0, 10), m("letters", 10, 10)))
}
