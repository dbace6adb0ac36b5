package model

import (
	"context"
	"errors"
	"fmt"
	"regexp"
	"time"

	"filler/internal/source/fetch"
	"filler/internal/store"
)

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
		return &Failure{Msg: fmt.Sprintf("%s, in %s", broken, times(c.pace.Attempts)), Hint: "try again with `filler fill --resume`, or raise pace.timeout", Err: err}
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
	f := &Failure{Msg: fmt.Sprintf("%s answered %d (%s)", c.shown, status, said)}
	switch {
	case status == 401 || status == 403:
		f.Hint, f.Fatal = "put a valid key into the variable named by the model's `key_from`", true
	case status == 404:
		f.Hint, f.Fatal = "check the model's `at` and `name`", true
	case status == 402:
		f.Hint, f.Fatal = "the account can't pay; check it with the provider", true
	case status >= 300 && status < 400:
		f.Hint, f.Fatal = "the server redirects; write the new address into `at`", true
	case status == 429:
		f.Msg = fmt.Sprintf("%s answered 429 (%s) %s", c.shown, said, timesOver(c.pace.Attempts))
		f.Hint = "lower pace.at_once or set pace.per_minute, then `filler fill --resume`"
	case status >= 500:
		f.Msg = fmt.Sprintf("%s answered %d (%s), in %s", c.shown, status, said, times(c.pace.Attempts))
		f.Hint = "the server has a fault; try `filler fill --resume` later"
	case aboutLength.MatchString(said):
		f.Hint = "the request is too long for the model; split the document, or set the model's `context`"
	case shape != "plain":
		weaker, err := c.Weaken(shape)
		if err != nil {
			return err
		}
		f.Shape = weaker
		if !weaker {
			f.Hint = fmt.Sprintf("the server may not take shape %s; write `shape: auto` for this model", shape)
		}
	default:
		f.Hint = "the server rejects this request; `filler trace` shows it"
	}
	return f
}

// aboutStreams tells refusals of an answer in pieces.
var aboutStreams = regexp.MustCompile(`(?i)stream`)

// aboutLength tells refusals of a long request: a weaker shape would fare no
// better.
var aboutLength = regexp.MustCompile(`(?i)context|too long|too large|too many tokens|maximum.{0,20}(tokens|length)`)

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
