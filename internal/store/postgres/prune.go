package postgres

import (
	"context"
	"errors"

	"github.com/jackc/pgx/v5"

	"filler/internal/base/process"
	"filler/internal/store"
)

var (
	_ store.Pruner    = (*Ledger)(nil)
	_ store.Forgetter = (*Ledger)(nil)
)

// errTrial rolls a trial back.
var errTrial = errors.New("a trial")

// Prune drops runs with their tasks and records, and all exchanges and bodies that no other run
// uses. Nobody else may be at work meanwhile.
func (l *Ledger) Prune(runs []int64, trial bool) (store.Pruned, error) {
	return l.drop(trial, func(ctx context.Context, tx pgx.Tx, p *store.Pruned) error {
		for _, run := range runs {
			if l.worker(run) != 0 {
				return &store.Busy{Run: run}
			}
		}
		if err := counted(ctx, tx, &p.Records, "DELETE FROM filler.record WHERE run = ANY($1)", runs); err != nil {
			return err
		}
		for _, drop := range []string{"DELETE FROM filler.open WHERE run = ANY($1)", "DELETE FROM filler.task WHERE run = ANY($1)"} {
			if err := counted(ctx, tx, nil, drop, runs); err != nil {
				return err
			}
		}
		if err := counted(ctx, tx, &p.Runs, "DELETE FROM filler.run WHERE id = ANY($1)", runs); err != nil {
			return err
		}
		return counted(ctx, tx, &p.Exchanges, `DELETE FROM filler.exchange x WHERE NOT EXISTS (SELECT 1 FROM filler.run r WHERE r.id = x.run)
			AND NOT EXISTS (SELECT 1 FROM filler.exchange o JOIN filler.run r ON r.id = o.run WHERE o.key = x.key)`)
	})
}

// Forget drops all that is kept of a document: its tasks and records in every run, and every
// exchange about it, whoever has its answer from the cache. Exchanges of no run go as well, since
// nothing says what they are about. The tables are written new; what the server's log and its
// backups hold is not ours to reach.
func (l *Ledger) Forget(document string, trial bool) (store.Pruned, error) {
	name := toText(document)
	return l.drop(trial, func(ctx context.Context, tx pgx.Tx, p *store.Pruned) error {
		if err := tx.QueryRow(ctx, "SELECT count(DISTINCT run) FROM filler.task WHERE document = $1", name).Scan(&p.Runs); err != nil {
			return err
		}
		for _, drop := range []struct {
			query string
			count *int
			args  []any
		}{
			{`DELETE FROM filler.open o WHERE o.key IN (SELECT k.key FROM filler.open k JOIN filler.task t ON t.run = k.run AND t.n = k.n WHERE t.document = $1) OR NOT EXISTS (SELECT 1 FROM filler.run r WHERE r.id = o.run)`, nil, []any{name}},
			{`DELETE FROM filler.exchange x WHERE x.key IN (SELECT k.key FROM filler.exchange k JOIN filler.task t ON t.run = k.run AND t.n = k.n WHERE t.document = $1) OR NOT EXISTS (SELECT 1 FROM filler.run r WHERE r.id = x.run)`, &p.Exchanges, []any{name}},
			{"DELETE FROM filler.record r USING filler.task t WHERE t.run = r.run AND t.n = r.n AND t.document = $1", &p.Records, []any{name}},
			{"DELETE FROM filler.task WHERE document = $1", nil, []any{name}},
			{"DELETE FROM filler.review WHERE document = $1", nil, []any{name}},
		} {
			if err := counted(ctx, tx, drop.count, drop.query, drop.args...); err != nil {
				return err
			}
		}
		return nil
	})
}

func counted(ctx context.Context, tx pgx.Tx, into *int, query string, args ...any) error {
	done, err := tx.Exec(ctx, query, args...)
	if into != nil {
		*into += int(done.RowsAffected())
	}
	return err
}

// used are the hashes of the bodies that something refers to.
const used = `SELECT schema FROM filler.run UNION SELECT prompt FROM filler.run UNION SELECT reply FROM filler.exchange UNION SELECT text_sha256 FROM filler.task UNION SELECT copy FROM filler.task
	UNION SELECT substring(x.request FROM g*32+1 FOR 32) FROM filler.exchange x, generate_series(0, length(x.request)/32-1) g
	UNION SELECT substring(o.request FROM g*32+1 FOR 32) FROM filler.open o, generate_series(0, length(o.request)/32-1) g`

// drop has rows dropped, then all bodies that nothing refers to, and writes the tables in what
// space is left; a trial counts, and leaves all as it was.
func (l *Ledger) drop(trial bool, what func(ctx context.Context, tx pgx.Tx, p *store.Pruned) error) (p store.Pruned, err error) {
	if p.Before, err = l.size(); err != nil {
		return p, err
	}
	ctx := context.Background()
	err = pgx.BeginFunc(ctx, l.pool, func(tx pgx.Tx) error {
		if err := l.alone(ctx, tx); err != nil {
			return err
		}
		if err := what(ctx, tx, &p); err != nil {
			return err
		}
		if err := counted(ctx, tx, &p.Bodies, "DELETE FROM filler.blob b WHERE b.hash NOT IN (SELECT hash FROM ("+used+") AS u(hash) WHERE hash IS NOT NULL)"); err != nil {
			return err
		}
		if trial {
			return errTrial
		}
		return nil
	})
	if trial && errors.Is(err, errTrial) {
		p.After = p.Before
		return p, nil
	}
	l.put.forget()
	if p.Runs+p.Records+p.Exchanges+p.Bodies == 0 && err == nil {
		p.After = p.Before
		return p, nil
	}
	for _, table := range []string{"blob", "exchange", "record", "task", "flight", "open", "review"} {
		if err == nil {
			_, err = l.pool.Exec(ctx, "VACUUM FULL filler."+table, pgx.QueryExecModeSimpleProtocol)
		}
	}
	if err == nil {
		p.After, err = l.size()
	}
	return p, l.explain(err)
}

// alone says if another process is at work: it may count on bodies that nothing refers to yet.
func (l *Ledger) alone(ctx context.Context, tx pgx.Tx) error {
	if _, err := tx.Exec(ctx, "LOCK TABLE filler.worker IN SHARE ROW EXCLUSIVE MODE"); err != nil {
		return err
	}
	if _, err := l.reap(ctx, tx, 0); err != nil {
		return err
	}
	all, err := l.seen(ctx, tx)
	if err != nil {
		return err
	}
	for _, w := range all {
		if w.lives && w.process != process.Name() {
			if w.run > 0 {
				return &store.Busy{Run: w.run}
			}
			return &store.Error{File: l.name, Msg: "a worker is at it", Hint: "end the workers first (`filler runs workers` lists them)"}
		}
	}
	return nil
}

// size gives what the ledger takes in the database, in bytes.
func (l *Ledger) size() (size int64, err error) {
	_, err = l.row([]any{&size}, "SELECT coalesce(sum(pg_total_relation_size(c.oid)), 0)::bigint FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE n.nspname = 'filler' AND c.relkind = 'r'")
	return size, err
}
