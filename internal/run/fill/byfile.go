package fill

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"sort"
	"strings"
	"sync"
	"time"

	"filler/internal/ask/model"
	"filler/internal/base/lazy"
	"filler/internal/base/value"
	"filler/internal/store"
)

// Sent sums up requests that go out in a file.
type Sent struct {
	Requests int
	TokensIn int   // estimated
	MostNano int64 // with the longest replies that are allowed
}

// SendByFile writes the requests of a run that wait and were asked since then, one a
// line: {"id": …, "body": …}. Where pictures names a folder, they are put there, and
// the bodies name their paths.
func (f *Filler) SendByFile(run int64, since time.Time, pictures string, to io.Writer) (Sent, error) {
	var sum Sent
	w := bufio.NewWriter(to)
	err := f.Ledger.Opened(run, since, func(o store.Open, body []byte) (err error) {
		if pictures != "" {
			if body, err = setApart(body, pictures); err != nil {
				return err
			}
		}
		var terms model.Terms
		if err := json.Unmarshal(o.Terms, &terms); err != nil {
			return err
		}
		sum.Requests++
		sum.TokensIn += terms.Guess
		sum.MostNano += terms.Most()
		_, err = fmt.Fprintf(w, "{\"id\":%q,\"body\":%s}\n", o.Key, body)
		return err
	})
	if err == nil {
		err = w.Flush()
	}
	return sum, err
}

// inBody is a picture in a body. No text of a document looks so: its quotes have a
// backslash before them.
var inBody = lazy.New(`\{"url":"data:image/([a-z]+)[a-z0-9.+-]*;base64,([A-Za-z0-9+/=]*)"\}`)

// setApart puts the pictures of a body into files of a folder, each named by what it
// holds.
func setApart(body []byte, folder string) ([]byte, error) {
	var fault error
	out := inBody.ReplaceAllFunc(body, func(found []byte) []byte {
		m := inBody.FindSubmatch(found)
		data, err := base64.StdEncoding.DecodeString(string(m[2]))
		if err != nil {
			fault = errors.Join(fault, err)
			return found
		}
		sum := sha256.Sum256(data)
		file, err := filepath.Abs(filepath.Join(folder, hex.EncodeToString(sum[:12])+"."+string(m[1])))
		if _, there := os.Stat(file); err == nil && there != nil {
			err = os.WriteFile(file, data, 0o600)
		}
		fault = errors.Join(fault, err)
		return append(value.AppendQuoted([]byte(`{"url":`), "file://"+filepath.ToSlash(file)), '}')
	})
	return out, fault
}

// Taken is what came of a file of replies.
type Taken struct {
	Kept, Before, Failed int
	Runs                 map[int64]int // replies that were kept or came before, by run
	Faults               []LineFault   // of lines that are no reply to any request, in order
	refusals             []refusal
}

// LineFault says what is wrong with a line.
type LineFault struct {
	Line int
	Msg  string
}

// refusal is a server's refusal of a request.
type refusal struct {
	run    int64
	step   string
	status int
	reply  model.Returned
}

// hands is how many replies are kept at once: the ledger writes what comes together
// in one go.
const hands = 32

// longestLine bounds a line with a reply, in bytes.
const longestLine = 64 << 20

// incoming is a line of a file of replies.
type incoming struct {
	line  int
	reply model.Returned
}

// TakeIn reads replies to requests that went out in a file, a JSON object a line, in
// any order, and keeps each in the ledger, whatever its run. What can't be read is
// told by its line, and its request waits on.
func TakeIn(l model.Opens, from io.Reader, clean func([]byte) []byte) (Taken, error) {
	t := &taking{into: l, clean: clean, Taken: Taken{Runs: map[int64]int{}}}
	queues := make([]chan incoming, hands)
	var wait sync.WaitGroup
	for i := range queues {
		queues[i] = make(chan incoming, 4)
		wait.Go(func() {
			for in := range queues[i] {
				t.take(in)
			}
		})
	}
	err := eachLine(from, func(n int, text []byte, long bool) {
		if long {
			t.fault(n, fmt.Sprintf("longer than %d MB; no reply is", longestLine>>20))
			return
		}
		if r, ok := t.parse(n, text); ok {
			// The same reply twice comes to the same hand, one after the other.
			queues[int(sha256.Sum256([]byte(r.ID))[0])%hands] <- incoming{n, r}
		}
	})
	for _, q := range queues {
		close(q)
	}
	wait.Wait()
	sort.Slice(t.Faults, func(i, j int) bool { return t.Faults[i].Line < t.Faults[j].Line })
	return t.Taken, errors.Join(err, t.err)
}

// eachLine calls do for each line that is not blank.
func eachLine(from io.Reader, do func(n int, text []byte, long bool)) error {
	r := bufio.NewReaderSize(from, 1<<16)
	for n := 1; ; n++ {
		var line []byte
		long := false
		for {
			piece, err := r.ReadSlice('\n')
			if long = long || len(line)+len(piece) > longestLine; !long {
				line = append(line, piece...)
			}
			if err == nil {
				break
			}
			if !errors.Is(err, bufio.ErrBufferFull) {
				if !errors.Is(err, io.EOF) {
					return err
				}
				if line = bytes.TrimSpace(line); len(line) > 0 || long {
					do(n, line, long)
				}
				return nil
			}
		}
		if n == 1 {
			line = bytes.TrimPrefix(line, []byte("\xef\xbb\xbf"))
		}
		if line = bytes.TrimSpace(line); len(line) > 0 || long {
			do(n, line, long)
		}
	}
}

type taking struct {
	into  model.Opens
	clean func([]byte) []byte

	mu  sync.Mutex
	err error
	Taken
}

func (t *taking) fault(line int, msg string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.Faults = append(t.Faults, LineFault{line, msg})
}

// parse reads a line, or tells what is wrong with it.
func (t *taking) parse(line int, text []byte) (r model.Returned, ok bool) {
	err := json.Unmarshal(text, &r)
	var kind *json.UnmarshalTypeError
	switch {
	case err == nil:
		return r, true
	case errors.As(err, &kind) && kind.Field != "":
		t.fault(line, fmt.Sprintf("%q is no %s", kind.Field, kindName(kind.Field)))
	default:
		t.fault(line, "not a JSON object (cut short?)")
	}
	return r, false
}

// take keeps the reply of one line.
func (t *taking) take(in incoming) {
	r := in.reply
	came, err := model.TakeIn(t.into, protocol, r, t.clean)
	var trouble *store.Error
	switch {
	case errors.As(err, &trouble):
		t.mu.Lock()
		defer t.mu.Unlock()
		t.err = err
		return
	case err != nil:
		t.fault(in.line, err.Error())
		return
	case came.Outcome == model.Unknown:
		t.fault(in.line, fmt.Sprintf("its id %.80q is that of no request in this ledger", r.ID))
		return
	case came.Outcome == model.Refused:
		t.fault(in.line, fmt.Sprintf("the server answered %d (%s); its request waits on", came.Status, came.Said))
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	t.Runs[came.Run]++
	switch came.Outcome {
	case model.Kept:
		t.Kept++
	case model.Before:
		t.Before++
	case model.Refused:
		t.Failed++
		if len(t.refusals) < hands {
			t.refusals = append(t.refusals, refusal{came.Run, came.Step, came.Status, r})
		}
	}
}

func kindName(field string) string {
	if field == "status" {
		return "whole number"
	}
	return "text"
}

// Learn has the models of a run learn from refusals that came in a file: the next
// requests have another form.
func (f *Filler) Learn(run int64, t Taken) error {
	for _, r := range t.refusals {
		if r.run != run || r.status >= http.StatusInternalServerError {
			continue
		}
		for _, m := range f.Models {
			if (m.turn != "") != strings.HasPrefix(r.step, "then ") {
				continue
			}
			if err := m.Client.LearnFrom(r.reply); err != nil {
				return err
			}
		}
	}
	return nil
}
