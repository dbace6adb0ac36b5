package model

import (
	"context"
	"crypto/rand"
	"errors"
	"time"

	"filler/internal/ask/exchange"
	"filler/internal/store"
)

// Between two looks at a request that another process has sent.
const (
	firstLook = 10 * time.Millisecond
	lastLook  = 250 * time.Millisecond
)

// flight gives the key under which a request is on its way, where that is not its
// own: one that is asked afresh may go out several times at once.
func (c *Client) flight(key string) string {
	if !c.Fresh {
		return ""
	}
	return store.HashOf([]byte(key + " " + rand.Text()))
}

// leaving gives the exchange of a request that goes out now, should no more be heard
// of it: what it costs at most.
func (c *Client) leaving(call Call, key, flight string, req *exchange.Request) store.Exchange {
	x := store.Exchange{Key: key, Flight: flight, Run: call.Run, N: call.N, Step: call.Step, Try: 1, TokensIn: Guess(req), TokensOut: req.MaxTokens}
	x.CostNano = CostOf(c.model, req, x.TokensIn, x.TokensOut)
	return x
}

// alone sends a request once no other process has the same one on its way. Where
// that one is answered meanwhile, its answer is taken.
func (c *Client) alone(ctx context.Context, call Call, key string, req *exchange.Request, parts [][]byte) (*Answer, error) {
	for look := firstLook; ; look = min(2*look, lastLook) {
		mine, a, err := c.right(call, key, parts)
		if err == nil && a == nil && mine {
			if a, err = c.judged(ctx, call, key, req, parts); err == nil {
				return a, nil // and SaveExchange has dropped the right
			}
		}
		var trouble *store.Error // what went out and could not be kept is counted when this process ends
		if mine && !errors.As(err, &trouble) {
			if dropped := c.keeper.Drop(key); err == nil {
				err = dropped
			}
		}
		var taken *store.Taken
		if errors.As(err, &taken) { // this process was thought dead, and another has sent it: its answer is waited for
			err = nil
		}
		if a != nil || err != nil {
			return a, err
		}
		select {
		case <-ctx.Done():
			return nil, &Failure{Msg: "stopped", Stopped: true, Err: ctx.Err()}
		case <-time.After(look):
		}
	}
}

// right asks for the right to send a request, or gives its answer where it is known by then.
func (c *Client) right(call Call, key string, parts [][]byte) (mine bool, a *Answer, err error) {
	atOneGo, is := c.keeper.(store.Asker)
	if !is {
		if mine, err = c.keeper.Take(key); err == nil {
			a, err = c.known(call, key, parts)
		}
		return mine, a, err
	}
	mine, x, err := atOneGo.TakeUnlessAnswered(key)
	if err == nil && x != nil {
		if a, err = c.answered(x, call, key, parts); err == nil && a == nil && !mine {
			mine, err = c.keeper.Take(key) // it can't be read, and is asked for again
		}
	}
	return mine, a, err
}
