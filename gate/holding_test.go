package gate

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"velada/app/doors"
	"velada/core/access"
	"velada/demo/demotest"
	"velada/store"
)

func (d *door) linkPath(site, id string) string {
	return "/velada/in/" + d.house.Keys.LinkToken(site, id, d.house.State().LinkVersion(site, id))
}

func (d *door) follow(site, path string) (int, string) {
	r := d.ask(asked{site: site, path: path})
	for _, c := range r.Cookies() {
		if c.Name == linkCookie {
			return r.StatusCode, linkCookie + "=" + c.Value
		}
	}
	return r.StatusCode, ""
}

func TestLinks(t *testing.T) {
	d := open(t)
	d.change("dossier", func(s *access.Site) {
		s.Links = []access.Link{{ID: "printer", Label: "The printer", Under: "/budget"}, {ID: "later", Under: "/", From: access.At(d.now.Add(time.Hour))}}
		s.Door.Ways = append(s.Door.Ways, access.Way{Way: "link"})
	})
	status, held := d.follow("dossier", d.linkPath("dossier", "printer"))
	if status != http.StatusSeeOther || held == "" {
		t.Fatalf("a link: %d", status)
	}
	for path, want := range map[string]int{"/budget": 200, "/schedule": 401} {
		if got := d.ask(asked{site: "dossier", path: path, cookies: []string{held}}).StatusCode; got != want {
			t.Errorf("%s by a link for /budget: %d", path, got)
		}
	}
	for name, path := range map[string]string{"not yet": d.linkPath("dossier", "later"), "made up": "/velada/in/" + strings.Repeat("A", 24), "of another site": d.linkPath("society", "printer")} {
		if status, cookie := d.follow("dossier", path); status != 404 || cookie != "" {
			t.Errorf("a link %s: %d", name, status)
		}
	}
	uses, err := store.KeyUses(context.Background(), d.house.Reader(), d.house.State().ID("dossier"))
	if err != nil || uses["link:printer"].Uses != 1 || uses["pass:nordlys"].Uses != 14 {
		t.Errorf("%v %v", uses, err)
	}
	old := d.linkPath("dossier", "printer")
	a := d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	err = d.house.Trays.Rehearse(context.Background(), a, "dossier", func(_ *access.Site, secrets map[string]store.NewSecret) error {
		secrets["link:printer"] = store.NewSecret{}
		return nil
	})
	if err == nil {
		err = d.house.Trays.Apply(context.Background(), a, "dossier", true)
	}
	if err != nil {
		t.Fatal(err)
	}
	if got := d.ask(asked{site: "dossier", path: "/budget", cookies: []string{held}}).StatusCode; got != 401 {
		t.Errorf("inside by the old address: %d", got)
	}
	if status, _ := d.follow("dossier", old); status != 404 {
		t.Errorf("the old address: %d", status)
	}
	_, held = d.follow("dossier", d.linkPath("dossier", "printer"))
	d.change("dossier", func(s *access.Site) { s.Links[0].Revoked = true })
	if got := d.ask(asked{site: "dossier", path: "/budget", cookies: []string{held}}).StatusCode; got != 401 {
		t.Errorf("by a revoked link: %d", got)
	}
	if got := d.ask(asked{site: "dossier", path: "/budget", cookies: []string{strings.Replace(held, "printer", "later", 1)}}).StatusCode; got != 401 {
		t.Errorf("by a forged cookie: %d", got)
	}
}

func (d *door) holdingPage(site string, p store.HoldingPage) error {
	return doors.SetHoldingPage(context.Background(), d.house, d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"}), site, p)
}

func TestHoldingPageSays(t *testing.T) {
	d := open(t)
	err := d.holdingPage("new-dome", store.HoldingPage{
		Design: "poster", Heading: "Copper & stars", Words: "One.\n\nTwo.", Contact: "bram@cerroalcor.example",
		Countdown: true, Picture: demotest.Dot, PictureType: "image/png",
	})
	if err != nil {
		t.Fatal(err)
	}
	r := d.ask(asked{site: "new-dome", path: "/"})
	page := body(t, r)
	for _, want := range []string{"h-poster", "Copper &amp; stars", "<p>Two.</p>", "mailto:bram@cerroalcor.example", "<b>102</b> days", "/velada/holding-picture", "/velada/countdown.js"} {
		if !strings.Contains(page, want) {
			t.Errorf("no %q", want)
		}
	}
	if r := d.ask(asked{site: "new-dome", path: "/velada/holding-picture"}); r.StatusCode != 200 || r.Header.Get("Content-Type") != "image/png" {
		t.Errorf("the picture: %d", r.StatusCode)
	}
	if err := d.holdingPage("new-dome", store.HoldingPage{Design: "own", HTML: "<script>steal()</script><h1>Ours</h1>"}); err != nil {
		t.Fatal(err)
	}
	own := d.ask(asked{site: "new-dome", path: "/velada/holding"})
	if policy := own.Header.Get("Content-Security-Policy"); !strings.HasPrefix(policy, "sandbox;") || strings.Contains(policy, "script-src") || !strings.Contains(body(t, own), "<h1>Ours</h1>") {
		t.Errorf("a page of their own: %s", policy)
	}
	if page := body(t, d.ask(asked{site: "new-dome", path: "/"})); !strings.Contains(page, `src="/velada/holding" sandbox`) || strings.Contains(page, "steal") {
		t.Error(page)
	}
	inside := d.ask(asked{site: "new-dome", path: "/velada/holding", cookies: []string{d.visiting("bram@cerroalcor.example", "new-dome")}})
	if inside.StatusCode != 404 {
		t.Errorf("to whoever walks past it: %d", inside.StatusCode)
	}
	for field, p := range map[string]store.HoldingPage{
		"design": {Design: "neon"}, "contact": {Design: "night", Contact: "javascript:alert(1)"}, "html": {Design: "own"},
		"picture": {Design: "night", Picture: []byte("<svg/>"), PictureType: "image/svg+xml"},
	} {
		p.Site = "new-dome"
		if err := d.holdingPage("new-dome", p); err == nil || !strings.Contains(err.Error(), field) {
			t.Errorf("%s: %v", field, err)
		}
	}
}

func TestTheTeamIsToldOfTheHoldingPage(t *testing.T) {
	d := open(t)
	bram := d.visiting("bram@cerroalcor.example", "new-dome")
	page := body(t, d.ask(asked{site: "new-dome", path: "/people", cookies: []string{bram}}))
	if !strings.Contains(page, "Strangers get the coming soon page here until 6 Mar 2027 19:00. You get the site because you are on the team.") {
		t.Errorf("%.600s", page)
	}
	if plain := body(t, d.ask(asked{site: "new-dome", path: "/privacy", cookies: []string{bram}})); strings.Contains(plain, "ribbon") {
		t.Error("told of a holding page that does not stand here")
	}
	look := d.ask(asked{site: "new-dome", path: "/velada/as-stranger?path=%2Fpeople", cookies: []string{bram}})
	if text := body(t, look); look.StatusCode != 200 || !strings.Contains(text, "Six metres of copper, nearly done") || !strings.Contains(text, `href="/people">Back to what you see`) || len(look.Cookies()) > 0 {
		t.Errorf("as a stranger: %d", look.StatusCode)
	}
	if r := d.ask(asked{site: "new-dome", path: "/velada/as-stranger?path=%2Fpeople"}); r.StatusCode != 404 {
		t.Errorf("by a stranger: %d", r.StatusCode)
	}
}

// A host of looks that nobody opened has nothing, also before the first look.
func TestNoLookWasOpenedYet(t *testing.T) {
	d := open(t)
	for _, secure := range []bool{false, true} {
		d.gate.Secure = secure
		glass := &Glass{Gate: d.gate, Origin: func(label string) string { return "http://" + label + ".localhost" }}
		r := httptest.NewRequest(http.MethodGet, "http://look-"+strings.Repeat("0a", 16)+".localhost/", nil)
		r.Header.Set("Sec-Fetch-Dest", "image")
		w := httptest.NewRecorder()
		glass.ServeHTTP(w, r)
		if w.Code != http.StatusNotFound {
			t.Errorf("%t: %d", secure, w.Code)
		}
	}
}

// Looking through somebody's eyes gives what they would get, and neither sets a
// cookie nor shows what the one who looks may not read.
func TestGlass(t *testing.T) {
	d := open(t)
	glass := &Glass{Gate: d.gate, Console: "http://velada.localhost", Origin: func(label string) string { return "http://" + label + ".localhost" }}
	get := func(address string) *http.Response {
		r := httptest.NewRequest(http.MethodGet, address, nil)
		r.Header.Set("Cookie", d.visiting("ines@cerroalcor.example", "variable-stars"))
		w := httptest.NewRecorder()
		glass.ServeHTTP(w, r)
		return w.Result()
	}
	policy := d.house.State().Policy
	look := func(who string, may bool, path string) string {
		v, ok := policy.Observer(who)
		if !ok {
			t.Fatal(who)
		}
		address := glass.Open("variable-stars", As{Policy: policy, Visitor: v, Name: who, At: access.At(d.now), May: func(string) bool { return may }}, path)
		at, err := url.Parse(address)
		d.must(err)
		r := get(address)
		if r.StatusCode != http.StatusSeeOther || r.Header.Get("Location") != path {
			t.Fatalf("%s leads to %q", address, r.Header.Get("Location"))
		}
		return "http://" + at.Host
	}
	stranger := get(look("stranger", true, "/notes") + "/notes")
	policies := strings.Join(stranger.Header.Values("Content-Security-Policy"), "; ")
	if stranger.StatusCode != 401 || len(stranger.Cookies()) > 0 || !strings.Contains(policies, "frame-ancestors 'self' http://velada.localhost") || stranger.Header.Get("X-Frame-Options") != "" {
		t.Errorf("a stranger: %d %v", stranger.StatusCode, stranger.Header)
	}
	at := look("person:pilar", true, "/notes")
	page := get(at + "/notes")
	if text := body(t, page); page.StatusCode != 200 || !strings.Contains(text, `href="/how-to-join"`) || !strings.Contains(text, `href="/velada/site-noticeboard.css`) {
		t.Errorf("pilar: %d %.900s", page.StatusCode, text)
	}
	if r := get(at + "/velada/site-noticeboard.css"); r.StatusCode != 200 {
		t.Errorf("the style: %d", r.StatusCode)
	}
	if r := get(at + "/notes/../notes/"); r.StatusCode != 308 || r.Header.Get("Location") != "/notes" {
		t.Errorf("a crooked path: %d %s", r.StatusCode, r.Header.Get("Location"))
	}
	if text := body(t, get(look("person:pilar", false, "/notes")+"/notes")); strings.Contains(text, "week-1") || !strings.Contains(text, "you may not read it yourself") {
		t.Error("shown what one may not read")
	}
	madeUp := "http://look-" + strings.Repeat("0a", 16) + ".localhost"
	for _, address := range []string{"http://looking-glass.localhost/", "http://looking-glass.localhost/made-up-key/notes", madeUp + "/notes", madeUp + "/velada/look/x/notes", at + "/velada/look/x/notes", at + "/velada/enter?ticket=x", at + "/velada/in/x"} {
		if r := get(address); r.StatusCode < 400 || len(r.Cookies()) > 0 {
			t.Errorf("%s: %d", address, r.StatusCode)
		}
	}
}

// By https the name of a look leads nowhere without its cookie, whatever is shown has no origin, leaves no
// worker and runs no code of head and foot, and a server behind does not learn where it is looked at.
func TestWhatALookShowsHasNoOrigin(t *testing.T) {
	d := open(t)
	d.gate.Secure = true
	told := make(chan string, 10)
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		told <- fmt.Sprint(r.Host, r.Header)
		w.Header().Set("Service-Worker-Allowed", "/")
		w.Header().Set("Content-Type", "text/html")
		_, _ = io.WriteString(w, "<title>theirs</title>")
	}))
	defer behind.Close()
	d.elsewhere("instrument-log", doors.Elsewhere{Upstream: behind.URL})
	d.describe("society", store.Details{Head: "<script>head()</script>", Foot: "<script>foot()</script>"}, nil)
	for _, shared := range []bool{false, true} {
		glass := &Glass{Gate: d.gate, Console: "https://velada.localhost", Origin: func(label string) string { return "https://" + label + ".localhost" }, Shared: shared}
		get := func(address, cookie string, headers ...string) *http.Response {
			r := httptest.NewRequest(http.MethodGet, address, nil)
			r.Header.Set("Cookie", cookie)
			for i := 0; i < len(headers); i += 2 {
				r.Header.Set(headers[i], headers[i+1])
			}
			w := httptest.NewRecorder()
			glass.ServeHTTP(w, r)
			return w.Result()
		}
		policy := d.house.State().Policy
		salma, _ := policy.Observer("person:salma")
		for _, site := range []string{"society", "instrument-log"} {
			address := glass.Open(site, As{Policy: policy, Visitor: salma, At: access.At(d.now)}, "/")
			opened := get(address, "")
			page, err := opened.Location()
			d.must(err)
			to, _ := url.Parse(address)
			at := to.ResolveReference(page).String()
			cookies := opened.Cookies()
			if len(cookies) != 2 || !cookies[0].HttpOnly || !cookies[0].Secure || cookies[0].SameSite != http.SameSiteNoneMode || !cookies[1].Partitioned || strings.Contains(at, cookies[0].Value) {
				t.Fatalf("%s: %v", at, cookies)
			}
			cookie := cookies[0].Name + "=" + cookies[0].Value
			for _, dest := range []string{"", "document", "image", "empty"} {
				if r := get(at, "", "Sec-Fetch-Dest", dest); r.StatusCode != http.StatusNotFound {
					t.Errorf("%s without its cookie: %d", at, r.StatusCode)
				}
			}
			shown := get(at, cookie)
			text := body(t, shown)
			policies := shown.Header.Values("Content-Security-Policy")
			if shown.StatusCode != http.StatusOK || policies[len(policies)-1] != map[string]string{"society": "sandbox allow-forms allow-popups", "instrument-log": "sandbox allow-forms allow-popups allow-scripts"}[site] || strings.Contains(text, "head()") || strings.Contains(text, "foot()") {
				t.Errorf("%s: %d %v", at, shown.StatusCode, policies)
			}
			if shown.Header.Get("Service-Worker-Allowed") != "" || len(shown.Cookies()) > 0 {
				t.Errorf("%s: %v", at, shown.Header)
			}
			if r := get(at, cookie, "Service-Worker", "script"); r.StatusCode != http.StatusNotFound {
				t.Errorf("%s as a worker: %d", at, r.StatusCode)
			}
			if r := get(at, cookie, "Sec-Fetch-Site", "same-site", "Sec-Fetch-Mode", "no-cors"); r.StatusCode != http.StatusNotFound {
				t.Errorf("%s as a sibling asks: %d", at, r.StatusCode)
			}
			other := glass.Open(site, As{Policy: policy, At: access.At(d.now)}, "/")
			if r := get(strings.Replace(other, "/velada/look/", "/?", 1), cookie); r.StatusCode != http.StatusNotFound {
				t.Errorf("the cookie of another look opens %s: %d", other, r.StatusCode)
			}
		}
		if said := <-told; strings.Contains(said, "look") || !strings.HasPrefix(said, "instrument-log.") {
			t.Errorf("the server behind is told %s", said)
		}
	}
}

// What is kept for whoever brings no cookie ends when time changes the answer,
// and at once with every change.
func TestKeptPagesEndInTime(t *testing.T) {
	d := open(t)
	d.change("society", func(s *access.Site) {
		s.Door.Ways = []access.Way{{Way: "anyone", Until: access.At(d.now.Add(time.Hour))}}
	})
	get := func() int { return d.ask(asked{site: "society", path: "/visit"}).StatusCode }
	for range 3 {
		if got := get(); got != 200 {
			t.Fatalf("%d", got)
		}
	}
	start := d.now
	d.now = start.Add(time.Hour)
	if got := get(); got != 403 {
		t.Errorf("after its end: %d", got)
	}
	d.now = start.Add(-time.Minute) // a clock that is set back
	if got := get(); got != 200 {
		t.Errorf("before: %d", got)
	}
	d.now = start
	get()
	d.change("society", func(s *access.Site) { s.Door.Ways = nil })
	if got := get(); got != 403 {
		t.Errorf("after a change: %d", got)
	}
	d.change("society", func(s *access.Site) {
		s.Door.Ways = []access.Way{{Way: "network", Networks: []string{"203.0.113.0/24"}}}
	})
	first, again := get(), get()
	if first != 200 || again != 200 || d.ask(asked{site: "society", path: "/visit", from: "198.51.100.1"}).StatusCode != 403 {
		t.Error("what depends on the network is kept for everybody")
	}
}
