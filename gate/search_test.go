package gate

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/doors"
	"velada/app/pages"
	"velada/app/traffic"
	"velada/core/access"
	"velada/core/parts"
	core "velada/core/traffic"
	"velada/demo/demotest"
	"velada/house"
	"velada/store"
)

// found searches a site, and returns the status and what stands in the main part of the page.
func (d *door) found(site, words string, cookies ...string) (int, string) {
	d.Helper()
	r := d.ask(asked{site: site, path: "/velada/search?q=" + url.QueryEscape(words), cookies: cookies})
	if got := r.Header.Get("Cache-Control"); got != "private, no-store" {
		d.Errorf("a search is kept: %s", got)
	}
	_, main, _ := strings.Cut(demotest.CloseUp(body(d, r)), "<main")
	return r.StatusCode, main
}

// says puts words on a page and publishes.
func (d *door) says(site, path, text string) {
	d.Helper()
	ines := d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	ctx := d.Context()
	list, err := store.WorkingCopy(ctx, d.house.Reader(), d.house.State().ID(site))
	i := slices.IndexFunc(list, func(p store.Page) bool { return p.Path == path })
	if err != nil || i < 0 {
		d.Fatal(path, err)
	}
	if _, err := pages.SavePage(ctx, d.house, ines, site, list[i].ID, list[i].Version, list[i].Title, text, false); err != nil {
		d.Fatal(err)
	}
	if _, err := pages.Publish(ctx, d.house, ines, site, "", time.Time{}); err != nil {
		d.Fatal(err)
	}
}

const notFoundHere = "Nothing that you can open here has"

// What is searched is just what opens to whoever searches, now.
func TestSearchFindsJustWhatOpens(t *testing.T) {
	d := open(t)
	d.says("variable-stars", "/crew/corvus", "# Ours\n\nThe quokka <b>comet</b> & a dwarf nova.")
	d.says("variable-stars", "/how-to-join", "Ask Mirela about the pangolin.")
	member, rival := d.visiting("tobias@lens.example", "variable-stars"), d.visiting("ines@cerroalcor.example", "variable-stars")
	for _, c := range []struct {
		name, words string
		cookie      string
		finds       bool
	}{
		{"a stranger, what anybody reads", "pangolin", "", true},
		{"a stranger, a crew's section", "quokka", "", false},
		{"the team", "quokka", rival, true},
		{"the team, by the beginning of the last word", "dwarf no", rival, true},
		{"the team, by the beginning of the first word", "dwa nova", rival, false},
		{"who is in no crew", "quokka", member, false},
		{"words of two pages", "quokka pangolin", rival, false},
	} {
		cookies := []string{}
		if c.cookie != "" {
			cookies = append(cookies, c.cookie)
		}
		_, main := d.found("variable-stars", c.words, cookies...)
		if strings.Contains(main, "<mark>") != c.finds || strings.Contains(main, notFoundHere) == c.finds {
			t.Errorf("%s: %s", c.name, main)
		}
		if !c.finds && (strings.Contains(main, "corvus") || strings.Contains(main, "There is more")) {
			t.Errorf("%s: it tells of what does not open: %s", c.name, main)
		}
	}
	_, main := d.found("variable-stars", "quokka comet", rival)
	if !strings.Contains(main, "<mark>quokka</mark><mark>comet</mark> &amp; a dwarf nova") {
		t.Error(main)
	}
	d.change("variable-stars", func(s *access.Site) {
		i := slices.IndexFunc(s.Doors, func(p access.PageDoor) bool { return p.Path == "/how-to-join" })
		s.Doors[i].Ways = []access.Way{{Way: "people", People: []string{"salma"}}}
	})
	if _, main := d.found("variable-stars", "pangolin"); !strings.Contains(main, notFoundHere) {
		t.Error("a door that was shut is searched through: " + main)
	}
}

// Words that are not published, or no longer, are not found; nor in a site of the same words.
func TestSearchGoesThroughTheLiveEdition(t *testing.T) {
	d := open(t)
	d.says("society", "/visit", "Mind the axolotl.")
	if _, main := d.found("society", "axolotl"); !strings.Contains(main, "<mark>axolotl</mark>") {
		t.Error(main)
	}
	if _, main := d.found("variable-stars", "axolotl"); !strings.Contains(main, notFoundHere) {
		t.Error("another site's words: " + main)
	}
	d.says("society", "/visit", "Mind the wombat.")
	if _, main := d.found("society", "axolotl"); !strings.Contains(main, notFoundHere) {
		t.Error("an old edition's words: " + main)
	}
	if _, main := d.found("society", "WÓMBAT"); !strings.Contains(main, "<mark>wombat</mark>") {
		t.Error(main)
	}
	ctx, state := d.Context(), d.house.State()
	live := state.Site("society").Live
	list, err := store.Search(ctx, d.house.Reader(), state.ID("society"), live.Number-1, `"wombat"`, []store.SearchPlace{{Path: "/visit"}}, 5)
	if err != nil || len(list) != 0 {
		t.Error("a newer edition's words are found for whoever still reads the one before", list, err)
	}
	for _, odd := range []string{`"`, "*", `" OR site:"`, "NEAR(", "^", strings.Repeat("long ", 500), "\x00", "ﷺ", "{path} : x"} {
		if status, _ := d.found("society", odd); status != http.StatusOK {
			t.Errorf("%q: %d", odd, status)
		}
	}
}

// Rows of a table are found by those alone who are shown the table.
func TestSearchOfTables(t *testing.T) {
	d := open(t)
	crew := d.visiting("bram@cerroalcor.example", "instrument-log")
	_, main := d.found("instrument-log", "algol", crew)
	if !strings.Contains(main, "in a table") || strings.Count(main, "<mark>Algol</mark>") != 3 || !strings.Contains(main, `/?nights.find=algol#table-nights`) || !strings.Contains(main, "More rows") {
		t.Error(main)
	}
	d.change("instrument-log", func(s *access.Site) {
		parts.SetTable(s, parts.TableDoor("/", "nights"), []access.Way{{Way: "people", People: []string{"salma"}}})
	})
	if _, main := d.found("instrument-log", "algol", crew); !strings.Contains(main, notFoundHere) {
		t.Error("the table's door does not hold: " + main)
	}
	if _, main := d.found("instrument-log", "algol"); strings.Contains(main, "<mark>") {
		t.Error("a stranger: " + main)
	}
}

// A site that shows a holding page, is hidden or is not to be searched tells nothing.
func TestSearchWhereThereIsNothingToSearch(t *testing.T) {
	d := open(t)
	if status, main := d.found("new-dome", "dome"); status != http.StatusOK && status != http.StatusServiceUnavailable || strings.Contains(main, "<mark>") {
		t.Error(status, main)
	}
	hidden := d.ask(asked{site: "august", path: "/velada/search?q=x"})
	none := d.ask(asked{site: "no-such-site", path: "/velada/search?q=x"})
	if a, b := body(t, hidden), body(t, none); a != b || hidden.StatusCode != http.StatusNotFound {
		t.Error("a draft is told from nothing")
	}
	ines := d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	if front := body(t, d.ask(asked{site: "society", path: "/"})); !strings.Contains(front, `action="/velada/search"`) {
		t.Error("there is no search in the head")
	}
	if err := pages.UpdateDetails(d.Context(), d.house, ines, "society", func(p *pages.Description) { p.Search = false }); err != nil {
		t.Fatal(err)
	}
	if front := body(t, d.ask(asked{site: "society", path: "/"})); strings.Contains(front, `action="/velada/search"`) {
		t.Error("the search in the head stays")
	}
	if status, _ := d.found("society", "visit"); status != http.StatusNotFound {
		t.Error(status)
	}
	d.elsewhere("variable-stars", doors.Elsewhere{Upstream: "http://127.0.0.1:9"})
	if status, _ := d.found("variable-stars", "visit"); status != http.StatusNotFound {
		t.Error("a site that lives elsewhere is searched", status)
	}
}

// Whoever looks through somebody's eyes finds what both may read.
func TestSearchThroughSomebodysEyes(t *testing.T) {
	d := open(t)
	policy := d.house.State().Policy
	look := func(may func(string) bool) string {
		w := &Answer{}
		r, _ := http.NewRequest(http.MethodGet, "/velada/search?q=week", nil)
		r.RequestURI = "/velada/search?q=week"
		visitor, _ := policy.Observer("person:mateo")
		d.gate.LookAs(w, r, "variable-stars", As{Policy: policy, Visitor: visitor, Name: "Mateo", At: access.At(d.now), May: may})
		return w.Body.String()
	}
	if got := look(func(string) bool { return true }); !strings.Contains(got, "<mark>") {
		t.Error("nothing is found", got)
	}
	if got := look(func(string) bool { return false }); strings.Contains(got, "<mark>") {
		t.Error("who may read nothing finds it through somebody's eyes")
	}
}

// What was searched, and found nothing, is counted.
func TestSearchesAreCounted(t *testing.T) {
	d := open(t)
	counter := traffic.New(d.house)
	d.gate.Traffic = counter
	ctx, stop := context.WithCancel(d.Context())
	counter.Run(ctx)
	browser := map[string]string{"User-Agent": "Mozilla/5.0 (X11; Linux x86_64; rv:128.0) Gecko/20100101 Firefox/128.0"}
	for _, words := range []string{"Open  nights", "open nights", "yeti"} {
		d.ask(asked{site: "society", path: "/velada/search?q=" + url.QueryEscape(words), header: browser})
	}
	counter.Drain()
	if err := counter.Flush(ctx); err != nil {
		t.Fatal(err)
	}
	stop()
	d.house.Wait()
	zone := d.house.State().Zone
	today := core.DayOf(d.now, zone)
	days, err := store.TrafficDays(d.Context(), d.house.Reader(), d.house.State().ID("society"), today, today+1)
	if err != nil {
		t.Fatal(err)
	}
	got := map[string]int{}
	for _, day := range days {
		got[string(day.Kind)+":"+day.Name] += day.N
	}
	if got["search:yeti"] != 1 || got["search-none:yeti"] != 1 || got["search-none:open nights"] != 0 {
		t.Error(got)
	}
}

// In which order hits come tells nothing of what does not open, nor of other sites.
func TestTheOrderOfHitsTellsOfNothingElse(t *testing.T) {
	order := func(secret string) string {
		d := open(t)
		d.says("variable-stars", "/how-to-join", "# Join\n\nquokka pangolin "+strings.Repeat("filler words here ", 30))
		d.says("variable-stars", "/notes/week-1", "# One\n\npangolin quokka quokka "+strings.Repeat("filler words here ", 10))
		d.says("variable-stars", "/crew/corvus", "# Ours\n\n"+secret)
		d.says("society", "/visit", "# Visit\n\n"+secret)
		_, found := d.found("variable-stars", "quokka pangolin", d.visiting("tobias@lens.example", "variable-stars"))
		return found
	}
	plain := order("nothing")
	if !strings.Contains(plain, "/how-to-join") {
		t.Fatal(plain)
	}
	for _, secret := range []string{strings.Repeat("quokka ", 500), strings.Repeat("pangolin ", 500)} {
		if got := order(secret); got != plain {
			t.Errorf("with %.20s… the answer is another one:\n%s\n%s", secret, got, plain)
		}
	}
}

// An edition is made searchable behind, before anybody asks, and in pieces.
func TestEditionsAreMadeSearchableBehind(t *testing.T) {
	d := open(t)
	var table strings.Builder
	table.WriteString("name,word\n")
	for i := range 900 {
		fmt.Fprintf(&table, "row %d,numbat\n", i)
	}
	ines := d.house.Actor(access.Address{Local: "ines", Domain: "cerroalcor.example"})
	if _, err := pages.SaveFile(t.Context(), d.house, ines, "society", "/courses/rows.csv", "text/csv", []byte(table.String()), ""); err != nil {
		t.Fatal(err)
	}
	d.says("society", "/courses", "# Courses\n\n[[table rows: /courses/rows.csv]]\n\nThe wallaby.")
	d.describe("society", store.Details{Search: true}, nil)
	changes := 0
	stop := make(chan struct{})
	done := make(chan struct{})
	go func() { // somebody else changes something meanwhile
		defer close(done)
		for {
			select {
			case <-stop:
				return
			default:
			}
			if err := d.house.Change(context.Background(), house.Velada, house.Needs{}, func(*house.Tx) error { return nil }); err == nil {
				changes++
			}
		}
	}()
	if err := d.gate.KeepSearchable(t.Context()); err != nil {
		t.Fatal(err)
	}
	close(stop)
	<-done
	number, err := store.SearchedEdition(t.Context(), d.house.Reader(), d.house.SiteID("society"))
	if err != nil || number != d.house.State().Site("society").Live.Number {
		t.Errorf("edition %d can be searched: %v", number, err)
	}
	if changes < 5 {
		t.Errorf("others made %d changes meanwhile", changes)
	}
	if _, found := d.found("society", "wallaby"); !strings.Contains(found, "Courses") {
		t.Error("nothing is found")
	}
	if _, found := d.found("society", "numbat"); !strings.Contains(found, "row 0") {
		t.Error("no row is found")
	}
}

// Rows of a table are found where its page shows them, which is where its file opens.
func TestRowsAreFoundWhereTheirFileOpens(t *testing.T) {
	d := open(t)
	_, err := pages.SaveFile(t.Context(), d.house, d.steward(), "variable-stars", "/crew/corvus/rows.csv", "text/csv", []byte("star,magnitude\nquollstar,5\n"), "")
	d.must(err)
	_, err = pages.SaveFile(t.Context(), d.house, d.steward(), "variable-stars", "/notes/rows.csv", "text/csv", []byte("star,magnitude\nopenstar,5\n"), "")
	d.must(err)
	d.says("variable-stars", "/notes", "# Notes\n\n[[table rows: /crew/corvus/rows.csv]]\n\n[[table rows: /notes/rows.csv]]") // two of one name
	d.change("variable-stars", func(s *access.Site) {
		s.Doors = append(slices.DeleteFunc(slices.Clone(s.Doors), func(p access.PageDoor) bool { return p.Path == "/notes" }), access.PageDoor{Path: "/notes", Mode: "also", Ways: []access.Way{{Way: "anyone"}}})
	})
	for _, who := range []string{"aiko@cerroalcor.example", "katya-cifuentes@cerroalcor.example"} {
		cookie := d.visiting(who, "variable-stars")
		shown := strings.Contains(d.text("variable-stars", "/notes", cookie), "quollstar")
		status, found := d.found("variable-stars", "quollstar", cookie)
		if status != http.StatusOK || shown != strings.Contains(found, "<mark>quollstar") {
			t.Errorf("%s: shown %t, found otherwise: %d %s", who, shown, status, found)
		}
		if _, found := d.found("variable-stars", "openstar", cookie); !strings.Contains(found, "<mark>openstar") {
			t.Errorf("%s does not find the rows of the other file", who)
		}
		if shown != (who == "aiko@cerroalcor.example") {
			t.Errorf("%s: shown %t", who, shown)
		}
	}
}
