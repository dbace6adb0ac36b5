package chat

import (
	"bytes"
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"filler/internal/ask/exchange"
)

func TestBodyIsItsParts(t *testing.T) {
	seed := int64(7)
	r := &exchange.Request{Model: "m\"1", Messages: []exchange.Message{{Role: "system", Content: "a\n\"b\""}, {Role: "user", Content: "é\x01"}}, MaxTokens: 50, Seed: &seed,
		FormatName: "f", Format: []byte(`{"type":"object"}`), Extra: map[string]string{"top_p": "0.5", "max_tokens": "9"}}
	assert.Equal(t, bytes.Join(Parts(r), nil), Body(r))
	assert.Equal(t, Body(r), Body(r), "the same request has the same bytes")
	var back map[string]any
	require.NoError(t, json.Unmarshal(Body(r), &back))
	assert.Equal(t, `m"1`, back["model"])
	assert.Equal(t, []any{map[string]any{"role": "system", "content": "a\n\"b\""}, map[string]any{"role": "user", "content": "é\x01"}}, back["messages"])
	assert.EqualValues(t, 9, back["max_tokens"], "the user's own keys win")
	assert.EqualValues(t, 7, back["seed"])
	assert.Equal(t, map[string]any{"type": "json_schema", "json_schema": map[string]any{"name": "f", "strict": true, "schema": map[string]any{"type": "object"}}}, back["response_format"])
}

func TestReadReply(t *testing.T) {
	for _, c := range []struct{ body, text, fails string }{
		{`{"choices":[{"message":{"content":"hi"},"finish_reason":"stop"}],"usage":{"prompt_tokens":3,"completion_tokens":1}}`, "hi", ""},
		{`{"choices":[{"message":{"content":[{"type":"text","text":"a"},{"type":"text","text":"b"}]}}]}`, "ab", ""},
		{`{"choices":[{"message":{"content":null,"refusal":"no"}}]}`, "", ""},
		{`{"choices":[]}`, "", "no choices"},
		{`{"choices":[{"message":{"content":7}}]}`, "", "neither text"},
		{`{"error":{"message":"too long"}}`, "", "too long"},
		{`{"choices":[{"mess`, "", "not complete JSON"},
		{"  <!DOCTYPE HTML><p>", "", "web page"},
	} {
		r, err := ReadReply([]byte(c.body))
		if c.fails != "" {
			require.Error(t, err, c.body)
			assert.Contains(t, err.Error(), c.fails)
			continue
		}
		require.NoError(t, err, c.body)
		assert.Equal(t, c.text, r.Text)
	}
	r, _ := ReadReply([]byte(`{"choices":[{"message":{"content":""}}],"usage":{"prompt_tokens":3,"completion_tokens":1}}`))
	assert.Equal(t, []any{true, 3, 1}, []any{r.HasUsage, r.TokensIn, r.TokensOut})
	r, _ = ReadReply([]byte(`{"choices":[{"message":{}}]}`))
	assert.False(t, r.HasUsage)
}

func TestErrorText(t *testing.T) {
	for body, want := range map[string]string{
		`{"error":{"message":"a\nb"}}`: "a b", `{"error":"plain"}`: "plain", `{"message":"m"}`: "m", `{"detail":"d"}`: "d",
		`oops`: "oops", ``: "nothing more", `<html>`: "a web page",
	} {
		assert.Equal(t, want, ErrorText([]byte(body)))
	}
	assert.LessOrEqual(t, len([]rune(ErrorText(bytes.Repeat([]byte("x "), 9000)))), 300)
}

// What servers send when a function's call was forced: arguments as a string or
// as JSON, with content null, empty or chatty.
func TestCalls(t *testing.T) {
	for body, want := range map[string]string{
		`{"choices":[{"finish_reason":"tool_calls","message":{"content":null,"tool_calls":[{"function":{"name":"r","arguments":"{\"a\": 1}"}}]}}]}`: `{"a": 1}`,
		`{"choices":[{"message":{"tool_calls":[{"function":{"arguments":{"a":1}}}]}}]}`:                                                             `{"a":1}`,
		`{"choices":[{"message":{"content":"Calling now.","tool_calls":[{"function":{"arguments":"{}"}}]}}]}`:                                       `{}`,
	} {
		r, err := ReadReply([]byte(body))
		require.NoError(t, err)
		assert.Equal(t, want, r.Text)
		assert.True(t, r.Called)
	}
	r, err := ReadReply([]byte(`{"choices":[{"message":{"content":"no call","tool_calls":[]}}]}`))
	require.NoError(t, err)
	assert.False(t, r.Called)
	assert.Equal(t, "no call", r.Text)
}

// Pictures stand before the text, as parts; without one the content is a text.
func TestImages(t *testing.T) {
	r := &exchange.Request{Model: "m", Messages: []exchange.Message{{Role: "user", Content: "what?", Images: []exchange.Image{{Type: "image/png", Data: []byte{1, 2, 3}}}}}}
	assert.Contains(t, string(Body(r)), `"content":[{"type":"image_url","image_url":{"url":"data:image/png;base64,AQID"}},{"type":"text","text":"what?"}]`)
	assert.True(t, json.Valid(Body(r)))
	r.Messages[0].Images = nil
	assert.Contains(t, string(Body(r)), `"content":"what?"`)
}
