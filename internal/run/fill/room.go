package fill

import (
	"context"
	"errors"
	"os"
	"strings"
	"syscall"
	"time"

	"filler/internal/ask/model"
	"filler/internal/source/document"
	"filler/internal/store"
)

// A document from longFrom bytes on takes up to perByte bytes of memory for each of its
// own, with what is known of its text.
const (
	longFrom = 1 << 20
	perByte  = 25
)

// room waits until there is memory for a document, and gives what gives it back. One
// that needs more than there is has it all.
func (f *Filler) room(ctx context.Context, s document.Source) (func(), error) {
	size, err := sizeOf(s)
	if err != nil || size < longFrom || f.memory == nil {
		return func() {}, nil // what is wrong with the file is told when it is read
	}
	need := min(size*perByte, int64(f.Reader.MostMemory()))
	if err := f.memory.Acquire(ctx, need); err != nil {
		return nil, &model.Failure{Msg: "stopped", Stopped: true, Err: err}
	}
	return func() { f.memory.Release(need) }, nil
}

// sizeOf gives how many bytes a source has.
func sizeOf(s document.Source) (int64, error) {
	if s.Bytes != nil {
		data, err := s.Bytes()
		return int64(len(data)), err
	}
	info, err := os.Stat(s.File)
	if err != nil {
		return 0, err
	}
	return info.Size(), nil
}

// A document that can't be opened since too many files are open is tried again.
const (
	mostTries       = 100
	pauseForHandles = 100 * time.Millisecond
)

// noHandles tells that a document could not be read because too many files are open.
func noHandles(err error) bool {
	return errors.Is(err, syscall.EMFILE) || errors.Is(err, syscall.ENFILE) || err != nil && strings.Contains(err.Error(), syscall.EMFILE.Error())
}

// readPatiently reads a document, again and again where too many files are open:
// others are read meanwhile.
func (f *Filler) readPatiently(ctx context.Context, t store.Task, s document.Source) (*document.Document, error) {
	doc, err := f.read(ctx, t, s)
	for tries := 0; noHandles(err) && ctx.Err() == nil && tries < mostTries; tries++ {
		time.Sleep(pauseForHandles)
		doc, err = f.read(ctx, t, s)
	}
	return doc, err
}
