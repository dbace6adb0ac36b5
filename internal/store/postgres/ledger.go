// Package postgres keeps runs, exchanges and records in a PostgreSQL database that many machines
// share.
//
// Rules it keeps, beyond those of package store:
//
//   - One goroutine takes all that is queued into one transaction, in one round trip, and answers
//     when it is committed. What need not outlive a crash of the server (claims, signs of life,
//     rights to send) goes through another, and is not waited for until it is on the disk.
//   - Every write may be made twice, so that it can be made again where the line broke and nobody
//     knows whether it was committed. A server that is started again, or can't be reached for a
//     while, delays a run and does not end it.
//   - Whether a worker lives is told by the clock of the server alone, and by its process where
//     that can be looked for. Who was thought dead can't overwrite what others did since.
//   - No statement needs a session: a pool between that hands connections out by transaction
//     works. Only waking idle workers needs one, and where it fails they look now and then.
//   - Keys and headers are never written.
package postgres

import (
	"context"
	_ "embed" // the tables
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"filler/internal/base/secret"
	"filler/internal/store"
)

//go:embed layout.sql
var layout1 string

// layouts are the steps by which the tables came about; the last one's number is the layout that
// this program reads and writes.
var layouts = []string{layout1}

// Program is the version of this program, which a ledger tells to older ones that can't read it.
var Program = "a newer one"

// Is tells whether a ledger is named by the address of a database.
func Is(address string) bool {
	return strings.HasPrefix(address, "postgres://") || strings.HasPrefix(address, "postgresql://")
}

// Ledger is an open run database. Its methods may be called by many goroutines.
type Ledger struct {
	Job string // the job whose runs are meant by "last"; "" for those of none

	pool    *pgxpool.Pool
	name    string // as it may be shown
	host    string
	atWork  workers
	claimed sync.Map // run → the number behind the last task that was claimed here
	tasks   sync.Map // run → how many tasks it has
	shut    sync.Once

	heavy, light *writer
	ids          blocks
	put          kept
}

var _ store.Store = (*Ledger)(nil)

// conns is how many connections a process has at most, where its address does not say it.
const conns = 5

func connect(address string) (*Ledger, error) {
	name := secret.Address(address)
	config, err := pgxpool.ParseConfig(address)
	if err != nil {
		return nil, &store.Error{File: name, Msg: "this is not the address of a database", Hint: "write it as postgres://host:5432/database", Err: err}
	}
	if !strings.Contains(address, "pool_max_conns") {
		config.MaxConns = conns
	}
	if config.ConnConfig.ConnectTimeout == 0 {
		config.ConnConfig.ConnectTimeout = 10 * time.Second
	}
	if config.ConnConfig.RuntimeParams["application_name"] == "" {
		config.ConnConfig.RuntimeParams["application_name"] = "filler"
	}
	pool, err := pgxpool.NewWithConfig(context.Background(), config)
	if err != nil {
		return nil, &store.Error{File: name, Msg: "this is not the address of a database", Hint: "write it as postgres://host:5432/database", Err: err}
	}
	host, _ := os.Hostname()
	l := &Ledger{pool: pool, name: name, host: host}
	if err := pool.Ping(context.Background()); err != nil {
		pool.Close()
		return nil, l.explain(err)
	}
	return l, nil
}

// Open opens the ledger, and makes its tables where there are none.
func Open(address string) (*Ledger, error) {
	l, err := connect(address)
	if err != nil {
		return nil, err
	}
	if err := l.prepare(context.Background()); err != nil {
		l.pool.Close()
		return nil, l.explain(err)
	}
	l.heavy, l.light = newWriter(l, true), newWriter(l, false)
	return l, nil
}

// OpenToRead opens a ledger that exists, to read only.
func OpenToRead(address string) (*Ledger, error) {
	l, err := connect(address)
	if err != nil {
		return nil, err
	}
	has, _, err := l.layout(context.Background())
	if err == nil && has == 0 {
		err = store.ErrNone
	}
	if err == nil && has < len(layouts) {
		err = &store.Error{File: l.name, Msg: fmt.Sprintf("this ledger has layout %d, and this program reads layout %d", has, len(layouts)), Hint: "a worker of this version brings it up to date: `filler worker`"}
	}
	if err != nil {
		l.pool.Close()
		return nil, l.explain(err)
	}
	return l, nil
}

// layout gives the number of the ledger's layout, and the version of the program that made it; 0
// where there are no tables. One that is newer than this program is an error.
func (l *Ledger) layout(ctx context.Context) (has int, by string, err error) {
	var there bool
	if err := l.pool.QueryRow(ctx, "SELECT to_regclass('filler.layout') IS NOT NULL").Scan(&there); err != nil || !there {
		return 0, "", err
	}
	if err := l.pool.QueryRow(ctx, "SELECT number, program FROM filler.layout ORDER BY number DESC LIMIT 1").Scan(&has, &by); err != nil {
		return 0, "", err
	}
	if has > len(layouts) {
		return has, by, &store.Error{File: l.name, Msg: fmt.Sprintf("this ledger has layout %d, and this program reads layout %d", has, len(layouts)), Hint: "use filler " + by + ", which made it, or a newer one"}
	}
	return has, by, nil
}

// lockKey is the advisory lock under which the layout changes: "filler" in ASCII.
const lockKey = 0x66696c6c6572

// prepare brings the tables to this program's layout. Of several processes that begin at once, one
// makes them; the others wait. While programs that only know an older layout are at work, a newer
// one waits until they are gone.
func (l *Ledger) prepare(ctx context.Context) error {
	has, _, err := l.layout(ctx)
	if err != nil || has == len(layouts) {
		return err
	}
	for {
		older, err := l.bring(ctx)
		if err != nil || !older {
			return err
		}
		time.Sleep(time.Second)
	}
}

func (l *Ledger) bring(ctx context.Context) (older bool, err error) {
	err = pgx.BeginFunc(ctx, l.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, "SELECT pg_advisory_xact_lock($1)", int64(lockKey)); err != nil {
			return err
		}
		has, _, err := l.layout(ctx)
		if err != nil || has == len(layouts) {
			return err
		}
		if has == 0 {
			var encoding string
			if err := tx.QueryRow(ctx, "SHOW server_encoding").Scan(&encoding); err != nil {
				return err
			}
			if encoding != "UTF8" {
				return &store.Error{File: l.name, Msg: "this database keeps text as " + encoding, Hint: "make one for it: `createdb -E UTF8 -T template0 NAME`"}
			}
			if _, err := tx.Exec(ctx, "CREATE SCHEMA IF NOT EXISTS filler; SET LOCAL search_path = filler; CREATE TABLE layout(number integer PRIMARY KEY, program text NOT NULL, at timestamptz NOT NULL DEFAULT now())", pgx.QueryExecModeSimpleProtocol); err != nil {
				return err
			}
		} else if err := tx.QueryRow(ctx, "SELECT EXISTS (SELECT 1 FROM filler.worker WHERE until > now() AND layout < $1)", len(layouts)).Scan(&older); err != nil || older {
			return err
		}
		for n := has; n < len(layouts); n++ {
			if _, err := tx.Exec(ctx, "SET LOCAL search_path = filler; "+layouts[n], pgx.QueryExecModeSimpleProtocol); err != nil {
				return err
			}
			if _, err := tx.Exec(ctx, "INSERT INTO filler.layout(number, program) VALUES($1, $2)", n+1, Program); err != nil {
				return err
			}
		}
		return nil
	})
	return older, err
}

// Close writes what is queued, leaves all runs, and ends the connections. It may be called again.
func (l *Ledger) Close() error {
	l.shut.Do(func() {
		if l.heavy != nil {
			l.heavy.end()
			l.leaveAll()
			l.light.end()
		}
		l.pool.Close()
	})
	return nil
}

// patience is how long a server that can't be reached is waited for.
var patience = 2 * time.Minute

// again does something until the server answers: what is done may have been done before.
func (l *Ledger) again(do func(ctx context.Context) error) error {
	pause := 20 * time.Millisecond
	for began := time.Now(); ; pause = min(2*pause, 2*time.Second) {
		ctx, cancel := context.WithTimeout(context.Background(), answerTime)
		err := do(ctx)
		cancel()
		if err == nil || !passing(err) || time.Since(began) > patience || l.closed() {
			return l.explain(err)
		}
		time.Sleep(pause)
	}
}

// answerTime is how long a statement may take before the line is thought broken.
const answerTime = time.Minute

func (l *Ledger) closed() bool { return l.atWork.closing.Load() }

// passing tells errors that another attempt may not meet: of the line, of a server that starts or
// ends, of transactions that stood in each other's way.
func passing(err error) bool {
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		switch {
		case strings.HasPrefix(pg.Code, "08"), strings.HasPrefix(pg.Code, "57P"), pg.Code == "40001", pg.Code == "40P01", pg.Code == "53300":
			return true
		}
		return false
	}
	var line net.Error
	var connect *pgconn.ConnectError
	return errors.As(err, &line) || errors.As(err, &connect) || errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, context.DeadlineExceeded) ||
		err != nil && (pgconn.SafeToRetry(err) || strings.Contains(err.Error(), "conn closed") || strings.Contains(err.Error(), "closed pool"))
}

// explain says what went wrong with the database, in words.
func (l *Ledger) explain(err error) error {
	if err == nil {
		return nil
	}
	known, busy, taken, none, unheard := (*store.Error)(nil), (*store.Busy)(nil), (*store.Taken)(nil), (*store.NoRun)(nil), (*store.Unheard)(nil)
	if errors.As(err, &known) || errors.As(err, &unheard) || errors.As(err, &busy) || errors.As(err, &taken) || errors.As(err, &none) || errors.Is(err, store.ErrNone) || errors.Is(err, store.ErrHalted) || errors.Is(err, errTrial) {
		return err
	}
	say := func(msg, hint string) error { return &store.Error{File: l.name, Msg: msg, Hint: hint, Err: err} }
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		switch pg.Code {
		case "28P01", "28000":
			return say("the database does not let this user in", "check the user, and give the password in PGPASSWORD or ~/.pgpass")
		case "3D000":
			return say("there is no such database", "correct its name, or create it: `createdb -E UTF8 NAME`")
		case "42501":
			return say("this user may not do that: "+pg.Message, "see the roles in `filler help machines`")
		case "53100":
			return say("the disk of the database is full", "free space, then continue with `filler fill --resume`")
		case "53300":
			return say("the database has no connection left", "allow it more, or start fewer workers; each takes up to 5 (`filler help machines`)")
		case "25006":
			return say("this database is only read", "name the one that is written to, not its copy")
		case "57014":
			return say("the database ended a statement that took too long", "raise statement_timeout of this user (`filler help machines`)")
		}
		if strings.HasPrefix(pg.Code, "57P") {
			return say("the database was stopped", "start it, then continue with `filler fill --resume`")
		}
		return say("the database refused: "+pg.Message+" (SQLSTATE "+pg.Code+")", "try again")
	}
	if passing(err) {
		return say("the database can't be reached", "start it, or check the address and the network")
	}
	return say("the ledger failed: "+err.Error(), "try again")
}

// rows reads all that a query finds.
func rows[T any](l *Ledger, scan func(row pgx.CollectableRow) (T, error), query string, args ...any) (all []T, err error) {
	err = l.again(func(ctx context.Context) error {
		found, err := l.pool.Query(ctx, query, args...)
		if err == nil {
			all, err = pgx.CollectRows(found, scan)
		}
		return err
	})
	return all, err
}

// row reads the first that a query finds into targets; false where it finds none.
func (l *Ledger) row(targets []any, query string, args ...any) (found bool, err error) {
	err = l.again(func(ctx context.Context) error {
		err := l.pool.QueryRow(ctx, query, args...).Scan(targets...)
		found = err == nil
		if errors.Is(err, pgx.ErrNoRows) {
			return nil
		}
		return err
	})
	return found, err
}

// inTx does something in a transaction that is on the disk afterwards.
func (l *Ledger) inTx(do func(ctx context.Context, tx pgx.Tx) error) error {
	return l.again(func(ctx context.Context) error {
		return pgx.BeginFunc(ctx, l.pool, func(tx pgx.Tx) error { return do(ctx, tx) })
	})
}

// lightly is inTx for what need not outlive a crash of the server.
func (l *Ledger) lightly(do func(ctx context.Context, tx pgx.Tx) error) error {
	return l.inTx(func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, notWaitedFor); err != nil {
			return err
		}
		return do(ctx, tx)
	})
}

const notWaitedFor = "SELECT set_config('synchronous_commit', 'off', true)"

// blocks gives ids of exchanges.
type blocks struct {
	mu         sync.Mutex
	next, last int64
}

// blockBits is the size of a block of ids, as a power of two.
const blockBits = 16

func (l *Ledger) newID() (int64, error) {
	b := &l.ids
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.next == b.last {
		var block int64
		if _, err := l.row([]any{&block}, "SELECT nextval('filler.exchange_block')"); err != nil {
			return 0, err
		}
		b.next, b.last = block<<blockBits, (block+1)<<blockBits
	}
	b.next++
	return b.next - 1, nil
}

// Rights gives the statements by which whoever owns the ledger lets another role work on it: read
// and write rows, and nothing else.
func Rights(role string) string {
	name := pgx.Identifier{role}.Sanitize()
	return "GRANT USAGE ON SCHEMA filler TO " + name + ";\nGRANT SELECT, INSERT, UPDATE, DELETE ON ALL TABLES IN SCHEMA filler TO " + name + ";\nGRANT USAGE ON ALL SEQUENCES IN SCHEMA filler TO " + name + ";"
}
