package house_test

import (
	"errors"
	"net/url"
	"path"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/pquerna/otp/totp"

	"velada/app/accounts"
	"velada/app/teams"
	"velada/core/access"
	"velada/house"
	"velada/identity"
	"velada/store"
)

// lastLink returns the address that the latest letter to somebody leads to.
func lastLink(t *testing.T, h *house.House, to string) (link, text string) {
	t.Helper()
	h.Wait()
	list, err := h.Outbox.Mails(ctx, to, 1)
	if err != nil || len(list) == 0 {
		t.Fatalf("no mail to %s: %v", to, err)
	}
	for _, line := range strings.Split(list[0].Text, "\n") {
		if u, err := url.Parse(line); err == nil && u.Scheme == "http" {
			return line, list[0].Text
		}
	}
	t.Fatalf("no link in\n%s", list[0].Text)
	return "", ""
}

func TestNobodyInvitesToMoreThanTheyMay(t *testing.T) {
	h := demoHouse(t)
	h.ConsoleURL = "http://velada.localhost"
	pilar, jonas, tobias := who(t, h, "pilar@cerroalcor.example"), who(t, h, "jonas@cerroalcor.example"), who(t, h, "tobias@lens.example")
	in := teams.Invitation{Addresses: []string{"zoe@press.example, Bram de Wit"}, Sites: []string{"society"}, Role: "editor", Mail: true}
	for _, c := range []struct {
		by   house.Actor
		with func(*teams.Invitation)
		want string // of an error; a field, or the error's own text
	}{
		{pilar, func(i *teams.Invitation) { i.Role = "owner" }, "role: "},
		{pilar, func(i *teams.Invitation) { i.Role = "no-such" }, "role: "},
		{pilar, func(i *teams.Invitation) { i.Addresses = nil }, "list: "},
		{pilar, func(i *teams.Invitation) { i.Addresses = []string{"not one"} }, "list: "},
		{pilar, func(i *teams.Invitation) { i.Addresses = []string{"jonas@cerroalcor.example"} }, "list: Jonas Lindqvist is on the team already"},
		{pilar, func(i *teams.Invitation) { i.Addresses = []string{"new@aula.cerroalcor.example"} }, "list: No mail reaches"},
		{pilar, func(i *teams.Invitation) { i.Sites = append(i.Sites, "variable-stars") }, house.ErrNoSite.Error()},
		{jonas, func(*teams.Invitation) {}, house.ErrMayNot.Error()},
		{tobias, func(*teams.Invitation) {}, house.ErrNoSite.Error()},
	} {
		asked := in
		asked.Sites = []string{"society"}
		c.with(&asked)
		if _, err := teams.Invite(ctx, h, c.by, asked); err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%v, want %q", err, c.want)
		}
	}
	before := len(h.State().SiteDocument("society").Team)
	sent, err := teams.Invite(ctx, h, pilar, in)
	if err != nil || len(sent) != 2 || sent[0].Link != "" {
		t.Fatalf("%+v %v", sent, err)
	}
	if team := h.State().SiteDocument("society").Team; len(team) != before+2 || team[before].Accepted || h.Can(who(t, h, "zoe@press.example"), "society", "/") != 0 {
		t.Errorf("it counts before it is accepted: %+v", team)
	}
	if _, err := teams.Invite(ctx, h, pilar, in); err == nil || !strings.Contains(err.Error(), "invited already") {
		t.Error(err)
	}
}

func TestAnInvitationIsAnsweredOnceByItsAddress(t *testing.T) {
	h := demoHouse(t)
	h.ConsoleURL = "http://velada.localhost"
	pilar, tobias := who(t, h, "pilar@cerroalcor.example"), who(t, h, "tobias@lens.example")
	_, err := teams.Invite(ctx, h, pilar, teams.Invitation{Addresses: []string{"zoe@press.example"}, Sites: []string{"society", "dossier"}, Role: "editor", Mail: true, Reason: "client", Word: "Welcome"})
	if err != nil {
		t.Fatal(err)
	}
	link, text := lastLink(t, h, "zoe@press.example")
	if !strings.Contains(text, "Welcome") || !strings.Contains(text, "Founders Fund Dossier: editor") {
		t.Error(text)
	}
	token := path.Base(link)
	o, err := teams.FindOffer(ctx, h, token)
	if err != nil || len(o.Entries) != 2 || o.Account || o.Over {
		t.Fatalf("%+v %v", o, err)
	}
	if _, err := teams.Accept(ctx, h, tobias, o.ID); !errors.Is(err, teams.ErrInvitationNotYours) {
		t.Error(err)
	}
	if err := teams.AskForOwnInvitation(ctx, h, tobias, token); err != nil {
		t.Error(err)
	}
	var wrong house.FieldErrors
	if _, _, err := teams.BeginAccount(ctx, h, token, "", "abc"); !errors.As(err, &wrong) || wrong["name"] == "" || wrong["password"] == "" {
		t.Error(err)
	}
	if a, made, err := teams.BeginAccount(ctx, h, token, "Zoe", "walnut ferry indigo moss"); err != nil || !made || a != "zoe@press.example" {
		t.Errorf("%v %v %v", a, made, err)
	}
	if _, _, err := teams.BeginAccount(ctx, h, token, "Mallory", "walnut ferry indigo moss"); err == nil {
		t.Error("an account is taken over by an invitation")
	}
	zoe := who(t, h, "zoe@press.example")
	if site, err := teams.Accept(ctx, h, zoe, o.ID); err != nil || site != "dossier" {
		t.Errorf("%q %v", site, err)
	}
	// she is a person of the house from then on, from outside, with one entry on each team
	again := zoe
	if zoe = who(t, h, "zoe@press.example"); zoe.Who != "zoe" || zoe.Name != "Zoe" {
		t.Fatalf("%+v", zoe)
	}
	for _, site := range []string{"society", "dossier"} {
		entries := slices.DeleteFunc(slices.Clone(h.State().SiteDocument(site).Team), func(e access.TeamEntry) bool { return e.Person != "zoe" && e.Address == "" })
		if len(entries) != 1 || entries[0].Person != "zoe" || !entries[0].Accepted {
			t.Errorf("%s: %+v", site, entries)
		}
	}
	if _, err := teams.Accept(ctx, h, again, o.ID); err == nil {
		t.Error("whoever she was before accepts once more")
	}
	if !h.Can(zoe, "society", "/").Has(access.Write) || !h.Can(zoe, "dossier", "/").Has(access.Write) || h.Can(zoe, "society", "/").Has(access.Publish) {
		t.Error("what was accepted does not count, or more does")
	}
	if _, err := teams.Accept(ctx, h, zoe, o.ID); !errors.Is(err, teams.ErrInvitationEnded) {
		t.Errorf("twice: %v", err)
	}
	told, err := store.Notices(ctx, h.DB(), "pilar", 9)
	if err != nil || len(told) != 3 || !strings.Contains(told[0].What, "Zoe accepted to be editor") || !strings.Contains(told[2].What, "asks to be invited") {
		t.Errorf("%+v %v", told, err)
	}
	if reasons, err := store.TeamReasons(ctx, h.DB(), h.State().ID("society")); err != nil || reasons["zoe"] != "client" {
		t.Errorf("%v %v", reasons, err)
	}
	if !h.Outside(zoe) || h.Outside(pilar) {
		t.Error("who is from outside")
	}
	doc := h.KnownTo(zoe, "dossier")
	for _, p := range doc.People {
		if strings.HasPrefix(p.ID, "katya-") || p.ID == "mirela" {
			t.Errorf("somebody from outside learns of %s", p.Name)
		}
	}
	if len(doc.People) == 0 {
		t.Error("nobody is known")
	}
}

func TestInvitationsEndAndAreWithdrawn(t *testing.T) {
	h := demoHouse(t)
	h.ConsoleURL = "http://velada.localhost"
	pilar, zoe := who(t, h, "pilar@cerroalcor.example"), who(t, h, "zoe@press.example")
	invite := func(address string) string {
		sent, err := teams.Invite(ctx, h, pilar, teams.Invitation{Addresses: []string{address}, Sites: []string{"society"}, Role: "viewer"})
		if err != nil {
			t.Fatal(err)
		}
		return path.Base(sent[0].Link)
	}
	byHand := invite("zoe@press.example")
	if _, made, err := teams.BeginAccount(ctx, h, byHand, "Zoe", "walnut ferry indigo moss"); err != nil || made {
		t.Fatalf("a link handed on proves no address: %v %v", made, err)
	}
	link, _ := lastLink(t, h, "zoe@press.example")
	if a, to, err := accounts.FollowMailLink(ctx, h, path.Base(link), "Zoe", "walnut ferry indigo moss"); err != nil || a != zoe.Who || to["then"] != "/invitations/"+byHand {
		t.Errorf("%v %v %v", a, to, err)
	}
	o, _ := teams.FindOffer(ctx, h, byHand)
	again, err := teams.SendAgain(ctx, h, pilar, "society", o.ID, false)
	if err != nil || again.Link == "" {
		t.Fatal(err)
	}
	if old, err := teams.FindOffer(ctx, h, byHand); err != nil || old != nil {
		t.Error("the link before still leads somewhere")
	}
	if err := teams.Withdraw(ctx, h, pilar, "society", o.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := teams.Accept(ctx, h, zoe, o.ID); !errors.Is(err, teams.ErrInvitationEnded) {
		t.Error(err)
	}
	if len(h.State().SiteDocument("society").Team) != 4 {
		t.Error("its entry is still there")
	}
	token := invite("kai@press.example")
	if o, err := teams.FindOffer(ctx, h, token); err != nil || o.Over {
		t.Fatal(err)
	}
	if err := teams.Decline(ctx, h, who(t, h, "kai@press.example"), mustOffer(t, h, token).ID); err != nil {
		t.Error(err)
	}
	if len(h.State().SiteDocument("society").Team) != 4 {
		t.Error("declined, and still there")
	}
}

func mustOffer(t *testing.T, h *house.House, token string) *teams.Offer {
	t.Helper()
	o, err := teams.FindOffer(ctx, h, token)
	if err != nil || o == nil {
		t.Fatalf("no offer: %v", err)
	}
	return o
}

func TestHandingOverNeedsWhoGivesAndWhoTakes(t *testing.T) {
	h := demoHouse(t)
	h.ConsoleURL = "http://velada.localhost"
	ines, pilar := who(t, h, "ines@cerroalcor.example"), who(t, h, "pilar@cerroalcor.example")
	var wrong house.FieldErrors
	for _, to := range []string{"zoe@press.example", "Inés Ortuño", "", "Pilar Quintero; Jonas Lindqvist"} {
		if err := teams.HandOver(ctx, h, ines, "society", to, teams.StayAway); !errors.As(err, &wrong) || wrong["to"] == "" {
			t.Errorf("%q: %v", to, err)
		}
	}
	if err := teams.HandOver(ctx, h, pilar, "society", "Jonas Lindqvist", teams.StayAway); !errors.Is(err, house.ErrMayNot) {
		t.Error(err)
	}
	if err := teams.LeaveTeam(ctx, h, ines, "society"); err == nil {
		t.Error("the last owner leaves")
	}
	if err := teams.HandOver(ctx, h, ines, "society", "Pilar Quintero", teams.StayAdmin); err != nil {
		t.Fatal(err)
	}
	offers, err := teams.OffersTo(ctx, h, pilar)
	if err != nil || len(offers) != 1 || offers[0].Stay != teams.StayAdmin {
		t.Fatalf("%+v %v", offers, err)
	}
	if _, err := teams.Accept(ctx, h, pilar, offers[0].ID); err != nil {
		t.Fatal(err)
	}
	roles := map[string]string{}
	for _, e := range h.State().SiteDocument("society").Team {
		roles[e.Person] += e.Role + " "
	}
	if roles["pilar"] != "admin owner " || roles["ines"] != "admin " {
		t.Errorf("%v", roles)
	}
	if err := teams.LeaveTeam(ctx, h, ines, "society"); err != nil {
		t.Error(err)
	}
}

func TestLinksByMailWorkOnceAndTellNothing(t *testing.T) {
	h := demoHouse(t)
	h.ConsoleURL = "http://velada.localhost"
	for _, address := range []string{"nobody@nowhere.example", "mateo@cerroalcor.example"} {
		if err := accounts.SendLink(h, house.LinkSignIn, address, nil, house.From{IP: "192.0.2.1"}); err != nil {
			t.Errorf("%s: %v", address, err)
		}
	}
	h.Wait()
	if list, err := h.Outbox.Mails(ctx, "nobody", 9); err != nil || len(list) != 0 {
		t.Error("an address that the house has nothing to do with gets mail")
	}
	link, _ := lastLink(t, h, "mateo@")
	if _, err := accounts.ResetPassword(ctx, h, path.Base(link), "walnut ferry indigo moss"); !errors.Is(err, house.ErrLinkSpent) {
		t.Errorf("a link to sign in sets a password: %v", err)
	}
	if _, _, err := accounts.FollowMailLink(ctx, h, path.Base(link), "Zoe", "walnut ferry indigo moss"); err != nil {
		t.Error(err)
	}
	if _, _, err := accounts.FollowMailLink(ctx, h, path.Base(link), "Zoe", "walnut ferry indigo moss"); !errors.Is(err, house.ErrLinkSpent) {
		t.Error(err)
	}
	var later identity.TryLater
	var err error
	for range 12 {
		err = accounts.SendLink(h, house.LinkSignIn, "mateo@cerroalcor.example", nil, house.From{IP: "192.0.2.1"})
	}
	if !errors.As(err, &later) {
		t.Error("links can be asked for without end")
	}
	h.Wait()
}

func TestWhatAProviderSaysIsNotTakenForMore(t *testing.T) {
	h := demoHouse(t)
	p := &house.Provider{Name: "P", Domains: []string{"cerroalcor.example"}}
	for _, c := range []struct {
		claims identity.Claims
		want   string
	}{
		{identity.Claims{Address: "new@cerroalcor.example", Verified: identity.IsVerified}, ""},
		{identity.Claims{Address: "new@cerroalcor.example", Verified: identity.NotVerified}, "not verified"},
		{identity.Claims{Address: "new@cerroalcor.example"}, "does not say whether"},
		{identity.Claims{Address: "ines@lens.example", Verified: identity.IsVerified}, "trusted for cerroalcor.example alone"},
		{identity.Claims{Address: "ines@sub.cerroalcor.example", Verified: identity.IsVerified}, "trusted for"},
		{identity.Claims{Address: "nobody", Verified: identity.IsVerified}, "did not tell an address"},
	} {
		_, err := accounts.SignInWith(ctx, h, p, c.claims)
		if c.want == "" && err != nil || c.want != "" && (err == nil || !strings.Contains(err.Error(), c.want)) {
			t.Errorf("%+v: %v", c.claims, err)
		}
	}
	p.Unsaid = true
	if _, err := accounts.SignInWith(ctx, h, p, identity.Claims{Address: "new@cerroalcor.example"}); err != nil {
		t.Error("what it leaves out counts as verified, as set:", err)
	}
	if _, err := accounts.SignInWith(ctx, h, p, identity.Claims{Address: "new@cerroalcor.example", Verified: identity.NotVerified}); err == nil {
		t.Error("it says that the address is not verified, and yet it counts as verified")
	}
	// the account that it made has no password to guess
	if _, err := accounts.SignIn(ctx, h, "new@cerroalcor.example", "", house.From{IP: "192.0.2.1"}); err == nil {
		t.Error("an account without a password is signed in to")
	}
}

func TestSecondStep(t *testing.T) {
	h := demoHouse(t)
	ines := who(t, h, "ines@cerroalcor.example")
	if err := h.ChangeSettings(ctx, who(t, h, "pilar@cerroalcor.example"), "x", func(s *house.Settings) { s.SecondStep = []string{"viewer"} }); !errors.Is(err, house.ErrMayNot) {
		t.Error(err)
	}
	if err := h.ChangeSettings(ctx, ines, "x", func(s *house.Settings) { s.SecondStep = []string{"members", house.Steward} }); err != nil {
		t.Fatal(err)
	}
	for address, want := range map[string]int{"ines@cerroalcor.example": 2, "seun@cerroalcor.example": 1, "jonas@cerroalcor.example": 0, "tobias@lens.example": 0} {
		if got := h.SecondStepFor(who(t, h, address)); len(got) != want {
			t.Errorf("%s: %v", address, got)
		}
	}
	secret := identity.NewSecret()
	if _, err := accounts.SetSecondStep(ctx, h, ines.Who, secret, "123", "", 0); !errors.Is(err, accounts.ErrWrongCode) {
		t.Error(err)
	}
	code := codeOf(t, secret)
	recovery, err := accounts.SetSecondStep(ctx, h, ines.Who, secret, code, "", 0)
	if err != nil || len(recovery) != 10 {
		t.Fatal(err)
	}
	if err := accounts.SecondStep(ctx, h, ines.Who, code, house.From{IP: "192.0.2.1"}); !errors.Is(err, accounts.ErrWrongCode) {
		t.Errorf("a code works twice: %v", err)
	}
	for i, want := range []error{nil, accounts.ErrWrongCode} {
		if err := accounts.SecondStep(ctx, h, ines.Who, strings.ToUpper(recovery[3]), house.From{IP: "192.0.2.1"}); !errors.Is(err, want) {
			t.Errorf("recovery code, time %d: %v", i+1, err)
		}
	}
	var later identity.TryLater
	for range 10 {
		err = accounts.SecondStep(ctx, h, ines.Who, "000000", house.From{IP: "192.0.2.9"})
	}
	if !errors.As(err, &later) {
		t.Error("codes can be guessed without end")
	}
}

// codeOf is the code that an application shows for a secret now.
func codeOf(t *testing.T, secret string) string {
	t.Helper()
	code, err := totp.GenerateCode(secret, time.Now())
	if err != nil {
		t.Fatal(err)
	}
	return code
}

func TestSignedInElsewhereIsEnded(t *testing.T) {
	h := demoHouse(t)
	ines, mateo := who(t, h, "ines@cerroalcor.example"), who(t, h, "mateo@cerroalcor.example")
	for id, a := range map[string]house.Actor{"one": ines, "two": ines, "three": mateo} {
		if err := h.Sessions.BeginSession(ctx, id, a.Who, "A browser", "password"); err != nil {
			t.Fatal(err)
		}
	}
	if err := errors.Join(h.Sessions.EndOwnSession(ctx, ines, "three"), h.Sessions.EndOwnSession(ctx, ines, "one")); err != nil {
		t.Fatal(err)
	}
	for id, want := range map[string]bool{"one": false, "two": true, "three": true} {
		if _, still, err := h.Sessions.FindSession(ctx, id); err != nil || still != want {
			t.Errorf("%s: %v %v", id, still, err)
		}
	}
	if err := accounts.ChangePassword(ctx, h, ines, "wrong", "walnut ferry indigo moss", house.From{IP: "192.0.2.1"}, ""); err == nil {
		t.Error("a password is changed without the old one")
	}
}

func TestAnInvitationIsChangedWhileItWaits(t *testing.T) {
	h := demoHouse(t)
	h.ConsoleURL = "http://velada.localhost"
	pilar, zoe := who(t, h, "pilar@cerroalcor.example"), who(t, h, "zoe@press.example")
	if _, err := teams.Invite(ctx, h, pilar, teams.Invitation{Addresses: []string{"zoe@press.example"}, Sites: []string{"society"}, Role: "editor"}); err != nil {
		t.Fatal(err)
	}
	offers, err := teams.OffersTo(ctx, h, zoe)
	if err != nil || len(offers) != 1 {
		t.Fatal(offers, err)
	}
	id := offers[0].ID
	var wrong house.FieldErrors
	if err := teams.ChangeInvitation(ctx, h, pilar, "society", id, access.TeamEntry{Role: "owner"}); !errors.As(err, &wrong) || wrong["role"] == "" {
		t.Errorf("to more than she may give: %v", err)
	}
	if err := teams.ChangeInvitation(ctx, h, who(t, h, "jonas@cerroalcor.example"), "society", id, access.TeamEntry{Role: "viewer"}); !errors.Is(err, house.ErrMayNot) {
		t.Error(err)
	}
	if err := teams.ChangeInvitation(ctx, h, pilar, "society", id, access.TeamEntry{Role: "viewer", Under: "/visit"}); err != nil {
		t.Fatal(err)
	}
	if _, err := teams.Accept(ctx, h, zoe, id); err != nil {
		t.Fatal(err)
	}
	zoe = who(t, h, "zoe@press.example")
	if h.Can(zoe, "society", "/") != 0 || h.Can(zoe, "society", "/visit").Has(access.Write) || !h.Can(zoe, "society", "/visit").Has(access.Preview) {
		t.Error("she accepted what it was before")
	}
}
