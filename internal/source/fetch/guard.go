package fetch

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"sync"
	"syscall"

	"filler/internal/base/secret"
)

// Held says that an address is not asked: it came with data, and lies where only
// the user may send.
type Held struct{ Host string }

func (e *Held) Error() string { return e.Host + " is no public address, and data alone names it" }

// guard keeps addresses that data names from reaching this machine and its
// neighbours: what a name resolves to is checked when it is dialled, at every
// hop.
type guard struct {
	allow []string // hosts, addresses and ranges that may be asked
	host  string   // a host that the user named; "" none
	open  *http.Transport
	held  *http.Transport
}

// newGuard gives a guard. Where the user named the address, its own host is
// allowed, and what it redirects to is not.
func newGuard(allow []string, host string) *guard {
	g := &guard{allow: allow, host: strings.ToLower(host)}
	haveRoots()
	g.open = http.DefaultTransport.(*http.Transport).Clone()
	g.held = g.open.Clone()
	g.held.Proxy = nil
	g.held.DialContext = g.dial
	return g
}

func (g *guard) close() {
	g.open.CloseIdleConnections()
	g.held.CloseIdleConnections()
}

// RoundTrip sends a request. Behind a proxy it is the proxy that is dialled: what
// the name resolves to here, if it does, is checked before.
func (g *guard) RoundTrip(req *http.Request) (*http.Response, error) {
	proxy, err := http.ProxyFromEnvironment(req)
	if err != nil || proxy == nil {
		return g.held.RoundTrip(req)
	}
	host := req.URL.Hostname()
	if !g.allows(host) {
		addresses, _ := net.DefaultResolver.LookupNetIP(req.Context(), "ip", host)
		for _, a := range addresses {
			if !g.allowsAt(a) {
				return nil, &Held{host}
			}
		}
	}
	return g.open.RoundTrip(req)
}

func (g *guard) dial(ctx context.Context, network, address string) (net.Conn, error) {
	host, _, err := net.SplitHostPort(address)
	if err != nil {
		return nil, err
	}
	d := net.Dialer{}
	if !g.allows(host) {
		d.Control = func(_, at string, _ syscall.RawConn) error {
			if to, err := netip.ParseAddrPort(at); err != nil || !g.allowsAt(to.Addr()) {
				return &Held{host}
			}
			return nil
		}
	}
	return d.DialContext(ctx, network, address)
}

// allows tells whether a host may be asked whatever it resolves to.
func (g *guard) allows(host string) bool {
	host = strings.ToLower(host)
	if host == g.host && host != "" {
		return true
	}
	for _, a := range g.allow {
		if strings.EqualFold(a, host) {
			return true
		}
	}
	return false
}

// shared is the range that providers share out among their customers (RFC 6598).
var shared = netip.MustParsePrefix("100.64.0.0/10")

// allowsAt tells whether an address may be asked: a public one, or one in an
// allowed range.
func (g *guard) allowsAt(a netip.Addr) bool {
	a = a.Unmap()
	for _, text := range g.allow {
		if p, err := netip.ParsePrefix(text); err == nil && p.Contains(a) {
			return true
		}
		if one, err := netip.ParseAddr(text); err == nil && one.Unmap() == a {
			return true
		}
	}
	if to, is := embedded(a); is {
		return g.allowsAt(to)
	}
	return a.IsGlobalUnicast() && !a.IsPrivate() && !shared.Contains(a)
}

// nat64 is the range in which IPv4 addresses stand within IPv6 ones (RFC 6052),
// sixToFour another (RFC 3056).
var (
	nat64     = netip.MustParsePrefix("64:ff9b::/96")
	sixToFour = netip.MustParsePrefix("2002::/16")
)

func embedded(a netip.Addr) (netip.Addr, bool) {
	b := a.As16()
	switch {
	case nat64.Contains(a):
		return netip.AddrFrom4([4]byte(b[12:])), true
	case sixToFour.Contains(a):
		return netip.AddrFrom4([4]byte(b[2:6])), true
	}
	return a, false
}

// CheckAllowed tells what is wrong with an entry of `fetch: {allow: …}`.
func CheckAllowed(text string) error {
	if strings.Contains(text, "/") {
		if _, err := netip.ParsePrefix(text); err != nil {
			return fmt.Errorf("%q is neither a host nor a range such as 10.1.0.0/16", text)
		}
		return nil
	}
	if text == "" || strings.ContainsAny(text, " \t:@?") && func() bool { _, err := netip.ParseAddr(text); return err != nil }() {
		return fmt.Errorf("%q is neither a host nor a range such as 10.1.0.0/16", text)
	}
	return nil
}

// isHeld tells an error of the guard.
func isHeld(err error) (*Held, bool) {
	var held *Held
	return held, errors.As(err, &held)
}

// addresses are those whose shown form hides a key, by that form: nothing but this
// process keeps them.
var addresses sync.Map

// Shown gives an address as it is shown and kept, without keys and passwords; two
// that differ in those alone are told apart by a mark. Within this process the
// shown form can be fetched.
func Shown(address string) string {
	shown := secret.Address(address)
	if shown == address {
		return address
	}
	shown += "#" + mark(address)
	addresses.Store(shown, address)
	return shown
}

// real gives the address that is shown as this.
func real(shown string) (string, error) {
	if at, ok := addresses.Load(shown); ok {
		return at.(string), nil
	}
	if strings.Contains(shown, "="+secret.Mark) {
		return "", &Unfit{"the address holds a key, which is not kept", "name the address again"}
	}
	return shown, nil
}
