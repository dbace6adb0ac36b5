// Package fetch is the only client of the network.
//
// Rules it keeps:
//
//   - Every attempt passes the caller's gate (pace) first, has its own time
//     limit, is read whole and bounded in size, and is told to the caller
//     before anything else happens with it. A retry can't slip past any of it.
//   - A `Retry-After` is obeyed. Without one the wait doubles from half a
//     second.
//   - When the context is cancelled no new attempt starts; the one in flight
//     gets Grace to come home.
package fetch

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	neturl "net/url"
	"strconv"
	"strings"
	"time"

	"github.com/hashicorp/go-retryablehttp"

	"filler/internal/base/secret"
)

// Grace is how long a request in flight may go on after a cancellation.
const Grace = 2 * time.Second

// MaxAnswer is the most bytes of an answer that are read where a Client names no
// other number.
const MaxAnswer = 64 << 20

// perEvent is how many times as long an answer in pieces may be, with what is
// around each piece.
const perEvent = 8

// FirstWait is the wait before the second attempt; each further one doubles it.
// Tests shorten it.
var FirstWait = 500 * time.Millisecond

// maxLong is how many answers without end are paid for.
const maxLong = 2

// maxDials is how often a connection is tried where nothing listens.
const maxDials = 3

// maxWait bounds what a Retry-After may ask for.
const maxWait = 5 * time.Minute

// Try is one attempt, finished.
type Try struct {
	Number int // from 1
	Status int // 0: no whole answer came
	Body   []byte
	Err    error
	Sent   bool // the request may have reached the server
	Took   time.Duration
	Wait   time.Duration // before the next attempt; set in Retrying only
}

// Client sends requests with attempts. Its fields must not change while it is
// in use.
type Client struct {
	Attempts int
	Timeout  time.Duration                   // of one attempt
	Whole    time.Duration                   // of one attempt that comes in pieces, however fast; 0: no limit
	Gate     func(ctx context.Context) error // waits for the caller's turn
	Done     func(t Try) error               // hears of every attempt; its error ends the request
	Retrying func(t Try)                     // hears of every wait
	// Accept says what is wrong with an answer that came whole; such an attempt
	// counts as broken, and another may do better. May be nil.
	Accept func(status int, body []byte) error
	Most   int // bytes of an answer; 0: MaxAnswer
	// Clean takes out of an answer what nobody else may see, before anybody does. May
	// be nil.
	Clean func(body []byte) []byte
	// Watch gives what reads along where an answer comes as a stream of events.
	// Then Timeout is the longest silence, and not the whole time. May be nil.
	Watch func() Watcher

	base *http.Transport
}

// NotThere says that nothing listens at an address.
type NotThere struct {
	URL string
	Err error
}

func (e *NotThere) Error() string {
	return fmt.Sprintf("nothing answers at %s (%s)", secret.Address(e.URL), plain(e.Err))
}
func (e *NotThere) Unwrap() error { return e.Err }

// Broken says that no whole answer came.
type Broken struct {
	URL string
	Err error
}

func (e *Broken) Error() string {
	return fmt.Sprintf("no complete answer from %s (%s)", secret.Address(e.URL), plain(e.Err))
}
func (e *Broken) Unwrap() error { return e.Err }

// TooLong says that an answer did not end where any answer has to.
type TooLong struct{ Most int }

func (e *TooLong) Error() string {
	return fmt.Sprintf("the answer was cut off at %d kB and had not ended", e.Most>>10)
}

func (c *Client) most() int {
	if c.Most > 0 {
		return c.Most
	}
	return MaxAnswer
}

// ErrTimeout is the cause of an attempt that ran out of time.
var ErrTimeout = errors.New("the time limit ran out")

// ErrEndless is the cause of an attempt whose answer came on and on.
var ErrEndless = errors.New("the answer had not ended after the longest time for one")

// ErrCut is the cause of an attempt that was cut off after a cancellation.
var ErrCut = errors.New("cut off after the stop")

// plain gives the cause of a network error without its wrapping.
func plain(err error) string {
	var op *net.OpError
	var dns *net.DNSError
	switch {
	case errors.Is(err, ErrTimeout):
		return ErrTimeout.Error()
	case errors.Is(err, ErrEndless):
		return ErrEndless.Error()
	case errors.As(err, &dns):
		return "no such host"
	case errors.Is(err, io.ErrUnexpectedEOF) || errors.Is(err, io.EOF):
		return "the connection was cut in the middle"
	case errors.As(err, &op):
		text := op.Err.Error()
		return strings.TrimSpace(text[strings.LastIndex(text, ": ")+1:])
	}
	return err.Error()
}

// Watcher reads along with an answer that comes in pieces.
type Watcher interface {
	// Feed hears of the next bytes; it tells whether they bring the answer on, and
	// whether no more are wanted.
	Feed(data []byte) (progress, stop bool)
	Whole() bool  // whether the answer has come to its end
	Body() []byte // the answer, put together
}

// New gives a client whose connections stay open for atOnce requests.
func New(atOnce int) *Client {
	haveRoots()
	t := http.DefaultTransport.(*http.Transport).Clone()
	t.MaxIdleConns, t.MaxIdleConnsPerHost = atOnce+2, atOnce+2
	return &Client{Attempts: 1, Timeout: time.Minute, base: t}
}

// Post sends body until an answer comes that no retry would better, and gives
// its status and body. A status of 400 and above is no error here.
func (c *Client) Post(ctx context.Context, url string, headers map[string]string, body []byte) (int, []byte, error) {
	req, err := retryablehttp.NewRequestWithContext(ctx, http.MethodPost, url, body)
	if err != nil {
		return 0, nil, fmt.Errorf("%s: not an address; check it", secret.Address(url))
	}
	req.Header.Set("Content-Type", "application/json")
	for k, v := range headers {
		req.Header.Set(k, v)
	}
	trip := &trip{client: c}
	rc := &retryablehttp.Client{
		HTTPClient:   &http.Client{Transport: trip, CheckRedirect: refuseRedirect},
		RetryMax:     c.Attempts - 1,
		CheckRetry:   trip.again,
		Backoff:      trip.wait,
		ErrorHandler: retryablehttp.PassthroughErrorHandler,
	}
	resp, err := rc.Do(req)
	if err != nil {
		return 0, nil, trip.failure(ctx, url, err)
	}
	defer resp.Body.Close()
	answer, err := io.ReadAll(resp.Body)
	return resp.StatusCode, answer, err
}

// Get asks for an address once, and gives the status of the answer; what it says is not read.
func (c *Client) Get(ctx context.Context, url string, headers map[string]string) (int, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, url, nil)
	if err != nil {
		return 0, fmt.Errorf("%s: not an address; check it", secret.Address(url))
	}
	for k, v := range headers {
		req.Header.Set(k, v)
	}
	resp, err := (&http.Client{Transport: c.base, CheckRedirect: refuseRedirect}).Do(req)
	if err != nil {
		var failed *neturl.Error
		if errors.As(err, &failed) {
			err = failed.Err
		}
		return 0, errors.New(plain(err))
	}
	resp.Body.Close()
	return resp.StatusCode, nil
}

// refuseRedirect hands a redirect on as the answer: a POST with a key in it
// must not wander.
func refuseRedirect(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }

// trip is the way of one request through its attempts.
type trip struct {
	client *Client
	alive  func() // puts the end of an attempt's time off
	tries  int
	last   Try
	long   int   // answers that did not end
	fatal  error // the caller's own error; no attempt can better it
}

func (t *trip) RoundTrip(req *http.Request) (*http.Response, error) {
	stop := req.Context()
	if gate := t.client.Gate; gate != nil {
		if err := gate(stop); err != nil {
			t.fatal = err
			return nil, err
		}
	}
	if err := stop.Err(); err != nil {
		t.fatal = err
		return nil, err
	}
	t.tries++
	began := time.Now()
	ctx, cancel := t.limits(stop)
	defer cancel()
	resp, body, err := t.send(req.WithContext(ctx))
	try := Try{Number: t.tries, Body: body, Err: err, Took: time.Since(began), Sent: !isDial(err)}
	if err == nil {
		try.Status = resp.StatusCode
	}
	t.last = try
	if done := t.client.Done; done != nil {
		// The attempt has happened: it is told also after a stop.
		if told := done(try); told != nil {
			t.fatal = told
			return nil, told
		}
	}
	return resp, err
}

// limits gives a context that ends after the attempt's time, or Grace after
// stop does.
func (t *trip) limits(stop context.Context) (context.Context, context.CancelFunc) {
	ctx, cancel := context.WithCancelCause(context.WithoutCancel(stop))
	limit := time.AfterFunc(t.client.Timeout, func() { cancel(ErrTimeout) })
	t.alive = func() { limit.Reset(t.client.Timeout) }
	stopWhole := func() bool { return true }
	if t.client.Whole > 0 {
		stopWhole = time.AfterFunc(t.client.Whole, func() { cancel(ErrEndless) }).Stop
	}
	unhook := context.AfterFunc(stop, func() {
		time.AfterFunc(Grace, func() { cancel(ErrCut) })
	})
	return ctx, func() {
		limit.Stop()
		stopWhole()
		unhook()
		cancel(context.Canceled)
	}
}

// send makes one attempt and reads the answer whole.
func (t *trip) send(req *http.Request) (*http.Response, []byte, error) {
	cause := func(err error) error {
		if c := context.Cause(req.Context()); c != nil {
			return c
		}
		return err
	}
	resp, err := t.client.base.RoundTrip(req)
	if err != nil {
		return nil, nil, cause(err)
	}
	var body []byte
	if t.client.Watch != nil && resp.StatusCode == http.StatusOK && strings.HasPrefix(resp.Header.Get("Content-Type"), "text/event-stream") {
		body, err = t.watch(resp.Body)
	} else {
		body, err = io.ReadAll(io.LimitReader(resp.Body, int64(t.client.most())+1))
	}
	resp.Body.Close()
	if clean := t.client.Clean; clean != nil {
		body = clean(body)
	}
	if err != nil {
		return nil, body, cause(err)
	}
	if most := t.client.most(); len(body) > most {
		return nil, body[:most], &TooLong{most}
	}
	if accept := t.client.Accept; accept != nil {
		if err := accept(resp.StatusCode, body); err != nil {
			return nil, body, err
		}
	}
	resp.Body = io.NopCloser(bytes.NewReader(body))
	return resp, body, nil
}

// watch reads an answer piece by piece.
func (t *trip) watch(from io.Reader) ([]byte, error) {
	w := t.client.Watch()
	buf := make([]byte, 32<<10)
	most, line := t.client.most(), 0 // line: the bytes of an event that has not ended
	for total := 0; total <= perEvent*most && line <= most; {
		n, err := from.Read(buf)
		total += n
		if end := bytes.LastIndexByte(buf[:n], '\n'); end >= 0 {
			line = -end - 1
		}
		line += n
		if n > 0 {
			progress, stop := w.Feed(buf[:n])
			if progress {
				t.alive()
			}
			if stop {
				return w.Body(), nil
			}
		}
		switch {
		case err == io.EOF && w.Whole():
			return w.Body(), nil
		case err == io.EOF:
			return w.Body(), io.ErrUnexpectedEOF
		case err != nil:
			return w.Body(), err
		}
	}
	body := w.Body()
	return body[:min(len(body), most)], &TooLong{most}
}

func isDial(err error) bool {
	var op *net.OpError
	var dns *net.DNSError
	return errors.As(err, &dns) || (errors.As(err, &op) && op.Op == "dial")
}

// again decides on another attempt: after a broken exchange, and after the
// statuses that servers use for "later".
func (t *trip) again(ctx context.Context, resp *http.Response, err error) (bool, error) {
	if t.fatal != nil {
		return false, t.fatal
	}
	var long *TooLong
	if err != nil {
		if errors.As(err, &long) || errors.Is(err, ErrEndless) {
			t.long++
			return ctx.Err() == nil && t.long < maxLong, err
		}
		// Where nothing listens, waiting long helps nobody.
		return ctx.Err() == nil && (!isDial(err) || t.tries < maxDials), err
	}
	switch s := resp.StatusCode; {
	case s == http.StatusRequestTimeout, s == http.StatusTooEarly, s == http.StatusTooManyRequests:
		return ctx.Err() == nil, nil
	case s >= 500 && s != http.StatusNotImplemented:
		return ctx.Err() == nil, nil
	}
	return false, nil
}

func (t *trip) wait(_, _ time.Duration, attempt int, resp *http.Response) time.Duration {
	wait := min(FirstWait<<min(attempt, 6), 30*time.Second)
	if resp != nil {
		if asked, ok := retryAfter(resp.Header.Get("Retry-After"), time.Now()); ok {
			wait = min(asked, maxWait)
		}
	}
	if t.client.Retrying != nil {
		try := t.last
		try.Wait = wait
		t.client.Retrying(try)
	}
	return wait
}

// retryAfter reads the header of RFC 9110, section 10.2.3: seconds or a date.
func retryAfter(header string, now time.Time) (time.Duration, bool) {
	if s, err := strconv.ParseFloat(header, 64); err == nil && s >= 0 {
		return time.Duration(min(s, 1e6) * float64(time.Second)), true
	}
	if at, err := http.ParseTime(header); err == nil {
		return max(at.Sub(now), 0), true
	}
	return 0, false
}

// failure names the reason why no answer came.
func (t *trip) failure(ctx context.Context, url string, err error) error {
	switch {
	case t.fatal != nil:
		return t.fatal
	case ctx.Err() != nil:
		return context.Cause(ctx)
	case isDial(err):
		return &NotThere{url, err}
	}
	var long *TooLong
	if errors.As(err, &long) {
		return long
	}
	return &Broken{url, err}
}
