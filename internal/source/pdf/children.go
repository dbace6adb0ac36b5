package pdf

import (
	"bufio"
	"context"
	"encoding/gob"
	"errors"
	"io"
	"os"
	"os/exec"
	"slices"
	"sync"
	"time"
)

// A child is ended after it has read so many files, so that nothing heaps up in it, or
// when nothing has come for so long.
const (
	mostFiles = 100
	mostIdle  = 5 * time.Second
)

// child is a process that reads PDFs, one after another.
type child struct {
	cmd  *exec.Cmd
	in   io.WriteCloser
	to   *gob.Encoder
	from *gob.Decoder
	read int // files
	idle *time.Timer
}

var (
	waiting   []*child // those with nothing to do, under waitingMu
	waitingMu sync.Mutex
)

// run has a child read. Where one that has read before ends early, the fault may be of
// what it read then: a fresh one tries again.
func run(ctx context.Context, r Request) ([]Page, error) {
	for {
		c := take()
		used := c != nil
		if !used {
			var err error
			if c, err = begin(); err != nil {
				return nil, err
			}
		}
		pages, err := c.ask(ctx, r)
		var said *Error
		switch {
		case err == nil:
			c.keep()
			return pages, nil
		case errors.As(err, &said):
			c.keep()
			return nil, said
		}
		c.end()
		switch {
		case ctx.Err() != nil && errors.Is(context.Cause(ctx), context.DeadlineExceeded):
			return nil, &Error{"reading this PDF took too long and was stopped", "raise `limits: {seconds: …}` in filler.yaml, or split the file"}
		case ctx.Err() != nil:
			return nil, ctx.Err()
		case !used:
			return nil, &Error{"this PDF crashed the reader; it is damaged or malicious", "print it to a new PDF, or save its text"}
		}
	}
}

// begin starts a child.
func begin() (*child, error) {
	self, err := os.Executable()
	if err != nil || !hooked {
		return nil, &Error{"the program can't find itself to read a PDF", "start it by its full path; its main must call pdf.Main"}
	}
	c := &child{cmd: exec.Command(self)}
	c.cmd.Env = append(os.Environ(), childMark+"=1", "GOGC=400", "GOMEMLIMIT=1GiB")
	if c.in, err = c.cmd.StdinPipe(); err != nil {
		return nil, err
	}
	out, err := c.cmd.StdoutPipe()
	if err != nil {
		return nil, err
	}
	if err := c.cmd.Start(); err != nil {
		return nil, &Error{"the reader of PDF files can't be started (" + err.Error() + ")", "try again"}
	}
	c.to, c.from = gob.NewEncoder(c.in), gob.NewDecoder(bufio.NewReaderSize(out, 1<<16))
	return c, nil
}

// take gives a child that waits; nil where none does.
func take() *child {
	waitingMu.Lock()
	defer waitingMu.Unlock()
	if len(waiting) == 0 {
		return nil
	}
	c := waiting[len(waiting)-1]
	waiting = waiting[:len(waiting)-1]
	c.idle.Stop()
	return c
}

// keep has a child wait for its next file.
func (c *child) keep() {
	if c.read++; c.read >= mostFiles {
		c.end()
		return
	}
	waitingMu.Lock()
	defer waitingMu.Unlock()
	waiting = append(waiting, c)
	c.idle = time.AfterFunc(mostIdle, func() {
		waitingMu.Lock()
		i := slices.Index(waiting, c)
		if i >= 0 {
			waiting = slices.Delete(waiting, i, i+1)
		}
		waitingMu.Unlock()
		if i >= 0 {
			c.end()
		}
	})
}

// end ends a child, whatever it does.
func (c *child) end() {
	c.in.Close()
	_ = c.cmd.Process.Kill()
	_ = c.cmd.Wait() // its exit code tells nothing here: it was killed
}

// ask has the child read a file. An error that is no Error says that it can't go on.
func (c *child) ask(ctx context.Context, r Request) ([]Page, error) {
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	stop := context.AfterFunc(ctx, func() { _ = c.cmd.Process.Kill() })
	defer stop()
	var sent sync.WaitGroup
	defer sent.Wait()
	var failed error
	sent.Go(func() { failed = c.to.Encode(r) })
	pages, err := c.receive()
	sent.Wait()
	if err == nil {
		err = failed
	}
	return pages, err
}

func (c *child) receive() ([]Page, error) {
	var h head
	if err := c.from.Decode(&h); err != nil {
		return nil, err
	}
	if h.Msg != "" {
		return nil, &Error{h.Msg, h.Hint}
	}
	var pages []Page
	for range h.Pages {
		var p Page
		if err := c.from.Decode(&p); err != nil {
			return nil, err
		}
		pages = append(pages, p)
	}
	return pages, nil
}
