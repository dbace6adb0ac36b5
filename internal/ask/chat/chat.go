// Package chat speaks the chat-completions protocol: what a request and a
// reply look like on the wire. It opens no connection.
//
// Rules it keeps:
//
//   - A request's body is the same bytes for the same request, so that it can
//     be found again in the cache.
//   - A reply is read as servers really write it: content as a string, as
//     parts, or null beside a refusal; errors as an object, a text or a web
//     page.
package chat

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"sort"
	"strconv"
	"strings"

	"filler/internal/ask/exchange"
	"filler/internal/base/value"
	"filler/internal/source/fetch"
)

// Codec is the protocol. See exchange.Codec.
type Codec struct{}

// Path is where requests go.
func (Codec) Path() string { return "/chat/completions" }

// Header carries a key as a bearer's (RFC 6750).
func (Codec) Header(key string) (name, text string) { return "Authorization", "Bearer " + key }

// Parts gives the body in pieces. See Parts.
func (Codec) Parts(r *exchange.Request) [][]byte { return Parts(r) }

// Sent gives the body as it goes out. See Sent.
func (Codec) Sent(r *exchange.Request) []byte { return Sent(r) }

// Read reads an answer. See ReadReply.
func (Codec) Read(body []byte) (*exchange.Reply, error) { return ReadReply(body) }

// Said gives the body of an answer that says a text.
func (Codec) Said(text string) []byte {
	return append(value.AppendQuoted([]byte(`{"choices":[{"message":{"content":`), text), "}}]}"...)
}

// Refusal gives what a refusal says. See ErrorText.
func (Codec) Refusal(body []byte) string { return ErrorText(body) }

// Streamed puts a streamed answer together.
func (Codec) Streamed() fetch.Watcher { return &Stream{} }

// Parts gives the body in pieces whose concatenation is the body: one for
// each message, and what stands before and behind them. Pieces that many
// requests share need to be kept only once.
func Parts(r *exchange.Request) [][]byte {
	head := append([]byte(`{"model":`), value.AppendQuoted(nil, r.Model)...)
	head = append(head, `,"messages":[`...)
	parts := [][]byte{head}
	for i, m := range r.Messages {
		var b []byte
		if i > 0 {
			b = append(b, ',')
		}
		b = append(value.AppendQuoted(append(b, `{"role":`...), m.Role), `,"content":`...)
		parts = append(parts, append(appendContent(b, &m), '}'))
	}
	return append(parts, tail(r))
}

// appendContent writes the content: a text, or parts where there are pictures.
func appendContent(b []byte, m *exchange.Message) []byte {
	if len(m.Images) == 0 {
		return value.AppendQuoted(b, m.Content)
	}
	b = append(b, '[')
	for _, img := range m.Images {
		b = append(b, `{"type":"image_url","image_url":{"url":"data:`...)
		b = append(append(b, img.Type...), ";base64,"...)
		b = append(base64.StdEncoding.AppendEncode(b, img.Data), `"}},`...)
	}
	return append(value.AppendQuoted(append(b, `{"type":"text","text":`...), m.Content), "}]"...)
}

func tail(r *exchange.Request) []byte {
	keys := map[string]string{}
	keys["temperature"] = fmt.Sprintf("%g", r.Temperature)
	keys["max_tokens"] = fmt.Sprint(r.MaxTokens)
	if r.Seed != nil {
		keys["seed"] = fmt.Sprint(*r.Seed)
	}
	name := value.AppendQuoted(nil, r.FormatName)
	switch {
	case r.JSONObject:
		keys["response_format"] = `{"type":"json_object"}`
	case len(r.Format) > 0 && r.Tool:
		keys["tools"] = fmt.Sprintf(`[{"type":"function","function":{"name":%s,"description":"Takes the answer.","parameters":%s}}]`, name, r.Format)
		keys["tool_choice"] = fmt.Sprintf(`{"type":"function","function":{"name":%s}}`, name)
	case len(r.Format) > 0:
		keys["response_format"] = fmt.Sprintf(`{"type":"json_schema","json_schema":{"name":%s,"strict":true,"schema":%s}}`, name, r.Format)
	}
	for key, name := range r.Keys {
		if v, ours := keys[key]; ours {
			delete(keys, key)
			if name != "" {
				keys[name] = v
			}
		}
	}
	for k, v := range r.Extra {
		if keys[k] = v; v == "null" {
			delete(keys, k)
		}
	}
	names := make([]string, 0, len(keys))
	for k := range keys {
		names = append(names, k)
	}
	sort.Strings(names)
	b := []byte("]")
	for _, k := range names {
		b = append(b, ',')
		b = append(value.AppendQuoted(b, k), ':')
		b = append(b, keys[k]...)
	}
	return append(b, '}')
}

// Body gives the whole body.
func Body(r *exchange.Request) []byte { return bytes.Join(Parts(r), nil) }

// Sent gives the body as it goes out.
func Sent(r *exchange.Request) []byte {
	body := Body(r)
	if !r.Stream {
		return body
	}
	body = append(body[:len(body)-1], `,"stream":true`...)
	if name, set := r.Keys["stream_options"]; (!set || name != "") && r.Extra["stream_options"] == "" {
		body = append(body, `,"stream_options":{"include_usage":true}`...)
	}
	return append(body, '}')
}

type wireReply struct {
	Choices []struct {
		Message struct {
			Content json.RawMessage `json:"content"`
			Refusal json.RawMessage `json:"refusal"`
			Calls   []struct {
				Function struct {
					Arguments json.RawMessage `json:"arguments"`
				} `json:"function"`
			} `json:"tool_calls"`
			// Where a server shows what the model thought, by the names in use.
			Thought  json.RawMessage `json:"reasoning_content"`
			Thought2 json.RawMessage `json:"reasoning"`
		} `json:"message"`
		Finish json.RawMessage `json:"finish_reason"`
	} `json:"choices"`
	Usage json.RawMessage `json:"usage"`
	Error json.RawMessage `json:"error"`
}

// ReadReply reads the body of an answer with status 200.
func ReadReply(body []byte) (*exchange.Reply, error) {
	var w wireReply
	if err := json.Unmarshal(body, &w); err != nil {
		if LooksLikePage(body) {
			return nil, &exchange.Unreadable{What: "the reply is a web page", Page: true}
		}
		return nil, &exchange.Unreadable{What: "the reply is not complete JSON"}
	}
	if len(w.Error) > 0 && string(w.Error) != "null" {
		return nil, &exchange.Unreadable{What: "the reply is an error: " + ErrorText(body)}
	}
	if len(w.Choices) == 0 {
		return nil, &exchange.Unreadable{What: "the reply has no choices"}
	}
	c := w.Choices[0]
	text, refusal, thought, ok := contentText(c.Message.Content)
	if !ok {
		return nil, &exchange.Unreadable{What: "the reply's content is neither text nor parts of text"}
	}
	r := &exchange.Reply{Text: text, Refusal: plainText(c.Message.Refusal) + refusal, Finish: plainText(c.Finish),
		Reasoned: thought || plainText(c.Message.Thought) != "" || plainText(c.Message.Thought2) != ""}
	if len(c.Message.Calls) > 0 {
		r.Text, r.Called = arguments(c.Message.Calls[0].Function.Arguments), true
	}
	readUsage(w.Usage, r)
	return r, nil
}

// readUsage reads what a server says of tokens. What is no number of tokens counts
// as not said.
func readUsage(raw json.RawMessage, r *exchange.Reply) {
	var u struct {
		In      json.RawMessage `json:"prompt_tokens"`
		Out     json.RawMessage `json:"completion_tokens"`
		InWhole struct {
			Cached json.RawMessage `json:"cached_tokens"`
		} `json:"prompt_tokens_details"`
		OutWhole struct {
			Reasoning json.RawMessage `json:"reasoning_tokens"`
		} `json:"completion_tokens_details"`
	}
	if json.Unmarshal(raw, &u) != nil {
		return
	}
	in, okIn := tokensIn(u.In)
	out, okOut := tokensIn(u.Out)
	if !okIn || !okOut {
		return
	}
	r.TokensIn, r.TokensOut, r.HasUsage = in, out, true
	if n, ok := tokensIn(u.InWhole.Cached); ok {
		r.Cached = min(n, in)
	}
	if n, ok := tokensIn(u.OutWhole.Reasoning); ok {
		r.Reasoning = min(n, out)
	}
}

// mostTokens is more than any server can mean.
const mostTokens = 1 << 30

// tokensIn reads a number of tokens: a whole number, however it is written.
func tokensIn(raw json.RawMessage) (int, bool) {
	text := strings.TrimSpace(string(raw))
	if s := plainText(raw); s != "" {
		text = strings.TrimSpace(s)
	}
	f, err := strconv.ParseFloat(text, 64)
	if err != nil || !(f >= 0 && f <= mostTokens) {
		return 0, false
	}
	return int(f + 0.5), true
}

// plainText gives a JSON text; "" for anything else.
func plainText(raw json.RawMessage) string {
	var text string
	_ = json.Unmarshal(raw, &text)
	return text
}

// arguments gives the arguments of a call as text: servers send them as a
// string of JSON, or as JSON.
func arguments(raw json.RawMessage) string {
	var text string
	if json.Unmarshal(raw, &text) == nil {
		return text
	}
	return string(raw)
}

// contentText gives the text of a message's content, what a part of it refuses,
// and whether a part is thinking.
func contentText(raw json.RawMessage) (text, refusal string, thought, ok bool) {
	if len(raw) == 0 || string(raw) == "null" {
		return "", "", false, true
	}
	if json.Unmarshal(raw, &text) == nil {
		return text, "", false, true
	}
	var parts []struct {
		Type    string          `json:"type"`
		Text    json.RawMessage `json:"text"`
		Refusal string          `json:"refusal"`
	}
	if json.Unmarshal(raw, &parts) != nil {
		return "", "", false, false
	}
	var b strings.Builder
	for _, p := range parts {
		refusal += p.Refusal
		if strings.Contains(p.Type, "reason") || strings.Contains(p.Type, "think") {
			thought = true
			continue
		}
		b.WriteString(plainText(p.Text))
	}
	return b.String(), refusal, thought, true
}

// LooksLikePage tells a web page from other bodies.
func LooksLikePage(body []byte) bool {
	start := strings.ToLower(strings.TrimSpace(string(body[:min(len(body), 200)])))
	return strings.HasPrefix(start, "<!doctype html") || strings.HasPrefix(start, "<html")
}

// ErrorText gives what the body of a refused request says, in one line of at
// most 300 characters.
func ErrorText(body []byte) string {
	text := strings.TrimSpace(string(body[:min(len(body), 4096)]))
	var w struct {
		Error   json.RawMessage `json:"error"`
		Message string          `json:"message"`
		Detail  json.RawMessage `json:"detail"`
	}
	switch {
	case LooksLikePage(body):
		text = "a web page"
	case json.Unmarshal(body, &w) == nil:
		var inner struct {
			Message string `json:"message"`
		}
		var plain string
		switch {
		case json.Unmarshal(w.Error, &inner) == nil && inner.Message != "":
			text = inner.Message
		case json.Unmarshal(w.Error, &plain) == nil && plain != "":
			text = plain
		case w.Message != "":
			text = w.Message
		case len(w.Detail) > 0:
			text = strings.Trim(string(w.Detail), `"`)
		}
	}
	text = strings.Join(strings.Fields(text), " ")
	if r := []rune(text); len(r) > 300 {
		text = string(r[:299]) + "…"
	}
	if text == "" {
		text = "nothing more"
	}
	return text
}
