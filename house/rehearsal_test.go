package house_test

import (
	"context"
	"errors"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"velada/app/accounts"
	"velada/app/pages"
	"velada/core/access"
	"velada/core/roster"
	"velada/demo"
	"velada/demo/demotest"
	"velada/house"
	"velada/identity"
	"velada/store"
)

var ctx = context.Background()

// demoHouse is the demo house. When the test ends, what is in force must be what the
// database holds.
func demoHouse(t *testing.T) *house.House {
	t.Helper()
	h := demoHouseFor(t)
	holdsInTheEnd(t, h)
	return h
}

// applyDue does all that is due by now.
func applyDue(h *house.House) error {
	return errors.Join(h.Trays.ApplyDue(ctx), pages.PublishDue(ctx, h))
}

func holdsInTheEnd(t *testing.T, h *house.House) {
	t.Cleanup(func() {
		h.Wait()
		if drift := h.Drift(context.Background()); drift != "" && !t.Failed() {
			t.Error(drift)
		}
	})
}

func demoHouseFor(t testing.TB) *house.House {
	t.Helper()
	db := demotest.Open(t)
	h, err := house.Open(ctx, db, func() time.Time { return demo.Start })
	if err != nil {
		t.Fatal(err)
	}
	h.SiteURL = func(address string) string { return "http://" + address + ".localhost" }
	return h
}

func who(t *testing.T, h *house.House, address string) house.Actor {
	t.Helper()
	a, err := access.ParseAddress(address)
	if err != nil {
		t.Fatal(err)
	}
	return h.Actor(a)
}

type change = func(s *access.Site)

func rehearse(h *house.House, a house.Actor, site string, c change) error {
	return h.Trays.Rehearse(ctx, a, site, func(s *access.Site, _ map[string]store.NewSecret) error {
		c(s)
		return nil
	})
}

func siteDoor(ways ...access.Way) change { return func(s *access.Site) { s.Door.Ways = ways } }

func pageDoor(path string, ways ...access.Way) change {
	return func(s *access.Site) { s.Doors = append(s.Doors, access.PageDoor{Path: path, Mode: "also", Ways: ways}) }
}

func TestNothingChangesBeforeItIsApplied(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	before := h.State()
	if err := rehearse(h, ines, "society", siteDoor()); err != nil {
		t.Fatal(err)
	}
	if h.State() != before {
		t.Error("the state was swapped")
	}
	tray, err := h.Trays.Tray(ctx, ines, "society")
	if err != nil || tray == nil {
		t.Fatal(tray, err)
	}
	if len(tray.Changes) != 1 || tray.Impact.StrangersLose != 7 || tray.Impact.Lose.People.Count() == 0 || len(tray.Impact.NoLongerListed) != 7 {
		t.Errorf("%+v", tray.Impact)
	}
	if other, _ := h.Trays.Tray(ctx, who(t, h, "pilar@cerroalcor.example"), "society"); other != nil {
		t.Error("a rehearsal is its author's alone")
	}
	if err := h.Trays.Discard(ctx, ines, "society"); err != nil {
		t.Fatal(err)
	}
	if tray, _ := h.Trays.Tray(ctx, ines, "society"); tray != nil {
		t.Error("it was discarded")
	}
}

func TestRehearsingBackAgainLeavesNothing(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	for _, c := range []change{siteDoor(), siteDoor(access.Way{Way: "anyone"})} {
		if err := rehearse(h, ines, "society", c); err != nil {
			t.Fatal(err)
		}
	}
	if tray, err := h.Trays.Tray(ctx, ines, "society"); tray != nil || err != nil {
		t.Error(tray, err)
	}
}

func TestApplyingWritesTheLedgerAndOutlivesARestart(t *testing.T) {
	h := demoHouse(t)
	pilar := who(t, h, "pilar@cerroalcor.example")
	if err := rehearse(h, pilar, "society", siteDoor(access.Way{Way: "members"})); err != nil {
		t.Fatal(err)
	}
	if err := h.Trays.Apply(ctx, pilar, "society", true); err != nil {
		t.Fatal(err)
	}
	entries, err := store.Ledger(ctx, h.DB(), store.LedgerFilter{Sites: []store.SiteID{h.State().ID("society")}, Kind: "door", Most: 5})
	if err != nil || len(entries) != 1 {
		t.Fatal(entries, err)
	}
	e := entries[0]
	if e.Who != "pilar@cerroalcor.example" || !strings.Contains(e.What, "Members of this site") || !strings.Contains(e.Before, "anyone") || strings.Contains(e.After, `"anyone"},`) {
		t.Errorf("%+v", e)
	}
	again, err := house.Open(ctx, h.DB(), h.Now)
	if err != nil {
		t.Fatal(err)
	}
	if w := again.State().SiteDocument("society").Door.Ways; len(w) != 1 || w[0].Way != "members" {
		t.Errorf("after a restart: %+v", w)
	}
	if len(again.State().SiteDocument("society").Members) != len(h.State().SiteDocument("society").Members) {
		t.Error("members were lost")
	}
	if err := h.Trays.Apply(ctx, pilar, "society", true); !errors.Is(err, house.ErrNothing) {
		t.Errorf("applied twice: %v", err)
	}
}

func TestWhoMayNot(t *testing.T) {
	h := demoHouse(t)
	for address, want := range map[string]error{
		"jonas@cerroalcor.example":       house.ErrMayNot, // an editor
		"seun@cerroalcor.example":        house.ErrMayNot, // an usher
		"tobias@lens.example":            house.ErrNoSite, // nothing to do with it
		"nobody@elsewhere.example":       house.ErrNoSite,
		"pilar@cerroalcor.example":       nil,
		"PILAR@CerroAlcor.Example":       nil,
		"ada-abascal@cerroalcor.example": house.ErrNoSite,
	} {
		a := who(t, h, address)
		door := siteDoor()
		if want != nil {
			door = siteDoor(access.Way{Way: "members"}) // other than what pilar applies
		}
		if err := rehearse(h, a, "society", door); !errors.Is(err, want) {
			t.Errorf("%s: %v, want %v", address, err, want)
		}
		if strings.HasPrefix(address, "seun") { // who may rehearse signing up, and has rehearsed nothing
			want = house.ErrNothing
		}
		if err := h.Trays.Apply(ctx, a, "society", true); want != nil && !errors.Is(err, want) {
			t.Errorf("%s applies: %v, want %v", address, err, want)
		}
	}
}

func TestTwoInDifferentPlacesDoNotMeet(t *testing.T) {
	h := demoHouse(t)
	ines, pilar := who(t, h, "ines@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	if err := errors.Join(
		rehearse(h, ines, "society", pageDoor("/library", access.Way{Way: "members"})),
		rehearse(h, pilar, "society", pageDoor("/visit", access.Way{Way: "signed-in"})),
		h.Trays.Apply(ctx, pilar, "society", true),
		h.Trays.Apply(ctx, ines, "society", true),
	); err != nil {
		t.Fatal(err)
	}
	paths := map[string]bool{}
	for _, d := range h.State().SiteDocument("society").Doors {
		paths[d.Path] = true
	}
	if !paths["/library"] || !paths["/visit"] || !paths["/members"] {
		t.Errorf("doors at %v", paths)
	}
}

func TestTwoInTheSamePlace(t *testing.T) {
	h := demoHouse(t)
	ines, pilar := who(t, h, "ines@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	if err := errors.Join(
		rehearse(h, ines, "society", siteDoor(access.Way{Way: "members"})),
		rehearse(h, pilar, "society", siteDoor(access.Way{Way: "signed-in"})),
		h.Trays.Apply(ctx, pilar, "society", true),
	); err != nil {
		t.Fatal(err)
	}
	tray, err := h.Trays.Tray(ctx, ines, "society")
	if err != nil || len(tray.Clashes) != 2 || !strings.Contains(tray.Clashes[1].Text, "signs in") {
		t.Fatalf("the second is not shown what changed: %+v %v", tray, err)
	}
	if err := h.Trays.Apply(ctx, ines, "society", true); !errors.Is(err, house.ErrClash) {
		t.Fatalf("overwritten unseen: %v", err)
	}
	if w := h.State().SiteDocument("society").Door.Ways; w[0].Way != "signed-in" {
		t.Errorf("%+v", w)
	}
	tray, err = h.Trays.Tray(ctx, ines, "society")
	if err != nil || len(tray.Clashes) != 0 || !strings.Contains(tray.Changes[0].Text, "signs in") {
		t.Fatalf("it does not go on from theirs: %+v %v", tray, err)
	}
	if err := h.Trays.Apply(ctx, ines, "society", true); err != nil {
		t.Fatal(err)
	}
	if w := h.State().SiteDocument("society").Door.Ways; w[0].Way != "members" {
		t.Errorf("%+v", w)
	}
}

func TestWhatDoesNotGoTogetherIsRefused(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	var problems access.Problems
	err := rehearse(h, ines, "society", siteDoor(access.Way{Way: "groups", Groups: []string{"no-such"}}))
	if !errors.As(err, &problems) {
		t.Errorf("a dangling group: %v", err)
	}
	if tray, _ := h.Trays.Tray(ctx, ines, "society"); tray != nil {
		t.Error("it was kept all the same")
	}
}

func TestTheTrayTellsOfPromises(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	err := rehearse(h, ines, "variable-stars", func(s *access.Site) {
		for i := range s.Doors {
			if s.Doors[i].Path == "/crew/antlia" {
				s.Doors[i].Mode, s.Doors[i].Ways = "instead", []access.Way{{Way: "anyone"}}
			}
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	tray, err := h.Trays.Tray(ctx, ines, "variable-stars")
	if err != nil || len(tray.Impact.Broken) != 1 || tray.Impact.Broken[0].ID != "crews-apart" || tray.Impact.Kept != 6 || tray.Impact.Promises != 8 {
		t.Errorf("%+v %v", tray.Impact, err)
	}
}

func TestTamperingWithTheLedgerShows(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	if _, err := h.DB().Exec(`DELETE FROM ledger`); err != nil { // of the demo house
		t.Fatal(err)
	}
	for _, c := range []change{siteDoor(), siteDoor(access.Way{Way: "members"}), siteDoor(access.Way{Way: "anyone"})} {
		if err := errors.Join(rehearse(h, ines, "society", c), h.Trays.Apply(ctx, ines, "society", true)); err != nil {
			t.Fatal(err)
		}
	}
	if broken, n, err := store.VerifyLedger(ctx, h.DB()); broken != 0 || n != 3 || err != nil {
		t.Fatal(broken, n, err)
	}
	for _, tamper := range []string{`UPDATE ledger SET what = 'nothing' WHERE number = 2`, `DELETE FROM ledger WHERE number = 1`} {
		if _, err := h.DB().Exec(tamper); err != nil {
			t.Fatal(err)
		}
		if broken, _, err := store.VerifyLedger(ctx, h.DB()); broken != 2 || err != nil {
			t.Errorf("after %s: entry %d, %v", tamper, broken, err)
		}
	}
}

func TestSignIn(t *testing.T) {
	h := demoHouse(t)
	if a, err := accounts.SignIn(ctx, h, "Ines@cerroalcor.example", demo.Password, house.From{IP: "203.0.113.5"}); err != nil || a != "ines" {
		t.Error(a, err)
	}
	_, wrong := accounts.SignIn(ctx, h, "ines@cerroalcor.example", "not it", house.From{IP: "203.0.113.5"})
	_, unknown := accounts.SignIn(ctx, h, "nobody@cerroalcor.example", "not it", house.From{IP: "203.0.113.5"})
	if wrong == nil || unknown == nil || wrong.Error() != unknown.Error() {
		t.Errorf("an account shows: %v, %v", wrong, unknown)
	}
	var later identity.TryLater
	for range 10 {
		_, err := accounts.SignIn(ctx, h, "ines@cerroalcor.example", "not it", house.From{IP: "198.51.100.1"})
		errors.As(err, &later)
	}
	if later.Wait == 0 || !strings.Contains(later.Error(), "Try again in") {
		t.Error("guessing is not slowed")
	}
}

func TestSetUp(t *testing.T) {
	db, err := store.Open(ctx, filepath.Join(t.TempDir(), "velada.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	h, err := house.Open(ctx, db, time.Now)
	if err != nil || h.State() != nil {
		t.Fatal(err)
	}
	sound := house.NewHouse{House: "Casa", Zone: "Europe/Madrid", Name: "Ada", Address: "ada@casa.example", Password: "velvet harbor nine tulips"}
	for field, spoil := range map[string]func(n *house.NewHouse){
		"address":  func(n *house.NewHouse) { n.Address = "ada" },
		"password": func(n *house.NewHouse) { n.Password = "password1" },
		"zone":     func(n *house.NewHouse) { n.Zone = "Moon/Crater" },
		"name":     func(n *house.NewHouse) { n.Name = " " },
		"house":    func(n *house.NewHouse) { n.House = "" },
	} {
		n := sound
		spoil(&n)
		var wrong house.FieldErrors
		if err := h.SetUp(ctx, n); !errors.As(err, &wrong) || wrong[field] == "" || len(wrong) != 1 {
			t.Errorf("%s: %v", field, err)
		}
	}
	if err := h.SetUp(ctx, sound); err != nil {
		t.Fatal(err)
	}
	if err := h.SetUp(ctx, sound); !errors.Is(err, house.ErrSetUp) {
		t.Errorf("set up twice: %v", err)
	}
	if p, ok := h.State().Policy.PersonOf(h.State().Identity(who(t, h, "ada@casa.example").Who)); !ok || !p.Steward {
		t.Errorf("%+v", p)
	}
}

func TestReadGuests(t *testing.T) {
	doc := demoHouse(t).State().Policy.Document()
	g := roster.ReadGuests("Mirela Stanciu; \"Eva Ruiz\" <eva@post.example>,\nINES@cerroalcor.example\teva@post.example\nbad@@x.example, nobody in particular", doc)
	if got := strings.Join(g.People, " "); got != "mirela eva@post.example ines" {
		t.Errorf("people %q", got)
	}
	if len(g.Twice) != 1 || len(g.Problems) != 2 {
		t.Errorf("%+v", g)
	}
}

func TestANewerDatabaseIsRefused(t *testing.T) {
	file := filepath.Join(t.TempDir(), "velada.db")
	db, err := store.Open(ctx, file)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (9999, 1)`); err != nil {
		t.Fatal(err)
	}
	db.Close()
	if _, err := store.Open(ctx, file); !errors.Is(err, store.ErrNewer) {
		t.Errorf("%v", err)
	}
}
