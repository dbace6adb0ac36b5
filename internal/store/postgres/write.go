package postgres

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"slices"
	"sync"
	"time"

	"github.com/jackc/pgx/v5"

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
}

func newWriter(l *Ledger, sync bool) *writer {
	w := &writer{l: l, sync: sync, queue: make(chan write, maxBatch), done: make(chan struct{})}
	go w.run()
	return w
}

func (w *writer) end() {
	close(w.queue)
	<-w.done
}

// write queues a write and waits until it is committed.
func (w *writer) write(add func(b *batch)) error {
	told := make(chan error, 1)
	w.queue <- write{add, told}
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
	b := &batch{l: w.l, blobs: map[[32]byte][]byte{}, spending: map[int64]int64{}}
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
	parts []hashed // of the request that was written last
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

// hashed is a part of a request with its hash.
type hashed struct {
	body []byte
	hash [32]byte
	is   bool
}

// hashOf gives the hash of the ith part of a request. What requests share is compared with the
// last one's, which is far quicker than hashing it again.
func (k *kept) hashOf(i int, part []byte) [32]byte {
	k.mu.Lock()
	defer k.mu.Unlock()
	for len(k.parts) <= i {
		k.parts = append(k.parts, hashed{})
	}
	last := &k.parts[i]
	if !last.is || !bytes.Equal(last.body, part) {
		last.body, last.hash, last.is = bytes.Clone(part), sha256.Sum256(part), true
	}
	return last.hash
}

// batch is what one transaction writes, by columns.
type batch struct {
	l        *Ledger
	blobs    map[[32]byte][]byte
	x        exchanges
	r        records
	answered [][]byte        // keys whose requests are not on their way any more
	back     [][]byte        // keys whose attempts have come back without an answer
	takes    []asked         // rights to send that are asked for
	departs  []asked         // requests that go out now
	spending map[int64]int64 // the worker that stands for this process, by run
	others   []func(q *pgx.Batch)
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
	if len(b.x.ids) > 0 {
		b.x.queue(q, b.spending)
	}
	if len(b.answered) > 0 {
		q.Queue("DELETE FROM filler.flight WHERE key = ANY($1)", b.answered)
	}
	if len(b.back) > 0 {
		q.Queue("UPDATE filler.flight SET about = '' WHERE key = ANY($1) AND holder = $2", b.back, b.l.worker(0))
	}
	if len(b.r.runs) > 0 {
		b.r.queue(q, b.l)
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

// exchanges are the columns of exchanges.
type exchanges struct {
	ids, runs           []int64
	ns, tries, statuses []int32
	keys, requests      [][]byte
	steps, errs, finish []string
	replies             [][]byte
	in, out, cost, took []int64
	estimated           []bool
	ats                 []*time.Time // nil: now
	holders             []int64      // the worker of this process in each run
}

func (x *exchanges) queue(q *pgx.Batch, spending map[int64]int64) {
	var runs, me []int64
	for run, worker := range spending {
		runs, me = append(runs, run), append(me, worker)
	}
	// What was kept before is not paid again; what a worker whose row is gone has paid, its run has.
	q.Queue(`WITH x AS (INSERT INTO filler.exchange(id, key, run, n, step, try, request, status, reply, error, finish, tokens_in, tokens_out, estimated, cost_nano, took_ms, at)
			SELECT id, key, run, n, step, try, request, status, reply, error, finish, tokens_in, tokens_out, estimated, cost_nano, took_ms, coalesce(at, clock_timestamp()) FROM unnest($1::bigint[], $2::bytea[], $3::bigint[], $4::int[], $5::text[], $6::int[], $7::bytea[], $8::int[], $9::bytea[], $10::text[], $11::text[], $12::bigint[], $13::bigint[], $14::bool[], $15::bigint[], $16::bigint[], $19::timestamptz[]) AS x(id, key, run, n, step, try, request, status, reply, error, finish, tokens_in, tokens_out, estimated, cost_nano, took_ms, at)
			ON CONFLICT (id) DO NOTHING RETURNING run, cost_nano),
		sum AS (SELECT x.run, m.worker, least(sum(x.cost_nano), 9e18)::bigint AS cost FROM x JOIN unnest($17::bigint[], $18::bigint[]) AS m(run, worker) ON m.run = x.run GROUP BY 1, 2),
		here AS (UPDATE filler.worker w SET spent = least(w.spent::numeric + sum.cost, 9e18)::bigint FROM sum WHERE w.id = sum.worker AND sum.cost > 0 RETURNING w.id)
		UPDATE filler.run r SET gone = least(r.gone::numeric + sum.cost, 9e18)::bigint FROM sum WHERE r.id = sum.run AND sum.cost > 0 AND sum.worker NOT IN (SELECT id FROM here)`,
		x.ids, x.keys, x.runs, x.ns, x.steps, x.tries, x.requests, x.statuses, x.replies, x.errs, x.finish, x.in, x.out, x.estimated, x.cost, x.took, runs, me, x.ats)
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
		c := &b.x
		c.ids, c.keys, c.runs, c.ns = append(c.ids, id), append(c.keys, key), append(c.runs, x.Run), append(c.ns, int32(x.N))
		c.steps, c.tries, c.requests, c.statuses = append(c.steps, toText(x.Step)), append(c.tries, int32(x.Try)), append(c.requests, b.putParts(x.Request)), append(c.statuses, int32(x.Status))
		c.replies, c.errs, c.finish = append(c.replies, b.putBlob(x.Reply)), append(c.errs, toText(x.Error)), append(c.finish, toText(x.Finish))
		c.in, c.out, c.estimated = append(c.in, int64(x.TokensIn)), append(c.out, int64(x.TokensOut)), append(c.estimated, x.Estimated)
		c.cost, c.took = append(c.cost, x.CostNano), append(c.took, x.Took.Milliseconds())
		c.ats = append(c.ats, at)
		b.spending[x.Run] = me
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

// records are the columns of records.
type records struct {
	runs, me   []int64
	ns         []int32
	statuses   []string
	bodies     [][]byte
	traces     [][]byte
	text, file [][]byte
	taken      []*bool // set where the task is another's
}

func (r *records) queue(q *pgx.Batch, l *Ledger) {
	// A task is taken from its worker only where another holds it, or has done it since.
	q.Queue(`WITH r AS (SELECT * FROM unnest($1::bigint[], $2::int[], $3::text[], $4::bytea[], $5::bytea[], $6::bytea[], $7::bytea[], $8::bigint[]) AS r(run, n, status, body, trace, text, file, me)),
		mine AS (UPDATE filler.task t SET done = true, holder = 0, by = r.me, text_sha256 = coalesce(r.text, t.text_sha256), file_sha256 = r.file
			FROM r WHERE t.run = r.run AND t.n = r.n AND (r.me = 0 OR t.holder = r.me OR t.holder = 0 AND (NOT t.done OR t.by = r.me OR t.by = 0)) RETURNING t.run, t.n, r.me),
		counted AS (UPDATE filler.worker w SET done = w.done + c.n FROM (SELECT me, count(*) AS n FROM mine GROUP BY me) c WHERE w.id = c.me)
		INSERT INTO filler.record AS k(run, n, status, body, trace) SELECT run, n, status, body, trace FROM r JOIN mine USING (run, n)
			ON CONFLICT (run, n) DO UPDATE SET status = EXCLUDED.status, body = EXCLUDED.body, trace = EXCLUDED.trace RETURNING k.run, k.n`,
		r.runs, r.ns, r.statuses, r.bodies, r.traces, r.text, r.file, r.me).Query(func(rows pgx.Rows) error {
		ours := map[[2]int64]bool{}
		var run, n int64
		_, err := pgx.ForEachRow(rows, []any{&run, &n}, func() error { ours[[2]int64{run, n}] = true; return nil })
		for i := range r.runs {
			*r.taken[i] = !ours[[2]int64{r.runs[i], int64(r.ns[i])}]
		}
		return err
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
		c := &b.r
		c.runs, c.ns, c.me = append(c.runs, run), append(c.ns, int32(r.N)), append(c.me, me)
		c.statuses, c.bodies, c.traces = append(c.statuses, r.Status), append(c.bodies, body), append(c.traces, trace)
		c.text, c.file = append(c.text, packed.HashBytes(r.TextHash)), append(c.file, packed.HashBytes(r.FileHash))
		c.taken = append(c.taken, &taken)
	})
	if err == nil && taken {
		err = &store.Taken{What: r.Document}
	}
	return err
}
