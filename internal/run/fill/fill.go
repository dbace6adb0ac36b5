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
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/semaphore"

	"filler/internal/ask/chat"
	"filler/internal/ask/exchange"
	"filler/internal/ask/model"
	"filler/internal/ask/prompt"
	"filler/internal/base/process"
	"filler/internal/base/project"
	"filler/internal/record"
	"filler/internal/run/job"
	"filler/internal/schema"
	"filler/internal/source/document"
	"filler/internal/source/fetch"
	"filler/internal/source/ocr"
	"filler/internal/standin"
	"filler/internal/store"
)

// Filler makes records of documents with one schema.
type Filler struct {
	Ledger    store.Store
	Schema    *schema.Schema
	Validator *record.Validator
	Pace      project.Pace
	Rounds    int
	Stdin     io.Reader // what the document "-" is read from
	Reader    *document.Reader
	Settings  prompt.Settings
	Job       string // the project's job that it is at, or ""
	Hand      bool   // it is a hand in a run that others began: what it leaves, others go on with
	// Models are asked in turn: each where those before it leave problems.
	Models []*Model

	empty    empties             // the records without a value
	partial  *sync.Map           // of schemas, by what they ask for
	people   *people             // who decided about which documents
	memory   *semaphore.Weighted // of the long documents in hand, in bytes
	shingles []document.Shingles // of the solved documents
	parts    []part              // what each request asks of a record
	share    *Sharing            // with workers elsewhere; nil: runs are this machine's
}

// Model is a model that is asked, with the way to it and what is kept for it.
type Model struct {
	*project.Model
	Client *model.Client
	turn   string // what its steps begin with: "" for the first, "then " for those after it
	shape  string // how it is asked where there is no client that knows it
	kept   *prompt.Kept
	server *standin.Server
}

// prints tells the model that fills by what documents print and asks nothing.
func (m *Model) prints() bool { return m.At == project.Printed }

// empties are the documents whose records have no value and no problem: that nothing was
// found in them, no check objects to.
type empties struct {
	mu    sync.Mutex
	count int
	first []string // a few
}

// mostNamed is how many such documents are kept by name.
const mostNamed = 3

func (e *empties) note(document string) {
	e.mu.Lock()
	defer e.mu.Unlock()
	if e.count++; len(e.first) < mostNamed {
		e.first = append(e.first, document)
	}
}

// Empty gives how many records of this process have no value and no problem, and the first
// of their documents.
func (f *Filler) Empty() (count int, first []string) {
	f.empty.mu.Lock()
	defer f.empty.mu.Unlock()
	return f.empty.count, slices.Clone(f.empty.first)
}

// First is the model that is asked first.
func (f *Filler) First() *Model { return f.Models[0] }

// SpentNano gives what has been paid to all models.
func (f *Filler) SpentNano() (sum int64) {
	for _, m := range f.Models {
		sum += m.Client.SpentNano()
	}
	return sum
}

// Load gives how many requests have gone out, and how many tokens went with them.
func (f *Filler) Load() (requests, tokens int64) {
	for _, m := range f.Models {
		r, t := m.Client.Load()
		requests, tokens = requests+r, tokens+t
	}
	return requests, tokens
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
	ByFile   bool                // requests go out in a file; nothing is sent
	Share    *Sharing            // with workers elsewhere; nil: the run is this machine's
}

// protocol is that of servers where nothing else is said.
var protocol exchange.Codec = chat.Codec{}

// ReadReply reads the reply of a kept exchange.
func ReadReply(x store.Exchange) (*exchange.Reply, error) { return protocol.Read(x.Reply) }

// Where few file handles are allowed, fewer documents are worked on at once:
// keptHandles are for the ledger and what is always open, eachHandles for each request
// with the documents that are read beside it.
const (
	keptHandles = 36
	eachHandles = 5
)

// New prepares a Filler, and starts the stand-in where the model is one.
func New(s Setup) (*Filler, error) {
	v, err := record.NewValidator(s.Schema)
	if err != nil {
		return nil, err
	}
	s.Pace.AtOnce = min(s.Pace.AtOnce, max((process.Handles()-keptHandles)/eachHandles, 1))
	f := &Filler{Ledger: s.Ledger, Schema: s.Schema, Validator: v, Pace: s.Pace, Rounds: s.Rounds, Stdin: s.Stdin, Reader: s.Reader, Settings: s.Settings, Job: s.Job, partial: &sync.Map{}, people: &people{}}
	if f.Reader == nil {
		f.Reader = &document.Reader{}
	}
	f.memory = semaphore.NewWeighted(int64(f.Reader.MostMemory()))
	if s.Replay == nil && !s.ByFile {
		f.share = s.Share
	}
	if s.Settings.Images == "alone" {
		blind := *f.Reader
		blind.NoWords = true
		f.Reader = &blind
	}
	if f.parts, err = partsOf(s.Schema, s.Settings.Style); err != nil {
		return nil, err
	}
	for _, e := range s.Settings.Solved {
		f.shingles = append(f.shingles, document.NewShingles(e.Text))
	}
	if s.Codec == nil {
		s.Codec = protocol
	}
	for _, m := range []*project.Model{s.Model, s.Then} {
		if m == nil {
			continue
		}
		asked, err := s.reach(m)
		if err != nil {
			f.Close()
			return nil, err
		}
		if len(f.Models) > 0 {
			asked.turn = "then "
		}
		f.Models = append(f.Models, asked)
	}
	return f, nil
}

// reach makes the way to a model.
func (s Setup) reach(m *project.Model) (*Model, error) {
	asked := &Model{Model: m, kept: &prompt.Kept{}}
	if s.Replay != nil || s.ByFile { // neither a server nor a key is needed
		asked.Client = model.New(m, model.Way{Base: m.At, Codec: s.Codec}, s.Pace, s.Ledger)
		asked.Client.Replay, asked.Client.ByFile, asked.Client.Fresh = s.Replay, s.ByFile, s.Fresh
		return asked, nil
	}
	if asked.prints() {
		asked.Client = model.New(m, model.Way{Codec: s.Codec}, s.Pace, s.Ledger)
		return asked, nil
	}
	var err error
	if asked.Client, asked.server, err = connect(m, s.Dir, s.Pace, s.Codec, s.Ledger); err != nil {
		return nil, err
	}
	asked.Client.Fresh = s.Fresh
	return asked, nil
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
	way, err := wayTo(m, base, key, codec)
	if err != nil {
		return nil, nil, err
	}
	return model.New(m, way, pace, l), server, nil
}

// wayTo gives how a model at an address is reached.
func wayTo(m *project.Model, base, key string, codec exchange.Codec) (model.Way, error) {
	certificates, err := fetch.Certificates(m.CAFile, m.CertFile, m.CertKey)
	socket, base := fetch.Socket(base)
	return model.Way{Base: base, Key: key, Codec: codec, Reach: fetch.Reach{Socket: socket, TLS: certificates}}, err
}

// Greet asks a model's server for its list of models, which costs nothing. It gives the status of
// its answer, and its address as it may be shown.
func Greet(ctx context.Context, m *project.Model, dir string) (status int, shown string, err error) {
	key, err := m.Key(dir)
	if err != nil {
		return 0, "", err
	}
	way, err := wayTo(m, m.At, key, protocol)
	if err != nil {
		return 0, "", err
	}
	return model.Greet(ctx, m, way)
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

// Close ends the stand-ins, where any were started.
func (f *Filler) Close() {
	for _, m := range f.Models {
		if m.server != nil {
			m.server.Close()
		}
	}
}

// Beginning says what a new run is, beyond what it fills with.
type Beginning struct {
	Name  string
	Scope string // how its documents were chosen, as store.Run says
	Of    int    // how many documents the project has; 0: no project
	Some  bool   // it asks for some fields of the schema only
	Aside string // what the run is made for, where it is none of the project's records
	Shard string // the part of the pile that it is, such as 3/64
	// Budget is what the run may cost: workers that join at once have to know it.
	Budget float64
}

// Start records a new run of a work over sources.
func (f *Filler) Start(w Work, b Beginning, sources []document.Source) (int64, error) {
	var shared *order
	if plain, is := w.(Fill); is && plain.Seed == nil && b.Aside == "" {
		shared = f.order(sources)
	}
	tasks := make([]store.Task, len(sources))
	for i, s := range sources {
		tasks[i] = store.Task{N: i, Document: s.ID, File: s.File, Metadata: s.Metadata}
		if s.File == "" {
			tasks[i].Text = textOf(s)
		} else if shared != nil && f.share.Copy {
			tasks[i].Bytes = f.copied(s)
		}
	}
	return f.Ledger.Start(store.Run{Name: b.Name, Scope: b.Scope, Of: b.Of, Schema: f.Schema.Source, SchemaFile: f.Schema.File, Prompt: f.promptMark(), Settings: f.keptSettings(w, b, shared),
		Model: f.First().Entry, Identity: model.Identity(f.First().Model), Rounds: f.Rounds, Budget: model.Nano(max(b.Budget, 0) * 1e9)}, tasks)
}

// copied gives what reads the bytes of a source for the ledger. What can't be read is not copied:
// whoever is to read it says why.
func (f *Filler) copied(s document.Source) func() ([]byte, error) {
	read := f.Reader.Copied(s, f.Stdin)
	if read == nil || s.File == "-" {
		return read
	}
	return func() ([]byte, error) {
		data, err := read()
		if err != nil {
			return nil, nil
		}
		return data, nil
	}
}

// textOf gives what reads the text of a source.
func textOf(s document.Source) func() ([]byte, error) {
	return func() ([]byte, error) {
		text, err := s.Whole()
		return []byte(text), err
	}
}

// Record writes all exchanges of a run as JSON Lines: what was sent and what
// came back, without keys and headers.
func (f *Filler) Record(run int64, w io.Writer) error {
	return f.Ledger.Bodies(run, func(request []byte, status int, reply []byte) error {
		return exchange.NewRecorded(request, status, reply).Write(w)
	})
}

// Hooks hear of a run as it goes. Each is called by one goroutine at a time;
// any may be nil.
type Hooks struct {
	job.Hooks
	Waiting func(t fetch.Try) // a request waits for another attempt
}

// Work is what is done with each document of a run: filling, repairing or
// updating its record.
type Work interface {
	// make makes the record of one task. An error means that the document has no
	// outcome yet and waits for another time: the run was stopped, or can't go on.
	make(ctx context.Context, f *Filler, run int64, t store.Task) (store.Record, error)
	// name is how a run remembers its work; "" is filling.
	name() string
}

// Run does a work with the documents of a run that have no record yet, or failed
// to get one. See job.Job.
func (f *Filler) Run(ctx context.Context, w Work, run int64, h Hooks) error {
	var one sync.Mutex // hooks are called one at a time
	for _, m := range f.Models {
		m.Client.Retrying = func(t fetch.Try) {
			if h.Waiting != nil {
				one.Lock()
				defer one.Unlock()
				h.Waiting(t)
			}
		}
	}
	hooks := h.Hooks
	if h.Progress != nil {
		hooks.Progress = func(p job.Progress) {
			one.Lock()
			defer one.Unlock()
			h.Progress(p)
		}
	}
	j := job.Job{Store: f.Ledger, Run: run, AtOnce: f.Pace.AtOnce, Stopped: isStopped, Waits: waits, Spent: f.SpentNano, Hooks: hooks,
		Make: func(ctx context.Context, t store.Task) (store.Record, error) { return w.make(ctx, f, run, t) }}
	if _, shared := f.Ledger.(store.Pacing); shared && !f.First().prints() {
		j.Share = f.First().Client.Share
	}
	if f.Hand {
		j.Leaves = func(err error) bool { return !isSpent(err) }
	}
	return j.Do(ctx)
}

// isSpent tells an error of the budget, which is the run's and not this machine's.
func isSpent(err error) bool {
	var fail *model.Failure
	return errors.As(err, &fail) && fail.Budget
}

// isStopped tells an error that only follows from the end of a run.
func isStopped(err error) bool {
	var fail *model.Failure
	return errors.As(err, &fail) && fail.Stopped
}

// waits tells the error of a request that waits for its reply in a file.
func waits(err error) bool {
	var fail *model.Failure
	return errors.As(err, &fail) && fail.Later
}

// sourceOf gives what the document of a task is read from: what the ledger holds of it where that
// was copied, so that it is the same on every machine.
func (f *Filler) sourceOf(t store.Task) document.Source {
	s := document.Source{ID: t.Document, File: t.File}
	if t.Copy != "" {
		s.Bytes = sync.OnceValues(func() ([]byte, error) { return f.Ledger.Blob(t.Copy) })
	}
	return s
}

// read reads the document of a task.
func (f *Filler) read(ctx context.Context, t store.Task, s document.Source) (*document.Document, error) {
	switch {
	case s.Bytes != nil:
		return f.Reader.Read(ctx, s)
	case t.File == "-":
		if f.Stdin == nil {
			return nil, fmt.Errorf("standard input can't be read again; give the document in a new run")
		}
		return f.Reader.ReadFrom(ctx, t.Document, f.Stdin)
	case t.File == "":
		get := t.Text
		if get == nil {
			get = func() ([]byte, error) { return f.Ledger.Blob(t.TextHash) }
		}
		text, err := get()
		if err != nil {
			return nil, err
		}
		return f.Reader.Read(ctx, document.Source{ID: t.Document, Text: string(text)})
	}
	return f.Reader.Read(ctx, document.Source{ID: t.Document, File: t.File})
}
