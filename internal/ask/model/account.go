package model

import (
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
	text, pictures := req.Weigh()
	return tokens.Count(string(text)) + pictures*perPicture
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
	text, pictures := req.Weigh()
	return tokens.EstimateBytes(len(text)) + pictures*perPicture
}

// exchange puts an attempt and its price into the ledger's words.
func (c *Client) exchange(call Call, key string, req *exchange.Request, parts [][]byte, t fetch.Try, reply *exchange.Reply) store.Exchange {
	x := store.Exchange{Key: key, Run: call.Run, N: call.N, Step: call.Step, Try: t.Number, Request: parts,
		Status: t.Status, Reply: t.Body, Took: t.Took}
	if t.Err != nil {
		x.Error = c.secrets.StrikeText(t.Err.Error())
	}
	switch {
	case t.Status == http.StatusOK:
		if reply != nil && reply.HasUsage && possible(reply, req, parts, t.Body) {
			x.Finish, x.TokensIn, x.TokensOut = reply.Finish, reply.TokensIn, reply.TokensOut
			x.CostNano = costOf(c.model, reply)
			return x
		} else {
			x.Estimated, x.TokensIn = true, Guess(req)
			if reply != nil {
				x.Finish, x.TokensOut = reply.Finish, tokens.Estimate(reply.Text)
			}
		}
	case t.Status == 0 && t.Sent:
		x.Estimated, x.TokensIn, x.TokensOut = true, Guess(req), tokens.EstimateBytes(len(t.Body))
		if req.MaxTokens > 0 { // no server may charge for more
			x.TokensOut = min(x.TokensOut, req.MaxTokens)
		}
	}
	x.CostNano = Cost(c.model, x.TokensIn, x.TokensOut)
	return x
}

// possible tells whether a server's count of tokens can be: no token has less than
// a byte, but for those of pictures, of what the server says around the messages,
// and of thinking that it does not show. What can't be is estimated in its place.
func possible(r *exchange.Reply, req *exchange.Request, parts [][]byte, body []byte) bool {
	const around = 10_000
	_, pictures := req.Weigh()
	sent := 0
	for _, p := range parts {
		sent += len(p)
	}
	return r.TokensIn <= sent+pictures*around+around && r.TokensOut <= max(req.MaxTokens, len(body))+around
}

// costOf gives the price of a reply's tokens, those that the server had read before
// at theirs.
func costOf(m *project.Model, r *exchange.Reply) int64 {
	cost := Cost(m, r.TokensIn, r.TokensOut)
	if m.PriceCached != nil && r.Cached > 0 {
		cost -= int64(float64(r.Cached)*(m.PriceIn-*m.PriceCached)*1000 + 0.5)
	}
	return cost
}

// Cost gives the price of tokens in billionths of the currency that the
// model's price is in.
func Cost(m *project.Model, in, out int) int64 {
	return int64(float64(in)*m.PriceIn*1000 + float64(out)*m.PriceOut*1000 + 0.5)
}
