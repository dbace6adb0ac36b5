package document

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The parts of a pile have each document once, in its order, and about as many each; what is added
// to a pile moves nothing from part to part.
func TestShardsPartition(t *testing.T) {
	var pile []Source
	for i := range 5000 {
		pile = append(pile, Source{ID: fmt.Sprintf("documents/%05d.txt", i)})
	}
	for _, of := range []int{2, 3, 64} {
		seen := map[string]int{}
		for k := 1; k <= of; k++ {
			s, err := ParseShard(fmt.Sprintf("%d/%d", k, of))
			require.NoError(t, err)
			part := s.Part(pile)
			assert.InDelta(t, 5000/of, len(part), 5*70/float64(of)+40)
			for i, src := range part {
				seen[src.ID]++
				assert.True(t, i == 0 || part[i-1].ID < src.ID)
			}
			assert.Subset(t, part, s.Part(pile[:2500]))
		}
		assert.Len(t, seen, len(pile))
		for id, n := range seen {
			require.Equal(t, 1, n, id)
		}
	}
	for _, bad := range []string{"", "3", "0/3", "4/3", "1/1", "a/b", "1/2/3", "1/999999999"} {
		_, err := ParseShard(bad)
		assert.Error(t, err, bad)
	}
	assert.Len(t, Shard{}.Part(pile), len(pile))
}
