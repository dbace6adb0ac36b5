package postgres

import (
	"context"
	"math"
	"time"

	"github.com/jackc/pgx/v5"

	"filler/internal/store"
)

var _ store.Pacing = (*Ledger)(nil)

// Requests of a minute go out one by one, spaced so that those that go out up to a second late
// still leave no 60 seconds with more than the limit. Tokens count from when a request may go out
// until a minute after it came back.
const ahead = time.Second // how far ahead requests are given their time

var ( // in tests a minute is shorter
	window = 61 * time.Second
	counts = 61 // seconds that a second's tokens count for, its own included
)

// Pace says what this process has, wants and heard of a model's server, and gives its share.
//
// The sum of what all hold is never above what all may, but where the server bears less than it
// did: who has more than its part while another lacks gives back as its requests end, and who lacks
// takes what is free.
func (l *Ledger) Pace(a store.Ask) (store.Share, error) {
	me, err := l.sender()
	if err != nil {
		return store.Share{}, err
	}
	var out store.Share
	server := toText(a.Server)
	err = l.lightly(func(ctx context.Context, tx pgx.Tx) error {
		out = store.Share{}
		if _, err := tx.Exec(ctx, "INSERT INTO filler.pace(server, bears) VALUES($1, $2) ON CONFLICT DO NOTHING", server, float64(a.AtOnce)); err != nil {
			return err
		}
		var bears float64
		var free, eased float64 // seconds from now until the next request may go out, and since the server complained
		if err := tx.QueryRow(ctx, `SELECT bears, greatest(extract(epoch FROM next - clock_timestamp()), -1e9)::float8, least(extract(epoch FROM clock_timestamp() - eased), 1e9)::float8
			FROM filler.pace WHERE server = $1 FOR UPDATE`, server).Scan(&bears, &free, &eased); err != nil {
			return err
		}
		switch {
		case a.TooMuch && eased >= 1: // one complaint stands for all that come with it
			bears, eased = max(math.Min(bears, float64(a.AtOnce))/2, 1), 0
		case a.Good > 0 && !a.TooMuch:
			bears += float64(a.Good) / max(bears, 1)
		}
		bears = min(bears, float64(a.AtOnce))
		hands, err := l.hands(ctx, tx, server, me)
		if err != nil {
			return err
		}
		out.AtOnce, out.Workers = hands.share(a, int(bears)), hands.n
		next := math.Max(free, 0)
		granted := int64(0)
		if len(a.Next) > 0 {
			if granted, err = l.goOut(ctx, tx, a, &out, &next); err != nil {
				return err
			}
		}
		if _, err := tx.Exec(ctx, `INSERT INTO filler.share(server, worker, holds, wants, tokens) VALUES($1,$2,$3,$4,$5)
			ON CONFLICT(server, worker) DO UPDATE SET holds = $3, wants = $4, tokens = $5`, server, me, max(out.AtOnce, a.Out), a.Wants, a.Reserved+granted); err != nil {
			return err
		}
		if a.Used > 0 {
			if _, err := tx.Exec(ctx, `INSERT INTO filler.minute AS m(server, second, tokens) VALUES($1, extract(epoch FROM clock_timestamp())::bigint, $2)
				ON CONFLICT(server, second) DO UPDATE SET tokens = m.tokens + $2`, server, a.Used); err != nil {
				return err
			}
		}
		_, err = tx.Exec(ctx, `UPDATE filler.pace SET bears = $2, next = CASE WHEN $3 THEN clock_timestamp() + make_interval(secs => $4) ELSE next END,
			eased = CASE WHEN $5 THEN clock_timestamp() ELSE eased END WHERE server = $1`, server, bears, len(out.After) > 0 && a.PerMinute > 0, next, a.TooMuch && eased == 0)
		return err
	})
	return out, err
}

// hands are the processes that ask a server, apart from this one.
type hands struct {
	n      int // that want something, this one included
	others int // what the others hold, or still have under way
	lack   []int
	before int // of those that want something, how many have lower numbers
}

func (l *Ledger) hands(ctx context.Context, tx pgx.Tx, server string, me int64) (h hands, err error) {
	found, err := tx.Query(ctx, "SELECT s.worker, s.holds, s.wants FROM filler.share s JOIN filler.worker w ON w.id = s.worker WHERE s.server = $1 AND w.until > now()", server)
	if err != nil {
		return h, err
	}
	h.n = 1
	var worker int64
	var holds, wants int
	_, err = pgx.ForEachRow(found, []any{&worker, &holds, &wants}, func() error {
		if worker == me {
			return nil
		}
		h.others += holds
		if wants > 0 {
			h.n++
			if worker < me {
				h.before++
			}
		}
		if wants > holds {
			h.lack = append(h.lack, holds)
		}
		return nil
	})
	return h, err
}

// share gives how many requests this process may have under way, of all that the server bears.
func (h *hands) share(a store.Ask, all int) int {
	fair := all / h.n
	if h.before < all%h.n {
		fair++
	}
	most := max(all-h.others, 0)
	for _, holds := range h.lack {
		if holds < max(all/h.n, 1) { // another has less than its part, and wants more
			most = min(most, fair)
			break
		}
	}
	return min(a.Wants+1, most)
}

// goOut gives requests their time to go out, in their order, as far as the minute has room for
// them; next is when the following may, in seconds from now.
func (l *Ledger) goOut(ctx context.Context, tx pgx.Tx, a store.Ask, out *store.Share, next *float64) (granted int64, err error) {
	var counting int64
	if a.TokensPerMinute > 0 {
		// Tokens of workers that are gone count until they are taken away.
		if err := tx.QueryRow(ctx, `SELECT ((SELECT coalesce(sum(tokens), 0) FROM filler.share WHERE server = $1 AND worker <> $2)
			+ (SELECT coalesce(sum(tokens), 0) FROM filler.minute WHERE server = $1 AND second >= extract(epoch FROM clock_timestamp())::bigint - $3))::bigint`, toText(a.Server), l.worker(0), counts).Scan(&counting); err != nil {
			return 0, err
		}
		if _, err := tx.Exec(ctx, "DELETE FROM filler.minute WHERE server = $1 AND second < extract(epoch FROM clock_timestamp())::bigint - $2", toText(a.Server), 2*counts); err != nil {
			return 0, err
		}
		counting += a.Reserved + a.Used
	}
	for _, tokens := range a.Next {
		if a.PerMinute > 0 && *next > ahead.Seconds() {
			break
		}
		// One that alone takes more than a minute's worth goes out when nothing else counts.
		if a.TokensPerMinute > 0 && tokens > 0 && counting > 0 && counting+int64(tokens) > int64(a.TokensPerMinute) {
			break
		}
		out.After = append(out.After, time.Duration(*next*float64(time.Second)))
		if a.PerMinute > 0 {
			*next += window.Seconds() / float64(a.PerMinute)
		}
		if a.TokensPerMinute > 0 {
			counting, granted = counting+int64(tokens), granted+int64(tokens)
		}
	}
	return granted, nil
}

// SetBudget says what a run may cost on all machines, in billionths. What it has cost without a
// budget is counted from its exchanges; those who are at it then would not hear of one.
func (l *Ledger) SetBudget(run, limit int64) error {
	return l.inTx(func(ctx context.Context, tx pgx.Tx) error {
		var before int64
		var others int
		if err := tx.QueryRow(ctx, "SELECT budget FROM filler.run WHERE id = $1 FOR UPDATE", run).Scan(&before); err != nil {
			return err
		}
		if limit > 0 && before == 0 {
			all, err := l.seen(ctx, tx)
			if err != nil {
				return err
			}
			for _, w := range all {
				if w.run == run && w.lives && w.id != l.worker(run) {
					others++
				}
			}
			if others > 0 {
				return &store.Unheard{Run: run, Others: others}
			}
			if _, err := tx.Exec(ctx, `UPDATE filler.run SET gone = least(greatest((SELECT coalesce(sum(cost_nano::numeric), 0) FROM filler.exchange WHERE run = $1)
				- (SELECT coalesce(sum(spent::numeric), 0) FROM filler.worker WHERE run = $1), 0), 9e18)::bigint WHERE id = $1`, run); err != nil {
				return err
			}
		}
		_, err := tx.Exec(ctx, "UPDATE filler.run SET budget = $2 WHERE id = $1", run, limit)
		return err
	})
}

// portion is how many requests' worth a process is leased at once, where there is enough.
const portion = 16

// Lease says what this process has set aside of a run's budget, and what it would like to have
// beside that; it gives what is leased to it. What all have is never above the budget: what those
// that left have spent, and what the others are leased, whether they spend it or not.
func (l *Ledger) Lease(run, aside, like int64) (out store.Lease, err error) {
	me := l.worker(run)
	err = l.inTx(func(ctx context.Context, tx pgx.Tx) error {
		out = store.Lease{}
		var gone, others, spent, n int64
		var short bool
		if err := tx.QueryRow(ctx, "SELECT budget, gone FROM filler.run WHERE id = $1 FOR UPDATE", run).Scan(&out.Limit, &gone); err != nil {
			return err
		}
		if err := tx.QueryRow(ctx, `SELECT coalesce(sum(greatest(granted, spent)) FILTER (WHERE id <> $2), 0)::bigint, coalesce(sum(spent) FILTER (WHERE id <> $2), 0)::bigint, count(*), coalesce(bool_or(short) FILTER (WHERE id <> $2), false),
			coalesce(max(granted) FILTER (WHERE id = $2), 0), coalesce(max(spent) FILTER (WHERE id = $2), 0) FROM filler.worker WHERE run = $1`, run, me).Scan(&others, &spent, &n, &short, &out.Granted, &out.Spent); err != nil {
			return err
		}
		out.All = gone + spent + out.Spent
		base := out.Spent + aside
		lacks := false
		switch free := out.Limit - gone - others - base; {
		case out.Limit == 0:
			out.Granted = math.MaxInt64 / 4
		case like == 0 && short:
			out.Granted = min(out.Granted, base)
		case like > 0 && base+like > out.Granted && free < like:
			// What is too little for a request is left to others.
			lacks, out.Granted = true, min(out.Granted, base)
		case like > 0 && base+like > out.Granted:
			out.Granted = max(out.Granted, base+min(max(like, min(portion*like, free/(2*max(n, 1)))), max(free, 0)))
		}
		if me == 0 {
			return nil
		}
		_, err := tx.Exec(ctx, "UPDATE filler.worker SET granted = $2, short = $3 WHERE id = $1", me, out.Granted, lacks)
		return err
	})
	if err == nil && out.Limit > 0 {
		l.atWork.lease(run)
	}
	return out, err
}
