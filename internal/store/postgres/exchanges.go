package postgres

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"filler/internal/store"
	"filler/internal/store/packed"
)

// Answered gives the kept answer to a request, if there is a whole one with status 200.
func (l *Ledger) Answered(key string) (*store.Exchange, error) {
	x := store.Exchange{Key: key, Status: 200}
	var reply []byte
	found, err := l.row([]any{&x.ID, &x.Run, &x.N, &x.Step, &reply, &x.Finish, &x.TokensIn, &x.TokensOut},
		`SELECT x.id, x.run, x.n, x.step, b.body, x.finish, x.tokens_in, x.tokens_out FROM filler.exchange x JOIN filler.blob b ON b.hash = x.reply
			WHERE x.key = $1 AND x.status = 200 AND x.try > 0 ORDER BY x.at DESC, x.id DESC LIMIT 1`, notNil(packed.HashBytes(key)))
	if err != nil || !found {
		return nil, err
	}
	x.Step, x.Finish = fromText(x.Step), fromText(x.Finish)
	if x.Reply, err = packed.Open(reply); err != nil {
		return nil, l.damaged(err)
	}
	return &x, nil
}

func (l *Ledger) damaged(err error) error {
	return &store.Error{File: l.name, Msg: err.Error(), Hint: "restore a backup of the database", Err: err}
}

// Exchanges gives the exchanges of one task, in order, without their requests.
func (l *Ledger) Exchanges(run int64, n int) ([]store.Exchange, error) {
	return rows(l, func(row pgx.CollectableRow) (store.Exchange, error) {
		x := store.Exchange{Run: run, N: n}
		var key, reply []byte
		var took int64
		err := row.Scan(&x.ID, &key, &x.Step, &x.Try, &x.Kept, &x.Status, &reply, &x.Error, &x.Finish, &x.TokensIn, &x.TokensOut, &x.Estimated, &x.CostNano, &took, &x.At)
		if err == nil {
			x.Reply, err = packed.Open(reply)
		}
		x.Key, x.Step, x.Error, x.Finish, x.Took = packed.HashText(key), fromText(x.Step), fromText(x.Error), fromText(x.Finish), time.Duration(took)*time.Millisecond
		return x, err
	}, `SELECT x.id, x.key, x.step, x.try, x.request, x.status, b.body, x.error, x.finish, x.tokens_in, x.tokens_out, x.estimated, x.cost_nano, x.took_ms, x.at
		FROM filler.exchange x JOIN filler.blob b ON b.hash = x.reply WHERE x.run = $1 AND x.n = $2 ORDER BY x.at, x.id`, run, n)
}

// RequestOf gives the body that was sent.
func (l *Ledger) RequestOf(x store.Exchange) ([]byte, error) { return l.joined(x.Kept) }

// Parts gives the body that was sent in the parts that it is kept in.
func (l *Ledger) Parts(x store.Exchange) ([][]byte, error) { return l.parts(x.Kept) }

// parts gives kept parts by their hashes, which stand one behind the other.
func (l *Ledger) parts(hashes []byte) (all [][]byte, err error) {
	for len(hashes) >= 32 {
		part, err := l.body(hashes[:32])
		if err != nil {
			return nil, err
		}
		all, hashes = append(all, part), hashes[32:]
	}
	return all, nil
}

func (l *Ledger) joined(hashes []byte) (all []byte, err error) {
	parts, err := l.parts(hashes)
	for _, p := range parts {
		all = append(all, p...)
	}
	return all, err
}

// Blob gives a kept body by its hash.
func (l *Ledger) Blob(hash string) ([]byte, error) { return l.body(packed.HashBytes(hash)) }

func (l *Ledger) body(hash []byte) ([]byte, error) {
	var held []byte
	found, err := l.row([]any{&held}, "SELECT body FROM filler.blob WHERE hash = $1", hash)
	if err == nil && !found {
		err = &store.Error{File: l.name, Msg: "a body is missing in it", Hint: "restore a backup of the database"}
	}
	if err != nil {
		return nil, err
	}
	body, err := packed.Open(held)
	if err != nil {
		return nil, l.damaged(err)
	}
	return body, nil
}

// Bodies gives, in document order, each request of a run that was answered with its status and
// reply, those from the cache included.
func (l *Ledger) Bodies(run int64, each func(request []byte, status int, reply []byte) error) error {
	type one struct {
		n              int
		at             time.Time
		id             int64
		status         int
		request, reply []byte
	}
	last := one{n: -1}
	for {
		some, err := rows(l, func(row pgx.CollectableRow) (x one, err error) {
			err = row.Scan(&x.n, &x.at, &x.id, &x.status, &x.request, &x.reply)
			return x, err
		}, `SELECT x.n, x.at, x.id, x.status, x.request, b.body FROM filler.exchange x JOIN filler.blob b ON b.hash = x.reply
			WHERE x.run = $1 AND x.status > 0 AND (x.n, x.at, x.id) > ($2, $3, $4) ORDER BY x.n, x.at, x.id LIMIT $5`, run, last.n, last.at, last.id, page)
		if err != nil {
			return err
		}
		for _, x := range some {
			request, err := l.joined(x.request)
			if err != nil {
				return err
			}
			reply, err := packed.Open(x.reply)
			if err != nil {
				return l.damaged(err)
			}
			if err := each(request, x.status, reply); err != nil {
				return err
			}
			last = x
		}
		if len(some) < page {
			return nil
		}
	}
}

// Shape gives the shape that a model's server is known to take, or "".
func (l *Ledger) Shape(identity string) (shape string, err error) {
	_, err = l.row([]any{&shape}, "SELECT shape FROM filler.model WHERE identity = $1", toText(identity))
	return shape, err
}

// SaveShape keeps what a model's server takes.
func (l *Ledger) SaveShape(identity, shape string) error {
	return l.again(func(ctx context.Context) error {
		_, err := l.pool.Exec(ctx, "INSERT INTO filler.model(identity, shape) VALUES($1, $2) ON CONFLICT(identity) DO UPDATE SET shape = $2", toText(identity), shape)
		return err
	})
}

// SaveOpen keeps a request of a run that waits for a reply in a file, or marks one kept before as
// asked again.
func (l *Ledger) SaveOpen(o store.Open) error {
	return l.heavy.write(func(b *batch) {
		request := b.putParts(o.Request)
		b.others = append(b.others, func(q *pgx.Batch) {
			q.Queue(`INSERT INTO filler.open AS o(run, key, n, step, request, terms, asked) VALUES($1,$2,$3,$4,$5,$6,$7)
				ON CONFLICT(run, key) DO UPDATE SET n = least(o.n, $3), request = $5, terms = $6, asked = $7`,
				o.Run, notNil(packed.HashBytes(o.Key)), o.N, toText(o.Step), request, toText(string(o.Terms)), time.Now().UnixMilli())
		})
	})
}

type waiting struct {
	store.Open
	request []byte
}

func scanOpen(row pgx.CollectableRow) (w waiting, err error) {
	var key []byte
	var terms string
	err = row.Scan(&w.Run, &key, &w.N, &w.Step, &w.request, &terms)
	w.Key, w.Step, w.Terms = packed.HashText(key), fromText(w.Step), []byte(fromText(terms))
	return w, err
}

const openColumns = "SELECT run, key, n, step, request, terms FROM filler.open WHERE "

// Opened calls each for the requests of a run that wait and were asked since then.
func (l *Ledger) Opened(run int64, since time.Time, each func(o store.Open, body []byte) error) error {
	all, err := rows(l, scanOpen, openColumns+"run = $1 AND asked >= $2 ORDER BY n, step, key", run, since.UnixMilli())
	if err != nil {
		return err
	}
	for _, w := range all {
		body, err := l.joined(w.request)
		if err != nil {
			return err
		}
		if err := each(w.Open, body); err != nil {
			return err
		}
	}
	return nil
}

// OpenBy gives the request that waits under a key, of the oldest run.
func (l *Ledger) OpenBy(key string) (*store.Open, error) {
	all, err := rows(l, scanOpen, openColumns+"key = $1 ORDER BY run LIMIT 1", notNil(packed.HashBytes(key)))
	if err != nil || len(all) == 0 {
		return nil, err
	}
	o := all[0].Open
	o.Request, err = l.parts(all[0].request)
	return &o, err
}

// Settle keeps the exchange of a request that waited. With status 200 it waits no more, in any run.
func (l *Ledger) Settle(o store.Open, x store.Exchange) error {
	x.Key, x.Run, x.N, x.Step, x.Request = o.Key, o.Run, o.N, o.Step, o.Request
	return l.saveExchange(x, x.Status == 200)
}

// SaveReview keeps what people made of a record.
func (l *Ledger) SaveReview(r store.Review) error {
	body := packed.All(r.Record, r.Evidence, r.Decisions, r.Notes)
	return l.again(func(ctx context.Context) error {
		_, err := l.pool.Exec(ctx, `INSERT INTO filler.review(schema, document, run, text_sha256, by, at, done, body) VALUES($1,$2,$3,$4,$5,$6,$7,$8)
			ON CONFLICT(schema, document, text_sha256) DO UPDATE SET run = $3, by = $5, at = $6, done = $7, body = $8`,
			toText(r.Schema), toText(r.Document), r.Run, notNil(packed.HashBytes(r.TextHash)), toText(r.By), r.At.UnixMilli(), r.Done, body)
		return err
	})
}

func scanReview(row pgx.CollectableRow) (store.Review, error) {
	var r store.Review
	var text, body []byte
	var at int64
	err := row.Scan(&r.Schema, &r.Document, &r.Run, &text, &r.By, &at, &r.Done, &body)
	r.Schema, r.Document, r.By = fromText(r.Schema), fromText(r.Document), fromText(r.By)
	if err == nil {
		r.TextHash, r.At = packed.HashText(text), time.UnixMilli(at)
		err = packed.OpenAll(body, &r.Record, &r.Evidence, &r.Decisions, &r.Notes)
	}
	return r, err
}

const reviewQuery = "SELECT schema, document, run, text_sha256, by, at, done, body FROM filler.review WHERE schema = $1"

// ReviewOf gives the review of a document's record beside a text, or beside the newest other; nil
// where there is none.
func (l *Ledger) ReviewOf(schema, document, text string) (*store.Review, error) {
	all, err := rows(l, scanReview, reviewQuery+" AND document = $2 ORDER BY text_sha256 = $3 DESC, at DESC LIMIT 1", toText(schema), toText(document), notNil(packed.HashBytes(text)))
	if err != nil || len(all) == 0 {
		return nil, err
	}
	return &all[0], nil
}

// Reviews calls each for the reviews of a schema, in the order of their documents, the newest of a
// document first.
func (l *Ledger) Reviews(schema string, each func(store.Review) error) error {
	all, err := rows(l, scanReview, reviewQuery+` ORDER BY document COLLATE "C", at DESC`, toText(schema))
	if err != nil {
		return err
	}
	for _, r := range all {
		if err := each(r); err != nil {
			return err
		}
	}
	return nil
}
