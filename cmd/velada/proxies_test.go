package main

import (
	"bufio"
	"fmt"
	"io"
	"net"
	"net/http"
	"testing"
	"time"

	"velada/demo/demotest"
	"velada/house"
)

// What a server in front says by the PROXY protocol is believed of those that were named alone.
func TestProxyProtocol(t *testing.T) {
	for _, c := range []struct {
		named, head, want string
		status            int
	}{
		{"127.0.0.0/8", "PROXY TCP4 203.0.113.5 127.0.0.1 4000 80\r\n", "203.0.113.5:4000", 200},
		{"127.0.0.0/8", "", "", 200},
		{"10.0.0.0/8", "PROXY TCP4 203.0.113.5 127.0.0.1 4000 80\r\n", "", 400},
	} {
		var named networks
		if err := named.Set(c.named); err != nil {
			t.Fatal(err)
		}
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { fmt.Fprint(w, r.RemoteAddr) }), ReadHeaderTimeout: time.Second}
		go func() { _ = server.Serve(named.behind(l)) }()
		conn, err := net.Dial("tcp", l.Addr().String())
		if err != nil {
			t.Fatal(err)
		}
		if _, err := io.WriteString(conn, c.head+"GET / HTTP/1.1\r\nHost: a\r\nConnection: close\r\n\r\n"); err != nil {
			t.Fatal(err)
		}
		r, err := http.ReadResponse(bufio.NewReader(conn), nil)
		if err != nil {
			t.Fatal(err)
		}
		got, _ := io.ReadAll(r.Body)
		if c.want == "" {
			c.want = conn.LocalAddr().String()
		}
		if r.StatusCode != c.status || c.status == 200 && string(got) != c.want {
			t.Errorf("%q from %s: %d %q, want %d %q", c.head, c.named, r.StatusCode, got, c.status, c.want)
		}
		conn.Close()
		server.Close()
	}
}

// Flags that do not go together are refused before anything is opened.
func TestListeningFlags(t *testing.T) {
	for _, args := range [][]string{
		{"--https-listen", "127.0.0.1:0"}, {"--acme"}, {"--http-listen", "127.0.0.1:0"}, {"--https", "--acme", "--https-listen", "127.0.0.1:0"}, {"--proxy", "everywhere"}, {"--public-address", "home"},
	} {
		folder := t.TempDir()
		if _, complaint, code := run(t, "", append([]string{"serve", "--data", folder}, args...)...); code != 1 || complaint == "" {
			t.Errorf("%q: %d %q", args, code, complaint)
		}
	}
}

// Addresses name the port at which visitors come.
func TestPortsInAddresses(t *testing.T) {
	for _, c := range []struct {
		o    serving
		want string
	}{
		{serving{base: "example.org"}, "http://society.example.org:8080"}, {serving{base: "example.org", https: true}, "https://society.example.org"},
		{serving{base: "example.org", https: true, httpsPort: 8443}, "https://society.example.org:8443"}, {serving{base: "example.org", httpsListen: ":8080"}, "https://society.example.org:8080"},
		{serving{base: "example.org", httpsListen: ":8080", httpsPort: 443}, "https://society.example.org"},
	} {
		h, err := house.Open(t.Context(), demotest.Open(t), time.Now)
		if err != nil {
			t.Fatal(err)
		}
		if got := newHosts(t.Context(), &c.o, h, 8080, "").siteURL("society"); got != c.want {
			t.Errorf("%+v: %s, want %s", c.o, got, c.want)
		}
	}
}
