package fetch

import (
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSockets(t *testing.T) {
	for address, want := range map[string][2]string{"unix:///run/m.sock": {"/run/m.sock", "http://localhost/v1"}, "unix:///run/m.sock:/api/v2?x=1": {"/run/m.sock", "http://localhost/api/v2?x=1"}, "http://h/v1": {"", "http://h/v1"}} {
		socket, url := Socket(address)
		assert.Equal(t, want, [2]string{socket, url}, address)
	}
	file := filepath.Join(t.TempDir(), "m.sock")
	l, err := net.Listen("unix", file)
	require.NoError(t, err)
	s := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { fmt.Fprint(w, r.URL.Path) })}
	go func() { _ = s.Serve(l) }()
	defer s.Close()
	c := New(1)
	socket, url := Socket("unix://" + file)
	c.Through(Reach{Socket: socket})
	status, body, err := c.Post(context.Background(), url+"/x", nil, nil)
	require.NoError(t, err)
	assert.Equal(t, "200 /v1/x", fmt.Sprint(status, " ", string(body)))
}

// A server that is known by a certificate of its own, and wants one of the client,
// is reached with both and with neither left out.
func TestCertificates(t *testing.T) {
	dir := t.TempDir()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	about := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "made up"}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour),
		IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign | x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageClientAuth, x509.ExtKeyUsageServerAuth}}
	der, err := x509.CreateCertificate(rand.Reader, about, about, &key.PublicKey, key)
	require.NoError(t, err)
	keyDER, err := x509.MarshalECPrivateKey(key)
	require.NoError(t, err)
	put := func(name, kind string, data []byte) string {
		file := filepath.Join(dir, name)
		require.NoError(t, os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: data}), 0o600))
		return file
	}
	cert, keyFile := put("cert.pem", "CERTIFICATE", der), put("key.pem", "EC PRIVATE KEY", keyDER)
	own, err := Certificates(cert, cert, keyFile)
	require.NoError(t, err)
	s := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "in") }))
	s.TLS = &tls.Config{Certificates: own.Certificates, ClientAuth: tls.RequireAndVerifyClientCert, ClientCAs: own.RootCAs}
	s.StartTLS()
	defer s.Close()
	ask := func(ca, cert, key string) error {
		cfg, err := Certificates(ca, cert, key)
		require.NoError(t, err)
		c := New(1)
		c.Through(Reach{TLS: cfg})
		_, body, err := c.Post(context.Background(), s.URL, nil, nil)
		if err == nil {
			assert.Equal(t, "in", string(body))
		}
		return err
	}
	assert.NoError(t, ask(cert, cert, keyFile))
	assert.Error(t, ask("", cert, keyFile), "the system does not know the server")
	assert.Error(t, ask(cert, "", ""), "the server does not know the client")
	for _, bad := range [][3]string{{filepath.Join(dir, "none"), "", ""}, {keyFile, "", ""}, {"", keyFile, keyFile}, {"", cert, filepath.Join(dir, "none")}} {
		_, err := Certificates(bad[0], bad[1], bad[2])
		require.Error(t, err)
		assert.NotContains(t, err.Error(), "\n")
	}
}
