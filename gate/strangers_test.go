package gate

import (
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"velada/app/doors"
	"velada/core/access"
	"velada/store"
)

// How browsers say what set a request off.
var (
	byAddress   = map[string]string{"Sec-Fetch-Site": "none", "Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "document"}
	byLink      = map[string]string{"Sec-Fetch-Site": "same-site", "Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "document"}
	ownPicture  = map[string]string{"Sec-Fetch-Site": "same-origin", "Sec-Fetch-Mode": "no-cors", "Sec-Fetch-Dest": "image"}
	siblings    = map[string]string{"Sec-Fetch-Site": "same-site", "Sec-Fetch-Mode": "no-cors", "Sec-Fetch-Dest": "image"}
	others      = map[string]string{"Sec-Fetch-Site": "cross-site", "Sec-Fetch-Mode": "cors", "Sec-Fetch-Dest": "empty"}
	inAFrame    = map[string]string{"Sec-Fetch-Site": "same-site", "Sec-Fetch-Mode": "navigate", "Sec-Fetch-Dest": "iframe"}
	ofAnOldOne  = map[string]string{"Referer": "http://dossier.localhost/"}
	byAnOldForm = map[string]string{"Origin": "http://dossier.localhost"}
	noOrigin    = map[string]string{"Origin": "null"}
	fromOwnPage = map[string]string{"Referer": "http://variable-stars.localhost/x", "Origin": "http://variable-stars.localhost"}
)

// What a page of another origin asks for is answered as if nobody were signed in, byte for byte, and can
// be embedded by nobody; going there is answered as always.
func TestWhatASiblingAsksCountsAsFromOutside(t *testing.T) {
	d := open(t)
	cookie := d.visiting("pilar@cerroalcor.example", "variable-stars")
	told := func(path, cookie string, header map[string]string) string {
		a := asked{site: "variable-stars", path: path, header: header}
		if cookie != "" {
			a.cookies = []string{cookie}
		}
		r := d.ask(a)
		if r.Header.Get("Cross-Origin-Resource-Policy") != "same-origin" || r.Header.Get("Cross-Origin-Opener-Policy") != "same-origin" {
			t.Errorf("%s may be embedded or held: %v", path, r.Header)
		}
		return r.Status + r.Header.Get("Location") + body(t, r)
	}
	for _, path := range []string{"/notes", "/notes/week-1", "/nowhere", "/velada/me", "/velada/search?q=star", "/velada/look.css", "/velada/site-noticeboard.css", "/crew/antlia", "/robots.txt", "/sitemap.xml", "/velada/icon", "/velada/feed", "/velada/pages", "/velada/comments?path=/notes", "/go/nowhere", "/velada/holding-picture", "/velada/in/made-up", "/notes/week-1/mira.svg"} {
		stranger := told(path, "", byAddress)
		for name, header := range map[string]map[string]string{"a sibling's picture": siblings, "a script elsewhere": others, "a sibling's frame": inAFrame, "an old browser's picture": ofAnOldOne, "an old browser's form": byAnOldForm, "no origin": noOrigin} {
			if told(path, cookie, header) != stranger {
				t.Errorf("%s of %s tells who asks", name, path)
			}
		}
		own := told(path, cookie, byAddress)
		for name, header := range map[string]map[string]string{"a link": byLink, "an own picture": ownPicture, "an old browser's own page": fromOwnPage, "a program": nil} {
			if told(path, cookie, header) != own {
				t.Errorf("%s of %s is not answered as theirs", name, path)
			}
		}
		if path == "/notes" && own == stranger {
			t.Error("nothing differs")
		}
	}
}

// A server behind is handed nothing that may change something where a page of another origin sent it.
func TestForwardedRequestsAreSentFromTheSiteItself(t *testing.T) {
	d := open(t)
	told := make(chan string, 20)
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		told <- r.Method + " by " + r.Header.Get("Velada-Person") + r.Header.Get("Cookie")
		w.Header().Set("Service-Worker-Allowed", "/")
		_, _ = io.WriteString(w, "done")
	}))
	defer behind.Close()
	d.elsewhere("variable-stars", doors.Elsewhere{Upstream: behind.URL})
	cookie := d.visiting("pilar@cerroalcor.example", "variable-stars")
	socket := func(header map[string]string) map[string]string {
		header = maps.Clone(header)
		header["Upgrade"], header["Connection"] = "websocket", "Upgrade"
		return header
	}
	ask := func(method string, header map[string]string) (int, string) {
		r := d.ask(asked{site: "variable-stars", path: "/notes", method: method, header: header, cookies: []string{cookie + "; theirs=1"}})
		select {
		case said := <-told:
			return r.StatusCode, said
		default:
			return r.StatusCode, ""
		}
	}
	for _, header := range []map[string]string{siblings, others, inAFrame, byLink, ofAnOldOne, byAnOldForm, noOrigin} {
		for _, method := range []string{"POST", "PUT", "DELETE", "PATCH", "QUERY"} {
			if status, said := ask(method, header); status != http.StatusForbidden || said != "" {
				t.Errorf("%s %v: %d, the server is told %q", method, header, status, said)
			}
		}
	}
	for _, header := range []map[string]string{siblings, ofAnOldOne, byAnOldForm, noOrigin} {
		if status, said := ask("GET", socket(header)); status != http.StatusForbidden || said != "" {
			t.Errorf("a socket, %v: %d, the server is told %q", header, status, said)
		}
	}
	for _, header := range []map[string]string{ownPicture, fromOwnPage, nil} {
		if status, said := ask("POST", header); status != http.StatusOK || said != "POST by pilartheirs=1" {
			t.Errorf("%v: %d, the server is told %q", header, status, said)
		}
	}
	d.elsewhere("variable-stars", doors.Elsewhere{Upstream: behind.URL, FromElsewhere: true})
	d.change("variable-stars", func(s *access.Site) { s.Door.Ways, s.Doors = []access.Way{{Way: "anyone"}}, nil })
	if status, said := ask("POST", others); status != http.StatusOK || said != "POST by " {
		t.Errorf("where forms come from elsewhere: %d, the server is told %q", status, said)
	}
	if status, said := ask("GET", socket(byAnOldForm)); status != http.StatusForbidden || said != "" {
		t.Errorf("a socket there: %d, the server is told %q", status, said)
	}
	if r := d.ask(asked{site: "variable-stars", path: "/notes"}); r.Header.Get("Service-Worker-Allowed") != "" {
		t.Error("workers of the server reach further than their folder")
	}
}

// A server that asks before it serves is answered by what set its visitor's request off.
func TestAServerThatAsksIsToldOfSiblings(t *testing.T) {
	d := open(t)
	cookie := d.visiting("pilar@cerroalcor.example", "variable-stars")
	decide := func(method string, header map[string]string) (int, string) {
		header = maps.Clone(header)
		if header == nil {
			header = map[string]string{}
		}
		maps.Copy(header, map[string]string{"Velada-Secret": d.house.Keys.UpstreamSecret("variable-stars"), "X-Forwarded-Uri": "/notes", "X-Forwarded-Method": method, "X-Forwarded-Host": "variable-stars.localhost", "X-Forwarded-For": "203.0.113.5"})
		r := d.ask(asked{site: "variable-stars", path: "/velada/decide", header: header, cookies: []string{cookie}})
		return r.StatusCode, r.Header.Get("Velada-Person")
	}
	for _, header := range []map[string]string{byAddress, byLink, ownPicture, fromOwnPage, nil} {
		if status, person := decide("GET", header); status != http.StatusOK || person != "pilar" {
			t.Errorf("%v: %d by %q", header, status, person)
		}
	}
	for _, header := range []map[string]string{siblings, others, inAFrame, ofAnOldOne, byAnOldForm} {
		if status, person := decide("GET", header); status != http.StatusUnauthorized || person != "" {
			t.Errorf("a sibling's, %v: %d by %q", header, status, person)
		}
	}
	if status, person := decide("POST", byLink); status != http.StatusForbidden || person != "" {
		t.Errorf("a sibling's form: %d by %q", status, person)
	}
	if status, person := decide("POST", ownPicture); status != http.StatusOK || person != "pilar" {
		t.Errorf("the site's own: %d by %q", status, person)
	}
}

// Workers stay out unless a steward lets them in, and never stand on Velada's own paths.
func TestWorkersAreLetInByAWordOfTheirOwn(t *testing.T) {
	d := open(t)
	behind := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { _, _ = io.WriteString(w, "/* a worker */") }))
	defer behind.Close()
	d.elsewhere("society", doors.Elsewhere{Upstream: behind.URL})
	script := map[string]string{"Service-Worker": "script", "Sec-Fetch-Dest": "serviceworker", "Sec-Fetch-Site": "same-origin"}
	get := func(path string, header map[string]string, cookies ...string) *http.Response {
		return d.ask(asked{site: "society", path: path, header: header, cookies: cookies})
	}
	if r := get("/visit/sw.js", script); r.StatusCode != http.StatusForbidden {
		t.Errorf("a worker is let in: %d", r.StatusCode)
	}
	d.describe("society", store.Details{Workers: true, Upstream: behind.URL}, nil)
	if r := get("/visit/sw.js", script); r.StatusCode != http.StatusOK {
		t.Errorf("a worker that may is not: %d", r.StatusCode)
	}
	for _, path := range []string{"/velada/site.css", "/velada/sign-in", "/velada"} {
		if r := get(path, script); r.StatusCode != http.StatusForbidden {
			t.Errorf("a worker on %s: %d", path, r.StatusCode)
		}
	}
	for _, path := range []string{"/members", "/velada/me", "/velada/sign-in?path=/"} { // a door, a form, the way in
		if r := get(path, byAddress); r.Header.Get("Clear-Site-Data") != `"storage"` {
			t.Errorf("a worker may be in control of %s: %d %v", path, r.StatusCode, r.Header)
		}
	}
	if r := get("/visit", byAddress); r.Header.Get("Clear-Site-Data") != "" {
		t.Error("pages end workers")
	}
	if r := get("/velada/me", inAFrame); r.Header.Get("Clear-Site-Data") != "" {
		t.Error("a sibling's frame ends workers")
	}
}

// Whatever went from a host is forgotten by every browser, once, and by no other host's.
func TestBrowsersForgetWhatWent(t *testing.T) {
	d := open(t)
	d.house.Base = "localhost"
	forgets := func(path string, cookies ...string) (string, bool) {
		r := d.ask(asked{site: "society", path: path, cookies: cookies})
		for _, c := range r.Cookies() {
			if c.Name == clearedCookie {
				if r.Header.Get("Clear-Site-Data") != `"storage", "executionContexts"` || !strings.Contains(r.Header.Get("Cache-Control"), "no-store") || r.Header.Get("ETag") != "" {
					t.Errorf("%s: %v", path, r.Header)
				}
				return c.Name + "=" + c.Value, true
			}
		}
		if r.Header.Get("Clear-Site-Data") != "" {
			t.Error("it is forgotten again and again")
		}
		return "", false
	}
	once := func(what string) {
		t.Helper()
		for _, path := range []string{"/", "/visit", "/nowhere", "/velada/site.css"} {
			if _, does := forgets(path); !does {
				t.Errorf("%s: %s is not forgotten", what, path)
			}
		}
		cookie, _ := forgets("/visit")
		if _, again := forgets("/visit", cookie); again {
			t.Errorf("%s: it is forgotten twice", what)
		}
	}
	if _, does := forgets("/visit"); does {
		t.Error("with nothing to forget")
	}
	for _, with := range []store.Details{{Head: "<script></script>"}, {Foot: "<b>"}, {Scripts: true}, {Workers: true}} {
		d.describe("society", with, nil)
		d.describe("society", store.Details{}, nil)
		once("switched off")
	}
	d.elsewhere("society", doors.Elsewhere{Upstream: "http://127.0.0.1:9"})
	d.elsewhere("society", doors.Elsewhere{})
	before := d.house.State().Cleared("society")
	once("a server behind")
	d.describe("society", store.Details{Scripts: true}, nil)
	d.change("society", func(s *access.Site) {
		for i := range s.Team {
			if s.Team[i].Role == "owner" {
				s.Team[i].Role = "admin"
			}
		}
		s.Team = append(s.Team, access.TeamEntry{Person: "salma", Role: "owner", Under: "/", Accepted: true})
	})
	if now := d.house.State().Cleared("society"); now != before+1 {
		t.Errorf("the owner went: %d after %d", now, before)
	}
	if r := d.ask(asked{site: "dossier", path: "/"}); r.Header.Get("Clear-Site-Data") != "" {
		t.Error("another site is forgotten")
	}
	for name, header := range map[string]map[string]string{"a sibling's picture": siblings, "a sibling's frame": inAFrame, "a script elsewhere": others} {
		if r := d.ask(asked{site: "society", path: "/visit", header: header}); r.Header.Get("Clear-Site-Data") != "" || len(r.Cookies()) > 0 {
			t.Errorf("%s has a browser forget what is another's", name)
		}
	}
}
