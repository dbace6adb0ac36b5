package cli

import (
	"bufio"
	"fmt"
	"os"
	"path/filepath"

	"filler/internal/base/process"
	"filler/internal/run/fill"
	"filler/internal/source/document"
	"filler/internal/store"
)

// output is the file that records go to: written to a temporary file beside it
// and renamed when complete, so that an older file is never half overwritten.
type output struct {
	path string
	temp *os.File
	bare bool // temp is the file itself: a device or a pipe
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
		return &output{path, file, true}, nil
	}
	if target, err := filepath.EvalSymlinks(path); err == nil {
		path = target
	}
	temp, err := process.Temp(filepath.Dir(path), "")
	if err != nil {
		return nil, &document.Error{File: path, Msg: "can't be written", Hint: "check that its folder is there and may be written"}
	}
	return &output{path, temp, false}, nil
}

// write writes the records of a run in document order.
func (o *output) write(f *fill.Filler, run int64, bare bool) error {
	w := bufio.NewWriter(o.temp)
	err := f.Ledger.Records(run, 0, func(r store.Record) error { return writeLine(w, f.Schema, run, r, bare) })
	if err == nil {
		err = w.Flush()
	}
	if err == nil && !o.bare {
		err = o.temp.Chmod(0o644)
	}
	if cerr := o.temp.Close(); err == nil {
		err = cerr
	}
	if err == nil && !o.bare {
		err = os.Rename(o.temp.Name(), o.path)
	}
	if err != nil {
		return &document.Error{File: o.path, Msg: "can't be written (is the disk full?)", Hint: fmt.Sprintf("the records are in the ledger; `filler fill --resume=%d -o FILE` writes them again", run)}
	}
	return nil
}

// abandon removes what was not renamed into place.
func (o *output) abandon() {
	if o.temp == nil {
		return
	}
	o.temp.Close()
	if !o.bare {
		os.Remove(o.temp.Name())
	}
}
