package standin

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"time"

	"filler/internal/ask/chat"
	"filler/internal/base/tokens"
)

// Faults are rates from 0 to 1 at which the line fails.
type Faults struct {
	Busy    float64 // 429, every other time with Retry-After
	Error   float64 // 500 or 503
	Cut     float64 // the connection is cut in mid-body
	Stall   float64 // no answer comes, or the pieces of one stop coming
	Garbage float64 // 200 with a body that is no answer: a web page, half a line, another content type
	Huge    float64 // 200 with a body beyond all measure
	Circles float64 // the answer says the same over and over, up to its cap
}

// fails plays the faults that need no answer. Its chance is seeded by the
// request's number, so that another attempt may fare better.
func (h *handler) fails(w http.ResponseWriter, r *http.Request, n int64) bool {
	p := rand.New(rand.NewPCG(uint64(n), 7)).Float64()
	f := h.Faults
	for _, one := range []struct {
		rate float64
		play func()
	}{
		{f.Busy, func() { busy(w, n) }},
		{f.Error, func() { stumble(w, n) }},
		{f.Stall, func() { stall(r) }},
		{f.Garbage, func() { garbage(w, n) }},
		{f.Huge, func() { huge(w, r) }},
	} {
		if p < one.rate {
			one.play()
			return true
		}
		p -= one.rate
	}
	return false
}

func busy(w http.ResponseWriter, n int64) {
	if n%2 == 0 {
		w.Header().Set("Retry-After", "1")
	}
	refuse(w, http.StatusTooManyRequests, "rate_limit_error", "too many requests")
}

func stumble(w http.ResponseWriter, n int64) {
	if n%2 == 0 {
		refuse(w, http.StatusServiceUnavailable, "server_error", "the server is not ready")
		return
	}
	refuse(w, http.StatusInternalServerError, "server_error", "the server stumbled")
}

func stall(r *http.Request) {
	select {
	case <-r.Context().Done():
	case <-time.After(10 * time.Minute):
	}
}

// garbage answers 200 with what is no answer.
func garbage(w http.ResponseWriter, n int64) {
	switch n % 3 {
	case 0:
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<html><body><h1>Welcome to the gateway</h1></body></html>")
	case 1:
		w.Header().Set("Content-Type", "application/json")
		fmt.Fprint(w, `{"choices":[{"message":{"role":"assistant","con`)
	default:
		w.Header().Set("Content-Type", "application/octet-stream")
		w.Write([]byte{0xff, 0xfe, 0, 1, 2, 3})
	}
}

// huge answers with more than anybody reads.
func huge(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "application/json")
	fmt.Fprint(w, `{"choices":[{"message":{"content":"`)
	block := bytes.Repeat([]byte("all work and no play "), 50_000)
	for range 80 {
		if _, err := w.Write(block); err != nil || r.Context().Err() != nil {
			return
		}
	}
}

// write sends the reply, in pieces where they are asked for, and only a half of
// it where the line is cut.
func (h *handler) write(w http.ResponseWriter, r *http.Request, n int64, req *request, body []byte) {
	cut := rand.New(rand.NewPCG(uint64(n), 8)).Float64() < h.Faults.Cut
	if req.Stream {
		h.stream(w, r, body, cut)
		return
	}
	w.Header().Set("Content-Type", "application/json")
	if cut {
		half(w, body)
	}
	w.Write(body)
}

// half sends a half of a body and cuts the line.
func half(w http.ResponseWriter, body []byte) {
	w.Header().Set("Content-Length", fmt.Sprint(len(body)))
	w.Write(body[:len(body)/2])
	if f, ok := w.(http.Flusher); ok {
		f.Flush() // or nothing of it would leave: the line is to break in mid-body
	}
	panic(http.ErrAbortHandler)
}

// stream sends an answer in pieces of a few words.
func (h *handler) stream(w http.ResponseWriter, r *http.Request, body []byte, cut bool) {
	reply, err := chat.ReadReply(body)
	if err != nil {
		w.Write(body)
		return
	}
	w.Header().Set("Content-Type", "text/event-stream")
	event := func(delta map[string]any, finish any) {
		line, _ := json.Marshal(map[string]any{"object": "chat.completion.chunk", "choices": []map[string]any{{"index": 0, "delta": delta, "finish_reason": finish}}})
		fmt.Fprintf(w, "data: %s\n\n", line)
		if f, ok := w.(http.Flusher); ok {
			f.Flush()
		}
	}
	pieces := []rune(reply.Text)
	name := any("record")
	for at := 0; at < len(pieces) && r.Context().Err() == nil; at += 24 {
		if cut && at > len(pieces)/2 {
			panic(http.ErrAbortHandler)
		}
		piece := string(pieces[at:min(at+24, len(pieces))])
		if reply.Called {
			event(map[string]any{"tool_calls": []map[string]any{{"index": 0, "function": map[string]any{"name": name, "arguments": piece}}}}, nil)
			name = ""
		} else {
			event(map[string]any{"content": piece}, nil)
		}
		time.Sleep(h.Drip)
	}
	event(map[string]any{}, reply.Finish)
	usage, _ := json.Marshal(map[string]any{"choices": []any{}, "usage": map[string]any{"prompt_tokens": reply.TokensIn, "completion_tokens": reply.TokensOut}})
	fmt.Fprintf(w, "data: %s\n\ndata: [DONE]\n\n", usage)
}

// play does what a rule of the script says.
func (h *handler) play(w http.ResponseWriter, r *http.Request, n int64, req *request, do *rule) {
	select {
	case <-time.After(do.wait):
	case <-r.Context().Done():
		return
	}
	answer := do.reply
	switch do.fault {
	case "stall":
		stall(r)
		return
	case "garbage":
		garbage(w, 1)
		return
	case "page":
		garbage(w, 0)
		return
	case "huge":
		huge(w, r)
		return
	case "circles":
		answer += circling(req)
		do = &rule{status: do.status, finish: "length"}
	}
	in, out := tokens.Estimate(req.text()), tokens.Estimate(answer)
	whole := completion(fmt.Sprintf("standin-%x", n), req.Model, do.finish, answer, in, out)
	if req.shape() == "tool" && do.status == http.StatusOK {
		call(whole, req.Tools[0].Function.Name, answer)
	}
	body, _ := json.Marshal(whole)
	switch {
	case do.status != http.StatusOK:
		if do.after != "" {
			w.Header().Set("Retry-After", do.after)
		}
		if answer == "" {
			answer = http.StatusText(do.status)
		}
		refuse(w, do.status, "scripted", answer)
	case do.fault == "cut":
		w.Header().Set("Content-Type", "application/json")
		half(w, body)
	default:
		h.write(w, r, n, req, body)
	}
}

// circling is a text that says the same over and over, up to the cap of the
// reply.
func circling(req *request) string {
	most := req.MaxTokens
	if most == 0 || most > 20000 {
		most = 20000
	}
	return cutTo(string(bytes.Repeat([]byte(`{"kind": "rot", "grade": 1, "photos": []}, `), most/8)), most)
}
