package gate

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"os"
	"strings"
	"testing"
	"time"

	"velada/core/access"
	"velada/demo"
	"velada/demo/demotest"
)

// The configurations in docs/in-front.md run as they stand there, see make neighbours.
func TestServersInFrontAsTheyAreDocumented(t *testing.T) {
	if os.Getenv("NEIGHBOURS") == "" {
		t.Skip("make neighbours runs this")
	}
	for _, name := range []string{"nginx", "caddy"} {
		t.Run(name, func(t *testing.T) { asksFirst(t, name, demotest.Documented(t, "../docs/in-front.md", name)) })
	}
}

func asksFirst(t *testing.T, name, config string) {
	d := open(t)
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/secret", Mode: "instead", Hide: true, Ways: []access.Way{{Way: "members"}}})
		s.Pages = append(s.Pages, access.Page{Path: "/secret"})
	})
	front := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		label, _, _ := strings.Cut(r.Host, ".")
		d.gate.Serve(w, r, label)
	}))
	t.Cleanup(front.Close)
	app := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "public, max-age=60")
		if r.Method == http.MethodPost {
			n, _ := io.Copy(io.Discard, r.Body)
			fmt.Fprintf(w, "App took %d bytes", n)
			return
		}
		switch r.URL.Path {
		case "/", "/visit", "/members", "/secret":
			fmt.Fprintf(w, "App %s for %q", r.URL.Path, r.Header.Get("Velada-Identity"))
		default:
			http.NotFound(w, r)
		}
	}))
	t.Cleanup(app.Close)
	client := visitorOf(t, started(t, d, "society", name, config, front.URL, app.URL))
	get := func(path string, header ...string) (int, string, string) {
		r, err := http.NewRequest("GET", "http://society.example.org"+path, nil)
		d.must(err)
		for i := 0; i+1 < len(header); i += 2 {
			r.Header.Set(header[i], header[i+1])
		}
		answer, err := client.Do(r)
		d.must(err)
		defer answer.Body.Close()
		text, err := io.ReadAll(answer.Body)
		d.must(err)
		return answer.StatusCode, string(text), answer.Header.Get("Cache-Control")
	}
	if status, text, caching := get("/visit", "Velada-Identity", "evil@example.org"); status != 200 || text != `App /visit for ""` || caching != "public, max-age=60" && caching != "private, no-store" {
		t.Errorf("a public page: %d %q %q", status, text, caching)
	}
	const large = 5 << 20
	sent, err := http.NewRequest("POST", "http://society.example.org/visit", bytes.NewReader(make([]byte, large)))
	d.must(err)
	sent.Header.Set("Origin", "http://society.example.org")
	sent.Header.Set("Sec-Fetch-Site", "same-origin")
	answer, err := client.Do(sent)
	d.must(err)
	if text := body(t, answer); answer.StatusCode != 200 || text != fmt.Sprintf("App took %d bytes", large) {
		t.Errorf("something large that is sent: %d %.300q", answer.StatusCode, text)
	}
	if status, text, caching := get("/members"); status != 401 || !strings.Contains(text, "/velada/sign-in?path=%2Fmembers") || !strings.Contains(caching, "no-store") {
		t.Errorf("a door: %d %.300q %q", status, text, caching)
	}
	_, lost, _ := get("/nowhere")
	if status, text, _ := get("/secret"); status != 404 || strings.ReplaceAll(text, "/secret", "/nowhere") != lost {
		t.Errorf("a hidden page: %d\n%s\n%s", status, text, lost)
	}
	if status, _, _ := get("/velada/decide"); status != 404 {
		t.Errorf("visitors ask for decisions: %d", status)
	}
	visit, value, _ := strings.Cut(d.visiting("ines@cerroalcor.example", "society"), "=")
	u, _ := url.Parse("http://society.example.org/")
	client.Jar.SetCookies(u, []*http.Cookie{{Name: visit, Value: value}})
	if status, text, caching := get("/members"); status != 200 || text != `App /members for "ines@cerroalcor.example"` || !strings.Contains(caching, "no-store") {
		t.Errorf("a member: %d %q %q", status, text, caching)
	}
	if status, text, _ := get("/visit/..%2fmembers%2fx"); status == 200 {
		t.Errorf("a path that is read in two ways: %s", text)
	}

	client = visitorOf(t, started(t, d, "dossier", name, config, front.URL, app.URL))
	for _, password := range demo.Passes["dossier"] {
		answer, err := client.PostForm("http://dossier.example.org/velada/pass", url.Values{"path": {"/"}, "password": {password}})
		d.must(err)
		text := body(t, answer)
		answer.Body.Close()
		if text == `App / for ""` {
			return
		}
	}
	t.Error("no password leads in")
}

// visitorOf is a browser of somebody's, for whom every host is a server.
func visitorOf(t *testing.T, at string) *http.Client {
	t.Helper()
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	return &http.Client{Jar: jar, Timeout: 10 * time.Second, Transport: &http.Transport{DialContext: func(ctx context.Context, network, _ string) (net.Conn, error) {
		var dial net.Dialer
		return dial.DialContext(ctx, network, at)
	}}}
}

// started runs a server with a configuration in which addresses are those of the test, and returns
// where it listens.
func started(t *testing.T, d *door, site, name, config, front, app string) string {
	t.Helper()
	port := demotest.FreePort(t)
	demotest.StartServer(t, name, strings.NewReplacer("127.0.0.1:8080", strings.TrimPrefix(front, "http://"), "127.0.0.1:9000", strings.TrimPrefix(app, "http://"), "…", d.house.Keys.UpstreamSecret(site),
		"listen 80;", "listen 127.0.0.1:"+port+";", "http://society.example.org {", "http://"+site+".example.org:"+port+" {", "society.example.org", site+".example.org").Replace(config), port)
	return "127.0.0.1:" + port
}
