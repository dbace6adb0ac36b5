package fetch

import (
	"crypto/x509"
	"runtime"
	"sync"

	"golang.org/x/crypto/x509roots/fallback/bundle"
)

// haveRoots brings the certificates of the usual authorities along where the machine has none, as a
// container that holds the program alone. What the machine has goes before.
var haveRoots = sync.OnceFunc(func() {
	if runtime.GOOS != "linux" {
		return // the system itself looks certificates through
	}
	if has, err := x509.SystemCertPool(); err == nil && !has.Equal(x509.NewCertPool()) {
		return
	}
	x509.SetFallbackRoots(bundled())
})

func bundled() *x509.CertPool {
	pool := x509.NewCertPool()
	for c := range bundle.Roots() {
		cert, err := x509.ParseCertificate(c.Certificate)
		switch {
		case err != nil: // one less is trusted
		case c.Constraint == nil:
			pool.AddCert(cert)
		default:
			pool.AddCertWithConstraint(cert, c.Constraint)
		}
	}
	return pool
}
