package exchange

import (
	"bytes"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"sync"
	"unicode/utf8"

	"filler/internal/base/lazy"
	"filler/internal/base/value"
)

// Recorded is one exchange of a recording: a line of its file.
type Recorded struct {
	Request json.RawMessage `json:"request"`
	Status  int             `json:"status"`
	Reply   json.RawMessage `json:"reply"` // JSON, or a string where the body was none
}

// NewRecorded gives the line of an exchange.
func NewRecorded(request []byte, status int, reply []byte) Recorded {
	r := Recorded{Request: request, Status: status, Reply: reply}
	if !json.Valid(reply) {
		r.Reply = value.AppendQuoted(nil, string(reply))
	}
	return r
}

// body gives the reply's body as it came.
func (r *Recorded) body() []byte {
	var text string
	if json.Unmarshal(r.Reply, &text) == nil {
		return []byte(text)
	}
	return r.Reply
}

// Write appends the line to w.
func (r Recorded) Write(w io.Writer) error {
	var b bytes.Buffer
	b.WriteString(`{"request":`)
	b.Write(r.Request)
	fmt.Fprintf(&b, `,"status":%d,"reply":`, r.Status)
	if err := json.Compact(&b, r.Reply); err != nil {
		return err
	}
	b.WriteString("}\n")
	_, err := w.Write(b.Bytes())
	return err
}

// Recording answers requests as they were answered before. Its methods may be
// called by many goroutines.
type Recording struct {
	File string

	mu     sync.Mutex
	all    []*Recorded
	byBody map[[32]byte][]*Recorded // in the order of the file; the last one stays
}

// RecordingError says what is wrong with a file of exchanges.
type RecordingError struct {
	File string
	Line int
	Msg  string
}

func (e *RecordingError) Error() string {
	if e.Line == 0 {
		return e.File + ": " + e.Msg
	}
	return fmt.Sprintf("%s:%d: %s", e.File, e.Line, e.Msg)
}

// LoadRecording reads a file of exchanges, as `fill --save-exchanges` writes it.
func LoadRecording(file string) (*Recording, error) {
	data, err := os.ReadFile(file)
	if err != nil {
		return nil, &RecordingError{File: file, Msg: "can't be read; name a file that `filler fill --save-exchanges` wrote"}
	}
	r := &Recording{File: file, byBody: map[[32]byte][]*Recorded{}}
	for n, line := range bytes.Split(data, []byte("\n")) {
		if len(bytes.TrimSpace(line)) == 0 {
			continue
		}
		var x Recorded
		if err := json.Unmarshal(line, &x); err != nil || len(x.Request) == 0 || len(x.Reply) == 0 {
			return nil, &RecordingError{file, n + 1, "not an exchange (an object with request, status and reply); save the exchanges again"}
		}
		key := sha256.Sum256(x.Request)
		r.byBody[key] = append(r.byBody[key], &x)
		r.all = append(r.all, &x)
	}
	if len(r.all) == 0 {
		return nil, &RecordingError{File: file, Msg: "holds no exchanges; save them again"}
	}
	return r, nil
}

// NotRecorded says that a request is not in a recording, and where it first
// differs from the nearest that is.
type NotRecorded struct {
	File           string
	At             int // byte of the body
	Sent, Recorded string
	Changed        bool   // a request that differs only in its document was saved
	Document       string // its name, where the caller has set it
}

func (e *NotRecorded) Error() string {
	if e.Changed {
		name := e.Document
		if name == "" {
			name = "the document"
		}
		return fmt.Sprintf("%s: %s has changed since the exchanges were saved; save them again", e.File, name)
	}
	return fmt.Sprintf("%s: this request is not in the recording; it first differs from the nearest one at byte %d: sent …%s…, saved …%s…; save the exchanges again", e.File, e.At, e.Sent, e.Recorded)
}

// Answer gives the answer to a request. One that was made several times is
// answered in the same order.
func (r *Recording) Answer(body []byte) (status int, reply []byte, err error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	key := sha256.Sum256(body)
	list := r.byBody[key]
	if len(list) == 0 {
		return 0, nil, r.nearest(body)
	}
	if len(list) > 1 {
		r.byBody[key] = list[1:]
	}
	return list[0].Status, list[0].body(), nil
}

// fenced is a document in a body, from one line of its fence to the other, and
// the same lines where the prompt names them.
var fenced = lazy.New(`=====[0-9a-f]{8}=====\\n(?s:.*?)\\n=====[0-9a-f]{8}=====|=====[0-9a-f]{8}=====`)

// nearest finds the recorded request that agrees longest with body.
func (r *Recording) nearest(body []byte) error {
	best, at := r.all[0].Request, -1
	frame := fenced.ReplaceAll(body, nil)
	for _, x := range r.all {
		if len(frame) < len(body) && bytes.Equal(fenced.ReplaceAll(x.Request, nil), frame) {
			return &NotRecorded{File: r.File, Changed: true}
		}
		n := 0
		for n < len(body) && n < len(x.Request) && body[n] == x.Request[n] {
			n++
		}
		if n > at {
			best, at = x.Request, n
		}
	}
	return &NotRecorded{File: r.File, At: at, Sent: around(body, at), Recorded: around(best, at)}
}

// around gives a few characters about a place.
func around(b []byte, at int) string {
	from, to := max(at-12, 0), min(at+24, len(b))
	for from < to && !utf8.RuneStart(b[from]) {
		from++
	}
	for to < len(b) && !utf8.RuneStart(b[to]) {
		to++
	}
	return string(bytes.Map(func(c rune) rune {
		if c < ' ' {
			return ' '
		}
		return c
	}, b[from:to]))
}
