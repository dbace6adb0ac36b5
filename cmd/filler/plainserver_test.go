package main

import (
	"encoding/json"
	"fmt"
	"net/http"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"time"
)

// plainServer is a second model server, written apart from the stand-in and
// sharing no code with it: it refuses response_format, sends content in parts,
// tells no usage, wraps its JSON in a fence and words, and knows one trick, a
// label at the start of a line.
type plainServer struct {
	mu       sync.Mutex
	mode     string         // how it fails, "" for not at all
	limit    int            // answers before it refuses the key; -1: no limit
	answered map[string]int // requests answered with 200, by body
	delay    time.Duration
	says     []string // what it answers, one after the other
}

func (p *plainServer) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	var req struct {
		Messages    []struct{ Role, Content string }
		Format      any `json:"response_format"`
		MaxTokens   any `json:"max_tokens"`
		Temperature any `json:"temperature"`
	}
	body := new(strings.Builder)
	if err := json.NewDecoder(http.MaxBytesReader(w, teeBody(r, body), 1<<20)).Decode(&req); err != nil || !strings.HasSuffix(r.URL.Path, "/chat/completions") {
		http.Error(w, "what is this?", http.StatusNotFound)
		return
	}
	p.mu.Lock()
	mode, over := p.mode, p.limit == 0
	p.mu.Unlock()
	if p.fail(w, r, mode) {
		return
	}
	if mode == "says" {
		p.mu.Lock()
		defer p.mu.Unlock()
		said := p.says[0]
		p.says = append(p.says[1:], said)
		json.NewEncoder(w).Encode(map[string]any{"choices": []any{map[string]any{"finish_reason": "stop", "message": map[string]any{"role": "assistant", "content": said}}}})
		return
	}
	if mode == "newer" && (req.MaxTokens != nil || req.Temperature != nil) {
		w.WriteHeader(http.StatusBadRequest)
		if req.MaxTokens != nil {
			fmt.Fprint(w, `{"error": {"message": "Unsupported parameter: 'max_tokens' is not supported with this model. Use 'max_completion_tokens' instead."}}`)
			return
		}
		fmt.Fprint(w, `{"error": {"message": "Unsupported value: 'temperature' does not support 0 with this model."}}`)
		return
	}
	if req.Format != nil {
		w.WriteHeader(http.StatusBadRequest)
		fmt.Fprint(w, `{"detail": "response_format is not known here"}`)
		return
	}
	if over {
		w.WriteHeader(http.StatusUnauthorized)
		fmt.Fprint(w, `{"error": "this key is used up"}`)
		return
	}
	p.mu.Lock()
	p.limit--
	p.answered[body.String()]++
	p.mu.Unlock()
	time.Sleep(p.delay)
	text := ""
	for _, m := range req.Messages {
		text += m.Content + "\n"
	}
	answer := "[]"
	if !strings.Contains(text, "# Problems") {
		out, _ := json.MarshalIndent(readOut(text), "", "  ")
		answer = "Sure.\n```json\n" + strings.TrimSuffix(string(out), "\n}") + ",\n}\n```\nAnything else?"
	}
	json.NewEncoder(w).Encode(map[string]any{"choices": []any{map[string]any{"finish_reason": "stop",
		"message": map[string]any{"role": "assistant", "content": []any{map[string]any{"type": "text", "text": answer}}}}}})
}

func (p *plainServer) fail(w http.ResponseWriter, r *http.Request, mode string) bool {
	switch mode {
	case "html":
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, "<!DOCTYPE html><html><body>Welcome</body></html>")
	case "401":
		w.WriteHeader(401)
		fmt.Fprintf(w, `{"error": {"message": "bad key %s"}}`, strings.TrimPrefix(r.Header.Get("Authorization"), "Bearer "))
	case "429":
		w.Header().Set("Retry-After", "0")
		w.WriteHeader(429)
		fmt.Fprint(w, `{"error": {"message": "slow down"}}`)
	case "thinks":
		fmt.Fprint(w, `{"choices": [{"message": {"content": null, "reasoning_content": "Let me see."}, "finish_reason": "length"}]}`)
	case "filtered":
		fmt.Fprint(w, `{"choices": [{"message": {"content": ""}, "finish_reason": "content_filter"}]}`)
	case "500":
		w.WriteHeader(500)
		fmt.Fprint(w, "oops")
	case "half":
		w.Header().Set("Content-Length", "500")
		fmt.Fprint(w, `{"choices": [{"mess`)
	case "cutjson":
		fmt.Fprint(w, `{"choices": [{"mess`)
	case "silent":
		select {
		case <-r.Context().Done():
		case <-time.After(20 * time.Second):
		}
	case "prose":
		fmt.Fprint(w, `{"choices": [{"message": {"content": "I would rather not say."}}], "usage": {"prompt_tokens": 7, "completion_tokens": 5}}`)
	case "refusal":
		fmt.Fprint(w, `{"choices": [{"message": {"content": null, "refusal": "I can't help with that."}}]}`)
	default:
		return false
	}
	return true
}

// node is a field as the request describes it.
type node struct {
	name, kind string
	labels     []string
	words      map[string]string // synonym → option
	kids       []*node
}

var (
	fieldPart = regexp.MustCompile(`(?s)(?:^|\n)# Field[^\n]*\n(.*?)\n\n`)
	nodeLine  = regexp.MustCompile(`(?m)^( *)- (\w+)(?: \(([a-z ]+)\))?: (.*)$`)
	said      = regexp.MustCompile(`"([^"]*)"|(\pL[^",.;()=]*[^",.;()= ])`)
	labelPart = regexp.MustCompile(`Printed as: ((?:"[^"]*"|[^".])*)`)
)

// wordsOf gives the words of a list, quoted or not.
func wordsOf(list string) (all []string) {
	for _, m := range said.FindAllStringSubmatch(list, -1) {
		all = append(all, m[1]+m[2])
	}
	return all
}

// readOut makes a record of what a request holds.
func readOut(text string) map[string]any {
	root := &node{}
	stack := []*node{root}
	fields := ""
	if m := fieldPart.FindStringSubmatch(text); m != nil {
		fields = m[1]
	}
	for _, m := range nodeLine.FindAllStringSubmatch(fields, -1) {
		level := len(m[1]) / 2
		n := &node{name: m[2], kind: m[3], labels: []string{strings.ReplaceAll(m[2], "_", " ")}, words: map[string]string{}}
		if l := labelPart.FindStringSubmatch(m[4]); l != nil {
			n.labels = append(n.labels, wordsOf(l[1])...)
		}
		if _, of, ok := strings.Cut(m[4], "One of: "); ok {
			n.kind = "choice"
			for _, option := range strings.Split(of, ";") {
				option, _, _ = strings.Cut(option, " = ")
				all := wordsOf(option)
				for _, w := range all {
					n.words[strings.ToLower(w)] = all[0]
				}
			}
		}
		stack = append(stack[:level+1], n)
		if level > 0 && stack[level].kind == "" {
			stack[level].kind = "group"
		}
		stack[level].kids = append(stack[level].kids, n)
	}
	parts := regexp.MustCompile(`(?m)^=====\w+=====$`).Split(text, -1)
	document := text
	if len(parts) >= 3 {
		document = parts[1]
	}
	return root.read(strings.Split(document, "\n"))
}

func (n *node) read(lines []string) map[string]any {
	out := map[string]any{}
	for _, kid := range n.kids {
		switch {
		case kid.kind == "group":
			out[kid.name] = kid.read(lines)
		case kid.kind == "list":
			var items []any
			for _, region := range kid.split(lines) {
				items = append(items, kid.read(region))
			}
			out[kid.name] = items
		default:
			out[kid.name] = kid.find(lines)
		}
	}
	return out
}

// split starts an item at every line that begins with a label of the list.
func (n *node) split(lines []string) [][]string {
	var regions [][]string
	for _, l := range lines {
		if _, ok := n.behind(l, strings.TrimSuffix(n.name, "s")); ok {
			regions = append(regions, nil)
		}
		if len(regions) > 0 {
			regions[len(regions)-1] = append(regions[len(regions)-1], l)
		}
	}
	return regions
}

// behind gives what a line has behind one of the labels at its start.
func (n *node) behind(line string, more ...string) (string, bool) {
	low := strings.ToLower(strings.TrimSpace(line))
	for _, label := range append(more, n.labels...) {
		label = strings.ToLower(label)
		if rest, ok := strings.CutPrefix(low, label); ok && (strings.HasPrefix(rest, ":") || strings.HasPrefix(rest, " ")) {
			at := len(strings.TrimSpace(line)) - len(rest)
			return strings.Trim(strings.TrimSpace(line)[at:], ": "), true
		}
	}
	return "", false
}

func (n *node) find(lines []string) any {
	for _, l := range lines {
		text, ok := n.behind(l)
		if !ok || text == "" {
			continue
		}
		text, _, _ = strings.Cut(text, "  ")
		number := regexp.MustCompile(`\d+(\.\d+)?`).FindString(text)
		switch n.kind {
		case "integer", "number":
			if x, err := strconv.ParseFloat(number, 64); err == nil {
				return x
			}
		case "boolean":
			return strings.HasPrefix(text, "yes")
		case "choice":
			return n.words[strings.ToLower(text)]
		case "list of integer":
			return []any{}
		default:
			return text
		}
	}
	return nil
}
