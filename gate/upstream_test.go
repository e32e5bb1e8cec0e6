package gate

import (
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"golang.org/x/net/websocket"

	"velada/app/doors"
	"velada/app/traffic"
	"velada/core/access"
	core "velada/core/traffic"
	"velada/standin"
	"velada/store"
)

// inFront puts the society in front of the stand-in.
func inFront(t *testing.T) (*door, *httptest.Server) {
	d := open(t)
	up := httptest.NewServer(standin.Upstream())
	t.Cleanup(up.Close)
	ines := d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	if err := doors.SetUpstream(context.Background(), d.house, ines, "society", doors.Elsewhere{Upstream: up.URL}); err != nil {
		t.Fatal(err)
	}
	front := httptest.NewUnstartedServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { d.gate.Serve(w, r, "society") }))
	front.Listener = InOnePiece(front.Config, front.Listener)
	front.Start()
	t.Cleanup(front.Close)
	return d, front
}

func TestUpstreamStandsBehindTheDoor(t *testing.T) {
	d, front := inFront(t)
	get := func(path string, change ...func(r *http.Request)) (int, string, http.Header) {
		r, err := http.NewRequest(http.MethodGet, front.URL+path, nil)
		if err != nil {
			t.Fatal(err)
		}
		for _, c := range change {
			c(r)
		}
		answer, err := http.DefaultTransport.RoundTrip(r)
		if err != nil {
			t.Fatal(err)
		}
		defer answer.Body.Close()
		text, _ := io.ReadAll(answer.Body)
		return answer.StatusCode, string(text), answer.Header
	}
	cookie := func(value string) func(*http.Request) {
		return func(r *http.Request) { r.Header.Set("Cookie", value) }
	}
	if status, text, _ := get("/wind/today?unit=knots"); status != 200 || !strings.Contains(text, "Asked for GET /wind/today?unit=knots") {
		t.Errorf("%d %s", status, text)
	}
	for raw, want := range map[string]string{"/a/..%2fwind": "/wind", "/wind//x/": "/wind/x/", "/%77ind": "/wind", "/caf%C3%A9": "/caf%C3%A9"} {
		if _, text, _ := get(raw); !strings.Contains(text, "Asked for GET "+want+"<") {
			t.Errorf("%s is forwarded as %s, want %s", raw, text, want)
		}
	}
	if status, text, _ := get("/visit/..%2fmembers/rota"); status != 401 || strings.Contains(text, "Weather") {
		t.Errorf("past a door: %d", status)
	}
	forged := func(r *http.Request) {
		r.Header.Set("Velada-Identity", "ines@cerroalcor.example")
		r.Header.Set("velada-person", "ines")
		r.Header.Set("Velada-Signature", "00")
	}
	if _, text, _ := get("/", forged); strings.Contains(text, "ines") {
		t.Errorf("a forged identity: %s", text)
	}
	visit := d.visiting("pilar@cerroalcor.example", "society")
	_, text, h := get("/", cookie(visit+"; theirs=1"), forged)
	if !strings.Contains(text, "Signed in as pilar@cerroalcor.example") || strings.Contains(text, "velada_visit") || !strings.Contains(text, "theirs=1") || h.Get("Cache-Control") != "private, no-store" {
		t.Errorf("%s %v", text, h)
	}
	sent := http.Header{}
	for _, line := range strings.Split(text, "<dt>")[1:] {
		name, value, _ := strings.Cut(line, "<dd>")
		value, _, _ = strings.Cut(value, "</dl>")
		sent.Set(name, value)
	}
	if got := Signature(d.house.Keys.UpstreamSecret("society"), sent); got != sent.Get("Velada-Signature") || got == Signature("another", sent) {
		t.Errorf("the signature does not hold: %v", sent)
	}
	if _, _, h := get("/cookie"); len(h["Set-Cookie"]) != 1 || !strings.HasPrefix(h["Set-Cookie"][0], "theirs=") {
		t.Errorf("cookies %v", h["Set-Cookie"])
	}
	if _, text, _ := get("/stream"); text != "reading 1\nreading 2\nreading 3\n" {
		t.Errorf("a stream: %q", text)
	}
	socket, err := websocket.Dial(strings.Replace(front.URL, "http", "ws", 1)+"/echo", "", front.URL)
	if err != nil {
		t.Fatal(err)
	}
	defer socket.Close()
	reply := ""
	if err := websocket.Message.Send(socket, "hello"); err != nil || websocket.Message.Receive(socket, &reply) != nil || reply != "echo hello" {
		t.Errorf("a websocket: %q %v", reply, err)
	}
	d.change("society", func(s *access.Site) { s.Door.Ways = []access.Way{{Way: "members"}} })
	if _, err := websocket.Dial(strings.Replace(front.URL, "http", "ws", 1)+"/echo", "", front.URL); err == nil {
		t.Error("a websocket past the door")
	}
}

func TestServersThatAskFirst(t *testing.T) {
	d := open(t)
	for _, site := range []string{"august", "nobody-has-this"} { // what is absent answers as absent here too
		if r := d.ask(asked{site: site, path: "/velada/decide", header: map[string]string{"X-Forwarded-Uri": "/"}}); r.StatusCode != 404 {
			t.Errorf("%s: %d", site, r.StatusCode)
		}
	}
	visit := d.visiting("tobias@lens.example", "variable-stars")
	for _, c := range []struct {
		uri, host, cookie string
		want              int
	}{
		{"/how-to-join", "", "", 200},
		{"/any/file.png?a=1", "variable-stars.localhost:80", visit, 200},
		{"/notes", "", "", 401},
		{"/crew/antlia", "", visit, 403},
		{"/marking", "", visit, 403},                  // hidden: refused like others
		{"/how-to-join%2fx", "", visit, 403},          // one segment for some servers
		{"/how-to-join/..%2fmarking", "", visit, 403}, // read otherwise by some servers
		{"/how-to-join", "society.localhost", "", 403},
		{"", "", "", 403},
		{"/%zz", "", "", 403},
	} {
		a := asked{site: "variable-stars", path: "/velada/decide", header: map[string]string{"X-Forwarded-Uri": c.uri, "X-Forwarded-Method": "GET", "Velada-Secret": d.house.Keys.UpstreamSecret("variable-stars")}}
		if c.host != "" {
			a.header["X-Forwarded-Host"] = c.host
		}
		if c.cookie != "" {
			a.cookies = []string{c.cookie}
		}
		r := d.ask(a)
		if r.StatusCode != c.want {
			t.Errorf("%s at %s: %d, want %d", c.uri, c.host, r.StatusCode, c.want)
		}
		if c.want == 200 && c.cookie != "" && r.Header.Get("Velada-Identity") != "tobias@lens.example" {
			t.Errorf("%s: %v", c.uri, r.Header)
		}
	}
}

// Pages of a site that lives elsewhere are counted by what its server answers; its files and
// made-up paths are not.
func TestVisitsElsewhereAreCounted(t *testing.T) {
	d := open(t)
	up := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/gone":
			http.NotFound(w, r)
		case "/style.css":
			w.Header().Set("Content-Type", "text/css")
		default:
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
		}
	}))
	defer up.Close()
	d.elsewhere("society", doors.Elsewhere{Upstream: up.URL})
	counter := traffic.New(d.house)
	d.gate.Traffic = counter
	browser := map[string]string{"User-Agent": "Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0"}
	for _, path := range []string{"/archive/1999", "/archive/1999", "/gone", "/style.css", "/members/secret-name"} {
		d.ask(asked{site: "society", path: path, header: browser})
	}
	counter.Drain()
	if err := counter.Flush(d.Context()); err != nil {
		t.Fatal(err)
	}
	hour := core.HourOf(d.now)
	hits, err := store.TrafficHits(d.Context(), d.house.Reader(), d.house.State().ID("society"), hour, hour+1)
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]int{}
	for _, h := range hits {
		got[h.Page+" "+h.Outcome.String()+" "+h.Reason] += h.N
	}
	if got["/archive/1999 open "] != 2 || got[" missing "] == 0 && got[" missing missing - "] == 0 || got["/members challenge sign-in - /members"] != 1 || len(got) != 3 {
		t.Errorf("%v", got)
	}
}
