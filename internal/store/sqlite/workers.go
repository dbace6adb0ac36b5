package sqlite

import (
	"database/sql"
	"encoding/json"
	"slices"
	"sync"
	"time"

	"filler/internal/base/process"
	"filler/internal/store"
	"filler/internal/store/packed"
)

// A sign of life holds for term, and is renewed each beat.
const (
	term = 15 * time.Second
	beat = time.Second
)

// workers are the rows by which this process takes part in runs; run 0 stands
// for the requests that it sends.
type workers struct {
	mu    sync.Mutex
	ids   map[int64]int64 // by run
	stop  chan struct{}
	ended chan struct{}
}

// lives tells whether a worker is alive: its sign of life holds, and where its
// process can be looked for, it is there.
func lives(who string, until int64) bool {
	return time.Now().UnixMilli() <= until && !process.Gone(who)
}

// enter makes a worker's row.
func enter(tx *sql.Tx, run int64) (int64, error) {
	res, err := tx.Exec("INSERT INTO worker(run, process, until) VALUES(?,?,?)", run, process.Name(), time.Now().Add(term).UnixMilli())
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// leave takes a worker's row away and gives back what it held.
func leave(tx *sql.Tx, id int64) error {
	for _, do := range []string{"UPDATE task SET holder = 0 WHERE run = (SELECT run FROM worker WHERE id = ?1) AND holder = ?1", "DELETE FROM flight WHERE holder = ?1", "DELETE FROM worker WHERE id = ?1"} {
		if _, err := tx.Exec(do, id); err != nil {
			return err
		}
	}
	return nil
}

// reap takes away the workers whose processes are gone, and counts those that
// are left at a run.
func reap(tx *sql.Tx, run int64) (left int, err error) {
	rows, err := tx.Query("SELECT id, run, process, until FROM worker")
	if err != nil {
		return 0, err
	}
	var dead []int64
	for rows.Next() {
		var id, of, until int64
		var who string
		if err := rows.Scan(&id, &of, &who, &until); err != nil {
			rows.Close()
			return 0, err
		}
		if !lives(who, until) {
			dead = append(dead, id)
		} else if of == run {
			left++
		}
	}
	if err := rows.Err(); err != nil {
		return 0, err
	}
	for _, id := range dead {
		if err := maybeSpent(tx, id); err != nil {
			return 0, err
		}
		if err := leave(tx, id); err != nil {
			return 0, err
		}
	}
	return left, nil
}

// maybeSpent keeps what a process had sent when it ended as exchanges without a
// reply, of runs that are there.
func maybeSpent(tx *sql.Tx, worker int64) error {
	rows, err := tx.Query("SELECT about FROM flight WHERE holder = ? AND about <> ''", worker)
	if err != nil {
		return err
	}
	var all []store.Exchange
	for rows.Next() {
		var about string
		var x store.Exchange
		if err := rows.Scan(&about); err != nil {
			rows.Close()
			return err
		}
		if json.Unmarshal([]byte(about), &x) == nil {
			all = append(all, x)
		}
	}
	if err := rows.Err(); err != nil || len(all) == 0 {
		return err
	}
	if _, err := tx.Exec("INSERT OR IGNORE INTO blob(hash, body) VALUES(?1, ?2)", packed.HashBytes(store.HashOf(nil)), packed.Body(nil)); err != nil {
		return err
	}
	for _, x := range all {
		if _, err := tx.Exec(`INSERT INTO exchange(key, run, n, step, try, request, status, reply, error, tokens_in, tokens_out, estimated, cost_nano, at)
			SELECT ?,?,?,?,?,x'',0,blob.id,?,?,?,1,?,? FROM blob WHERE hash = ?`, packed.HashBytes(x.Key), x.Run, x.N, x.Step, max(x.Try, 1), store.InFlight,
			x.TokensIn, x.TokensOut, x.CostNano, time.Now().UnixMilli(), packed.HashBytes(store.HashOf(nil))); err != nil {
			return err
		}
	}
	return nil
}

// Depart says that a request is going out now.
func (l *Ledger) Depart(x store.Exchange) error {
	flight := x.Flight
	if flight == "" {
		flight = x.Key
	}
	x.Request, x.Reply, x.Flight = nil, nil, ""
	about, err := json.Marshal(x)
	if err != nil {
		return err
	}
	return l.lightly(func(tx *sql.Tx) error {
		me, err := l.sender(tx)
		if err == nil {
			_, err = tx.Exec("INSERT INTO flight(key, holder, about) VALUES(?1,?2,?3) ON CONFLICT(key) DO UPDATE SET about = ?3", packed.HashBytes(flight), me, string(about))
		}
		return err
	})
}

// sender gives the worker that stands for the requests of this process.
func (l *Ledger) sender(tx *sql.Tx) (int64, error) {
	me := l.worker(0)
	if me != 0 {
		return me, nil
	}
	me, err := enter(tx, 0) // one row, of however many hands: transactions come one by one
	if err == nil {
		l.entered(0, me)
	}
	return me, err
}

// alive gives the runs that somebody is at.
func (l *Ledger) alive() (map[int64]bool, error) {
	rows, err := l.db.Query("SELECT run, process, until FROM worker")
	if err != nil {
		return nil, l.explain(err)
	}
	defer rows.Close()
	runs := map[int64]bool{}
	for rows.Next() {
		var run, until int64
		var who string
		if err := rows.Scan(&run, &who, &until); err != nil {
			return nil, l.explain(err)
		}
		runs[run] = runs[run] || lives(who, until)
	}
	return runs, l.explain(rows.Err())
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

// renew keeps the rows of this process alive. One that was taken away, because
// the process stood still for long, is made again.
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
		l.atWork.mu.Lock()
		ids := make(map[int64]int64, len(l.atWork.ids))
		for run, id := range l.atWork.ids {
			ids[run] = id
		}
		l.atWork.mu.Unlock()
		// Where the ledger can't be written the work itself will say so.
		_ = l.lightly(func(tx *sql.Tx) error {
			for run, id := range ids {
				if l.worker(run) != id { // it has left meanwhile
					continue
				}
				if _, err := tx.Exec("INSERT INTO worker(id, run, process, until) VALUES(?1,?2,?3,?4) ON CONFLICT(id) DO UPDATE SET until = ?4", id, run, process.Name(), time.Now().Add(term).UnixMilli()); err != nil {
					return err
				}
			}
			return nil
		})
	}
}

// leaveAll ends all that this process takes part in.
func (l *Ledger) leaveAll() {
	w := &l.atWork
	w.mu.Lock()
	stop, ids := w.stop, w.ids
	w.ids = nil
	w.mu.Unlock()
	if stop == nil {
		return
	}
	close(stop)
	<-w.ended
	_ = l.lightly(func(tx *sql.Tx) error { // what stays is found dead
		for _, id := range ids {
			if err := maybeSpent(tx, id); err != nil { // what had gone out and could not be kept
				return err
			}
			if err := leave(tx, id); err != nil {
				return err
			}
		}
		return nil
	})
}

// Join takes part in a run: what failed in it before is waiting again, where
// nobody else is at it.
func (l *Ledger) Join(run int64) error {
	me := l.worker(run)
	err := l.lightly(func(tx *sql.Tx) error {
		others, err := reap(tx, run)
		if err != nil {
			return err
		}
		if me == 0 {
			if me, err = enter(tx, run); err != nil {
				return err
			}
			others++
		}
		if others > 1 {
			return nil
		}
		for _, do := range []string{"UPDATE task SET holder = 0 WHERE run = ? AND holder <> 0",
			"UPDATE task SET done = 0 WHERE run = ? AND done AND EXISTS (SELECT 1 FROM record r WHERE r.run = task.run AND r.n = task.n AND r.status = 'failed')",
			"UPDATE run SET state = 'going' WHERE id = ?"} {
			if _, err := tx.Exec(do, run); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		l.entered(run, me)
	}
	return err
}

// Claim gives up to most tasks of a run, which then belong to this process.
func (l *Ledger) Claim(run int64, most int) ([]store.Task, error) {
	me := l.worker(run)
	var tasks []store.Task
	claim := func(tx *sql.Tx, from int) error {
		rows, err := tx.Query(`UPDATE task SET holder = ?1 WHERE run = ?2 AND n IN (SELECT n FROM task WHERE run = ?2 AND n >= ?4 AND NOT done AND holder = 0 ORDER BY n LIMIT ?3)
			RETURNING n, document, file, text_sha256, done`, me, run, most, from)
		if err != nil {
			return err
		}
		tasks, err = scanTasks(rows)
		return err
	}
	err := l.lightly(func(tx *sql.Tx) error {
		// Those before the last that was claimed here are done or held, but for what
		// became free again; all of them need not be passed over each time.
		if from := l.claimedTo(run); from > 0 {
			if err := claim(tx, from); err != nil || len(tasks) > 0 {
				return err
			}
		}
		if err := claim(tx, 0); err != nil || len(tasks) > 0 {
			return err
		}
		if _, err := reap(tx, run); err != nil {
			return err
		}
		return claim(tx, 0)
	})
	slices.SortFunc(tasks, func(a, b store.Task) int { return a.N - b.N })
	if err == nil && len(tasks) > 0 {
		l.claimed.Store(run, tasks[len(tasks)-1].N+1)
	}
	return tasks, err
}

// Left counts the tasks of a run, and those that are not done.
func (l *Ledger) Left(run int64) (all, left int, err error) {
	err = l.db.QueryRow("SELECT count(*), coalesce(sum(NOT done), 0) FROM task WHERE run = ?", run).Scan(&all, &left)
	return all, left, l.explain(err)
}

// claimedTo gives the number behind that of the last task claimed here.
func (l *Ledger) claimedTo(run int64) int {
	n, _ := l.claimed.Load(run)
	to, _ := n.(int)
	return to
}

// Take asks for the right to send the request with this key.
func (l *Ledger) Take(key string) (mine bool, err error) {
	err = l.lightly(func(tx *sql.Tx) error {
		me, err := l.sender(tx)
		if err != nil {
			return err
		}
		take := func() error {
			res, err := tx.Exec("INSERT OR IGNORE INTO flight(key, holder) VALUES(?,?)", packed.HashBytes(key), me)
			if err == nil {
				n, _ := res.RowsAffected()
				mine = n > 0
			}
			return err
		}
		if err := take(); err != nil || mine {
			return err
		}
		if _, err := reap(tx, 0); err != nil {
			return err
		}
		return take()
	})
	return mine, err
}

// Drop gives back the right to send a request.
func (l *Ledger) Drop(key string) error {
	return l.lightly(func(tx *sql.Tx) error {
		_, err := tx.Exec("DELETE FROM flight WHERE key = ?", packed.HashBytes(key))
		return err
	})
}
