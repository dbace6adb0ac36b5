package model

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/chat"
	"filler/internal/ask/exchange"
	"filler/internal/base/project"
)

// A server that does not take a key of ours is asked with its newer form, or
// without it; that is remembered with the model, told, and costs one refused request
// in all. What is wrong with a value teaches nothing.
func TestServersThatRefuseKeys(t *testing.T) {
	seed := int64(4)
	says := map[string]string{
		"max_tokens":     "Unsupported parameter: 'max_tokens' is not supported with this model. Use 'max_completion_tokens' instead.",
		"temperature":    "Unsupported value: 'temperature' does not support 0 with this model. Only the default (1) value is supported.",
		"seed":           "seed: Extra inputs are not permitted",
		"stream_options": "Unrecognized request argument supplied: stream_options",
	}
	refused := 0
	var bodies []map[string]any
	serve := func(w http.ResponseWriter, r *http.Request) {
		data, _ := io.ReadAll(r.Body)
		body := map[string]any{}
		_ = json.Unmarshal(data, &body)
		for _, key := range []string{"max_tokens", "temperature", "seed", "stream_options"} {
			if _, has := body[key]; has {
				refused++
				w.WriteHeader(map[bool]int{true: 422, false: 400}[key == "seed"])
				fmt.Fprintf(w, `{"error":{"message":%q,"param":%q}}`, says[key], key)
				return
			}
		}
		bodies = append(bodies, body)
		w.Header().Set("Content-Type", "text/event-stream")
		fmt.Fprint(w, "data: {\"choices\":[{\"delta\":{\"content\":\"hi\"},\"finish_reason\":\"stop\"}]}\n\ndata: [DONE]\n\n")
	}
	m := &project.Model{Entry: "m", Name: "m", Shape: "plain", Stream: true}
	c, l := setup(t, m, "", serve)
	send := func(c *Client, text string) {
		req := ask(text)
		req.Seed = &seed
		a, err := c.Ask(context.Background(), Call{Run: 1, Step: "fill"}, req)
		require.NoError(t, err)
		assert.Equal(t, "hi", a.Text)
	}
	assert.Empty(t, c.Adapted())
	send(c, "one")
	assert.Equal(t, 4, refused)
	send(c, "two")
	assert.Equal(t, 4, refused)
	assert.Equal(t, 10.0, bodies[1]["max_completion_tokens"])
	assert.Equal(t, "the server of model m takes max_completion_tokens in place of max_tokens, no seed, no stream_options, no temperature", c.Adapted())
	again := New(m, Way{Base: m.At, Codec: chat.Codec{}}, project.Pace{AtOnce: 1, Attempts: 1, Timeout: 5 * time.Second}, l)
	send(again, "three")
	assert.Equal(t, 4, refused, "another run knows")
	before := len(bodies)
	send(again, "one")
	assert.Len(t, bodies, before, "and has the answers of the first")

	tooLarge, _ := setup(t, &project.Model{Entry: "n", Name: "n", Shape: "plain"}, "", func(w http.ResponseWriter, _ *http.Request) {
		w.WriteHeader(400)
		fmt.Fprint(w, `{"error":{"message":"max_tokens is too large: 4096. This model supports at most 2048 tokens."}}`)
	})
	_, err := tooLarge.Ask(context.Background(), Call{}, ask("x"))
	assert.ErrorContains(t, err, "max_tokens is too large")
	assert.Empty(t, tooLarge.Adapted())
}

// What the project says of a server's keys is sent from the first request on.
func TestKeysOfTheProject(t *testing.T) {
	var got map[string]any
	var key string
	m := &project.Model{Entry: "m", Name: "m", Shape: "plain", KeyHeader: "api-key", Keys: map[string]string{"max_tokens": "max_completion_tokens", "temperature": ""}, Body: map[string]string{"reasoning_effort": `"low"`, "top_p": "null"}}
	c, _ := setup(t, m, "sesame-7777", func(w http.ResponseWriter, r *http.Request) {
		key = r.Header.Get("api-key") + r.Header.Get("Authorization")
		got = map[string]any{}
		_ = json.NewDecoder(r.Body).Decode(&got)
		reply(w, "hi", 1, 1)
	})
	req := ask("x")
	req.Extra = m.Body
	_, err := c.Ask(context.Background(), Call{}, req)
	require.NoError(t, err)
	assert.Equal(t, "sesame-7777", key)
	assert.Equal(t, map[string]any{"model": "m", "messages": []any{map[string]any{"role": "user", "content": "x"}}, "max_completion_tokens": 10.0, "reasoning_effort": "low"}, got)
}

// Whatever a server says of tokens, what is counted can be: what it can't mean is
// estimated and marked; what was read before has its own price.
func TestUsage(t *testing.T) {
	cheap := 0.5
	for usage, want := range map[string]struct {
		in, out   int
		estimated bool
		cost      int64
	}{
		`{"prompt_tokens":12,"completion_tokens":3}`:                                              {12, 3, false, 12*2000 + 3*10000},
		`{"prompt_tokens":12.0,"completion_tokens":"3"}`:                                          {12, 3, false, 12*2000 + 3*10000},
		`{"prompt_tokens":12,"completion_tokens":3,"prompt_tokens_details":{"cached_tokens":10}}`: {12, 3, false, 2*2000 + 10*500 + 3*10000},
		`{"prompt_tokens":12,"completion_tokens":3,"prompt_tokens_details":{"cached_tokens":99}}`: {12, 3, false, 12*500 + 3*10000},
		`{"prompt_tokens":12,"completion_tokens":3,"completion_tokens_details":"none"}`:           {0, 0, true, 0},
		`{"prompt_tokens":null,"completion_tokens":3}`:                                            {0, 0, true, 0},
		`{"prompt_tokens":-12,"completion_tokens":3}`:                                             {0, 0, true, 0},
		`{"prompt_tokens":1e300,"completion_tokens":3}`:                                           {0, 0, true, 0},
		`{"prompt_tokens":9223372036854775807,"completion_tokens":9223372036854775807}`:           {0, 0, true, 0},
		`{"prompt_tokens":900000,"completion_tokens":3}`:                                          {0, 0, true, 0},
		`{"prompt_tokens":12,"completion_tokens":900000}`:                                         {0, 0, true, 0},
		`"many"`: {0, 0, true, 0}, `[]`: {0, 0, true, 0}, `null`: {0, 0, true, 0}, `{}`: {0, 0, true, 0},
	} {
		c, l := setup(t, &project.Model{Entry: "m", Name: "m", Shape: "plain", PriceIn: 2, PriceOut: 10, PriceCached: &cheap}, "", func(w http.ResponseWriter, _ *http.Request) {
			fmt.Fprintf(w, `{"choices":[{"message":{"content":"hi"},"finish_reason":"stop"}],"usage":%s}`, usage)
		})
		a, err := c.Ask(context.Background(), Call{Run: 1, Step: "fill"}, ask("x"))
		require.NoError(t, err, usage)
		x, err := l.Exchanges(1, 0)
		require.NoError(t, err)
		require.Len(t, x, 1, usage)
		assert.Equal(t, want.estimated, x[0].Estimated, usage)
		if want.estimated {
			assert.Less(t, x[0].TokensIn+x[0].TokensOut, 200, usage)
			continue
		}
		assert.Equal(t, []int{want.in, want.out}, []int{x[0].TokensIn, x[0].TokensOut}, usage)
		assert.Equal(t, want.cost, a.CostNano, usage)
	}
}

// Thinking is told apart from the answer, wherever a server shows it.
func TestThinkingApart(t *testing.T) {
	for body, want := range map[string]exchange.Reply{
		`{"choices":[{"message":{"content":"a","reasoning_content":"hm"},"finish_reason":"stop"}]}`:                                                                             {Text: "a", Finish: "stop", Reasoned: true},
		`{"choices":[{"message":{"content":[{"type":"thinking","text":"hm"},{"type":"text","text":"a"}]},"finish_reason":"stop"}]}`:                                             {Text: "a", Finish: "stop", Reasoned: true},
		`{"choices":[{"message":{"content":null,"reasoning":"hm"},"finish_reason":"length"}]}`:                                                                                  {Finish: "length", Reasoned: true},
		`{"choices":[{"message":{"content":[{"type":"refusal","refusal":"no"}]},"finish_reason":null}]}`:                                                                        {Refusal: "no"},
		`{"choices":[{"message":{"content":"","refusal":null},"finish_reason":"content_filter"}]}`:                                                                              {Finish: "content_filter"},
		`{"choices":[{"message":{"content":"a"},"finish_reason":"stop"}],"usage":{"prompt_tokens":9,"completion_tokens":8,"completion_tokens_details":{"reasoning_tokens":6}}}`: {Text: "a", Finish: "stop", HasUsage: true, TokensIn: 9, TokensOut: 8, Reasoning: 6},
	} {
		got, err := chat.ReadReply([]byte(body))
		require.NoError(t, err, body)
		assert.Equal(t, want, *got, body)
	}
}

// A stream ends at its end, whatever the connection does; what brings nothing on
// keeps nothing alive; and what comes on and on is ended, its cost counted.
func TestStreamsThatDoNotEnd(t *testing.T) {
	for name, c := range map[string]struct {
		write func(w http.ResponseWriter, r *http.Request)
		text  string
		says  string
	}{
		"open after the end": {func(w http.ResponseWriter, r *http.Request) {
			fmt.Fprint(w, "data: {\"choices\":[{\"delta\":{\"content\":\"hi\"},\"finish_reason\":\"stop\"}]}\n\ndata: [DONE]\n\n")
			w.(http.Flusher).Flush()
			<-r.Context().Done()
		}, "hi", ""},
		"comments for ever": {func(w http.ResponseWriter, r *http.Request) {
			for r.Context().Err() == nil {
				fmt.Fprint(w, ": still here\n\ndata: {\"choices\":[{\"delta\":{}}]}\n\n")
				w.(http.Flusher).Flush()
				time.Sleep(50 * time.Millisecond)
			}
		}, "", "the time limit ran out"},
		"drops for ever": {func(w http.ResponseWriter, r *http.Request) {
			for i := 0; r.Context().Err() == nil; i++ {
				fmt.Fprintf(w, "data: {\"choices\":[{\"delta\":{\"content\":\"%d \"}}]}\n\n", i)
				w.(http.Flusher).Flush()
				time.Sleep(20 * time.Millisecond)
			}
		}, "", "had not ended after the longest time for one"},
	} {
		t.Run(name, func(t *testing.T) {
			m := &project.Model{Entry: "m", Name: "m", Shape: "plain", Stream: true, PriceOut: 10}
			client, l := setup(t, m, "", func(w http.ResponseWriter, r *http.Request) {
				w.Header().Set("Content-Type", "text/event-stream")
				c.write(w, r)
			})
			client.pace.Attempts, client.pace.Timeout, client.pace.ReplyTime = 1, 300*time.Millisecond, 900*time.Millisecond
			began := time.Now()
			a, err := client.Ask(context.Background(), Call{Run: 1, Step: "fill"}, ask("x"))
			assert.Less(t, time.Since(began), 1900*time.Millisecond)
			if c.says == "" {
				require.NoError(t, err)
				assert.Equal(t, c.text, a.Text)
				return
			}
			require.ErrorContains(t, err, c.says)
			x, err := l.Exchanges(1, 0)
			require.NoError(t, err)
			require.Len(t, x, 1)
			assert.True(t, x[0].Estimated)
		})
	}
}
