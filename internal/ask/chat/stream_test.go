package chat

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/exchange"
)

// An answer in pieces is the answer, wherever the pieces are cut.
func TestStream(t *testing.T) {
	r := rand.New(rand.NewPCG(91, 92))
	text := `{"bridge": "Widow Ashby's Crossing – über", "grade": 2}`
	for _, called := range []bool{false, true} {
		var wire strings.Builder
		for i := 0; i < len(text); {
			end := min(i+1+r.IntN(9), len(text))
			for end < len(text) && text[end]&0xc0 == 0x80 {
				end++
			}
			delta := fmt.Sprintf(`{"content":%q}`, text[i:end])
			if called {
				delta = fmt.Sprintf(`{"tool_calls":[{"index":0,"function":{"name":"record","arguments":%q}}]}`, text[i:end])
			}
			fmt.Fprintf(&wire, "data: {\"choices\":[{\"index\":0,\"delta\":%s,\"finish_reason\":null}]}\r\n\r\n: a comment\n", delta)
			i = end
		}
		wire.WriteString("data: {\"choices\":[{\"index\":0,\"delta\":{},\"finish_reason\":\"stop\"}]}\n\ndata: {\"choices\":[],\"usage\":{\"prompt_tokens\":7,\"completion_tokens\":9}}\n\ndata: [DONE]\n")
		for range 20 {
			s := &Stream{}
			all := wire.String()
			for len(all) > 0 {
				n := min(1+r.IntN(60), len(all))
				_, stop := s.Feed([]byte(all[:n]))
				require.Equal(t, s.done, stop)
				all = all[n:]
			}
			require.True(t, s.Whole())
			reply, err := ReadReply(s.Body())
			require.NoError(t, err)
			assert.Equal(t, exchange.Reply{Text: text, Finish: "stop", TokensIn: 7, TokensOut: 9, HasUsage: true, Called: called}, *reply)
		}
	}
	s := &Stream{}
	s.Feed([]byte("data: {\"choices\":[{\"delta\":{\"content\":\"{\\\"a\\\"\"}}]}\n"))
	assert.False(t, s.Whole(), "the line was cut")
	s = &Stream{}
	s.Feed([]byte("data: {\"error\":{\"message\":\"out of memory\"}}\n"))
	assert.Contains(t, string(s.Body()), "out of memory")
}

func TestCircles(t *testing.T) {
	assert.True(t, exchange.Circles(strings.Repeat(`{"kind": "rot", "grade": 1}, `, 200)))
	assert.True(t, exchange.Circles("a good beginning "+strings.Repeat("\n", 5000)))
	assert.False(t, exchange.Circles(strings.Repeat("short ", 20)))
	var long strings.Builder
	for i := range 400 {
		fmt.Fprintf(&long, `{"number": %d, "deck": null, "defects": []}, `, i)
	}
	assert.False(t, exchange.Circles(long.String()), "items that count are no circle")
	s := &Stream{}
	stopped := false
	for i := 0; i < 2000 && !stopped; i++ {
		_, stopped = s.Feed([]byte("data: {\"choices\":[{\"delta\":{\"content\":\"null, null, \"}}]}\n"))
	}
	assert.True(t, stopped)
	reply, err := ReadReply(s.Body())
	require.NoError(t, err)
	assert.Equal(t, exchange.FinishCircles, reply.Finish)
	assert.Less(t, len(reply.Text), 6000)
}

// However the bytes of a stream are cut, what comes of them is the same, and is
// an answer or says that it is none.
func FuzzStream(f *testing.F) {
	f.Add("data: {\"choices\":[{\"delta\":{\"content\":\"a\"}}]}\n\ndata: [DONE]\n", 3)
	f.Add("data:{\"error\":{\"message\":\"x\"}}\r\n", 1)
	f.Add("event: x\ndata: {\"choices\":[{\"delta\":{\"tool_calls\":[{\"function\":{\"name\":\"f\",\"arguments\":\"{\"}}]},\"finish_reason\":\"stop\"}]}\n", 7)
	f.Fuzz(func(t *testing.T, wire string, n int) {
		one, two := &Stream{}, &Stream{}
		one.Feed([]byte(wire))
		step := max(n%50, 1)
		if n < 0 {
			step = 1
		}
		for rest := wire; rest != ""; {
			k := min(step, len(rest))
			two.Feed([]byte(rest[:k]))
			rest = rest[k:]
		}
		if !one.circling && !two.circling {
			require.Equal(t, string(one.Body()), string(two.Body()))
			require.Equal(t, one.Whole(), two.Whole())
		}
		ReadReply(one.Body())
	})
}
