// Package store says what is kept of runs: their tasks, exchanges and records,
// and what whoever keeps them promises.
//
// Rules for every implementation:
//
//   - What a writing call acknowledges is on the disk.
//   - An exchange counts as answered once it was received whole and kept.
//   - A task is claimed before it is filled. A claim ends with its holder: by
//     Leave, or because its process is gone.
//   - Of several processes that want to send the same request, one may; the
//     others wait for its answer.
//   - Bodies come back byte for byte.
package store

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"time"
)

// Runs keeps runs and their tasks.
type Runs interface {
	// Start records a new run and its tasks, takes part in it, and gives its number. It begins
	// now, unless it says when it began.
	Start(r Run, tasks []Task) (int64, error)
	// Find gives a run by its number, its name, or "last": the newest that was
	// not made aside, not begun for documents named one by one, and not
	// interrupted. Where all were named, the newest of them is the last.
	Find(name string) (Run, error)
	// Unfinished gives the newest run that was stopped or interrupted, or is at
	// work, and is wanted; false where there is none.
	Unfinished(wanted func(Run) bool) (Run, bool, error)
	// Runs gives all runs, the newest first.
	Runs() ([]Run, error)
	Tasks(run int64) ([]Task, error)
	// Metadata gives what was known of the documents of a run before they were read.
	Metadata(run int64) (map[string]map[string]string, error)
	Totals(run int64) (Totals, error)
	// SetBudget says what a run may cost from now on, what it has cost before included, in
	// billionths. A shared store refuses a first budget while others are at the run.
	SetBudget(run, limit int64) error
	// End records how a run ended for this process, adds the time it took, and
	// leaves it. While others are at work on it, it goes on.
	End(run int64, state string, took time.Duration) error
}

// Claims shares the tasks of a run among processes.
type Claims interface {
	// Join takes part in a run: what failed in it before is waiting again, where
	// nobody else is at it.
	Join(run int64) error
	// Claim gives up to most tasks of a run, which then belong to this process;
	// none where all are done or held by others.
	// A run that was stopped from elsewhere gives ErrHalted.
	Claim(run int64, most int) ([]Task, error)
	// Left counts the tasks of a run, and those that are not done.
	Left(run int64) (all, left int, err error)
	// Take asks for the right to send the request with this key; false where
	// another process has it. Drop gives it back.
	Take(key string) (bool, error)
	Drop(key string) error
	// Depart says that a request is going out now, and what it costs at most. Where
	// this process ends before an exchange of it is saved or it is dropped, the next
	// that joins a run keeps it as an exchange without a reply: maybe spent.
	Depart(x Exchange) error
}

// Exchanges keeps what was asked and what came back.
type Exchanges interface {
	// SaveExchange keeps an exchange; it is of now, unless it says when it was.
	SaveExchange(x Exchange) error
	// Answered gives the kept answer to a request, if there is a whole one with
	// status 200; else nil.
	Answered(key string) (*Exchange, error)
	// Exchanges gives the exchanges of one task, in order, without their requests.
	Exchanges(run int64, n int) ([]Exchange, error)
	// RequestOf gives the body that was sent.
	RequestOf(x Exchange) ([]byte, error)
	// Parts gives it in the parts that it is kept in.
	Parts(x Exchange) ([][]byte, error)
	// Bodies gives, in document order, each request of a run that was answered.
	Bodies(run int64, each func(request []byte, status int, reply []byte) error) error
	Blob(hash string) ([]byte, error)
	// Shape gives the shape that a model's server is known to take, or "".
	Shape(identity string) (string, error)
	SaveShape(identity, shape string) error
}

// Open is a request that waits for a reply in a file.
type Open struct {
	Key     string
	Run     int64
	N       int
	Step    string
	Request [][]byte // its body in parts
	Terms   []byte   // what whoever asked needs to settle it by
}

// Opens keeps requests whose replies come in files.
type Opens interface {
	// SaveOpen keeps a request of a run that waits, or marks one kept before as asked
	// again now.
	SaveOpen(o Open) error
	// Opened calls each for the requests of a run that wait and were asked since then,
	// in the order of their tasks, those of several tasks once.
	Opened(run int64, since time.Time, each func(o Open, body []byte) error) error
	// OpenBy gives the request that waits under a key, of the oldest run; nil where
	// none does.
	OpenBy(key string) (*Open, error)
	// Settle keeps the exchange of a request that waited, which then waits no more in
	// any run, unless the status is other than 200.
	Settle(o Open, x Exchange) error
}

// Records keeps what came of the tasks.
type Records interface {
	// SaveRecord keeps the record of a task, which is done then. Where another process holds
	// the task, or has done it, since this one was thought dead, the error is a *Taken.
	SaveRecord(run int64, r Record) error
	// Records calls each for the records of a run, in document order, from place
	// from on.
	Records(run int64, from int, each func(Record) error) error
	// Outcomes calls each for the records of a run as Records does, without what they hold: their
	// names, hashes and status alone.
	Outcomes(run int64, each func(Record) error) error
	// RecordAt gives the record of one task; false if it has none yet.
	RecordAt(run int64, n int) (Record, bool, error)
}

// Pruner drops what is no longer wanted. A store need not be one.
type Pruner interface {
	// Prune drops runs with their tasks and records, and all exchanges and bodies
	// that no other run uses. A trial counts and drops nothing.
	Prune(runs []int64, trial bool) (Pruned, error)
}

// Forgetter drops what is kept of one document. A store need not be one.
type Forgetter interface {
	// Forget drops a document's tasks, records and exchanges from all runs, so that
	// they can't be found in the store's files either. A trial counts and drops
	// nothing.
	Forget(document string, trial bool) (Pruned, error)
}

// Shared is a store whose runs several machines work on.
type Shared interface {
	Pacing
	// Wanting gives the runs that are going, can be worked on from anywhere and have tasks that
	// nobody is at, the oldest first.
	Wanting() ([]int64, error)
	// Wait waits until something may have changed, or for so long.
	Wait(ctx context.Context, most time.Duration)
	// Workers gives those that are at work, or were when last heard of.
	Workers() ([]Worker, error)
	// Halt has all workers of a run stop; Resume has them go on.
	Halt(run int64) error
	Resume(run int64) error
}

// Worker is a process that takes part in a run; run 0: that waits for one, or only sends requests.
type Worker struct {
	ID, Run int64
	Host    string
	Process string
	Since   time.Time
	Until   time.Time // when it is thought dead, unless it is heard of
	Alive   bool
	Done    int // records that it has kept
	Spent   int64
}

// Pacing is kept by a store that several machines pace themselves by.
type Pacing interface {
	// Pace says what this process has, wants and heard of a model's server, and gives its share.
	Pace(a Ask) (Share, error)
	// Lease says what this process has spent of a run's budget, what it has set aside, and what
	// it would like to have beside that; it gives what is leased to it now.
	Lease(run int64, need, like int64) (Lease, error)
}

// Asker is a store that looks for the answer to a request and asks for the right to send it at one go.
type Asker interface {
	// TakeUnlessAnswered gives the kept answer, or says whether this process may send.
	TakeUnlessAnswered(key string) (mine bool, x *Exchange, err error)
}

// Ask is what a process has and wants of a model's server.
type Ask struct {
	Server                             string
	AtOnce, PerMinute, TokensPerMinute int   // what all processes may; 0: no limit
	Out, Wants                         int   // requests under way, and those that wait beside
	Good                               int   // good answers since the last time
	TooMuch                            bool  // the server said so since then
	Reserved                           int64 // tokens that requests under way may take
	Used                               int64 // tokens of those that came back since
	Next                               []int // tokens of requests that would go out now, in order
}

// Share is what a process may ask of a model's server.
type Share struct {
	AtOnce  int             // requests under way
	After   []time.Duration // from now, when each of the first of Next may go out
	Workers int             // processes that share
}

// Lease is a process's share in a budget, in billionths.
type Lease struct {
	Granted int64 // what it may spend, what it has spent included
	Spent   int64 // by it
	All     int64 // spent by all
	Limit   int64 // 0: none
}

// Copier copies itself into a file. A store need not be one.
type Copier interface {
	// Copy writes all into a new file; with redo without documents, requests and
	// replies, and with what redo makes of the rest.
	Copy(file string, redo *Redo) error
}

// Redo says what becomes of records and of a run's settings in a copy for others.
type Redo struct {
	Record   func(run Run, r Record) (Record, error)
	Settings func(settings []byte) ([]byte, error)
}

// Pruned counts what was dropped. Sizes are those of the store, in bytes; after a
// trial both are that of now.
type Pruned struct {
	Runs, Records, Exchanges, Bodies int
	Before, After                    int64
}

// Store is all of it.
type Store interface {
	Runs
	Claims
	Exchanges
	Opens
	Records
	Reviews
	Close() error
}

// Run is one filling of a set of documents.
type Run struct {
	ID         int64
	Name       string
	Scope      string // how its documents were chosen: All, Named, Sample, Where, Again, Unfilled or Shard
	Of         int    // how many documents the project had then; 0: no project
	Schema     []byte // the source
	SchemaHash string
	SchemaFile string
	Prompt     []byte // without a document
	PromptHash string
	Model      string
	Identity   string
	Rounds     int
	Settings   []byte // JSON: what else the prompt was made by
	State      string // Going, Done, Stopped, Waiting or Interrupted
	Began      time.Time
	Seconds    float64
	Budget     int64 // what it may cost, in billionths; 0: no limit
}

// The states of a run. Waiting is one whose requests went out in a file;
// Interrupted one that was going when its process ended.
const (
	Going       = "going"
	Done        = "done"
	Stopped     = "stopped"
	Waiting     = "waiting"
	Interrupted = "interrupted"
)

// The scopes of a run.
const (
	All    = ""       // all documents of the project, or of a file of records
	Named  = "named"  // named one by one; such a run is never meant by "last"
	Sample = "sample" // picked at random
	Where  = "where"  // picked by their metadata
	Again  = "again"  // picked by how they ended in the last run
	// Unfilled are those that no run of the same schema and prompt had, or that changed since.
	Unfilled = "unfilled"
	Shard    = "shard" // a part of all, by the hash of their names
)

// Task is one document of a run.
type Task struct {
	N        int
	Document string
	File     string
	TextHash string                 // of the source text, once read, or of Text
	Text     func() ([]byte, error) // given to Start: the text of a document that no file holds
	Bytes    func() ([]byte, error) // given to Start: what is in the file, to be kept for other machines; nil, or giving nil: it is not
	Copy     string                 // the hash under which that is kept; "" where it is not
	Deaths   int                    // processes that ended while they held it
	Done     bool
	Metadata map[string]string
}

// Totals sums up a run.
type Totals struct {
	Documents, Waiting                   int
	Unflagged, Repaired, Flagged, Failed int
	Exchanges, Cached                    int // Cached are not among Exchanges
	TokensIn, TokensOut                  int
	CostNano                             int64
	EstimatedNano                        int64 // what of CostNano is a guess
	Estimated                            bool  // a part of tokens and cost is a guess
}

// Exchange is one request and its reply, or one attempt that got none.
type Exchange struct {
	ID        int64
	Key       string
	Flight    string // the key under which it is on its way, where that is another
	Run       int64
	N         int
	Step      string
	Try       int      // from 1; 0: taken from the cache, at no cost
	Request   [][]byte // its body in parts; what requests share is kept once
	Status    int
	Reply     []byte
	Error     string
	Finish    string
	TokensIn  int
	TokensOut int
	Estimated bool
	CostNano  int64
	Took      time.Duration
	At        time.Time
	Kept      []byte // how its store finds the request again
}

// Record is what came of one task. Record, Problems, Evidence and Trace are
// JSON.
type Record struct {
	N        int
	Document string
	TextHash string
	FileHash string
	Status   string
	Record   []byte
	Problems []byte
	Evidence []byte
	Trace    []byte
	Risk     []byte // JSON, by path; nil where none was computed
}

// NoRun says that a run is not there.
type NoRun struct{ Name string }

func (e *NoRun) Error() string {
	return fmt.Sprintf("there is no run %q; `filler runs` lists them", e.Name)
}

// Error is a failure of a store, in words.
type Error struct {
	File string
	Msg  string
	Hint string
	Err  error
}

func (e *Error) Error() string { return e.File + ": " + e.Msg + "; " + e.Hint }
func (e *Error) Unwrap() error { return e.Err }

// ErrNone says that there is no ledger yet.
var ErrNone = errors.New("there are no runs yet; start with `filler fill`")

// InFlight is the error of an exchange that was on its way when its process ended.
const InFlight = "on its way when the process ended: maybe spent, at most so much"

// MostDeaths is how many processes may end while they hold a task before it is not worked on any
// more: one that held others, too, and three that held nothing else, so that no other falls with it.
const MostDeaths = 4

// ErrHalted says that a run was stopped from elsewhere.
var ErrHalted = errors.New("the run was stopped from elsewhere")

// Taken says that another process has what this one held: it was thought dead.
type Taken struct{ What string }

func (e *Taken) Error() string {
	return e.What + ": another process has it, since this one did not answer for a while"
}

// Unheard says that others are at a run that had no budget: they would not keep to one now.
type Unheard struct {
	Run    int64
	Others int
}

func (e *Unheard) Error() string {
	return fmt.Sprintf("run %d is being filled without a budget by others (%d), who would not keep to one; end it with `filler runs stop %d`, then continue with --budget and --resume=%d", e.Run, e.Others, e.Run, e.Run)
}

// HashOf gives the hash under which a body is kept: SHA-256, in hex.
func HashOf(body []byte) string {
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:])
}

// OnlyInterrupted says that no run can be meant by "last", since each was
// interrupted.
type OnlyInterrupted struct{ Run int64 }

func (e *OnlyInterrupted) Error() string {
	return fmt.Sprintf("run %d was interrupted; continue it with `filler fill --resume`, or name it", e.Run)
}

// Busy says that a run can't be dropped, since a process is at it.
type Busy struct{ Run int64 }

func (e *Busy) Error() string {
	return fmt.Sprintf("run %d is going; stop it, or wait until it is done", e.Run)
}
