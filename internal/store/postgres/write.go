package postgres

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"slices"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"filler/internal/store"
	"filler/internal/store/packed"
)

// maxBatch bounds the writes of one transaction.
const maxBatch = 256

// write is one write that waits for its transaction.
type write struct {
	add  func(b *batch) // puts it into a batch
	told chan error
}

// writer takes all that is queued into one transaction, sends it in one round trip, and tells
// those who wait. No timer: while one batch is written the next gathers.
type writer struct {
	l     *Ledger
	sync  bool // a transaction is on the disk when it is answered
	queue chan write
	done  chan struct{}

	mu    sync.RWMutex
	ended bool
}

func newWriter(l *Ledger, sync bool) *writer {
	w := &writer{l: l, sync: sync, queue: make(chan write, maxBatch), done: make(chan struct{})}
	go w.run()
	return w
}

// end writes what is queued, and takes nothing more.
func (w *writer) end() {
	w.mu.Lock()
	w.ended = true
	close(w.queue)
	w.mu.Unlock()
	<-w.done
}

// errClosed says that something was to be written after the ledger was closed.
var errClosed = errors.New("the ledger is closed")

// write queues a write and waits until it is committed.
func (w *writer) write(add func(b *batch)) error {
	told := make(chan error, 1)
	w.mu.RLock()
	if w.ended {
		w.mu.RUnlock()
		return errClosed
	}
	w.queue <- write{add, told}
	w.mu.RUnlock()
	return <-told
}

func (w *writer) run() {
	defer close(w.done)
	for first := range w.queue {
		all := []write{first}
	gather:
		for len(all) < maxBatch {
			select {
			case next, open := <-w.queue:
				if !open {
					break gather
				}
				all = append(all, next)
			default:
				break gather
			}
		}
		w.commit(all)
	}
}

func (w *writer) commit(all []write) {
	err := w.send(all)
	if err == nil || len(all) == 1 || passing(err) {
		for _, one := range all {
			one.told <- err
		}
		return
	}
	// One write spoilt the batch: each gets its own transaction and answer.
	for _, one := range all {
		one.told <- w.send([]write{one})
	}
}

func (w *writer) send(all []write) error {
	b := &batch{l: w.l, blobs: map[[32]byte][]byte{}, spent: map[int64]*spent{}}
	for _, one := range all {
		one.add(b)
	}
	err := w.l.again(func(ctx context.Context) error {
		q := &pgx.Batch{}
		if !w.sync {
			q.Queue(notWaitedFor)
		}
		b.queue(q)
		return w.l.pool.SendBatch(ctx, q).Close()
	})
	if err == nil {
		w.l.put.add(b.blobs)
	}
	return err
}

// kept remembers bodies that need not be written again: what all requests share comes early.
type kept struct {
	mu    sync.Mutex
	is    map[[32]byte]bool
	parts packed.Hashes // of the request that was written last
}

// maxPut bounds how many are remembered.
const maxPut = 4096

func (k *kept) add(blobs map[[32]byte][]byte) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.is == nil {
		k.is = map[[32]byte]bool{}
	}
	for hash := range blobs {
		if len(k.is) < maxPut {
			k.is[hash] = true
		}
	}
}

func (k *kept) has(hash [32]byte) bool {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.is[hash]
}

func (k *kept) forget() {
	k.mu.Lock()
	defer k.mu.Unlock()
	clear(k.is)
}

// hashOf gives the hash of the ith part of a request.
func (k *kept) hashOf(i int, part []byte) [32]byte {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.parts.Of(i, part)
}

// batch is what one transaction writes, by columns.
type batch struct {
	l                  *Ledger
	blobs              map[[32]byte][]byte
	exchanges, records []func(q *pgx.Batch)
	spent              map[int64]*spent // by run
	answered           [][]byte         // keys whose requests are not on their way any more
	back               [][]byte         // keys whose attempts have come back without an answer
	takes              []asked          // rights to send that are asked for
	departs            []asked          // requests that go out now
	others             []func(q *pgx.Batch)
}

// putBlob has a body kept, once, and gives its hash.
func (b *batch) putBlob(body []byte) []byte {
	hash := sha256.Sum256(body)
	b.putHashed(body, hash)
	return hash[:]
}

func (b *batch) putHashed(body []byte, hash [32]byte) {
	if _, is := b.blobs[hash]; !is && !b.l.put.has(hash) {
		b.blobs[hash] = packed.Body(body)
	}
}

// putParts keeps the parts of a request and gives their hashes, one behind the other.
func (b *batch) putParts(parts [][]byte) []byte {
	request := []byte{}
	for i, part := range parts {
		hash := b.l.put.hashOf(i, part)
		b.putHashed(part, hash)
		request = append(request, hash[:]...)
	}
	return request
}

func (b *batch) queue(q *pgx.Batch) {
	if len(b.blobs) > 0 {
		hashes, bodies := sorted(b.blobs)
		q.Queue("INSERT INTO filler.blob(hash, body) SELECT * FROM unnest($1::bytea[], $2::bytea[]) ON CONFLICT DO NOTHING", hashes, bodies)
	}
	b.queueSpent(q)
	for _, add := range b.exchanges {
		add(q)
	}
	if len(b.answered) > 0 {
		q.Queue("DELETE FROM filler.flight WHERE key = ANY($1)", b.answered)
	}
	if len(b.back) > 0 {
		q.Queue("UPDATE filler.flight SET about = '' WHERE key = ANY($1) AND holder = $2", b.back, b.l.worker(0))
	}
	for _, add := range b.records {
		add(q)
	}
	if len(b.takes) > 0 {
		b.queueTakes(q)
	}
	if len(b.departs) > 0 {
		b.queueDeparts(q)
	}
	for _, other := range b.others {
		other(q)
	}
}

// sorted gives bodies in the order of their hashes, so that two transactions that keep the same
// ones wait for each other and not in a circle.
func sorted(blobs map[[32]byte][]byte) (hashes, bodies [][]byte) {
	for hash := range blobs {
		hashes = append(hashes, bytes.Clone(hash[:]))
	}
	slices.SortFunc(hashes, bytes.Compare)
	for _, hash := range hashes {
		bodies = append(bodies, blobs[[32]byte(hash)])
	}
	return hashes, bodies
}

// spent is what a batch adds to what a run has cost here.
type spent struct {
	worker, cost int64
	first        int64 // the exchange that tells whether it was added before
}

// queueSpent counts what was paid, before the exchanges are kept: where the first of them is there
// already, all were counted. What a worker whose row is gone has paid, its run has.
func (b *batch) queueSpent(q *pgx.Batch) {
	for run, s := range b.spent {
		if s.cost <= 0 {
			continue
		}
		const add = "least(%s::numeric + $2, 9e18)::bigint WHERE id = $1 AND NOT EXISTS (SELECT 1 FROM filler.exchange WHERE id = $3)"
		q.Queue("UPDATE filler.worker SET spent = "+fmt.Sprintf(add, "spent"), s.worker, s.cost, s.first)
		q.Queue("UPDATE filler.run SET gone = "+fmt.Sprintf(add, "gone")+" AND NOT EXISTS (SELECT 1 FROM filler.worker WHERE id = $4)", run, s.cost, s.first, s.worker)
	}
}

// SaveExchange writes an exchange and returns when it is on the disk. Whoever waits for the answer
// to the same request may have it then.
func (l *Ledger) SaveExchange(x store.Exchange) error { return l.saveExchange(x, false) }

// saveExchange writes an exchange; settles says that its request waits no more.
func (l *Ledger) saveExchange(x store.Exchange, settles bool) error {
	id, err := l.newID()
	if err != nil {
		return err
	}
	key := notNil(packed.HashBytes(x.Key))
	me := l.worker(x.Run)
	var at *time.Time
	if !x.At.IsZero() {
		at = &x.At
	}
	return l.heavy.write(func(b *batch) {
		request, reply := b.putParts(x.Request), b.putBlob(x.Reply)
		b.exchanges = append(b.exchanges, func(q *pgx.Batch) {
			q.Queue(`INSERT INTO filler.exchange(id, key, run, n, step, try, request, status, reply, error, finish, tokens_in, tokens_out, estimated, cost_nano, took_ms, at)
				VALUES($1,$2,$3,$4,$5,$6,$7,$8,$9,$10,$11,$12,$13,$14,$15,$16,coalesce($17, clock_timestamp())) ON CONFLICT (id) DO NOTHING`,
				id, key, x.Run, x.N, toText(x.Step), x.Try, request, x.Status, reply, toText(x.Error), toText(x.Finish), x.TokensIn, x.TokensOut, x.Estimated, x.CostNano, x.Took.Milliseconds(), at)
		})
		if l.atWork.pay(x.Run, x.CostNano) {
			// nothing is held against it
		} else if s := b.spent[x.Run]; s == nil {
			b.spent[x.Run] = &spent{me, x.CostNano, id}
		} else {
			s.cost += x.CostNano
		}
		switch {
		case x.Status == 200 && x.Try > 0:
			b.answered = append(b.answered, key)
		case x.Try > 0:
			b.back = append(b.back, key)
		}
		if x.Flight != "" {
			b.answered = append(b.answered, notNil(packed.HashBytes(x.Flight)))
		}
		if settles {
			b.others = append(b.others, func(q *pgx.Batch) { q.Queue("DELETE FROM filler.open WHERE key = $1", key) })
		}
	})
}

var errNoParts = errors.New("a record without its parts")

// SaveRecord writes the record of a task and marks the task done.
func (l *Ledger) SaveRecord(run int64, r store.Record) error {
	if r.Record == nil || r.Problems == nil || r.Evidence == nil || r.Trace == nil {
		return errNoParts
	}
	body, trace := packed.All(r.Record, r.Problems, r.Evidence, r.Risk), packed.Body(r.Trace)
	me, taken := l.worker(run), false
	err := l.heavy.write(func(b *batch) {
		b.records = append(b.records, func(q *pgx.Batch) {
			// A task is taken from its worker only where another holds it, or has done it since.
			q.Queue(`WITH mine AS (UPDATE filler.task SET done = true, holder = 0, by = $1, text_sha256 = coalesce($2, text_sha256), file_sha256 = $3
					WHERE run = $4 AND n = $5 AND ($1 = 0 OR holder = $1 OR holder = 0 AND (NOT done OR by = $1 OR by = 0)) RETURNING run, n)
				INSERT INTO filler.record(run, n, status, body, trace) SELECT run, n, $6, $7, $8 FROM mine ON CONFLICT (run, n) DO UPDATE SET status = EXCLUDED.status, body = EXCLUDED.body, trace = EXCLUDED.trace`,
				me, packed.HashBytes(r.TextHash), packed.HashBytes(r.FileHash), run, r.N, r.Status, body, trace).Exec(func(done pgconn.CommandTag) error {
				taken = done.RowsAffected() == 0
				return nil
			})
		})
	})
	if err == nil {
		l.atWork.kept(run)
	}
	if err == nil && taken {
		err = &store.Taken{What: r.Document}
	}
	return err
}
