package model

import (
	"context"
	"errors"
	"fmt"
	"time"

	"filler/internal/ask/exchange"
	"filler/internal/base/lazy"
	"filler/internal/source/fetch"
	"filler/internal/store"
)

// judged sends a request; where it fails, it is told whether the server is at fault,
// so that the run should stop, or this request alone.
func (c *Client) judged(ctx context.Context, call Call, key string, req *exchange.Request, parts [][]byte) (*Answer, error) {
	for {
		c.fares.begin(time.Now())
		a, err := c.send(ctx, call, key, req, parts)
		var f *Failure
		switch {
		case err == nil:
			c.fares.answered(time.Now())
			return a, nil
		case !errors.As(err, &f) || f.kind == "":
			c.fares.left()
			return nil, err
		}
		why := c.fares.failed(ctx, f.kind, time.Now())
		if why == "" && f.page && ctx.Err() == nil {
			continue // others were answered, so that it may be, too
		}
		if why != "" {
			f.Fatal = true
			if why != aloneFailed {
				f.Msg = why + ": " + f.Msg
			}
		}
		return nil, err
	}
}

// gateway tells a page of whoever stands before the model, from one of many
// requests: it may be asked again.
func (c *Client) gateway(status int, body []byte) error {
	if c.isPage(body) && c.fares.hasServed() {
		return &exchange.Unreadable{What: fmt.Sprintf("it answered %d with a web page", status), Page: true, Free: true}
	}
	return nil
}

// isPage tells a web page.
func (c *Client) isPage(body []byte) bool {
	_, err := c.way.Codec.Read(body)
	var not *exchange.Unreadable
	return errors.As(err, &not) && not.Page
}

func (c *Client) unanswered(ctx context.Context, err error) error {
	var none *fetch.NotThere
	var broken *fetch.Broken
	var long *fetch.TooLong
	var trouble *store.Error
	switch {
	case errors.As(err, &trouble):
		return &Failure{Msg: trouble.File + ": " + trouble.Msg, Hint: trouble.Hint, Fatal: true, Err: err}
	case ctx.Err() != nil:
		return &Failure{Msg: "stopped", Stopped: true, Err: err}
	case errors.Is(err, errBudget):
		return &Failure{Msg: "the next request might exceed the budget", Hint: "raise it with --budget and continue with --resume", Fatal: true, Budget: true, Err: err}
	case errors.As(err, &none):
		return &Failure{Msg: fmt.Sprintf("nothing answers at %s", c.shown), Hint: "start the server, or correct the model's address", Fatal: true, Err: err}
	case errors.As(err, &long):
		return &Failure{Msg: fmt.Sprintf("%s: %s, which is more than its cap of tokens can hold", c.shown, long), Hint: "the server seems to ignore the cap; check it with `filler probe`", Err: err}
	case errors.As(err, &broken):
		return &Failure{Msg: fmt.Sprintf("%s, in %s", broken, times(c.pace.Attempts)), Hint: "try again with `filler fill --resume`, or raise pace.timeout", kind: "broken", Err: err}
	}
	return &Failure{Msg: c.secrets.StrikeText(err.Error()), Err: err}
}

func times(n int) string {
	if n == 1 {
		return "1 attempt"
	}
	return fmt.Sprintf("%d attempts", n)
}

// refused puts an answer other than 200 into words. shape is that of the
// request.
func (c *Client) refused(status int, body []byte, shape string) error {
	said := c.way.Codec.Refusal(body)
	f := &Failure{Msg: fmt.Sprintf("%s answered %d (%s)", c.shown, status, said), kind: fmt.Sprint(status)}
	switch {
	case status == 401: // the key is that of all requests
		f.Hint, f.Fatal, f.kind = "put a valid key into the variable named by the model's `key_from`", true, ""
	case status == 402:
		f.Hint, f.Fatal, f.kind = "the account can't pay; check it with the provider", true, ""
	case status == 403:
		f.page = c.isPage(body)
		f.Hint = "put a valid key into the variable named by the model's `key_from`, if it is not the document that the server turns away"
	case status == 404:
		f.page = c.isPage(body)
		f.Hint = "check the model's `at` and `name`"
	case status >= 300 && status < 400:
		f.Hint = "the server redirects; write the new address into `at`"
	case status == 429:
		f.Msg = fmt.Sprintf("%s answered 429 (%s) %s", c.shown, said, timesOver(c.pace.Attempts))
		f.Hint = "lower pace.at_once or set pace.per_minute, then `filler fill --resume`"
	case status >= 500:
		f.Msg = fmt.Sprintf("%s answered %d (%s), in %s", c.shown, status, said, times(c.pace.Attempts))
		f.Hint = "the server has a fault; try `filler fill --resume` later"
	case aboutLength.MatchString(said):
		f.kind = ""
		f.Hint = "the request is too long for the model; split the document, or set the model's `context`"
	case aboutContent.MatchString(said) || aboutContent.Match(body[:min(len(body), 4096)]):
		f.kind, f.Rejected = "", true
		f.Hint = "the server holds what the document says back"
	case shape != "plain":
		f.Rejected = true
		weaker, err := c.Weaken(shape)
		if err != nil {
			return err
		}
		if f.Shape = weaker; weaker {
			f.kind = ""
		}
		if !weaker {
			f.Hint = fmt.Sprintf("the server may not take shape %s; write `shape: auto` for this model", shape)
		}
	default:
		f.Rejected = true
		f.Hint = "the server rejects this request; `filler trace` shows it"
	}
	return f
}

// aboutStreams tells refusals of an answer in pieces.
var aboutStreams = lazy.New(`(?i)stream`)

// aboutContent tells refusals for what a document says.
var aboutContent = lazy.New(`(?i)content[_ -]?(?:filter|policy|management)|moderation|safety (?:system|filter|policy)`)

// aboutLength tells refusals of a long request: a weaker shape would fare no
// better.
var aboutLength = lazy.New(`(?i)context|too long|too large|too many tokens|maximum.{0,20}(tokens|length)`)

func timesOver(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times over", n)
}

// Waited gives a line for people about a wait before another attempt.
func Waited(t fetch.Try) string {
	why := fmt.Sprintf("answered %d", t.Status)
	switch {
	case t.Status == 0 && !t.Sent:
		why = "can't be reached"
	case t.Status == 0:
		why = "gave no complete answer"
	}
	return fmt.Sprintf("the server %s (attempt %d); next attempt in %s", why, t.Number, t.Wait.Round(100*time.Millisecond))
}
