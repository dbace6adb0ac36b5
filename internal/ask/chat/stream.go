package chat

import (
	"bytes"
	"encoding/json"
	"strings"

	"filler/internal/ask/exchange"
	"filler/internal/base/value"
)

// circleStep is after how many bytes a text is looked at for circles.
const circleStep = 512

// Stream puts a streamed answer together: events of one line each, `data:` and
// a piece of the answer as JSON, and `data: [DONE]` at the end. Nothing is
// copied but the pieces.
type Stream struct {
	rest      []byte // of a line that is not whole yet
	content   strings.Builder
	arguments strings.Builder
	called    bool
	function  string
	refusal   strings.Builder
	finish    string
	usage     json.RawMessage
	failure   json.RawMessage
	events    int
	thought   bool // the model thought, and the server shows it apart
	brought   int  // bytes that brought the answer on
	done      bool
	circling  bool
	looked    int // the length of the text when it was last looked at for circles
}

type streamPiece struct {
	Choices []struct {
		Delta struct {
			Content  string `json:"content"`
			Refusal  string `json:"refusal"`
			Thought  string `json:"reasoning_content"`
			Thought2 string `json:"reasoning"`
			Calls    []struct {
				Function struct {
					Name      string `json:"name"`
					Arguments string `json:"arguments"`
				} `json:"function"`
			} `json:"tool_calls"`
		} `json:"delta"`
		Finish string `json:"finish_reason"`
	} `json:"choices"`
	Usage json.RawMessage `json:"usage"`
	Error json.RawMessage `json:"error"`
}

// Feed takes the next bytes. It tells whether they bring the answer on, which
// comments and empty pieces do not, and whether it has ended or runs in circles, and
// need not be read on.
func (s *Stream) Feed(data []byte) (progress, stop bool) {
	before := s.brought
	data = append(s.rest, data...)
	for {
		i := bytes.IndexByte(data, '\n')
		if i < 0 {
			break
		}
		s.line(bytes.TrimSpace(data[:i]))
		data = data[i+1:]
	}
	s.rest = append([]byte(nil), data...)
	if n := s.content.Len() + s.arguments.Len(); n-s.looked >= circleStep {
		s.looked = n
		s.circling = exchange.Circles(s.text())
	}
	return s.brought > before, s.circling || s.done
}

func (s *Stream) line(line []byte) {
	body, ok := bytes.CutPrefix(line, []byte("data:"))
	if !ok {
		return
	}
	body = bytes.TrimSpace(body)
	if string(body) == "[DONE]" {
		s.done = true
		return
	}
	var p streamPiece
	if json.Unmarshal(body, &p) != nil {
		return
	}
	s.events++
	if len(p.Error) > 0 && string(p.Error) != "null" {
		s.failure = p.Error
	}
	if len(p.Usage) > 0 && string(p.Usage) != "null" {
		s.usage = p.Usage
	}
	for _, c := range p.Choices {
		s.brought += len(c.Delta.Content) + len(c.Delta.Refusal) + len(c.Delta.Thought) + len(c.Delta.Thought2) + len(c.Finish)
		s.thought = s.thought || c.Delta.Thought+c.Delta.Thought2 != ""
		s.content.WriteString(c.Delta.Content)
		s.refusal.WriteString(c.Delta.Refusal)
		for _, call := range c.Delta.Calls {
			s.called = true
			if call.Function.Name != "" {
				s.function = call.Function.Name
			}
			s.arguments.WriteString(call.Function.Arguments)
			s.brought += len(call.Function.Arguments)
		}
		if c.Finish != "" {
			s.finish = c.Finish
		}
	}
}

func (s *Stream) text() string {
	if s.called {
		return s.arguments.String()
	}
	return s.content.String()
}

// Whole tells whether the answer came to its end, or was stopped because it
// ran in circles.
func (s *Stream) Whole() bool {
	return s.done || s.finish != "" || s.circling || s.failure != nil
}

// Body gives the answer as it would have come in one piece.
func (s *Stream) Body() []byte {
	if s.failure != nil {
		return append(append([]byte(`{"error":`), s.failure...), '}')
	}
	if s.circling {
		s.finish = exchange.FinishCircles
	}
	b := []byte(`{"choices":[{"index":0,"finish_reason":`)
	b = value.AppendQuoted(b, s.finish)
	b = append(b, `,"message":{"role":"assistant","content":`...)
	if s.called {
		b = append(b, `null,"tool_calls":[{"type":"function","function":{"name":`...)
		b = value.AppendQuoted(b, s.function)
		b = append(b, `,"arguments":`...)
		b = value.AppendQuoted(b, s.arguments.String())
		b = append(b, `}}]`...)
	} else {
		b = value.AppendQuoted(b, s.content.String())
	}
	if s.thought {
		b = append(b, `,"reasoning_content":"…"`...)
	}
	if s.refusal.Len() > 0 {
		b = append(b, `,"refusal":`...)
		b = value.AppendQuoted(b, s.refusal.String())
	}
	b = append(b, `}}]`...)
	if s.usage != nil {
		b = append(append(b, `,"usage":`...), s.usage...)
	}
	return append(b, '}')
}
