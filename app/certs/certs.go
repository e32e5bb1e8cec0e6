// Package certs gets and renews certificates for the hosts of a house by the ACME protocol
// (RFC 8555).
package certs

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"os"
	"strings"
	"sync"
	"time"

	"github.com/caddyserver/certmagic"
	"github.com/mholt/acmez/v3/acme"
	"go.uber.org/zap"

	"velada/domain"
	"velada/house"
)

// Options say where certificates are got.
type Options struct {
	Directory string // of the issuer; "" is the usual one
	Email     string // where it writes to when something is the matter
	RootFile  string // PEM of who vouches for the issuer's own address; "" is as the machine has it
	Host      string // at which this machine listens; "" is everywhere
	HTTPPort  int    // at which challenges by HTTP are answered; 0 where nothing listens
	TLSPort   int    // at which challenges by TLS are answered
}

// Certificates are those of a house's hosts.
type Certificates struct {
	house  *house.House
	config *certmagic.Config
	issuer *certmagic.ACMEIssuer
	cache  *certmagic.Cache

	mu     sync.Mutex
	failed map[string]failure
	until  map[string]time.Time // until when the certificate of a name is good
	now    func() time.Time
}

// failure is that there is no certificate for a name yet, and why.
type failure struct {
	times int
	when  time.Time
	again time.Time // not before
	why   string
}

// most certificates are kept in memory: beyond it they are read again.
const most = 25_000

// New returns the certificates of a house. Close ends what they do in the background.
func New(h *house.House, o Options) (*Certificates, error) {
	c := &Certificates{house: h, failed: map[string]failure{}, until: map[string]time.Time{}, now: time.Now}
	quiet := zap.NewNop()
	c.cache = certmagic.NewCache(certmagic.CacheOptions{
		GetConfigForCert: func(certmagic.Certificate) (*certmagic.Config, error) { return c.config, nil }, Capacity: most, Logger: quiet,
	})
	c.config = certmagic.New(c.cache, certmagic.Config{
		Storage: &kept{house: h, held: map[string]chan struct{}{}}, Logger: quiet, OnEvent: c.note, DisableStorageCheck: true,
		OnDemand: &certmagic.OnDemandConfig{DecisionFunc: c.allow},
	})
	issuer := certmagic.ACMEIssuer{
		CA: o.Directory, Email: o.Email, Agreed: true, Logger: quiet, DisableDistributedSolvers: true, DisableHTTPChallenge: o.HTTPPort == 0,
		ListenHost: o.Host, AltHTTPPort: o.HTTPPort, AltTLSALPNPort: o.TLSPort,
	}
	if issuer.CA == "" {
		issuer.CA = certmagic.LetsEncryptProductionCA
	}
	issuer.TestCA = issuer.CA
	if o.RootFile != "" {
		pem, err := os.ReadFile(o.RootFile)
		if err != nil {
			return nil, err
		}
		issuer.TrustedRoots = x509.NewCertPool()
		if !issuer.TrustedRoots.AppendCertsFromPEM(pem) {
			return nil, fmt.Errorf("%s has no certificate", o.RootFile)
		}
	}
	c.issuer = certmagic.NewACMEIssuer(c.config, issuer)
	c.config.Issuers = []certmagic.Issuer{once{c.issuer, c.config.Storage}}
	return c, nil
}

// once is an issuer that is asked once for a first certificate: somebody waits meanwhile, and it
// is tried again by pauses. Renewals go on behind what is served.
type once struct {
	*certmagic.ACMEIssuer
	storage certmagic.Storage
}

// Issue gets a certificate.
func (o once) Issue(ctx context.Context, request *x509.CertificateRequest) (*certmagic.IssuedCertificate, error) {
	cert, err := o.ACMEIssuer.Issue(ctx, request)
	if err != nil && len(request.DNSNames) == 1 && !o.storage.Exists(ctx, certmagic.StorageKeys.SiteCert(o.IssuerKey(), request.DNSNames[0])) {
		err = certmagic.ErrNoRetry{Err: err}
	}
	return cert, err
}

// Close ends what is done in the background.
func (c *Certificates) Close() { c.cache.Stop() }

// TLS is the configuration of a server that answers with them, by HTTP/2 too.
func (c *Certificates) TLS() *tls.Config {
	t := c.config.TLSConfig()
	t.NextProtos = append([]string{"h2", "http/1.1"}, t.NextProtos...)
	t.MinVersion, t.CipherSuites = tls.VersionTLS12, sealing
	return t
}

// sealing are the suites of TLS 1.2 that encrypt and seal as one: those by CBC are left out. TLS 1.3 has no others.
var sealing = []uint16{
	tls.TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256, tls.TLS_ECDHE_RSA_WITH_AES_128_GCM_SHA256,
	tls.TLS_ECDHE_ECDSA_WITH_AES_256_GCM_SHA384, tls.TLS_ECDHE_RSA_WITH_AES_256_GCM_SHA384,
	tls.TLS_ECDHE_ECDSA_WITH_CHACHA20_POLY1305_SHA256, tls.TLS_ECDHE_RSA_WITH_CHACHA20_POLY1305_SHA256,
}

// Challenges answers the challenges that come by HTTP, and leads everything else on.
func (c *Certificates) Challenges(next http.Handler) http.Handler {
	return c.issuer.HTTPChallengeHandler(next)
}

// errUnknown is why there is no certificate for a name.
var errUnknown = errors.New("this house has no such host")

// allow says whether there is a certificate for a name: only for those that the house has, and not
// again at once where it did not work.
func (c *Certificates) allow(_ context.Context, name string) error {
	if !c.house.KnowsHost(name) {
		return errUnknown
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if f, failed := c.failed[name]; failed && c.now().Before(f.again) {
		return fmt.Errorf("it did not work, and is tried again later: %s", f.why)
	}
	return nil
}

// The pauses after a certificate was not issued: issuers limit how often they are asked.
var pauses = []time.Duration{time.Minute, 5 * time.Minute, 30 * time.Minute, 2 * time.Hour, 6 * time.Hour, 24 * time.Hour}

// mostFailed bounds what is remembered of what did not work.
const mostFailed = 10_000

// note notes what becomes of certificates.
func (c *Certificates) note(_ context.Context, event string, data map[string]any) error {
	name, _ := data["identifier"].(string)
	switch event {
	case "cert_obtained":
		c.mu.Lock()
		delete(c.failed, name)
		delete(c.until, name)
		c.mu.Unlock()
		slog.Info("a certificate was issued", "host", name)
	case "cert_failed":
		err, _ := data["error"].(error)
		renewal, _ := data["renewal"].(bool)
		slog.Warn("a certificate was not issued", "host", name, "error", err)
		if renewal {
			break // the old one is still good for weeks
		}
		c.mu.Lock()
		defer c.mu.Unlock()
		if len(c.failed) >= mostFailed {
			clear(c.failed)
		}
		f := c.failed[name]
		f.when = c.now()
		f.again, f.why = c.now().Add(pauses[min(f.times, len(pauses)-1)]), reason(err)
		f.times++
		c.failed[name] = f
	}
	return nil
}

// reason is what an issuer says of why it did not work, in a line.
func reason(err error) string {
	var problem acme.Problem
	if errors.As(err, &problem) && problem.Detail != "" {
		return strings.TrimSuffix(problem.Detail, ".")
	}
	if err == nil {
		return "the issuer did not say why"
	}
	return "the issuer could not be asked"
}

// Again has a certificate that was not issued be tried soon: somebody has mended what was wrong.
func (c *Certificates) Again(name string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if f, failed := c.failed[name]; failed {
		if soon := f.when.Add(pauses[0]); soon.Before(f.again) {
			f.again = soon
			c.failed[name] = f
		}
	}
}

// Standing is how it stands with the certificate of a host.
type Standing struct {
	Until time.Time // it is good until then; zero where there is none
	Why   string    // why there is none
	Again time.Time // when it is tried again
}

// Of says how it stands with the certificate of a host.
func (c *Certificates) Of(ctx context.Context, name string) Standing {
	c.mu.Lock()
	f, failed := c.failed[name]
	until, known := c.until[name]
	c.mu.Unlock()
	if failed {
		return Standing{Why: f.why, Again: f.again}
	}
	if !known {
		cert, err := c.config.CacheManagedCertificate(ctx, name)
		if err != nil || cert.Leaf == nil {
			return Standing{}
		}
		until = cert.Leaf.NotAfter
		c.mu.Lock()
		if len(c.until) >= most {
			clear(c.until)
		}
		c.until[name] = until
		c.mu.Unlock()
	}
	return Standing{Until: until}
}

// Get gets certificates for the hosts that people are told of and that have none: the console and
// the domains that lead here. Others are got when somebody first comes.
func (c *Certificates) Get(ctx context.Context) error {
	s := c.house.State()
	hosts := []string{c.house.ConsoleName()}
	if s != nil {
		for _, d := range s.EveryDomain() {
			if !d.Proven.IsZero() && d.Seen.Pointing.Kind == domain.Right { // as the issuer sees it too
				hosts = append(hosts, d.Name)
			}
		}
	}
	for _, name := range hosts { // by what asks nobody anything at the terminal
		if st := c.Of(ctx, name); !st.Until.IsZero() || c.allow(ctx, name) != nil {
			continue
		}
		if err := c.config.ObtainCertAsync(ctx, name); err != nil && ctx.Err() != nil {
			return ctx.Err()
		}
	}
	return nil
}

// Later lets time go on for what is tried again, for tests.
func (c *Certificates) Later(by time.Duration) {
	c.mu.Lock()
	defer c.mu.Unlock()
	was := c.now
	c.now = func() time.Time { return was().Add(by) }
}
