package fetch

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"net"
	"os"
	"strings"
)

// Reach is how a server is reached, beyond its address.
type Reach struct {
	Socket string      // of this machine, in place of the network; "": none
	TLS    *tls.Config // nil: as the system has it
}

// Through has a client reach its server in that way.
func (c *Client) Through(r Reach) {
	if r.Socket != "" {
		c.base.Proxy = nil
		c.base.DialContext = func(ctx context.Context, _, _ string) (net.Conn, error) {
			return (&net.Dialer{}).DialContext(ctx, "unix", r.Socket)
		}
	}
	if r.TLS != nil {
		c.base.TLSClientConfig = r.TLS
	}
}

// overSocket begins an address on a socket of this machine.
const overSocket = "unix://"

// Socket takes an address such as unix:///run/model.sock apart: the socket, and the
// address to ask for on it. Behind a colon may stand another path than /v1. Of other
// addresses socket is "".
func Socket(address string) (socket, url string) {
	rest, is := strings.CutPrefix(address, overSocket)
	if !is {
		return "", address
	}
	socket, path, has := strings.Cut(rest, ":")
	if !has {
		path = "/v1"
	}
	return socket, "http://localhost" + path
}

// Certificates reads the files that a server is known by (caFile), and that the
// client is known by; either may be left out.
func Certificates(caFile, certFile, keyFile string) (*tls.Config, error) {
	if caFile == "" && certFile == "" {
		return nil, nil
	}
	cfg := &tls.Config{MinVersion: tls.VersionTLS12}
	if caFile != "" {
		data, err := os.ReadFile(caFile)
		if err != nil {
			return nil, fmt.Errorf("%s: the certificates can't be read; check the path under `ca_file`", caFile)
		}
		cfg.RootCAs = x509.NewCertPool()
		if !cfg.RootCAs.AppendCertsFromPEM(data) {
			return nil, fmt.Errorf("%s: there is no certificate in it; `ca_file` names a file in PEM", caFile)
		}
	}
	if certFile != "" {
		pair, err := tls.LoadX509KeyPair(certFile, keyFile)
		if err != nil {
			return nil, fmt.Errorf("%s: the certificate and its key can't be used (%s); `cert` names a file in PEM, `cert_key` that of its key", certFile, strings.TrimPrefix(err.Error(), "tls: "))
		}
		cfg.Certificates = []tls.Certificate{pair}
	}
	return cfg, nil
}
