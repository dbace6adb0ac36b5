package packed

import (
	"bytes"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Whatever is packed comes back, byte for byte; what is long and repeats itself
// is small; what is damaged is an error or a body, never a crash.
func TestPacking(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 2000 {
		body := make([]byte, r.IntN(3000))
		for i := range body {
			body[i] = `{"step":"check"}`[r.IntN(16)]
			if r.IntN(4) == 0 {
				body[i] = byte(r.Uint32())
			}
		}
		kept := Body(body)
		require.LessOrEqual(t, len(kept), len(body)+1)
		got, err := Open(kept)
		require.NoError(t, err)
		require.True(t, bytes.Equal(body, got))
		kept[r.IntN(len(kept))] ^= byte(1 + r.IntN(255))
		Open(kept)
		Open(kept[:r.IntN(len(kept))])
	}
	assert.Less(t, len(Body([]byte(strings.Repeat(`{"kind":"quoted","start":12,"end":19,"line":3},`, 50)))), 100)
	parts := [][]byte{[]byte("{}"), nil, {}, []byte("long " + strings.Repeat("x", 900))}
	var a, b, c, d []byte
	require.NoError(t, OpenAll(All(parts...), &a, &b, &c, &d))
	assert.Equal(t, parts, [][]byte{a, b, c, d})
	for _, kept := range [][]byte{nil, {7, 1}, {asItIs}, {asItIs, 200}, {deflated, 1, 2, 3}} {
		assert.Error(t, OpenAll(kept, &a, &b))
	}
}
