package sqlite

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"os"
	"strconv"

	"filler/internal/store"
)

var (
	_ store.Forgetter = (*Ledger)(nil)
	_ store.Copier    = (*Ledger)(nil)
)

// Forget drops all that is kept of a document: its tasks and records in every run,
// and every exchange about it, whoever has its answer from the cache. Exchanges of
// no run go as well, since nothing says what they are about. The file is rewritten,
// so that nothing is left in its free pages.
func (l *Ledger) Forget(document string, trial bool) (store.Pruned, error) {
	return l.drop(trial, func(tx *sql.Tx, p *store.Pruned) error { return forget(tx, document, p) })
}

func forget(tx *sql.Tx, document string, p *store.Pruned) error {
	runs, err := idsOf(tx, "SELECT DISTINCT run FROM task WHERE document = ?", document)
	if err != nil {
		return err
	}
	for _, run := range runs {
		if err := idle(tx, run); err != nil {
			return err
		}
	}
	p.Runs = len(runs)
	// A request may be that of several documents with the same text: all forget it.
	if _, err := tx.Exec("DELETE FROM open WHERE key IN (SELECT key FROM open JOIN task ON task.run = open.run AND task.n = open.n WHERE task.document = ?1) OR run NOT IN (SELECT id FROM run)", document); err != nil {
		return err
	}
	const about = `FROM exchange WHERE key IN (SELECT key FROM exchange JOIN task ON task.run = exchange.run AND task.n = exchange.n WHERE task.document = ?1)
		OR run NOT IN (SELECT id FROM run)`
	for _, drop := range []struct {
		query string
		count *int
	}{{"DELETE " + about, &p.Exchanges}, {"DELETE FROM record WHERE EXISTS (SELECT 1 FROM task WHERE task.run = record.run AND task.n = record.n AND task.document = ?1)", &p.Records},
		{"DELETE FROM task WHERE document = ?1", nil}, {"DELETE FROM review WHERE document = ?1", nil}} {
		if err := counted(tx, drop.count, drop.query, document); err != nil {
			return err
		}
	}
	return nil
}

// compact rewrites the file, and empties the log beside it.
func (l *Ledger) compact() error {
	l.writing.Lock()
	defer l.writing.Unlock()
	_, err := l.db.ExecContext(context.Background(), "VACUUM")
	if err == nil {
		_, err = l.db.ExecContext(context.Background(), "PRAGMA wal_checkpoint(TRUNCATE)")
	}
	return l.explain(err)
}

// Copy writes the ledger as it is into a new file. With redo the copy is for
// others: it keeps no text of a document, no request, no reply and no review, of
// settings only what redo leaves, and of each record what redo makes of it.
func (l *Ledger) Copy(file string, redo *store.Redo) error {
	if _, err := os.Stat(file); err == nil {
		return &store.Error{File: file, Msg: "this file exists", Hint: "name another, or remove it"}
	}
	if _, err := l.db.ExecContext(context.Background(), "VACUUM INTO ?", file); err != nil {
		return &store.Error{File: file, Msg: "can't be written", Hint: "check that its folder is there and has room", Err: err}
	}
	if redo == nil {
		return nil
	}
	err := redact(file, redo)
	if err != nil {
		os.Remove(file)
	}
	return err
}

func redact(file string, redo *store.Redo) error {
	c, err := Open(file)
	if err != nil {
		return err
	}
	defer c.Close()
	runs, err := c.Runs()
	if err != nil {
		return err
	}
	for _, listed := range runs {
		run, err := c.Find(strconv.FormatInt(listed.ID, 10)) // with its schema
		if err != nil {
			return err
		}
		var all []store.Record
		if err := c.Records(run.ID, 0, func(r store.Record) error {
			now, err := redo.Record(run, r)
			all = append(all, now)
			return err
		}); err != nil {
			return err
		}
		for _, r := range all {
			if err := c.SaveRecord(run.ID, r); err != nil {
				return err
			}
		}
		settings, err := redo.Settings(run.Settings)
		if err != nil {
			return err
		}
		if err := c.write(func(tx *sql.Tx) error {
			_, err := tx.Exec("UPDATE run SET settings = ? WHERE id = ?", string(settings), run.ID)
			return err
		}); err != nil {
			return err
		}
	}
	err = c.write(func(tx *sql.Tx) error {
		empty, err := c.putBlob(tx, nil, sha256.Sum256(nil))
		if err != nil {
			return err
		}
		for _, drop := range []string{"DELETE FROM exchange WHERE run NOT IN (SELECT id FROM run)", "DELETE FROM open", "DELETE FROM review"} {
			if _, err := tx.Exec(drop); err != nil {
				return err
			}
		}
		// Without an answer nobody may take one from this copy.
		if _, err := tx.Exec("UPDATE exchange SET request = x'', reply = ?, error = '', key = randomblob(32)", empty); err != nil {
			return err
		}
		return dropTexts(tx)
	})
	if err != nil {
		return err
	}
	return c.compact()
}

// dropTexts drops the bodies of what is not part of a run itself.
func dropTexts(tx *sql.Tx) error {
	_, err := tx.Exec("DELETE FROM blob WHERE id NOT IN (SELECT schema FROM run UNION SELECT prompt FROM run UNION SELECT reply FROM exchange)")
	return err
}
