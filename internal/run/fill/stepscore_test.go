package fill

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/prompt"
	"filler/internal/base/value"
	"filler/internal/schema"
	"filler/internal/store"
)

// What a reply comes to, step by step; of several attempts the last counts, and
// what was asked in parts has no one reply.
func TestStepsOf(t *testing.T) {
	s, err := schema.Parse("s.yaml", []byte(sampleSchema))
	require.NoError(t, err)
	reply := func(step, content string) store.Exchange {
		text := value.Str(content)
		asked := value.Str("# Document\nIt stands between two equal lines.\n=====1=====\nHeron Plank, visited 3 April, grade 2. Printed 30 May 2031.\n=====1=====\n")
		request := [][]byte{[]byte(`{"messages":[{"role":"user","content":`), asked.JSON(), []byte(`}]}`)}
		return store.Exchange{Step: step, Status: 200, Request: request, Reply: fmt.Appendf(nil, `{"choices":[{"message":{"content":%s},"finish_reason":"stop"}]}`, text.JSON())}
	}
	for _, c := range []struct{ content, came, lenient, normalized string }{
		{`{"name":"Heron Plank","grade":2}`, `{"name":"Heron Plank","grade":2}`, `{"name":"Heron Plank","grade":2}`, `{"name":"Heron Plank","grade":2,"on":null,"open":null}`},
		{"```json\n{\"name\": \"Heron Plank\", \"grade\": \"2\",}\n```", `null`, `{"name":"Heron Plank","grade":"2"}`, `{"name":"Heron Plank","grade":2,"on":null,"open":null}`},
		{`{"name":"Heron Plank","open":{"value":false,"basis":"shut"}}`, `{"name":"Heron Plank","open":{"value":false,"basis":"shut"}}`, `{"name":"Heron Plank","open":false}`, `{"name":"Heron Plank","grade":null,"on":null,"open":false}`},
		{`{"name":"Heron Plank","on":"3 April"}`, `{"name":"Heron Plank","on":"3 April"}`, `{"name":"Heron Plank","on":"3 April"}`, `{"name":"Heron Plank","grade":null,"on":"2031-04-03","open":null}`},
		{"I can't.", `null`, `null`, `null`},
	} {
		got, one := StepsOf(s, prompt.Settings{}, []store.Exchange{{Step: "fill", Status: 429}, reply("fill", "{}"), reply("fill", c.content), reply("repair 1", "[]")})
		require.True(t, one)
		assert.Equal(t, []string{c.came, c.lenient, c.normalized}, []string{got.Came.String(), got.Lenient.String(), got.Normalized.String()}, c.content)
	}
	_, one := StepsOf(s, prompt.Settings{}, []store.Exchange{reply("fill 1/2", "{}"), reply("fill 2/2", "{}")})
	assert.False(t, one)
	_, one = StepsOf(s, prompt.Settings{}, nil)
	assert.False(t, one)
}
