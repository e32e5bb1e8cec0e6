package console

import (
	"net/http"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"velada/app/accounts"
	"velada/app/news"
	"velada/core/access"
	"velada/demo"
	"velada/house"
	"velada/store"
)

// calledFor has the house call for a second step of admins.
func calledFor(d *desk) {
	d.Helper()
	if err := d.house.ChangeSettings(d.Context(), d.house.Actor(mustParse(d.TB, "ines@cerroalcor.example")), "x", func(s *house.Settings) { s.SecondStep = []string{"door", "members"} }); err != nil {
		d.Fatal(err)
	}
}

func secretIn(body string) string { return regexp.MustCompile(`[A-Z2-7]{32}`).FindString(body) }

// Whatever is half done belongs to one epoch of the account: a half sign-in does not outlive a new
// password, a reset, a block, the end of all sign-ins, or a change of the second step.
func TestAHalfSignInEndsWithItsEpoch(t *testing.T) {
	const pilar = "pilar@cerroalcor.example"
	for what, do := range map[string]func(d *desk){
		"a new password": func(d *desk) {
			err := accounts.ChangePassword(d.Context(), d.house, d.house.Actor(mustParse(t, pilar)), demo.Password, "walnut ferry indigo moss", house.From{IP: "192.0.2.1"}, "")
			if err != nil {
				t.Fatal(err)
			}
		},
		"a reset": func(d *desk) {
			d.post("/forgot", "address", pilar, "kind", house.LinkReset)
			d.another().post(d.mailed(pilar), "kind", house.LinkReset, "password", "walnut ferry indigo moss")
		},
		"the end of all sign-ins": func(d *desk) {
			if err := d.house.Sessions.SignOutEverywhere(d.Context(), "pilar", ""); err != nil {
				t.Fatal(err)
			}
		},
		"a block": func(d *desk) {
			err := d.house.ChangePeople(d.Context(), d.house.Actor(mustParse(t, "ines@cerroalcor.example")), house.PeopleChange{What: "x", Do: func(doc *access.Document) error {
				doc.People[slices.IndexFunc(doc.People, func(p access.Person) bool { return p.ID == "seun" })].Blocked = true
				return nil
			}})
			if err != nil {
				t.Fatal(err)
			}
		},
	} {
		d := openDesk(t)
		calledFor(d)
		address, who := pilar, store.Who("pilar")
		if what == "a block" {
			address, who = "seun@cerroalcor.example", "seun" // without whom no site lacks an owner
		}
		half := d.half(address)
		_, body, _ := half.get("/second-step")
		secret := secretIn(body)
		if secret == "" {
			t.Fatalf("%s: no second step is asked for", what)
		}
		do(d)
		status, _, h := half.post("/second-step", "code", codeOf(t, secret, 0))
		if status != http.StatusSeeOther || h.Get("Location") != "/sign-in" || half.isIn() {
			t.Errorf("after %s: %d to %q, in: %v", what, status, h.Get("Location"), half.isIn())
		}
		if has, err := d.house.Sessions.HasSecondStep(t.Context(), who); err != nil || has {
			t.Errorf("after %s a second step was set up: %v", what, err)
		}
	}
	// a change of the second step
	d := openDesk(t)
	secret, _ := d.withSecond(pilar)
	half := d.half(pilar)
	if err := d.house.Sessions.SignOutEverywhere(t.Context(), "pilar", ""); err != nil {
		t.Fatal(err)
	}
	if half.post("/second-step", "code", codeOf(t, secret, 0)); half.isIn() {
		t.Error("a half sign-in outlives the end of all sign-ins")
	}
}

// A half sign-in counts for ten minutes, and sets up a second step only where one is called for.
func TestAHalfSignInIsShort(t *testing.T) {
	const pilar = "pilar@cerroalcor.example"
	d := openDesk(t)
	secret, _ := d.withSecond(pilar)
	now := time.Unix(1796000000, 0)
	d.console.Clock = func() time.Time { return now }
	half := d.half(pilar)
	now = now.Add(10 * time.Minute)
	if half.post("/second-step", "code", codeOf(t, secret, 0)); half.isIn() {
		t.Error("it counts after ten minutes")
	}
	d = openDesk(t)
	calledFor(d)
	half = d.half(pilar)
	_, body, _ := half.get("/second-step")
	if err := d.house.ChangeSettings(t.Context(), d.house.Actor(mustParse(t, "ines@cerroalcor.example")), "none", func(s *house.Settings) { s.SecondStep = nil }); err != nil {
		t.Fatal(err)
	}
	if _, _, h := half.post("/second-step", "code", codeOf(t, secretIn(body), 0)); h.Get("Location") != "/sign-in" || half.isIn() {
		t.Errorf("one is set up that nobody calls for: to %q", h.Get("Location"))
	}
}

// Links, remembered browsers and secret addresses end with the epoch of the account too.
func TestSecretAddressesAndLinksEndWithTheEpoch(t *testing.T) {
	const pilar = "pilar@cerroalcor.example"
	d := openDesk(t)
	in := d.another().signIn(pilar)
	if err := accounts.SendLink(d.house, house.LinkSignIn, pilar, nil, house.From{IP: "192.0.2.1"}); err != nil {
		t.Fatal(err)
	}
	link := d.mailed(pilar)
	in.post("/calendar/address", "action", "make")
	secret, err := news.Address(t.Context(), d.house, "society", "pilar")
	if err != nil {
		t.Fatal(err)
	}
	in.post("/account/password", "old", demo.Password, "password", "walnut ferry indigo moss")
	if status, _, _ := d.another().post(link, "kind", house.LinkSignIn); status != http.StatusGone {
		t.Errorf("a link that was mailed before: %d", status)
	}
	if who, err := news.WhoReads(t.Context(), d.house, "society", secret); err != nil || who != "" {
		t.Errorf("a feed is read by %q, %v", who, err)
	}
	if _, there, err := store.CalendarAddressMade(t.Context(), d.db, "pilar"); err != nil || there {
		t.Errorf("the address of the calendar stays: %v", err)
	}
	if _, body, _ := in.get("/account"); !strings.Contains(body, "secret addresses of your calendar and news have ended") {
		t.Error("it is not said")
	}
}
