package postgres

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"filler/internal/base/process"
	"filler/internal/store"
)

var _ store.Shared = (*Ledger)(nil)

// Wanting gives the runs that are going, can be worked on from anywhere and have tasks that nobody
// is at, the oldest first.
func (l *Ledger) Wanting() ([]int64, error) {
	// What the dead held is free first.
	if err := l.lightly(func(ctx context.Context, tx pgx.Tx) error { _, err := l.reap(ctx, tx, 0); return err }); err != nil {
		return nil, err
	}
	return rows(l, pgx.RowTo[int64], "SELECT id FROM filler.run r WHERE state = 'going' AND shared AND EXISTS (SELECT 1 FROM filler.task t WHERE t.run = r.id AND NOT t.done AND t.holder = 0) ORDER BY id")
}

// Wait waits until a run begins or goes on, or for so long. Where a pool between has no
// sessions nothing wakes it, and the time goes by.
func (l *Ledger) Wait(ctx context.Context, most time.Duration) {
	ctx, cancel := context.WithTimeout(ctx, most)
	defer cancel()
	conn, err := l.pool.Acquire(ctx)
	if err == nil {
		defer conn.Release()
		if _, err = conn.Exec(ctx, "LISTEN filler"); err == nil {
			_, err = conn.Conn().WaitForNotification(ctx)
			_, _ = conn.Exec(context.Background(), "UNLISTEN *")
		}
	}
	if err != nil {
		<-ctx.Done()
	}
}

// Workers gives those that are at work, or were when last heard of.
func (l *Ledger) Workers() ([]store.Worker, error) {
	return rows(l, func(row pgx.CollectableRow) (w store.Worker, err error) {
		err = row.Scan(&w.ID, &w.Run, &w.Host, &w.Process, &w.Since, &w.Until, &w.Alive, &w.Done, &w.Spent)
		w.Host, w.Alive = fromText(w.Host), w.Alive && !process.Gone(w.Process)
		return w, err
	}, "SELECT id, run, host, process, since, until, until > now(), done, spent FROM filler.worker ORDER BY run, id")
}

// Halt has all workers of a run stop: what they are at comes to its end, and nothing new begins.
func (l *Ledger) Halt(run int64) error { return l.setState(run, store.Stopped) }

// Resume has a run that was stopped go on, with whoever works.
func (l *Ledger) Resume(run int64) error { return l.setState(run, store.Going) }

func (l *Ledger) setState(run int64, state string) error {
	return l.inTx(func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "UPDATE filler.run SET state = $2 WHERE id = $1", run, state); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, "NOTIFY filler")
		return err
	})
}
