package console

import (
	"encoding/csv"
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"testing"

	"velada/app/pages"
	"velada/core/access"
	"velada/demo/demotest"
	"velada/house"
)

func TestLedgerIsFilteredAndExported(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	pilar := d.another().signIn("pilar@cerroalcor.example")
	d.post("/sites/society/door/start", "start", "domain")
	d.post("/sites/society/rehearsal/apply", "meant", "yes")
	pilar.post("/sites/society/settings/short", "name", "night", "path", "/open-nights")
	d.post("/sites/society/settings/address", "address", "hill")
	all := d.shows("/sites/hill/ledger", "is removed", "/go/night leads to /open-nights", "moved from society to hill", "See what undoing it does")
	if strings.Count(all, "<tr>") != 4+3 { // three editions went live before
		t.Errorf("%d rows", strings.Count(all, "<tr>"))
	}
	for query, want := range map[string][2]string{
		"who=Pilar+Quintero":     {"/go/night", "moved from"},
		"kind=address":           {"moved from", "/go/night"},
		"until=2020-01-01T00:00": {"Nothing matches.", "/go/night"},
		"from=2020-01-01T00:00":  {"moved from", "Nothing matches."},
		"who=Nobody+Atall":       {"Name one person of the house", "/go/night leads"},
	} {
		if body := d.shows("/sites/hill/ledger?"+query, want[0]); strings.Contains(body, want[1]) {
			t.Errorf("%s shows %q too", query, want[1])
		}
	}
	d.shows("/ledger?site=hill&kind=door", "Cerro Alcor Society", "doors, passwords, team")
	_, table, h := d.get("/sites/hill/ledger?as=csv&kind=door")
	rows, err := csv.NewReader(strings.NewReader(table)).ReadAll()
	if err != nil || len(rows) != 2 || rows[1][4] != "door" || len(rows[1][9]) < 32 || !strings.Contains(h.Get("Content-Disposition"), "hill-ledger.csv") {
		t.Errorf("%v %v", rows, err)
	}
	_, lines, _ := d.get("/ledger?as=jsonl")
	for i, line := range strings.Split(strings.TrimSpace(lines), "\n") {
		var e struct {
			Number int    `json:"number"`
			Hash   string `json:"hash"`
		}
		if err := json.Unmarshal([]byte(line), &e); err != nil || e.Number != i+1 || e.Hash == "" {
			t.Errorf("%s: %v", line, err)
		}
	}
	if status, _, _ := pilar.get("/ledger?as=csv"); status != http.StatusNotFound {
		t.Errorf("the house's ledger to an admin of a site: %d", status)
	}
}

// Whoever has to do with a section alone learns nothing of the others.
func TestASectionIsAllThatItsPeopleAreTold(t *testing.T) {
	crew := openDesk(t).signIn("katya-cifuentes@cerroalcor.example")
	for _, view := range []string{"/door", "/walk", "/sightlines", "/sightlines.csv", "/passes", "/holding", "/team", "/team/roles", "/settings", "/settings/pages", "/unpublish", "/published", "/holding/past", "/address.svg", "/people?q=a", "/pick?kind=people&find=a", "/rehearsal"} {
		if status, body, _ := crew.get("/sites/variable-stars" + view); status != http.StatusForbidden || strings.Contains(body, "Marking") {
			t.Errorf("%s: %d", view, status)
		}
	}
	if status, _, h := crew.get("/sites/variable-stars"); status != http.StatusSeeOther || h.Get("Location") != "/sites/variable-stars/pages" {
		t.Errorf("%d %s", status, h.Get("Location"))
	}
	for _, view := range []string{"/pages/p-crew-antlia", "/publish", "/editions", "/look?page=/crew/antlia&as=person:ines"} {
		body := crew.shows("/sites/variable-stars"+view, "Variable Stars on Thursdays")
		for _, secret := range []string{"Marking", "Two more nights", ">Door<", "Show night panel"} {
			if strings.Contains(body, secret) {
				t.Errorf("%s tells of %s", view, secret)
			}
		}
	}
	if body := crew.shows("/find/hits?q=mark"); strings.Contains(body, "Marking") {
		t.Error("a hidden page is found by its title")
	}
}

// What an edition would change is told to whoever has a section for that alone: no
// path, title, file, menu item or request of elsewhere.
func TestASectionSeesItsOwnDifferences(t *testing.T) {
	d := openDesk(t).signIn("ines@cerroalcor.example")
	ctx, ines := d.Context(), d.house.Actor(mustParse(t, "ines@cerroalcor.example"))
	page, err := pages.NewPage(ctx, d.house, ines, "variable-stars", house.PageDraft{Path: "/surprise", Title: "A surprise for Aiko", Body: "# A surprise\n\n[x](/nowhere-surprise)"})
	if err == nil {
		_, err = pages.MovePage(ctx, d.house, ines, "variable-stars", page.ID, "/surprise", true, true)
	}
	if err == nil {
		_, err = pages.SaveFile(ctx, d.house, ines, "variable-stars", "/files/surprise.png", "image/png", demotest.Dot, "")
	}
	if err == nil {
		own := d.working("variable-stars", "/crew/corvus")
		_, err = pages.SavePage(ctx, d.house, ines, "variable-stars", own.ID, own.Version, own.Title, own.Body+"\n\nA night of haze.", false)
	}
	if err == nil {
		err = pages.AskToPublish(ctx, d.house, d.house.Actor(mustParse(t, "mateo@cerroalcor.example")), "variable-stars", "The surprise is ready")
	}
	if err != nil {
		t.Fatal(err)
	}
	whole := d.shows("/sites/variable-stars/publish", "36 people of the house", "and 30 more", "A surprise for Aiko", "/files/surprise.png", "comes into the menu", "nowhere-surprise", "The surprise is ready", "A night of haze")
	if strings.Contains(whole, "outside your part") {
		t.Error("the owner sees all of it")
	}
	crew := ""
	for _, g := range d.house.State().Policy.Document().Groups {
		if g.ID == "corvus" {
			crew = g.People[0]
		}
	}
	doc := d.house.State().Policy.Document()
	address := doc.People[slices.IndexFunc(doc.People, func(p access.Person) bool { return p.ID == crew })].Address
	mine := d.another().signIn(address).shows("/sites/variable-stars/publish", "A night of haze", "outside your part of the site")
	for _, told := range []string{"surprise", "Surprise", "week-3", "comes into the menu"} {
		if strings.Contains(mine, told) {
			t.Errorf("a crew is told of %q", told)
		}
	}
}
