package score

import (
	"fmt"
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
	"filler/internal/record"
)

// Holm's correction, by hand: 0.01 of four is 0.04, 0.02 of three 0.06, 0.03 of two 0.06,
// and 0.5 stays.
func TestHolmByHand(t *testing.T) {
	got := Holm([]float64{0.03, 0.5, 0.01, 0.02})
	assert.InDeltaSlice(t, []float64{0.06, 0.5, 0.04, 0.06}, got, 1e-9)
}

// Each of several is to the first what the two by themselves are, on the documents that
// all of them have; a set beside itself differs in nothing.
func TestSeveralArePairs(t *testing.T) {
	s, golds, filled := pairsOfRecords(t, 60, 8)
	_, _, other := pairsOfRecords(t, 60, 9)
	set := setOf(golds)
	sets := [][]*value.Value{filled, golds, other, filled}
	c := NewComparer(s, set.Shelf(), "", len(sets))
	for i, records := range sets {
		for j, v := range records {
			if i == 2 && j < 5 {
				continue // not in all
			}
			require.NoError(t, c.To(i)(record.Line{Document: docName(j), Record: *v}))
		}
	}
	all, apart := c.CompareAll()
	require.Len(t, apart, 5)
	assert.Equal(t, "not in all of them (C has no record of it)", apart[0].Why)
	for i := 1; i < len(sets); i++ {
		two := NewComparer(s, set.Shelf(), "", 2)
		for k, records := range [][]*value.Value{sets[0], sets[i]} {
			for j, v := range records[5:] {
				require.NoError(t, two.To(k)(record.Line{Document: docName(j + 5), Record: *v}))
			}
		}
		pair := two.Compare()
		pair.Needed = all[i].Needed // it is for one comparison alone
		assert.Equal(t, pair, all[i].Comparison)
		assert.GreaterOrEqual(t, all[i].Holm, all[i].P)
	}
	assert.Equal(t, [3]float64{0, 1, 0}, [3]float64{all[3].By, all[3].Holm, float64(all[3].Needed)})
	assert.Equal(t, all[0].F1, all[3].F1)
	assert.Positive(t, all[1].By, "gold is better than anything")
}

// As many documents as are said to be needed show the difference about four times in five,
// with documents whose errors are independent and with a few that hold most of them.
func TestNeededDocumentsShowTheDifference(t *testing.T) {
	if testing.Short() {
		t.Skip("left out of short runs; `make long` runs it")
	}
	for name, errors := range map[string]func(r *rand.Rand, rate float64) int32{
		"independent": func(r *rand.Rand, rate float64) (n int32) {
			for range 20 {
				if r.Float64() < rate {
					n++
				}
			}
			return n
		},
		"clustered": func(r *rand.Rand, rate float64) int32 {
			if r.Float64() < rate*2 {
				return 10
			}
			return 0
		},
	} {
		t.Run(name, func(t *testing.T) {
			draw := func(r *rand.Rand, n int) (as, bs []Tally, c Comparison) {
				for range n {
					x, y := errors(r, 0.15), errors(r, 0.12)
					a, b := Tally{Right: 20 - x, Missed: x}, Tally{Right: 20 - y, Missed: y}
					as, bs = append(as, a), append(bs, b)
					c.A, c.B = c.A.Plus(a.counts()), c.B.Plus(b.counts())
					if a != b {
						c.Differing++
					}
				}
				c.By = c.B.F1().Value - c.A.F1().Value
				return as, bs, c
			}
			r := rand.New(rand.NewPCG(5, 5))
			as, bs, c := draw(r, 20000)
			c.P = 1
			n := needed(as, bs, &c, 0.05)
			require.Greater(t, n, 20)
			const trials = 300
			shown := 0
			for range trials {
				as, bs, _ := draw(r, n)
				if flipped(as, bs) < 0.05 {
					shown++
				}
			}
			share := float64(shown) / trials
			t.Logf("%d documents show it in %.2f of the trials", n, share)
			assert.InDelta(t, power, share, 0.08, fmt.Sprint(n))
		})
	}
	as := []Tally{{9, 1, 0, 0}, {10, 0, 0, 0}, {6, 2, 2, 0}, {8, 0, 1, 1}, {7, 2, 1, 0}}
	bs := []Tally{{10, 0, 0, 0}, {10, 0, 0, 0}, {8, 1, 1, 0}, {9, 0, 1, 0}, {9, 1, 0, 0}}
	byHand := Comparison{Differing: 4, P: 0.125}
	for i := range as {
		byHand.A, byHand.B = byHand.A.Plus(as[i].counts()), byHand.B.Plus(bs[i].counts())
	}
	byHand.By = 0.0966702
	assert.Equal(t, 7, needed(as, bs, &byHand, 0.05), "docs/scoring.md")
	byHand.Differing = 5
	assert.Equal(t, 6, needed(as, bs, &byHand, 0.05), "5.3 of 5, rounded up")
	assert.Zero(t, needed(nil, nil, &Comparison{}, 0.05))
}
