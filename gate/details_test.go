package gate

import (
	"context"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"velada/app/pages"
	"velada/core/access"
	"velada/core/content"
	"velada/house"
	"velada/store"
)

func (d *door) steward() house.Actor {
	return d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
}

func (d *door) must(err error) {
	d.Helper()
	if err != nil {
		d.Fatal(err)
	}
}

func (d *door) describe(site string, details store.Details, icon []byte) {
	d.Helper()
	d.must(pages.UpdateDetails(context.Background(), d.house, d.steward(), site, func(e *pages.Description) {
		e.Details, e.NewIcon, e.NewIconType = details, icon, "image/png"
	}))
}

func TestWhatASiteSaysOfItself(t *testing.T) {
	d := open(t)
	d.describe("society", store.Details{
		Description: `Stars & "more"`, Contact: "pilar@cerroalcor.example", Phone: "+34 900 (555) 014", Hours: "At dusk", Postal: "The hill", Licence: "cc-by", Links: []store.Link{{URL: "https://sky.example/hill", Name: "The sky", Icon: "pictures"}, {URL: "https://www.far.example/x"}},
		CookieNotice: "We count nothing.", NotFound: "# Lost in *space*", Head: "<script>head()</script>", Foot: "<script>foot()</script>",
	}, []byte("\x89PNG"))
	page := d.ask(asked{site: "society", path: "/visit"})
	text := body(t, page)
	if front := body(t, d.ask(asked{site: "society", path: "/"})); !strings.Contains(front, `<meta name="description" content="Stars &amp; &#34;more&#34;" />`) {
		t.Error("the front page has no description")
	}
	for _, want := range []string{"mailto:pilar@cerroalcor.example", `href="tel:&#43;34900555014"`, "At dusk", "The hill", "creativecommons.org/licenses/by/4.0", `href="https://sky.example/hill" rel="me noreferrer"><svg`, "The sky</a>", "far.example</a>", "We count nothing.", "head()", "foot()", `href="/velada/icon?`} {
		if !strings.Contains(text, want) {
			t.Errorf("no %q", want)
		}
	}
	if policy := page.Header.Get("Content-Security-Policy"); !strings.Contains(policy, "'unsafe-inline'") {
		t.Errorf("the site's own code cannot run: %s", policy)
	}
	if again := body(t, d.ask(asked{site: "society", path: "/visit", cookies: []string{noticeCookie + "=yes"}})); strings.Contains(again, "We count nothing.") {
		t.Error("the notice is shown to whoever has read it")
	}
	r := d.ask(asked{site: "society", path: "/velada/noticed", method: http.MethodPost, form: "path=%2Fvisit"})
	if r.StatusCode != 303 || r.Header.Get("Location") != "/visit" || len(r.Cookies()) != 1 || r.Cookies()[0].Name != noticeCookie {
		t.Errorf("%d %v", r.StatusCode, r.Header)
	}
	if icon := d.ask(asked{site: "society", path: "/velada/icon"}); icon.Header.Get("Content-Type") != "image/png" || body(t, icon) != "\x89PNG" {
		t.Errorf("the icon: %d", icon.StatusCode)
	}
	missing := d.ask(asked{site: "society", path: "/nowhere"})
	if text := body(t, missing); missing.StatusCode != 404 || !strings.Contains(text, "Lost in <em>space</em>") || strings.Contains(text, "foot()") {
		t.Errorf("%d %s", missing.StatusCode, text)
	}
	shut := d.ask(asked{site: "society", path: "/members"})
	if text := body(t, shut); shut.StatusCode != 401 || strings.Contains(text, "head()") || strings.Contains(text, "foot()") || strings.Contains(shut.Header.Get("Content-Security-Policy"), "unsafe-inline") {
		t.Error("a site's own code runs on a door")
	}
}

// Whatever leads on tells nobody of what they may not see.
func TestWhatLeadsOnTellsNothing(t *testing.T) {
	d := open(t)
	ctx := context.Background()
	list, err := store.WorkingCopy(ctx, d.house.Reader(), d.house.State().ID("society"))
	d.must(err)
	for _, p := range list {
		to := map[string]string{"/library": "/books", "/members/rota": "/members/who-when"}[p.Path]
		if to != "" {
			_, err := pages.MovePage(ctx, d.house, d.steward(), "society", p.ID, to, true, true)
			d.must(err)
		}
	}
	_, err = pages.Publish(ctx, d.house, d.steward(), "society", "", time.Time{})
	d.must(err)
	ask := func(path string, cookies ...string) (int, string) {
		r := d.ask(asked{site: "society", path: path, cookies: cookies})
		return r.StatusCode, r.Header.Get("Location")
	}
	if status, to := ask("/library?a=1"); status != 308 || to != "/books?a=1" {
		t.Errorf("a page that moved: %d %s", status, to)
	}
	if status, to := ask("/members/rota"); status != 401 || to != "" {
		t.Errorf("a page that moved behind a door tells a stranger: %d %s", status, to)
	}
	if status, to := ask("/members/rota", d.visiting("ines@cerroalcor.example", "society")); status != 308 || to != "/members/who-when" {
		t.Errorf("to whoever may read it: %d %s", status, to)
	}
	d.must(pages.SetShortName(ctx, d.house, d.steward(), "society", "books", "/books"))
	d.must(pages.SetShortName(ctx, d.house, d.steward(), "society", "secret", "/hidden-room"))
	d.change("society", func(s *access.Site) {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/books", Mode: "also", Ways: []access.Way{{Way: "members"}}}, access.PageDoor{Path: "/hidden-room", Mode: "also", Hide: true})
	})
	if status, to := ask("/go/Books"); status != 302 || to != "/books" {
		t.Errorf("a short name leads to the door: %d %s", status, to)
	}
	hidden, none := d.ask(asked{site: "society", path: "/go/secret"}), d.ask(asked{site: "society", path: "/go/nobody"})
	if hidden.StatusCode != 404 || strings.ReplaceAll(body(t, hidden), "secret", "x") != strings.ReplaceAll(body(t, none), "nobody", "x") {
		t.Errorf("a short name tells of a hidden page: %d %d", hidden.StatusCode, none.StatusCode)
	}
	d.must(pages.ChangeAddress(ctx, d.house, d.steward(), "society", "hill"))
	if status, to := ask("/visit?b=2"); status != 308 || to != "http://hill.localhost/visit?b=2" {
		t.Errorf("the old address: %d %s", status, to)
	}
	d.change("hill", func(s *access.Site) { s.Door = access.Door{Hide: true, Ways: []access.Way{{Way: "members"}}} })
	old, nobody := d.ask(asked{site: "society", path: "/visit"}), d.ask(asked{site: "nobody-has-this", path: "/visit"})
	if old.StatusCode != 404 || body(t, old) != body(t, nobody) {
		t.Errorf("the old address of a hidden site: %d", old.StatusCode)
	}
}

func TestPagesWithALookOfTheirOwn(t *testing.T) {
	d := open(t)
	ctx := context.Background()
	poster := "<!doctype html><html><head><title>Poster</title></head><body style='color:red'><script src='/run.js'></script></body></html>"
	_, err := pages.ImportArchive(ctx, d.house, d.steward(), "society", &content.Archive{
		Pages: []content.ArchivePage{{Path: "/", Title: "Poster", HTML: true, Body: poster, Listing: true}},
		Files: []content.ArchiveFile{{Path: "/run.js", Data: []byte("run()")}},
	})
	d.must(err)
	_, err = pages.Publish(ctx, d.house, d.steward(), "society", "", time.Time{})
	d.must(err)
	r := d.ask(asked{site: "society", path: "/"})
	if policy := r.Header.Get("Content-Security-Policy"); body(t, r) != poster || !strings.HasPrefix(policy, "sandbox") || !strings.Contains(policy, "script-src 'none'") || strings.Contains(policy, "allow-scripts") {
		t.Errorf("%s", policy)
	}
	if js := d.ask(asked{site: "society", path: "/run.js"}); js.Header.Get("Content-Type") != "application/octet-stream" {
		t.Error(js.Header.Get("Content-Type"))
	}
	d.must(pages.UpdateDetails(ctx, d.house, d.steward(), "society", func(e *pages.Description) {
		e.Title, e.Listing, e.Details = "The Society", false, store.Details{}
	}))
	if text := body(t, d.ask(asked{site: "society", path: "/"})); !strings.Contains(text, `<head><meta name="robots" content="noindex">`) {
		t.Errorf("search engines are not told: %s", text)
	}
	pilar := d.house.Actor(access.Address{Local: "pilar", Domain: "cerroalcor.example"})
	if err := pages.UpdateDetails(ctx, d.house, pilar, "society", func(e *pages.Description) { e.Scripts = true }); err == nil || !strings.Contains(err.Error(), "Only stewards") {
		t.Errorf("scripts let in by an admin: %v", err)
	}
	d.describe("society", store.Details{Scripts: true}, nil)
	r = d.ask(asked{site: "society", path: "/"})
	if policy := r.Header.Get("Content-Security-Policy"); !strings.Contains(policy, "sandbox allow-same-origin allow-scripts") || !strings.Contains(policy, "form-action 'self'") {
		t.Errorf("scripts cannot search their own site: %s", policy)
	}
	w := httptest.NewRecorder()
	d.gate.serveFor(w, httptest.NewRequest("GET", "/", nil), "society", &As{Policy: d.house.State().Policy, At: access.At(d.now), May: func(string) bool { return true }})
	if policy := w.Result().Header.Get("Content-Security-Policy"); !strings.Contains(policy, "sandbox allow-scripts") || strings.Contains(policy, "allow-same-origin") {
		t.Errorf("scripts reach other sites through the looking glass: %s", policy)
	}
	if js := d.ask(asked{site: "society", path: "/run.js"}); !strings.HasPrefix(js.Header.Get("Content-Type"), "text/javascript") {
		t.Error(js.Header.Get("Content-Type"))
	}
}
