package model

import (
	"context"
	"time"

	"filler/internal/ask/exchange"
)

// Between two looks at a request that another process has sent.
const (
	firstLook = 10 * time.Millisecond
	lastLook  = 250 * time.Millisecond
)

// alone sends a request once no other process has the same one on its way. Where
// that one is answered meanwhile, its answer is taken.
func (c *Client) alone(ctx context.Context, call Call, key string, req *exchange.Request, parts [][]byte) (*Answer, error) {
	for look := firstLook; ; look = min(2*look, lastLook) {
		mine, err := c.keeper.Take(key)
		if err != nil {
			return nil, err
		}
		a, err := c.known(call, key, parts)
		if err == nil && a == nil && mine {
			if a, err = c.send(ctx, call, key, req, parts); err == nil {
				return a, nil // and SaveExchange has dropped the right
			}
		}
		if mine {
			if dropped := c.keeper.Drop(key); err == nil {
				err = dropped
			}
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
