package console

import (
	"net/http"
	"net/url"
	"strings"
	"testing"
)

// asks sends a request as a browser would that says what set it off.
func (d *desk) asks(method, path, site, mode, dest string) (int, string, http.Header) {
	d.Helper()
	r, err := http.NewRequest(method, d.server.URL+path, nil)
	if err != nil {
		d.Fatal(err)
	}
	for name, value := range map[string]string{"Sec-Fetch-Site": site, "Sec-Fetch-Mode": mode, "Sec-Fetch-Dest": dest} {
		r.Header.Set(name, value)
	}
	answer, err := d.client.Do(r)
	if err != nil {
		d.Fatal(err)
	}
	return read(d.TB, answer)
}

// A site's code cannot tell what exists on the console, nor who is signed in there, by what it has browsers
// ask for.
func TestTheConsoleIsAskedBySitesAsByAStranger(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	stranger := d.another()
	for _, path := range []string{"/sites", "/sites/society/door", "/sites/nowhere", "/people", "/people/pilar", "/people/nobody", "/notices", "/sites/society/files/logo.svg", "/sign-in?site=society&path=/&nonce=n", "/look/site.css"} {
		wantStatus, wantBody, wantHeader := stranger.asks("GET", path, "none", "navigate", "document")
		for _, by := range [][3]string{{"same-site", "no-cors", "image"}, {"same-site", "cors", "empty"}, {"cross-site", "no-cors", "script"}, {"same-site", "navigate", "iframe"}} {
			status, body, header := d.asks("GET", path, by[0], by[1], by[2])
			if status != wantStatus || body != wantBody || header.Get("Location") != wantHeader.Get("Location") || header.Get("Cross-Origin-Resource-Policy") != "same-origin" {
				t.Errorf("%s by %v: %d, not %d", path, by, status, wantStatus)
			}
		}
		if path == "/sites/society/door" {
			if status, _, _ := d.asks("GET", path, "same-site", "navigate", "document"); status != http.StatusOK {
				t.Errorf("going there: %d", status)
			}
		}
	}
}

// The first ticket for a site in a browser comes after a press; from then on it needs none, for the same
// person, on the same site, when they go there.
func TestGoingOnToASiteBeginsWithAPress(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	goes := func(d *desk, site string) (int, string, string) {
		status, body, header := d.asks("GET", "/sign-in?"+url.Values{"site": {site}, "path": {"/members"}, "nonce": {"n"}}.Encode(), "same-site", "navigate", "document")
		return status, body, header.Get("Location")
	}
	for _, site := range []string{"society", "august", "nowhere"} { // one that is there, a draft, and none
		status, body, to := goes(d, site)
		if status != http.StatusOK || to != "" || !strings.Contains(body, "as Inés") {
			t.Errorf("%s: %d %s", site, status, to)
		}
		if named := strings.Contains(body, "Go on to "+map[string]string{"society": "Cerro Alcor Society"}[site]+" as "); named != (site == "society") {
			t.Errorf("%s: %s", site, body)
		}
	}
	if _, body, _ := goes(d, "august"); strings.Contains(body, "August") {
		t.Error("a draft is named")
	}
	if status, _, h := d.post("/sign-in/go-on", "site", "society", "path", "/members", "nonce", "n"); status != http.StatusSeeOther || !strings.HasPrefix(h.Get("Location"), "http://society.localhost/velada/enter?") {
		t.Fatalf("the press: %d %s", status, h.Get("Location"))
	}
	if _, _, to := goes(d, "society"); !strings.HasPrefix(to, "http://society.localhost/velada/enter?") {
		t.Errorf("the next time: %s", to)
	}
	if status, _, to := goes(d, "variable-stars"); status != http.StatusOK || to != "" {
		t.Errorf("another site: %d %s", status, to)
	}
	if _, body, h := d.asks("GET", "/sign-in?site=society&path=/&nonce=n", "same-site", "no-cors", "empty"); h.Get("Location") != "" || !strings.Contains(body, "Your password") {
		t.Error("a ticket is given to what is no navigation")
	}
	if _, _, to := goes(d.signIn("pilar@cerroalcor.example"), "society"); to != "" {
		t.Errorf("somebody else in the same browser: %s", to)
	}
	fresh := d.another()
	fresh.post("/sign-in", "address", "ines@cerroalcor.example", "password", "lantern over the hill", "site", "dossier", "path", "/")
	if _, _, to := goes(fresh, "dossier"); to == "" { // they signed in to read it
		t.Error("whoever signed in to read a site is asked again")
	}
}

// HEAD is answered as GET is, without what would be sent.
func TestTheConsoleAnswersHEAD(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	for _, path := range []string{"/sites", "/sites/society/door", "/sites/nowhere", "/look/site.css", "/people"} {
		get, _, _ := d.asks("GET", path, "none", "navigate", "document")
		head, body, _ := d.asks("HEAD", path, "none", "navigate", "document")
		if head != get || body != "" {
			t.Errorf("%s: %d for %d, %q", path, head, get, body)
		}
	}
}
