package tokens

import (
	"io/fs"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The guess that fills and refuses by is near the count, on the schemas and
// documents of the demo, and never nothing for something.
func TestEstimate(t *testing.T) {
	guess, count, files := 0, 0, 0
	require.NoError(t, fs.WalkDir(os.DirFS("../../demo/project"), ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(path, ".txt") && !strings.HasSuffix(path, ".yaml") {
			return err
		}
		data, err := os.ReadFile("../../demo/project/" + path)
		guess, count, files = guess+Estimate(string(data)), count+Count(string(data)), files+1
		return err
	}))
	require.Greater(t, files, 10)
	t.Logf("%d files: %d guessed, %d counted", files, guess, count)
	assert.InEpsilon(t, count, guess, 0.3)
	assert.Zero(t, Estimate(""))
	assert.Zero(t, Count(""))
	assert.Positive(t, Estimate("a"))
}

// A text counted in pieces has the tokens that it has as one, and a sample of a very
// long one is near the count.
func TestCountByPieces(t *testing.T) {
	line := "The deck of bay 7 was sound, and its rail\n\n  * painted in May;\n* 40.00 EUR\r\n\n\nNext: Übergang, 3.4.2031\n"
	long := strings.Repeat(line, 3000)
	whole, err := vocabulary().Count(long)
	require.NoError(t, err)
	assert.Equal(t, whole, Count(long))
	n, exact := Near(long)
	assert.Equal(t, []any{whole, true}, []any{n, exact})
	longer := strings.Repeat(long, 20)
	n, exact = Near(longer)
	assert.False(t, exact)
	assert.InEpsilon(t, 20*whole, n, 0.02)
	n, _ = Near(strings.Repeat("x", 5<<20))
	assert.Positive(t, n)
}
