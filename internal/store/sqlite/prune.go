package sqlite

import (
	"database/sql"
	"errors"
	"fmt"
	"strings"

	"filler/internal/store"
)

var _ store.Pruner = (*Ledger)(nil)

// errTrial rolls a trial back.
var errTrial = errors.New("a trial")

// unused are the exchanges that no run uses: of none that is there, and with no
// answer from the cache in one that is.
const unused = `FROM exchange WHERE run NOT IN (SELECT id FROM run) AND key NOT IN (SELECT key FROM exchange WHERE run IN (SELECT id FROM run))`

// Prune drops runs with their tasks and records, and all exchanges and bodies
// that no other run uses. What a process is at is not dropped.
func (l *Ledger) Prune(runs []int64, trial bool) (store.Pruned, error) {
	return l.drop(trial, func(tx *sql.Tx, p *store.Pruned) error { return dropRuns(tx, runs, p) })
}

// drop has rows dropped, then all bodies that nothing refers to, and writes the file
// in what space is left; a trial counts, and leaves all as it was.
func (l *Ledger) drop(trial bool, rows func(tx *sql.Tx, p *store.Pruned) error) (store.Pruned, error) {
	var p store.Pruned
	var err error
	if p.Before, err = l.size(); err != nil {
		return p, err
	}
	err = l.write(func(tx *sql.Tx) error {
		if err := rows(tx, &p); err != nil {
			return err
		}
		used, err := usedBlobs(tx)
		if err != nil {
			return err
		}
		if err := dropBodies(tx, used, &p); err != nil {
			return err
		}
		clear(l.put) // numbers of bodies that may be gone
		if trial {
			return errTrial
		}
		return nil
	})
	if trial && errors.Is(err, errTrial) {
		p.After = p.Before
		return p, nil
	}
	if err == nil {
		err = l.compact()
	}
	if err == nil {
		p.After, err = l.size()
	}
	return p, err
}

func (l *Ledger) size() (int64, error) {
	var pages, size int64
	err := l.db.QueryRow("PRAGMA page_count").Scan(&pages)
	if err == nil {
		err = l.db.QueryRow("PRAGMA page_size").Scan(&size)
	}
	return pages * size, l.explain(err)
}

func dropRuns(tx *sql.Tx, runs []int64, p *store.Pruned) error {
	for _, run := range runs {
		if err := idle(tx, run); err != nil {
			return err
		}
		for _, drop := range []struct {
			query string
			count *int
		}{{"DELETE FROM record WHERE run = ?", &p.Records}, {"DELETE FROM open WHERE run = ?", nil}, {"DELETE FROM task WHERE run = ?", nil}, {"DELETE FROM run WHERE id = ?", &p.Runs}} {
			if err := counted(tx, drop.count, drop.query, run); err != nil {
				return err
			}
		}
	}
	return counted(tx, &p.Exchanges, "DELETE "+unused)
}

// idle says if a process is at a run.
func idle(tx *sql.Tx, run int64) error {
	at, err := reap(tx, run)
	if err == nil && at > 0 {
		return &store.Busy{Run: run}
	}
	return err
}

// idsOf gives the numbers that a query finds.
func idsOf(tx *sql.Tx, query string, args ...any) ([]int64, error) {
	rows, err := tx.Query(query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var all []int64
	for rows.Next() {
		var id int64
		if err := rows.Scan(&id); err != nil {
			return nil, err
		}
		all = append(all, id)
	}
	return all, rows.Err()
}

func counted(tx *sql.Tx, into *int, query string, args ...any) error {
	res, err := tx.Exec(query, args...)
	if err != nil || into == nil {
		return err
	}
	n, err := res.RowsAffected()
	*into += int(n)
	return err
}

// usedBlobs gives the numbers of the bodies that something refers to.
func usedBlobs(tx *sql.Tx) (map[int64]bool, error) {
	used := map[int64]bool{}
	rows, err := tx.Query(`SELECT schema, x'' FROM run UNION ALL SELECT prompt, x'' FROM run UNION ALL SELECT reply, request FROM exchange UNION ALL SELECT schema, request FROM open JOIN run ON run.id = open.run
		UNION ALL SELECT blob.id, x'' FROM task JOIN blob ON blob.hash = task.text_sha256`)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var id int64
		var parts []byte
		if err := rows.Scan(&id, &parts); err != nil {
			return nil, err
		}
		used[id] = true
		for _, part := range numbers(parts) {
			used[part] = true
		}
	}
	return used, rows.Err()
}

// atOnce is how many bodies one statement drops.
const atOnce = 500

func dropBodies(tx *sql.Tx, used map[int64]bool, p *store.Pruned) error {
	all, err := idsOf(tx, "SELECT id FROM blob")
	if err != nil {
		return err
	}
	var unused []string
	for _, id := range all {
		if !used[id] {
			unused = append(unused, fmt.Sprint(id))
		}
	}
	for len(unused) > 0 {
		n := min(atOnce, len(unused))
		if err := counted(tx, &p.Bodies, "DELETE FROM blob WHERE id IN ("+strings.Join(unused[:n], ",")+")"); err != nil {
			return err
		}
		unused = unused[n:]
	}
	return nil
}
