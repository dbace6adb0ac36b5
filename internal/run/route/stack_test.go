package route

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/base/value"
)

// The documents of a stack cover its pages, each once, and are read back as they were named.
func TestPartsCoverThePages(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for range 300 {
		pages := 1 + r.IntN(12)
		starts := []int{1}
		for p := 2; p <= pages; p++ {
			if r.IntN(3) == 0 {
				starts = append(starts, p)
			}
		}
		ids := Parts("a/b.pdf", starts, pages)
		require.Len(t, ids, len(starts))
		if len(starts) == 1 {
			assert.Equal(t, []string{"a/b.pdf"}, ids)
			continue
		}
		for i, id := range ids {
			file, from, ok := PagesOf(id)
			require.True(t, ok)
			assert.Equal(t, "a/b.pdf", file)
			assert.Equal(t, starts[i], from)
		}
	}
	assert.Equal(t, []string{"s.pdf#1-2", "s.pdf#3", "s.pdf#4-6"}, Parts("s.pdf", []int{1, 3, 4}, 6))
}

// A model that names pages that are none, or not the first, does no harm.
func TestAnsweredStarts(t *testing.T) {
	for said, want := range map[string][]int{`{"starts": [1, 3]}`: {1, 3}, `{"starts": [3, 3, 99, 0, -1]}`: {1, 3}, `{"starts": []}`: {1}, `{}`: {1}, `{"starts": ["2", null, "x"]}`: {1, 2}} {
		v, err := value.Parse(said)
		require.NoError(t, err)
		assert.Equal(t, want, AnsweredStarts(&v, 5), said)
	}
	s, err := StartsQuestion(5)
	require.NoError(t, err)
	assert.Len(t, s.Leaves(), 1)
}

// What is held against gold is counted once: jobs by document, boundaries by file.
func TestMeasure(t *testing.T) {
	truth := NewTruth(map[string][]string{"a": {"x.txt", "s.pdf#1-2", "s.pdf#4"}, "b": {"y.txt", "s.pdf#3"}})
	m := Measure(truth, []Route{{Document: "x.txt", Job: "a"}, {Document: "y.txt", Job: "c"}, {Document: "z.txt", Job: "a"}, {Document: "s.pdf#1-2", Job: "a"}, {Document: "s.pdf#3-4", Job: "b"}})
	assert.Equal(t, 3, m.Of)
	assert.Equal(t, 2, m.Right)
	assert.Equal(t, []string{"a", "b", "c", Other, ""}, m.Jobs)
	assert.Equal(t, 1, m.Table[1][2])
	assert.Equal(t, []int{1, 1, 0}, []int{m.Found, m.Missed, m.Extra})
	m = Measure(truth, []Route{{Document: "s.pdf", Job: "a"}})
	assert.Equal(t, []int{0, 2, 0}, []int{m.Found, m.Missed, m.Extra}, "a file that was not split has none of its boundaries")
}
