package exchange

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What was recorded is answered as it was, byte for byte, whatever the server
// said.
func TestRecording(t *testing.T) {
	file := filepath.Join(t.TempDir(), "r.jsonl")
	replies := []string{`{"choices":[]}`, "<html>\nno JSON \"at all\"\x01é", `"a string"`, ``, `[1,2]`}
	var b bytes.Buffer
	for i, reply := range replies {
		require.NoError(t, NewRecorded([]byte(fmt.Sprintf(`{"n":%d}`, i)), 200+i, []byte(reply)).Write(&b))
	}
	require.NoError(t, NewRecorded([]byte(`{"n":0}`), 500, []byte("later")).Write(&b))
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o644))
	r, err := LoadRecording(file)
	require.NoError(t, err)
	for i, reply := range replies {
		status, body, err := r.Answer([]byte(fmt.Sprintf(`{"n":%d}`, i)))
		require.NoError(t, err)
		assert.Equal(t, 200+i, status)
		if reply != `"a string"` { // kept as what it says
			assert.Equal(t, reply, string(body))
		}
	}
	for range 2 {
		status, body, err := r.Answer([]byte(`{"n":0}`))
		require.NoError(t, err)
		assert.Equal(t, 500, status, "the second time")
		assert.Equal(t, "later", string(body))
	}
	_, _, err = r.Answer([]byte(`{"n":0,"other":"wörds"}`))
	var not *NotRecorded
	require.ErrorAs(t, err, &not)
	assert.Equal(t, 6, not.At)
	assert.Contains(t, err.Error(), `first differs from the nearest one at byte 6: sent …{"n":0,"other":"wörds"}…, saved …{"n":0}…`)
}

func TestBadRecordings(t *testing.T) {
	file := filepath.Join(t.TempDir(), "r.jsonl")
	for text, says := range map[string]string{"": "holds no exchanges", "{}\n": ":1: not an exchange", "{\"request\":{},\"status\":200,\"reply\":{}}\nx\n": ":2: not an exchange"} {
		require.NoError(t, os.WriteFile(file, []byte(text), 0o644))
		_, err := LoadRecording(file)
		assert.ErrorContains(t, err, says)
	}
	_, err := LoadRecording(file + "x")
	assert.ErrorContains(t, err, "can't be read")
}
