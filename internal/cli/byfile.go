package cli

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"filler/internal/base/process"
	"filler/internal/base/project"
	"filler/internal/base/secret"
	"filler/internal/run/fill"
	"filler/internal/source/document"
	"filler/internal/store"
)

// byFile is the way to a model through files: requests go out in one, and replies
// come in another.
type byFile struct {
	out, in, pictures string
	taken             fill.Taken
	whole             *process.Writing
}

func (b *byFile) flags(cmd *cobra.Command) {
	f := cmd.Flags()
	f.StringVar(&b.out, "requests-out", "", "send nothing: write the requests to this `FILE`, one a line")
	f.StringVar(&b.in, "replies-in", "", "take the replies to such requests from this `FILE`, - for standard input, and go on")
	f.StringVar(&b.pictures, "pictures-out", "", "with --requests-out: put pictures into this `FOLDER`; requests name their paths")
}

// is tells whether requests go by file.
func (b *byFile) is() bool { return b.out != "" || b.in != "" }

func (b *byFile) check(o *filling) error {
	same := func(x, y string) bool { return x != "" && filepath.Clean(x) == filepath.Clean(y) }
	switch {
	case b.pictures != "" && b.out == "":
		return errors.New("--pictures-out goes with --requests-out")
	case b.is() && o.replay != "":
		return errors.New("requests go by file or are answered by --replay; use one of the two")
	case b.is() && o.dry:
		return errors.New("--dry-run writes no requests; leave out --requests-out and --replies-in")
	case same(b.out, b.in) || same(b.out, o.output) || same(b.in, o.output) || same(b.out, o.saveExchanges):
		return errors.New("requests, replies and records need a file each; name another")
	case b.in != "" && o.asRun != "":
		return errors.New("--replies-in goes on with the run that asked; leave out --as-run")
	}
	return nil
}

// mostTold bounds how many lines of a file are told one by one.
const mostTold = 10

// takeIn keeps the replies of a file, and gives the run to go on with.
func (a *app) takeIn(b *byFile, w *work, l store.Store, resume string) (string, error) {
	from, name := a.in, "standard input"
	if b.in != "-" {
		file, err := os.Open(b.in)
		if err != nil {
			return "", &document.Error{File: b.in, Msg: "can't be read", Hint: "name the file that holds the replies"}
		}
		defer file.Close()
		from, name = io.Reader(file), b.in
	}
	var err error
	if b.taken, err = fill.TakeIn(l, from, w.keys().Strike); err != nil {
		return "", err
	}
	t := b.taken
	for i, fault := range t.Faults {
		if i == mostTold {
			a.notef("%s: and %s more like these\n", name, plural(len(t.Faults)-i, "line"))
			break
		}
		a.notef("%s:%d: %s\n", name, fault.Line, fault.Msg)
	}
	said := plural(t.Kept, "reply") + " kept"
	if t.Before > 0 {
		said += fmt.Sprintf(" · %s known before", thousands(t.Before))
	}
	if len(t.Faults) > 0 {
		said += fmt.Sprintf(" · %s not taken", plural(len(t.Faults), "line"))
	}
	a.notef("%s\n", said)
	if len(t.Faults) > 0 && len(t.Runs) == 0 {
		return "", &document.Error{File: name, Msg: "holds no reply to any request", Hint: `write one object a line: {"id": …, "text": …} or {"id": …, "body": …}, with the id of the request`}
	}
	return a.runOf(t, l, resume)
}

// runOf gives the run to go on with: the one that is named, else the one most
// replies are for.
func (a *app) runOf(t fill.Taken, l store.Store, resume string) (string, error) {
	var run int64
	for id, n := range t.Runs {
		if n > t.Runs[run] || n == t.Runs[run] && id > run {
			run = id
		}
	}
	if resume != "" && resume != "last" || run == 0 {
		named, err := toResume(l, cmp.Or(resume, "last"))
		if err != nil {
			return "", err
		}
		run = named.ID
	}
	for id, n := range t.Runs {
		if id != run {
			a.notef("%s for run %d: kept; continue it with `filler fill --resume=%d --replies-in FILE`, or without a file\n", plural(n, "reply"), id, id)
		}
	}
	return fmt.Sprint(run), nil
}

// keys gives what is struck out of replies that come in files.
func (w *work) keys() *secret.Set {
	var all []string
	if w.project == nil {
		if key, err := project.Secret(w.root, "FILLER_KEY"); err == nil {
			all = append(all, key)
		}
	} else {
		for _, m := range w.project.Models {
			if key, err := m.Key(w.project.Dir); err == nil {
				all = append(all, key)
			}
			all = append(append(all, secret.OfHeaders(m.Headers)...), secret.OfAddress(m.At)...)
		}
	}
	return secret.NewSet(all...)
}

// begin opens the file for requests, before anything is done for them.
func (b *byFile) begin() (err error) {
	if b.out == "" {
		return nil
	}
	if b.pictures != "" {
		if os.MkdirAll(b.pictures, 0o700) != nil {
			return &document.Error{File: b.pictures, Msg: "the pictures can't be written here", Hint: "name a folder"}
		}
	}
	if b.whole, err = process.Begin(b.out, true); err != nil {
		return &document.Error{File: b.out, Msg: "the requests can't be written here", Hint: "check that its folder is there and may be written"}
	}
	return nil
}

// end takes away a file that was not finished.
func (b *byFile) end() {
	if b.whole != nil {
		b.whole.Abandon()
	}
}

// sendOut writes the requests that wait.
func (b *byFile) sendOut(f *fill.Filler, run int64, since time.Time) (sum fill.Sent, err error) {
	if b.out == "" {
		return sum, nil
	}
	sum, err = f.SendByFile(run, since, b.pictures, b.whole)
	if err = b.whole.Commit(err); err != nil {
		return sum, &document.Error{File: b.out, Msg: "the requests can't be written (is the disk full?)", Hint: fmt.Sprintf("they are in the ledger; `filler fill --resume=%d --requests-out FILE` writes them", run)}
	}
	return sum, nil
}

// tellWaiting says what waits, and how it goes on.
func (a *app) tellWaiting(b *byFile, run int64, sent fill.Sent, documents int) {
	switch {
	case b.out == "" && documents > 0:
		a.notef("write the requests of %s with `filler fill --resume=%d --requests-out FILE`\n", plural(documents, "waiting document"), run)
	case b.out != "" && sent.Requests == 0:
		a.notef("%s: nothing left to ask\n", b.out)
	case b.out != "":
		a.notef("%s: %s, about %s in · cost at most %s; when they are answered: `filler fill --resume=%d --replies-in FILE`\n",
			b.out, plural(sent.Requests, "request"), plural(sent.TokensIn, "token"), a.cost(sent.MostNano), run)
	}
}
