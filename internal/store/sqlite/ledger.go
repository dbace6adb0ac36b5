// Package sqlite keeps runs, exchanges and records in a SQLite file. It is the
// only package that knows SQL.
//
// Rules it keeps, beyond those of package store:
//
//   - One goroutine takes all that is queued into one transaction,
//     synchronous=FULL, and answers when it is committed. Claims and signs of
//     life need not outlive a power cut, and are not waited for.
//   - Keys and headers are never written. A request is kept as its parts, so that
//     what many requests share is kept once.
//   - Bodies are packed, and lie in ordinary tables: in an index they would leave
//     most of its pages empty.
package sqlite

import (
	"context"
	"database/sql"
	_ "embed" // the tables
	"errors"
	"fmt"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"time"

	"modernc.org/sqlite"

	"filler/internal/store"
	"filler/internal/store/packed"
)

//go:embed tables.sql
var tables string

// openTable came later; a ledger without it is given one when it is opened.
//
//go:embed open.sql
var openTable string

// version is the layout's number, in SQLite's user_version.
const version = 4

// Ledger is an open run database. Its methods may be called by many
// goroutines.
type Ledger struct {
	Job string // the job whose runs are meant by "last"; "" for those of none

	file     string
	db       *sql.DB
	light    *sql.Conn  // for what need not outlive a power cut
	writing  sync.Mutex // one transaction at a time, so that none has to try again
	queue    chan job
	done     chan struct{}
	once     sync.Once
	shut     sync.Once
	known    *sql.Stmt
	knownErr error
	put      map[[32]byte]int64   // blobs that need not be written again; the writer's alone
	fresh    [][32]byte           // those of the transaction at hand; likewise
	parts    packed.Hashes        // of the request that was written last; likewise
	stmts    map[string]*sql.Stmt // likewise
	bound    map[string]*sql.Stmt // those of the transaction at hand; likewise

	atWork  workers
	claimed sync.Map // run → the number behind the last task that was claimed here
}

var _ store.Store = (*Ledger)(nil)

type job struct {
	do   func(tx *sql.Tx) error
	told chan error
}

// Open opens the ledger, and makes it where there is none.
func Open(file string) (*Ledger, error) {
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return nil, &store.Error{File: file, Msg: "the ledger's folder can't be created", Hint: "check the project's permissions", Err: err}
	}
	l, err := open(file, "rwc")
	if err != nil {
		return nil, err
	}
	if err := l.prepare(); err != nil {
		l.db.Close()
		return nil, err
	}
	if err := l.lighten(); err != nil {
		l.db.Close()
		return nil, err
	}
	l.put, l.stmts, l.bound = map[[32]byte]int64{}, map[string]*sql.Stmt{}, map[string]*sql.Stmt{}
	l.queue, l.done = make(chan job, 256), make(chan struct{})
	go l.writer()
	return l, nil
}

// OpenToRead opens a ledger that exists, to read only.
func OpenToRead(file string) (*Ledger, error) {
	if _, err := os.Stat(file); err != nil {
		return nil, store.ErrNone
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
		return nil, &store.Error{File: file, Msg: "there is a folder in place of the ledger", Hint: "move it away", Err: nil} // SQLite would blame the disk
	}
	q := url.Values{"mode": {mode}, "_txlock": {"immediate"}}
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
		return &store.Error{File: l.file, Msg: fmt.Sprintf("this ledger has layout %d, and this program reads layout %d", v, version), Hint: "use the program that wrote it, or move the file away", Err: nil}
	}
	return nil
}

// patience is how long a process waits for another that makes the tables.
const patience = 10 * time.Second

// prepare makes the tables where there are none. Of several processes that
// begin at once, one makes them; the others wait.
func (l *Ledger) prepare() error {
	var err error
	for began := time.Now(); time.Since(began) < patience; time.Sleep(20 * time.Millisecond) {
		err = l.makeTables()
		var busy *sqlite.Error
		if !errors.As(err, &busy) || busy.Code()&0xff != codeBusy { // a change of the journal does not wait by itself
			break
		}
	}
	return err
}

func (l *Ledger) makeTables() error {
	var v int
	if err := l.db.QueryRow("PRAGMA user_version").Scan(&v); err != nil {
		return l.explain(err)
	}
	if v != 0 {
		return l.addOpen()
	}
	tx, err := l.db.Begin()
	if err != nil {
		return l.explain(err)
	}
	defer tx.Rollback()
	if err := tx.QueryRow("PRAGMA user_version").Scan(&v); err != nil || v != 0 {
		if err == nil {
			tx.Rollback()
			return l.checkVersion()
		}
		return l.explain(err)
	}
	if _, err := tx.Exec(tables + openTable + reviewTable + fmt.Sprintf("PRAGMA user_version = %d;", version)); err != nil {
		return l.explain(err)
	}
	return l.explain(tx.Commit())
}

// addOpen gives a ledger that was made before there were open requests, or reviews,
// what they need.
func (l *Ledger) addOpen() error {
	if err := l.checkVersion(); err != nil {
		return err
	}
	for _, add := range [][2]string{{"sqlite_master WHERE name = 'open'", openTable}, {"sqlite_master WHERE name = 'review'", reviewTable},
		{"pragma_table_info('flight') WHERE name = 'about'", "ALTER TABLE flight ADD COLUMN about TEXT NOT NULL DEFAULT ''"}} {
		var has int
		err := l.db.QueryRow("SELECT count(*) FROM " + add[0]).Scan(&has)
		if err == nil && has == 0 {
			_, err = l.db.Exec(add[1])
		}
		if err != nil {
			return l.explain(err)
		}
	}
	return nil
}

// lighten opens the connection for what is not waited for.
func (l *Ledger) lighten() error {
	conn, err := l.db.Conn(context.Background())
	if err == nil {
		l.light = conn
		_, err = conn.ExecContext(context.Background(), "PRAGMA synchronous = NORMAL")
	}
	return l.explain(err)
}

// lightly runs a transaction that is not waited for until it is on the disk.
func (l *Ledger) lightly(do func(tx *sql.Tx) error) error {
	l.writing.Lock()
	defer l.writing.Unlock()
	tx, err := l.light.BeginTx(context.Background(), nil)
	if err != nil {
		return l.explain(err)
	}
	if err := do(tx); err != nil {
		tx.Rollback()
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
	known, busy := (*store.Error)(nil), (*store.Busy)(nil)
	if errors.As(err, &known) || errors.As(err, &busy) || errors.Is(err, errTrial) {
		return err
	}
	if errors.Is(err, packed.ErrDamaged) {
		return &store.Error{File: l.file, Msg: "not a ledger, or damaged", Hint: "move the file away, or restore a backup", Err: err}
	}
	var se *sqlite.Error
	if !errors.As(err, &se) {
		return &store.Error{File: l.file, Msg: "the ledger failed: " + err.Error(), Hint: "try again", Err: err}
	}
	switch se.Code() & 0xff {
	case codeReadOnly:
		return &store.Error{File: l.file, Msg: "the ledger is read-only", Hint: "check its permissions and its folder's", Err: err}
	case codeFull:
		return &store.Error{File: l.file, Msg: "the disk is full", Hint: "free space, then continue with `filler fill --resume`", Err: err}
	case codeIO:
		return &store.Error{File: l.file, Msg: "the disk failed or is full", Hint: "check the disk, then continue with `filler fill --resume`", Err: err}
	case codeBusy:
		return &store.Error{File: l.file, Msg: "another process has locked the ledger", Hint: "wait for it, or end it", Err: err}
	case codeCantOpen:
		return &store.Error{File: l.file, Msg: "the ledger can't be opened", Hint: "check the permissions of the file and its folder", Err: err}
	case codeCorrupt, codeNoDB:
		return &store.Error{File: l.file, Msg: "not a ledger, or damaged", Hint: "move the file away, or restore a backup", Err: err}
	}
	return &store.Error{File: l.file, Msg: "the ledger failed: " + se.Error(), Hint: "try again", Err: err}
}

// Close writes what is queued and closes the file. It may be called again.
func (l *Ledger) Close() error {
	if l.queue != nil {
		l.shut.Do(func() {
			close(l.queue)
			<-l.done
			l.leaveAll()
			l.light.Close()
		})
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
	l.writing.Lock()
	defer l.writing.Unlock()
	tx, err := l.db.Begin()
	if err != nil {
		return l.explain(err)
	}
	clear(l.bound)
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

// putBlob keeps a body, once, and gives its number.
func (l *Ledger) putBlob(tx *sql.Tx, body []byte, hash [32]byte) (int64, error) {
	if id := l.put[hash]; id != 0 {
		return id, nil
	}
	stmt, err := l.stmt(tx, "SELECT id FROM blob WHERE hash = ?")
	if err != nil {
		return 0, err
	}
	var id int64
	err = stmt.QueryRow(hash[:]).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		var res sql.Result
		if res, err = l.exec(tx, "INSERT INTO blob(hash, body) VALUES(?, ?)", hash[:], packed.Body(body)); err == nil {
			id, err = res.LastInsertId()
		}
	}
	if err == nil && len(l.put) < maxPut {
		l.put[hash] = id
		l.fresh = append(l.fresh, hash)
	}
	return id, err
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

// stmt gives a statement that is prepared once, for a transaction, which remembers
// each that it is given until its end; for the writer alone.
func (l *Ledger) stmt(tx *sql.Tx, query string) (*sql.Stmt, error) {
	if bound := l.bound[query]; bound != nil {
		return bound, nil
	}
	stmt := l.stmts[query]
	if stmt == nil {
		var err error
		if stmt, err = l.db.Prepare(query); err != nil {
			return nil, err
		}
		l.stmts[query] = stmt
	}
	l.bound[query] = tx.Stmt(stmt)
	return l.bound[query], nil
}

// exec runs a statement that is prepared once; for the writer alone.
func (l *Ledger) exec(tx *sql.Tx, query string, args ...any) (sql.Result, error) {
	stmt, err := l.stmt(tx, query)
	if err != nil {
		return nil, err
	}
	return stmt.Exec(args...)
}

// Blob gives a kept body by its hash.
func (l *Ledger) Blob(hash string) ([]byte, error) {
	return l.body("SELECT body FROM blob WHERE hash = ?", packed.HashBytes(hash))
}

func (l *Ledger) body(query string, arg any) ([]byte, error) {
	var kept []byte
	if err := l.db.QueryRow(query, arg).Scan(&kept); err != nil {
		return nil, l.explain(err)
	}
	body, err := packed.Open(kept)
	return body, l.explain(err)
}

func (l *Ledger) blob(id int64) ([]byte, error) {
	return l.body("SELECT body FROM blob WHERE id = ?", id)
}
