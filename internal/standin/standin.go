// Package standin is a simulated model server that speaks the chat-completions
// protocol on loopback, so that everything can be tried without a model.
//
// Rules it keeps:
//
//   - It reads the request like any server would: it finds the fields and the
//     document in the messages, fills by printed labels, and errs as its
//     character errs. It knows no document and no schema in advance, and never
//     sees a gold set.
//   - The same request gets the same reply.
//   - Where a JSON Schema is sent as the reply's form, the reply follows it;
//     its values may still be wrong.
package standin

import (
	"context"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"filler/internal/ask/exchange"
	"filler/internal/base/tokens"
	"filler/internal/source/ocr"
)

// Options say how the server behaves.
type Options struct {
	Character string        // for requests whose model is no character's name
	Delay     time.Duration // before every reply
	Key       string        // asked for in the Authorization header, if set
	Faults    Faults
	Refuses   []string            // what it does not know: schema, tool, object, stream
	Script    *Script             // rules of the user's that come first
	Drip      time.Duration       // between the pieces of an answer in pieces
	Replay    *exchange.Recording // answers what is in it, and refuses all else
	Log       io.Writer           // one line a request; nil: none
}

// Server is a running stand-in.
type Server struct {
	URL  string // the base URL, with /v1
	http *http.Server
	done chan struct{}
}

// Start runs a stand-in at address, such as 127.0.0.1:0.
func Start(address string, o Options) (*Server, error) {
	l, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("the stand-in can't listen at %s; choose another --port", address)
	}
	s := &Server{URL: "http://" + l.Addr().String() + "/v1", http: &http.Server{Handler: Handler(o)}, done: make(chan struct{})}
	go func() {
		defer close(s.done)
		s.http.Serve(l)
	}()
	return s, nil
}

// Close ends the server at once.
func (s *Server) Close() {
	s.http.Close()
	<-s.done
}

// Shutdown lets the requests in flight finish.
func (s *Server) Shutdown(ctx context.Context) { s.http.Shutdown(ctx) }

type handler struct {
	Options
	served atomic.Int64
}

// Handler gives the protocol's endpoints.
func Handler(o Options) http.Handler {
	if o.Character == "" {
		o.Character = "steady"
	}
	h := &handler{Options: o}
	mux := http.NewServeMux()
	mux.HandleFunc("POST /v1/chat/completions", h.complete)
	mux.HandleFunc("GET /v1/models", h.models)
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) {
		refuse(w, http.StatusNotFound, "invalid_request_error", "no such endpoint: "+r.Method+" "+r.URL.Path)
	})
	return mux
}

func refuse(w http.ResponseWriter, status int, kind, msg string) {
	w.Header().Set("Content-Type", "application/json")
	w.WriteHeader(status)
	json.NewEncoder(w).Encode(map[string]any{"error": map[string]any{"message": msg, "type": kind, "code": nil, "param": nil}})
}

func (h *handler) models(w http.ResponseWriter, _ *http.Request) {
	var data []map[string]any
	for _, name := range []string{"hasty", "steady", "careful"} {
		data = append(data, map[string]any{"id": name, "object": "model", "created": 0, "owned_by": "standin"})
	}
	w.Header().Set("Content-Type", "application/json")
	json.NewEncoder(w).Encode(map[string]any{"object": "list", "data": data})
}

// maxRequest bounds a request's body.
const maxRequest = 64 << 20

func (h *handler) complete(w http.ResponseWriter, r *http.Request) {
	n := h.served.Add(1)
	body, err := io.ReadAll(http.MaxBytesReader(w, r.Body, maxRequest))
	if err != nil {
		refuse(w, http.StatusBadRequest, "invalid_request_error", "the body can't be read")
		return
	}
	if h.Key != "" && r.Header.Get("Authorization") != "Bearer "+h.Key {
		refuse(w, http.StatusUnauthorized, "authentication_error", "the key is missing or wrong")
		return
	}
	var req request
	if err := json.Unmarshal(body, &req); err != nil || len(req.Messages) == 0 || req.Model == "" {
		refuse(w, http.StatusBadRequest, "invalid_request_error", "the body needs `model` and `messages`")
		return
	}
	if req.Stream && slices.Contains(h.Refuses, "stream") {
		refuse(w, http.StatusBadRequest, "invalid_request_error", "`stream` is not served here")
		return
	}
	if h.fails(w, r, n) {
		return
	}
	if shape := req.shape(); slices.Contains(h.Refuses, shape) {
		refuse(w, http.StatusBadRequest, "invalid_request_error", "unknown parameter: "+map[bool]string{true: "tools", false: "response_format"}[shape == "tool"])
		return
	}
	select {
	case <-time.After(h.Delay):
	case <-r.Context().Done():
		return
	}
	if h.Replay != nil {
		status, answer, err := h.Replay.Answer(body)
		if err != nil {
			refuse(w, http.StatusNotFound, "invalid_request_error", err.Error())
			return
		}
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(status)
		w.Write(answer)
		return
	}
	if do := h.Script.find(req.text()); do != nil {
		if h.Log != nil {
			fmt.Fprintf(h.Log, "%4d  %s  by the script\n", n, req.Model)
		}
		h.play(w, r, n, &req, do)
		return
	}
	pictures := req.pictures()
	if len(pictures) > 0 && !strings.Contains(req.text(), "# Fields") && !strings.Contains(req.text(), "# Field\n") {
		h.transcribe(w, r, n, &req, pictures[0])
		return
	}
	reply, err := h.reply(r.Context(), &req, pictures, n)
	if err != nil {
		refuse(w, http.StatusBadRequest, "invalid_request_error", "this model takes no pictures here: "+err.Error())
		return
	}
	if h.Log != nil {
		fmt.Fprintf(h.Log, "%4d  %s\n", n, reply.note)
	}
	h.write(w, r, n, &req, reply.body)
}

// transcribe writes down what is on a picture. The stand-in has no eyes: it
// asks the OCR program, and says that it takes no pictures where there is none.
func (h *handler) transcribe(w http.ResponseWriter, r *http.Request, n int64, req *request, picture []byte) {
	text, err := ocr.Command{Args: []string{"tesseract", ocr.ImageMark, "stdout"}, Form: ocr.Text}.Read(r.Context(), picture)
	if err != nil {
		refuse(w, http.StatusBadRequest, "invalid_request_error", "this model takes no pictures here: "+err.Error())
		return
	}
	answer := strings.TrimSpace(strings.ReplaceAll(string(text), "\f", "\n"))
	in, out := tokens.Estimate(req.text())+len(picture)/1000, tokens.Estimate(answer)
	encoded, _ := json.Marshal(completion(fmt.Sprintf("standin-%x", n), req.Model, "stop", answer, in, out))
	if h.Log != nil {
		fmt.Fprintf(h.Log, "%4d  %s  transcribed  %d in  %d out\n", n, req.Model, in, out)
	}
	h.write(w, r, n, req, encoded)
}

// completion is the body of a whole answer.
func completion(id, model, finish, answer string, in, out int) map[string]any {
	return map[string]any{
		"id": id, "object": "chat.completion", "created": time.Now().Unix(), "model": model,
		"choices": []map[string]any{{"index": 0, "finish_reason": finish, "message": map[string]any{"role": "assistant", "content": answer}}},
		"usage":   map[string]any{"prompt_tokens": in, "completion_tokens": out, "total_tokens": in + out},
	}
}

// call makes the answer the call of a function.
func call(whole map[string]any, name, answer string) {
	choice := whole["choices"].([]map[string]any)[0]
	choice["finish_reason"] = "tool_calls"
	choice["message"] = map[string]any{"role": "assistant", "content": nil, "tool_calls": []map[string]any{
		{"id": "call_1", "type": "function", "function": map[string]any{"name": name, "arguments": answer}}}}
}

type reply struct {
	body []byte
	note string
}

func (h *handler) reply(ctx context.Context, req *request, pictures [][]byte, n int64) (reply, error) {
	name := req.Model
	c, ok := characters[name]
	if !ok {
		name = h.Character
		c = characters[name]
	}
	t := readTask(req, len(pictures) > 0)
	if len(pictures) > 0 {
		if err := t.look(ctx, pictures); err != nil {
			return reply{}, err
		}
	}
	text := req.text()
	wr := &writer{character: c, rng: seeded(name, t, req.Seed), task: t, typed: t.typed, neat: req.shape() == "object"}
	answer, finish := wr.compose()
	if rand.New(rand.NewPCG(uint64(n), 9)).Float64() < h.Faults.Circles {
		answer += circling(req)
	}
	if most := req.MaxTokens; most > 0 && tokens.Estimate(answer) > most {
		answer, finish = cutTo(answer, most), "length"
	}
	in, out := tokens.Estimate(text)+1000*len(pictures), tokens.Estimate(answer)
	if t.typed {
		in += tokens.EstimateBytes(len(req.wire()))
	}
	whole := completion(fmt.Sprintf("standin-%x", wr.rng.Uint64()), req.Model, finish, answer, in, out)
	if req.shape() == "tool" {
		call(whole, req.Tools[0].Function.Name, answer)
	}
	encoded, _ := json.Marshal(whole)
	what := "filled"
	if t.repair != nil {
		what = "patched"
	}
	return reply{encoded, fmt.Sprintf("%s  %-7s  %d fields  %d in  %d out  %s", name, what, len(t.schema.Leaves()), in, out, finish)}, nil
}

func (w *writer) compose() (text, finish string) {
	if len(w.task.schema.Record().Fields) == 0 {
		return "I can't tell which fields are wanted.", "stop"
	}
	text, cut := w.answer()
	if cut {
		return text, "length"
	}
	return text, "stop"
}

// cutTo keeps as much of a text as most tokens hold.
func cutTo(text string, most int) string {
	for tokens.Estimate(text) > most {
		text = strings.ToValidUTF8(text[:len(text)*9/10], "")
	}
	return text
}
