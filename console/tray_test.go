package console

import (
	"regexp"
	"strings"
	"testing"

	teamviews "velada/console/team"
)

var tags = regexp.MustCompile(`<[^>]*>`)

// words returns what a page says from a mark on, without its elements.
func wordsFrom(body, mark string) string {
	_, body, found := strings.Cut(body, mark)
	if !found {
		return ""
	}
	return strings.Join(strings.Fields(strings.ReplaceAll(tags.ReplaceAllString(body, " "), "&#43;", "+")), " ")
}

// The tray says in figures what a change does, to everybody whom it concerns; a zero never
// stands for something that matters.
func TestTheTrayCountsEverything(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	for _, c := range []struct {
		site, path string
		pairs      []string
		says       []string
	}{
		{"dossier", "door/add", []string{"kind", "domain", "list", "lens.example"}, []string{"+1 person can open 4 pages more", "+1 domain opens more"}},
		{"dossier", "door/add", []string{"kind", "network", "list", "192.0.2.0/24"}, []string{"+1 network opens more"}},
		{"dossier", "door/add", []string{"kind", "signed-in"}, []string{"people can open 4 pages more", "+1 any account opens more"}},
		{"dossier", "door/add", []string{"kind", "anyone"}, []string{"+4 pages open to strangers"}},
		{"dossier", "door/add", []string{"kind", "members"}, []string{"Nobody can open or do more or less by it"}},
		{"dossier", "team/entry", []string{"list", "Bram de Wit", "role", "viewer", "under", "/"}, []string{"+1 person can open 4 pages more", "+1 person can do more"}},
		{"dossier", "passes/key", []string{"kind", "pass", "id", "hollis", "action", "revoke"}, []string{"−1 password opens less"}},
		{"dossier", "passes/key", []string{"kind", "pass", "id", "hollis", "action", "delete"}, []string{"−1 password opens less"}},
		{"dossier", "door/pass", []string{"action", "password", "pass", "hollis", "password", "six metres of wire"}, []string{"1 new password: who is in by the old one is out"}},
		{"society", "holding", []string{"stands", "yes", "kind", "maintenance", "until", "1 Dec 2026 04:00"}, []string{"12 pages show the holding page", "−8 pages are no longer open to strangers", "−1 any account opens less"}},
		{"society", "door/add", []string{"kind", "people", "list", "Salma Rachidi", "page", "/members", "from", "1 Dec 2026 04:00"}, []string{"From 1 Dec 2026 04:00"}},
		{"new-dome", "holding", []string{"stands", "no"}, []string{"5 pages no longer show the holding page", "+4 listed by search engines"}},
	} {
		status, body, h := d.post("/sites/"+c.site+"/"+c.path, c.pairs...)
		if status != 303 {
			t.Errorf("%v: %d %q", c.pairs, status, wordsFrom(body, "<main"))
			continue
		}
		tray := wordsFrom(d.shows(strings.Split(h.Get("Location"), "#")[0]), `<div class="fig"`)
		tray, _, _ = strings.Cut(tray, "Apply later")
		for _, want := range c.says {
			if !strings.Contains(tray, want) {
				t.Errorf("%v: no %q in %q", c.pairs, want, tray)
			}
		}
		if regexp.MustCompile(`(^|[^\d:])0 `).MatchString(tray) || strings.Contains(tray, "maintenance") && strings.Contains(tray, "listed") {
			t.Errorf("%v: %q", c.pairs, tray)
		}
		d.post("/sites/" + c.site + "/rehearsal/discard")
	}
}

// Maintenance lists nothing more: a page that answers 503 is no news to a search engine.
func TestMaintenanceListsNothingMore(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.post("/sites/society/holding", "stands", "yes", "kind", "maintenance")
	if body := d.shows("/sites/society/rehearsal"); strings.Contains(body, "They may list") || strings.Contains(body, "told to drop") {
		t.Error("maintenance is said to change what search engines list")
	}
}

// A role that is changed is said to change what people may do, not only what they see.
func TestTheTrayTellsOfRoles(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	for _, e := range d.house.State().SiteDocument("society").Team {
		if e.Person == "jonas" {
			d.post("/sites/society/team/entry", "key", teamviews.EntryKey(e), "role", "viewer", "under", "/")
		}
	}
	tray := wordsFrom(d.shows("/sites/society/team"), `<div class="fig"`)
	if !strings.Contains(tray, "−1 person can do less") || !strings.Contains(tray, "previewer") {
		t.Error(tray)
	}
}

// A way that lets nobody in says so where it is made.
func TestAWayThatNobodyCanUseSaysSo(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.post("/sites/dossier/door/add", "kind", "members")
	d.shows("/sites/dossier/door", "lets nobody in: the site has no members, and sign-up is closed")
	d.post("/new-group", "name", "Nobody yet")
	d.post("/sites/dossier/door/add", "kind", "groups", "list", "Nobody yet")
	if body := d.shows("/sites/dossier/door"); !strings.Contains(body, "lets nobody in yet: nobody is in it") {
		t.Error("an empty group is not said to let nobody in")
	}
}

// What is looked at first changes nothing: search engines, unpublishing, blocking.
func TestPreviewsChangeNothing(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	before := d.house.State().Policy.Document()
	for _, c := range []struct {
		path  string
		pairs []string
		says  string
	}{
		{"/sites/society/settings/search-engines", []string{"listing", ""}, "Search engines are kept away from 8 more pages"},
		{"/sites/society/unpublish", []string{"action", "down"}, "The site is unpublished. Visitors get nothing at its address."},
		{"/sites/society/members", []string{"change", "block", "who", "edda-galindo"}, "cannot sign up again"},
	} {
		status, body, _ := d.post(c.path, c.pairs...)
		if status != 200 || !strings.Contains(body, c.says) || !strings.Contains(body, `name="meant" value="yes"`) {
			t.Errorf("%s: %d, no %q", c.path, status, c.says)
		}
	}
	if after := d.house.State().Policy.Document(); after != before {
		t.Error("looking changed something")
	}
}
