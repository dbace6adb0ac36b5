package fill

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/record"
	"filler/internal/schema"
)

// What was left over is asked about, and no problem; where that question gets no answer the record is flagged,
// for nobody has looked.
func TestQuestionsWithoutAnswers(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte("schema: s\nfields:\n  apiary: Name of the apiary.\n  on: {date: Day.}\n"))
	require.NoError(t, err)
	for answered, flagged := range map[bool]bool{true: false, false: true} {
		requests := 0
		reply := `{"apiary":null,"on":"2032-05-03"}`
		set := trialSetup(t, s, reply, &requests)
		asked := 0
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			if asked++; asked > 1 && !answered {
				http.Error(w, `{"error":{"message":"no"}}`, http.StatusBadRequest)
				return
			}
			fmt.Fprintf(w, `{"choices":[{"message":{"content":%q},"finish_reason":"stop"}],"usage":{"prompt_tokens":1,"completion_tokens":1}}`, reply)
		}))
		t.Cleanup(server.Close)
		set.Model.At = server.URL
		line, _ := fillOne(t, set, writeDoc(t, "a", "Apiary Elder Field, 3 May 2032\nThe bees were calm.\n"))
		assert.Greater(t, asked, 1)
		codes := map[record.Code]bool{}
		for _, p := range line.Problems {
			codes[p.Code()] = true
		}
		assert.Equal(t, flagged, codes[record.Uncovered], "answered: %v, %v", answered, line.Problems)
	}
}
