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
	for k, v := range r.Extra {
		keys[k] = v
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
	return append(body[:len(body)-1], `,"stream":true,"stream_options":{"include_usage":true}}`...)
}

type wireReply struct {
	Choices []struct {
		Message struct {
			Content json.RawMessage `json:"content"`
			Refusal string          `json:"refusal"`
			Calls   []struct {
				Function struct {
					Arguments json.RawMessage `json:"arguments"`
				} `json:"function"`
			} `json:"tool_calls"`
		} `json:"message"`
		Finish string `json:"finish_reason"`
	} `json:"choices"`
	Usage *struct {
		In  int `json:"prompt_tokens"`
		Out int `json:"completion_tokens"`
	} `json:"usage"`
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
	text, ok := contentText(c.Message.Content)
	if !ok {
		return nil, &exchange.Unreadable{What: "the reply's content is neither text nor parts of text"}
	}
	r := &exchange.Reply{Text: text, Refusal: c.Message.Refusal, Finish: c.Finish}
	if len(c.Message.Calls) > 0 {
		r.Text, r.Called = arguments(c.Message.Calls[0].Function.Arguments), true
	}
	if w.Usage != nil && w.Usage.In >= 0 && w.Usage.Out >= 0 {
		r.TokensIn, r.TokensOut, r.HasUsage = w.Usage.In, w.Usage.Out, true
	}
	return r, nil
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

func contentText(raw json.RawMessage) (string, bool) {
	if len(raw) == 0 || string(raw) == "null" {
		return "", true
	}
	var text string
	if json.Unmarshal(raw, &text) == nil {
		return text, true
	}
	var parts []struct {
		Text string `json:"text"`
	}
	if json.Unmarshal(raw, &parts) != nil {
		return "", false
	}
	var b strings.Builder
	for _, p := range parts {
		b.WriteString(p.Text)
	}
	return b.String(), true
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
