package sqlite

import (
	"crypto/sha256"
	"database/sql"
	"encoding/binary"
	"errors"
	"time"

	"filler/internal/store"
	"filler/internal/store/packed"
)

// SaveExchange writes an exchange and returns when it is on the disk. Whoever
// waits for the answer to the same request may have it then.
func (l *Ledger) SaveExchange(x store.Exchange) error { return l.saveExchange(x, false) }

// saveExchange writes an exchange; settles says that its request waits no more.
func (l *Ledger) saveExchange(x store.Exchange, settles bool) error {
	key := append([]byte{}, packed.HashBytes(x.Key)...)
	at := x.At
	if at.IsZero() {
		at = time.Now()
	}
	return l.write(func(tx *sql.Tx) error {
		request, err := l.putParts(tx, x.Request)
		if err != nil {
			return err
		}
		reply, err := l.putBlob(tx, x.Reply, sha256.Sum256(x.Reply))
		if err != nil {
			return err
		}
		_, err = l.exec(tx, `INSERT INTO exchange(key, run, n, step, try, request, status, reply, error, finish, tokens_in, tokens_out, estimated, cost_nano, took_ms, at)
			VALUES(?,?,?,?,?,?,?,?,?,?,?,?,?,?,?,?)`, key, x.Run, x.N, x.Step, x.Try, request, x.Status, reply, x.Error, x.Finish,
			x.TokensIn, x.TokensOut, x.Estimated, x.CostNano, x.Took.Milliseconds(), at.UnixMilli())
		if err == nil && x.Status == 200 && x.Try > 0 {
			_, err = l.exec(tx, "DELETE FROM flight WHERE key = ?", key)
		} else if err == nil && x.Try > 0 { // it has come back
			_, err = l.exec(tx, "UPDATE flight SET about = '' WHERE key = ?", key)
		}
		if err == nil && x.Flight != "" {
			_, err = l.exec(tx, "DELETE FROM flight WHERE key = ?", packed.HashBytes(x.Flight))
		}
		if err == nil && settles {
			_, err = l.exec(tx, "DELETE FROM open WHERE key = ?", key)
		}
		return err
	})
}

// answered is the statement of Answered, prepared once.
func (l *Ledger) answered() (*sql.Stmt, error) {
	l.once.Do(func() {
		l.known, l.knownErr = l.db.Prepare(`SELECT exchange.id, run, n, step, body, finish, CAST(tokens_in AS INTEGER), CAST(tokens_out AS INTEGER) FROM exchange JOIN blob ON blob.id = reply
			WHERE key = ? AND status = 200 AND try > 0 ORDER BY exchange.id DESC LIMIT 1`)
	})
	return l.known, l.knownErr
}

// Answered gives the kept answer to a request, if there is a whole one with
// status 200.
func (l *Ledger) Answered(key string) (*store.Exchange, error) {
	x := store.Exchange{Key: key, Status: 200}
	var reply []byte
	ask, err := l.answered()
	if err != nil {
		return nil, l.explain(err)
	}
	err = ask.QueryRow(packed.HashBytes(key)).Scan(&x.ID, &x.Run, &x.N, &x.Step, &reply, &x.Finish, &x.TokensIn, &x.TokensOut)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err == nil {
		x.Reply, err = packed.Open(reply)
	}
	if err != nil {
		return nil, l.explain(err)
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

// Bodies gives, in document order, each request of a run that was answered with
// its status and reply, those from the cache included.
func (l *Ledger) Bodies(run int64, each func(request []byte, status int, reply []byte) error) error {
	rows, err := l.db.Query("SELECT request, status, body FROM exchange JOIN blob ON blob.id = reply WHERE run = ? AND status > 0 ORDER BY n, exchange.id", run)
	if err != nil {
		return l.explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var request, kept []byte
		var status int
		if err := rows.Scan(&request, &status, &kept); err != nil {
			return l.explain(err)
		}
		body, err := l.joined(request)
		if err != nil {
			return err
		}
		answer, err := packed.Open(kept)
		if err != nil {
			return l.explain(err)
		}
		if err := each(body, status, answer); err != nil {
			return err
		}
	}
	return l.explain(rows.Err())
}

// joined gives the concatenation of kept parts.
func (l *Ledger) joined(ids []byte) ([]byte, error) {
	var all []byte
	parts, err := l.Parts(store.Exchange{Kept: ids})
	for _, part := range parts {
		all = append(all, part...)
	}
	return all, err
}

// numbers reads varints, up to one that is damaged.
func numbers(b []byte) (all []int64) {
	for len(b) > 0 {
		id, width := binary.Uvarint(b)
		if width <= 0 {
			return all
		}
		all, b = append(all, int64(id)), b[width:]
	}
	return all
}

// Exchanges gives the exchanges of one task, in order, without their requests.
func (l *Ledger) Exchanges(run int64, n int) ([]store.Exchange, error) {
	rows, err := l.db.Query(`SELECT exchange.id, key, step, try, request, status, body, error, finish, CAST(tokens_in AS INTEGER), CAST(tokens_out AS INTEGER), estimated <> 0, CAST(cost_nano AS INTEGER), CAST(took_ms AS INTEGER), at
		FROM exchange JOIN blob ON blob.id = reply WHERE run = ? AND n = ? ORDER BY exchange.id`, run, n)
	if err != nil {
		return nil, l.explain(err)
	}
	defer rows.Close()
	var all []store.Exchange
	for rows.Next() {
		x := store.Exchange{Run: run, N: n}
		var key, reply []byte
		var took, at int64
		err := rows.Scan(&x.ID, &key, &x.Step, &x.Try, &x.Kept, &x.Status, &reply, &x.Error, &x.Finish, &x.TokensIn, &x.TokensOut, &x.Estimated, &x.CostNano, &took, &at)
		if err == nil {
			x.Reply, err = packed.Open(reply)
		}
		if err != nil {
			return nil, l.explain(err)
		}
		x.Key, x.Took, x.At = packed.HashText(key), time.Duration(took)*time.Millisecond, time.UnixMilli(at)
		all = append(all, x)
	}
	return all, l.explain(rows.Err())
}

// RequestOf gives the body that was sent.
func (l *Ledger) RequestOf(x store.Exchange) ([]byte, error) { return l.joined(x.Kept) }

// Parts gives the body that was sent in the parts that it is kept in.
func (l *Ledger) Parts(x store.Exchange) (parts [][]byte, err error) {
	for _, id := range numbers(x.Kept) {
		part, err := l.blob(id)
		if err != nil {
			return nil, err
		}
		parts = append(parts, part)
	}
	return parts, nil
}

var errNoParts = errors.New("a record without its parts")

// SaveRecord writes the record of a task and marks the task done.
func (l *Ledger) SaveRecord(run int64, r store.Record) error {
	if r.Record == nil || r.Problems == nil || r.Evidence == nil || r.Trace == nil {
		return errNoParts
	}
	body, trace := packed.All(r.Record, r.Problems, r.Evidence, r.Risk), packed.Body(r.Trace)
	return l.write(func(tx *sql.Tx) error {
		if _, err := l.exec(tx, `INSERT INTO record(run, n, status, body, trace) VALUES(?1,?2,?3,?4,?5) ON CONFLICT(run, n) DO UPDATE SET status = ?3, body = ?4, trace = ?5`,
			run, r.N, r.Status, body, trace); err != nil {
			return err
		}
		_, err := l.exec(tx, `UPDATE task SET done = 1, holder = 0, text_sha256 = coalesce(?1, text_sha256), file_sha256 = ?2 WHERE run = ?3 AND n = ?4`, packed.HashBytes(r.TextHash), packed.HashBytes(r.FileHash), run, r.N)
		return err
	})
}

const recordQuery = `SELECT t.n, t.document, t.text_sha256, t.file_sha256, r.status, r.body, r.trace
	FROM record r JOIN task t ON t.run = r.run AND t.n = r.n WHERE r.run = ?`

func scanRecord(rows interface{ Scan(...any) error }) (store.Record, error) {
	var r store.Record
	var text, file, body, trace []byte
	err := rows.Scan(&r.N, &r.Document, &text, &file, &r.Status, &body, &trace)
	if err == nil {
		r.TextHash, r.FileHash = packed.HashText(text), packed.HashText(file)
		err = packed.OpenAll(body, &r.Record, &r.Problems, &r.Evidence, &r.Risk)
	}
	if err == nil {
		r.Trace, err = packed.Open(trace)
	}
	return r, err
}

// Outcomes calls each for the records of a run, in document order, without their bodies.
func (l *Ledger) Outcomes(run int64, each func(store.Record) error) error {
	rows, err := l.db.Query("SELECT t.n, t.document, t.text_sha256, t.file_sha256, r.status FROM record r JOIN task t ON t.run = r.run AND t.n = r.n WHERE r.run = ? ORDER BY r.n", run)
	if err != nil {
		return l.explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var r store.Record
		var text, file []byte
		if err := rows.Scan(&r.N, &r.Document, &text, &file, &r.Status); err != nil {
			return l.explain(err)
		}
		r.TextHash, r.FileHash = packed.HashText(text), packed.HashText(file)
		if err := each(r); err != nil {
			return err
		}
	}
	return l.explain(rows.Err())
}

// Records calls each for the records of a run, in document order, from place
// from on.
func (l *Ledger) Records(run int64, from int, each func(store.Record) error) error {
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
func (l *Ledger) RecordAt(run int64, n int) (store.Record, bool, error) {
	r, err := scanRecord(l.db.QueryRow(recordQuery+" AND r.n = ?", run, n))
	if errors.Is(err, sql.ErrNoRows) {
		return r, false, nil
	}
	return r, err == nil, l.explain(err)
}
