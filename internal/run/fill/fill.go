// Package fill does the work: a document in, a record out, with the trace of
// how it came about. Here the stages meet: reading, asking, lenient reading,
// normalizing, checking, evidence, repair, and the ledger.
//
// Rules it keeps:
//
//   - One bad document never stops the others; a model that can't be reached
//     or a ledger that can't be written stops the run, and what waits goes on
//     waiting.
//   - Nothing is read from a reply that is not in the ledger yet.
//   - Records come out in document order, whatever the concurrency.
//   - A repair is let through only within its bounds (package record).
package fill

import (
	"context"
	"errors"
	"fmt"
	"io"
	"runtime/debug"
	"strings"
	"sync"
	"time"

	"filler/internal/ask/chat"
	"filler/internal/ask/exchange"
	"filler/internal/ask/model"
	"filler/internal/ask/prompt"
	"filler/internal/base/project"
	"filler/internal/record"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/fetch"
	"filler/internal/source/ocr"
	"filler/internal/standin"
	"filler/internal/store"
)

// Filler fills documents with one schema and one model.
type Filler struct {
	Ledger    store.Store
	Schema    *schema.Schema
	Validator *record.Validator
	Model     *project.Model
	Client    *model.Client
	Pace      project.Pace
	Rounds    int
	Stdin     io.Reader // what the document "-" is read from
	Reader    *document.Reader
	Settings  prompt.Settings
	Seed      *int64  // sent along, if set
	Then      *Filler // asked where this one's model leaves problems; may be nil
	Job       string  // the project's job that it is at, or ""
	Aside     string  // what the run is made for, where it is none of the project's records
	// Given are records to repair in place of filling, by the task's number.
	Given   map[int]*record.Line
	Repairs Repairs // what repairing them did
	// News are new documents to bring into the Given records; nil where they
	// are to be repaired.
	News    *News
	Updated Updated // what bringing them in did

	repairsMu *sync.Mutex
	partial   *sync.Map // of schemas, by what they ask for

	shape    string // where there is no client that knows it
	kept     *prompt.Kept
	shingles []document.Shingles // of the solved documents
	parts    []part              // what each request asks of a record
	server   *standin.Server
}

// Setup is what a Filler is made of.
type Setup struct {
	Ledger   store.Store
	Schema   *schema.Schema
	Model    *project.Model
	Dir      string // where .env lies
	Pace     project.Pace
	Rounds   int
	Fresh    bool
	Stdin    io.Reader
	Reader   *document.Reader // nil: one with the defaults
	Settings prompt.Settings
	Replay   *exchange.Recording // answers in place of the model, if set
	Then     *project.Model      // asked where Model leaves problems; may be nil
	Job      string              // the project's job, or ""
	Codec    exchange.Codec      // the protocol of the models; nil: chat completions
}

// protocol is that of servers where nothing else is said.
var protocol exchange.Codec = chat.Codec{}

// ReadReply reads the reply of a kept exchange.
func ReadReply(x store.Exchange) (*exchange.Reply, error) { return protocol.Read(x.Reply) }

// New prepares a Filler, and starts the stand-in where the model is one.
func New(s Setup) (*Filler, error) {
	f, err := newOne(s)
	if err != nil || s.Then == nil {
		return f, err
	}
	s.Model, s.Then = s.Then, nil
	if f.Then, err = newOne(s); err != nil {
		f.Close()
		return nil, err
	}
	return f, nil
}

func newOne(s Setup) (*Filler, error) {
	v, err := record.NewValidator(s.Schema)
	if err != nil {
		return nil, err
	}
	f := &Filler{Ledger: s.Ledger, Schema: s.Schema, Validator: v, Model: s.Model, Pace: s.Pace, Rounds: s.Rounds, Stdin: s.Stdin, Reader: s.Reader, Settings: s.Settings, Job: s.Job}
	if f.Reader == nil {
		f.Reader = &document.Reader{}
	}
	if s.Settings.Images == "alone" {
		blind := *f.Reader
		blind.NoWords = true
		f.Reader = &blind
	}
	if f.parts, err = partsOf(s.Schema, s.Settings.Style); err != nil {
		return nil, err
	}
	f.kept, f.repairsMu, f.partial = &prompt.Kept{}, &sync.Mutex{}, &sync.Map{}
	for _, e := range s.Settings.Solved {
		f.shingles = append(f.shingles, document.NewShingles(e.Text))
	}
	if s.Codec == nil {
		s.Codec = protocol
	}
	if s.Replay != nil { // neither a server nor a key is needed
		f.Client = model.New(s.Model, model.Way{Base: s.Model.At, Codec: s.Codec}, s.Pace, s.Ledger)
		f.Client.Replay = s.Replay
		return f, nil
	}
	if f.Client, f.server, err = connect(s.Model, s.Dir, s.Pace, s.Codec, s.Ledger); err != nil {
		return nil, err
	}
	f.Client.Fresh = s.Fresh
	return f, nil
}

// connect makes a client for a model, and starts the stand-in where that is
// the model.
func connect(m *project.Model, dir string, pace project.Pace, codec exchange.Codec, l store.Store) (*model.Client, *standin.Server, error) {
	key, err := m.Key(dir)
	if err != nil {
		return nil, nil, err
	}
	base := m.At
	var server *standin.Server
	if character, ok := strings.CutPrefix(base, "standin:"); ok {
		if server, err = standin.Start("127.0.0.1:0", standin.Options{Character: character}); err != nil {
			return nil, nil, err
		}
		base = server.URL
	}
	return model.New(m, model.Way{Base: base, Key: key, Codec: codec}, pace, l), server, nil
}

// Transcriber gives the OCR engine that has a model write down what is on a
// picture, and what ends it.
func Transcriber(m *project.Model, dir string, pace project.Pace, l store.Store) (ocr.Engine, func(), error) {
	client, server, err := connect(m, dir, pace, protocol, l)
	if err != nil {
		return nil, nil, err
	}
	return model.Transcriber{Client: client}, func() {
		if server != nil {
			server.Close()
		}
	}, nil
}

// Close ends the stand-in, if one was started.
func (f *Filler) Close() {
	if f.server != nil {
		f.server.Close()
	}
	if f.Then != nil {
		f.Then.Close()
	}
}

// Beginning says what a new run is, beyond what it fills with.
type Beginning struct {
	Name  string
	Scope string // how its documents were chosen, as store.Run says
	Of    int    // how many documents the project has; 0: no project
	Some  bool   // it asks for some fields of the schema only
}

// Start records a new run over sources.
func (f *Filler) Start(b Beginning, sources []document.Source) (int64, error) {
	tasks := make([]store.Task, len(sources))
	for i, s := range sources {
		tasks[i] = store.Task{N: i, Document: s.ID, File: s.File, Metadata: s.Metadata}
		if s.File == "" {
			tasks[i].Text = []byte(s.Text)
		}
	}
	return f.Ledger.Start(store.Run{Name: b.Name, Scope: b.Scope, Of: b.Of, Schema: f.Schema.Source, SchemaFile: f.Schema.File, Prompt: f.promptMark(), Settings: f.keptSettings(b.Some),
		Model: f.Model.Entry, Identity: model.Identity(f.Model), Rounds: f.Rounds}, tasks)
}

// Record writes all exchanges of a run as JSON Lines: what was sent and what
// came back, without keys and headers.
func (f *Filler) Record(run int64, w io.Writer) error {
	return f.Ledger.Bodies(run, func(request []byte, status int, reply []byte) error {
		return exchange.NewRecorded(request, status, reply).Write(w)
	})
}

// Progress is how far a run is.
type Progress struct {
	Done, All int
	Flagged   int
	Failed    int
	SpentNano int64  // in this go
	Last      string // the document that was just done
	Status    record.Status
	Problem   string // the first problem of it
}

// Hooks hear of a run as it goes. Each is called by one goroutine at a time;
// any may be nil.
type Hooks struct {
	Progress func(Progress)
	Waiting  func(t fetch.Try)          // a request waits for another attempt
	Record   func(r store.Record) error // in document order; its error ends the run
}

// ErrStopped says that the user stopped the run.
var ErrStopped = errors.New("stopped")

// Run fills the documents of a run that have no record yet, or failed to get
// one. Other processes may be at the same run: each claims what it fills, and
// all end when everything is done. When ctx ends, no new request goes out, what
// is in flight gets a moment to come home, and the error is ErrStopped.
func (f *Filler) Run(ctx context.Context, run int64, h Hooks) error {
	began := time.Now()
	if err := f.Ledger.Join(run); err != nil {
		return err
	}
	r := &running{Filler: f, run: run, hooks: h, more: make(chan struct{}, 1)}
	if _, err := r.look(); err != nil {
		return err
	}
	f.Client.Retrying = r.waiting
	if f.Then != nil {
		f.Then.Client.Retrying = r.waiting
	}
	err := r.work(ctx)
	state := store.Done
	if err != nil {
		state = store.Stopped
	}
	if end := f.Ledger.End(run, state, time.Since(began)); err == nil {
		err = end
	}
	return err
}

// running is one run at work.
type running struct {
	*Filler
	run   int64
	hooks Hooks

	more chan struct{} // a task of ours has ended

	mu       sync.Mutex
	held     int // tasks that are ours and not done
	done     []bool
	next     int // the first place whose record has not been handed out
	progress Progress
	err      error // the first that ended the run
}

func (r *running) work(ctx context.Context) error {
	ctx, cancel := context.WithCancelCause(ctx)
	defer cancel(nil)
	queue := make(chan store.Task)
	var workers sync.WaitGroup
	// Twice as many documents as requests are in hand: while replies are read and
	// checked, the next requests are out already.
	for range min(2*r.Pace.AtOnce, r.progress.All) {
		workers.Go(func() {
			for t := range queue {
				if err := r.task(ctx, t); err != nil {
					r.fail(err)
					cancel(err)
				}
			}
		})
	}
	if err := r.claim(ctx, queue); err != nil {
		r.fail(err)
		cancel(err)
	}
	close(queue)
	workers.Wait()
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.err == nil {
		r.err = r.handOut()
	}
	if r.err == nil && ctx.Err() != nil {
		r.err = ErrStopped
	}
	return r.err
}

// fail keeps the first error that is not a mere consequence of the stop.
func (r *running) fail(err error) {
	var fail *model.Failure
	if errors.As(err, &fail) && fail.Stopped {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.err == nil {
		r.err = err
	}
}

func (r *running) task(ctx context.Context, t store.Task) error {
	if ctx.Err() != nil {
		return nil
	}
	rec, err := r.record(ctx, t)
	if err != nil {
		return err
	}
	if err := r.Ledger.SaveRecord(r.run, rec); err != nil {
		return err
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.held--
	select {
	case r.more <- struct{}{}:
	default:
	}
	if !r.done[t.N] {
		r.done[t.N] = true
		r.progress.Done++
	}
	r.tell(rec)
	if t.N == r.next && r.err == nil {
		return r.handOut()
	}
	return nil
}

// record makes the record of one task. A fault of the program ends the run, in
// a line that says which document it was.
func (r *running) record(ctx context.Context, t store.Task) (rec store.Record, err error) {
	defer func() {
		if fault := recover(); fault != nil {
			err = &Internal{Document: t.Document, Msg: fmt.Sprint(fault), At: faultAt(string(debug.Stack()))}
		}
	}()
	line := r.Given[t.N]
	switch {
	case line != nil && r.News != nil:
		return r.updated(ctx, r.run, t, line, r.News.Of[t.N])
	case line != nil:
		return r.given(ctx, r.run, t, line)
	}
	return r.one(ctx, r.run, t)
}

// Internal is a fault of the program itself.
type Internal struct {
	Document string
	Msg      string
	At       string // file:line
}

func (e *Internal) Error() string {
	return fmt.Sprintf("%s: the program itself failed at %s (%s); please report it; the other documents are in the ledger", e.Document, e.At, e.Msg)
}

// faultAt gives the place in our code where a panic came from.
func faultAt(stack string) string {
	_, below, _ := strings.Cut(stack, "panic(")
	for line := range strings.Lines(below) {
		if _, at, ours := strings.Cut(line, "/internal/"); ours && strings.Contains(at, ".go:") {
			at, _, _ = strings.Cut(strings.TrimSpace(at), " ")
			return at
		}
	}
	return "an unknown place"
}

// handOut gives the records that are next in order to the hook.
func (r *running) handOut() error {
	if r.hooks.Record == nil {
		return nil
	}
	from := r.next
	for r.next < len(r.done) && r.done[r.next] {
		r.next++
	}
	if r.next == from {
		return nil
	}
	return r.Ledger.Records(r.run, from, func(rec store.Record) error {
		if rec.N >= r.next {
			return nil
		}
		return r.hooks.Record(rec)
	})
}

func (r *running) tell(rec store.Record) {
	r.progress.Last, r.progress.Status, r.progress.Problem = rec.Document, record.Status(rec.Status), ""
	switch record.Status(rec.Status) {
	case record.Flagged:
		r.progress.Flagged++
	case record.Failed:
		r.progress.Failed++
		r.progress.Problem = FirstProblem(rec)
	}
	if r.hooks.Progress != nil {
		r.progress.SpentNano = r.Client.SpentNano()
		if r.Then != nil {
			r.progress.SpentNano += r.Then.Client.SpentNano()
		}
		r.hooks.Progress(r.progress)
	}
}

func (r *running) waiting(t fetch.Try) {
	if r.hooks.Waiting != nil {
		r.mu.Lock()
		defer r.mu.Unlock()
		r.hooks.Waiting(t)
	}
}

// FirstProblem gives the first problem of a record in words, or "".
func FirstProblem(rec store.Record) string {
	l, err := ToLine(0, rec)
	if err != nil || len(l.Problems) == 0 {
		return ""
	}
	p := l.Problems[0]
	if p.Path == "" {
		return p.Message
	}
	return p.String()
}

// read reads the document of a task.
func (f *Filler) read(ctx context.Context, t store.Task) (*document.Document, error) {
	if t.File == "-" {
		if f.Stdin == nil {
			return nil, fmt.Errorf("standard input can't be read again; give the document in a new run")
		}
		return f.Reader.ReadFrom(ctx, t.Document, f.Stdin)
	}
	if t.File == "" && t.Text != nil {
		return f.Reader.Read(ctx, document.Source{ID: t.Document, Text: string(t.Text)})
	}
	if t.File == "" {
		text, err := f.Ledger.Blob(t.TextHash)
		if err != nil {
			return nil, err
		}
		return f.Reader.Read(ctx, document.Source{ID: t.Document, Text: string(text)})
	}
	return f.Reader.Read(ctx, document.Source{ID: t.Document, File: t.File})
}
