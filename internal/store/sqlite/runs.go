package sqlite

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"time"

	"filler/internal/base/value"
)

// Run is one filling of a set of documents.
type Run struct {
	ID         int64
	Name       string
	Scope      string // how its documents were chosen: All, Named, Sample, Where or Again
	Of         int    // how many documents the project had then; 0: no project
	Schema     []byte // the source
	SchemaHash string
	SchemaFile string
	Prompt     []byte // without a document
	PromptHash string
	Model      string
	Identity   string
	Rounds     int
	Settings   []byte // JSON: what else the prompt was made by
	State      string // going, done, stopped
	Began      time.Time
	Seconds    float64
}

// The states of a run.
const (
	Going   = "going"
	Done    = "done"
	Stopped = "stopped"
)

// The scopes of a run.
const (
	All    = ""       // all documents of the project, or of a file of records
	Named  = "named"  // named one by one; such a run is never meant by "last"
	Sample = "sample" // picked at random
	Where  = "where"  // picked by their metadata
	Again  = "again"  // picked by how they ended in the last run
)

// Task is one document of a run.
type Task struct {
	N        int
	Document string
	File     string
	TextHash string // of the source text, once read, or of Text
	Text     []byte // given to Start: the text of a document that no file holds
	Done     bool
	Metadata map[string]string
}

// Start records a new run and its tasks, and gives its number.
func (l *Ledger) Start(r Run, tasks []Task) (int64, error) {
	var id int64
	err := l.write(func(tx *sql.Tx) error {
		schema, err := l.putBlob(tx, r.Schema, HashOf(r.Schema))
		if err != nil {
			return err
		}
		prompt, err := l.putBlob(tx, r.Prompt, HashOf(r.Prompt))
		if err != nil {
			return err
		}
		settings := r.Settings
		if len(settings) == 0 {
			settings = []byte("{}")
		}
		res, err := tx.Exec(`INSERT INTO run(name, scope, of, schema, schema_file, prompt, model, identity, rounds, settings, state, began) VALUES(?,?,?,?,?,?,?,?,?,?,?,?)`,
			r.Name, r.Scope, r.Of, schema, r.SchemaFile, prompt, r.Model, r.Identity, r.Rounds, string(settings), Going, time.Now().UTC().Format(time.RFC3339Nano))
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		insert, err := tx.Prepare(`INSERT INTO task(run, n, document, file, text_sha256, metadata, state) VALUES(?,?,?,?,?,?,'waiting')`)
		if err != nil {
			return err
		}
		defer insert.Close()
		for _, t := range tasks {
			source := ""
			if t.Text != nil {
				if source, err = l.putBlob(tx, t.Text, HashOf(t.Text)); err != nil {
					return err
				}
			}
			if _, err := insert.Exec(id, t.N, t.Document, t.File, source, metadataJSON(t.Metadata)); err != nil {
				return err
			}
		}
		return nil
	})
	return id, err
}

// metadataJSON writes metadata as a JSON object, by name.
func metadataJSON(metadata map[string]string) string {
	v := value.Obj()
	for _, name := range slices.Sorted(maps.Keys(metadata)) {
		v.Kids = append(v.Kids, value.Str(metadata[name]).Named(name))
	}
	return string(v.JSON())
}

// End records how a run ended and adds to the time it took.
func (l *Ledger) End(run int64, state string, took time.Duration) error {
	return l.write(func(tx *sql.Tx) error {
		_, err := tx.Exec("UPDATE run SET state = ?, seconds = seconds + ? WHERE id = ?", state, took.Seconds(), run)
		return err
	})
}

const runColumns = "id, name, scope, of, schema, schema_file, prompt, model, identity, rounds, settings, state, began, seconds"

func scanRun(row interface{ Scan(...any) error }) (Run, error) {
	var r Run
	var began string
	err := row.Scan(&r.ID, &r.Name, &r.Scope, &r.Of, &r.SchemaHash, &r.SchemaFile, &r.PromptHash, &r.Model, &r.Identity, &r.Rounds, &r.Settings, &r.State, &began, &r.Seconds)
	if err == nil {
		r.Began, _ = time.Parse(time.RFC3339Nano, began)
	}
	return r, err
}

// NoRun says that a run is not there.
type NoRun struct{ Name string }

func (e *NoRun) Error() string {
	return fmt.Sprintf("there is no run %q; `filler runs` lists them", e.Name)
}

// jobOf is the job that a run belongs to, in SQL.
const jobOf = "COALESCE(json_extract(settings, '$.job'), '')"

// ofItsOwn skips runs that were made aside, such as those of changed documents.
const ofItsOwn = "json_extract(settings, '$.aside') IS NULL"

// Find gives a run by its number, its name, or "last": the newest that was not
// made aside and not begun for documents named one by one. Where all runs were,
// the newest of them is the last.
func (l *Ledger) Find(name string) (Run, error) {
	query, arg := "SELECT "+runColumns+" FROM run WHERE CAST(id AS TEXT) = ?1 OR (name <> '' AND name = ?1) ORDER BY id DESC LIMIT 1", name
	if name == "last" || name == "" {
		query, arg = "SELECT "+runColumns+" FROM run WHERE "+jobOf+" = ?1 AND "+ofItsOwn+" ORDER BY scope = 'named', id DESC LIMIT 1", l.Job
	}
	r, err := scanRun(l.db.QueryRow(query, arg))
	if errors.Is(err, sql.ErrNoRows) {
		if name == "last" || name == "" {
			return r, ErrNone
		}
		return r, &NoRun{name}
	}
	if err != nil {
		return r, l.explain(err)
	}
	if r.Schema, err = l.Blob(r.SchemaHash); err != nil {
		return r, err
	}
	r.Prompt, err = l.Blob(r.PromptHash)
	return r, err
}

// Runs gives all runs, the newest first.
func (l *Ledger) Runs() ([]Run, error) {
	rows, err := l.db.Query("SELECT "+runColumns+" FROM run WHERE ?1 = '' OR "+jobOf+" = ?1 ORDER BY id DESC", l.Job)
	if err != nil {
		return nil, l.explain(err)
	}
	defer rows.Close()
	var runs []Run
	for rows.Next() {
		r, err := scanRun(rows)
		if err != nil {
			return nil, l.explain(err)
		}
		runs = append(runs, r)
	}
	return runs, l.explain(rows.Err())
}

// Waiting gives the tasks of a run that have no record yet, or failed to get
// one, in order.
func (l *Ledger) Waiting(run int64) ([]Task, error) {
	return l.tasks(`SELECT n, document, file, text_sha256, state FROM task t WHERE run = ? AND
		(state <> 'done' OR EXISTS (SELECT 1 FROM record r WHERE r.run = t.run AND r.n = t.n AND r.status = 'failed')) ORDER BY n`, run)
}

// Tasks gives all tasks of a run, in order.
func (l *Ledger) Tasks(run int64) ([]Task, error) {
	return l.tasks("SELECT n, document, file, text_sha256, state FROM task WHERE run = ? ORDER BY n", run)
}

func (l *Ledger) tasks(query string, run int64) ([]Task, error) {
	rows, err := l.db.Query(query, run)
	if err != nil {
		return nil, l.explain(err)
	}
	defer rows.Close()
	var tasks []Task
	for rows.Next() {
		var t Task
		var state string
		if err := rows.Scan(&t.N, &t.Document, &t.File, &t.TextHash, &state); err != nil {
			return nil, l.explain(err)
		}
		t.Done = state == "done"
		tasks = append(tasks, t)
	}
	return tasks, l.explain(rows.Err())
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

// Totals sums up a run.
type Totals struct {
	Documents, Waiting                   int
	Unflagged, Repaired, Flagged, Failed int
	Exchanges, Cached                    int // Cached are not among Exchanges
	TokensIn, TokensOut                  int
	CostNano                             int64
	Estimated                            bool // a part of tokens and cost is a guess
}

// Totals sums up what the ledger holds of a run.
func (l *Ledger) Totals(run int64) (Totals, error) {
	var t Totals
	err := l.db.QueryRow(`SELECT count(*), coalesce(sum(state <> 'done'), 0) FROM task WHERE run = ?`, run).Scan(&t.Documents, &t.Waiting)
	if err == nil {
		err = l.db.QueryRow(`SELECT coalesce(sum(status = 'unflagged'), 0), coalesce(sum(status = 'repaired'), 0), coalesce(sum(status = 'flagged'), 0), coalesce(sum(status = 'failed'), 0) FROM record WHERE run = ?`, run).
			Scan(&t.Unflagged, &t.Repaired, &t.Flagged, &t.Failed)
	}
	if err == nil {
		err = l.db.QueryRow(`SELECT coalesce(sum(try > 0), 0), coalesce(sum(try = 0), 0), coalesce(sum(tokens_in * (try > 0)), 0), coalesce(sum(tokens_out * (try > 0)), 0), coalesce(sum(cost_nano), 0), coalesce(max(estimated * (try > 0)), 0) FROM exchange WHERE run = ?`, run).
			Scan(&t.Exchanges, &t.Cached, &t.TokensIn, &t.TokensOut, &t.CostNano, &t.Estimated)
	}
	return t, l.explain(err)
}
