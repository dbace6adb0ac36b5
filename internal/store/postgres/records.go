package postgres

import (
	"github.com/jackc/pgx/v5"

	"filler/internal/store"
	"filler/internal/store/packed"
)

// page is how many rows are read at a time: a long result keeps no connection while it is worked
// on, and no statement takes long.
const page = 500

const recordColumns = "t.n, t.document, t.text_sha256, t.file_sha256, r.status"

func scanOutcome(row pgx.Row, more ...any) (r store.Record, err error) {
	var text, file []byte
	err = row.Scan(append([]any{&r.N, &r.Document, &text, &file, &r.Status}, more...)...)
	r.Document, r.TextHash, r.FileHash = fromText(r.Document), packed.HashText(text), packed.HashText(file)
	return r, err
}

func scanRecord(row pgx.CollectableRow) (store.Record, error) {
	var body, trace []byte
	r, err := scanOutcome(row, &body, &trace)
	if err == nil {
		err = packed.OpenAll(body, &r.Record, &r.Problems, &r.Evidence, &r.Risk)
	}
	if err == nil {
		r.Trace, err = packed.Open(trace)
	}
	return r, err
}

// paged calls each for the records of a run from place from on, read page by page.
func (l *Ledger) paged(run int64, from int, columns string, scan func(pgx.CollectableRow) (store.Record, error), each func(store.Record) error) error {
	for {
		some, err := rows(l, scan, "SELECT "+columns+" FROM filler.record r JOIN filler.task t ON t.run = r.run AND t.n = r.n WHERE r.run = $1 AND r.n >= $2 ORDER BY r.n LIMIT $3", run, from, page)
		if err != nil {
			return err
		}
		for _, r := range some {
			if err := each(r); err != nil {
				return err
			}
			from = r.N + 1
		}
		if len(some) < page {
			return nil
		}
	}
}

// Records calls each for the records of a run, in document order, from place from on.
func (l *Ledger) Records(run int64, from int, each func(store.Record) error) error {
	return l.paged(run, from, recordColumns+", r.body, r.trace", scanRecord, each)
}

// Outcomes calls each for the records of a run, in document order, without their bodies.
func (l *Ledger) Outcomes(run int64, each func(store.Record) error) error {
	return l.paged(run, 0, recordColumns, func(row pgx.CollectableRow) (store.Record, error) { return scanOutcome(row) }, each)
}

// RecordAt gives the record of one task; false if it has none yet.
func (l *Ledger) RecordAt(run int64, n int) (store.Record, bool, error) {
	all, err := rows(l, scanRecord, "SELECT "+recordColumns+", r.body, r.trace FROM filler.record r JOIN filler.task t ON t.run = r.run AND t.n = r.n WHERE r.run = $1 AND r.n = $2", run, n)
	if err != nil || len(all) == 0 {
		return store.Record{}, false, err
	}
	return all[0], true, nil
}
