package postgres

import (
	"context"
	"encoding/json"
	"filler/internal/store"
	"filler/internal/store/packed"
	"slices"

	"github.com/jackc/pgx/v5"
)

// Take asks for the right to send the request with this key.
func (l *Ledger) Take(key string) (bool, error) {
	mine, _, err := l.take(key, false)
	return mine, err
}

// TakeUnlessAnswered gives the kept answer to a request, or says whether this process may send it.
func (l *Ledger) TakeUnlessAnswered(key string) (bool, *store.Exchange, error) {
	return l.take(key, true)
}

func (l *Ledger) take(key string, look bool) (mine bool, x *store.Exchange, err error) {
	me, err := l.sender()
	if err != nil {
		return false, nil, err
	}
	want := asked{key: notNil(packed.HashBytes(key)), holder: me, mine: &mine}
	if look {
		want.answer = &x
	}
	ask := func() error { return l.light.write(func(b *batch) { b.takes = append(b.takes, want) }) }
	if err := ask(); err != nil || mine || x != nil {
		return mine, x, err
	}
	if err := l.lightly(func(ctx context.Context, tx pgx.Tx) error { _, err := l.reap(ctx, tx, 0); return err }); err != nil {
		return false, nil, err
	}
	err = ask()
	return mine, x, err
}

// asked is a right to send that is asked for.
type asked struct {
	key    []byte
	holder int64
	mine   *bool
	about  string
	answer **store.Exchange // where the answer goes, if there is one; nil: it is not looked for
}

// columns gives those of what is asked for, in the order of the keys: two transactions that ask for
// the same wait for each other and not in a circle.
func columns(all []asked) (keys [][]byte, holders []int64, abouts []string) {
	slices.SortStableFunc(all, func(x, y asked) int { return slices.Compare(x.key, y.key) })
	for _, a := range all {
		keys, holders, abouts = append(keys, a.key), append(holders, a.holder), append(abouts, a.about)
	}
	return keys, holders, abouts
}

// granted marks those that were given.
func granted(all []asked) func(rows pgx.Rows) error {
	return func(rows pgx.Rows) error {
		given := map[string]bool{}
		var key []byte
		_, err := pgx.ForEachRow(rows, []any{&key}, func() error { given[string(key)] = true; return nil })
		for _, a := range all {
			*a.mine = given[string(a.key)]
			delete(given, string(a.key)) // one of those who asked at once
		}
		return err
	}
}

func (b *batch) queueTakes(q *pgx.Batch) {
	keys, holders, _ := columns(b.takes)
	var looked [][]byte
	var looks []bool
	for _, a := range b.takes {
		if looks = append(looks, a.answer != nil); a.answer != nil {
			looked = append(looked, a.key)
		}
	}
	// A subquery of one row is looked up in the index for each key; EXISTS may be hashed, over all.
	q.Queue(`INSERT INTO filler.flight(key, holder) SELECT k.key, k.holder FROM unnest($1::bytea[], $2::bigint[], $3::bool[]) AS k(key, holder, look)
		WHERE NOT k.look OR (SELECT x.id FROM filler.exchange x WHERE x.key = k.key AND x.status = 200 AND x.try > 0 LIMIT 1) IS NULL ON CONFLICT DO NOTHING RETURNING key`, keys, holders, looks).Query(granted(b.takes))
	if len(looked) == 0 {
		return
	}
	// After the right was given or not: whoever has answered meanwhile has given it up with the answer.
	q.Queue(`SELECT DISTINCT ON (x.key) x.key, x.id, x.run, x.n, x.step, b.body, x.finish, x.tokens_in, x.tokens_out FROM filler.exchange x JOIN filler.blob b ON b.hash = x.reply
		WHERE x.key = ANY($1) AND x.status = 200 AND x.try > 0 ORDER BY x.key, x.at DESC, x.id DESC`, looked).Query(func(rows pgx.Rows) error {
		found := map[string]*store.Exchange{}
		for rows.Next() {
			x := &store.Exchange{Status: 200}
			var key, reply []byte
			if err := rows.Scan(&key, &x.ID, &x.Run, &x.N, &x.Step, &reply, &x.Finish, &x.TokensIn, &x.TokensOut); err != nil {
				return err
			}
			body, err := packed.Open(reply)
			if err != nil {
				return b.l.damaged(err)
			}
			x.Key, x.Step, x.Finish, x.Reply = packed.HashText(key), fromText(x.Step), fromText(x.Finish), body
			found[string(key)] = x
		}
		for _, a := range b.takes {
			if a.answer != nil {
				*a.answer = found[string(a.key)]
			}
		}
		return rows.Err()
	})
}

func (b *batch) queueDeparts(q *pgx.Batch) {
	keys, holders, abouts := columns(b.departs)
	q.Queue(`INSERT INTO filler.flight AS f(key, holder, about) SELECT * FROM unnest($1::bytea[], $2::bigint[], $3::text[])
		ON CONFLICT(key) DO UPDATE SET about = EXCLUDED.about WHERE f.holder = EXCLUDED.holder RETURNING key`, keys, holders, abouts).Query(granted(b.departs))
}

// Depart says that a request is going out now. Where another has the right by now, it is *Taken.
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
	me, err := l.sender()
	if err != nil {
		return err
	}
	mine := false
	err = l.light.write(func(b *batch) {
		b.departs = append(b.departs, asked{key: notNil(packed.HashBytes(flight)), holder: me, mine: &mine, about: toText(string(about))})
	})
	if err == nil && !mine {
		err = &store.Taken{What: "a request"}
	}
	return err
}

// Drop gives back the right to send a request.
func (l *Ledger) Drop(key string) error {
	me := l.worker(0)
	return l.light.write(func(b *batch) {
		b.others = append(b.others, func(q *pgx.Batch) {
			q.Queue("DELETE FROM filler.flight WHERE key = $1 AND holder = $2", notNil(packed.HashBytes(key)), me)
		})
	})
}
