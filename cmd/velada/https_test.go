package main

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"database/sql"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"velada/app/domains"
	"velada/demo"
	"velada/demo/demotest"
	"velada/house"
	"velada/resolve"
	"velada/standin"

	"sync"
)

// issuing is a house that answers by https, beside an issuer of certificates and name servers.
type issuing struct {
	owned
	o     *serving
	in    *incoming
	db    *sql.DB
	roots *x509.CertPool
	end   func()
	kill  func() // the issuer
}

// freePort returns a port at which nothing listens.
func freePort(t *testing.T) int {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	return port(l)
}

// openIssuing starts all of it; what the issuing stands on knows one process alone, so these tests do not run beside each other. Certificates are good for so many seconds.
func openIssuing(t *testing.T, good int) *issuing {
	t.Helper()
	i := &issuing{owned: owned{T: t, now: demo.Start}, db: demotest.Open(t)}
	var err error
	i.names, err = standin.NewNames("", "localhost")
	i.must(err)
	i.names.Late(0)
	ctx, stop := context.WithCancel(context.Background())
	var running sync.WaitGroup
	i.must(i.names.Serve(ctx, &running, 0))
	t.Cleanup(func() { stop(); running.Wait() })
	i.o = &serving{base: "localhost", httpsListen: "127.0.0.1:0", httpListen: "127.0.0.1:0", acme: true}
	i.in, err = i.o.open()
	i.must(err)
	i.startIssuer(good)
	i.start()
	t.Cleanup(func() { i.end() })
	return i
}

// startIssuer builds and starts an issuer of certificates that others wrote.
func (i *issuing) startIssuer(good int) {
	i.Helper()
	folder := i.TempDir()
	program := filepath.Join(folder, "pebble")
	if out, err := exec.Command("go", "build", "-o", program, "github.com/letsencrypt/pebble/v2/cmd/pebble").CombinedOutput(); err != nil {
		i.Fatalf("%v: %s", err, out)
	}
	dir, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/letsencrypt/pebble/v2").Output()
	i.must(err)
	own := filepath.Join(strings.TrimSpace(string(dir)), "test", "certs")
	at, managing := freePort(i.T), freePort(i.T)
	config, err := json.Marshal(map[string]any{"pebble": map[string]any{
		"listenAddress": fmt.Sprintf("127.0.0.1:%d", at), "managementListenAddress": fmt.Sprintf("127.0.0.1:%d", managing),
		"certificate": filepath.Join(own, "localhost", "cert.pem"), "privateKey": filepath.Join(own, "localhost", "key.pem"),
		"httpPort": port(i.in.plain), "tlsPort": port(i.in.main), "retryAfter": map[string]int{"authz": 1, "order": 1},
		"profiles": map[string]any{"default": map[string]any{"description": "for tests", "validityPeriod": good}},
	}})
	i.must(err)
	file := filepath.Join(folder, "config.json")
	i.must(os.WriteFile(file, config, 0o600))
	issuer := exec.Command(program, "-config", file, "-dnsserver", i.names.Resolver())
	issuer.Env = append(os.Environ(), "PEBBLE_VA_NOSLEEP=1", "PEBBLE_WFE_NONCEREJECT=0")
	i.must(issuer.Start())
	i.kill = sync.OnceFunc(func() { _ = issuer.Process.Kill(); _ = issuer.Wait() })
	i.Cleanup(i.kill)
	pem, err := os.ReadFile(filepath.Join(own, "pebble.minica.pem"))
	i.must(err)
	trusted := x509.NewCertPool()
	trusted.AppendCertsFromPEM(pem)
	client := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: trusted}}}
	for n := 0; ; n++ {
		r, err := client.Get(fmt.Sprintf("https://localhost:%d/roots/0", managing))
		if err == nil {
			root, err := io.ReadAll(r.Body)
			i.must(err)
			i.must(r.Body.Close())
			i.roots = x509.NewCertPool()
			i.roots.AppendCertsFromPEM(root)
			break
		}
		if n > 100 {
			i.Fatal(err)
		}
		time.Sleep(100 * time.Millisecond)
	}
	i.o.issuer.Directory, i.o.issuer.RootFile = fmt.Sprintf("https://localhost:%d/dir", at), filepath.Join(own, "pebble.minica.pem")
}

// start opens the house and answers for it; end ends that.
func (i *issuing) start() {
	i.Helper()
	ctx, stop := context.WithCancel(context.Background())
	h, err := house.Open(ctx, i.db, func() time.Time { return i.now })
	i.must(err)
	i.hosts = newHosts(ctx, i.o, h, port(i.in.main), "")
	h.Names = &resolve.Resolver{Servers: []string{i.names.Resolver()}, Port: i.names.Port}
	i.must(i.in.answer(i.o, i.hosts))
	i.in.serve(nil)
	i.end = func() {
		i.must(i.in.end())
		i.in.close()
		stop()
		h.Wait()
	}
}

// visit asks a host by https for a path.
func (i *issuing) visit(host, path string) (*http.Response, error) {
	dial := func(ctx context.Context, network, _ string) (net.Conn, error) {
		var d net.Dialer
		return d.DialContext(ctx, network, i.in.main.Addr().String())
	}
	client := &http.Client{Timeout: time.Minute, Transport: &http.Transport{DialContext: dial, ForceAttemptHTTP2: true, DisableKeepAlives: true, TLSClientConfig: &tls.Config{RootCAs: i.roots}}, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	r, err := client.Get(fmt.Sprintf("https://%s:%d%s", host, port(i.in.main), path))
	if err == nil {
		_, _ = io.Copy(io.Discard, r.Body)
		r.Body.Close()
	}
	return r, err
}

// Certificates are got for the house's hosts and for proven domains, and for nothing else; they
// are kept, and a failure is not tried again at once.
func TestCertificatesByACME(t *testing.T) {
	i := openIssuing(t, 3600)
	ctx := t.Context()
	for host, path := range map[string]string{"velada.localhost": "/sign-in", "society.localhost": "/visit"} {
		r, err := i.visit(host, path)
		if err != nil || r.StatusCode != 200 || r.ProtoMajor != 2 {
			t.Fatalf("%s: %v %v", host, r, err)
		}
		if host == "velada.localhost" && r.Header.Get("Strict-Transport-Security") == "" {
			t.Error("the console does not keep browsers on https")
		}
	}
	_, err := domains.Add(ctx, i.house, i.ines(), "society", "www.hill.example")
	i.must(err)
	for _, host := range []string{"www.hill.example", "nobody.localhost", "198.51.100.1"} { // not proven, no site, no name
		if _, err := i.visit(host, "/"); err == nil {
			t.Errorf("%s has a certificate", host)
		}
	}
	i.set(strings.Replace(here, "CNAME society.localhost.", "A 127.0.0.9", 1)) // proven, and nothing answers there
	began := time.Now()
	if _, err := i.visit("www.hill.example", "/"); err == nil {
		t.Error("a domain that leads elsewhere has a certificate")
	}
	tried := time.Since(began)
	st := i.in.certs.Of(ctx, "www.hill.example")
	if st.Why == "" || st.Again.Before(time.Now()) {
		t.Errorf("%+v", st)
	}
	i.set(here)
	again := time.Now()
	if _, err := i.visit("www.hill.example", "/"); err == nil || time.Since(again) > tried {
		t.Errorf("it is tried again at once: %v", err)
	}
	i.in.certs.Later(2 * time.Minute)
	i.must(i.in.certs.Get(ctx)) // as it is looked after by itself
	if r, err := i.visit("www.hill.example", "/visit"); err != nil || r.StatusCode != 200 {
		t.Fatalf("%v %v", r, err)
	}
	if st := i.in.certs.Of(ctx, "www.hill.example"); st.Until.Before(time.Now()) {
		t.Errorf("%+v", st)
	}
	i.plain(t)

	i.end() // on to another start, with the issuer out of reach
	i.in, err = i.o.open()
	i.must(err)
	i.kill()
	i.start()
	if r, err := i.visit("www.hill.example", "/visit"); err != nil || r.StatusCode != 200 {
		t.Errorf("after a restart: %v %v", r, err)
	}
	i.must(i.db.Close()) // once warm, a handshake asks the database nothing
	conn, err := tls.Dial("tcp", i.in.main.Addr().String(), &tls.Config{ServerName: "www.hill.example", RootCAs: i.roots})
	if err != nil {
		t.Fatal(err)
	}
	conn.Close()
	for _, suite := range []uint16{tls.TLS_ECDHE_ECDSA_WITH_AES_128_CBC_SHA, tls.TLS_ECDHE_ECDSA_WITH_AES_256_CBC_SHA, tls.TLS_ECDHE_RSA_WITH_AES_128_CBC_SHA, tls.TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256} {
		conn, err := tls.Dial("tcp", i.in.main.Addr().String(), &tls.Config{ServerName: "www.hill.example", RootCAs: i.roots, MaxVersion: tls.VersionTLS12, CipherSuites: []uint16{suite}})
		if sealed := strings.Contains(tls.CipherSuiteName(suite), "GCM"); sealed != (err == nil) {
			t.Errorf("by %s: %v", tls.CipherSuiteName(suite), err)
		}
		if err == nil {
			conn.Close()
		}
	}
}

// plain asks by http: it leads to https on hosts of the house.
func (i *issuing) plain(t *testing.T) {
	client := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	for host, want := range map[string]string{"www.hill.example": "https://www.hill.example%s/visit?a=b", "nobody.localhost": "", "127.0.0.1": ""} {
		r, err := http.NewRequestWithContext(t.Context(), "GET", "http://"+i.in.plain.Addr().String()+"/visit?a=b", nil)
		i.must(err)
		r.Host = host
		got, err := client.Do(r)
		i.must(err)
		got.Body.Close()
		if want != "" {
			want = fmt.Sprintf(want, i.port)
		}
		if at := got.Header.Get("Location"); at != want {
			t.Errorf("%s leads to %q, want %q", host, at, want)
		}
	}
}

// A certificate is renewed before it ends.
func TestCertificatesAreRenewed(t *testing.T) {
	i := openIssuing(t, 12)
	serial := func() string {
		r, err := i.visit("society.localhost", "/visit")
		i.must(err)
		return r.TLS.PeerCertificates[0].SerialNumber.String()
	}
	first := serial()
	for end := time.Now().Add(40 * time.Second); time.Now().Before(end); time.Sleep(time.Second) {
		if serial() != first {
			return
		}
	}
	t.Error("it is not renewed")
}

// A connection that was made for one host answers for no other.
func TestAConnectionIsForOneHost(t *testing.T) {
	h := &hosts{base: "house.example", below: ".house.example", scheme: "https"}
	for name, host := range map[string]string{"society.house.example": "velada.house.example", "velada.house.example": "society.house.example:443", "x.house.example": "elsewhere.example"} {
		r := httptest.NewRequest(http.MethodGet, "https://"+host+"/", nil)
		r.TLS.ServerName = name
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		if w.Code != http.StatusMisdirectedRequest {
			t.Errorf("%s for %s: %d", host, name, w.Code)
		}
	}
}
