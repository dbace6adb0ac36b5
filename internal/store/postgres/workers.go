package postgres

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"

	"filler/internal/base/process"
	"filler/internal/store"
	"filler/internal/store/packed"
)

// A sign of life holds for term, and is renewed each beat.
const (
	term = 15 * time.Second
	beat = 2 * time.Second
)

// termSQL is term, for the server.
var termSQL = fmt.Sprintf("now() + interval '%d seconds'", int(term.Seconds()))

// workers are the rows by which this process takes part in runs; run 0 stands for the requests
// that it sends.
type workers struct {
	mu      sync.Mutex
	ids     map[int64]int64 // by run
	done    map[int64]int64 // records that were kept, by run
	cost    map[int64]int64 // what was paid, by run, where no budget counts it as it goes
	leased  map[int64]bool  // runs whose budget this process has a part of
	stop    chan struct{}
	ended   chan struct{}
	closing atomic.Bool
	entry   sync.Mutex // one row of run 0, of however many hands
}

// enter makes a worker's row.
func (l *Ledger) enter(ctx context.Context, tx pgx.Tx, run int64) (id int64, err error) {
	err = tx.QueryRow(ctx, "INSERT INTO filler.worker(run, process, host, layout, until) VALUES($1,$2,$3,$4,"+termSQL+") RETURNING id", run, process.Name(), toText(l.host), len(layouts)).Scan(&id)
	return id, err
}

// leave takes a worker's row away and gives back what it held; deaths is 1 where its process has
// ended, which is noted with each task that it was at.
func (l *Ledger) leave(ctx context.Context, tx pgx.Tx, id int64, deaths int) error {
	for _, do := range []struct {
		query string
		args  []any
	}{
		// With many a task is only suspected; who held it alone was killed by it, or by chance.
		{`UPDATE filler.task SET holder = 0, deaths = CASE WHEN deaths = 0 OR (SELECT count(*) FROM filler.task WHERE holder = $1) = 1 THEN deaths + $2 ELSE deaths END WHERE holder = $1`, []any{id, deaths}},
		{"DELETE FROM filler.flight WHERE holder = $1", []any{id}},
		// Its tokens may have gone out until now: they count for a minute more.
		{`WITH s AS (DELETE FROM filler.share WHERE worker = $1 RETURNING server, tokens)
			INSERT INTO filler.minute AS m(server, second, tokens) SELECT server, extract(epoch FROM clock_timestamp())::bigint, tokens FROM s WHERE tokens > 0
			ON CONFLICT(server, second) DO UPDATE SET tokens = m.tokens + EXCLUDED.tokens`, []any{id}},
		{`WITH w AS (DELETE FROM filler.worker WHERE id = $1 RETURNING run, spent)
			UPDATE filler.run r SET gone = least(r.gone::numeric + w.spent, 9e18)::bigint FROM w WHERE r.id = w.run AND w.spent > 0`, []any{id}},
	} {
		if _, err := tx.Exec(ctx, do.query, do.args...); err != nil {
			return err
		}
	}
	return nil
}

// row of a worker, as others see it.
type seen struct {
	id, run int64
	process string
	until   time.Time
	lives   bool
}

func (l *Ledger) seen(ctx context.Context, from interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}) ([]seen, error) {
	found, err := from.Query(ctx, "SELECT id, run, process, until, until > now() FROM filler.worker ORDER BY id")
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(found, func(row pgx.CollectableRow) (s seen, err error) {
		err = row.Scan(&s.id, &s.run, &s.process, &s.until, &s.lives)
		s.lives = s.lives && !process.Gone(s.process)
		return s, err
	})
}

// reap takes away the workers whose processes are gone, and counts those that are left at a run.
func (l *Ledger) reap(ctx context.Context, tx pgx.Tx, run int64) (left int, err error) {
	all, err := l.seen(ctx, tx)
	if err != nil {
		return 0, err
	}
	for _, w := range all {
		if w.lives {
			if w.run == run {
				left++
			}
			continue
		}
		// Of several that see it one takes it away; and it may live again.
		var mine bool
		err := tx.QueryRow(ctx, "UPDATE filler.worker SET until = 'epoch' WHERE id = (SELECT id FROM filler.worker WHERE id = $1 AND until = $2 FOR UPDATE SKIP LOCKED) RETURNING true", w.id, w.until).Scan(&mine)
		if errors.Is(err, pgx.ErrNoRows) {
			continue
		}
		if err == nil {
			err = l.maybeSpent(ctx, tx, w.id)
		}
		if err == nil {
			err = l.leave(ctx, tx, w.id, 1)
		}
		if err != nil {
			return 0, err
		}
	}
	return left, l.unheld(ctx, tx)
}

// unheld frees what is held in the name of a row that is gone: who stood still, was thought dead, went
// on and took more has made no sign of life since, and may have ended before the next.
func (l *Ledger) unheld(ctx context.Context, tx pgx.Tx) error {
	for _, do := range []string{
		"UPDATE filler.task SET holder = 0 WHERE (run, n) IN (SELECT run, n FROM filler.task t WHERE holder <> 0 AND NOT done AND NOT EXISTS (SELECT 1 FROM filler.worker w WHERE w.id = t.holder) FOR UPDATE SKIP LOCKED)",
		"DELETE FROM filler.flight WHERE key IN (SELECT key FROM filler.flight f WHERE NOT EXISTS (SELECT 1 FROM filler.worker w WHERE w.id = f.holder) FOR UPDATE SKIP LOCKED)",
	} {
		if _, err := tx.Exec(ctx, do); err != nil {
			return err
		}
	}
	return nil
}

// maybeSpent keeps what a process had sent when it ended as exchanges without a reply, of runs
// that are there.
func (l *Ledger) maybeSpent(ctx context.Context, tx pgx.Tx, worker int64) error {
	found, err := tx.Query(ctx, "SELECT about FROM filler.flight WHERE holder = $1 AND about <> ''", worker)
	if err != nil {
		return err
	}
	all, err := pgx.CollectRows(found, pgx.RowTo[string])
	if err != nil || len(all) == 0 {
		return err
	}
	none := packed.HashBytes(store.HashOf(nil))
	if _, err := tx.Exec(ctx, "INSERT INTO filler.blob(hash, body) VALUES($1, $2) ON CONFLICT DO NOTHING", none, packed.Body(nil)); err != nil {
		return err
	}
	for _, about := range all {
		var x store.Exchange
		if json.Unmarshal([]byte(fromText(about)), &x) != nil {
			continue
		}
		id, err := l.newID()
		if err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `INSERT INTO filler.exchange(id, key, run, n, step, try, request, status, reply, error, finish, tokens_in, tokens_out, estimated, cost_nano, took_ms)
			VALUES($1,$2,$3,$4,$5,$6,'',0,$7,$8,'',$9,$10,true,$11,0)`, id, notNil(packed.HashBytes(x.Key)), x.Run, x.N, toText(x.Step), max(x.Try, 1), none, store.InFlight, x.TokensIn, x.TokensOut, x.CostNano); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, "UPDATE filler.run SET gone = least(gone::numeric + $2, 9e18)::bigint WHERE id = $1", x.Run, x.CostNano); err != nil {
			return err
		}
	}
	return nil
}

// alive gives the runs that somebody is at.
func (l *Ledger) alive() (runs map[int64]bool, err error) {
	err = l.again(func(ctx context.Context) error {
		all, err := l.seen(ctx, l.pool)
		runs = map[int64]bool{}
		for _, w := range all {
			runs[w.run] = runs[w.run] || w.lives
		}
		return err
	})
	return runs, err
}

// worker gives the number by which this process takes part in a run, or 0.
func (l *Ledger) worker(run int64) int64 {
	l.atWork.mu.Lock()
	defer l.atWork.mu.Unlock()
	return l.atWork.ids[run]
}

// entered notes a row of this process, and begins to renew it.
func (l *Ledger) entered(run, id int64) {
	w := &l.atWork
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.ids == nil {
		w.ids, w.stop, w.ended = map[int64]int64{}, make(chan struct{}), make(chan struct{})
		go l.renew()
	}
	w.ids[run] = id
}

func (l *Ledger) left(run int64) {
	l.atWork.mu.Lock()
	defer l.atWork.mu.Unlock()
	delete(l.atWork.ids, run)
}

// now gives the rows of this process, with the records that it has kept in each and what it paid.
func (w *workers) now() (runs, ids, done, cost []int64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	for run, id := range w.ids {
		runs, ids, done, cost = append(runs, run), append(ids, id), append(done, w.done[run]), append(cost, w.cost[run])
	}
	return runs, ids, done, cost
}

// pay counts what was paid; it is false where a budget counts it as it goes.
func (w *workers) pay(run, cost int64) bool {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.leased[run] {
		return false
	}
	if w.cost == nil {
		w.cost = map[int64]int64{}
	}
	w.cost[run] += min(max(cost, 0), math.MaxInt64/2-w.cost[run])
	return true
}

// kept counts a record of a run.
func (w *workers) kept(run int64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.done == nil {
		w.done = map[int64]int64{}
	}
	w.done[run]++
}

// lease notes that what a run costs is held against its budget as it goes, from now on.
func (w *workers) lease(run int64) {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.leased == nil {
		w.leased = map[int64]bool{}
	}
	w.leased[run] = true
	delete(w.cost, run)
}

// sender gives the worker that stands for the requests of this process.
func (l *Ledger) sender() (int64, error) {
	if me := l.worker(0); me != 0 {
		return me, nil
	}
	l.atWork.entry.Lock()
	defer l.atWork.entry.Unlock()
	me := l.worker(0)
	switch {
	case me != 0:
		return me, nil
	case l.closed():
		return 0, errClosed
	}
	err := l.lightly(func(ctx context.Context, tx pgx.Tx) (err error) {
		me, err = l.enter(ctx, tx, 0)
		return err
	})
	if err == nil {
		l.entered(0, me)
	}
	return me, err
}

// renew keeps the rows of this process alive. One that was taken away, because the process stood
// still or was cut off for long, is made again; what it held is others' then.
func (l *Ledger) renew() {
	defer close(l.atWork.ended)
	tick := time.NewTicker(beat)
	defer tick.Stop()
	for {
		select {
		case <-l.atWork.stop:
			return
		case <-tick.C:
		}
		runs, ids, done, cost := l.atWork.now()
		// Where the ledger can't be written the work itself will say so.
		_ = l.light.write(func(b *batch) {
			b.others = append(b.others, func(q *pgx.Batch) {
				q.Queue(`INSERT INTO filler.worker AS w(id, run, process, host, layout, until, done, spent) OVERRIDING SYSTEM VALUE SELECT id, run, $5, $6, $7, `+termSQL+`, done, cost FROM unnest($1::bigint[], $2::bigint[], $3::bigint[], $4::bigint[]) AS m(id, run, done, cost)
					ON CONFLICT(id) DO UPDATE SET until = `+termSQL+`, done = EXCLUDED.done, spent = greatest(w.spent, EXCLUDED.spent)`, ids, runs, done, cost, process.Name(), toText(l.host), len(layouts))
			})
		})
	}
}

// leaveAll ends all that this process takes part in.
func (l *Ledger) leaveAll() {
	w := &l.atWork
	w.closing.Store(true) // no patience any more, and nobody enters
	w.entry.Lock()
	w.mu.Lock()
	stop, ids := w.stop, w.ids
	w.ids = nil
	w.mu.Unlock()
	w.entry.Unlock()
	if stop == nil {
		return
	}
	close(stop)
	<-w.ended
	_ = l.inTx(func(ctx context.Context, tx pgx.Tx) error { // what stays is found dead
		for _, id := range ids {
			if err := l.maybeSpent(ctx, tx, id); err != nil { // what had gone out and could not be kept
				return err
			}
			if err := l.leave(ctx, tx, id, 0); err != nil {
				return err
			}
		}
		return nil
	})
}

// Join takes part in a run: what failed in it before is waiting again, where nobody else is at it.
func (l *Ledger) Join(run int64) error {
	me := l.worker(run)
	err := l.inTx(func(ctx context.Context, tx pgx.Tx) error {
		// Those who join at once do so one after the other.
		if _, err := tx.Exec(ctx, "SELECT 1 FROM filler.run WHERE id = $1 FOR UPDATE", run); err != nil {
			return err
		}
		others, err := l.reap(ctx, tx, run)
		if err != nil {
			return err
		}
		if me == 0 {
			if me, err = l.enter(ctx, tx, run); err != nil {
				return err
			}
			others++
		}
		if others > 1 {
			return nil
		}
		for _, do := range []string{"UPDATE filler.task SET holder = 0 WHERE run = $1 AND holder <> 0",
			"UPDATE filler.task t SET done = false, by = 0, deaths = 0 FROM filler.record r WHERE t.run = $1 AND t.done AND r.run = t.run AND r.n = t.n AND r.status = 'failed'",
			"UPDATE filler.run SET state = 'going' WHERE id = $1"} {
			if _, err := tx.Exec(ctx, do, run); err != nil {
				return err
			}
		}
		_, err = tx.Exec(ctx, "NOTIFY filler")
		return err
	})
	if err == nil {
		l.entered(run, me)
	}
	return err
}

// Claim gives up to most tasks of a run, which then belong to this process. A task that a process
// ended with is given out when all others are, and alone.
func (l *Ledger) Claim(run int64, most int) ([]store.Task, error) {
	me := l.worker(run)
	var tasks []store.Task
	take := func(ctx context.Context, tx pgx.Tx, query string, args ...any) (err error) {
		found, err := tx.Query(ctx, `UPDATE filler.task t SET holder = $1 WHERE t.run = $2 AND t.n = ANY(ARRAY(SELECT n FROM filler.task WHERE run = $2 AND NOT done AND holder = 0 AND `+query+` FOR UPDATE SKIP LOCKED)) RETURNING `+taskColumns,
			append([]any{me, run}, args...)...)
		if err == nil {
			tasks, err = pgx.CollectRows(found, scanTask)
		}
		return err
	}
	err := l.lightly(func(ctx context.Context, tx pgx.Tx) error {
		// Before the server has counted the rows of a new run it would sort all that wait, each time.
		var state string
		var known bool
		if err := tx.QueryRow(ctx, "SELECT set_config('enable_sort', 'off', true), set_config('enable_bitmapscan', 'off', true), set_config('enable_seqscan', 'off', true), state, EXISTS(SELECT 1 FROM filler.worker WHERE id = $2) FROM filler.run WHERE id = $1", run, me).Scan(nil, nil, nil, &state, &known); err != nil {
			return err
		}
		if !known && me != 0 { // it was thought dead, and is back: it holds nothing without a row
			if _, err := tx.Exec(ctx, "INSERT INTO filler.worker(id, run, process, host, layout, until) OVERRIDING SYSTEM VALUE VALUES($1,$2,$3,$4,$5,"+termSQL+") ON CONFLICT(id) DO NOTHING", me, run, process.Name(), toText(l.host), len(layouts)); err != nil {
				return err
			}
		}
		if state == store.Stopped {
			return store.ErrHalted
		}
		// Those before the last that was claimed here are done or held, but for what became free
		// again; all of them need not be passed over each time.
		const sound = "deaths = 0 AND n >= $4 AND NOT EXISTS (SELECT 1 FROM filler.task h WHERE h.holder = $1 AND h.deaths > 0) ORDER BY n LIMIT $3"
		from := l.claimedTo(run)
		if err := take(ctx, tx, sound, most, from); err != nil || len(tasks) > 0 {
			return err
		}
		if _, err := l.reap(ctx, tx, run); err != nil {
			return err
		}
		if err := take(ctx, tx, sound, most, 0); err != nil || len(tasks) > 0 {
			return err
		}
		return take(ctx, tx, "NOT EXISTS (SELECT 1 FROM filler.task h WHERE h.holder = $1) ORDER BY n LIMIT 1") // those with more deaths
	})
	slices.SortFunc(tasks, func(a, b store.Task) int { return a.N - b.N })
	if err == nil && len(tasks) > 0 {
		l.claimed.Store(run, tasks[len(tasks)-1].N+1)
	}
	return tasks, err
}

// claimedTo gives the number behind that of the last task claimed here.
func (l *Ledger) claimedTo(run int64) int {
	n, _ := l.claimed.Load(run)
	to, _ := n.(int)
	return to
}

// Left counts the tasks of a run, and those that are not done.
func (l *Ledger) Left(run int64) (all, left int, err error) {
	if known, is := l.tasks.Load(run); is {
		all = known.(int)
	} else {
		if _, err = l.row([]any{&all}, "SELECT count(*) FROM filler.task WHERE run = $1", run); err != nil {
			return 0, 0, err
		}
		l.tasks.Store(run, all)
	}
	_, err = l.row([]any{&left}, "SELECT count(*) FROM filler.task WHERE run = $1 AND NOT done", run)
	return all, left, err
}
