package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"filler/internal/ask/model"
	"filler/internal/run/fill"
	"filler/internal/run/job"
	"filler/internal/run/nightly"
	"filler/internal/source/document"
	"filler/internal/store"
)

// watching fills what is put into a folder, as it comes. What was filled and is not yet in the
// output, since the program ended between, is put there when it starts again.
type watching struct {
	a     *app
	o     *filling
	w     *work
	l     store.Store
	r     *document.Reader
	setup fill.Setup
	seen  *nightly.Seen
	inbox nightly.Inbox
	out   *os.File
	told  map[string]string // what the output has of each document: the hash of its text
	spent float64
	over  string // what was last told of files that are no documents
	added int    // records written so far
}

// watch fills what is put into a folder until it is stopped.
func (a *app) watch(ctx context.Context, o filling, w *work) error {
	if info, err := os.Stat(o.night.watch); err != nil || !info.IsDir() {
		return &document.Error{File: o.night.watch, Msg: "there is no such folder to watch", Hint: "make it first"}
	}
	unlock, err := w.oneNight()
	if err != nil {
		return err
	}
	defer unlock()
	x := &watching{a: a, o: &o, w: w, inbox: nightly.Inbox{Settle: o.night.every}}
	if x.told, x.out, err = openAdded(o.output); err != nil {
		return err
	}
	defer x.out.Close()
	if x.l, err = w.openRuns(); err != nil {
		return err
	}
	defer x.l.Close()
	var done func()
	if x.r, done, err = a.reader(w, &o.looking); err != nil {
		return err
	}
	defer done()
	if err = x.prepare(); err != nil {
		return err
	}
	a.notef("watching %s; what is put there is filled into %s, until Ctrl-C\n", o.night.watch, o.output)
	for {
		err := x.look(ctx)
		if err != nil && (ctx.Err() == nil || !errors.Is(err, job.ErrStopped)) {
			return err
		}
		select {
		case <-ctx.Done():
			a.notef("stopped; started again, it goes on\n")
			return nil
		case <-time.After(o.night.every):
		}
	}
}

func (x *watching) prepare() (err error) {
	if x.setup, err = x.w.setup(x.l, x.r, &x.o.looking); err != nil {
		return err
	}
	x.setup.Fresh = x.o.fresh
	if x.setup.Model, err = x.w.model(x.o.modelName); err != nil {
		return err
	}
	if x.o.then != "" {
		if x.setup.Then, err = x.w.model(x.o.then); err != nil {
			return err
		}
	}
	if x.w.budget(x.o.budget) > 0 {
		if err = x.setup.Priced(); err != nil {
			return err
		}
	}
	f, err := fill.New(x.setup)
	if err != nil {
		return err
	}
	defer f.Close()
	x.seen, err = nightly.SeenBy(x.l, nightly.MarkOf(f))
	return err
}

// look takes what is whole in the folder, and fills it.
func (x *watching) look(ctx context.Context) error {
	if _, err := os.Stat(x.o.night.watch); err != nil {
		return &document.Error{File: x.o.night.watch, Msg: "the folder that is watched is gone", Hint: "make it again, and start again; nothing is lost"}
	}
	sources, err := document.Find(x.w.root, []string{x.o.night.watch})
	var none *document.Error
	var left document.LeftOut
	if errors.As(err, &none) || errors.As(err, &left) || err == nil {
		err = nil // an empty folder, or links that lead out of it
	}
	if err != nil {
		return err
	}
	if over := endings(document.PassedOver([]string{x.o.night.watch})); over != x.over {
		if x.over = over; over != "" {
			x.a.notef("passed over, by their endings: %s\n", over)
		}
	}
	whole := x.inbox.Whole(sources, time.Now(), os.Stat)
	if len(whole) == 0 {
		return nil
	}
	p := x.seen.Pick(whole, nightly.Wanted{Unfilled: true, Changed: true}, nightly.Hasher(ctx, x.r))
	var ferr error
	before := x.added
	if len(p.Sources) > 0 {
		ferr = x.fill(ctx, p.Sources)
	}
	for _, s := range whole {
		if err := x.finish(s); err != nil {
			return err
		}
	}
	if n := x.added - before; n > 0 && len(p.Sources) == 0 {
		x.a.notef("%s added to %s, filled by an earlier run\n", plural(n, "record"), x.o.output)
	}
	return ferr
}

// fill fills documents in a run of their own.
func (x *watching) fill(ctx context.Context, sources []document.Source) error {
	left := x.w.budget(x.o.budget)
	if left > 0 {
		left = max(left-x.spent, 1e-9)
	}
	f, err := fill.New(x.setup)
	if err != nil {
		return err
	}
	defer f.Close()
	b, err := begin(f, fill.Fill{}, fill.Beginning{Name: x.o.name, Scope: store.Unfilled, Budget: left}, sources)
	if err != nil {
		return err
	}
	if err := b.SetBudget(b.run, left); err != nil {
		return err
	}
	err = b.Run(ctx, b.work, b.run, x.a.logged(b.run, fill.Hooks{}))
	t, terr := x.l.Totals(b.run)
	if terr == nil {
		x.spent += float64(t.CostNano) / 1e9
		terr = x.seen.Note(x.l, b.run)
	}
	if terr != nil {
		return terr
	}
	x.a.notef("%s  run %d: %s · %d unflagged · %d repaired · %d flagged · %d failed · cost %s\n", time.Now().Format(time.TimeOnly), b.run, plural(t.Documents, "document"), t.Unflagged, t.Repaired, t.Flagged, t.Failed, x.a.cost(t.CostNano))
	var fail *model.Failure
	if errors.As(err, &fail) && fail.Budget {
		x.a.notef("stopped at the budget: %s spent; continue with a higher --budget\n", x.a.cost(int64(x.spent*1e9)))
		return exit(codeBudget)
	}
	return err
}

// finish adds the record of a document to the output, if it is not there, and then moves its file.
func (x *watching) finish(s document.Source) error {
	run, rec, ok, err := x.seen.Record(x.l, s.ID)
	if err != nil || !ok {
		return err
	}
	if x.told[s.ID] != rec.TextHash {
		var line strings.Builder
		if err := writeLine(&line, x.setup.Schema, run, rec, x.o.bare); err != nil {
			return err
		}
		if _, err = io.WriteString(x.out, line.String()); err == nil {
			err = x.out.Sync()
		}
		if err != nil {
			return &document.Error{File: x.o.output, Msg: "can't be written (is the disk full?)", Hint: "the records are in the ledger; started again, it goes on"}
		}
		x.told[s.ID] = rec.TextHash
		x.added++
	}
	if x.o.night.moveTo == "" {
		return nil
	}
	return x.move(s)
}

// move moves a file, by its place below the folder; where one of its name is there already, it gets
// a number.
func (x *watching) move(s document.Source) error {
	rel, err := filepath.Rel(x.o.night.watch, s.File)
	if err != nil || !filepath.IsLocal(rel) {
		rel = filepath.Base(s.File)
	}
	to := filepath.Join(x.o.night.moveTo, rel)
	err = os.MkdirAll(filepath.Dir(to), 0o755)
	for n := 2; err == nil && exists(to); n++ {
		ext := filepath.Ext(rel)
		to = filepath.Join(x.o.night.moveTo, fmt.Sprintf("%s-%d%s", strings.TrimSuffix(rel, ext), n, ext))
	}
	if err == nil {
		err = os.Rename(s.File, to)
	}
	if !exists(s.File) {
		return nil // moved, or taken away meanwhile
	}
	if err != nil {
		return &document.Error{File: s.File, Msg: "can't be moved to " + x.o.night.moveTo, Hint: "name a folder on the same disk that may be written; its record is in " + x.o.output}
	}
	return nil
}

// openAdded opens a file of records to add to, and gives what it has. A last line that was cut off is
// taken away: its record is in the ledger, and is added again.
func openAdded(file string) (map[string]string, *os.File, error) {
	fault := func(msg, hint string) error { return &document.Error{File: file, Msg: msg, Hint: hint} }
	f, err := os.OpenFile(file, os.O_RDWR|os.O_CREATE, 0o644)
	if err != nil {
		return nil, nil, fault("can't be written", "check that its folder is there and may be written")
	}
	told := map[string]string{}
	end := int64(0)
	in := bufio.NewReaderSize(f, 1<<20)
	for n := 1; ; n++ {
		line, err := in.ReadBytes('\n')
		if err == io.EOF {
			break
		}
		var l struct {
			Document string `json:"document"`
			Text     string `json:"text_sha256"`
		}
		if err != nil || json.Unmarshal(line, &l) != nil {
			f.Close()
			return nil, nil, fault(fmt.Sprintf("line %d is no record", n), "name a new file")
		}
		end += int64(len(line))
		told[l.Document] = l.Text
	}
	if err = f.Truncate(end); err == nil {
		_, err = f.Seek(end, io.SeekStart)
	}
	if err != nil {
		f.Close()
		return nil, nil, fault("can't be added to", "name a new file")
	}
	return told, f, nil
}
