package sqlite

import (
	"database/sql"
	"encoding/binary"
	"errors"
	"time"

	"filler/internal/store"
	"filler/internal/store/packed"
)

// SaveOpen keeps a request of a run that waits for a reply in a file, or marks one
// kept before as asked again.
func (l *Ledger) SaveOpen(o store.Open) error {
	return l.write(func(tx *sql.Tx) error {
		request, err := l.putParts(tx, o.Request)
		if err != nil {
			return err
		}
		_, err = l.exec(tx, `INSERT INTO open(run, key, n, step, request, terms, asked) VALUES(?1,?2,?3,?4,?5,?6,?7)
			ON CONFLICT(run, key) DO UPDATE SET n = min(n, ?3), request = ?5, terms = ?6, asked = ?7`,
			o.Run, packed.HashBytes(o.Key), o.N, o.Step, request, string(o.Terms), time.Now().UnixMilli())
		return err
	})
}

// putParts keeps the parts of a request and gives their numbers.
func (l *Ledger) putParts(tx *sql.Tx, parts [][]byte) ([]byte, error) {
	request := []byte{}
	for i, part := range parts {
		id, err := l.putBlob(tx, part, l.parts.Of(i, part))
		if err != nil {
			return nil, err
		}
		request = binary.AppendUvarint(request, uint64(id))
	}
	return request, nil
}

// Opened calls each for the requests of a run that wait and were asked since then.
func (l *Ledger) Opened(run int64, since time.Time, each func(o store.Open, body []byte) error) error {
	rows, err := l.db.Query("SELECT key, n, step, request, terms FROM open WHERE run = ? AND asked >= ? ORDER BY n, step, key", run, since.UnixMilli())
	if err != nil {
		return l.explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		o, request, err := scanOpen(rows, run)
		if err != nil {
			return l.explain(err)
		}
		body, err := l.joined(request)
		if err != nil {
			return err
		}
		if err := each(o, body); err != nil {
			return err
		}
	}
	return l.explain(rows.Err())
}

func scanOpen(row interface{ Scan(...any) error }, run int64) (o store.Open, request []byte, err error) {
	var key []byte
	err = row.Scan(&key, &o.N, &o.Step, &request, &o.Terms)
	o.Run, o.Key = run, packed.HashText(key)
	return o, request, err
}

// OpenBy gives the request that waits under a key, of the oldest run.
func (l *Ledger) OpenBy(key string) (*store.Open, error) {
	var run int64
	err := l.db.QueryRow("SELECT run FROM open WHERE key = ? ORDER BY run LIMIT 1", packed.HashBytes(key)).Scan(&run)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, l.explain(err)
	}
	o, request, err := scanOpen(l.db.QueryRow("SELECT key, n, step, request, terms FROM open WHERE run = ? AND key = ?", run, packed.HashBytes(key)), run)
	if err != nil {
		return nil, l.explain(err)
	}
	o.Request, err = l.Parts(store.Exchange{Kept: request})
	return &o, err
}

// Settle keeps the exchange of a request that waited. With status 200 it waits no
// more, in any run.
func (l *Ledger) Settle(o store.Open, x store.Exchange) error {
	x.Key, x.Run, x.N, x.Step, x.Request = o.Key, o.Run, o.N, o.Step, o.Request
	return l.saveExchange(x, x.Status == 200)
}
