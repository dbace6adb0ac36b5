package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"strings"
	"sync"
	"syscall"

	"filler/internal/base/secret"
	"filler/internal/view/signs"
)

// screen is where output goes. On a terminal it shows the signs that would steer it,
// or hide or turn around what stands beside them, in place of sending them; it
// remembers that something could not be written. Its Write may be called by many
// goroutines.
type screen struct {
	to       io.Writer
	visible  bool // a terminal, and no machine's form
	messages bool // standard error: no address keeps a password or key

	mu  sync.Mutex
	err error
}

func (s *screen) Write(p []byte) (int, error) {
	out := p
	if s.messages && bytes.Contains(out, []byte("://")) {
		out = []byte(secret.InText(string(out)))
	}
	if s.visible {
		out = []byte(strings.ReplaceAll(visible(string(out)), ours, "\x1b["))
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if _, err := s.to.Write(out); err != nil {
		if s.err == nil {
			s.err = err
		}
		return 0, err
	}
	return len(p), nil
}

// failed gives what could not be written; a pipe whose reader went away is no
// failure.
func (s *screen) failed() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.err == nil || errors.Is(s.err, syscall.EPIPE) {
		return nil
	}
	return s.err
}

// ours begins the sequences with which Filler itself steers a terminal. Nobody
// else knows the number, and it never gets as far as the terminal.
var ours = fmt.Sprintf("\x1b[%d;", 1<<20+rand.Uint32N(1<<30))

// steering marks the sequences in a text that was just painted as ours.
func steering(painted string) string {
	return strings.ReplaceAll(strings.ReplaceAll(painted, ours, "\x1b["), "\x1b[", ours)
}

// visible gives a text with a picture of each sign that steers a terminal, but for
// those with which Filler itself does.
func visible(text string) string {
	parts := strings.Split(text, ours)
	for i := range parts {
		parts[i] = signs.Visible(parts[i])
	}
	return strings.Join(parts, ours)
}

// screens puts what guards output before standard output and standard error, once.
func (a *app) screens() (out, errOut *screen) {
	out, is := a.out.(*screen)
	if !is {
		out = &screen{to: a.out, visible: a.term.out}
		a.out = out
	}
	errOut, is = a.err.(*screen)
	if !is {
		errOut = &screen{to: a.err, visible: a.term.err, messages: true}
		a.err = errOut
	}
	return out, errOut
}

// unwritten says that output got lost, in the place of an exit code that promises
// it.
func (a *app) unwritten(out *screen, code int) int {
	err := out.failed()
	if err == nil {
		return code
	}
	var no syscall.Errno
	why := err.Error()
	if errors.As(err, &no) {
		why = no.Error()
	}
	a.notef("standard output: can't be written (%s); make room, or name another place for it\n", why)
	return codeFailed
}
