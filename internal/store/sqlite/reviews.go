package sqlite

import (
	"database/sql"
	_ "embed" // the table
	"errors"
	"strings"
	"time"

	"filler/internal/store"
	"filler/internal/store/packed"
)

// reviewTable came later; a ledger without it is given one when it is opened to write.
//
//go:embed review.sql
var reviewTable string

// SaveReview keeps what people made of a record.
func (l *Ledger) SaveReview(r store.Review) error {
	body := packed.All(r.Record, r.Evidence, r.Decisions, r.Notes)
	return l.write(func(tx *sql.Tx) error {
		_, err := l.exec(tx, `INSERT INTO review(schema, document, run, text_sha256, by, at, done, body) VALUES(?1,?2,?3,?4,?5,?6,?7,?8)
			ON CONFLICT(schema, document, text_sha256) DO UPDATE SET run = ?3, by = ?5, at = ?6, done = ?7, body = ?8`,
			r.Schema, r.Document, r.Run, textKey(r.TextHash), r.By, r.At.UnixMilli(), r.Done, body)
		return err
	})
}

// textKey is the hash of a text as a key: not null where it is not known.
func textKey(hash string) []byte { return append([]byte{}, packed.HashBytes(hash)...) }

const reviewQuery = "SELECT schema, document, run, text_sha256, by, at, done, body FROM review WHERE schema = ?"

func scanReview(rows interface{ Scan(...any) error }) (store.Review, error) {
	var r store.Review
	var text, body []byte
	var at int64
	err := rows.Scan(&r.Schema, &r.Document, &r.Run, &text, &r.By, &at, &r.Done, &body)
	if err == nil {
		r.TextHash, r.At = packed.HashText(text), time.UnixMilli(at)
		err = packed.OpenAll(body, &r.Record, &r.Evidence, &r.Decisions, &r.Notes)
	}
	return r, err
}

// isOld tells whether a ledger that is only read was made before there were reviews.
func isOld(err error) bool {
	return err != nil && strings.Contains(err.Error(), "no such table: review")
}

// ReviewOf gives the review of a document's record beside a text, or beside the newest
// other; nil where there is none.
func (l *Ledger) ReviewOf(schema, document, text string) (*store.Review, error) {
	r, err := scanReview(l.db.QueryRow(reviewQuery+" AND document = ? ORDER BY text_sha256 = ? DESC, at DESC LIMIT 1", schema, document, textKey(text)))
	if errors.Is(err, sql.ErrNoRows) || isOld(err) {
		return nil, nil
	}
	if err != nil {
		return nil, l.explain(err)
	}
	return &r, nil
}

// Reviews calls each for the reviews of a schema, in the order of their documents, the
// newest of a document first.
func (l *Ledger) Reviews(schema string, each func(store.Review) error) error {
	rows, err := l.db.Query(reviewQuery+" ORDER BY document, at DESC", schema)
	if isOld(err) {
		return nil
	}
	if err != nil {
		return l.explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		r, err := scanReview(rows)
		if err != nil {
			return l.explain(err)
		}
		if err := each(r); err != nil {
			return err
		}
	}
	return l.explain(rows.Err())
}
