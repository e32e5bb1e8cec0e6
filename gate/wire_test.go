package gate

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/core/access"
)

// onTheWire serves the demo house on a listener of its own, and returns its address.
func (d *door) onTheWire() string {
	d.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		d.Fatal(err)
	}
	server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		site, _, _ := strings.Cut(r.Host, ".")
		d.gate.Serve(w, r, site)
	})}
	d.Cleanup(func() { _ = server.Close() })
	go func() {
		if err := server.Serve(InOnePiece(server, l)); !errors.Is(err, http.ErrServerClosed) {
			d.Error(err)
		}
	}()
	return l.Addr().String()
}

// What is sent in one piece is what is sent otherwise, and whoever asks again on
// the same connection, even before the answer is there, gets one answer each.
func TestOnePieceSaysTheSame(t *testing.T) {
	d := open(t)
	pilar := d.visiting("pilar@cerroalcor.example", "variable-stars")
	conn, err := net.Dial("tcp", d.onTheWire())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	list := []asked{
		{site: "society", path: "/visit"}, {site: "society", path: "/visit"}, // as it was sent before
		{site: "society", path: "/visit", method: http.MethodHead},
		{site: "variable-stars", path: "/notes", cookies: []string{pilar}}, {site: "variable-stars", path: "/notes", cookies: []string{pilar}},
		{site: "variable-stars", path: "/notes", method: http.MethodHead, cookies: []string{pilar}},
		{site: "variable-stars", path: "/notes"}, {site: "society", path: "/nowhere"}, {site: "society", path: "/hill.svg"},
	}
	for _, a := range list { // all at once
		if a.method == "" {
			a.method = http.MethodGet
		}
		cookies := ""
		if len(a.cookies) > 0 {
			cookies = "Cookie: " + a.cookies[0] + "\r\n"
		}
		fmt.Fprintf(conn, "%s %s HTTP/1.1\r\nHost: %s.localhost\r\n%s\r\n", a.method, a.path, a.site, cookies)
	}
	in := bufio.NewReader(conn)
	_ = conn.SetDeadline(time.Now().Add(20 * time.Second))
	for _, a := range list {
		got, err := http.ReadResponse(in, &http.Request{Method: a.method})
		if err != nil {
			t.Fatalf("%+v: %v", a, err)
		}
		want := d.ask(a)
		got.Header.Del("Date")
		if want.Header.Get("Content-Length") == "" {
			got.Header.Del("Content-Length")
		}
		if text, wanted := body(t, got), body(t, want); got.StatusCode != want.StatusCode || text != wanted || fmt.Sprint(got.Header) != fmt.Sprint(want.Header) {
			t.Errorf("%s %s%s: %d %v\n%s\nwant %d %v\n%s", a.method, a.site, a.path, got.StatusCode, got.Header, text, want.StatusCode, want.Header, wanted)
		}
	}
}

// broken is an answer whose writing breaks off.
type broken struct{ http.ResponseWriter }

func (b broken) Write(p []byte) (int, error) {
	_, _ = b.ResponseWriter.Write(p[:1])
	panic("broken")
}

// What is held back is let go whatever happens: a connection that kept it would
// answer nobody any more.
func TestNothingStaysHeldBack(t *testing.T) {
	near, far := connected(t)
	c := &wire{TCPConn: near}
	func() {
		defer func() { _ = recover() }()
		c.send(broken{through{c}}, [][]byte{[]byte("a page")})
	}()
	if _, err := c.Write([]byte("nd more")); err != nil {
		t.Fatal(err)
	}
	near.Close()
	if text, err := io.ReadAll(far); string(text) != "and more" || err != nil {
		t.Errorf("%q, %v", text, err)
	}
}

// through writes an answer straight to a connection.
type through struct{ conn net.Conn }

func (t through) Header() http.Header         { return http.Header{} }
func (t through) WriteHeader(int)             {}
func (t through) Write(p []byte) (int, error) { return t.conn.Write(p) }

func connected(t *testing.T) (near, far *net.TCPConn) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	out, err := net.Dial("tcp", l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	in, err := l.Accept()
	if err != nil {
		t.Fatal(err)
	}
	return out.(*net.TCPConn), in.(*net.TCPConn)
}

// What is kept for somebody who is signed in is theirs alone, and ends when time,
// a change or leaving changes the answer.
func TestWhatIsKeptForSomebodyEnds(t *testing.T) {
	d := open(t)
	pilar, mirela := d.visiting("pilar@cerroalcor.example", "variable-stars"), d.visiting("mirela@brasov.example", "variable-stars")
	get := func(path string, cookies ...string) (int, string) {
		r := d.ask(asked{site: "variable-stars", path: path, cookies: cookies})
		return r.StatusCode, body(t, r)
	}
	both := func(want int) {
		t.Helper()
		for range 2 {
			for name, cookie := range map[string]string{"Pilar": pilar, "Mirela": mirela} {
				if status, text := get("/notes", cookie); status != want || want == 200 && !strings.Contains(text, name) {
					t.Errorf("%s: %d, want %d", name, status, want)
				}
			}
			if status, text := get("/notes"); status == 200 || strings.Contains(text, "Pilar") {
				t.Errorf("nobody in particular: %d", status)
			}
		}
	}
	start := d.now
	d.change("variable-stars", func(s *access.Site) {
		s.Team = slices.DeleteFunc(s.Team, func(e access.TeamEntry) bool { return e.Role != "owner" })
		s.Door.Ways = []access.Way{{Way: "domain", Domains: []string{"cerroalcor.example", "brasov.example"}, Until: access.At(start.Add(time.Hour))}}
	})
	both(200)
	d.now = start.Add(time.Hour)
	both(403)
	d.now = start.Add(-time.Minute)
	both(200)
	d.change("variable-stars", func(s *access.Site) {
		s.Door.Ways = []access.Way{{Way: "domain", Domains: []string{"cerroalcor.example"}}}
	})
	if status, _ := get("/notes", mirela); status != 403 {
		t.Errorf("after a change: %d", status)
	}
	if status, text := get("/notes", pilar); status != 200 || !strings.Contains(text, "Pilar") {
		t.Errorf("after a change that leaves her in: %d", status)
	}
	d.ask(asked{site: "variable-stars", path: "/velada/leave", method: http.MethodPost, form: "x=1", cookies: []string{pilar}, header: map[string]string{"Sec-Fetch-Site": "same-origin"}})
	if status, text := get("/notes", pilar); status != 401 || strings.Contains(text, "Pilar") {
		t.Errorf("after leaving: %d", status)
	}
}
