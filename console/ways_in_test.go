package console

import (
	"net/http"
	"strings"
	"testing"
	"time"

	"velada/app/accounts"
	"velada/app/pages"
	"velada/core/access"
	"velada/gate"
	"velada/house"
	"velada/identity"
	"velada/limits"
	"velada/store"
)

func (d *desk) rule(r access.HouseRule) {
	d.Helper()
	err := d.house.ChangePeople(d.Context(), d.house.Actor(mustParse(d.TB, "ines@cerroalcor.example")), house.PeopleChange{What: "x", Do: func(doc *access.Document) error {
		doc.Rules = append(doc.Rules, r)
		return nil
	}})
	if err != nil {
		d.Fatal(err)
	}
}

// A preview link obeys house rules as a way link of the whole site would.
func TestPreviewLinksObeyHouseRules(t *testing.T) {
	for _, rule := range []string{"sign-in-required", "house-domains-only"} {
		d := openDesk(t)
		pilar := d.house.Actor(mustParse(t, "pilar@cerroalcor.example"))
		if err := pages.SharePreview(t.Context(), d.house, pilar, "society", "Press", d.house.Now().Add(time.Hour)); err != nil {
			t.Fatal(err)
		}
		list, err := pages.PreviewsFor(t.Context(), d.house, pilar, "society")
		if err != nil || len(list) != 1 {
			t.Fatal(list, err)
		}
		token := pages.PreviewToken(d.house, list[0].ID)
		if _, err := pages.FindPreview(t.Context(), d.house, token); err != nil {
			t.Fatal(err)
		}
		d.rule(access.HouseRule{ID: "x", Rule: rule})
		if _, err := pages.FindPreview(t.Context(), d.house, token); err == nil {
			t.Errorf("%s: the preview shows something", rule)
		}
		if err := pages.SharePreview(t.Context(), d.house, pilar, "society", "Press", d.house.Now().Add(time.Hour)); err == nil {
			t.Errorf("%s: one more is made", rule)
		}
	}
}

// What was shared by a section's editor shows titles of that section alone, and they stay where they were.
func TestASectionsPreviewShowsItsTitlesAlone(t *testing.T) {
	d := openDesk(t)
	crew := d.another().signIn("katya-cifuentes@cerroalcor.example")
	status, _, h := crew.post("/sites/variable-stars/previews", "label", "Grandmother", "until", "30 Nov 2026 12:00")
	if status != http.StatusSeeOther {
		t.Fatal(status)
	}
	to := h.Get("Location")
	for status == http.StatusSeeOther {
		if status, _, h = crew.get(to); status == http.StatusSeeOther {
			to = h.Get("Location")
		}
	}
	if status != http.StatusOK {
		t.Errorf("led to %s: %d", to, status)
	}
	katya := d.house.Actor(mustParse(t, "katya-cifuentes@cerroalcor.example"))
	list, err := pages.PreviewsFor(t.Context(), d.house, katya, "variable-stars")
	if err != nil || len(list) != 1 {
		t.Fatal(list, err)
	}
	look := func(address string) *gate.Answer {
		r, err := http.NewRequest(http.MethodGet, address, nil)
		if err != nil {
			t.Fatal(err)
		}
		r.RequestURI = r.URL.Path
		answer := &gate.Answer{}
		d.glass.ServeHTTP(answer, r)
		return answer
	}
	token := pages.PreviewToken(d.house, list[0].ID)
	old := look("http://looking-glass.localhost/" + token + "/crew/antlia") // as links were written before
	if to := old.Header().Get("Location"); to != d.glass.PreviewURL(token)+"crew/antlia" {
		t.Fatalf("an old link leads to %q", to)
	}
	opened := look(old.Header().Get("Location"))
	body := look(strings.Split(d.glass.PreviewURL(token), "/velada/")[0] + opened.Header().Get("Location")).Body.String()
	if !strings.Contains(body, "Antlia") {
		t.Fatalf("the section is not shown: %.400s", body)
	}
	for _, title := range []string{"Course notes", "How to join", "Welcome"} {
		if strings.Contains(body, title) {
			t.Errorf("the title of %q is shown", title)
		}
	}
}

// Whoever may change what opens signs in with a second step, whatever their role is called.
func TestASecondStepIsForWhatSomebodyMayDo(t *testing.T) {
	d := openDesk(t)
	ines := d.house.Actor(mustParse(t, "ines@cerroalcor.example"))
	err := d.house.Trays.Rehearse(t.Context(), ines, "society", func(s *access.Site, _ map[string]store.NewSecret) error {
		s.Roles = append(s.Roles, access.Role{ID: "helper", Can: []string{"preview", "write", "publish", "door", "members", "team", "listing", "traffic"}})
		s.Team = append(s.Team, access.TeamEntry{Person: "bram", Role: "helper", Under: "/", Accepted: true})
		return nil
	})
	if err == nil {
		err = d.house.Trays.Apply(t.Context(), ines, "society", true)
	}
	if err != nil {
		t.Fatal(err)
	}
	calledFor(d)
	if list := d.house.SecondStepFor(d.house.Actor(mustParse(t, "bram@cerroalcor.example"))); len(list) == 0 {
		t.Error("a role of the site's own escapes")
	}
	if _, body, _ := d.another().signIn("ines@cerroalcor.example").get("/settings/sign-in"); strings.Contains(body, "usher") && !strings.Contains(body, "may change who can view") {
		t.Error("the setting names roles")
	}
}

// A provider's account is known by its subject: another one that comes by a known address shows who it is
// in another way.
func TestAnotherSubjectIsAnotherAccount(t *testing.T) {
	d := openDesk(t)
	p := &house.Provider{ID: "x", Name: "the school", Issuer: "https://issuer.example", Domains: []string{"cerroalcor.example"}}
	claims := identity.Claims{Issuer: p.Issuer, Subject: "one", Address: "mateo@cerroalcor.example", Verified: identity.IsVerified, Name: "Mateo"}
	who, err := accounts.SignInWith(t.Context(), d.house, p, claims)
	if err != nil || who == "" {
		t.Fatal(who, err)
	}
	if again, err := accounts.SignInWith(t.Context(), d.house, p, claims); err != nil || again != who {
		t.Errorf("the same account: %s %v", again, err)
	}
	claims.Subject = "two"
	if got, err := accounts.SignInWith(t.Context(), d.house, p, claims); err == nil {
		t.Errorf("another account with his address is %s", got)
	}
	notices, err := store.Notices(t.Context(), d.db, who, 10)
	if err != nil || len(notices) == 0 || !strings.Contains(notices[0].What, "Somebody else comes by your address") {
		t.Errorf("he is not told: %+v %v", notices, err)
	}
	if err := accounts.Bind(t.Context(), d.house, who, claims.Issuer, "two"); err != nil {
		t.Fatal(err)
	}
	if got, err := accounts.SignInWith(t.Context(), d.house, p, claims); err != nil || got != who {
		t.Errorf("bound: %s %v", got, err)
	}
	claims.Subject = "one"
	if _, err := accounts.SignInWith(t.Context(), d.house, p, claims); err == nil {
		t.Error("the account before signs him in still")
	}
}

// Whether an address is free is told to those who may use one.
func TestWhetherAnAddressIsFreeIsNotForEverybody(t *testing.T) {
	d := openDesk(t)
	for _, who := range []string{"jonas@cerroalcor.example", "tobias@lens.example", "pilar@cerroalcor.example"} {
		if status, body, _ := d.another().signIn(who).get("/address-free?address=august"); status != http.StatusNotFound || strings.Contains(body, "Another site") {
			t.Errorf("%s: %d", who, status)
		}
	}
	ines := d.another().signIn("ines@cerroalcor.example")
	if f := d.house.Throttles.Frees; f.Burst != limits.AddressesAsked || f.Every != limits.AddressPause {
		t.Errorf("so many addresses: %+v", f)
	}
	const some = 10
	d.house.Throttles.Frees = &identity.Throttle{Every: time.Hour, Burst: some}
	told := 0
	for range 2 * some {
		if _, body, _ := ines.get("/address-free?address=dossier"); strings.Contains(body, "Another site") {
			told++
		}
	}
	if told != some {
		t.Errorf("told %d times", told)
	}
}

// A password is judged without standing in an address.
func TestAPasswordIsNotSentInAnAddress(t *testing.T) {
	d := openDesk(t)
	d.signIn("pilar@cerroalcor.example")
	if status, _, _ := d.get("/strength?password=hollis1"); status == http.StatusOK {
		t.Error("it is judged in an address")
	}
	_, body, _ := d.get("/sites/dossier/door?pass=start")
	if strings.Contains(body, `hx-get="/strength"`) || !strings.Contains(body, `hx-post="/strength"`) {
		t.Error("the form sends it in an address")
	}
}

// A way without a kind is no way, and what is drafted can be read again.
func TestAWayWithoutAKindIsNotDrafted(t *testing.T) {
	d := openDesk(t)
	d.signIn("pilar@cerroalcor.example")
	for _, kind := range [][]string{{}, {"kind", ""}, {"kind", "backdoor"}} {
		if status, _, _ := d.post("/sites/society/door/add", kind...); status < 400 || status >= 500 {
			t.Errorf("%v: %d", kind, status)
		}
	}
	if r, err := store.FindRehearsal(t.Context(), d.db, d.house.SiteID("society"), "pilar"); err != nil || r != nil {
		t.Errorf("something is drafted: %+v %v", r, err)
	}
	if status, _, _ := d.get("/sites/society/door"); status != http.StatusOK {
		t.Errorf("the door is shown no more: %d", status)
	}
	pilar := d.house.Actor(mustParse(t, "pilar@cerroalcor.example"))
	err := d.house.Trays.Rehearse(t.Context(), pilar, "society", func(s *access.Site, _ map[string]store.NewSecret) error {
		s.Doors = append(s.Doors, access.PageDoor{Path: "/visit", Mode: "sideways"})
		return nil
	})
	if err == nil {
		t.Error("a draft is kept that cannot be read again")
	}
}

// A finding is left as it is by whoever could mend it, and by no one else.
func TestAFindingIsLeftByWhoeverCouldMendIt(t *testing.T) {
	d := openDesk(t)
	seun, ines := d.house.Actor(mustParse(t, "seun@cerroalcor.example")), d.house.Actor(mustParse(t, "ines@cerroalcor.example"))
	look, err := d.console.Rounds.Look(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	left := 0
	for _, f := range look.All {
		if f.Site != "society" {
			continue
		}
		may := d.house.Can(seun, f.Site, "/").Has(f.Kind.Needs())
		if err := d.console.Rounds.Leave(t.Context(), seun, &f, "x", "because"); (err == nil) != may {
			t.Errorf("%s, left by an usher: %v", f.Kind, err)
		}
		if !may {
			left++
			if err := d.console.Rounds.Leave(t.Context(), ines, &f, "x", "because"); err != nil {
				t.Errorf("%s, left by an owner: %v", f.Kind, err)
			}
		}
	}
	if left == 0 {
		t.Error("there was nothing that an usher cannot mend")
	}
}

// Who is from outside is told of a change in the names that they know.
func TestAChangeNamesWhomOneKnows(t *testing.T) {
	d := openDesk(t)
	pilar := d.house.Actor(mustParse(t, "ines@cerroalcor.example"))
	err := d.house.Trays.Rehearse(t.Context(), pilar, "society", func(s *access.Site, _ map[string]store.NewSecret) error {
		s.Team = append(s.Team, access.TeamEntry{Person: "tobias", Role: "publisher", Under: "/", Accepted: true})
		return nil
	})
	if err == nil {
		err = d.house.Trays.Apply(t.Context(), pilar, "society", true)
	}
	if err != nil {
		t.Fatal(err)
	}
	out := d.another().signIn("tobias@lens.example")
	_, body, _ := out.get("/sites/society/unpublish")
	known := d.house.KnownTo(d.house.Actor(mustParse(t, "tobias@lens.example")), "society")
	if !strings.Contains(body, `name="meant"`) {
		t.Fatalf("%.300s", body)
	}
	for _, p := range d.house.State().Policy.Document().People {
		if known.Person(p.ID) == nil && strings.Contains(body, p.Name) {
			t.Errorf("%s is named to somebody who does not know them", p.Name)
		}
	}
}
