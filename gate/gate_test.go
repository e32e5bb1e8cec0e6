package gate

import (
	"bytes"
	"context"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"velada/app/doors"
	"velada/core/access"
	"velada/demo"
	"velada/demo/demotest"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// door is the demo house behind a gate, on a real SQLite file and a clock that
// is moved by hand.
type door struct {
	testing.TB
	house *house.House
	gate  *Gate
	now   time.Time
}

func siteURL(address string) string { return "http://" + address + ".localhost" }

func open(t *testing.T) *door { return openTB(t) }

func openTB(t testing.TB) *door {
	t.Helper()
	d := &door{TB: t, now: demo.Start}
	ctx := context.Background()
	db := demotest.Open(t)
	var err error
	if d.house, err = house.Open(ctx, db, func() time.Time { return d.now }); err != nil {
		t.Fatal(err)
	}
	d.gate = New(d.house, "http://velada.localhost", false, siteURL)
	return d
}

// asked is a request to a site; cookies are name=value.
type asked struct {
	site, path, method, form string
	cookies                  []string
	header                   map[string]string
	from                     string
}

func (d *door) ask(a asked) *http.Response {
	d.Helper()
	if a.method == "" {
		a.method = http.MethodGet
	}
	r := httptest.NewRequest(a.method, "http://"+a.site+".localhost/", strings.NewReader(a.form))
	r.RequestURI = a.path
	if u, err := url.ParseRequestURI(a.path); err == nil {
		u.Host, u.Scheme = r.URL.Host, r.URL.Scheme
		r.URL = u
	}
	if a.form != "" {
		r.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	}
	for _, c := range a.cookies {
		r.Header.Add("Cookie", c)
	}
	for name, value := range a.header {
		r.Header.Set(name, value)
	}
	r.RemoteAddr = "203.0.113.5:4000"
	if a.from != "" {
		r.RemoteAddr = a.from + ":4000"
	}
	w := httptest.NewRecorder()
	d.gate.Serve(w, r, a.site)
	return w.Result()
}

func body(t testing.TB, r *http.Response) string {
	t.Helper()
	text, err := io.ReadAll(r.Body)
	if err != nil {
		t.Fatal(err)
	}
	return string(text)
}

// visiting signs somebody in on a site's host and returns the cookie.
func (d *door) visiting(address, site string) string {
	d.Helper()
	a, err := access.ParseAddress(address)
	if err != nil {
		d.Fatal(err)
	}
	who := d.house.State().WhoHas(a)
	session := identity.Token()
	if err := d.house.Sessions.BeginSession(context.Background(), session, who, "A browser", "password"); err != nil {
		d.Fatal(err)
	}
	code := d.house.Sessions.Tickets.Issue(identity.Ticket{Site: string(d.house.State().ID(site)), Nonce: identity.Nonced("nonce"), Console: session}, time.Now())
	r := d.ask(asked{site: site, path: "/velada/enter?ticket=" + code + "&path=/", cookies: []string{nonceCookie + "=nonce"}})
	for _, c := range r.Cookies() {
		if c.Name == visitCookie {
			return visitCookie + "=" + c.Value
		}
	}
	d.Fatalf("no visit for %s: %d", address, r.StatusCode)
	return ""
}

// enter enters a password at a door and returns the cookie of passes.
func (d *door) enter(site, path, password string, cookies ...string) (*http.Response, string) {
	d.Helper()
	r := d.ask(asked{site: site, path: "/velada/pass", method: http.MethodPost, form: url.Values{"path": {path}, "password": {password}}.Encode(), cookies: cookies})
	for _, c := range r.Cookies() {
		if c.Name == passCookie {
			return r, passCookie + "=" + c.Value
		}
	}
	return r, ""
}

// change applies a change to a site as its steward.
func (d *door) change(site string, change func(s *access.Site)) {
	d.Helper()
	a := d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	err := d.house.Trays.Rehearse(context.Background(), a, site, func(s *access.Site, _ map[string]store.NewSecret) error {
		change(s)
		return nil
	})
	if err == nil {
		err = d.house.Trays.Apply(context.Background(), a, site, true)
	}
	if err != nil {
		d.Fatal(err)
	}
}

func TestOutcomes(t *testing.T) {
	d := open(t)
	ines, tobias := d.visiting("ines@cerroalcor.example", "variable-stars"), d.visiting("tobias@lens.example", "variable-stars")
	for _, c := range []struct {
		name   string
		ask    asked
		status int
		header map[string]string
		text   string
	}{
		{"open to anybody", asked{site: "society", path: "/"}, 200, map[string]string{"Cache-Control": "public, max-age=0, must-revalidate", "X-Robots-Tag": ""}, "Clear nights"},
		{"by an escaped path", asked{site: "society", path: "/%6fpen-nights"}, 308, map[string]string{"Location": "/open-nights"}, ""},
		{"by a crooked path", asked{site: "society", path: "/visit/../open-nights/?a=1"}, 308, map[string]string{"Location": "/open-nights?a=1"}, ""},
		{"crooked, and shut", asked{site: "variable-stars", path: "/notes//week-1"}, 401, nil, "Sign in"},
		{"dots that lead past a door", asked{site: "society", path: "/visit/..%2fmembers"}, 401, nil, ""},
		{"challenge", asked{site: "variable-stars", path: "/"}, 401, map[string]string{"WWW-Authenticate": "Velada", "X-Robots-Tag": "noindex", "Cache-Control": "private, no-store"}, "Sign in"},
		{"on the guest list", asked{site: "variable-stars", path: "/", cookies: []string{tobias}}, 200, map[string]string{"Cache-Control": "private, no-store", "X-Robots-Tag": "noindex"}, "Tobias Okafor"},
		{"refused", asked{site: "variable-stars", path: "/crew/antlia", cookies: []string{tobias}}, 403, nil, "not for you"},
		{"the team everywhere", asked{site: "variable-stars", path: "/marking", cookies: []string{ines}}, 200, nil, "How show night is judged"},
		{"hidden from others", asked{site: "variable-stars", path: "/marking", cookies: []string{tobias}}, 404, nil, "no such page"},
		{"missing", asked{site: "society", path: "/nowhere"}, 404, map[string]string{"X-Robots-Tag": "noindex"}, "no such page"},
		{"a draft", asked{site: "august", path: "/"}, 404, nil, "nothing at this address"},
		{"a draft's robots", asked{site: "august", path: "/robots.txt"}, 404, nil, "nothing at this address"},
		{"coming soon", asked{site: "new-dome", path: "/building"}, 200, map[string]string{"Cache-Control": "private, no-store"}, "Six metres of copper, nearly done"},
		{"past it by network", asked{site: "new-dome", path: "/building", from: "192.0.2.44"}, 200, map[string]string{"Cache-Control": "private, no-store"}, "How it was built"},
		{"exempt", asked{site: "new-dome", path: "/privacy"}, 200, nil, "We count visits"},
		{"bad escape", asked{site: "society", path: "/%zz"}, 400, nil, ""},
		{"backslash", asked{site: "society", path: "/a%5cb"}, 400, nil, ""},
		{"posting to a page", asked{site: "society", path: "/", method: http.MethodPost}, 405, nil, ""},
		{"head", asked{site: "society", path: "/", method: http.MethodHead}, 200, nil, ""},
		{"the site's style", asked{site: "society", path: "/velada/site-broadside.css"}, 200, nil, ""},
		{"no such asset", asked{site: "society", path: "/velada/secret"}, 404, nil, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			r := d.ask(c.ask)
			text := body(t, r)
			if r.StatusCode != c.status || !strings.Contains(text, c.text) {
				t.Errorf("%d, want %d with %q:\n%.600s", r.StatusCode, c.status, c.text, text)
			}
			for name, want := range c.header {
				if got := r.Header.Get(name); got != want {
					t.Errorf("%s is %q, want %q", name, got, want)
				}
			}
			if c.ask.method == http.MethodHead && text != "" {
				t.Error("a body for HEAD")
			}
		})
	}
}

func TestMaintenanceSaysWhenToComeBack(t *testing.T) {
	d := open(t)
	d.now = time.Date(2026, 12, 1, 1, 30, 0, 0, time.UTC) // half an hour into it
	r := d.ask(asked{site: "instrument-log", path: "/"})
	if r.StatusCode != 503 || r.Header.Get("Retry-After") != "5400" || r.Header.Get("X-Robots-Tag") != "" {
		t.Errorf("%d, Retry-After %q, X-Robots-Tag %q", r.StatusCode, r.Header.Get("Retry-After"), r.Header.Get("X-Robots-Tag"))
	}
}

// A hidden page on a public site answers byte for byte as a page that is not there.
func TestHiddenAnswersAsMissing(t *testing.T) {
	d := open(t)
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/history", Mode: "also", Hide: true, Ways: []access.Way{{Way: "members"}}})
	})
	hidden, missing := d.ask(asked{site: "society", path: "/history"}), d.ask(asked{site: "society", path: "/no-page"})
	a, b := new(bytes.Buffer), new(bytes.Buffer)
	if err := hidden.Write(a); err != nil {
		t.Fatal(err)
	}
	if err := missing.Write(b); err != nil {
		t.Fatal(err)
	}
	if hidden.StatusCode != 404 || a.String() != b.String() {
		t.Errorf("hidden:\n%s\nmissing:\n%s", a, b)
	}
	if menu := body(t, d.ask(asked{site: "society", path: "/"})); strings.Contains(menu, "/history") {
		t.Error("the menu tells of the hidden page")
	}
}

func TestPasses(t *testing.T) {
	d := open(t)
	wrong, none := d.enter("dossier", "/budget", "not this")
	if wrong.StatusCode != 401 || none != "" || !strings.Contains(body(t, wrong), "does not open this page") {
		t.Errorf("a wrong password: %d %q", wrong.StatusCode, none)
	}
	right, cookie := d.enter("dossier", "/budget", demo.Passes["dossier"]["nordlys"])
	if right.StatusCode != 303 || right.Header.Get("Location") != "/budget" || cookie == "" {
		t.Fatalf("the right password: %d to %q", right.StatusCode, right.Header.Get("Location"))
	}
	if c := right.Cookies()[0]; !c.HttpOnly || c.SameSite != http.SameSiteLaxMode || c.Domain != "" {
		t.Errorf("the cookie is %+v", c)
	}
	status := func(site string, cookies ...string) int {
		return d.ask(asked{site: site, path: "/", cookies: cookies}).StatusCode
	}
	if got := status("dossier", cookie); got != 200 {
		t.Errorf("the holder meets %d", got)
	}
	if got := status("dossier", cookie+"x"); got != 401 {
		t.Errorf("a tampered cookie meets %d", got)
	}
	if got := status("dossier", strings.Replace(cookie, "nordlys", "hollis", 1)); got != 401 {
		t.Errorf("a renamed pass meets %d", got)
	}
	if got := doors.Held(d.house, "pass", d.house.State(), "new-dome", strings.TrimPrefix(cookie, passCookie+"=")); len(got) > 0 {
		t.Errorf("a pass of one site means %v on another", got)
	}
	d.change("dossier", func(s *access.Site) { s.Passes[2].Revoked = true })
	if got := status("dossier", cookie); got != 401 {
		t.Errorf("after it was revoked the holder meets %d", got)
	}
	d.change("dossier", func(s *access.Site) { s.Passes[2].Revoked = false })
	if got := status("dossier", cookie); got != 401 {
		t.Errorf("a pass that counts again lets in who entered it before: %d", got)
	}
	_, second := d.enter("dossier", "/", demo.Passes["dossier"]["nordlys"])
	d.now = d.now.AddDate(0, 3, 0)
	if got := status("dossier", second); got != 401 {
		t.Errorf("after its end the holder meets %d", got)
	}
}

func TestANewPasswordLocksOutTheOld(t *testing.T) {
	d := open(t)
	_, cookie := d.enter("dossier", "/", demo.Passes["dossier"]["hollis"])
	a := d.house.Actor(access.Address{Local: "pilar", Domain: "cerroalcor.example"})
	ctx := context.Background()
	err := d.house.Trays.Rehearse(ctx, a, "dossier", func(s *access.Site, secrets map[string]store.NewSecret) error {
		secrets["hollis"] = d.house.State().SecretFor("dossier", "walnut ferry indigo moss")
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if got := d.ask(asked{site: "dossier", path: "/", cookies: []string{cookie}}).StatusCode; got != 200 {
		t.Errorf("while it is rehearsed the holder meets %d", got)
	}
	if err := d.house.Trays.Apply(ctx, a, "dossier", true); err != nil {
		t.Fatal(err)
	}
	if got := d.ask(asked{site: "dossier", path: "/", cookies: []string{cookie}}).StatusCode; got != 401 {
		t.Errorf("once applied the holder meets %d", got)
	}
	if r, _ := d.enter("dossier", "/", "walnut ferry indigo moss"); r.StatusCode != 303 {
		t.Errorf("the new password: %d", r.StatusCode)
	}
}

func TestGuessingIsSlowed(t *testing.T) {
	d := open(t)
	for i := range 5 {
		if r, _ := d.enter("dossier", "/", "guess"); r.StatusCode != 401 {
			t.Fatalf("guess %d: %d", i, r.StatusCode)
		}
	}
	r, cookie := d.enter("dossier", "/", demo.Passes["dossier"]["nordlys"])
	if r.StatusCode != 429 || cookie != "" || r.Header.Get("Retry-After") == "" || !strings.Contains(body(t, r), "Try again in") {
		t.Errorf("after five wrong guesses: %d", r.StatusCode)
	}
	if r, _ := d.enter("new-dome", "/", "guess"); r.StatusCode == 429 {
		t.Error("another site's door is slowed too")
	}
}

func TestTickets(t *testing.T) {
	d := open(t)
	now := time.Now()
	if err := d.house.Sessions.BeginSession(context.Background(), "session", "pilar", "A browser", "password"); err != nil {
		t.Fatal(err)
	}
	stars := string(d.house.State().ID("variable-stars"))
	issue := func() string {
		return d.house.Sessions.Tickets.Issue(identity.Ticket{Site: stars, Nonce: identity.Nonced("nonce"), Console: "session"}, now)
	}
	enter := func(site, code string, cookies ...string) (visits int) {
		if cookies == nil {
			cookies = []string{nonceCookie + "=nonce"}
		}
		for _, c := range d.ask(asked{site: site, path: "/velada/enter?ticket=" + code + "&path=//evil.example/x", cookies: cookies}).Cookies() {
			if c.Name == visitCookie {
				visits++
			}
		}
		return visits
	}
	for _, another := range []string{"other=1", nonceCookie + "=another", nonceCookie + "=" + identity.Nonced("nonce")} {
		if enter("variable-stars", issue(), another) != 0 {
			t.Errorf("a ticket counts in a browser with %s", another)
		}
	}
	code := issue()
	if enter("variable-stars", code) != 1 || enter("variable-stars", code) != 0 {
		t.Error("a ticket counts once")
	}
	if enter("society", issue()) != 0 {
		t.Error("a ticket counts on its own host alone")
	}
	code = issue()
	if _, ok := d.house.Sessions.Tickets.Redeem(code, stars, "nonce", now.Add(identity.TicketLife)); ok {
		t.Error("a ticket counts after its end")
	}
	r := d.ask(asked{site: "variable-stars", path: "/velada/enter?ticket=" + issue() + "&path=//evil.example/x"})
	if to := r.Header.Get("Location"); to != "/" {
		t.Errorf("it leads to %q", to)
	}
}

func TestSigningOutEndsTheVisit(t *testing.T) {
	d := open(t)
	cookie := d.visiting("pilar@cerroalcor.example", "variable-stars")
	status := func() int {
		return d.ask(asked{site: "variable-stars", path: "/", cookies: []string{cookie}}).StatusCode
	}
	if status() != 200 {
		t.Fatal("not let in")
	}
	other := d.ask(asked{site: "variable-stars", path: "/velada/leave", method: http.MethodPost, form: "x=1", cookies: []string{cookie}, header: map[string]string{"Sec-Fetch-Site": "cross-site"}})
	if other.StatusCode != 403 || status() != 200 {
		t.Errorf("another site's form: %d", other.StatusCode)
	}
	if err := d.house.Sessions.SignOutEverywhere(context.Background(), "pilar", ""); err != nil || status() != 401 {
		t.Errorf("after the console session ended: %d, %v", status(), err)
	}
}

func TestFilesHaveTheDoorsOfTheirPath(t *testing.T) {
	d := open(t)
	r := d.ask(asked{site: "society", path: "/hill.svg"})
	if r.StatusCode != 200 || r.Header.Get("Content-Type") != "image/svg+xml" || !strings.Contains(r.Header.Get("Content-Security-Policy"), "sandbox") {
		t.Errorf("%d %v", r.StatusCode, r.Header)
	}
	if again := d.ask(asked{site: "society", path: "/hill.svg", header: map[string]string{"If-None-Match": r.Header.Get("ETag")}}); again.StatusCode != 304 {
		t.Errorf("asked again: %d", again.StatusCode)
	}
	d.change("society", func(s *access.Site) { s.Door.Ways = []access.Way{{Way: "members"}} })
	if shut := d.ask(asked{site: "society", path: "/hill.svg", header: map[string]string{"If-None-Match": r.Header.Get("ETag")}}); shut.StatusCode != 401 {
		t.Errorf("behind a door: %d", shut.StatusCode)
	}
	d.change("society", func(s *access.Site) {
		s.Door.Ways = []access.Way{{Way: "anyone"}}
		s.Doors = append(s.Doors, access.PageDoor{Path: "/hill.svg", Mode: "also", Hide: true})
	})
	if hidden := d.ask(asked{site: "society", path: "/hill.svg"}); hidden.StatusCode != 404 {
		t.Errorf("hidden: %d", hidden.StatusCode)
	}
}

func TestAChangeHoldsAtTheNextRequest(t *testing.T) {
	d := open(t)
	first := d.ask(asked{site: "society", path: "/visit"})
	again := asked{site: "society", path: "/visit", header: map[string]string{"If-None-Match": first.Header.Get("ETag")}}
	if got := d.ask(again).StatusCode; got != 304 {
		t.Errorf("asked again: %d", got)
	}
	d.change("society", func(s *access.Site) { s.Door.Ways = nil })
	if got := d.ask(again).StatusCode; got != 403 {
		t.Errorf("after the change: %d", got)
	}
}

func TestCrawlersLearnOfListedPagesAlone(t *testing.T) {
	d := open(t)
	robots := body(t, d.ask(asked{site: "society", path: "/robots.txt"}))
	if !strings.Contains(robots, "Disallow:\n") || strings.Contains(robots, "Disallow: /") {
		t.Error(robots)
	}
	sitemap := body(t, d.ask(asked{site: "society", path: "/sitemap.xml"}))
	if !strings.Contains(sitemap, "/open-nights</loc>") || strings.Contains(sitemap, "members") {
		t.Error(sitemap)
	}
	if !strings.Contains(sitemap, "/open-nights</loc><lastmod>20") {
		t.Errorf("when a page was changed is not said: %s", sitemap)
	}
	none := d.ask(asked{site: "dossier", path: "/sitemap.xml"})
	if text := body(t, none); none.StatusCode != http.StatusNotFound || strings.Contains(text, "<") {
		t.Errorf("a site of which nothing is listed has a sitemap: %d %s", none.StatusCode, text)
	}
	if robots := body(t, d.ask(asked{site: "dossier", path: "/robots.txt"})); strings.Contains(robots, "Sitemap:") {
		t.Errorf("robots.txt names a sitemap that there is not: %s", robots)
	}
}

// Without a policy, or in trouble, the gate never answers with a page.
func TestTheGateFailsClosed(t *testing.T) {
	db, err := store.Open(context.Background(), filepath.Join(t.TempDir(), "velada.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	empty, err := house.Open(context.Background(), db, time.Now)
	if err != nil {
		t.Fatal(err)
	}
	d := &door{TB: t, house: empty, gate: New(empty, "http://velada.localhost", false, siteURL)}
	if r := d.ask(asked{site: "society", path: "/"}); r.StatusCode != 503 || strings.Contains(body(t, r), "Clear nights") {
		t.Errorf("no house: %d", r.StatusCode)
	}
	d = open(t)
	delete(d.house.State().Site("society").Live.Pages, "/")
	if r := d.ask(asked{site: "society", path: "/"}); r.StatusCode != 200 || !strings.Contains(body(t, r), "Nothing is written") {
		t.Errorf("a page that nobody has written: %d", r.StatusCode)
	}
	d.house.State().Policy = nil
	if r := d.ask(asked{site: "society", path: "/"}); r.StatusCode != 503 {
		t.Errorf("in trouble: %d", r.StatusCode)
	}
}
