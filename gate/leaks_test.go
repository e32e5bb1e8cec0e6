package gate

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"golang.org/x/net/websocket"

	"velada/app/doors"
	"velada/app/members"
	"velada/app/pages"
	"velada/app/people"
	"velada/core/access"
	"velada/demo/demotest"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// elsewhere changes what Velada is told of the server that a site lives on.
func (d *door) elsewhere(site string, e doors.Elsewhere) {
	d.Helper()
	if err := doors.SetUpstream(d.Context(), d.house, d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"}), site, e); err != nil {
		d.Fatal(err)
	}
}

// Servers read paths in their own ways: whatever they might read as a path behind a
// shut door is refused, unless it is said that they do not.
func TestPathsThatServersReadOtherwise(t *testing.T) {
	d := open(t)
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/admin", Mode: "also", Ways: []access.Way{{Way: "groups", Groups: []string{"council"}}}})
	})
	asked := ""
	up := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { asked = r.RequestURI }))
	defer up.Close()
	secret := d.house.Keys.UpstreamSecret("society")
	for _, c := range []struct {
		raw             string
		forward, decide int // as it is
		literal         int // where the server reads paths as they stand
		anyCase         int // where it takes all letters for the same
	}{
		{"/visit", 200, 200, 200, 200},
		{"/admin", 401, 401, 401, 401},
		{"/admin;x=1", 400, 403, 200, 400},
		{"/x;/..;/admin", 400, 403, 200, 400},
		{"/admin.", 400, 403, 200, 400},
		{"/admin%20", 400, 403, 200, 400},
		{"/admin%2e", 400, 403, 200, 400},
		{"/admin;/users", 400, 403, 200, 400},
		{"/admin%3bx", 400, 403, 200, 400},
		{"/ADMIN", 200, 200, 200, 401},
		{"/Admin/Users", 200, 200, 200, 401},
		{"/%61dmin", 401, 401, 401, 401},
		{"/open//../admin", 401, 403, 401, 401},
		{"/admin/", 401, 401, 401, 401},
	} {
		for _, how := range []struct {
			name string
			e    doors.Elsewhere
			want int
		}{{"as it is", doors.Elsewhere{}, c.forward}, {"literal", doors.Elsewhere{Literal: true}, c.literal}, {"any case", doors.Elsewhere{AnyCase: true}, c.anyCase}} {
			how.e.Upstream = up.URL
			d.elsewhere("society", how.e)
			asked = ""
			got := d.ask(asking(c.raw)).StatusCode
			if got != how.want || (got == 200) != (asked != "") {
				t.Errorf("%s, %s: %d, want %d; the server was asked for %q", c.raw, how.name, got, how.want, asked)
			}
		}
		d.elsewhere("society", doors.Elsewhere{})
		r := d.ask(askedOf("society", "/velada/decide", map[string]string{"X-Forwarded-Uri": c.raw, "Velada-Secret": secret}))
		if r.StatusCode != c.decide {
			t.Errorf("%s, asked first: %d, want %d", c.raw, r.StatusCode, c.decide)
		}
	}
}

func asking(path string) asked { return asked{site: "society", path: path} }

func askedOf(site, path string, header map[string]string) asked {
	return asked{site: site, path: path, header: header}
}

func TestDecidingIsForTheSitesServersAlone(t *testing.T) {
	d := open(t)
	visit := d.visiting("tobias@lens.example", "variable-stars")
	decide := func(uri, secret, from string) *http.Response {
		a := askedOf("variable-stars", "/velada/decide", map[string]string{"X-Forwarded-Uri": uri, "Velada-Secret": secret, "X-Forwarded-For": "198.51.100.7"})
		a.cookies, a.from = []string{visit}, from
		return d.ask(a)
	}
	secret := d.house.Keys.UpstreamSecret("variable-stars")
	missing := d.ask(asked{site: "variable-stars", path: "/velada/nothing", cookies: []string{visit}})
	for name, s := range map[string]string{"no secret": "", "another": "x", "another site's": d.house.Keys.UpstreamSecret("society")} {
		r := decide("/how-to-join", s, "")
		if r.StatusCode != missing.StatusCode || r.Header.Get("Velada-Signature") != "" {
			t.Errorf("%s: %d, %q", name, r.StatusCode, r.Header.Get("Velada-Signature"))
		}
	}
	if r := decide("/how-to-join", secret, ""); r.StatusCode != 200 || r.Header.Get("Velada-Identity") != "tobias@lens.example" {
		t.Errorf("with the secret: %d %v", r.StatusCode, r.Header)
	}
	d.elsewhere("variable-stars", doors.Elsewhere{Askers: []string{"10.2.0.7", "2001:db8::/32"}})
	for from, want := range map[string]int{"10.2.0.7": 200, "10.2.0.8": missing.StatusCode, "203.0.113.5": missing.StatusCode} {
		if r := decide("/how-to-join", "", from); r.StatusCode != want {
			t.Errorf("from %s: %d, want %d", from, r.StatusCode, want)
		}
	}
}

func TestWhatHidesBehindAServerIsAsWhatIsMissing(t *testing.T) {
	d := open(t)
	up := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path != "/secret-plans" {
			w.Header().Set("X-Path", r.URL.Path)
			http.Error(w, "There is no "+r.URL.Path+" here", http.StatusNotFound)
		}
	}))
	defer up.Close()
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/secret-plans", Mode: "also", Hide: true, Ways: []access.Way{{Way: "groups", Groups: []string{"council"}}}})
	})
	d.elsewhere("society", doors.Elsewhere{Upstream: up.URL})
	say := func(path string) string {
		r := d.ask(asking(path))
		r.Header.Del("Date")
		return strings.ReplaceAll(fmt.Sprint(r.StatusCode, r.Header, body(t, r)), path, "PATH")
	}
	if hidden, missing := say("/secret-plans"), say("/no-such-page"); hidden != missing {
		t.Errorf("hidden:\n%s\nmissing:\n%s", hidden, missing)
	}
}

func TestShortNamesTellNothingOfWhatHides(t *testing.T) {
	d := open(t)
	ines := d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	for name, path := range map[string]string{"marks": "/marking", "notes": "/notes"} {
		if err := pages.SetShortName(d.Context(), d.house, ines, "variable-stars", name, path); err != nil {
			t.Fatal(err)
		}
	}
	for name, cookie := range map[string]string{"a stranger": "", "somebody who is let in": d.visiting("tobias@lens.example", "variable-stars")} {
		say := func(short string) string {
			r := d.ask(asked{site: "variable-stars", path: "/go/" + short, cookies: []string{cookie}})
			return strings.ReplaceAll(fmt.Sprint(r.StatusCode, r.Header.Get("Location"), body(t, r)), short, "NAME")
		}
		if hidden, none := say("marks"), say("nones"); hidden != none {
			t.Errorf("%s: hidden\n%.300s\nnone\n%.300s", name, hidden, none)
		}
		if got := say("notes"); !strings.HasPrefix(got, "302") {
			t.Errorf("%s: %.80s", name, got)
		}
	}
}

func TestHeadersAndCookiesInOtherSpellings(t *testing.T) {
	d, front := inFront(t)
	r, err := http.NewRequest(http.MethodGet, front.URL+"/", nil)
	if err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"Velada_Identity", "velada-person", "VELADA_SIGNATURE", "Velada_Person"} {
		r.Header[name] = []string{"ines@cerroalcor.example"}
	}
	r.Header.Set("Cookie", "__Host-velada_visit=x; velada-visit=y; theirs=1")
	answer, err := http.DefaultTransport.RoundTrip(r)
	if err != nil {
		t.Fatal(err)
	}
	defer answer.Body.Close()
	text, _ := io.ReadAll(answer.Body)
	if strings.Contains(string(text), "ines@") || strings.Contains(string(text), "visit=") || !strings.Contains(string(text), "theirs=1") {
		t.Errorf("%s", text)
	}
	_ = d
}

func TestASocketEndsWithItsDoor(t *testing.T) {
	for name, shut := range map[string]func(d *door){
		"the door closes":       func(d *door) { d.change("society", func(s *access.Site) { s.Door.Ways = []access.Way{{Way: "pass"}} }) },
		"the visitor signs out": func(d *door) { _ = d.house.Sessions.SignOutEverywhere(context.Background(), "mirela", "") },
		"they are blocked":      func(d *door) { d.block("mirela") },
		"the site is unpublished": func(d *door) {
			_ = pages.Unpublish(context.Background(), d.house, d.actorOf("ines"), pages.Unpublishing{Site: "society", Down: true})
		},
	} {
		t.Run(name, func(t *testing.T) {
			d, front := inFront(t)
			d.change("society", func(s *access.Site) { s.Door.Ways = []access.Way{{Way: "signed-in"}} })
			config, err := websocket.NewConfig(strings.Replace(front.URL, "http", "ws", 1)+"/echo", front.URL)
			if err != nil {
				t.Fatal(err)
			}
			config.Header.Set("Cookie", d.visiting("mirela@brasov.example", "society"))
			socket, err := websocket.DialConfig(config)
			if err != nil {
				t.Fatal(err)
			}
			defer socket.Close()
			echo := func(wait time.Duration) error {
				reply := ""
				if err := socket.SetDeadline(time.Now().Add(wait)); err != nil {
					return err
				}
				if err := websocket.Message.Send(socket, "hello"); err != nil {
					return err
				}
				return websocket.Message.Receive(socket, &reply)
			}
			d.change("society", func(s *access.Site) { s.Holding.Kind = "maintenance"; s.Doors = nil }) // something else changes
			if err := echo(5 * time.Second); err != nil {
				t.Fatalf("it is cut although its door is open: %v", err)
			}
			shut(d)
			for range 50 {
				if err := echo(2 * time.Second); err != nil {
					return
				}
				time.Sleep(20 * time.Millisecond)
			}
			t.Error("it is still open")
		})
	}
}

func (d *door) block(id string) {
	d.Helper()
	p, _ := d.house.ActorOf(store.Who(id))
	c, err := people.ChangePerson(d.house, people.PersonForm{ID: id, Name: p.Name, Address: p.Address.String(), Blocked: true})
	if err == nil {
		err = d.house.ChangePeople(d.Context(), d.actorOf("ines"), c)
	}
	if err != nil {
		d.Fatal(err)
	}
}

func TestTheHoldingPicturesTimeComesWithItsPage(t *testing.T) {
	d := open(t)
	if err := d.holdingPage("society", store.HoldingPage{Design: "poster", Picture: demotest.Dot, PictureType: "image/png"}); err != nil {
		t.Fatal(err)
	}
	get := func(cookies ...string) int {
		return d.ask(asked{site: "society", path: "/velada/holding-picture", cookies: cookies}).StatusCode
	}
	if got := get(); got != 404 {
		t.Errorf("before the page is up: %d", got)
	}
	if got := get(d.visiting("pilar@cerroalcor.example", "society")); got != 200 {
		t.Errorf("to the team: %d", got)
	}
	d.change("society", func(s *access.Site) { s.Holding.On = true })
	if got := get(); got != 200 {
		t.Errorf("while it is up: %d", got)
	}
}

func TestConditionsAndRanges(t *testing.T) {
	d := open(t)
	get := func(path string, header map[string]string) *http.Response {
		return d.ask(askedOf("society", path, header))
	}
	plain := get("/visit", map[string]string{"Accept-Encoding": "gzip;q=0, *;q=0"})
	packed := get("/visit", map[string]string{"Accept-Encoding": "br, gzip"})
	if plain.Header.Get("Content-Encoding") != "" || packed.Header.Get("Content-Encoding") != "gzip" {
		t.Fatalf("%v %v", plain.Header, packed.Header)
	}
	if plain.Header.Get("Etag") == packed.Header.Get("Etag") || plain.Header.Get("Etag") == "" {
		t.Errorf("one strong tag for two encodings: %s", plain.Header.Get("Etag"))
	}
	z, err := gzip.NewReader(strings.NewReader(body(t, packed)))
	if err != nil {
		t.Fatal(err)
	}
	unpacked, _ := io.ReadAll(z)
	text := body(t, plain)
	if text != string(unpacked) {
		t.Error("the two say different things")
	}
	tag := plain.Header.Get("Etag")
	for match, want := range map[string]int{
		tag: 304, "W/" + tag: 304, `"x", ` + tag: 304, `"x",W/` + tag + `, "y"`: 304, "*": 304, packed.Header.Get("Etag"): 304,
		`"x"`: 200, strings.Trim(tag, `"`): 200, "": 200, `W/"x"`: 200,
	} {
		if got := get("/visit", map[string]string{"If-None-Match": match}).StatusCode; got != want {
			t.Errorf("If-None-Match %s: %d, want %d", match, got, want)
		}
	}
	whole := body(t, get("/hill.svg", nil))
	for asked, want := range map[string]string{"bytes=0-4": whole[:5], "bytes=-5": whole[len(whole)-5:], "bytes=10-": whole[10:]} {
		r := get("/hill.svg", map[string]string{"Range": asked})
		if got := body(t, r); r.StatusCode != 206 || got != want {
			t.Errorf("%s: %d %q", asked, r.StatusCode, got)
		}
	}
	if r := get("/hill.svg", map[string]string{"Range": "bytes=999999-"}); r.StatusCode != 416 {
		t.Errorf("past the end: %d", r.StatusCode)
	}
	file := get("/hill.svg", nil).Header.Get("Etag")
	if r := get("/hill.svg", map[string]string{"If-None-Match": `"x", W/` + file}); r.StatusCode != 304 {
		t.Errorf("a file that is known: %d", r.StatusCode)
	}
}

// What a site's own code sets as a cookie is never taken for Velada's where visitors
// come by https.
func TestCookiesAreTheHostsOwn(t *testing.T) {
	d := open(t)
	visit := d.visiting("pilar@cerroalcor.example", "variable-stars")
	d.gate.Secure = true
	status := func(cookie string) int {
		return d.ask(asked{site: "variable-stars", path: "/", cookies: []string{cookie}}).StatusCode
	}
	if status(visit) != 401 || status(hostOnly+visit) != 200 {
		t.Errorf("%d without the prefix, %d with it", status(visit), status(hostOnly+visit))
	}
	r, _ := d.enter("dossier", "/", "aurora over the fjord")
	for _, c := range r.Cookies() {
		if !strings.HasPrefix(c.Name, hostOnly) || !c.Secure || c.Path != "/" || c.Domain != "" || !c.HttpOnly {
			t.Errorf("%+v", c)
		}
	}
	if len(r.Cookies()) == 0 {
		t.Error("no cookie")
	}
}

// Nobody is signed in as somebody else by an address that they are sent: a ticket
// counts in the browser that began to sign in.
func TestSigningInBeginsOnTheSitesHost(t *testing.T) {
	d := open(t)
	r := d.ask(asked{site: "variable-stars", path: "/velada/sign-in?path=/notes"})
	to, err := url.Parse(r.Header.Get("Location"))
	if err != nil || r.StatusCode != 303 || to.Path != "/sign-in" || to.Query().Get("site") != "variable-stars" || to.Query().Get("path") != "/notes" {
		t.Fatalf("%d to %v", r.StatusCode, to)
	}
	if len(r.Cookies()) != 1 || identity.Nonced(r.Cookies()[0].Value) != to.Query().Get("nonce") {
		t.Errorf("%v for %s", r.Cookies(), to)
	}
	for _, path := range []string{"//evil.example", "/%09/evil.example", `/\evil.example`, "https://evil.example", "/%00"} {
		r := d.ask(asked{site: "variable-stars", path: "/velada/sign-in?path=" + url.QueryEscape(path)})
		if to, _ := url.Parse(r.Header.Get("Location")); strings.Contains(to.Query().Get("path"), "evil") && !strings.HasPrefix(to.Query().Get("path"), "/") {
			t.Errorf("%s leads to %s", path, to)
		}
	}
	if none := d.ask(asked{site: "nobody-has-this", path: "/velada/sign-in?path=/"}); none.StatusCode != 303 {
		t.Errorf("a site that there is not: %d", none.StatusCode)
	}
}

// A page with a thousand comments is rendered once for all who wait, whoever hangs up
// waits no more, and a change elsewhere leaves it as it was sent.
func TestOneRenderingForAllWhoWait(t *testing.T) {
	r := d2(t)
	var made atomic.Int64
	release := make(chan struct{})
	render := func() (*house.RenderedPage, []house.Note, error) {
		made.Add(1)
		<-release
		return &house.RenderedPage{Head: []byte("page")}, []house.Note{{Question: house.Question{About: "opens", Of: "/a"}, Answer: "yes"}}, nil
	}
	says := func(answer string) func(house.Question) string { return func(house.Question) string { return answer } }
	var all sync.WaitGroup
	for range 50 {
		all.Go(func() {
			p, err := r.Once(t.Context(), "/", "", says("yes"), render)
			if err != nil || !bytes.Equal(p.Head, []byte("page")) {
				t.Error(p, err)
			}
		})
	}
	for made.Load() == 0 {
		time.Sleep(time.Millisecond)
	}
	gone, hangUp := context.WithCancel(t.Context())
	hangUp()
	if _, err := r.Once(gone, "/", "", says("yes"), render); err == nil {
		t.Error("somebody who hung up waits")
	}
	close(release)
	all.Wait()
	if made.Load() != 1 {
		t.Errorf("rendered %d times", made.Load())
	}
	// whoever renders and gives up leaves it to the others
	if p := r.Find("/", says("no")); p != nil {
		t.Error("who answers otherwise gets what is kept")
	}
	began := make(chan struct{})
	go func() {
		_, _ = r.Once(t.Context(), "/other", "", says("yes"), func() (*house.RenderedPage, []house.Note, error) {
			close(began)
			time.Sleep(10 * time.Millisecond)
			return nil, nil, context.Canceled
		})
	}()
	<-began
	if p, err := r.Once(t.Context(), "/other", "", says("yes"), func() (*house.RenderedPage, []house.Note, error) {
		return &house.RenderedPage{Head: []byte("x")}, nil, nil
	}); err != nil || p == nil {
		t.Error(p, err)
	}
}

func d2(t *testing.T) *house.Rendered { return open(t).house.State().RenderedOf("society") }

func TestACommentDropsWhatItsOwnSiteSent(t *testing.T) {
	d := openForMembers(t)
	before := map[string]*house.Rendered{}
	for _, site := range []string{"society", "variable-stars", "new-dome"} {
		before[site] = d.house.State().RenderedOf(site)
	}
	member := ""
	for _, m := range d.house.State().SiteDocument("society").Members {
		if m.Status == "approved" {
			member = m.Who
			break
		}
	}
	if _, err := members.Comment(t.Context(), d.house, "society", "/members", store.Who(member), "Hello"); err != nil {
		t.Fatal(err)
	}
	for site, was := range before {
		if same := d.house.State().RenderedOf(site) == was; same == (site == "society") {
			t.Errorf("%s: kept %v", site, same)
		}
	}
}

func TestRenderingEndsWithTheRequest(t *testing.T) {
	d := open(t)
	gone, hangUp := context.WithCancel(t.Context())
	hangUp()
	var b bytes.Buffer
	q := &request{Request: httptest.NewRequestWithContext(gone, http.MethodGet, "/", nil), gate: d.gate, state: d.house.State(), address: "society", site: d.house.State().Policy.Site("society"), path: "/", at: access.At(d.now)}
	if err := renderWhile(gone, &b, "page.html", q.meeting().sight("x")); err == nil || b.Len() > 0 {
		t.Errorf("it goes on for nobody: %v, %d bytes", err, b.Len())
	}
}
