package fetch

import (
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"filler/internal/base/process"
	"filler/internal/base/secret"
)

// Page is what an address gave.
type Page struct {
	URL  string    `json:"url"`
	Hops []string  `json:"redirects,omitempty"` // where it was redirected to, in order
	Type string    `json:"type"`                // Content-Type
	At   time.Time `json:"at"`
	Hash string    `json:"hash"` // SHA-256 of the body, hexadecimal
	Body []byte    `json:"-"`
}

// Unfit says why an address gives no document, in one line without it.
type Unfit struct {
	Msg  string
	Hint string
}

func (e *Unfit) Error() string { return e.Msg + "; " + e.Hint }

// Kept fetches addresses and keeps what they gave, by its hash and the day: an
// address is fetched once, unless it is asked for afresh. Every snapshot stays.
type Kept struct {
	Dir   string                    // "" keeps nothing
	Fresh bool                      // fetch again what is kept
	Allow []string                  // hosts, addresses and ranges beside the public ones that data may name
	Named func(address string) bool // whether the user named an address, and no data; nil: none
}

// Get gives the newest snapshot of an address, as Shown gives it, at most so many
// bytes of it.
func (k *Kept) Get(ctx context.Context, address string, most int, timeout time.Duration) (*Page, error) {
	if !k.Fresh {
		if p := k.newest(address); p != nil {
			return p, nil
		}
	}
	at, err := real(address)
	if err != nil {
		return nil, err
	}
	u, err := url.Parse(at)
	if err != nil || u.Host == "" {
		return nil, &Unfit{"not an address", "write it as https://host/path"}
	}
	host := ""
	if k.Named != nil && k.Named(address) {
		host = u.Hostname()
	}
	g := newGuard(k.Allow, host)
	defer g.close()
	p, err := get(ctx, at, g, most, timeout)
	if err == nil {
		p.URL = address
	}
	if err == nil && k.Dir != "" {
		err = k.save(p)
	}
	return p, err
}

// index is the list of an address's snapshots: JSON Lines, the newest last.
func (k *Kept) index(address string) string {
	sum := sha256.Sum256([]byte(address))
	return filepath.Join(k.Dir, hex.EncodeToString(sum[:])[:40]+".jsonl")
}

// mark tells addresses apart that are shown alike.
func mark(address string) string {
	sum := sha256.Sum256([]byte(address))
	return hex.EncodeToString(sum[:4])
}

func (k *Kept) newest(address string) *Page {
	if k.Dir == "" {
		return nil
	}
	f, err := os.Open(k.index(address))
	if err != nil {
		return nil
	}
	defer f.Close()
	var found *Page
	for in := bufio.NewScanner(f); in.Scan(); {
		var p Page
		if json.Unmarshal(in.Bytes(), &p) == nil && p.URL == address {
			found = &p
		}
	}
	if found == nil {
		return nil
	}
	if found.Body, err = os.ReadFile(filepath.Join(k.Dir, found.Hash)); err != nil {
		return nil
	}
	if sum := sha256.Sum256(found.Body); hex.EncodeToString(sum[:]) != found.Hash {
		return nil // damaged: fetch it again
	}
	return found
}

func (k *Kept) save(p *Page) error {
	fail := func(err error) error {
		return &Unfit{"what was fetched can't be kept (" + err.Error() + ")", "check the permissions of " + k.Dir}
	}
	if err := os.MkdirAll(k.Dir, 0o777); err != nil {
		return fail(err)
	}
	if err := process.WriteFile(filepath.Join(k.Dir, p.Hash), p.Body, true); err != nil {
		return fail(err)
	}
	entry, err := json.Marshal(p)
	if err != nil {
		return fail(err)
	}
	f, err := os.OpenFile(k.index(p.URL), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return fail(err)
	}
	defer f.Close()
	if _, err := f.Write(append(entry, '\n')); err != nil {
		return fail(err)
	}
	return nil
}

// Forget drops all snapshots of an address, and gives how many there were; a trial
// drops none.
func (k *Kept) Forget(address string, trial bool) int {
	f, err := os.Open(k.index(address))
	if err != nil {
		return 0
	}
	defer f.Close()
	n := 0
	for in := bufio.NewScanner(f); in.Scan(); {
		var p Page
		if json.Unmarshal(in.Bytes(), &p) == nil && p.URL == address {
			n++
			if !trial {
				os.Remove(filepath.Join(k.Dir, p.Hash))
			}
		}
	}
	if !trial {
		os.Remove(k.index(address))
	}
	return n
}

// maxHops bounds how often an address may send on to another.
const maxHops = 8

func get(ctx context.Context, address string, way http.RoundTripper, most int, timeout time.Duration) (*Page, error) {
	ctx, cancel := context.WithTimeoutCause(ctx, timeout, ErrTimeout)
	defer cancel()
	p := &Page{URL: address}
	client := &http.Client{Transport: way, CheckRedirect: func(req *http.Request, via []*http.Request) error {
		if len(via) > maxHops {
			return errors.New("it redirects endlessly")
		}
		p.Hops = append(p.Hops, secret.Address(req.URL.String()))
		return nil
	}}
	for try := 0; ; try++ {
		p.Hops = nil
		status, err := p.once(ctx, client, most)
		_, held := isHeld(err)
		later := status == http.StatusTooManyRequests || status >= 500 || err != nil && status == 0 && !isDial(err) && !held
		if !later || try >= 2 || ctx.Err() != nil {
			return p.finish(ctx, status, err, most)
		}
		select {
		case <-time.After(time.Second << try):
		case <-ctx.Done():
		}
	}
}

// once makes one attempt. A status of 0 means that no answer came.
func (p *Page) once(ctx context.Context, client *http.Client, most int) (int, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, p.URL, nil)
	if err != nil {
		return 0, err
	}
	req.Header.Set("Accept", "text/html, application/pdf, image/*, text/*, application/xml, */*;q=0.5")
	resp, err := client.Do(req)
	if err != nil {
		return 0, err
	}
	defer resp.Body.Close()
	p.Type, p.At = resp.Header.Get("Content-Type"), time.Now().UTC().Truncate(time.Second)
	p.Body, err = io.ReadAll(io.LimitReader(resp.Body, int64(most)+1))
	p.Body = secret.NewSet(secret.OfAddress(p.URL)...).Strike(p.Body)
	if err != nil {
		return 0, err
	}
	sum := sha256.Sum256(p.Body)
	p.Hash = hex.EncodeToString(sum[:])
	return resp.StatusCode, nil
}

// finish says what an answer, or none, means.
func (p *Page) finish(ctx context.Context, status int, err error, most int) (*Page, error) {
	var wrapped *url.Error
	if errors.As(err, &wrapped) {
		err = wrapped.Err
	}
	held, refused := isHeld(err)
	switch {
	case refused:
		return nil, &Unfit{held.Error(), fmt.Sprintf("if it may be fetched, write `fetch: {allow: [%s]}` into filler.yaml", held.Host)}
	case err != nil && errors.Is(context.Cause(ctx), ErrTimeout):
		return nil, &Unfit{"no complete answer in time", "raise `limits: {seconds: …}` in filler.yaml, or try later"}
	case err != nil && ctx.Err() != nil:
		return nil, context.Cause(ctx)
	case err != nil:
		return nil, &Unfit{"can't be fetched (" + plain(err) + ")", "check the address and the network"}
	case status == http.StatusUnauthorized || status == http.StatusForbidden:
		return nil, &Unfit{fmt.Sprintf("the server refuses it (status %d)", status), "save the page by hand"}
	case status != http.StatusOK:
		return nil, &Unfit{fmt.Sprintf("the server answers with status %d", status), "check the address"}
	case len(p.Body) > most:
		return nil, &Unfit{fmt.Sprintf("larger than %d bytes", most), "raise `limits: {bytes: …}` in filler.yaml"}
	case len(bytes.TrimSpace(p.Body)) == 0:
		return nil, &Unfit{"the server gives an empty page", "check the address"}
	}
	// A page without a fragment is what the last hop names.
	for i, h := range p.Hops {
		p.Hops[i] = strings.SplitN(h, "#", 2)[0]
	}
	return p, nil
}
