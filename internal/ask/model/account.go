package model

import (
	"bytes"
	"errors"
	"math"
	"net/http"
	"slices"

	"filler/internal/ask/exchange"
	"filler/internal/base/project"
	"filler/internal/base/tokens"
	"filler/internal/source/fetch"
	"filler/internal/store"
)

// TokensOf counts the tokens of a request; what a picture takes is a guess.
func TokensOf(req *exchange.Request) int {
	text, _, pictured := req.Weigh()
	return tokens.Count(string(text)) + pictured
}

// CommonTokens counts what a request has in common with those for all other
// documents, and begins with: what a server that keeps prompts need not read twice.
func CommonTokens(req *exchange.Request) int {
	common := *req
	common.Messages = slices.DeleteFunc(slices.Clone(req.Messages), func(m exchange.Message) bool { return m.Role != "system" })
	return TokensOf(&common)
}

// Guess is TokensOf by bytes alone, near enough and fast.
func Guess(req *exchange.Request) int {
	text, _, pictured := req.Weigh()
	return tokens.EstimateBytes(len(text)) + pictured
}

// Terms are what an exchange is counted and paid by, apart from its reply.
type Terms struct {
	In, Out  float64  // prices of a million tokens
	Cached   *float64 // of those in that the server had read before; nil: as In
	Picture  float64  // price of a picture
	Pictures int
	Pictured int // tokens that the pictures are taken for
	Guess    int // tokens of the request
	Cap      int // most tokens of the reply
	Sent     int // bytes of the request
}

// termsOf gives the terms of a request to a model.
func termsOf(m *project.Model, req *exchange.Request, parts [][]byte) Terms {
	t := Terms{In: m.PriceIn, Out: m.PriceOut, Cached: m.PriceCached, Picture: m.PricePicture, Guess: Guess(req), Cap: req.MaxTokens}
	_, t.Pictures, t.Pictured = req.Weigh()
	for _, p := range parts {
		t.Sent += len(p)
	}
	return t
}

// exchange puts an attempt and its price into the ledger's words.
func (c *Client) exchange(call Call, key string, req *exchange.Request, parts [][]byte, t fetch.Try, reply *exchange.Reply) store.Exchange {
	x := store.Exchange{Key: key, Run: call.Run, N: call.N, Step: call.Step, Try: t.Number, Request: parts,
		Status: t.Status, Reply: t.Body, Took: t.Took}
	if t.Err != nil {
		x.Error = c.secrets.StrikeText(t.Err.Error())
	}
	var not *exchange.Unreadable
	if t.Status == http.StatusOK || t.Status == 0 && t.Sent && !(errors.As(t.Err, &not) && not.Free) {
		termsOf(c.model, req, parts).settle(&x, reply)
	}
	return x
}

// settle says what an exchange took and costs: as the server tells it where that
// can be, else estimated. reply is nil where none came whole; a server may charge
// for what it was sent, and for what had come.
func (t Terms) settle(x *store.Exchange, reply *exchange.Reply) {
	if reply != nil && reply.HasUsage && t.possible(reply, len(x.Reply)) {
		x.Finish, x.TokensIn, x.TokensOut = reply.Finish, reply.TokensIn, reply.TokensOut
		x.CostNano = t.price(reply.TokensIn, reply.TokensOut, reply.Cached)
		return
	}
	x.Estimated, x.TokensIn = true, t.Guess
	switch {
	case reply != nil:
		x.Finish, x.TokensOut = reply.Finish, tokens.Estimate(reply.Text)
	case !bytes.HasPrefix(bytes.TrimSpace(x.Reply), []byte("<")): // a page is of whoever stands before the model
		x.TokensOut = tokens.EstimateBytes(len(x.Reply))
	}
	if t.Cap > 0 { // no server may charge for more
		x.TokensOut = min(x.TokensOut, t.Cap)
	}
	x.CostNano = t.guessed(x.TokensIn, x.TokensOut)
}

// guessed gives the price of tokens that are counted here, pictures among them: where
// pictures have a price of their own, their tokens have none.
func (t Terms) guessed(in, out int) int64 {
	if t.Picture > 0 {
		in = max(in-t.Pictured, 0)
	}
	return t.price(in, out, 0)
}

// possible tells whether a server's count of tokens can be: no token has less than
// a byte, but for those of pictures, of what the server says around the messages,
// and of thinking that it does not show. What can't be is estimated in its place.
func (t Terms) possible(r *exchange.Reply, came int) bool {
	const around = 10_000
	return r.TokensIn <= t.Sent+t.Pictures*around+around && r.TokensOut <= max(t.Cap, came)+around
}

// price gives the price of tokens and of the request's pictures, in billionths of
// the currency that prices are in; the most that can be said where it is more.
func (t Terms) price(in, out, cached int) int64 {
	sum := float64(in)*t.In + float64(out)*t.Out + float64(t.Pictures)*t.Picture*1e6
	if t.Cached != nil {
		sum -= float64(cached) * (t.In - *t.Cached)
	}
	return Nano(sum * 1000)
}

// plus adds what was spent; a sum that no number can hold stays at the most.
func plus(a, b int64) int64 {
	if b > 0 && a > math.MaxInt64-b {
		return math.MaxInt64
	}
	return a + b
}

// Nano rounds to a whole number, at most a quarter of what a sum of them can hold.
func Nano(f float64) int64 {
	if !(f < math.MaxInt64/4) {
		return math.MaxInt64 / 4
	}
	return int64(f + 0.5)
}

// Cost gives the price of tokens in billionths of the currency that the
// model's price is in.
func Cost(m *project.Model, in, out int) int64 {
	return Terms{In: m.PriceIn, Out: m.PriceOut}.price(in, out, 0)
}

// CostOf gives the price of a request of so many tokens with a reply of so many.
func CostOf(m *project.Model, req *exchange.Request, in, out int) int64 {
	t := Terms{In: m.PriceIn, Out: m.PriceOut, Picture: m.PricePicture}
	_, t.Pictures, t.Pictured = req.Weigh()
	return t.guessed(in, out)
}
