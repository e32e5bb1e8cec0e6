package gate

import (
	"bufio"
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"maps"
	"net"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"velada/app/doors"
	"velada/core/access"
	"velada/house"
)

func TestWhatAServerSaysOfItsAddress(t *testing.T) {
	at := func(s string) *url.URL { u, _ := url.Parse(s); return u }
	plain := inner{target: at("http://10.0.0.9:9000"), host: "society.example.org"}
	based := inner{target: at("http://10.0.0.9:9000/app"), host: "society.example.org"}
	for _, c := range []struct {
		in       inner
		to, want string
	}{
		{plain, "http://10.0.0.9:9000/a?b=c#d", "/a?b=c#d"}, {plain, "https://10.0.0.9:9000", "/"}, {plain, "http://society.example.org/a%20b", "/a%20b"}, {plain, "//10.0.0.9:9000/a", "/a"},
		{plain, "/a/b?c", "/a/b?c"}, {plain, "../b", "../b"}, {plain, "https://other.example/x", "https://other.example/x"}, {plain, "mailto:a@b.example", "mailto:a@b.example"}, {plain, "?a", "?a"},
		{based, "http://10.0.0.9:9000/app/a", "/a"}, {based, "/app/a?b", "/a?b"}, {based, "/app", "/"}, {based, "/apple", "/apple"}, {based, "/other", "/other"}, {based, "a", "a"},
	} {
		if got := c.in.place(c.to); got != c.want {
			t.Errorf("%q at %s: %q, want %q", c.to, c.in.target, got, c.want)
		}
	}
	own := inner{target: plain.target, host: "www.hill.example", wide: true}
	for _, c := range []struct {
		in         inner
		line, want string
	}{
		{plain, "a=\"x y\"; Path=/; HttpOnly; Partitioned; X-Own=1", "a=\"x y\"; Path=/; HttpOnly; Partitioned; X-Own=1"},
		{plain, "a=1; Domain=10.0.0.9; Path=/", "a=1; Path=/"}, {plain, "a=1; domain=.example.org", "a=1"}, {plain, "a=1;Domain=society.example.org;Secure", "a=1;Secure"},
		{own, "a=1; Domain=hill.example", "a=1; Domain=hill.example"}, {own, "a=1; Domain=ill.example", "a=1"}, {based, "a=1; Path=/app", "a=1; Path=/"}, {based, "a=1; Path=/app/x; Secure", "a=1; Path=/x; Secure"},
		{based, "a=1; Path=/apple", "a=1; Path=/apple"},
	} {
		if got := c.in.cookie(c.line); got != c.want {
			t.Errorf("%q: %q, want %q", c.line, got, c.want)
		}
	}
	h := http.Header{"Set-Cookie": {"velada_visit=x", "__Host-Velada_passes=y", "a=1"}, "Refresh": {"3; url=http://10.0.0.9:9000/x"}, "Content-Location": {"http://10.0.0.9:9000/y"}}
	plain.outward(h)
	if want := (http.Header{"Set-Cookie": {"a=1"}, "Refresh": {"3; url=/x"}, "Content-Location": {"/y"}}); !maps.EqualFunc(h, want, slices.Equal[[]string]) {
		t.Errorf("%v", h)
	}
	for line, want := range map[string]string{
		`a=1;  b="2 3"; c=`: `a=1;  b="2 3"; c=`, "velada_visit=x; a=1; velada_links=y": "a=1", "velada_visit=x": "", "__Host-velada_visit=x; a=b=c": "a=b=c", "VELADA-visit=x;a=1": "a=1",
	} {
		if got := theirCookies([]string{line}); got != want {
			t.Errorf("%q: %q, want %q", line, got, want)
		}
	}
}

// Where a request comes from is put in the server's terms just where that is this very host.
func TestWhereARequestComesFrom(t *testing.T) {
	target, err := url.Parse("http://10.0.0.9:9000/app")
	if err != nil {
		t.Fatal(err)
	}
	in := inner{target: target, host: "society.example.org:8443"}
	for _, c := range [][3]string{
		{"Origin", "https://society.example.org:8443", "http://10.0.0.9:9000"}, {"Origin", "https://SOCIETY.example.org:8443", "http://10.0.0.9:9000"},
		{"Origin", "https://evil.example", "https://evil.example"}, {"Origin", "https://society.example.org", "https://society.example.org"}, {"Origin", "null", "null"},
		{"Origin", "https://x@society.example.org:8443", "https://x@society.example.org:8443"},
		{"Referer", "https://society.example.org:8443/a%20b?c=d", "http://10.0.0.9:9000/app/a%20b?c=d"}, {"Referer", "https://evil.example/society.example.org:8443", "https://evil.example/society.example.org:8443"}, {"Referer", "", ""},
	} {
		h := http.Header{}
		if c[1] != "" {
			h.Set(c[0], c[1])
		}
		if in.inward(h); h.Get(c[0]) != c[2] {
			t.Errorf("%s %q: %q, want %q", c[0], c[1], h.Get(c[0]), c[2])
		}
	}
}

// application is a web server as people write them, with what proxies get wrong.
func application() http.Handler {
	mux := http.NewServeMux()
	large := bytes.Repeat([]byte("0123456789abcdef"), 1<<17) // 2 MB
	mux.HandleFunc("/large", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("ETag", `"large"`)
		http.ServeContent(w, r, "large.bin", time.Unix(1e9, 0), bytes.NewReader(large))
	})
	mux.HandleFunc("/trailers", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Trailer", "Sum")
		_, _ = io.WriteString(w, "body")
		w.Header().Set("Sum", "4")
	})
	mux.HandleFunc("/events", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/event-stream")
		for i := range 3 {
			fmt.Fprintf(w, "data: %d\n\n", i)
			_ = http.NewResponseController(w).Flush()
			time.Sleep(50 * time.Millisecond)
		}
	})
	mux.HandleFunc("/upload", func(w http.ResponseWriter, r *http.Request) {
		sum := sha256.New()
		n, _ := io.Copy(sum, r.Body)
		fmt.Fprintf(w, "%s %d %x", r.Method, n, sum.Sum(nil))
	})
	mux.HandleFunc("/hints", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Link", "</a.css>; rel=preload")
		w.WriteHeader(http.StatusEarlyHints)
		_, _ = io.WriteString(w, "hinted")
	})
	mux.HandleFunc("/packed", func(w http.ResponseWriter, r *http.Request) {
		fmt.Fprintf(w, "%q %q", r.Header.Get("Accept-Encoding"), r.Header["Cookie"])
	})
	mux.HandleFunc("/empty", func(w http.ResponseWriter, r *http.Request) { w.WriteHeader(http.StatusNoContent) })
	mux.HandleFunc("/told", func(w http.ResponseWriter, r *http.Request) {
		fmt.Fprintf(w, "%s|%s|%s|%s|%s", r.Host, r.Header.Get("X-Forwarded-Proto"), r.Header.Get("X-Forwarded-Host"), r.Header.Get("X-Forwarded-For"), r.RequestURI)
	})
	mux.HandleFunc("/", func(w http.ResponseWriter, r *http.Request) { fmt.Fprint(w, r.RequestURI) })
	mux.HandleFunc("/login", func(w http.ResponseWriter, r *http.Request) {
		http.SetCookie(w, &http.Cookie{Name: "session", Value: "s", Domain: "10.0.0.9", Path: "/"})
		http.Redirect(w, r, "http://"+r.Host+"/home?a=b", http.StatusFound)
	})
	return mux
}

// behind starts an application, Velada in front of it, and a plain reverse proxy beside.
func behind(t *testing.T, e doors.Elsewhere) (d *door, ours, plain *httptest.Server) {
	t.Helper()
	d = open(t)
	up := httptest.NewServer(application())
	t.Cleanup(up.Close)
	e.Upstream = up.URL
	d.must(doors.SetUpstream(context.Background(), d.house, d.steward(), "society", e))
	ours = httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { d.gate.Serve(w, r, "society") }))
	ours.Listener = InOnePiece(ours.Config, ours.Listener)
	ours.Start()
	t.Cleanup(ours.Close)
	target, err := url.Parse(up.URL)
	d.must(err)
	plain = httptest.NewServer(&httputil.ReverseProxy{FlushInterval: -1, Transport: reaching(), Rewrite: func(r *httputil.ProxyRequest) { r.SetURL(target); r.Out.Host = r.In.Host; r.SetXForwarded() }})
	t.Cleanup(plain.Close)
	return d, ours, plain
}

// What passes through Velada passes as through a plain reverse proxy.
func TestForwardingIsAsOfAPlainProxy(t *testing.T) {
	_, ours, plain := behind(t, doors.Elsewhere{})
	upload := bytes.Repeat([]byte("up"), 1<<20)
	for name, ask := range map[string]func(r *http.Request){
		"whole": func(r *http.Request) { r.URL.Path = "/large" }, "range": func(r *http.Request) { r.URL.Path = "/large"; r.Header.Set("Range", "bytes=1000-1999") },
		"ranges":    func(r *http.Request) { r.URL.Path = "/large"; r.Header.Set("Range", "bytes=-5") },
		"no range":  func(r *http.Request) { r.URL.Path = "/large"; r.Header.Set("Range", "bytes=99999999-") },
		"if none":   func(r *http.Request) { r.URL.Path = "/large"; r.Header.Set("If-None-Match", `"large"`) },
		"head":      func(r *http.Request) { r.URL.Path = "/large"; r.Method = "HEAD" },
		"trailers":  func(r *http.Request) { r.URL.Path = "/trailers" },
		"events":    func(r *http.Request) { r.URL.Path = "/events" },
		"empty":     func(r *http.Request) { r.URL.Path = "/empty" },
		"hints":     func(r *http.Request) { r.URL.Path = "/hints" },
		"as packed": func(r *http.Request) { r.URL.Path = "/packed"; r.Header["Cookie"] = []string{`a="1 2"; b=%20;c`} },
		"put": func(r *http.Request) {
			r.URL.Path = "/upload"
			r.Method = "PUT"
			r.Body = io.NopCloser(bytes.NewReader(upload))
			r.ContentLength = int64(len(upload))
		},
		"chunked": func(r *http.Request) {
			r.URL.Path = "/upload"
			r.Method = "POST"
			r.Body = io.NopCloser(bytes.NewReader(upload))
			r.ContentLength = -1
		},
		"continuing": func(r *http.Request) {
			r.URL.Path = "/upload"
			r.Method = "POST"
			r.Header.Set("Expect", "100-continue")
			r.Body = io.NopCloser(bytes.NewReader(upload))
			r.ContentLength = int64(len(upload))
		},
	} {
		got, want := passed(t, ours.URL, ask), passed(t, plain.URL, ask)
		if got != want {
			t.Errorf("%s:\n%s\nwant\n%s", name, got, want)
		}
	}
}

// passed is what a server answers: its status, what its headers say, its trailers and body.
func passed(t *testing.T, server string, ask func(r *http.Request)) string {
	t.Helper()
	r, err := http.NewRequest("GET", server+"/", nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Host = "society.localhost"
	ask(r)
	answer, err := (&http.Transport{DisableCompression: true, ExpectContinueTimeout: 5 * time.Second}).RoundTrip(r)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	body, err := io.ReadAll(answer.Body)
	if err != nil {
		t.Fatal(err)
	}
	text := body
	if len(text) > 100 {
		text = fmt.Appendf(nil, "%d bytes, %x", len(body), sha256.Sum256(body))
	}
	said := strconv.Itoa(answer.StatusCode)
	for _, name := range []string{"Content-Type", "Content-Length", "Content-Range", "Accept-Ranges", "ETag", "Last-Modified", "Link"} {
		said += "\n" + name + ": " + strings.Join(answer.Header.Values(name), "|")
	}
	return said + fmt.Sprintf("\n%v\n%s", answer.Trailer, text)
}

// What a server is told of the visitor is right, and what it says of itself is not told on.
func TestWhatAServerIsTold(t *testing.T) {
	d, ours, _ := behind(t, doors.Elsewhere{})
	told := func() string {
		return passed(t, ours.URL, func(r *http.Request) {
			r.URL.Path = "/told"
			r.Header.Set("X-Forwarded-For", "1.2.3.4")
			r.Header.Set("X-Forwarded-Proto", "gopher")
		})
	}
	if got := told(); !strings.Contains(got, "\nsociety.localhost|http|society.localhost|127.0.0.1|/told") {
		t.Error(got)
	}
	d.gate.Secure = true
	if got := told(); !strings.Contains(got, "|https|society.localhost|127.0.0.1|") {
		t.Error(got)
	}
	d.gate.Secure = false
	r, err := http.NewRequest("GET", ours.URL+"/login", nil)
	d.must(err)
	r.Host = "society.localhost"
	answer, err := http.DefaultTransport.RoundTrip(r)
	d.must(err)
	answer.Body.Close()
	if to, set := answer.Header.Get("Location"), answer.Header.Get("Set-Cookie"); to != "/home?a=b" || set != "session=s; Path=/" {
		t.Errorf("%q %q", to, set)
	}
	if stream, err := http.Get(ours.URL + "/events"); err != nil || stream.Header.Get("X-Accel-Buffering") != "no" {
		t.Errorf("servers in front keep a stream back: %v", err)
	}
	up := d.house.State().Site("society").Details.Upstream
	d.must(doors.SetUpstream(d.Context(), d.house, d.steward(), "society", doors.Elsewhere{Upstream: up, Host: true, AsSent: true}))
	if got := told(); !strings.Contains(got, "\n"+strings.TrimPrefix(up, "http://")+"|") {
		t.Error(got)
	}
	raw := func(path string) string { // as no client writes it
		conn, err := net.Dial("tcp", strings.TrimPrefix(ours.URL, "http://"))
		d.must(err)
		defer conn.Close()
		_, err = io.WriteString(conn, "GET "+path+" HTTP/1.1\r\nHost: society.localhost\r\nConnection: close\r\n\r\n")
		d.must(err)
		answer, err := http.ReadResponse(bufio.NewReader(conn), nil)
		d.must(err)
		return strconv.Itoa(answer.StatusCode) + " " + body(t, answer)
	}
	for path, want := range map[string]string{"/a%20b/%7Ec": "200 /a%20b/%7Ec", "/a%20b/~c/": "200 /a%20b/~c/", "/a%20b//c": "400 ", "/a%20b/./c": "400 ", "/a%20b/%2e%2e/told": "400 ", "/a%20b/c%2Fd": "400 "} {
		if got := raw(path); !strings.HasPrefix(got, want) {
			t.Errorf("%s: %s, want %s", path, got, want)
		}
	}
}

// A site that looks as if it did not exist answers so to whatever is asked for.
func TestAHiddenSiteElsewhereTellsNothing(t *testing.T) {
	d, _, _ := behind(t, doors.Elsewhere{AsSent: true})
	d.must(d.house.Change(d.Context(), d.steward(), house.Needs{Site: "society", Cap: access.Publish}, func(tx *house.Tx) error {
		tx.Site("society").State = "draft"
		return nil
	}))
	want := d.ask(asked{site: "nobody-has-this", path: "/"})
	for _, path := range []string{"/", "/a;b", "/a//b", "/a%2Fb", "/a."} {
		if r := d.ask(asked{site: "society", path: path}); r.StatusCode != want.StatusCode || body(t, r) != body(t, d.ask(asked{site: "nobody-has-this", path: "/"})) {
			t.Errorf("%s answers %d", path, r.StatusCode)
		}
	}
}

// It is known since when a server does not answer, until it does.
func TestServersThatDoNotAnswer(t *testing.T) {
	d, ours, _ := behind(t, doors.Elsewhere{})
	id := d.house.State().ID("society")
	up := d.house.State().Site("society").Details.Upstream
	set := func(to string) {
		d.must(doors.SetUpstream(d.Context(), d.house, d.steward(), "society", doors.Elsewhere{Upstream: to}))
	}
	ask := func() int {
		r, err := http.Get(ours.URL + "/told")
		d.must(err)
		defer r.Body.Close()
		if text := body(t, r); strings.Contains(text, "127.0.0.1:1") {
			t.Errorf("the inner address is told: %s", text)
		}
		return r.StatusCode
	}
	set("http://127.0.0.1:1")
	if status := ask(); status != 502 || d.house.Servers.DownSince(id) != d.now {
		t.Errorf("%d %v", status, d.house.Servers.DownSince(id))
	}
	set(up)
	d.must(doors.LookAtServers(d.Context(), d.house))
	if !d.house.Servers.DownSince(id).IsZero() || ask() != 200 {
		t.Error("it answers again")
	}
	set("http://127.0.0.1:1")
	d.must(doors.LookAtServers(d.Context(), d.house))
	if d.house.Servers.DownSince(id).IsZero() {
		t.Error("nobody looked")
	}
}
