package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"

	"filler/internal/base/process"
	"filler/internal/run/fill"
	"filler/internal/source/document"
	"filler/internal/store"
)

// output is the file that records go to: written to a temporary file beside it
// and renamed when complete, so that an older file is never half overwritten.
type output struct {
	path  string
	whole *process.Writing // a file
	pipe  *os.File         // a device or a pipe
}

func openOutput(path string) (*output, error) {
	if path == "" {
		return &output{}, nil
	}
	if info, err := os.Stat(path); err == nil && info.IsDir() {
		return nil, &document.Error{File: path, Msg: "this is a folder", Hint: "name a file for the records"}
	}
	if info, err := os.Stat(path); err == nil && !info.Mode().IsRegular() {
		file, err := os.OpenFile(path, os.O_WRONLY, 0)
		if err != nil {
			return nil, &document.Error{File: path, Msg: "can't be written", Hint: "check its permissions"}
		}
		return &output{path: path, pipe: file}, nil
	}
	whole, err := process.Begin(path, false)
	if err != nil {
		return nil, &document.Error{File: path, Msg: "can't be written", Hint: "check that its folder is there and may be written"}
	}
	return &output{path: path, whole: whole}, nil
}

// write writes the records of a run in document order.
func (o *output) write(f *fill.Filler, run int64, bare bool) error {
	to, finish := io.Writer(o.pipe), func(err error) error { return errors.Join(err, o.pipe.Close()) }
	if o.whole != nil {
		to, finish = o.whole, o.whole.Commit
	}
	w := bufio.NewWriter(to)
	err := f.Ledger.Records(run, 0, func(r store.Record) error { return writeLine(w, f.Schema, run, r, bare) })
	if err == nil {
		err = w.Flush()
	}
	err = finish(err)
	if err != nil {
		return &document.Error{File: o.path, Msg: "can't be written (is the disk full?)", Hint: fmt.Sprintf("the records are in the ledger; `filler fill --resume=%d -o FILE` writes them again", run)}
	}
	return nil
}

// none leaves a file without records: what stood there was another night's.
func (o *output) none() error {
	if o.whole == nil {
		return nil
	}
	if err := o.whole.Commit(nil); err != nil {
		return &document.Error{File: o.path, Msg: "can't be written (is the disk full?)", Hint: "choose another place"}
	}
	return nil
}

// abandon removes what was not renamed into place.
func (o *output) abandon() {
	switch {
	case o.whole != nil:
		o.whole.Abandon()
	case o.pipe != nil:
		o.pipe.Close()
	}
}
