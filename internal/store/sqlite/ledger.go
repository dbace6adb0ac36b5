// Package sqlite keeps runs, exchanges and records in a SQLite file. It is the
// only package that knows the run database.
//
// Rules it keeps:
//
//   - What a writing call acknowledges is on the disk: one goroutine takes all
//     that is queued into one transaction, synchronous=FULL, and answers when
//     it is committed.
//   - An exchange counts as answered once it was received whole and committed.
//     A reply is in the ledger before anything reads it.
//   - Keys and headers are never written. A request is kept as the hashes of
//     its parts, so that what many requests share is kept once.
package sqlite

import (
	"bytes"
	"crypto/sha256"
	"database/sql"
	_ "embed" // the tables
	"encoding/hex"
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"modernc.org/sqlite"
)

//go:embed tables.sql
var tables string

// version is the layout's number, in SQLite's user_version.
const version = 3

// Ledger is an open run database. Its methods may be called by many
// goroutines.
type Ledger struct {
	Job string // the job whose runs are meant by "last"; "" for those of none

	file     string
	db       *sql.DB
	queue    chan job
	done     chan struct{}
	once     sync.Once
	shut     sync.Once
	known    *sql.Stmt
	knownErr error
	put      map[string]bool      // blobs that need not be written again; the writer's alone
	fresh    []string             // those of the transaction at hand; likewise
	parts    []hashed             // of the request that was written last; likewise
	stmts    map[string]*sql.Stmt // likewise
}

type job struct {
	do   func(tx *sql.Tx) error
	told chan error
}

// Error is a failure of the database, in words.
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

// Open opens the ledger, and makes it where there is none.
func Open(file string) (*Ledger, error) {
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return nil, &Error{file, "the ledger's folder can't be created", "check the project's permissions", err}
	}
	l, err := open(file, "rwc")
	if err != nil {
		return nil, err
	}
	if err := l.prepare(); err != nil {
		l.db.Close()
		return nil, err
	}
	l.put, l.stmts = map[string]bool{}, map[string]*sql.Stmt{}
	l.queue, l.done = make(chan job, 256), make(chan struct{})
	go l.writer()
	return l, nil
}

// OpenToRead opens a ledger that exists, to read only.
func OpenToRead(file string) (*Ledger, error) {
	if _, err := os.Stat(file); err != nil {
		return nil, ErrNone
	}
	l, err := open(file, "ro")
	if err != nil {
		return nil, err
	}
	if err := l.checkVersion(); err != nil {
		l.db.Close()
		return nil, err
	}
	return l, nil
}

func open(file, mode string) (*Ledger, error) {
	if info, err := os.Stat(file); err == nil && info.IsDir() {
		return nil, &Error{file, "there is a folder in place of the ledger", "move it away", nil} // SQLite would blame the disk
	}
	q := url.Values{"mode": {mode}}
	q.Add("_pragma", "busy_timeout(10000)")
	if mode == "rwc" {
		q.Add("_pragma", "journal_mode(WAL)")
		q.Add("_pragma", "synchronous(FULL)")
	}
	abs, err := filepath.Abs(file)
	if err != nil {
		return nil, err
	}
	db, err := sql.Open("sqlite", (&url.URL{Scheme: "file", Path: abs, RawQuery: q.Encode()}).String())
	if err != nil {
		return nil, err
	}
	db.SetMaxIdleConns(4)
	return &Ledger{file: file, db: db}, nil
}

func (l *Ledger) checkVersion() error {
	var v int
	if err := l.db.QueryRow("PRAGMA user_version").Scan(&v); err != nil {
		return l.explain(err)
	}
	if v != version {
		return &Error{l.file, fmt.Sprintf("this ledger has layout %d, and this program reads layout %d", v, version), "use the program that wrote it, or move the file away", nil}
	}
	return nil
}

func (l *Ledger) prepare() error {
	var v int
	if err := l.db.QueryRow("PRAGMA user_version").Scan(&v); err != nil {
		return l.explain(err)
	}
	if v != 0 {
		return l.checkVersion()
	}
	tx, err := l.db.Begin()
	if err != nil {
		return l.explain(err)
	}
	defer tx.Rollback()
	if _, err := tx.Exec(tables + fmt.Sprintf("PRAGMA user_version = %d;", version)); err != nil {
		return l.explain(err)
	}
	return l.explain(tx.Commit())
}

// The result codes of SQLite that users can do something about.
const (
	codeReadOnly = 8
	codeBusy     = 5
	codeIO       = 10
	codeCorrupt  = 11
	codeFull     = 13
	codeCantOpen = 14
	codeNoDB     = 26
)

func (l *Ledger) explain(err error) error {
	if err == nil {
		return nil
	}
	var se *sqlite.Error
	if !errors.As(err, &se) {
		return &Error{l.file, "the ledger failed: " + err.Error(), "try again", err}
	}
	switch se.Code() & 0xff {
	case codeReadOnly:
		return &Error{l.file, "the ledger is read-only", "check its permissions and its folder's", err}
	case codeFull:
		return &Error{l.file, "the disk is full", "free space, then continue with `filler fill --resume`", err}
	case codeIO:
		return &Error{l.file, "the disk failed or is full", "check the disk, then continue with `filler fill --resume`", err}
	case codeBusy:
		return &Error{l.file, "another process has locked the ledger", "wait for it, or end it", err}
	case codeCantOpen:
		return &Error{l.file, "the ledger can't be opened", "check the permissions of the file and its folder", err}
	case codeCorrupt, codeNoDB:
		return &Error{l.file, "not a ledger, or damaged", "move the file away, or restore a backup", err}
	}
	return &Error{l.file, "the ledger failed: " + se.Error(), "try again", err}
}

// Close writes what is queued and closes the file. It may be called again.
func (l *Ledger) Close() error {
	if l.queue != nil {
		l.shut.Do(func() { close(l.queue) })
		<-l.done
	}
	return l.db.Close()
}

// maxBatch bounds the writes of one transaction.
const maxBatch = 256

// writer takes all that is queued into one transaction, commits it, and tells
// those who wait. No timer: while one batch is written the next gathers.
func (l *Ledger) writer() {
	defer close(l.done)
	for first := range l.queue {
		batch := []job{first}
	gather:
		for len(batch) < maxBatch {
			select {
			case next, open := <-l.queue:
				if !open {
					break gather
				}
				batch = append(batch, next)
			default:
				break gather
			}
		}
		l.commit(batch)
	}
}

func (l *Ledger) commit(batch []job) {
	err := l.transaction(func(tx *sql.Tx) error {
		for _, j := range batch {
			if err := j.do(tx); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil || len(batch) == 1 {
		for _, j := range batch {
			j.told <- err
		}
		return
	}
	// One write spoilt the batch: each gets its own transaction and answer.
	for _, j := range batch {
		j.told <- l.transaction(j.do)
	}
}

func (l *Ledger) transaction(do func(tx *sql.Tx) error) error {
	tx, err := l.db.Begin()
	if err != nil {
		return l.explain(err)
	}
	if err := do(tx); err != nil {
		tx.Rollback()
		l.settled(false)
		return l.explain(err)
	}
	err = tx.Commit()
	l.settled(err == nil)
	return l.explain(err)
}

// write queues a write and waits until it is on the disk.
func (l *Ledger) write(do func(tx *sql.Tx) error) error {
	j := job{do: do, told: make(chan error, 1)}
	l.queue <- j
	return <-j.told
}

// HashOf gives the hash under which a blob is kept.
func HashOf(body []byte) string {
	sum := sha256.Sum256(body)
	return hex.EncodeToString(sum[:])
}

// hashed is a part of a request with its hash.
type hashed struct {
	body []byte
	hash string
}

// hashed gives the hash of the ith part of a request. What requests share is
// compared with the last one's, which is far quicker than hashing it again.
func (l *Ledger) hashed(i int, part []byte) string {
	for len(l.parts) <= i {
		l.parts = append(l.parts, hashed{})
	}
	last := &l.parts[i]
	if last.hash == "" || !bytes.Equal(last.body, part) {
		last.body, last.hash = bytes.Clone(part), HashOf(part)
	}
	return last.hash
}

func (l *Ledger) putBlob(tx *sql.Tx, body []byte, hash string) (string, error) {
	if l.put[hash] {
		return hash, nil
	}
	_, err := l.exec(tx, "INSERT OR IGNORE INTO blob(hash, body) VALUES(?, ?)", hash, body)
	if err == nil && len(l.put) < maxPut {
		l.put[hash] = true
		l.fresh = append(l.fresh, hash)
	}
	return hash, err
}

// maxPut bounds how many blobs are remembered as kept: what all requests share
// comes early.
const maxPut = 4096

// settled notes how a transaction ended: what it put is kept, or is not.
func (l *Ledger) settled(kept bool) {
	if !kept {
		for _, hash := range l.fresh {
			delete(l.put, hash)
		}
	}
	l.fresh = l.fresh[:0]
}

// exec runs a statement that is prepared once.
func (l *Ledger) exec(tx *sql.Tx, query string, args ...any) (sql.Result, error) {
	stmt := l.stmts[query]
	if stmt == nil {
		var err error
		if stmt, err = l.db.Prepare(query); err != nil {
			return nil, err
		}
		l.stmts[query] = stmt
	}
	return tx.Stmt(stmt).Exec(args...)
}

// Blob gives a kept body.
func (l *Ledger) Blob(hash string) ([]byte, error) {
	var body []byte
	if err := l.db.QueryRow("SELECT body FROM blob WHERE hash = ?", hash).Scan(&body); err != nil {
		return nil, l.explain(err)
	}
	return body, nil
}

// Joined gives the concatenation of kept parts, named by hashes with spaces
// between them.
func (l *Ledger) Joined(hashes string) ([]byte, error) {
	var all []byte
	for _, h := range strings.Fields(hashes) {
		part, err := l.Blob(h)
		if err != nil {
			return nil, err
		}
		all = append(all, part...)
	}
	return all, nil
}
