package sqlite

import (
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"maps"
	"slices"
	"time"

	"filler/internal/base/value"
	"filler/internal/store"
	"filler/internal/store/packed"
)

// Start records a new run and its tasks, takes part in it, and gives its number.
func (l *Ledger) Start(r store.Run, tasks []store.Task) (int64, error) {
	var id, me int64
	err := l.write(func(tx *sql.Tx) error {
		schema, err := l.putBlob(tx, r.Schema, sha256.Sum256(r.Schema))
		if err != nil {
			return err
		}
		prompt, err := l.putBlob(tx, r.Prompt, sha256.Sum256(r.Prompt))
		if err != nil {
			return err
		}
		settings := r.Settings
		if len(settings) == 0 {
			settings = []byte("{}")
		}
		if r.Budget > 0 {
			if err := tx.QueryRow("SELECT json_set(?, '$.budget', ?)", string(settings), r.Budget).Scan(&settings); err != nil {
				return err
			}
		}
		began := r.Began
		if began.IsZero() {
			began = time.Now()
		}
		res, err := tx.Exec(`INSERT INTO run(name, scope, of, schema, schema_file, prompt, model, identity, rounds, settings, state, began) VALUES(?,?,?,?,?,?,?,?,?,?,?,?)`,
			r.Name, r.Scope, r.Of, schema, r.SchemaFile, prompt, r.Model, r.Identity, r.Rounds, string(settings), store.Going, began.UTC().Format(time.RFC3339Nano))
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		if me, err = enter(tx, id); err != nil {
			return err
		}
		return l.insertTasks(tx, id, tasks)
	})
	if err == nil {
		l.entered(id, me)
	}
	return id, err
}

func (l *Ledger) insertTasks(tx *sql.Tx, run int64, tasks []store.Task) error {
	insert, err := tx.Prepare(`INSERT INTO task(run, n, document, file, text_sha256, metadata) VALUES(?,?,?,?,?,?)`)
	if err != nil {
		return err
	}
	defer insert.Close()
	for _, t := range tasks {
		var source []byte
		if t.Text != nil {
			text, err := t.Text()
			if err != nil {
				return err
			}
			hash := sha256.Sum256(text)
			if _, err := l.putBlob(tx, text, hash); err != nil {
				return err
			}
			source = hash[:]
		}
		if _, err := insert.Exec(run, t.N, t.Document, t.File, source, metadataJSON(t.Metadata)); err != nil {
			return err
		}
	}
	return nil
}

// metadataJSON writes metadata as a JSON object, by name.
func metadataJSON(metadata map[string]string) string {
	v := value.Obj()
	for _, name := range slices.Sorted(maps.Keys(metadata)) {
		v.Kids = append(v.Kids, value.Str(metadata[name]).Named(name))
	}
	return string(v.JSON())
}

// End records how a run ended for this process, adds the time it took, and
// leaves it. While others are at work on it, it goes on.
func (l *Ledger) End(run int64, state string, took time.Duration) error {
	me := l.worker(run)
	l.left(run) // before its row goes, else a sign of life might make it again
	return l.write(func(tx *sql.Tx) error {
		if err := leave(tx, me); err != nil {
			return err
		}
		others, err := reap(tx, run)
		if err != nil {
			return err
		}
		if others > 0 {
			state = store.Going
		}
		_, err = tx.Exec("UPDATE run SET state = ?, seconds = seconds + ? WHERE id = ?", state, took.Seconds(), run)
		return err
	})
}

// A budget is kept beside the settings, in their column, and is none of them: runs that
// differ in it are made alike.
const runColumns = `run.id, name, scope, of, (SELECT hash FROM blob WHERE id = schema), schema_file, (SELECT hash FROM blob WHERE id = prompt), model, identity, rounds, CASE WHEN json_type(settings, '$.budget') IS NULL THEN settings ELSE json_remove(settings, '$.budget') END, COALESCE(json_extract(settings, '$.budget'), 0), state, began, seconds`

// SetBudget says what a run may cost from now on, in billionths.
func (l *Ledger) SetBudget(run, limit int64) error {
	return l.write(func(tx *sql.Tx) error {
		_, err := tx.Exec("UPDATE run SET settings = json_set(settings, '$.budget', ?) WHERE id = ?", limit, run)
		return err
	})
}

// scan reads a run. One that is going with nobody at it was interrupted.
func (l *Ledger) scan(row interface{ Scan(...any) error }, alive map[int64]bool) (store.Run, error) {
	var r store.Run
	var began string
	var schema, prompt []byte
	err := row.Scan(&r.ID, &r.Name, &r.Scope, &r.Of, &schema, &r.SchemaFile, &prompt, &r.Model, &r.Identity, &r.Rounds, &r.Settings, &r.Budget, &r.State, &began, &r.Seconds)
	if err == nil {
		r.Began, _ = time.Parse(time.RFC3339Nano, began)
		r.SchemaHash, r.PromptHash = packed.HashText(schema), packed.HashText(prompt)
		if r.State == store.Going && !alive[r.ID] {
			r.State = store.Interrupted
		}
	}
	return r, err
}

// jobOf is the job that a run belongs to, in SQL.
const jobOf = "COALESCE(json_extract(settings, '$.job'), '')"

// ofItsOwn skips runs that were made aside, such as those of changed documents.
const ofItsOwn = "json_extract(settings, '$.aside') IS NULL"

// first gives the first run of a query that is wanted; false where there is none.
func (l *Ledger) first(query, arg string, wanted func(store.Run) bool) (store.Run, bool, error) {
	alive, err := l.alive()
	if err != nil {
		return store.Run{}, false, err
	}
	rows, err := l.db.Query("SELECT "+runColumns+" FROM run WHERE "+query, arg)
	if err != nil {
		return store.Run{}, false, l.explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		r, err := l.scan(rows, alive)
		if err != nil {
			return r, false, l.explain(err)
		}
		if !wanted(r) {
			continue
		}
		rows.Close()
		if r.Schema, err = l.Blob(r.SchemaHash); err != nil {
			return r, false, err
		}
		r.Prompt, err = l.Blob(r.PromptHash)
		return r, err == nil, err
	}
	return store.Run{}, false, l.explain(rows.Err())
}

// Find gives a run by its number, its name, or "last": the newest that was not
// made aside, not begun for documents named one by one, and not interrupted.
// Where all were named, the newest of them is the last.
func (l *Ledger) Find(name string) (store.Run, error) {
	if name != "last" && name != "" {
		r, found, err := l.first("CAST(run.id AS TEXT) = ?1 OR (name <> '' AND name = ?1) ORDER BY run.id DESC", name, func(store.Run) bool { return true })
		if err == nil && !found {
			err = &store.NoRun{Name: name}
		}
		return r, err
	}
	var cut int64
	r, found, err := l.first(jobOf+" = ?1 AND "+ofItsOwn+" ORDER BY scope = 'named', run.id DESC", l.Job, func(r store.Run) bool {
		if r.State == store.Interrupted {
			cut = max(cut, r.ID)
		}
		return r.State != store.Interrupted
	})
	if err == nil && !found {
		err = store.ErrNone
		if cut > 0 {
			err = &store.OnlyInterrupted{Run: cut}
		}
	}
	return r, err
}

// Unfinished gives the newest run of its own that is not done and is wanted.
func (l *Ledger) Unfinished(wanted func(store.Run) bool) (store.Run, bool, error) {
	return l.first(jobOf+" = ?1 AND "+ofItsOwn+" AND state <> 'done' ORDER BY run.id DESC", l.Job, wanted)
}

// Runs gives all runs, the newest first.
func (l *Ledger) Runs() ([]store.Run, error) {
	alive, err := l.alive()
	if err != nil {
		return nil, err
	}
	rows, err := l.db.Query("SELECT "+runColumns+" FROM run WHERE ?1 = '' OR "+jobOf+" = ?1 ORDER BY run.id DESC", l.Job)
	if err != nil {
		return nil, l.explain(err)
	}
	defer rows.Close()
	var runs []store.Run
	for rows.Next() {
		r, err := l.scan(rows, alive)
		if err != nil {
			return nil, l.explain(err)
		}
		runs = append(runs, r)
	}
	return runs, l.explain(rows.Err())
}

// Tasks gives all tasks of a run, in order.
func (l *Ledger) Tasks(run int64) ([]store.Task, error) {
	rows, err := l.db.Query("SELECT n, document, file, text_sha256, done FROM task WHERE run = ? ORDER BY n", run)
	if err != nil {
		return nil, l.explain(err)
	}
	tasks, err := scanTasks(rows)
	return tasks, l.explain(err)
}

func scanTasks(rows *sql.Rows) ([]store.Task, error) {
	defer rows.Close()
	var tasks []store.Task
	for rows.Next() {
		var t store.Task
		var hash []byte
		if err := rows.Scan(&t.N, &t.Document, &t.File, &hash, &t.Done); err != nil {
			return nil, err
		}
		t.TextHash = packed.HashText(hash)
		tasks = append(tasks, t)
	}
	return tasks, rows.Err()
}

// Metadata gives what was known of the documents of a run before they were read.
func (l *Ledger) Metadata(run int64) (map[string]map[string]string, error) {
	rows, err := l.db.Query("SELECT document, metadata FROM task WHERE run = ? AND metadata <> '{}'", run)
	if err != nil {
		return nil, l.explain(err)
	}
	defer rows.Close()
	all := map[string]map[string]string{}
	for rows.Next() {
		var document, text string
		if err := rows.Scan(&document, &text); err != nil {
			return nil, l.explain(err)
		}
		metadata := map[string]string{}
		if err := json.Unmarshal([]byte(text), &metadata); err != nil {
			return nil, l.explain(err)
		}
		all[document] = metadata
	}
	return all, l.explain(rows.Err())
}

// sumOf adds without an overflow: a figure that no exchange can have must not keep
// the others from being read. Sums up to 2^53 are exact.
func sumOf(what string) string { return "CAST(total(" + what + ") AS INTEGER)" }

// Totals sums up what the ledger holds of a run. A document that failed and
// waits for another go counts as waiting.
func (l *Ledger) Totals(run int64) (store.Totals, error) {
	var t store.Totals
	err := l.db.QueryRow(`SELECT count(*), coalesce(sum(NOT done), 0) FROM task WHERE run = ?`, run).Scan(&t.Documents, &t.Waiting)
	if err == nil {
		err = l.db.QueryRow(`SELECT coalesce(sum(status = 'unflagged'), 0), coalesce(sum(status = 'repaired'), 0), coalesce(sum(status = 'flagged'), 0), coalesce(sum(status = 'failed'), 0)
			FROM record r WHERE run = ?1 AND NOT EXISTS (SELECT 1 FROM task t WHERE t.run = ?1 AND t.n = r.n AND NOT t.done)`, run).
			Scan(&t.Unflagged, &t.Repaired, &t.Flagged, &t.Failed)
	}
	if err == nil {
		err = l.db.QueryRow(`SELECT coalesce(sum(try > 0), 0), coalesce(sum(try = 0), 0), `+sumOf("tokens_in * (try > 0)")+`, `+sumOf("tokens_out * (try > 0)")+`, `+sumOf("cost_nano")+`, `+sumOf("cost_nano * (estimated <> 0 AND try > 0)")+`, coalesce(max(estimated <> 0 AND try > 0), 0) FROM exchange WHERE run = ?`, run).
			Scan(&t.Exchanges, &t.Cached, &t.TokensIn, &t.TokensOut, &t.CostNano, &t.EstimatedNano, &t.Estimated)
	}
	return t, l.explain(err)
}
