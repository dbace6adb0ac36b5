package sqlite

import (
	"database/sql"
	"errors"
	"strings"
	"time"
)

// Exchange is one request and its reply, or one attempt that got none.
type Exchange struct {
	ID        int64
	Key       string
	Run       int64
	N         int
	Step      string
	Try       int // from 1; 0: taken from the cache, at no cost
	Request   [][]byte
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
	request   string // hashes, as read
}

// SaveExchange writes an exchange and returns when it is on the disk.
func (l *Ledger) SaveExchange(x Exchange) error {
	return l.write(func(tx *sql.Tx) error {
		var hashes []string
		for i, part := range x.Request {
			h, err := l.putBlob(tx, part, l.hashed(i, part))
			if err != nil {
				return err
			}
			hashes = append(hashes, h)
		}
		reply, err := l.putBlob(tx, x.Reply, HashOf(x.Reply))
		if err != nil {
			return err
		}
		_, err = l.exec(tx, `INSERT INTO exchange(key, run, n, step, try, request, status, reply, error, finish, tokens_in, tokens_out, estimated, cost_nano, took_ms, at)
			VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)`, x.Key, x.Run, x.N, x.Step, x.Try, strings.Join(hashes, " "), x.Status, reply, x.Error, x.Finish,
			x.TokensIn, x.TokensOut, x.Estimated, x.CostNano, x.Took.Milliseconds(), time.Now().UTC().Format(time.RFC3339Nano))
		return err
	})
}

// answered is the statement of Answered, prepared once.
func (l *Ledger) answered() (*sql.Stmt, error) {
	l.once.Do(func() {
		l.known, l.knownErr = l.db.Prepare(`SELECT id, run, reply, finish, tokens_in, tokens_out FROM exchange WHERE key = ? AND status = 200 AND try > 0 ORDER BY id DESC LIMIT 1`)
	})
	return l.known, l.knownErr
}

// Answered gives the kept answer to a request, if there is a whole one with
// status 200.
func (l *Ledger) Answered(key string) (*Exchange, error) {
	x := Exchange{Key: key, Status: 200}
	var reply string
	ask, err := l.answered()
	if err != nil {
		return nil, l.explain(err)
	}
	err = ask.QueryRow(key).
		Scan(&x.ID, &x.Run, &reply, &x.Finish, &x.TokensIn, &x.TokensOut)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, l.explain(err)
	}
	if x.Reply, err = l.Blob(reply); err != nil {
		return nil, err
	}
	return &x, nil
}

// Shape gives the shape that a model's server is known to take, or "".
func (l *Ledger) Shape(identity string) (string, error) {
	var shape string
	err := l.db.QueryRow("SELECT shape FROM model WHERE identity = ?", identity).Scan(&shape)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return shape, l.explain(err)
}

// SaveShape keeps what a model's server takes.
func (l *Ledger) SaveShape(identity, shape string) error {
	return l.write(func(tx *sql.Tx) error {
		_, err := tx.Exec("INSERT OR REPLACE INTO model(identity, shape) VALUES(?, ?)", identity, shape)
		return err
	})
}

// Bodies gives, in the order in which they came, each request of a run that was
// answered with its status and reply, those from the cache included.
func (l *Ledger) Bodies(run int64, each func(request []byte, status int, reply []byte) error) error {
	rows, err := l.db.Query("SELECT request, status, reply FROM exchange WHERE run = ? AND status > 0 ORDER BY n, id", run)
	if err != nil {
		return l.explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var request, reply string
		var status int
		if err := rows.Scan(&request, &status, &reply); err != nil {
			return l.explain(err)
		}
		var body []byte
		for _, part := range strings.Fields(request) {
			b, err := l.Blob(part)
			if err != nil {
				return err
			}
			body = append(body, b...)
		}
		answer, err := l.Blob(reply)
		if err != nil {
			return err
		}
		if err := each(body, status, answer); err != nil {
			return err
		}
	}
	return l.explain(rows.Err())
}

// Exchanges gives the exchanges of one task, in order, without their requests.
func (l *Ledger) Exchanges(run int64, n int) ([]Exchange, error) {
	rows, err := l.db.Query(`SELECT id, key, step, try, request, status, reply, error, finish, tokens_in, tokens_out, estimated, cost_nano, took_ms, at
		FROM exchange WHERE run = ? AND n = ? ORDER BY id`, run, n)
	if err != nil {
		return nil, l.explain(err)
	}
	defer rows.Close()
	var all []Exchange
	for rows.Next() {
		x := Exchange{Run: run, N: n}
		var reply, at string
		var took int64
		if err := rows.Scan(&x.ID, &x.Key, &x.Step, &x.Try, &x.request, &x.Status, &reply, &x.Error, &x.Finish, &x.TokensIn, &x.TokensOut, &x.Estimated, &x.CostNano, &took, &at); err != nil {
			return nil, l.explain(err)
		}
		x.Took = time.Duration(took) * time.Millisecond
		x.At, _ = time.Parse(time.RFC3339Nano, at)
		if x.Reply, err = l.Blob(reply); err != nil {
			return nil, err
		}
		all = append(all, x)
	}
	return all, l.explain(rows.Err())
}

// RequestOf gives the body that was sent.
func (l *Ledger) RequestOf(x Exchange) ([]byte, error) { return l.Joined(x.request) }

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

// SaveRecord writes the record of a task and marks the task done.
func (l *Ledger) SaveRecord(run int64, r Record) error {
	return l.write(func(tx *sql.Tx) error {
		if _, err := l.exec(tx, `INSERT OR REPLACE INTO record(run, n, status, record, problems, evidence, trace, risk) VALUES(?,?,?,?,?,?,?,?)`,
			run, r.N, r.Status, r.Record, r.Problems, r.Evidence, r.Trace, r.Risk); err != nil {
			return err
		}
		_, err := l.exec(tx, `UPDATE task SET state = 'done', text_sha256 = CASE ?1 WHEN '' THEN text_sha256 ELSE ?1 END, file_sha256 = ?2 WHERE run = ?3 AND n = ?4`, r.TextHash, r.FileHash, run, r.N)
		return err
	})
}

const recordQuery = `SELECT t.n, t.document, t.text_sha256, t.file_sha256, r.status, r.record, r.problems, r.evidence, r.trace, r.risk
	FROM record r JOIN task t ON t.run = r.run AND t.n = r.n WHERE r.run = ?`

func scanRecord(rows interface{ Scan(...any) error }) (Record, error) {
	var r Record
	err := rows.Scan(&r.N, &r.Document, &r.TextHash, &r.FileHash, &r.Status, &r.Record, &r.Problems, &r.Evidence, &r.Trace, &r.Risk)
	return r, err
}

// Records calls each for the records of a run, in document order, from place
// from on.
func (l *Ledger) Records(run int64, from int, each func(Record) error) error {
	rows, err := l.db.Query(recordQuery+" AND r.n >= ? ORDER BY r.n", run, from)
	if err != nil {
		return l.explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		r, err := scanRecord(rows)
		if err != nil {
			return l.explain(err)
		}
		if err := each(r); err != nil {
			return err
		}
	}
	return l.explain(rows.Err())
}

// RecordAt gives the record of one task; false if it has none yet.
func (l *Ledger) RecordAt(run int64, n int) (Record, bool, error) {
	r, err := scanRecord(l.db.QueryRow(recordQuery+" AND r.n = ?", run, n))
	if errors.Is(err, sql.ErrNoRows) {
		return r, false, nil
	}
	return r, err == nil, l.explain(err)
}
