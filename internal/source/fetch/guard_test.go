package fetch

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What data names reaches public addresses alone, in whatever form a private one
// is written.
func TestAllowsAt(t *testing.T) {
	g := newGuard([]string{"10.9.0.0/16", "192.168.7.7"}, "")
	defer g.close()
	for at, want := range map[string]bool{
		"93.184.216.34": true, "2606:2800:220:1:248:1893:25c8:1946": true, "10.9.3.4": true, "192.168.7.7": true, "::ffff:10.9.0.1": true,
		"127.0.0.1": false, "127.8.8.8": false, "0.0.0.0": false, "10.8.0.1": false, "172.16.0.1": false, "172.31.255.255": false, "192.168.7.8": false,
		"169.254.169.254": false, "100.64.0.1": false, "224.0.0.1": false, "255.255.255.255": false,
		"::1": false, "::": false, "fe80::1": false, "fc00::1": false, "fd12::1": false, "ff02::1": false, "::ffff:127.0.0.1": false,
		"64:ff9b::7f00:1": false, "64:ff9b::5db8:d822": true, "2002:7f00:1::": false,
	} {
		assert.Equal(t, want, g.allowsAt(netip.MustParseAddr(at)), at)
	}
	for text, ok := range map[string]bool{"host.example": true, "10.0.0.0/8": true, "fd00::/8": true, "::1": true, "10.0.0.0/99": false, "": false, "http://x": false, "a b": false, "host:80": false} {
		assert.Equal(t, ok, CheckAllowed(text) == nil, text)
	}
}

// Names are checked by what they resolve to, and redirects as well: also those of
// an address that the user named.
func TestGuardedFetch(t *testing.T) {
	asked := 0
	inner := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		asked++
		fmt.Fprint(w, "the inner page")
	}))
	defer inner.Close()
	port := inner.URL[strings.LastIndex(inner.URL, ":"):]
	outer := httptest.NewServer(http.RedirectHandler("http://localhost"+port+"/x", http.StatusFound))
	defer outer.Close()
	get := func(k Kept, address string) error {
		_, err := k.Get(context.Background(), address, 100, 5*time.Second)
		return err
	}
	for _, host := range []string{"127.0.0.1", "localhost", "[::ffff:127.0.0.1]", "127.1.2.3"} {
		err := get(Kept{}, "http://"+host+port+"/")
		require.ErrorContains(t, err, "is no public address", host)
	}
	assert.ErrorContains(t, get(Kept{Named: anybody}, outer.URL), "localhost is no public address", "a redirect")
	assert.Zero(t, asked)
	assert.NoError(t, get(Kept{Allow: []string{"localhost"}, Named: anybody}, outer.URL))
	assert.NoError(t, get(Kept{Allow: []string{"127.0.0.0/8", "::1/128"}}, outer.URL))
	assert.NoError(t, get(Kept{Named: anybody}, inner.URL))
}

// Keys in an address are neither shown nor kept, nor what the server makes of
// them; within the process the shown form can be fetched.
func TestAddressesWithKeys(t *testing.T) {
	const key = "c4n4ry-91x2-kkk7"
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/a" {
			http.Redirect(w, r, "/b?"+r.URL.RawQuery, http.StatusFound)
			return
		}
		user, password, _ := r.BasicAuth()
		fmt.Fprintf(w, "you sent %s, %s:%s and %s", r.URL.RawQuery, user, password, r.Header.Get("Authorization"))
	}))
	defer s.Close()
	address := strings.Replace(s.URL, "//", "//ann:"+key+"@", 1) + "/a?token=" + key
	shown, other := Shown(address), Shown(address+"1")
	assert.NotEqual(t, shown, other)
	assert.Equal(t, s.URL+"/page?n=2", Shown(s.URL+"/page?n=2"))
	dir := t.TempDir()
	p, err := (&Kept{Dir: dir, Named: anybody}).Get(context.Background(), shown, 1000, 5*time.Second)
	require.NoError(t, err)
	assert.Contains(t, string(p.Body), "you sent token=[key]")
	all := shown + other + fmt.Sprint(*p) + string(p.Body)
	require.NoError(t, filepath.Walk(dir, func(path string, info os.FileInfo, err error) error {
		if err == nil && !info.IsDir() {
			data, _ := os.ReadFile(path)
			all += path + string(data)
			assert.Equal(t, os.FileMode(0o600), info.Mode())
		}
		return err
	}))
	assert.NotContains(t, all, "c4n4ry")
	addresses.Clear()
	_, err = (&Kept{Named: anybody}).Get(context.Background(), shown, 1000, time.Second)
	assert.ErrorContains(t, err, "the address holds a key, which is not kept; name the address again")
	kept, err := (&Kept{Dir: dir}).Get(context.Background(), shown, 1000, time.Second)
	require.NoError(t, err, "what is kept can be read")
	assert.Equal(t, p.Body, kept.Body)
}
