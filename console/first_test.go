package console

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"testing"

	"velada/core/access"
	"velada/store"
)

// Each purpose makes pages, a door, sign-up and a group that fit, and shows nobody anything.
func TestWhatASiteIsForIsWhatItBeginsWith(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	for purpose, want := range map[string]string{
		"everyone": "/ /about /news | anyone | closed | ",
		"class":    "/ /dates /how-to-join /notes | groups | closed | /how-to-join instead anyone",
		"people":   "/ /documents /news | domain | closed | ",
		"password": "/ /material | pass | closed | ",
		"members":  "/ /about /members | anyone | approval | /members instead members",
		"nobody":   "/ |  | closed | ",
	} {
		address := "for-" + purpose
		if status, body, h := d.post("/new-site", "title", "For "+purpose, "address", address, "purpose", purpose); status != 303 || h.Get("Location") != "/sites/"+address {
			t.Errorf("%s: %d %s %.200s", purpose, status, h.Get("Location"), wordsFrom(body, "<main"))
			continue
		}
		site := d.house.State().SiteDocument(address)
		draft, err := store.WorkingCopy(t.Context(), d.house.Reader(), d.house.State().ID(address))
		if err != nil {
			t.Fatal(err)
		}
		var paths, ways, doors []string
		for _, p := range draft {
			paths = append(paths, p.Path)
			if !p.InMenu && p.Path != "/" {
				t.Errorf("%s: %s is not in the menu", purpose, p.Path)
			}
		}
		for _, w := range site.Door.Ways {
			ways = append(ways, w.Way)
		}
		for _, p := range site.Doors {
			doors = append(doors, p.Path+" "+p.Mode+" "+p.Ways[0].Way)
		}
		slices.Sort(paths)
		mode := site.SignUp.Mode
		if mode == "" {
			mode = "closed"
		}
		if got := strings.Join(paths, " ") + " | " + strings.Join(ways, " ") + " | " + mode + " | " + strings.Join(doors, " "); got != want {
			t.Errorf("%s: %s, want %s", purpose, got, want)
		}
		decided := d.house.State().Policy.Site(address).Decide("/", &access.Visitor{}, access.At(d.house.Now()))
		if site.State != "draft" || decided.Outcome != access.Absent {
			t.Errorf("%s is seen before it is published: %s %v", purpose, site.State, decided.Outcome)
		}
		d.shows("/sites/"+address, "Next steps", "Publish")
	}
	if status, body, _ := d.post("/new-site", "title", "X", "purpose", "world domination"); status != 422 || !strings.Contains(body, `value="X"`) {
		t.Errorf("a purpose that there is not: %d", status)
	}
	d.post("/sites/for-class/steps/dismiss")
	if body := d.shows("/sites/for-class"); strings.Contains(body, "Next steps") {
		t.Error("the next steps stay though they were dismissed")
	}
	if g := d.house.State().Policy.Document().Groups; !slices.ContainsFunc(g, func(g access.Group) bool { return g.Name == "For class" }) {
		t.Error("the class has no group of its own")
	}
}

// What each will get is changed on its card, at once, while nobody sees the site; never after.
func TestTheFirstPublicationIsChangedOnItsCards(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	d.shows("/sites/august/publish", "What each will get", "A stranger", "Search engines", "Easily forgotten", "only the team gets in")
	d.post("/sites/august/publish/change", "change", "anyone")
	if ways := d.siteDoor("august").Ways; len(ways) != 1 || ways[0].Way != "anyone" {
		t.Errorf("%+v", ways)
	}
	d.shows("/sites/august/publish", "gets all")
	d.post("/sites/august/publish/change", "change", "search")
	if !d.house.State().SiteDocument("august").Listing {
		t.Error("search engines are not let in")
	}
	d.post("/sites/august/publish/change", "change", "no-anyone")
	d.post("/sites/august/publish/change", "change", "no-search")
	if s := d.house.State().SiteDocument("august"); len(s.Door.Ways) != 0 || s.Listing {
		t.Errorf("%+v", s)
	}
	before := fmt.Sprint(d.siteDoor("society"))
	if status, _, _ := d.post("/sites/society/publish/change", "change", "no-anyone"); status != 404 || fmt.Sprint(d.siteDoor("society")) != before {
		t.Errorf("the door of a live site is changed without being looked at: %d", status)
	}
	d.post("/sites/august/publish", "when", "now", "address", "august")
	d.shows("/sites/august/published", "August Star Party is live", "Copy the address", "/sites/august/address.svg", "Walk in as a stranger")
	if _, svg, h := d.get("/sites/august/address.svg"); h.Get("Content-Type") != "image/svg+xml" || !strings.Contains(svg, "<svg") {
		t.Error("no QR code")
	}
}

// Whoever is on no team, and on a guest list, finds what they may read.
func TestSitesThatOneMayReadAreListed(t *testing.T) {
	d := openDesk(t)
	tobias := d.another().signIn("tobias@lens.example")
	body := tobias.shows("/sites", "Sites that you can read", "Variable Stars on Thursdays", "variable-stars.localhost", "/sign-in?site=variable-stars")
	for _, hidden := range []string{"August Star Party", "Instrument Log", "Founders Fund Dossier"} {
		if strings.Contains(body, hidden) {
			t.Errorf("%s is told to somebody whom it does not let in", hidden)
		}
	}
}

// Finding looks on the site that one is on first, and tells nothing that one may not know.
func TestFindingTellsNothingHidden(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	here, house := d.shows("/find/hits?q=privacy&site=society"), d.shows("/find/hits?q=privacy")
	if at := strings.Index(here, "/sites/society/"); at < 0 || strings.Contains(here[:at], "/sites/variable-stars/") {
		t.Error("the site that one is on does not come first")
	}
	if !strings.Contains(house, "/sites/variable-stars/") {
		t.Error("the house is not searched")
	}
	for who, hidden := range map[string][]string{
		"katya-cifuentes@cerroalcor.example": {"marking", "lacerta", "dossier", "tobias"},
		"jonas@cerroalcor.example":           {"marking", "new dome", "antlia"},
		"tobias@lens.example":                {"privacy", "ines", "antlia", "society"},
	} {
		other := d.another().signIn(who)
		for _, q := range hidden {
			for _, path := range []string{"/find/hits?q=", "/find?q="} {
				if body := other.shows(path + strings.ReplaceAll(q, " ", "+")); strings.Contains(body, `role="option"`) || strings.Contains(body, "entries-list") {
					t.Errorf("%s finds %q at %s", who, q, path)
				}
			}
		}
	}
}

// Lists of more than fifty rows are cut on the server, and searched there.
func TestLongListsArePaged(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	rows := func(body string) int { return strings.Count(body, `href="/people/`) }
	first := d.shows("/people", "1 to 50 of ")
	if n := rows(first); n != 50 {
		t.Errorf("%d people on the first page", n)
	}
	second := d.shows("/people?rows=2")
	if n := rows(second); n == 0 || n > 50 || strings.Contains(second, "1 to 50 of ") {
		t.Errorf("%d people on the second page", n)
	}
	for _, past := range []string{"99", "-3", "x"} {
		d.shows("/people?rows=" + past)
	}
	if body := d.shows("/people?find=katya"); rows(body) == 0 || rows(body) > 3 {
		t.Errorf("%d people are called Katya", rows(body))
	}
	if body := d.shows("/sites?find=dome"); !strings.Contains(body, "The New Dome") || !strings.Contains(body, "1 site<") {
		t.Error("sites are not searched")
	}
}

// What the front screen lists of who views and edits is so now: unpublished, behind a holding page, by date.
func TestTheFrontScreenSaysWhoViewsNow(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	part := func(path, from, to string) string {
		_, rest, _ := strings.Cut(d.shows(path), from)
		list, _, _ := strings.Cut(rest, to)
		return strings.Join(strings.Fields(regexp.MustCompile(`<[^>]*>`).ReplaceAllString(list, " ")), " ")
	}
	views := func(site string) string { return part("/sites/"+site, "Who can view</h2>", "</section>") }
	if got := views("society"); !strings.HasPrefix(got, "Anyone") || !strings.HasSuffix(got, "The team always") {
		t.Errorf("%q", got)
	}
	d.post("/sites/society/holding", "stands", "yes", "kind", "maintenance", "until", "2026-11-26T10:00")
	d.post("/sites/society/rehearsal/apply", "meant", "yes")
	if got := views("society"); !strings.HasPrefix(got, "The holding page stands until 26 Nov 2026 10:00") || strings.Contains(got, "Anyone") {
		t.Errorf("behind the holding page: %q", got)
	}
	d.post("/sites/variable-stars/unpublish", "action", "down", "meant", "yes")
	if got := views("variable-stars"); got != "Nobody unpublished The team see the draft" {
		t.Errorf("unpublished: %q", got)
	}
	if got := part("/sites/society", "Who can edit</h2>", "</section>"); !strings.HasSuffix(got, "Stewards of the house always") {
		t.Errorf("%q", got)
	}
}
