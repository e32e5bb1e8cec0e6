package gate

import (
	"net/http/httptest"
	"strings"
	"testing"

	"velada/app/domains"
	"velada/app/listing"
	"velada/app/pages"
	"velada/core/access"
	"velada/store"
)

// A page says what it is called in results and where it is shared, as far as strangers may know.
func TestWhatAPageSaysInResults(t *testing.T) {
	d := open(t)
	ctx, ines := d.Context(), d.steward()
	d.must(listing.SetPattern(ctx, d.house, ines, "society", "site-page", ""))
	d.must(listing.SetPage(ctx, d.house, ines, "society", "/visit", store.PageResult{Title: "The way up", Description: "By bus  and\non foot."}))
	page := body(t, d.ask(asked{site: "society", path: "/visit"}))
	for _, want := range []string{
		"<title>Cerro Alcor Society · The way up</title>", `<meta name="description" content="By bus and on foot." />`, `<link rel="canonical" href="http://society.localhost/visit" />`,
		`<meta property="og:title" content="The way up" />`, `<meta property="og:site_name" content="Cerro Alcor Society" />`,
	} {
		if !strings.Contains(page, want) {
			t.Errorf("no %s", want)
		}
	}
	if front := body(t, d.ask(asked{site: "society", path: "/"})); strings.Contains(front, `content="By bus`) || !strings.Contains(front, "<p>By bus and on foot.</p>") {
		t.Error("another page says it too")
	}
	member := d.visiting("mateo@cerroalcor.example", "variable-stars")
	if shut := body(t, d.ask(asked{site: "variable-stars", path: "/notes", cookies: []string{member}})); strings.Contains(shut, "og:title") || !strings.Contains(shut, `rel="canonical"`) {
		t.Error("a page that strangers do not open is described to be shared")
	}
	if door := body(t, d.ask(asked{site: "variable-stars", path: "/notes"})); strings.Contains(door, "og:") || strings.Contains(door, "Course notes") {
		t.Error("a door tells of the page behind it")
	}
}

// The site's own lines in robots.txt stand beside Velada's, and never against its pages.
func TestOwnLinesOfRobots(t *testing.T) {
	d := open(t)
	ctx, ines := d.Context(), d.steward()
	if err := listing.SetRobots(ctx, d.house, ines, "society", "Disallow: /visit", nil); err == nil || !strings.Contains(err.Error(), "/visit") {
		t.Error(err)
	}
	for _, wrong := range []string{"/sitemap.xml", "/nowhere.xml", "more.xml", "/files/nights.csv"} {
		if err := listing.SetRobots(ctx, d.house, ines, "society", "", []string{wrong}); err == nil {
			t.Errorf("%s is taken for a sitemap", wrong)
		}
	}
	d.must(listing.SetRobots(ctx, d.house, ines, "society", "Disallow: /velada/\n\nUser-agent: greedy-bot\nDisallow: /", nil))
	got := body(t, d.ask(asked{site: "society", path: "/robots.txt"}))
	if got != "User-agent: *\nDisallow: /velada/\n\nUser-agent: greedy-bot\nDisallow: /\n\nSitemap: http://society.localhost/sitemap.xml\n" {
		t.Error(got)
	}
	if other := body(t, d.ask(asked{site: "variable-stars", path: "/robots.txt"})); strings.Contains(other, "greedy") {
		t.Error("another site has the lines")
	}
	if faults := listing.Contradictions(d.house.State(), "society", d.house.State().Policy, d.now); len(faults) != 0 {
		t.Error(faults)
	}
}

// It is known since when the sitemap has a page, and until when it had it.
func TestWhatWasListedIsKnown(t *testing.T) {
	d := open(t)
	ctx := d.Context()
	at := func() map[string]store.ListedPage {
		d.must(listing.NoteListed(ctx, d.house))
		list, err := store.ListedPages(ctx, d.house.Reader(), d.house.State().ID("society"))
		d.must(err)
		return list
	}
	if p := at()["/visit"]; p.Since.IsZero() || !p.Until.IsZero() {
		t.Fatalf("%+v", p)
	}
	d.now = d.now.Add(1000 * 1e9)
	d.must(pages.UpdateDetails(ctx, d.house, d.steward(), "society", func(e *pages.Description) { e.Listing = false }))
	if p := at()["/visit"]; p.Until.Unix() != d.now.Unix() {
		t.Errorf("%+v", p)
	}
	told, err := listing.Pages(ctx, d.house, d.house.State(), "society", nil)
	d.must(err)
	for _, p := range told {
		if p.Path == "/visit" && (!p.Dropped() || p.Told.Kind != access.ToldNotSite) {
			t.Errorf("%+v", p)
		}
	}
	d.now = d.now.AddDate(0, 6, 0)
	if _, known := at()["/visit"]; known {
		t.Error("it is told for ever")
	}
}

// Browsers are told to keep to https where the site chose so, and a draft tells nobody anything.
func TestKeepingToHTTPS(t *testing.T) {
	d := open(t)
	secure := New(d.house, d.gate.Console, true, d.gate.SiteURL)
	told := func(site string) string {
		w, r := httptest.NewRecorder(), httptest.NewRequest("GET", "/", nil)
		secure.Serve(w, r, site)
		return w.Result().Header.Get("Strict-Transport-Security")
	}
	if told("society") != "" {
		t.Error("browsers are told what nobody chose")
	}
	for _, site := range []string{"society", "august"} {
		d.must(domains.SetStrict(d.Context(), d.house, d.steward(), site, true))
	}
	if told("society") != "max-age=31536000" || told("august") != "" {
		t.Errorf("%q %q", told("society"), told("august"))
	}
	if r := d.ask(asked{site: "society", path: "/"}); r.Header.Get("Strict-Transport-Security") != "" {
		t.Error("it is told by http")
	}
}
