package model

import (
	"bytes"
	"encoding/json"
	"errors"
	"net/http"
	"strings"

	"filler/internal/ask/exchange"
	"filler/internal/store"
)

// byFile answers a request with what is known, or has it wait for a reply in a
// file. Where all is asked afresh, only what came in the run itself is known.
func (c *Client) byFile(call Call, key string, req *exchange.Request, parts [][]byte) (*Answer, error) {
	x, err := c.keeper.Answered(key)
	if err != nil {
		return nil, err
	}
	if x != nil && (!c.Fresh || x.Run == call.Run) {
		if a, err := c.known(call, key, parts); a != nil || err != nil {
			return a, err
		}
	}
	if c.Purse != nil && !c.Purse.reserve(c.most(req)) {
		return nil, &Failure{Msg: "the next request might exceed the budget", Hint: "raise it with --budget and continue with --resume", Fatal: true, Budget: true, Err: errBudget}
	}
	terms, err := json.Marshal(termsOf(c.model, req, parts))
	if err == nil {
		err = c.keeper.SaveOpen(store.Open{Key: key, Run: call.Run, N: call.N, Step: call.Step, Request: parts, Terms: terms})
	}
	if err != nil {
		return nil, err
	}
	return nil, &Failure{Msg: "waits for its reply", Later: true}
}

// Returned is a reply that came in a file, to the request that waits under ID: the
// body of a server's answer with its status, or the text alone.
type Returned struct {
	ID     string          `json:"id"`
	Status int             `json:"status"` // 0 is 200
	Body   json.RawMessage `json:"body"`
	Text   *string         `json:"text"`
	Error  json.RawMessage `json:"error"`
}

// What became of a reply that came in a file.
type Outcome int

const (
	Kept    Outcome = iota // it is in the ledger
	Before                 // its request was answered before
	Unknown                // no request waits, or waited, under its id
	Refused                // it is a failure, which is in the ledger; the request waits on
)

// Opens is what taking in replies needs of a store.
type Opens interface {
	Answered(key string) (*store.Exchange, error)
	OpenBy(key string) (*store.Open, error)
	Settle(o store.Open, x store.Exchange) error
}

// ErrNoReply says what a line with a reply has.
var ErrNoReply = errors.New("a reply has `body`, the server's answer, or `text`, what the model wrote")

// Came is what became of a reply that came in a file.
type Came struct {
	Outcome
	Run    int64  // that of its request
	Step   string // likewise
	Status int    // of a refusal, with what the server said
	Said   string
}

// TakeIn keeps a reply that came in a file as the exchange of the request that waits
// for it, of whatever run. What it costs is as with one that was sent. An error of
// type *exchange.Unreadable says why the reply is none; its request waits on.
func TakeIn(l Opens, codec exchange.Codec, r Returned, clean func([]byte) []byte) (Came, error) {
	if len(r.ID) != 64 || strings.Trim(r.ID, "0123456789abcdef") != "" {
		return Came{Outcome: Unknown}, nil
	}
	known, err := l.Answered(r.ID) // maybe by a server, meanwhile
	if err != nil {
		return Came{}, err
	}
	if known != nil {
		return Came{Outcome: Before, Run: known.Run}, nil
	}
	o, err := l.OpenBy(r.ID)
	if o == nil || err != nil {
		return Came{Outcome: Unknown}, err
	}
	came := Came{Run: o.Run, Step: o.Step}
	body, status, err := r.answer(codec)
	if err != nil {
		return came, err
	}
	x := store.Exchange{Try: 1, Status: status, Reply: clean(body)}
	if status != http.StatusOK {
		came.Outcome, came.Status, came.Said = Refused, status, codec.Refusal(x.Reply)
		x.Error = came.Said
		return came, l.Settle(*o, x)
	}
	reply, err := codec.Read(x.Reply)
	if err != nil {
		return came, err
	}
	var terms Terms
	if err := json.Unmarshal(o.Terms, &terms); err != nil {
		return came, err
	}
	terms.settle(&x, reply)
	return came, l.Settle(*o, x)
}

// LearnFrom learns from a refusal that came in a file how the server wants its
// requests.
func (c *Client) LearnFrom(r Returned) error {
	body, status, err := r.answer(c.way.Codec)
	if err != nil {
		return err
	}
	if c.adapt(status, body, c.taken(&exchange.Request{})) {
		return nil
	}
	var trouble *store.Error
	if err := c.refused(status, body, c.Shape()); errors.As(err, &trouble) {
		return err
	}
	return nil
}

// Most gives the most that an exchange on these terms can cost.
func (t Terms) Most() int64 { return t.guessed(t.Guess, t.Cap) }

// answer gives the body of the answer and its status.
func (r Returned) answer(codec exchange.Codec) (body []byte, status int, err error) {
	null := func(raw json.RawMessage) bool { return len(raw) == 0 || string(raw) == "null" }
	status = r.Status
	if status == 0 {
		status = http.StatusOK
	}
	switch {
	case r.Text != nil && !null(r.Body):
		return nil, 0, errors.New("`body` and `text` are both there; give one")
	case r.Text != nil:
		return codec.Said(*r.Text), status, nil
	case !null(r.Body):
		var text string
		if body = r.Body; json.Unmarshal(r.Body, &text) == nil {
			body = []byte(text)
		}
		return bytes.Clone(body), status, nil
	case !null(r.Error):
		if status == http.StatusOK {
			status = http.StatusInternalServerError
		}
		return append(append([]byte(`{"error":`), r.Error...), '}'), status, nil
	}
	return nil, 0, ErrNoReply
}
