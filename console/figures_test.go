package console

import (
	"context"
	"encoding/csv"
	"fmt"
	"html"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"velada/core/access"
	"velada/demo"
	"velada/demo/raced"
	"velada/gate"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// figured is the console of a house that holds a document, with a steward at it.
type figured struct {
	*desk
	doc *access.Document
	now time.Time
}

var passwordOfStewards = sync.OnceValue(func() string { return identity.HashPassword(demo.Password) })

// openOf opens a console upon a document, with one steward more.
func openOf(t *testing.T, doc *access.Document) *figured {
	t.Helper()
	doc.People = append(doc.People, access.Person{ID: "zz-steward", Name: "Zz Steward", Address: "zz-steward@steward.example", Steward: true})
	f := &figured{doc: doc, now: demo.Start}
	ctx, cancel := context.WithCancel(t.Context())
	db, err := store.Open(ctx, filepath.Join(t.TempDir(), "velada.db"))
	if err != nil {
		t.Fatal(err)
	}
	if err := store.SaveDocument(ctx, db, doc); err != nil {
		t.Fatal(err)
	}
	if err := store.NewAccount(ctx, db, store.Account{Who: "zz-steward", Name: "Zz Steward", Password: passwordOfStewards(), SignedIn: true}); err != nil {
		t.Fatal(err)
	}
	h, err := house.Open(ctx, db, func() time.Time { return f.now })
	if err != nil {
		t.Fatal(err)
	}
	host := func(address string) string { return address + ".localhost" }
	site := func(address string) string { return "http://" + host(address) }
	h.SiteURL = site
	glass := &gate.Glass{Gate: gate.New(h, site("velada"), false, site), Console: site("velada"), Origin: site}
	server := httptest.NewServer(New(ctx, h, glass, "", false, host, site))
	t.Cleanup(func() { server.Close(); cancel(); db.Close() })
	jar, err := cookiejar.New(nil)
	if err != nil {
		t.Fatal(err)
	}
	f.desk = &desk{TB: t, db: db, house: h, server: server, client: &http.Client{Jar: jar, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}}
	f.signIn("zz-steward@steward.example")
	return f
}

// textOf is what a part of a page says.
func textOf(markup string) string {
	return strings.Join(strings.Fields(html.UnescapeString(tags.ReplaceAllString(markup, " "))), " ")
}

// between cuts the first part of a page from one text to another.
func between(body, from, to string) string {
	_, rest, found := strings.Cut(body, from)
	part, _, ended := strings.Cut(rest, to)
	if !found || !ended {
		return ""
	}
	return part
}

func opensTo(s *access.CompiledSite, path string, v access.Visitor, at access.Instant) bool {
	return s.Decide(path, &v, at).Outcome == access.Open
}

// Every figure and list of the views is what asking for everybody one by one finds, whatever the house.
func TestFiguresOfTheViewsAreThoseOfTheCore(t *testing.T) {
	cases, err := filepath.Glob("../core/access/testdata/cases/*/policy.json")
	if err != nil || len(cases) < 30 {
		t.Fatal(len(cases), err)
	}
	if raced.On {
		cases = cases[:3]
	}
	seen := map[string]int{}
	for _, file := range cases {
		t.Run(filepath.Base(filepath.Dir(file)), func(t *testing.T) {
			text, err := os.ReadFile(file)
			if err != nil {
				t.Fatal(err)
			}
			doc, err := access.Read(text)
			if err != nil {
				t.Fatal(err)
			}
			f := openOf(t, doc)
			for _, at := range []string{"2026-11-21T00:00:00Z", "2026-12-05T12:00:00Z", "2027-01-15T00:00:00Z"} {
				i, err := access.ParseInstant(at)
				if err != nil {
					t.Fatal(err)
				}
				f.now = i.Time()
				f.people(i, seen)
				for _, site := range f.house.State().Policy.Document().Sites {
					f.front(site, i, seen)
					f.team(site, i, seen)
					f.sightlines(site, i, seen)
					f.doors(site, i, seen)
				}
			}
			for _, site := range f.house.State().Policy.Document().Sites {
				f.tray(site, access.At(f.now), seen)
			}
		})
	}
	if raced.On {
		return
	}
	for _, name := range []string{"pages of a person", "windows", "windows shut", "editors", "not editors", "team", "cells", "gains", "losses", "rehearsed", "doors"} {
		if seen[name] < 30 {
			t.Errorf("%s was looked at %d times", name, seen[name])
		}
	}
}

// people reads how many pages open to somebody that do not open to anybody.
func (f *figured) people(at access.Instant, seen map[string]int) {
	p := f.house.State().Policy
	for _, person := range f.doc.People {
		id, _ := p.Person(person.ID)
		want := 0
		for _, doc := range f.doc.Sites {
			s := p.Site(doc.Address)
			for _, page := range doc.Pages {
				if opensTo(s, page.Path, access.Visitor{Identity: id}, at) && !opensTo(s, page.Path, access.Visitor{}, at) {
					want++
				}
			}
		}
		m := regexp.MustCompile(`(\d+|No|A|One) pages? opens? to them that do|([A-Z][a-z]*|\d+) pages? open`).FindString(textOf(f.shows("/people/" + person.ID)))
		if n := leading(m); n != want {
			f.Errorf("%s at %s: %q, and %d pages open to them that do not open to anybody", person.ID, at, m, want)
		}
		seen["pages of a person"] += want
	}
}

// leading reads the number that a text begins with.
func leading(text string) int {
	word, _, _ := strings.Cut(text, " ")
	if n, err := strconv.Atoi(word); err == nil {
		return n
	}
	return map[string]int{"No": 0, "One": 1, "A": 1, "Two": 2, "Three": 3, "Four": 4, "Five": 5, "Six": 6, "Seven": 7, "Eight": 8, "Nine": 9, "Ten": 10, "Eleven": 11, "Twelve": 12}[word]
}

// front reads the front screen of a site: the windows that a stranger gets, and who can edit.
func (f *figured) front(site *access.Site, at access.Instant, seen map[string]int) {
	s := f.house.State().Policy.Site(site.Address)
	body := f.shows("/sites/" + site.Address)
	row := regexp.MustCompile(`(?s)<li>\s*<a href="[^"]*page=([^"&]*)[^"]*"><svg[^>]*>.*?#w-([a-z]+)`)
	for _, m := range row.FindAllStringSubmatch(between(body, `<ul class="facade-row">`, "</ul>"), -1) {
		path, err := url.QueryUnescape(html.UnescapeString(m[1]))
		if err != nil {
			f.Fatal(err)
		}
		if open := opensTo(s, path, access.Visitor{}, at); open != (m[2] == "open") {
			f.Errorf("%s%s at %s has the window %s, and opens to a stranger: %v", site.Address, path, at, m[2], open)
		}
		if m[2] == "open" {
			seen["windows"]++
		} else {
			seen["windows shut"]++
		}
	}
	listed := between(body, "Who can edit</h2>", "</ul>")
	shortened := strings.Contains(listed, "on Team")
	for _, person := range f.doc.People {
		if person.Name == "" || person.Steward {
			continue
		}
		id, _ := f.house.State().Policy.Person(person.ID)
		byName := slices.ContainsFunc(s.EntriesOf(id, at), func(e access.TeamEntry) bool {
			return e.Person == person.ID && s.RoleCapabilities(e.Role).Has(access.Write)
		})
		named := regexp.MustCompile(`<li>\s*` + regexp.QuoteMeta(html.EscapeString(person.Name)) + `\s*<span>`).MatchString(listed)
		if named && !byName || byName && !named && !shortened {
			f.Errorf("%s at %s: %s is named among those who can edit: %v, and can: %v", site.Address, at, person.Name, named, byName)
		}
		if named {
			seen["editors"]++
		} else {
			seen["not editors"]++
		}
	}
}

// team reads who is listed among those who may do something.
func (f *figured) team(site *access.Site, at access.Instant, seen map[string]int) {
	p := f.house.State().Policy
	var want, got []string
	for _, m := range p.TeamMembers(site.Address, at) {
		id, _ := p.Person(m.Person)
		caps := m.Whole
		for _, c := range m.Parts {
			caps |= c
		}
		held := p.Site(site.Address).Capabilities("/", id, at)
		for _, e := range site.Team {
			held |= p.Site(site.Address).Capabilities(e.Under, id, at)
		}
		if caps&^held != 0 || held&^caps != 0 {
			f.Errorf("%s at %s: %s is said to have %v, and has %v", site.Address, at, m.Person, caps.Names(), held.Names())
		}
		name := m.Person
		if person := f.doc.Person(m.Person); person.Name != "" {
			name = person.Name
		}
		want = append(want, name)
	}
	for _, m := range regexp.MustCompile(`<th scope="row"><a[^>]*>([^<]*)</a>`).FindAllStringSubmatch(between(f.shows("/sites/"+site.Address+"/team"), "Who may do what, now</h2>", "</section>"), -1) {
		got = append(got, html.UnescapeString(m[1]))
	}
	if !slices.Equal(got, want) {
		f.Errorf("%s at %s: %q are listed, and %q may do something", site.Address, at, got, want)
	}
	seen["team"] += len(got)
}

// sightlines reads the columns of strangers and of people by name, and asks for each of their cells.
func (f *figured) sightlines(site *access.Site, at access.Instant, seen map[string]int) {
	_, body, _ := f.get("/sites/" + site.Address + "/sightlines.csv")
	rows, err := csv.NewReader(strings.NewReader(body)).ReadAll()
	if err != nil || len(rows) == 0 {
		f.Fatalf("%s: %v", site.Address, err)
	}
	p := f.house.State().Policy
	s := p.Site(site.Address)
	for column, name := range rows[0] {
		var v access.Visitor
		switch i := slices.IndexFunc(f.doc.People, func(p access.Person) bool { return p.Name == name && name != "" }); {
		case column < 2:
			continue
		case i >= 0:
			v.Identity, _ = p.Person(f.doc.People[i].ID)
		case name != "A stranger" && name != "Strangers":
			continue
		}
		for _, row := range rows[1:] {
			if strings.Contains(row[0], "table") || strings.Contains(row[1], "#") {
				continue
			}
			if open, said := opensTo(s, row[1], v, at), row[column] == "open" || row[column] == "opens"; open != said {
				f.Errorf("%s%s at %s for %s: %q, and opens: %v", site.Address, row[1], at, name, row[column], open)
			}
			seen["cells"]++
		}
	}
}

// tray rehearses that a site's first way in goes, or that anyone comes in, and reads what that does.
func (f *figured) tray(site *access.Site, at access.Instant, seen map[string]int) {
	before := f.house.State().Policy
	me := f.house.Actor(access.Address{Local: "zz-steward", Domain: "steward.example"})
	for _, change := range []func(s *access.Site){
		func(s *access.Site) { s.Door.Ways = []access.Way{{Way: "signed-in"}} },
		func(s *access.Site) { s.Door.Ways = nil },
		func(s *access.Site) { s.Door.Ways, s.Holding.On = []access.Way{{Way: "anyone"}}, false },
	} {
		err := f.house.Trays.Rehearse(f.Context(), me, site.Address, func(draft *access.Site, _ map[string]store.NewSecret) error { change(draft); return nil })
		if err != nil {
			f.Fatal(err)
		}
		tray, err := f.house.Trays.Tray(f.Context(), me, site.Address)
		if err != nil || tray == nil || tray.Then == nil {
			continue
		}
		gain, lose := map[string]bool{}, map[string]bool{}
		for _, person := range f.doc.People {
			one, _ := before.Person(person.ID)
			other, _ := tray.Then.Person(person.ID)
			for _, page := range site.Pages {
				was := opensTo(before.Site(site.Address), page.Path, access.Visitor{Identity: one}, at)
				is := opensTo(tray.Then.Site(site.Address), page.Path, access.Visitor{Identity: other}, at)
				if is && !was {
					gain[person.ID] = true
				}
				if was && !is {
					lose[person.ID] = true
				}
			}
		}
		text := textOf(f.shows("/sites/" + site.Address + "/door"))
		for sign, n := range map[string]int{"+": len(gain), "−": len(lose)} {
			m := regexp.MustCompile(regexp.QuoteMeta(sign) + `(\d+) (?:person|people) can open`).FindStringSubmatch(text)
			if (m == nil) != (n == 0) || m != nil && m[1] != fmt.Sprint(n) {
				f.Errorf("%s: the tray says %v, and %s%d people", site.Address, m, sign, n)
			}
			seen[map[string]string{"+": "gains", "−": "losses"}[sign]] += n
		}
		f.rehearsed(site, gain, lose, seen)
		if err := f.house.Trays.Discard(f.Context(), me, site.Address); err != nil {
			f.Fatal(err)
		}
	}
}

// rehearsed reads who can open more and less on the view of a rehearsal.
func (f *figured) rehearsed(site *access.Site, gain, lose map[string]bool, seen map[string]int) {
	body := f.shows("/sites/" + site.Address + "/rehearsal")
	for title, want := range map[string]map[string]bool{"more": gain, "less": lose} {
		part := between(body, "<h2>Who can open "+title+"</h2>", "</section>")
		names := map[string]bool{}
		for id := range want {
			names[f.house.NameOf(store.Who(id))] = true
		}
		for _, m := range regexp.MustCompile(`<li>\s*<a[^>]*>([^<]*)</a>`).FindAllStringSubmatch(part, -1) {
			name := html.UnescapeString(m[1])
			if !names[name] {
				f.Errorf("%s: %s is said to open %s", site.Address, name, title)
			}
			delete(names, name)
			seen["rehearsed"]++
		}
		if len(names) > 0 && !strings.Contains(part, "more, ") && !strings.Contains(part, "and ") {
			f.Errorf("%s: it is not said that %v open %s", site.Address, names, title)
		}
	}
}

// doors reads how many people the ways of the site's own door let in.
func (f *figured) doors(site *access.Site, at access.Instant, seen map[string]int) {
	s := f.house.State().Policy.Site(site.Address)
	var want []string
	for _, w := range site.Door.Ways {
		if n := s.CountWay(w, at); n > 0 && slices.Contains([]string{"domain", "groups", "members", "people"}, w.Way) {
			want = append(want, strconv.Itoa(n))
		}
	}
	var got []string
	for _, m := range regexp.MustCompile(`<small>\s*(\d+) (?:person|people)\b`).FindAllStringSubmatch(between(f.shows("/sites/"+site.Address+"/door"), "<h1>Who may view", "</main>"), -1) {
		got = append(got, m[1])
	}
	if got = slices.DeleteFunc(got, func(n string) bool { return n == "0" }); !slices.Equal(got, want) {
		f.Errorf("%s at %s: the door counts %v, and lets in %v", site.Address, at, got, want)
	}
	seen["doors"] += len(want)
}

// What the views of the demo house say of its pages is what visitors get over HTTP: a stranger, and everybody of
// the house signed in.
func TestTheDemoSaysWhatVisitorsGet(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	f := &figured{desk: d, doc: d.house.State().Policy.Document(), now: demo.Start}
	people := f.doc.People
	if raced.On {
		people = people[:4]
	}
	gets := map[string]bool{} // who, site and path that opened
	for _, site := range f.doc.Sites {
		for _, who := range append([]access.Person{{}}, people...) {
			cookie := ""
			if who.ID != "" {
				if err := d.house.Sessions.BeginSession(d.Context(), "in-"+site.Address+who.ID, store.Who(who.ID), "a browser", "a password"); err != nil {
					t.Fatal(err)
				}
				value, err := d.house.Sessions.SiteSessionFrom(d.Context(), d.house.State().ID(site.Address), "in-"+site.Address+who.ID)
				if err != nil {
					t.Fatal(err)
				}
				cookie = "velada_visit=" + value
			}
			for _, page := range site.Pages {
				r := httptest.NewRequest(http.MethodGet, "http://"+site.Address+".localhost"+access.EscapePath(page.Path), nil)
				r.RemoteAddr = "203.0.113.9:1" // in no network that a door names
				if cookie != "" {
					r.Header.Set("Cookie", cookie)
				}
				w := httptest.NewRecorder()
				d.glass.Gate.Serve(w, r, site.Address)
				gets[who.ID+" "+site.Address+" "+page.Path] = w.Code == http.StatusOK && !strings.Contains(w.Body.String(), "hold-text") && !strings.Contains(w.Body.String(), "own-holding") // a page that says “soon” is 200 too
			}
		}
	}
	asked, alone := 0, 0
	for _, person := range people {
		want := 0
		for _, site := range f.doc.Sites {
			for _, page := range site.Pages {
				if asked++; gets[person.ID+" "+site.Address+" "+page.Path] && !gets[" "+site.Address+" "+page.Path] {
					want++
				}
			}
		}
		text := textOf(f.shows("/people/" + person.ID))
		if m := regexp.MustCompile(`([A-Z][a-z]*|\d+) pages? opens? to them that do`).FindString(text); leading(m) != want {
			t.Errorf("%s: %q, and %d pages open to them alone over HTTP", person.ID, m, want)
		}
		alone += want
	}
	for _, site := range f.doc.Sites {
		_, body, _ := f.get("/sites/" + site.Address + "/sightlines.csv?as=all")
		rows, err := csv.NewReader(strings.NewReader(body)).ReadAll()
		if err != nil {
			t.Fatal(err)
		}
		for column, name := range rows[0] {
			i := slices.IndexFunc(people, func(p access.Person) bool { return p.Name == name })
			who := ""
			if i >= 0 {
				who = people[i].ID
			} else if name != "Strangers" && name != "A stranger" {
				continue
			}
			for _, row := range rows[1:] {
				if open, there := gets[who+" "+site.Address+" "+row[1]]; there && open != (row[column] == "opens" || row[column] == "open") {
					t.Errorf("%s%s for %s: %q, and over HTTP it opens: %v", site.Address, row[1], name, row[column], open)
				}
			}
		}
		body = f.shows("/sites/" + site.Address)
		for _, m := range regexp.MustCompile(`(?s)<li>\s*<a href="[^"]*page=([^"&]*)[^"]*"><svg[^>]*>.*?#w-([a-z]+)`).FindAllStringSubmatch(between(body, `<ul class="facade-row">`, "</ul>"), -1) {
			path, err := url.QueryUnescape(html.UnescapeString(m[1]))
			if open, there := gets[" "+site.Address+" "+path]; err != nil || there && open != (m[2] == "open") {
				t.Errorf("%s%s has the window %s, and over HTTP it opens to strangers: %v", site.Address, path, m[2], open)
			}
		}
	}
	if asked < 100 || alone < 10 {
		t.Errorf("%d questions, %d pages open to somebody alone", asked, alone)
	}
}
