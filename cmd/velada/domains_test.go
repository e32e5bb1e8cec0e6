package main

import (
	"context"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"velada/app/domains"
	"velada/app/listing"
	"velada/app/pages"
	"velada/core/access"
	"velada/demo"
	"velada/demo/demotest"
	"velada/house"
	"velada/identity"
	"velada/resolve"
	"velada/standin"
	"velada/store"
)

// owned is the demo house with name servers beside it.
type owned struct {
	*testing.T
	*hosts
	names *standin.Names
	now   time.Time
}

func openOwned(t *testing.T) *owned {
	t.Helper()
	o := &owned{T: t, now: demo.Start}
	db := demotest.Open(t)
	h, err := house.Open(t.Context(), db, func() time.Time { return o.now })
	o.must(err)
	ctx, stop := context.WithCancel(t.Context())
	o.hosts = newHosts(ctx, &serving{base: "localhost"}, h, 8080, "")
	o.names, err = standin.NewNames("", "localhost")
	o.must(err)
	o.names.Late(0)
	var running sync.WaitGroup
	o.must(o.names.Serve(ctx, &running, 0))
	t.Cleanup(func() { stop(); running.Wait(); h.Wait() })
	h.Names = &resolve.Resolver{Servers: []string{o.names.Resolver()}, Port: o.names.Port}
	return o
}

func (o *owned) must(err error) {
	o.Helper()
	if err != nil {
		o.Fatal(err)
	}
}

func (o *owned) ines() house.Actor {
	address, err := access.ParseAddress("ines@cerroalcor.example")
	o.must(err)
	return o.house.Actor(address)
}

// set sets records, and has all domains looked at; {site} stands for the proof of a site.
func (o *owned) set(records string) {
	o.Helper()
	for _, d := range o.house.State().EveryDomain() {
		if d.Name != "www.hill.example" {
			continue
		}
		records = strings.ReplaceAll(records, "{"+o.house.State().SiteAddress(d.Site)+"}", `"velada-site=`+d.Token+`"`)
	}
	o.must(o.names.Set(records))
	o.now = o.now.Add(24 * time.Hour)
	o.must(domains.LookAtDue(o.Context(), o.house))
}

// get asks a host for a path.
func (o *owned) get(at string, cookies ...*http.Cookie) *http.Response {
	o.Helper()
	u, err := url.Parse(at)
	o.must(err)
	r := httptest.NewRequest("GET", u.RequestURI(), nil)
	r.Host, r.RemoteAddr = u.Host, "203.0.113.9:1234"
	for _, c := range cookies {
		r.AddCookie(c)
	}
	w := httptest.NewRecorder()
	o.ServeHTTP(w, r)
	return w.Result()
}

func (o *owned) domain(site, name string) store.Domain {
	d, _ := domains.Find(o.house.State(), site, name)
	return d
}

const here = "www.hill.example. 0 IN CNAME society.localhost.\n_velada.www.hill.example. 0 IN TXT {society}\n"

// Nothing answers at a domain until it is proven; then pages do, and the other addresses lead there
// page by page once it is the main one, for as long as it leads here.
func TestASiteAnswersAtItsDomain(t *testing.T) {
	o := openOwned(t)
	ctx, ines := t.Context(), o.ines()
	for text, want := range map[string]string{"society.localhost": "house itself", "localhost": "such as", "x.localhost": "house itself", "co.uk": "ending"} {
		if _, err := domains.Add(ctx, o.house, ines, "society", text); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v", text, err)
		}
	}
	name, err := domains.Add(ctx, o.house, ines, "society", "WWW.hill.example")
	o.must(err)
	o.set("www.hill.example. 0 IN CNAME society.localhost.\n")
	if got := o.get("http://www.hill.example:8080/visit").StatusCode; got != 404 {
		t.Errorf("it answers %d before it is proven", got)
	}
	if err := domains.SetMain(ctx, o.house, ines, "society", name); err == nil {
		t.Error("it is the main address before it is proven")
	}
	o.set(here)
	for _, host := range []string{"www.hill.example", "WWW.Hill.Example.", "society.localhost"} {
		if got := o.get("http://" + host + ":8080/visit").StatusCode; got != 200 {
			t.Errorf("%s answers %d", host, got)
		}
	}
	o.must(domains.SetMain(ctx, o.house, ines, "society", name))
	for path, to := range map[string]string{"/visit?a=b": "/visit?a=b", "/": "/", "/robots.txt": "/robots.txt", "/go/hill": "/go/hill", "/velada/in/x": "/velada/in/x"} {
		r := o.get("http://society.localhost:8080" + path)
		if r.StatusCode != 308 || r.Header.Get("Location") != "http://www.hill.example:8080"+to {
			t.Errorf("%s: %d %s", path, r.StatusCode, r.Header.Get("Location"))
		}
	}
	for _, host := range []string{"society.localhost", "www.hill.example"} {
		if got := o.get("http://" + host + ":8080/velada/decide").StatusCode; got != o.get("http://variable-stars.localhost:8080/velada/decide").StatusCode {
			t.Errorf("servers that ask %s get %d", host, got)
		}
	}
	if lead, err := listing.LeadHere(ctx, o.house, o.house.State(), "society", "/visit"); err != nil || !slices.Contains(lead, "http://society.localhost:8080/visit") {
		t.Error(lead, err)
	}
	if body := o.read("http://www.hill.example:8080/visit"); !strings.Contains(body, `<link rel="canonical" href="http://www.hill.example:8080/visit" />`) {
		t.Error("the page says it is elsewhere")
	}
	if body := o.read("http://www.hill.example:8080/sitemap.xml"); !strings.Contains(body, "<loc>http://www.hill.example:8080/visit</loc>") {
		t.Error(body)
	}
	o.must(pages.ChangeAddress(ctx, o.house, ines, "society", "members-club"))
	for _, host := range []string{"society.localhost", "members-club.localhost"} {
		if r := o.get("http://" + host + ":8080/visit"); r.Header.Get("Location") != "http://www.hill.example:8080/visit" {
			t.Errorf("after the site moved %s leads to %q", host, r.Header.Get("Location"))
		}
	}
	o.must(pages.ChangeAddress(ctx, o.house, ines, "members-club", "society"))
	o.must(domains.SetApart(ctx, o.house, ines, "society", true))
	if r := o.get("http://society.localhost:8080/visit"); r.StatusCode != 200 {
		t.Error("each was to answer itself")
	}
	o.must(domains.SetApart(ctx, o.house, ines, "society", false))
	o.set(strings.Replace(here, "CNAME society.localhost.", "A 198.51.100.1", 1))
	if r := o.get("http://society.localhost:8080/visit"); r.StatusCode != 200 {
		t.Errorf("it leads to a domain that leads elsewhere: %d", r.StatusCode)
	}
	o.set("hill.example. 0 IN A 198.51.100.1\n")
	for range 4 {
		o.set("hill.example. 0 IN A 198.51.100.1\n")
	}
	if got := o.get("http://www.hill.example:8080/visit").StatusCode; got != 404 {
		t.Errorf("a lost domain answers %d", got)
	}
}

func (o *owned) read(at string) string {
	var b strings.Builder
	r := o.get(at)
	defer r.Body.Close()
	buffer := make([]byte, 1<<20)
	n, _ := r.Body.Read(buffer)
	b.Write(buffer[:n])
	return b.String()
}

// A domain is one site's: another cannot have it, unless the first no longer proves it.
func TestADomainIsOneSites(t *testing.T) {
	o := openOwned(t)
	ctx, ines := t.Context(), o.ines()
	for _, site := range []string{"society", "variable-stars"} {
		_, err := domains.Add(ctx, o.house, ines, site, "www.hill.example")
		o.must(err)
	}
	at := func() string { return o.house.State().AtDomain("www.hill.example") }
	o.set(here)
	if at() != "society" {
		t.Fatalf("%q has it", at())
	}
	o.set(here + "_velada.www.hill.example. 0 IN TXT {variable-stars}\n")
	if at() != "society" {
		t.Errorf("%q took it while both prove it", at())
	}
	o.set(strings.ReplaceAll(here, "{society}", "{variable-stars}"))
	if at() != "variable-stars" || !o.domain("society", "www.hill.example").Proven.IsZero() {
		t.Errorf("%q has it", at())
	}
	o.must(domains.Drop(ctx, o.house, ines, "variable-stars", "www.hill.example"))
	if at() != "" {
		t.Errorf("%q has it", at())
	}
}

// Whoever signs in from a domain comes back to it, with a visit of that domain alone; a site that
// is hidden leads nobody to its domain.
func TestSigningInAtADomain(t *testing.T) {
	o := openOwned(t)
	ctx, ines := t.Context(), o.ines()
	name, err := domains.Add(ctx, o.house, ines, "variable-stars", "www.hill.example")
	o.must(err)
	o.set(strings.ReplaceAll(here, "{society}", "{variable-stars}"))
	begin := o.get("http://www.hill.example:8080/velada/sign-in?path=/notes")
	to, err := url.Parse(begin.Header.Get("Location"))
	o.must(err)
	if to.Host != "velada.localhost:8080" || to.Query().Get("at") != "www.hill.example" || len(begin.Cookies()) != 1 {
		t.Fatalf("%s %v", to, begin.Cookies())
	}
	mateo, err := access.ParseAddress("mateo@cerroalcor.example")
	o.must(err)
	session := identity.Token()
	o.must(o.house.Sessions.BeginSession(ctx, session, o.house.State().WhoHas(mateo), "A browser", "password"))
	code := o.house.Sessions.Tickets.Issue(identity.Ticket{Site: string(o.house.State().ID("variable-stars")), Nonce: to.Query().Get("nonce"), Console: session}, o.house.Sessions.TicketTime())
	entered := o.get("http://www.hill.example:8080/velada/enter?path=/notes&ticket="+url.QueryEscape(code), begin.Cookies()...)
	var visit *http.Cookie
	for _, c := range entered.Cookies() {
		if c.Value != "" {
			visit = c
		}
	}
	if visit == nil || entered.Header.Get("Location") != "/notes" {
		t.Fatalf("%d %v", entered.StatusCode, entered.Cookies())
	}
	if r := o.get("http://www.hill.example:8080/notes", visit); r.StatusCode != 200 {
		t.Errorf("whoever signed in gets %d", r.StatusCode)
	}
	if r := o.get("http://society.localhost:8080/members", visit); r.StatusCode == 200 {
		t.Error("the visit counts on another site")
	}
	o.must(domains.SetMain(ctx, o.house, ines, "variable-stars", name))
	o.must(o.house.Change(ctx, ines, house.Needs{Site: "variable-stars", Cap: access.Publish}, func(tx *house.Tx) error {
		tx.Site("variable-stars").State = "draft"
		return nil
	}))
	for _, at := range []string{"variable-stars.localhost:8080/notes", "www.hill.example:8080/notes", "www.hill.example:8080/velada/sign-in?path=/"} {
		if r := o.get("http://" + at); r.StatusCode != 404 || r.Header.Get("Location") != "" {
			t.Errorf("%s tells of a draft: %d", at, r.StatusCode)
		}
	}
}

// A site stands at the house's own domain where a steward chose so: its other addresses lead there, and
// whoever signs in comes back there. A draft stands nowhere.
func TestASiteStandsAtTheHousesDomain(t *testing.T) {
	o := openOwned(t)
	if r := o.get("http://localhost:8080/visit"); r.Header.Get("Location") != "http://velada.localhost:8080" {
		t.Errorf("%d %s", r.StatusCode, r.Header.Get("Location"))
	}
	front := func(site string) {
		o.must(o.house.ChangeSettings(t.Context(), o.ines(), "front", func(s *house.Settings) { s.Front = o.house.State().ID(site) }))
	}
	front("society")
	if r := o.get("http://localhost:8080/visit"); r.StatusCode != 200 {
		t.Errorf("%d", r.StatusCode)
	}
	if r := o.get("http://society.localhost:8080/visit?a=b"); r.StatusCode != 308 || r.Header.Get("Location") != "http://localhost:8080/visit?a=b" {
		t.Errorf("%d %s", r.StatusCode, r.Header.Get("Location"))
	}
	if r := o.get("http://variable-stars.localhost:8080/how-to-join"); r.StatusCode != 200 {
		t.Errorf("another site: %d", r.StatusCode)
	}
	if body := o.read("http://localhost:8080/visit"); !strings.Contains(body, `rel="canonical" href="http://localhost:8080/visit"`) {
		t.Error("the page says it is elsewhere")
	}
	if to, _ := url.Parse(o.get("http://localhost:8080/velada/sign-in?path=/members").Header.Get("Location")); to.Query().Get("at") != "localhost" {
		t.Error(to)
	}
	front("august") // a draft
	if r := o.get("http://localhost:8080/"); r.StatusCode != 303 {
		t.Errorf("a draft stands at the house's domain: %d", r.StatusCode)
	}
}
