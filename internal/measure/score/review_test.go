package score

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The share of the riskiest fifth does not depend on the order in which leaves
// come: ties share. Against an own count over all orders of the tied.
func TestReview(t *testing.T) {
	leaves := []risky{{0.9, true}, {0.5, true}, {0.5, false}, {0.5, false}, {0.1, true}, {0.1, false}, {0.1, false}, {0.1, false}, {0.1, false}, {0.1, false}}
	r := review(leaves)
	assert.Equal(t, 10, r.Leaves)
	assert.Equal(t, 3, r.Errors)
	assert.Equal(t, 2, r.Top)
	assert.InDelta(t, 1+1.0/3, r.TopErrors, 1e-9, "the first, and one of three tied ones")
	rng := rand.New(rand.NewPCG(111, 112))
	for range 200 {
		rng.Shuffle(len(leaves), func(i, j int) { leaves[i], leaves[j] = leaves[j], leaves[i] })
		require.Equal(t, r, review(leaves))
	}
	assert.Equal(t, Review{}, review(nil))
}
