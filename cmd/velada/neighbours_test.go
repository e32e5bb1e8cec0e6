package main

import (
	"bytes"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"velada/demo"
	"velada/demo/demotest"
	"velada/house"
)

// The configurations in docs/running.md run as they stand there, see make neighbours.
func TestServersInFrontOfAHouse(t *testing.T) {
	if os.Getenv("NEIGHBOURS") == "" {
		t.Skip("make neighbours runs this")
	}
	for _, name := range []string{"nginx", "caddy"} {
		t.Run(name, func(t *testing.T) { standsInFront(t, name, demotest.Documented(t, "../../docs/running.md", name)) })
	}
}

func standsInFront(t *testing.T, name, config string) {
	h, err := house.Open(t.Context(), demotest.Open(t), func() time.Time { return demo.Start })
	if err != nil {
		t.Fatal(err)
	}
	port := demotest.FreePort(t)
	o := &serving{base: "example.org", https: true}
	if _, err := fmt.Sscan(port, &o.httpsPort); err != nil {
		t.Fatal(err)
	}
	seen := make(chan string, 10)
	answering := newHosts(t.Context(), o, h, 8080, "")
	back := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		seen <- answering.proxies.fromBehind(r).RemoteAddr
		answering.ServeHTTP(w, r)
	}))
	t.Cleanup(back.Close)
	folder := t.TempDir()
	selfSigned(t, folder)
	demotest.StartServer(t, name, strings.NewReplacer("127.0.0.1:8080", strings.TrimPrefix(back.URL, "http://"), "/etc/ssl/", folder+"/", "listen 443 ssl;", "listen 127.0.0.1:"+port+" ssl;",
		"https://example.org, https://*.example.org", "https://example.org:"+port+", https://*.example.org:"+port).Replace(config), port)
	client := &http.Client{Timeout: 10 * time.Second, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }, Transport: &http.Transport{
		TLSClientConfig: &tls.Config{InsecureSkipVerify: true}, DialContext: func(ctx context.Context, network, _ string) (net.Conn, error) {
			var d net.Dialer
			return d.DialContext(ctx, network, "127.0.0.1:"+port)
		},
	}}
	for at, want := range map[string]int{"velada.example.org": 303, "society.example.org": 200, "nobody.example.org": 404, "example.org": 303} {
		r, err := http.NewRequest("GET", "https://"+at+":"+port+"/", nil)
		if err != nil {
			t.Fatal(err)
		}
		r.Header.Set("X-Forwarded-For", "203.0.113.66") // what a visitor claims
		answer, err := client.Do(r)
		if err != nil {
			t.Fatal(err)
		}
		answer.Body.Close()
		if from := <-seen; answer.StatusCode != want || !strings.HasPrefix(from, "127.0.0.1:") {
			t.Errorf("%s: %d from %s", at, answer.StatusCode, from)
		}
		if to := answer.Header.Get("Location"); to != "" && strings.Contains(to, "://") && to != "https://velada.example.org:"+port {
			t.Errorf("%s leads to %s", at, to)
		}
		for _, c := range answer.Cookies() {
			if !c.Secure || !strings.HasPrefix(c.Name, "__Host-") {
				t.Errorf("%s sets %s", at, c)
			}
		}
	}
	sent, err := http.NewRequest("POST", "https://velada.example.org:"+port+"/sites/society/archive", bytes.NewReader(make([]byte, 5<<20)))
	if err != nil {
		t.Fatal(err)
	}
	sent.Header.Set("Content-Type", "application/octet-stream")
	answer, err := client.Do(sent)
	if err == nil {
		answer.Body.Close()
	}
	select {
	case <-seen:
	case <-time.After(5 * time.Second):
		t.Errorf("what is large is not handed on: %v %v", answer, err)
	}
}

// selfSigned writes a certificate and its key as example.org.pem and example.org.key.
func selfSigned(t *testing.T, folder string) {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	template := &x509.Certificate{SerialNumber: big.NewInt(1), DNSNames: []string{"example.org", "*.example.org"}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().Add(time.Hour)}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	if err != nil {
		t.Fatal(err)
	}
	pkcs8, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		t.Fatal(err)
	}
	for name, block := range map[string]*pem.Block{"example.org.pem": {Type: "CERTIFICATE", Bytes: der}, "example.org.key": {Type: "PRIVATE KEY", Bytes: pkcs8}} {
		if err := os.WriteFile(filepath.Join(folder, name), pem.EncodeToMemory(block), 0o600); err != nil {
			t.Fatal(err)
		}
	}
}
