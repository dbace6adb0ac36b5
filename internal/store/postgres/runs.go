package postgres

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"filler/internal/base/value"
	"filler/internal/store"
	"filler/internal/store/packed"
)

// tasksAtOnce is how many tasks are sent to the server together.
const tasksAtOnce = 2000

// Start records a new run and its tasks, takes part in it, and gives its number. What tasks bring
// along is kept first, so that workers have it when they hear of the run.
func (l *Ledger) Start(r store.Run, tasks []store.Task) (id int64, err error) {
	rows := make([][]any, len(tasks))
	for from := 0; from < len(tasks); from += tasksAtOnce {
		to := min(from+tasksAtOnce, len(tasks))
		blobs := map[[32]byte][]byte{}
		for i := from; i < to; i++ {
			if rows[i], err = taskRow(&tasks[i], blobs); err != nil {
				return 0, err
			}
		}
		if err := l.putBlobs(blobs); err != nil {
			return 0, err
		}
	}
	schema, prompt := sha256.Sum256(r.Schema), sha256.Sum256(r.Prompt)
	if err := l.putBlobs(map[[32]byte][]byte{schema: packed.Body(r.Schema), prompt: packed.Body(r.Prompt)}); err != nil {
		return 0, err
	}
	settings := r.Settings
	if len(settings) == 0 {
		settings = []byte("{}")
	}
	job, aside, shared := ofSettings(settings)
	var began *time.Time
	if !r.Began.IsZero() {
		began = &r.Began
	}
	var me int64
	// Not tried again: a run must not be begun twice.
	ctx := context.Background()
	err = pgx.BeginFunc(ctx, l.pool, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `INSERT INTO filler.run(name, scope, of, schema, schema_file, prompt, model, identity, rounds, settings, job, aside, shared, state, budget, began) VALUES($1,$2,$3,$4,$5,$6,$7,$8,$9,$10,$11,$12,$13,$14,$15,coalesce($16, now())) RETURNING id`,
			toText(r.Name), r.Scope, r.Of, schema[:], toText(r.SchemaFile), prompt[:], toText(r.Model), toText(r.Identity), r.Rounds, toText(string(settings)), toText(job), aside, shared, store.Going, r.Budget, began).Scan(&id); err != nil {
			return err
		}
		if me, err = l.enter(ctx, tx, id); err != nil {
			return err
		}
		for i := range rows {
			rows[i][0] = id
		}
		for from := 0; from < len(rows); from += 100 * tasksAtOnce {
			if _, err := tx.CopyFrom(ctx, pgx.Identifier{"filler", "task"}, []string{"run", "n", "document", "file", "text_sha256", "copy", "metadata"}, pgx.CopyFromRows(rows[from:min(from+100*tasksAtOnce, len(rows))])); err != nil {
				return err
			}
		}
		_, err := tx.Exec(ctx, "NOTIFY filler")
		return err
	})
	if err != nil {
		return 0, l.explain(err)
	}
	l.entered(id, me)
	// So that the server plans by how many rows there are; who may not do that leaves it to the server's own time.
	_, _ = l.pool.Exec(ctx, "ANALYZE filler.task, filler.blob")
	return id, nil
}

// taskRow gives the columns of a task, and what it brings along.
func taskRow(t *store.Task, blobs map[[32]byte][]byte) ([]any, error) {
	keep := func(get func() ([]byte, error)) ([]byte, error) {
		if get == nil {
			return nil, nil
		}
		body, err := get()
		if err != nil || body == nil {
			return nil, err
		}
		hash := sha256.Sum256(body)
		if blobs[hash] == nil {
			blobs[hash] = packed.Body(body)
		}
		return hash[:], nil
	}
	text, err := keep(t.Text)
	if err != nil {
		return nil, err
	}
	bytes, err := keep(t.Bytes)
	if err != nil {
		return nil, err
	}
	return []any{int64(0), int32(t.N), toText(t.Document), toText(t.File), text, bytes, toText(string(metadataJSON(t.Metadata)))}, nil
}

func metadataJSON(metadata map[string]string) []byte {
	if len(metadata) == 0 {
		return []byte("{}")
	}
	text, _ := json.Marshal(metadata) // strings always go; names in order
	return text
}

// blobsAtOnce bounds the bytes of bodies that are sent together.
const blobsAtOnce = 8 << 20

func (l *Ledger) putBlobs(blobs map[[32]byte][]byte) error {
	hashes, bodies := sorted(blobs)
	for from := 0; from < len(hashes); {
		to, size := from, 0
		for to < len(hashes) && (size == 0 || size+len(bodies[to]) <= blobsAtOnce) {
			size += len(bodies[to]) + 1
			to++
		}
		if err := l.again(func(ctx context.Context) error {
			_, err := l.pool.Exec(ctx, "INSERT INTO filler.blob(hash, body) SELECT * FROM unnest($1::bytea[], $2::bytea[]) ON CONFLICT DO NOTHING", hashes[from:to], bodies[from:to])
			return err
		}); err != nil {
			return err
		}
		from = to
	}
	return nil
}

// ofSettings gives the job that a run belongs to, whether it was made aside, and whether any worker
// may take part.
func ofSettings(settings []byte) (job string, aside, shared bool) {
	v, err := value.ParseBytes(settings)
	if err != nil {
		return "", false, false
	}
	return v.Word("job"), v.Get("aside") != nil, v.Get("shared") != nil
}

// End records how a run ended for this process, adds the time it took, and leaves it. While others
// are at work on it, it goes on.
func (l *Ledger) End(run int64, state string, took time.Duration) error {
	me := l.worker(run)
	l.left(run) // before its row goes, else a sign of life might make it again
	return l.inTx(func(ctx context.Context, tx pgx.Tx) error {
		// One after the other: of two that leave at once each would still see the other, and
		// nobody end the run.
		if _, err := tx.Exec(ctx, "SELECT 1 FROM filler.run WHERE id = $1 FOR NO KEY UPDATE", run); err != nil {
			return err
		}
		if err := l.leave(ctx, tx, me, 0); err != nil {
			return err
		}
		others, err := l.reap(ctx, tx, run)
		if err != nil {
			return err
		}
		now := state
		if others > 0 {
			now = store.Going
		}
		// One that was stopped from elsewhere stays so while the last of its workers leave.
		_, err = tx.Exec(ctx, "UPDATE filler.run SET state = CASE WHEN state = 'stopped' AND $2 <> 'done' THEN state ELSE $2 END, seconds = seconds + $3 WHERE id = $1", run, now, took.Seconds())
		return err
	})
}

const runColumns = `r.id, r.name, r.scope, r.of, r.schema, r.schema_file, r.prompt, r.model, r.identity, r.rounds, r.settings, r.budget, r.state, r.began, r.seconds`

// scanRun reads a run. One that is going with nobody at it was interrupted.
func scanRun(alive map[int64]bool) func(row pgx.CollectableRow) (store.Run, error) {
	return func(row pgx.CollectableRow) (store.Run, error) {
		var r store.Run
		var schema, prompt []byte
		err := row.Scan(&r.ID, &r.Name, &r.Scope, &r.Of, &schema, &r.SchemaFile, &prompt, &r.Model, &r.Identity, &r.Rounds, &r.Settings, &r.Budget, &r.State, &r.Began, &r.Seconds)
		for _, text := range []*string{&r.Name, &r.SchemaFile, &r.Model, &r.Identity} {
			*text = fromText(*text)
		}
		r.Settings = []byte(fromText(string(r.Settings)))
		r.Began = r.Began.UTC()
		r.SchemaHash, r.PromptHash = packed.HashText(schema), packed.HashText(prompt)
		if r.State == store.Going && !alive[r.ID] {
			r.State = store.Interrupted
		}
		return r, err
	}
}

// some gives the runs that a query means, the newest first unless it says otherwise.
func (l *Ledger) some(query string, args ...any) ([]store.Run, error) {
	alive, err := l.alive()
	if err != nil {
		return nil, err
	}
	return rows(l, scanRun(alive), "SELECT "+runColumns+" FROM filler.run r WHERE "+query, args...)
}

// first gives the first run of a query that is wanted, with its bodies; false where there is none.
func (l *Ledger) first(wanted func(store.Run) bool, query string, args ...any) (store.Run, bool, error) {
	all, err := l.some(query, args...)
	if err != nil {
		return store.Run{}, false, err
	}
	for _, r := range all {
		if !wanted(r) {
			continue
		}
		if r.Schema, err = l.Blob(r.SchemaHash); err == nil {
			r.Prompt, err = l.Blob(r.PromptHash)
		}
		return r, err == nil, err
	}
	return store.Run{}, false, nil
}

// Find gives a run by its number, its name, or "last".
func (l *Ledger) Find(name string) (store.Run, error) {
	if name != "last" && name != "" {
		r, found, err := l.first(func(store.Run) bool { return true }, "r.id::text = $1 OR (r.name <> '' AND r.name = $1) ORDER BY r.id DESC LIMIT 1", toText(name))
		if err == nil && !found {
			err = &store.NoRun{Name: name}
		}
		return r, err
	}
	var cut int64
	r, found, err := l.first(func(r store.Run) bool {
		if r.State == store.Interrupted {
			cut = max(cut, r.ID)
		}
		return r.State != store.Interrupted
	}, "r.job = $1 AND NOT r.aside ORDER BY r.scope = 'named', r.id DESC", toText(l.Job))
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
	return l.first(wanted, "r.job = $1 AND NOT r.aside AND r.state <> 'done' ORDER BY r.id DESC", toText(l.Job))
}

// Runs gives all runs, the newest first.
func (l *Ledger) Runs() ([]store.Run, error) {
	return l.some("$1 = '' OR r.job = $1 ORDER BY r.id DESC", toText(l.Job))
}

// Tasks gives all tasks of a run, in order.
func (l *Ledger) Tasks(run int64) ([]store.Task, error) {
	return rows(l, scanTask, "SELECT "+taskColumns+" FROM filler.task t WHERE t.run = $1 ORDER BY t.n", run)
}

const taskColumns = "t.n, t.document, t.file, t.text_sha256, t.copy, t.deaths, t.done"

func scanTask(row pgx.CollectableRow) (store.Task, error) {
	var t store.Task
	var text, held []byte
	err := row.Scan(&t.N, &t.Document, &t.File, &text, &held, &t.Deaths, &t.Done)
	t.Document, t.File, t.TextHash, t.Copy = fromText(t.Document), fromText(t.File), packed.HashText(text), packed.HashText(held)
	return t, err
}

// Metadata gives what was known of the documents of a run before they were read.
func (l *Ledger) Metadata(run int64) (map[string]map[string]string, error) {
	all := map[string]map[string]string{}
	_, err := rows(l, func(row pgx.CollectableRow) (struct{}, error) {
		var document, text string
		if err := row.Scan(&document, &text); err != nil {
			return struct{}{}, err
		}
		metadata := map[string]string{}
		err := json.Unmarshal([]byte(fromText(text)), &metadata)
		all[fromText(document)] = metadata
		return struct{}{}, err
	}, "SELECT document, metadata FROM filler.task WHERE run = $1 AND metadata <> '{}'", run)
	return all, err
}

// sum adds without an overflow: a figure that no exchange can have must not keep the others from
// being read.
func sum(what string) string { return "least(coalesce(sum(" + what + "), 0), 9e18)::bigint" }

// Totals sums up what the ledger holds of a run. A document that failed and waits for another go
// counts as waiting.
func (l *Ledger) Totals(run int64) (t store.Totals, err error) {
	for _, ask := range []struct {
		query string
		into  []any
	}{
		{"SELECT count(*), count(*) FILTER (WHERE NOT done) FROM filler.task WHERE run = $1", []any{&t.Documents, &t.Waiting}},
		{`SELECT ` + strings.Join([]string{of("unflagged"), of("repaired"), of("flagged"), of("failed")}, ", ") + ` FROM filler.record r
			WHERE r.run = $1 AND NOT EXISTS (SELECT 1 FROM filler.task t WHERE t.run = $1 AND t.n = r.n AND NOT t.done)`, []any{&t.Unflagged, &t.Repaired, &t.Flagged, &t.Failed}},
		{`SELECT count(*) FILTER (WHERE try > 0), count(*) FILTER (WHERE try = 0), ` + sum("tokens_in::numeric * (try > 0)::int") + `, ` + sum("tokens_out::numeric * (try > 0)::int") + `, ` + sum("cost_nano") + `, ` +
			sum("cost_nano::numeric * (estimated AND try > 0)::int") + `, coalesce(bool_or(estimated AND try > 0), false) FROM filler.exchange WHERE run = $1`,
			[]any{&t.Exchanges, &t.Cached, &t.TokensIn, &t.TokensOut, &t.CostNano, &t.EstimatedNano, &t.Estimated}},
	} {
		if _, err = l.row(ask.into, ask.query, run); err != nil {
			return t, err
		}
	}
	return t, nil
}

func of(status string) string { return fmt.Sprintf("count(*) FILTER (WHERE r.status = '%s')", status) }
