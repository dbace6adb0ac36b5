// Package model asks a model: it knows the way there, the pace, what an
// exchange costs, and what a server's answer means.
//
// Rules it keeps:
//
//   - Every attempt is in the ledger, with what it cost, before its reply is
//     read. What was sent and not answered counts as spent, estimated.
//   - The same request to the same model is answered from the ledger and not
//     paid again, unless it is asked afresh; while one is on its way, others
//     that ask the same wait for it, in other processes too.
//   - A key leaves this package in one header only. Where a server repeats it, or
//     any other secret of the way to it, it is struck out before anything is kept
//     or shown.
package model

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"sync"
	"sync/atomic"

	"golang.org/x/sync/singleflight"

	"filler/internal/ask/exchange"
	"filler/internal/base/project"
	"filler/internal/base/secret"
	"filler/internal/source/fetch"
	"filler/internal/store"
)

// Keeper is where exchanges are kept: the ledger.
type Keeper interface {
	Answered(key string) (*store.Exchange, error)
	SaveExchange(x store.Exchange) error
	// Take asks for the right to send a request, which one process at a time has.
	Take(key string) (bool, error)
	Drop(key string) error
	Depart(x store.Exchange) error
	Shape(identity string) (string, error)
	SaveShape(identity, shape string) error
	SaveOpen(o store.Open) error
}

// Client asks one model. Its methods may be called by many goroutines.
type Client struct {
	Fresh    bool                // ask again what the cache could answer
	Retrying func(t fetch.Try)   // hears of every wait before another attempt
	Purse    Purse               // what may be spent; nil: no limit
	Replay   *exchange.Recording // answers in place of the server; nil: the server does
	ByFile   bool                // requests go out in a file, and nothing is sent

	model    *project.Model
	way      Way
	learned  atomic.Pointer[map[string]string] // see adapt.go
	learning sync.Mutex

	secrets *secret.Set // struck out of all that comes back
	shown   string      // the base URL as it may be shown
	pace    project.Pace
	keeper  Keeper
	flights singleflight.Group
	shape   atomic.Int32 // index into project.Shapes
	whole   atomic.Bool  // the server does not stream
	fares   *standing
	pacer   pacer
	spent   atomic.Int64
	made    atomic.Int64 // attempts
	moved   atomic.Int64 // tokens in and out
	http    *fetch.Client
}

// Load gives how many requests have gone out, and how many tokens went with them.
func (c *Client) Load() (requests, tokens int64) { return c.made.Load(), c.moved.Load() }

// SpentNano gives what this client's attempts have cost.
func (c *Client) SpentNano() int64 { return c.spent.Load() }

// Share gives how many requests may be under way in this process now.
func (c *Client) Share() int { return c.pacer.share() }

// pay adds to what was spent.
func (c *Client) pay(cost int64) {
	for {
		was := c.spent.Load()
		if c.spent.CompareAndSwap(was, plus(was, cost)) {
			return
		}
	}
}

// Way is how a model is reached.
type Way struct {
	Base  string // URL
	Key   string // "": none
	Codec exchange.Codec
	Reach fetch.Reach
}

// New gives a client for a model.
func New(m *project.Model, way Way, pace project.Pace, keeper Keeper) *Client {
	way.Base = strings.TrimRight(way.Base, "/")
	c := &Client{model: m, way: way, pace: pace, keeper: keeper, http: fetch.New(pace.AtOnce), shown: secret.Address(way.Base)}
	c.secrets = secret.NewSet(append(append(secret.OfAddress(way.Base), way.Key), secret.OfHeaders(m.Headers)...)...)
	c.http.Clean = c.secrets.Strike
	c.http.Through(way.Reach)
	if way.Reach.Socket != "" {
		c.shown = "unix://" + way.Reach.Socket
	}
	c.remember()
	c.fares = newStanding(pace.GiveUp)
	if shared, is := keeper.(store.Pacing); is {
		c.pacer = newShared(shared, secret.Address(m.At)+" "+m.Name, pace)
	} else {
		c.pacer = newLocal(pace)
	}
	c.shape.Store(int32(max(slices.Index(project.Shapes, m.Shape), 0)))
	if m.Shape == "auto" || m.Shape == "" {
		c.shape.Store(1)
		if known, err := keeper.Shape(Identity(m)); err == nil && slices.Contains(project.Shapes[1:], known) {
			c.shape.Store(int32(slices.Index(project.Shapes, known)))
		}
	}
	return c
}

// Identity is what the cache knows a model by: how it is called here, where it
// is (without the port, which may change) and the name that is sent.
func Identity(m *project.Model) string {
	at := m.At
	if u, err := url.Parse(at); err == nil && u.Hostname() != "" {
		at = u.Scheme + "://" + u.Hostname() + u.Path
	}
	return strings.Join([]string{m.Entry, at, m.Name}, " ")
}

// Shape gives the shape in which the next request should be asked.
func (c *Client) Shape() string { return project.Shapes[c.shape.Load()] }

// Weaken goes on to the next weaker shape, because the server does not honour
// the given one, and remembers it. It is false where the model's shape is fixed
// or there is no weaker one. Where another has gone on already, nothing changes.
func (c *Client) Weaken(from string) (bool, error) {
	at := int32(slices.Index(project.Shapes, from))
	if c.model.Shape != "auto" && c.model.Shape != "" || int(at)+1 >= len(project.Shapes) {
		return false, nil
	}
	if !c.shape.CompareAndSwap(at, at+1) {
		return true, nil
	}
	return true, c.keeper.SaveShape(Identity(c.model), project.Shapes[at+1])
}

// Failure says why a model gave no answer.
type Failure struct {
	Msg  string
	Hint string
	// Fatal: the next document would fare no better, so the run should stop.
	Fatal bool
	// Shape: the server does not take the shape; ask again in the next one.
	Shape bool
	// Budget: the request might have cost more than is left.
	Budget bool
	// Later: the request waits for its reply in a file.
	Later bool
	// Stopped: the user stopped the run.
	Stopped bool
	Err     error
	// Rejected: the server turns this very request away.
	Rejected bool

	kind string // what others may fail alike by; "": it says nothing of the server
	page bool   // a page came where no answer had come before, and was not asked again
}

func (f *Failure) Error() string {
	if f.Hint == "" {
		return f.Msg
	}
	return f.Msg + "; " + f.Hint
}
func (f *Failure) Unwrap() error { return f.Err }

// Call says for which task a request is made.
type Call struct {
	Run  int64
	N    int
	Step string

	Document string // its name, for errors
}

// Answer is a reply with what it cost.
type Answer struct {
	exchange.Reply
	Cached    bool
	Estimated bool
	CostNano  int64
}

// Key gives the cache key of a request.
func (c *Client) Key(req *exchange.Request) string {
	req = c.taken(req)
	return c.keyOf(bytes.Join(c.way.Codec.Parts(req), nil))
}

func (c *Client) keyOf(body []byte) string {
	return store.HashOf(append([]byte(Identity(c.model)+"\n"), body...))
}

// Ask sends a request, unless its answer is known, and reads the reply.
func (c *Client) Ask(ctx context.Context, call Call, req *exchange.Request) (*Answer, error) {
	a, err := c.ask(ctx, call, req)
	return a, c.clean(err)
}

func (c *Client) ask(ctx context.Context, call Call, asked *exchange.Request) (*Answer, error) {
	req := c.taken(asked)
	parts := c.way.Codec.Parts(req)
	body := bytes.Join(parts, nil)
	key := c.keyOf(body)
	if c.Replay != nil {
		return c.replay(call, key, req, parts, body)
	}
	if c.ByFile {
		return c.byFile(call, key, req, parts)
	}
	if c.Fresh {
		return c.judged(ctx, call, key, req, parts)
	}
	if _, atOneGo := c.keeper.(store.Asker); !atOneGo {
		if a, err := c.known(call, key, parts); a != nil || err != nil {
			return a, err
		}
	}
	mine := false
	got, err, _ := c.flights.Do(key, func() (any, error) {
		mine = true
		return c.alone(ctx, call, key, req, parts)
	})
	if err != nil {
		return nil, err
	}
	if mine {
		return got.(*Answer), nil
	}
	return c.known(call, key, parts)
}

// known answers a request from the ledger, if it can.
func (c *Client) known(call Call, key string, parts [][]byte) (*Answer, error) {
	x, err := c.keeper.Answered(key)
	if x == nil || err != nil {
		return nil, err
	}
	return c.answered(x, call, key, parts)
}

// answered answers a request by a kept exchange; nil where that can't be read.
func (c *Client) answered(x *store.Exchange, call Call, key string, parts [][]byte) (*Answer, error) {
	reply, err := c.way.Codec.Read(x.Reply)
	if err != nil {
		return nil, nil // it could not be read then either; ask again
	}
	if x.Run == call.Run && x.N == call.N && x.Step == call.Step && x.Run != 0 { // its own, from a go before
		return &Answer{Reply: *reply}, nil
	}
	err = c.keeper.SaveExchange(store.Exchange{Key: key, Run: call.Run, N: call.N, Step: call.Step, Try: 0, Request: parts,
		Status: 200, Reply: x.Reply, Finish: x.Finish, TokensIn: x.TokensIn, TokensOut: x.TokensOut})
	return &Answer{Reply: *reply, Cached: true}, err
}

func (c *Client) send(ctx context.Context, call Call, key string, req *exchange.Request, parts [][]byte) (*Answer, error) {
	answer := &Answer{}
	flight := c.flight(key)
	client := *c.http
	client.Attempts, client.Timeout, client.Retrying = c.pace.Attempts, c.pace.Timeout, c.Retrying
	client.Most = max(leastAnswer, perToken*req.MaxTokens)
	most, taken := c.most(req), Guess(req)*11/10+req.MaxTokens
	var read *exchange.Reply // the answer of the attempt at hand
	client.Gate = func(ctx context.Context) error {
		read = nil
		if c.Purse != nil {
			if fits, err := c.Purse.setAside(ctx, most); err != nil || !fits {
				return cmp.Or(err, errBudget)
			}
		}
		err := c.pacer.enter(ctx, taken)
		if err == nil {
			if err = c.keeper.Depart(c.leaving(call, key, flight, req)); err != nil {
				c.pacer.leave(taken, 0, false)
			}
		}
		if err != nil && c.Purse != nil {
			c.Purse.settle(most, 0)
		}
		return err
	}
	client.Done = func(t fetch.Try) error {
		x := c.exchange(call, key, req, parts, t, read)
		x.Flight = flight
		c.pacer.leave(taken, x.TokensIn+x.TokensOut, t.Status == http.StatusTooManyRequests)
		c.pay(x.CostNano)
		c.made.Add(1)
		c.moved.Add(int64(x.TokensIn + x.TokensOut))
		answer.CostNano, answer.Estimated = x.CostNano, x.Estimated
		err := c.keeper.SaveExchange(x)
		if c.Purse != nil { // after it is kept: what is neither kept nor set aside would be spent twice
			c.Purse.settle(most, x.CostNano)
		}
		return err
	}
	client.Accept = func(status int, body []byte) error {
		if status == http.StatusForbidden || status == http.StatusNotFound {
			return c.gateway(status, body)
		}
		if status != http.StatusOK {
			return nil
		}
		var err error
		read, err = c.way.Codec.Read(body)
		var not *exchange.Unreadable
		if errors.As(err, &not) && not.Page && !c.fares.hasServed() {
			return nil // a wrong address more likely than a bad moment: no other attempt betters it
		}
		return err
	}
	if req.Stream = c.model.Stream && !c.whole.Load(); req.Stream {
		client.Watch, client.Whole = func() fetch.Watcher { return c.way.Codec.Streamed() }, c.pace.ReplyTime
	}
	status, raw, err := client.Post(ctx, c.url(), c.headers(), c.way.Codec.Sent(req))
	if err == nil && status != http.StatusOK && c.adapt(status, raw, req) {
		now := c.taken(req)
		parts = c.way.Codec.Parts(now)
		return c.send(ctx, call, c.keyOf(bytes.Join(parts, nil)), now, parts)
	}
	if err == nil && req.Stream && status == http.StatusBadRequest && aboutStreams.MatchString(c.way.Codec.Refusal(raw)) {
		c.whole.Store(true) // the server does not stream: ask for the answer in one piece
		return c.send(ctx, call, key, req, parts)
	}
	var not *exchange.Unreadable
	switch {
	case errors.As(err, &not):
		return nil, &Failure{Msg: fmt.Sprintf("%s: %s, in %s", c.shown, not, times(c.pace.Attempts)), Hint: checkAddress, kind: "unreadable", Err: err}
	case err != nil:
		return nil, c.unanswered(ctx, err)
	}
	if status != http.StatusOK {
		return nil, c.refused(status, raw, req.Shape())
	}
	if read == nil { // a page
		if read, err = c.way.Codec.Read(raw); err != nil {
			return nil, &Failure{Msg: fmt.Sprintf("%s: %s", c.shown, err), Hint: checkAddress, kind: "page", page: true, Err: err}
		}
	}
	answer.Reply = *read
	return answer, nil
}

// replay answers from a recording: nothing is sent, and nothing is paid.
func (c *Client) replay(call Call, key string, req *exchange.Request, parts [][]byte, body []byte) (*Answer, error) {
	status, raw, err := c.Replay.Answer(body)
	if err != nil {
		var not *exchange.NotRecorded
		if errors.As(err, &not) {
			not.Document = call.Document
		}
		return nil, &Failure{Msg: err.Error(), Fatal: true, Err: err}
	}
	x := store.Exchange{Key: key, Run: call.Run, N: call.N, Step: call.Step, Try: 0, Request: parts, Status: status, Reply: raw}
	reply, rerr := c.way.Codec.Read(raw)
	if status == http.StatusOK && rerr == nil {
		x.Finish, x.TokensIn, x.TokensOut = reply.Finish, reply.TokensIn, reply.TokensOut
	}
	switch err := c.keeper.SaveExchange(x); {
	case err != nil:
		return nil, err
	case status != http.StatusOK:
		return nil, c.refused(status, raw, req.Shape())
	case rerr != nil:
		return nil, &Failure{Msg: c.Replay.File + ": " + rerr.Error(), Hint: "save the exchanges again", Err: rerr}
	}
	return &Answer{Reply: *reply, Cached: true}, nil
}

const checkAddress = "check that `at` is the base URL of a chat-completions server, such as http://127.0.0.1:8000/v1"

// An answer may have perToken bytes for each token of its cap: more than the
// longest tokens have, each of their letters escaped; and leastAnswer, since servers
// say more than the answer.
const (
	perToken    = 64
	leastAnswer = 1 << 20
)

// errBudget ends a request that the budget can't pay.
var errBudget = errors.New("the budget")

// most gives the most that an attempt can cost: its tokens, counted and a tenth
// more, since models count by vocabularies of their own, and the longest reply.
func (c *Client) most(req *exchange.Request) int64 {
	if c.Purse == nil {
		return 0
	}
	return CostOf(c.model, req, TokensOf(req)*11/10, req.MaxTokens)
}

func (c *Client) headers() map[string]string {
	h := map[string]string{}
	for k, v := range c.model.Headers {
		h[k] = v
	}
	if c.way.Key != "" {
		name, text := c.way.Codec.Header(c.way.Key)
		if c.model.KeyHeader != "" {
			name, text = c.model.KeyHeader, c.way.Key
		}
		h[name] = text
	}
	return h
}

// url gives where requests go: the codec's path behind that of the address, before
// its query.
func (c *Client) url() string {
	base, query, has := strings.Cut(c.way.Base, "?")
	base = strings.TrimRight(base, "/") + c.way.Codec.Path()
	if has {
		base += "?" + query
	}
	return base
}

// clean takes the secrets out of what is said about an exchange.
func (c *Client) clean(err error) error {
	var f *Failure
	if errors.As(err, &f) {
		own := *f
		own.Msg, own.Hint = c.secrets.StrikeText(f.Msg), c.secrets.StrikeText(f.Hint)
		return &own
	}
	return err
}
